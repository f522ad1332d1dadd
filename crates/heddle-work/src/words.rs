//! Counts in words, for messages.

/// A whole number with its thousands apart: 12,345.
pub fn number(number: usize) -> String {
    let digits = number.to_string();
    let mut text = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

/// A number of things: "1 row", "2 rows".
pub fn count(n: usize, thing: &str) -> String {
    format!("{} {thing}{}", number(n), if n == 1 { "" } else { "s" })
}

/// A number of copies.
pub fn copies(n: usize) -> String {
    format!("{} {}", number(n), if n == 1 { "copy" } else { "copies" })
}

/// A text as a shell takes it for one word.
pub fn shell(text: &str) -> String {
    let plain = text.chars().all(|char| char.is_alphanumeric() || "._-/=,".contains(char));
    if plain { text.into() } else { format!("'{}'", text.replace('\'', "'\\''")) }
}

/// Settings as they are typed behind a command.
pub fn as_sets(settings: &[String]) -> String {
    settings.iter().map(|setting| format!("--set {}", shell(setting))).collect::<Vec<_>>().join(" ")
}

/// Some of a list.
pub fn listed(items: &[&str], shown: usize) -> String {
    let more = if items.len() > shown { ", ..." } else { "" };
    format!("{}{more}", items[..items.len().min(shown)].join(", "))
}

/// A number with so many decimals, and the minus of print: "−0.012".
pub fn decimals(value: f64, digits: usize) -> String {
    format!("{value:.digits$}").replace('-', "−")
}

/// The same, with its sign in any case: "+1.2", "−0.4".
pub fn with_sign(value: f64, digits: usize) -> String {
    format!("{value:+.digits$}").replace('-', "−")
}

/// A share: "12.3 %"; "–" where it is undefined.
pub fn percent(share: Option<f64>) -> String {
    share.map_or("–".into(), |share| format!("{:.1} %", 100.0 * share))
}
