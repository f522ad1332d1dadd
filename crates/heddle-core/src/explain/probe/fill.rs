//! Sentences in the words of a model: what its training reviews speak of stands in the places of templates.

use rustc_hash::FxHashMap;

use crate::model::artefact::Model;
use crate::text::language::Language;

/// Words in the places of templates, each the usual form behind "the … was": what is praised and blamed of products and
/// services, with its article where it has one; plain praise, and plain blame, that fits all of these.
fn candidates(language: Language) -> [&'static [&'static str]; 3] {
    match language {
        Language::English => [
            &[
                "acting",
                "app",
                "apartment",
                "bar",
                "battery",
                "beach",
                "bed",
                "beer",
                "boat",
                "book",
                "breakfast",
                "cabin",
                "camera",
                "case",
                "coffee",
                "course",
                "crew",
                "delivery",
                "design",
                "dinner",
                "driver",
                "ferry",
                "film",
                "flat",
                "flight",
                "food",
                "game",
                "hotel",
                "jacket",
                "journey",
                "kitchen",
                "location",
                "lounge",
                "lunch",
                "machine",
                "meal",
                "menu",
                "movie",
                "music",
                "museum",
                "phone",
                "place",
                "plot",
                "pool",
                "product",
                "quality",
                "restaurant",
                "room",
                "screen",
                "seat",
                "service",
                "shop",
                "show",
                "shower",
                "sound",
                "staff",
                "story",
                "tea",
                "ticket",
                "tour",
                "train",
                "trip",
                "view",
                "website",
            ],
            &[
                "good",
                "great",
                "excellent",
                "lovely",
                "wonderful",
                "perfect",
                "fantastic",
                "superb",
                "pleasant",
                "amazing",
                "brilliant",
                "nice",
            ],
            &[
                "bad",
                "terrible",
                "awful",
                "horrible",
                "poor",
                "dreadful",
                "disappointing",
                "useless",
                "unpleasant",
                "dull",
                "shoddy",
                "lousy",
            ],
        ],
        Language::German => [
            &[
                "das Essen",
                "die Kabine",
                "das Zimmer",
                "das Personal",
                "die Bedienung",
                "das Frühstück",
                "die Fähre",
                "die Fahrt",
                "das Bett",
                "das Hotel",
                "die Lage",
                "die Qualität",
                "die Lieferung",
                "das Produkt",
                "das Gerät",
                "die Jacke",
                "das Buch",
                "die Reise",
                "die Küche",
                "das Restaurant",
            ],
            &[
                "gut",
                "super",
                "toll",
                "hervorragend",
                "ausgezeichnet",
                "perfekt",
                "klasse",
                "großartig",
                "wunderbar",
                "prima",
            ],
            &[
                "schlecht",
                "schrecklich",
                "furchtbar",
                "miserabel",
                "mies",
                "grauenhaft",
                "enttäuschend",
                "katastrophal",
                "mangelhaft",
                "unmöglich",
            ],
        ],
        Language::French => [
            &[
                "le repas",
                "le service",
                "le personnel",
                "le ferry",
                "le voyage",
                "le petit déjeuner",
                "le lit",
                "le restaurant",
                "le séjour",
                "le produit",
                "le livre",
                "le film",
                "le confort",
                "le cadre",
                "le bateau",
                "le buffet",
                "le café",
                "le trajet",
            ],
            &[
                "bon",
                "excellent",
                "parfait",
                "super",
                "génial",
                "agréable",
                "formidable",
                "magnifique",
                "impeccable",
                "correct",
            ],
            &[
                "mauvais",
                "horrible",
                "nul",
                "décevant",
                "affreux",
                "médiocre",
                "lamentable",
                "catastrophique",
                "désagréable",
                "déplorable",
            ],
        ],
        Language::Spanish => [
            &[
                "el servicio",
                "el camarote",
                "el desayuno",
                "el personal",
                "el ferry",
                "el viaje",
                "el barco",
                "el hotel",
                "el producto",
                "el libro",
                "el restaurante",
                "el trato",
                "el pedido",
                "el colchón",
                "el café",
                "el buffet",
                "el embarque",
            ],
            &[
                "bueno",
                "excelente",
                "perfecto",
                "genial",
                "agradable",
                "magnífico",
                "maravilloso",
                "estupendo",
                "fantástico",
                "cómodo",
            ],
            &[
                "malo",
                "horrible",
                "pésimo",
                "terrible",
                "decepcionante",
                "desagradable",
                "fatal",
                "lamentable",
                "nefasto",
                "malísimo",
            ],
        ],
        Language::Italian => [
            &[
                "il servizio",
                "il cibo",
                "il personale",
                "il traghetto",
                "il viaggio",
                "il letto",
                "il pranzo",
                "il ristorante",
                "il soggiorno",
                "il prodotto",
                "il libro",
                "il film",
                "il caffè",
                "il buffet",
                "il materasso",
                "il porto",
            ],
            &[
                "buono",
                "ottimo",
                "eccellente",
                "perfetto",
                "fantastico",
                "splendido",
                "meraviglioso",
                "piacevole",
                "comodo",
                "bello",
            ],
            &[
                "pessimo",
                "orribile",
                "terribile",
                "scadente",
                "deludente",
                "mediocre",
                "disastroso",
                "sgradevole",
                "brutto",
                "schifoso",
            ],
        ],
        Language::Dutch => [
            &[
                "het eten",
                "de hut",
                "de kamer",
                "het personeel",
                "de bediening",
                "het ontbijt",
                "de veerboot",
                "de reis",
                "het bed",
                "het hotel",
                "de locatie",
                "de kwaliteit",
                "de levering",
                "het product",
                "de service",
                "het boek",
                "de koffie",
                "het restaurant",
            ],
            &[
                "goed",
                "geweldig",
                "uitstekend",
                "fantastisch",
                "prima",
                "perfect",
                "heerlijk",
                "mooi",
                "super",
                "fijn",
            ],
            &[
                "slecht",
                "vreselijk",
                "verschrikkelijk",
                "waardeloos",
                "teleurstellend",
                "matig",
                "beroerd",
                "belabberd",
                "vies",
                "afschuwelijk",
            ],
        ],
        Language::Other => [&[]; 3],
    }
}

/// Where the model knows none of the English things.
const ANYTHING: [&str; 2] = ["service", "product"];
/// So many words of a kind are used.
const USED: usize = 4;
/// A word that fewer training reviews hold is as good as unknown.
const FEWEST: u64 = 3;

/// What stands in the places of templates: the candidates that the most training reviews hold.
pub(super) struct Words {
    things: Vec<&'static str>,
    good: Vec<&'static str>,
    bad: Vec<&'static str>,
}

impl Words {
    /// The words of a model in a language.
    pub fn of(model: &Model, language: Language) -> Self {
        let [things, good, bad] = candidates(language);
        // Articles are no part of what the model knows.
        let last = |phrase: &'static str| phrase.rsplit(' ').next().unwrap_or(phrase);
        let candidates = things.iter().chain(good).chain(bad);
        let mut known: FxHashMap<&str, u64> = candidates.map(|phrase| (last(phrase), 0)).collect();
        for (term, word) in model.single_words() {
            let term = model.term(term);
            if let Some(reviews) = known.get_mut(&*word.to_lowercase()).filter(|_| term.kept) {
                *reviews = (*reviews).max(term.reviews());
            }
        }
        let most = |candidates: &'static [&'static str], otherwise: &[&'static str]| {
            let reviews = |phrase: &&'static str| known[last(phrase)];
            let mut found: Vec<&'static str> =
                candidates.iter().copied().filter(|phrase| reviews(phrase) >= FEWEST).collect();
            found.sort_by_key(|phrase| std::cmp::Reverse(reviews(phrase)));
            found.truncate(USED);
            if found.len() < 2 { otherwise.to_vec() } else { found }
        };
        let anything = if language == Language::English { &ANYTHING } else { &things[..2.min(things.len())] };
        Self {
            things: most(things, anything),
            good: most(good, &good[..2.min(good.len())]),
            bad: most(bad, &bad[..2.min(bad.len())]),
        }
    }

    /// How often a template can be filled.
    pub fn times(template: &str) -> usize {
        if template.contains('{') { USED } else { 1 }
    }

    /// A template filled for the n-th time; templates begin with different words.
    pub fn fill(&self, template: &str, nth: usize, of: usize) -> String {
        let mut text = String::with_capacity(template.len() + 16);
        let mut rest = template;
        while let Some((before, after)) = rest.split_once('{') {
            let (slot, after) = after.split_once('}').unwrap_or((after, ""));
            text.push_str(before);
            let word = self.word(slot, nth, of);
            if text.ends_with(' ') && word.starts_with(['a', 'e', 'i', 'o', 'u']) && is_article(&text) {
                text.insert(text.len() - 1, 'n');
            }
            text.push_str(&word);
            rest = after;
        }
        text + rest
    }

    fn word(&self, slot: &str, nth: usize, of: usize) -> String {
        let at = |words: &[&'static str], place: usize| words[place % words.len()];
        let word = match slot.to_lowercase().as_str() {
            "thing" => at(&self.things, nth + of),
            "good" => at(&self.good, nth),
            "good2" => at(&self.good, nth + 1),
            "bad" => at(&self.bad, nth),
            "bad2" => at(&self.bad, nth + 1),
            _ => "",
        };
        if slot.starts_with(char::is_uppercase) { word.to_uppercase() } else { word.into() }
    }
}

/// Whether a text ends with the article "a".
fn is_article(text: &str) -> bool {
    let mut words = text.trim_end().rsplit(' ');
    words.next().is_some_and(|last| last.eq_ignore_ascii_case("a"))
}
