//! What may be said.

use std::collections::BTreeMap;

use anyhow::Context;
use heddle_core::resample::Random;

/// What a clause says of its subject.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Tone {
    Praise,
    Blame,
    Neither,
}

/// The half of the two years that a clause belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Season {
    Any,
    Early,
    Late,
}

/// A clause with slots.
#[derive(Debug, Clone)]
pub struct Clause {
    pub text: String,
    pub season: Season,
}

/// Clauses, slots, headlines and reviews in other languages.
pub struct Bank {
    clauses: BTreeMap<(String, Tone), Vec<Clause>>,
    slots: BTreeMap<String, Vec<String>>,
    headlines: BTreeMap<(String, Tone), Vec<Clause>>,
    others: BTreeMap<(String, Tone), Vec<Clause>>,
}

impl Bank {
    /// Reads the lists beside this program.
    pub fn load() -> anyhow::Result<Self> {
        let mut slots = BTreeMap::new();
        for line in lines(include_str!("../slots.txt")) {
            let (name, values) =
                line.split_once(':').with_context(|| format!("a slot without values: {line}"))?;
            slots.insert(name.to_string(), values.split(',').map(|value| value.trim().to_string()).collect());
        }
        Ok(Self {
            clauses: sections(include_str!("../clauses.txt"))?,
            headlines: sections(include_str!("../headlines.txt"))?,
            others: sections(include_str!("../others.txt"))?,
            slots,
        })
    }

    /// A clause about a subject; late is the position in the two years, from 0 to 1.
    pub fn clause(&self, subject: &str, tone: Tone, late: f64, draw: &mut Random) -> String {
        // The vocabulary drifts: near the middle both seasons may be heard.
        let second_year = draw.unit() < ((late - 0.5) * 6.0 + 0.5).clamp(0.0, 1.0);
        let fits = |clause: &&Clause| match clause.season {
            Season::Any => true,
            Season::Early => !second_year,
            Season::Late => second_year,
        };
        let all: Vec<&Clause> = self.clauses[&(subject.to_string(), tone)].iter().filter(fits).collect();
        self.fill(&all[draw.below(all.len())].text, draw)
    }

    /// A headline.
    pub fn headline(&self, tone: Tone, draw: &mut Random) -> String {
        let all = &self.headlines[&(String::new(), tone)];
        self.fill(&all[draw.below(all.len())].text, draw)
    }

    /// A review in another language.
    pub fn other(&self, tone: Tone, draw: &mut Random) -> String {
        let all = &self.others[&(String::new(), tone)];
        all[draw.below(all.len())].text.clone()
    }

    /// One value of a slot.
    pub fn slot(&self, name: &str, draw: &mut Random) -> &str {
        let values = &self.slots[name];
        &values[draw.below(values.len())]
    }

    fn fill(&self, text: &str, draw: &mut Random) -> String {
        let mut filled = String::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let Some((name, after)) = after.split_once('}') else { break };
            filled.push_str(before);
            filled.push_str(self.slot(name, draw));
            rest = after;
        }
        filled + rest
    }
}

fn lines(text: &str) -> impl Iterator<Item = &str> {
    text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'))
}

fn sections(text: &str) -> anyhow::Result<BTreeMap<(String, Tone), Vec<Clause>>> {
    let mut sections: BTreeMap<(String, Tone), Vec<Clause>> = BTreeMap::new();
    let mut now = (String::new(), Tone::Neither);
    for line in lines(text) {
        if let Some(head) = line.strip_prefix('[').and_then(|head| head.strip_suffix(']')) {
            let (subject, tone) = head.rsplit_once(' ').unwrap_or(("", head));
            let tone = match tone {
                "+" => Tone::Praise,
                "-" => Tone::Blame,
                "0" => Tone::Neither,
                other => anyhow::bail!("[{head}]: the tone `{other}` is not +, - or 0"),
            };
            now = (subject.to_string(), tone);
            continue;
        }
        let (season, text) = match line.split_once(": ") {
            Some(("early", text)) => (Season::Early, text),
            Some(("late", text)) => (Season::Late, text),
            _ => (Season::Any, line),
        };
        sections.entry(now.clone()).or_default().push(Clause { text: text.to_string(), season });
    }
    Ok(sections)
}
