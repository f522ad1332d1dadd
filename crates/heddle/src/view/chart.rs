//! Bars made of characters.

/// A bar of `value` out of `most`, at most `width` columns, in eighths of a column.
pub fn bar(value: f64, most: f64, width: usize) -> String {
    const PARTS: [&str; 8] = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"];
    if !(value > 0.0 && most > 0.0) {
        return String::new();
    }
    let eighths = ((value / most).min(1.0) * (width * 8) as f64).round().max(1.0) as usize;
    format!("{}{}", "█".repeat(eighths / 8), PARTS[eighths % 8])
}

/// Counts as a line of steps, one column each: the highest fills its column, 0 is a blank.
pub fn steps(counts: &[usize]) -> String {
    const STEPS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let most = counts.iter().copied().max().unwrap_or(0).max(1);
    let step = |count: usize| match count {
        0 => ' ',
        count => STEPS[(count * 8).div_ceil(most).clamp(1, 8) - 1],
    };
    counts.iter().map(|&count| step(count)).collect()
}
