//! Bytes as a model whose digest is right, whatever they hold: refused, or a model that scores.

use heddle_core::labels::Polarity;

pub fn sealed(bytes: &[u8]) {
    let mut bytes = bytes.to_vec();
    let Some(body) = bytes.len().checked_sub(8) else { return };
    let sum = xxhash_rust::xxh3::xxh3_64(&bytes[..body]);
    bytes[body..].copy_from_slice(&sum.to_le_bytes());
    let Ok(model) = heddle_files::from_bytes(&bytes) else { return };
    let mut reader = model.scorer();
    for text in ["", "not a warm cabin, never cold", "the crew were kind and the tea was hot!!! 👍"] {
        let score = reader.score(text);
        assert!(score.sum.is_finite());
        for class in model.classes().list() {
            assert!((0.0..=1.0).contains(&score.probability(*class)));
        }
        assert!(Polarity::ALL.contains(&score.polarity()));
    }
}
