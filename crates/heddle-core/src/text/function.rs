//! Words that hold sentences together and say little by themselves.

/// English function words of four letters or more, in alphabetical order; shorter ones are
/// all but always such. Negators are none of them.
const WORDS: [&str; 96] = [
    "about", "above", "after", "again", "against", "also", "although", "among", "another", "around",
    "because", "been", "before", "being", "below", "between", "both", "came", "could", "does", "doing",
    "done", "down", "during", "each", "either", "else", "even", "ever", "every", "from", "further", "going",
    "have", "having", "here", "hers", "herself", "himself", "however", "into", "itself", "just", "made",
    "make", "many", "might", "more", "most", "much", "must", "myself", "once", "only", "other", "ours",
    "over", "rather", "same", "shall", "should", "since", "some", "still", "such", "than", "that", "their",
    "theirs", "them", "then", "there", "these", "they", "this", "those", "though", "through", "thus",
    "under", "until", "upon", "very", "were", "what", "when", "where", "which", "while", "whom", "whose",
    "will", "with", "within", "would", "your",
];

/// Whether a lower-case word is a function word.
pub fn is_function_word(word: &str) -> bool {
    word.chars().count() < 4 || WORDS.binary_search(&word).is_ok()
}
