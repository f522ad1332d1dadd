//! What can be asked of studies, the shell and the machine.

use clap::{Args, Subcommand};

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle study show --set terms.words=1-3\n  heddle study schema > study.schema.json\n  heddle study stoplist --set text.stoplist=english > stop.txt\n  heddle study negation"
)]
pub struct StudyArgs {
    #[command(subcommand)]
    pub view: StudyView,
}

#[derive(Debug, Subcommand)]
pub enum StudyView {
    /// The settings in force and where each comes from
    Show,
    /// The JSON Schema of study files
    Schema,
    /// The words that are left out, and the negators among them that stay
    Stoplist,
    /// The expressions that negate, and those that only look like it
    Negation,
    /// Emoticons and emoji with their meanings and moods (text.emoticons = "meaning" or "mood")
    Emoticons,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  heddle system\n  heddle system m.heddle reviews.csv --json")]
pub struct SystemArgs {
    /// Files to look at: models, reviews
    #[arg(value_name = "FILES")]
    pub files: Vec<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle shell completions bash > ~/.local/share/bash-completion/completions/heddle\n  heddle shell completions zsh > ~/.zfunc/_heddle\n  heddle shell completions fish > ~/.config/fish/completions/heddle.fish\n  heddle shell manual --out ~/.local/share/man/man1"
)]
pub struct ShellArgs {
    #[command(subcommand)]
    pub view: ShellView,
}

#[derive(Debug, Subcommand)]
pub enum ShellView {
    /// The script for bash, zsh, fish, elvish or powershell; it asks this program what may come
    Completions {
        /// The shell
        #[arg(value_name = "SHELL")]
        shell: String,
    },
    /// The manual, for `man -l -`, or all of its pages in a folder
    Manual {
        /// Write a page for each command into this folder
        #[arg(short, long, value_name = "FOLDER")]
        out: Option<String>,
    },
}
