//! From the findings of a run to what stands in its report.

use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::measure::{Figure, Figures};
use heddle_core::validate::within;
use heddle_files::About;

use super::chart::Chart;
use super::content::{Block, Cell, Clause, Quoted, Reading, Report, Section, Spoken, Table, pieces};
use super::findings::{Findings, Text};
use super::html::signed;
use crate::view::figures::{in_points, plain, plain_with_interval, points, share, share_with_interval};
use crate::view::reading::TELLING;
use crate::view::{count, number, percent, without_mark};

/// So many misses of the probes are shown.
const MISSES: usize = 40;

/// Puts a report together; without texts of customers where `redacted`.
pub struct Builder<'f> {
    pub found: &'f Findings,
    /// What stands beside the training part: settings and sources.
    pub about: Option<&'f About>,
    pub redacted: bool,
}

impl Builder<'_> {
    /// The report.
    pub fn report(&self) -> Report {
        let found = self.found;
        let (validated, holdout) = (&found.validation.figures, &found.assessment.figures);
        let card = |what: &str, figure: &Figure, beside: String| [what.into(), share(figure), beside];
        let interval = |figure: &Figure| match (figure.low, figure.high) {
            (Some(low), Some(high)) => format!("95 % interval {:.1} – {:.1} %", 100.0 * low, 100.0 * high),
            _ => String::new(),
        };
        Report {
            title: "How customers' reviews are told apart, and how far that can be trusted".into(),
            verdict: found.judgement.sentence.clone(),
            headline: vec![
                card("right on unseen reviews", &validated.accuracy, interval(&validated.accuracy)),
                card("right on the locked holdout", &holdout.accuracy, interval(&holdout.accuracy)),
                card(
                    "right by calling all the larger class",
                    &found.validation.baseline.accuracy,
                    "the least to beat".into(),
                ),
                [
                    "reviews".into(),
                    number(found.split.account.read),
                    format!("{} are {}", share(&found.drivers.negative), self.name(Polarity::Negative)),
                ],
            ],
            sections: vec![
                self.data(),
                self.figures(),
                self.confusion(),
                self.curves(),
                self.slices(),
                self.drivers(),
                self.reading(),
                self.probes(),
                self.doubts(),
                self.mistakes(),
                self.card(),
                self.settings(),
            ],
        }
    }

    fn names(&self) -> ClassNames {
        let mut names = ClassNames::default();
        self.found.split.account.class_names.iter().for_each(|(class, name)| names.set(*class, name));
        names
    }

    fn name(&self, class: Polarity) -> String {
        self.names().of(class).into()
    }

    fn class(&self, class: Polarity) -> Cell {
        let sign = crate::view::sign_of(class);
        Cell::class(format!("{sign} {}", self.names().of(class)), class)
    }

    fn data(&self) -> Section {
        let account = &self.found.split.account;
        let of = |class| match class {
            Polarity::Negative => account.negative,
            Polarity::Neutral => account.neutral,
            Polarity::Positive => account.positive,
        };
        let row = |name: Cell, rows: usize| {
            vec![name, counted(rows), Cell::number(percent(rows, account.read), rows as f64)]
        };
        let classes = Polarity::ALL
            .into_iter()
            .filter(|class| of(*class) > 0)
            .map(|class| row(self.class(class), of(class)));
        let others = [
            ("left out: between the classes", account.middle),
            ("left out: no rating", account.no_rating),
            ("left out: no text", account.no_text),
            ("left out: reviews.keep", account.not_kept),
            ("refused", account.refused),
        ];
        let others =
            others.into_iter().filter(|(_, rows)| *rows > 0).map(|(name, rows)| row(name.into(), rows));
        let split = &self.found.split;
        let rows = |part: &super::findings::Part| number(part.mix.values().sum());
        let mut blocks = vec![
            Block::Table(Table::new(
                &["what became of the rows", "rows", "share"],
                classes.chain(others).collect(),
            )),
            Block::Sentence(format!("Rule: {}.", split.rule)),
            Block::Sentence(format!(
                "{} to learn from, {} locked away ({}, seed {}); {} on both sides, {} kept together.",
                rows(&split.training),
                rows(&split.holdout),
                split.by,
                split.seed,
                count(split.overlap.texts, "text"),
                count(split.near_repeats, "near repeat")
            )),
        ];
        if let Some(middle) = &self.found.middle {
            blocks.push(Block::Sentence(format!(
                "Of {} between the classes, {} are called {}.",
                count(middle.reviews, "review"),
                share_with_interval(&middle.called_positive),
                self.name(Polarity::Positive)
            )));
        }
        Section { id: "data".into(), title: "What came in".into(), blocks }
    }

    fn figures(&self) -> Section {
        let found = self.found;
        let (then, now, base) =
            (&found.validation.figures, &found.assessment.figures, &found.validation.baseline);
        let mut rows: Vec<Vec<Cell>> = Vec::new();
        let mut row = |name: String,
                       of: &dyn Fn(&Figures) -> Figure,
                       written: fn(&Figure) -> String,
                       short: fn(&Figure) -> String| {
            let cell = |figure: Figure| Cell::number(written(&figure), figure.value.unwrap_or(f64::NAN));
            rows.push(vec![name.into(), cell(of(then)), cell(of(now)), short(&of(base)).into()]);
        };
        for own in &then.classes {
            let class = own.class;
            let of =
                move |figures: &Figures| figures.class(class).map_or(Figure::undefined(0), |own| own.recall);
            row(format!("recall of {}: of these, found", self.name(class)), &of, share_with_interval, share);
            let of = move |figures: &Figures| {
                figures.class(class).map_or(Figure::undefined(0), |own| own.precision)
            };
            row(
                format!("precision of {}: of those called so, right", self.name(class)),
                &of,
                share_with_interval,
                share,
            );
        }
        row("accuracy".into(), &|figures| figures.accuracy, share_with_interval, share);
        row(
            "balanced accuracy: mean of the recalls".into(),
            &|figures| figures.balanced_accuracy,
            share_with_interval,
            share,
        );
        row("ROC area".into(), &|figures| figures.roc_area, plain_with_interval, plain);
        row(
            "log loss, in nats; less is better".into(),
            &|figures| figures.log_loss,
            plain_with_interval,
            plain,
        );
        row("Brier score; less is better".into(), &|figures| figures.brier, plain_with_interval, plain);
        let folds = found.validation.folds.len() / found.validation.rounds.len().max(1);
        let opened = match found.assessment.opened {
            Some(1) | None => "for the first time".to_string(),
            Some(times) => format!("{times} times: what is chosen by it fits it better than reviews to come"),
        };
        let baselines = found.validation.baselines.iter().map(|own| {
            let accuracy = own.figures.accuracy;
            vec![
                own.about.as_str().into(),
                Cell::number(share_with_interval(&accuracy), accuracy.value.unwrap_or(f64::NAN)),
            ]
        });
        let mut blocks = vec![
            Block::Table(Table::new(&["figure", "cross-validated", "locked holdout", "baseline"], rows)),
            Block::Sentence(format!(
                "{folds} folds, everything refitted in each; the holdout was opened {opened}. 95 % intervals. The baseline calls \
                 every review the larger class."
            )),
        ];
        if !found.validation.baselines.is_empty() {
            blocks.push(Block::Table(Table::new(
                &["simpler ways, on the same folds", "accuracy"],
                baselines.collect(),
            )));
        }
        Section { id: "figures".into(), title: "How good it is on reviews it has not seen".into(), blocks }
    }

    fn confusion(&self) -> Section {
        let table = |figures: &Figures| {
            let confusion = &figures.confusion;
            let head: Vec<String> =
                confusion.classes.iter().map(|class| format!("called {}", self.name(*class))).collect();
            let head: Vec<&str> = ["truly"].into_iter().chain(head.iter().map(String::as_str)).collect();
            let rows = confusion.classes.iter().zip(&confusion.counts).map(|(truth, counts)| {
                let all: usize = counts.iter().sum();
                let cells = counts.iter().map(|own| {
                    Cell::number(format!("{} ({})", number(*own), percent(*own, all)), *own as f64)
                });
                std::iter::once(self.class(*truth)).chain(cells).collect()
            });
            Block::Table(Table::new(&head, rows.collect()))
        };
        let blocks = vec![
            Block::Sentence("Cross-validated:".into()),
            table(&self.found.validation.figures),
            Block::Sentence("On the locked holdout:".into()),
            table(&self.found.assessment.figures),
        ];
        Section { id: "confusion".into(), title: "What is called what".into(), blocks }
    }

    fn curves(&self) -> Section {
        let validation = &self.found.validation;
        let [negative, positive] = Polarity::POLES.map(|class| self.name(class));
        let base = validation.figures.confusion.of(Polarity::Negative) as f64
            / validation.figures.confusion.total().max(1) as f64;
        let both = |x: &Figure, y: &Figure| Some((x.value?, y.value?));
        let curve = |of: &dyn Fn(&super::findings::CutPoint) -> Option<(f64, f64)>| {
            validation.cut_points.iter().filter_map(of).collect()
        };
        let roc = Chart {
            title: format!("{negative} found, against false alarms"),
            scales: [format!("{positive} reviews called {negative}"), format!("{negative} found")],
            curve: curve(&|own| both(&own.false_alarms, &own.recall)),
            points: Vec::new(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: format!(
                "ROC curve: its area is {}; 0.5 is chance.",
                plain_with_interval(&validation.figures.roc_area)
            ),
        };
        let precision = Chart {
            title: format!("{negative} found, against how many calls are right"),
            scales: [format!("{negative} found"), "of those called, right".into()],
            curve: curve(&|own| both(&own.recall, &own.precision)),
            points: Vec::new(),
            by_chance: vec![(0.0, base), (1.0, base)],
            about: format!(
                "Precision-recall curve: average precision {}; {:.1} % is chance.",
                plain_with_interval(&validation.figures.average_precision),
                100.0 * base
            ),
        };
        let point = |bin: &super::findings::Bin| {
            Some((bin.predicted, bin.observed.value?, bin.observed.low?, bin.observed.high?))
        };
        let calibration = Chart {
            title: "whether probabilities can be believed".into(),
            scales: [format!("predicted share of {positive}"), "observed".into()],
            curve: Vec::new(),
            points: validation.calibration.iter().filter_map(point).collect(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: "Calibration: where points lie on the line, probabilities are what is observed.".into(),
        };
        let gains = Chart {
            title: format!("reading the most {negative} first"),
            scales: ["share of the reviews read".into(), format!("of the {negative}, found")],
            curve: [(0.0, 0.0)]
                .into_iter()
                .chain(validation.gains.iter().filter_map(|own| Some((own.share, own.recall.value?))))
                .chain([(1.0, 1.0)])
                .collect(),
            points: Vec::new(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: format!("What reading part of the reviews finds, the most {negative} first."),
        };
        let rows = validation.gains.iter().map(|own| {
            vec![
                Cell::number(number(own.read), own.read as f64),
                Cell::number(format!("{:.1} %", 100.0 * own.share), own.share),
                figure_cell(&own.precision),
                figure_cell(&own.recall),
            ]
        });
        let head = [
            "read".to_string(),
            "share".into(),
            format!("of these {negative}"),
            format!("of the {negative}, found"),
        ];
        let head: Vec<&str> = head.iter().map(String::as_str).collect();
        let table = Table::new(&head, rows.collect());
        let blocks = vec![
            Block::Charts(vec![roc, precision, calibration, gains]),
            Block::More(format!("Reading the most {negative} first, in figures"), table),
        ];
        Section { id: "curves".into(), title: "Where to cut, and what to believe".into(), blocks }
    }

    fn slices(&self) -> Section {
        let negative = self.name(Polarity::Negative);
        let rows = self.found.validation.slices.iter().map(|own| {
            vec![
                format!("{}: {}", own.aspect, own.level).into(),
                counted(own.accuracy.n),
                figure_cell(&own.accuracy),
                figure_cell(&own.majority),
                figure_cell(&own.recall_negative),
                figure_cell(&own.negative),
                own.differs.iter().map(|name| name.replace('_', " ")).collect::<Vec<_>>().join(", ").into(),
            ]
        });
        let found = format!("{negative} found");
        let head = ["slice", "reviews", "accuracy", "larger class", &found, &negative, "differs in"];
        let blocks = vec![
            Block::Table(Table::new(&head, rows.collect())),
            Block::Sentence(
                "What differs from all other reviews does so by more than noise, all figures being looked at together.".into(),
            ),
        ];
        Section { id: "slices".into(), title: "Where it is better or worse".into(), blocks }
    }

    fn drivers(&self) -> Section {
        let negative = self.name(Polarity::Negative);
        let themes = &self.found.drivers.themes;
        let rows = themes.iter().map(|own| {
            let words: Vec<String> = own.words.iter().skip(1).map(|own| without_mark(&own.word)).collect();
            vec![
                without_mark(&own.name).into(),
                self.class(own.class),
                counted(own.with.n),
                figure_cell(&own.with),
                Cell::number(in_points(&own.difference), own.difference.value.unwrap_or(f64::NAN)),
                Cell::number(own.adds.value.map_or("–".into(), signed), own.adds.value.unwrap_or(f64::NAN)),
                words.join(", ").into(),
            ]
        });
        let head = [
            "theme",
            "makes reviews",
            "reviews",
            &negative,
            "more than without it, in points",
            "adds, in log-odds",
            "words",
        ];
        let mut blocks = vec![
            Block::Table(Table::new(&head, rows.collect())),
            Block::Sentence(
                "Themes are words that are used alike and go with one class beyond noise; the intervals of differences hold for \
                 all themes together."
                    .into(),
            ),
        ];
        let places: Vec<Vec<Cell>> = themes
            .iter()
            .flat_map(|own| {
                let parts = own
                    .columns
                    .iter()
                    .flat_map(|column| column.values.iter().map(move |part| (&column.column, part)));
                let differ = parts.filter(|(_, part)| part.differs).map(|(column, part)| {
                    vec![
                        without_mark(&own.name).into(),
                        format!("{column} {}", part.part).into(),
                        figure_cell(&part.share),
                        points(&part.difference).into(),
                    ]
                });
                let trend = own.trend.filter(|trend| !within(trend));
                let trend = trend.map(|trend| {
                    vec![
                        without_mark(&own.name).into(),
                        "over time".into(),
                        "".into(),
                        format!("{} a year", points(&trend)).into(),
                    ]
                });
                differ.chain(trend).collect::<Vec<_>>()
            })
            .collect();
        if !places.is_empty() {
            blocks
                .push(Block::Table(Table::new(&["theme", "where", "of reviews", "than elsewhere"], places)));
        }
        if !self.redacted {
            let quoted = |own: &super::findings::Theme| Quoted {
                theme: without_mark(&own.name),
                class: own.class,
                said: own
                    .quotes
                    .iter()
                    .map(|quote| {
                        (html_escape::decode_html_entities(&quote.clause).into_owned(), quote.id.clone())
                    })
                    .collect(),
            };
            blocks.push(Block::Quotes(themes.iter().map(quoted).collect()));
        }
        Section {
            id: "drivers".into(),
            title: "What customers complain about, and what they praise".into(),
            blocks,
        }
    }

    fn reading(&self) -> Section {
        let [negative, positive] = Polarity::POLES.map(|class| self.name(class));
        let mut blocks = vec![Block::Sentence(format!(
            "A review in reading order, one clause a line: what it adds to the log-odds of {positive}, and the running total after \
             it. Words in gold speak for {positive}, words in violet for {negative}; negators and what they negate are underlined. \
             With the intercept, contributions add up to the verdict."
        ))];
        match self.redacted {
            true => blocks.push(Block::Sentence("Texts are left out of this report.".into())),
            false => blocks.extend(
                self.found.explained.texts.iter().map(|text| Block::Reading(self.reading_line(text))),
            ),
        }
        Section { id: "reading".into(), title: "How it reads a review".into(), blocks }
    }

    fn reading_line(&self, text: &Text) -> Reading {
        let strongest = text.clauses.iter().map(|clause| clause.contribution.abs()).fold(0.0, f64::max);
        let spoken = |token: &super::findings::Token| Spoken {
            place: (token.start, token.end),
            adds: token.contribution,
            underlined: token.negated || token.cue,
        };
        let clause = |clause: &super::findings::Clause| Clause {
            pieces: pieces(
                &text.text,
                (clause.start, clause.end),
                text.tokens[clause.tokens.0..clause.tokens.1].iter().map(spoken),
                TELLING * strongest,
            ),
            adds: clause.contribution,
            running: clause.running,
        };
        Reading {
            origin: text.origin.clone(),
            begins: text.intercept,
            clauses: text.clauses.iter().map(clause).collect(),
            verdict: format!("called {}, log-odds {}", self.name(text.polarity), signed(text.log_odds)),
            class: text.polarity,
        }
    }

    fn probes(&self) -> Section {
        let probes = &self.found.probes;
        let kinds = probes
            .kinds
            .iter()
            .map(|own| vec![own.kind.as_str().into(), figure_cell(&own.passed), counted(own.passed.n)]);
        let missed = probes.sentences.iter().filter(|own| !own.passed).take(MISSES).map(|own| {
            vec![
                own.kind.as_str().into(),
                own.text.as_str().into(),
                own.expected.as_str().into(),
                self.class(own.called),
                Cell::number(signed(own.log_odds), own.log_odds),
            ]
        });
        let blocks = vec![
            Block::Sentence(format!(
                "{} of {} of known meaning are read as expected. They tell what kinds of sentences the model reads, and not how often \
                 it is right.",
                share_with_interval(&probes.passed),
                count(probes.sentences.len(), "sentence")
            )),
            Block::Table(Table::new(&["kind", "as expected", "sentences"], kinds.collect())),
            Block::More(
                "Some that are not".into(),
                Table::new(&["kind", "sentence", "expected", "called", "log-odds"], missed.collect()),
            ),
        ];
        Section { id: "probes".into(), title: "What kinds of sentences it reads".into(), blocks }
    }

    fn doubts(&self) -> Section {
        let doubts = &self.found.doubts;
        let whole = |value: Option<f64>| value.map_or("–".into(), |value| number(value.round() as usize));
        let rows = doubts.labels.iter().map(|own| {
            let words: Vec<String> = own.words.iter().map(|(word, _)| without_mark(word)).collect();
            let mut cells = vec![
                own.id.as_str().into(),
                own.rating.as_str().into(),
                self.class(own.label),
                Cell::number(format!("{:.1} %", 100.0 * own.probability), own.probability),
                Cell::number(
                    if own.wrong > 0.99 { "> 99 %".into() } else { format!("{:.0} %", 100.0 * own.wrong) },
                    own.wrong,
                ),
                self.class(own.called),
                words.join(", ").into(),
            ];
            cells.extend((!self.redacted).then(|| own.text.as_str().into()));
            cells
        });
        let mut head = vec![
            doubts.named_by.as_str(),
            "rating",
            "labelled",
            "probability of that",
            "wrong",
            "the words say",
            "words",
        ];
        head.extend((!self.redacted).then_some("review"));
        let blocks = vec![
            Block::Sentence(format!(
                "As many as {} ({} to {}) labels may be wrong: of the fifth of the reviews that models are surest of, {} bear another \
                 label. The most doubtful:",
                whole(doubts.expected.value),
                whole(doubts.expected.low),
                whole(doubts.expected.high),
                share_with_interval(&doubts.noise)
            )),
            Block::Table(Table::new(&head, rows.collect()).searched()),
        ];
        Section { id: "doubts".into(), title: "Labels that the words contradict".into(), blocks }
    }

    fn mistakes(&self) -> Section {
        let assessed = &self.found.assessment;
        let rows = assessed.mistakes.iter().map(|own| {
            let mut cells = vec![
                own.id.as_str().into(),
                self.class(own.truth),
                Cell::number(signed(own.log_odds), own.log_odds),
            ];
            cells.extend((!self.redacted).then(|| own.text.as_str().into()));
            cells
        });
        let mut head = vec![assessed.named_by.as_str(), "labelled", "log-odds"];
        head.extend((!self.redacted).then_some("review"));
        let blocks = vec![
            Block::Table(Table::new(&head, rows.collect()).searched()),
            Block::Sentence(
                "The model is sure of another class than the label: one of the two is wrong.".into(),
            ),
        ];
        Section { id: "mistakes".into(), title: "Confident mistakes on the holdout".into(), blocks }
    }

    fn card(&self) -> Section {
        let training = &self.found.training;
        let written = |value: &serde_json::Value| value.as_str().map_or(value.to_string(), String::from);
        let strength = training.card.strength.map_or("none".into(), |strength| format!("{strength:.1e}"));
        let rows = [
            ("learner", training.learner.clone()),
            ("n-grams of words", written(&training.words)),
            ("n-grams of letters", written(&training.letters)),
            ("weighting", training.weighting.clone()),
            ("terms", number(training.card.terms)),
            ("penalty", format!("{}, lambda {strength}", training.penalty)),
            ("log-odds of a review without known terms", signed(training.intercept)),
            ("size of the file", format!("{} KB", number(training.bytes.div_ceil(1024) as usize))),
        ];
        let rows = rows.into_iter().map(|(name, value)| vec![name.into(), value.into()]).collect();
        let heavy = Polarity::POLES
            .into_iter()
            .zip(&training.strongest)
            .flat_map(|(class, terms)| terms.iter().map(move |own| (class, own)));
        let heavy = heavy.map(|(class, own)| {
            vec![
                without_mark(&own.term).into(),
                self.class(class),
                Cell::number(signed(own.weight), own.weight),
                Cell::number(number(own.reviews as usize), own.reviews as f64),
            ]
        });
        let blocks = vec![
            Block::Table(Table::new(&["what", "how"], rows)),
            Block::Sentence(
                "It judges well only what resembles its training reviews; what shares no term with it is left unsure.".into(),
            ),
            Block::More(
                "Its heaviest terms".into(),
                Table::new(&["term", "towards", "weight", "training reviews"], heavy.collect()),
            ),
        ];
        Section { id: "card".into(), title: "The model".into(), blocks }
    }

    fn settings(&self) -> Section {
        let mut blocks = Vec::new();
        if let Some(about) = self.about {
            let sources =
                about.sources.iter().map(|own| vec![own.file.as_str().into(), own.xxh3.as_str().into()]);
            let written = |value: &serde_json::Value| value.as_str().map_or(value.to_string(), String::from);
            let settings =
                about.settings.iter().map(|(key, value)| vec![key.as_str().into(), written(value).into()]);
            blocks.push(Block::Table(Table::new(&["file", "XXH3-64 of its bytes"], sources.collect())));
            blocks.push(Block::More(
                "Every setting in force".into(),
                Table::new(&["setting", "value"], settings.collect()),
            ));
        }
        blocks.push(Block::Sentence(
            "The same files and settings give the same figures, byte for byte.".into(),
        ));
        Section { id: "settings".into(), title: "Where it comes from".into(), blocks }
    }
}

/// A share with its interval, sorted by its value.
fn figure_cell(figure: &Figure) -> Cell {
    Cell::number(share_with_interval(figure), figure.value.unwrap_or(f64::NAN))
}

fn counted(rows: usize) -> Cell {
    Cell::number(number(rows), rows as f64)
}
