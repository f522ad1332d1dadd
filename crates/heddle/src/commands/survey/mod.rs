//! What is in a review file.

mod page;

use heddle_work::{Session, SurveyOptions, survey};

use crate::args::SurveyArgs;
use crate::output::{self, Output};

/// Surveys files; writes a study if asked.
pub fn run(args: &SurveyArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let SurveyArgs { files, write_study, .. } = args;
    let options =
        SurveyOptions { files: files.files.clone(), write_study: write_study.clone(), rows: args.rows };
    let survey = survey(session, &options)?;
    output.answer("survey", &survey, page::show)?;
    if let Some(path) = write_study {
        output::remark(&format!("Written: {path}. Next: heddle label --study {path}"));
    }
    Ok(survey.refused)
}
