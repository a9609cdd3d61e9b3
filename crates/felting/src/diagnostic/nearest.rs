//! How names are told in sentences, and which of those that are there was meant.

use std::cmp::Reverse;

/// The most bytes of a name.
pub(crate) const MOST_NAME: usize = 255;

/// The name that is most like the one found, if any is like it at all.
pub fn nearest<'a>(found: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // No name that is there is so long, and comparing costs the product of the lengths.
    if found.len() > MOST_NAME {
        return None;
    }
    // A third of the letters may be off, one letter in short words.
    let most = (found.chars().count() / 3).max(1);
    let alike = |name: &str| found.chars().zip(name.chars()).take_while(|(a, b)| a == b).count();
    names
        .into_iter()
        .filter(|name| name.len().abs_diff(found.len()) <= 4 * most)
        .map(|name| (strsim::damerau_levenshtein(found, name), Reverse(alike(name)), name))
        .filter(|&(distance, ..)| distance <= most)
        .min()
        .map(|(_, _, name)| name)
}

/// Names in a sentence: all of a few, or the first of many and how many more.
pub fn some_of(names: &[&str]) -> String {
    match names {
        [all @ .., last] if !all.is_empty() && all.len() < 4 => {
            format!("{} and {last}", all.join(", "))
        }
        [one] => (*one).to_owned(),
        [a, b, c, more @ ..] => format!("{a}, {b}, {c} and {} more", more.len()),
        _ => String::new(),
    }
}
