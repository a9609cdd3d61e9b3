//! Ranges (`p[1-48]`) and patterns (`kelp-*`).

use std::ops::Range;

use rustc_hash::FxHashSet;
use smol_str::{SmolStr, SmolStrBuilder};

use crate::diagnostic::MOST_NAME;

/// The most things that one range may make.
pub(crate) const MOST: usize = 1_000_000;

/// Why a text with ranges cannot be spread out; places are bytes of the text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum RangeFault {
    /// Not a range, or a character that names do not have.
    Malformed(Range<usize>, &'static str),
    /// More things than [`MOST`].
    TooLarge(Range<usize>),
    /// A name of more bytes than [`MOST_NAME`].
    TooLong(Range<usize>),
}

/// Whether a character may stand in a name.
fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_' | b'.' | b'/' | b':')
}

/// Whether a text is the name of one thing.
pub(crate) fn is_one_name(text: &str) -> bool {
    !text.is_empty() && text.len() <= MOST_NAME && text.bytes().all(is_name)
}

enum Piece<'a> {
    Text(&'a str),
    Choices(Vec<SmolStr>),
}

/// The names that a text stands for, the leftmost range slowest.
pub(crate) fn expand(text: &str) -> Result<Vec<SmolStr>, RangeFault> {
    if is_one_name(text) {
        return Ok(vec![SmolStr::new(text)]);
    }
    expand_with(text, is_name)
}

fn expand_with(text: &str, allowed: fn(u8) -> bool) -> Result<Vec<SmolStr>, RangeFault> {
    let pieces = pieces(text, allowed)?;
    let count = pieces.iter().try_fold(1_usize, |count, piece| match piece {
        Piece::Text(_) => Some(count),
        Piece::Choices(choices) => count.checked_mul(choices.len()).filter(|&count| count <= MOST),
    });
    let count = count.ok_or(RangeFault::TooLarge(0..text.len()))?;
    let longest = pieces.iter().map(|piece| match piece {
        Piece::Text(text) => text.len(),
        Piece::Choices(choices) => choices.iter().map(SmolStr::len).max().unwrap_or(0),
    });
    if longest.sum::<usize>() > MOST_NAME {
        return Err(RangeFault::TooLong(0..text.len()));
    }
    let mut names = Vec::with_capacity(count);
    let mut place = vec![0; pieces.len()];
    for _ in 0..count {
        let mut name = SmolStrBuilder::new();
        for (piece, &at) in pieces.iter().zip(&place) {
            name.push_str(match piece {
                Piece::Text(text) => text,
                Piece::Choices(choices) => &choices[at],
            });
        }
        names.push(name.finish());
        for (piece, at) in pieces.iter().zip(&mut place).rev() {
            if let Piece::Choices(choices) = piece {
                *at += 1;
                if *at < choices.len() {
                    break;
                }
                *at = 0;
            }
        }
    }
    Ok(names)
}

fn pieces(text: &str, allowed: fn(u8) -> bool) -> Result<Vec<Piece<'_>>, RangeFault> {
    let mut pieces = Vec::new();
    let mut at = 0;
    if text.is_empty() {
        return Err(RangeFault::Malformed(0..0, "a name"));
    }
    while at < text.len() {
        if text.as_bytes()[at] == b'[' {
            let Some(length) = text[at..].find(']') else {
                return Err(RangeFault::Malformed(at..text.len(), "a closing bracket"));
            };
            pieces.push(Piece::Choices(choices(text, at + 1..at + length)?));
            at += length + 1;
        } else {
            let rest = &text[at..];
            let length = rest.find('[').unwrap_or(rest.len());
            if let Some((place, character)) =
                rest[..length].char_indices().find(|(_, c)| !u8::try_from(*c).is_ok_and(allowed))
            {
                let place = at + place;
                return Err(RangeFault::Malformed(
                    place..place + character.len_utf8(),
                    "letters, digits, - _ . / : and ranges in brackets",
                ));
            }
            pieces.push(Piece::Text(&rest[..length]));
            at += length;
        }
    }
    Ok(pieces)
}

fn choices(text: &str, inside: Range<usize>) -> Result<Vec<SmolStr>, RangeFault> {
    let mut choices = Vec::new();
    let mut start = inside.start;
    for part in text[inside].split(',') {
        let place = start..start + part.len();
        start = place.end + 1;
        let malformed =
            || RangeFault::Malformed(place.clone(), "a range such as 1-48, 01-06, a-b or 1,3,5-7");
        let part = part.trim();
        let (low, high) = part.split_once('-').unwrap_or((part, part));
        match (low.as_bytes(), high.as_bytes()) {
            ([a], [b]) if a.is_ascii_lowercase() && b.is_ascii_lowercase() && a <= b => {
                choices
                    .extend((*a..=*b).map(|letter| SmolStr::new(char::from(letter).to_string())));
            }
            (a, b) if [a, b].iter().all(|n| !n.is_empty() && n.iter().all(u8::is_ascii_digit)) => {
                let too_large = || RangeFault::TooLarge(place.clone());
                let from: u64 = low.parse().map_err(|_| too_large())?;
                let to: u64 = high.parse().map_err(|_| too_large())?;
                if from > to {
                    return Err(malformed());
                }
                let room = (MOST - choices.len()) as u64;
                if to - from >= room {
                    return Err(too_large());
                }
                // A leading zero in the first number fixes the width: 01-12.
                let width = if low.starts_with('0') { low.len().min(20) } else { 0 };
                choices.extend((from..=to).map(|n| SmolStr::new(format!("{n:0width$}"))));
            }
            _ => return Err(malformed()),
        }
    }
    Ok(choices)
}

/// A pattern of names: ranges, and `*` for any run of characters.
#[derive(Clone, Debug)]
pub(crate) struct Pattern {
    globs: Vec<SmolStr>,
    /// Those without a `*`, where they are so many that looking through them for each name takes long.
    names: FxHashSet<SmolStr>,
}

/// The most names with a `*` that the ranges of one pattern may make: each is compared with each name.
const MOST_GLOBS: usize = 1000;

impl Pattern {
    pub(crate) fn parse(text: &str) -> Result<Self, RangeFault> {
        let globs = expand_with(text, |byte| is_name(byte) || byte == b'*')?;
        let mut names = FxHashSet::default();
        if text.contains('*') {
            if globs.len() > MOST_GLOBS {
                return Err(RangeFault::TooLarge(0..text.len()));
            }
        } else if globs.len() > 8 {
            names.extend(globs.iter().cloned());
        }
        Ok(Self { globs, names })
    }

    /// The single names and globs that the pattern's ranges make.
    pub(crate) fn globs(&self) -> &[SmolStr] {
        &self.globs
    }

    pub(crate) fn matches(&self, name: &str) -> bool {
        match self.names.is_empty() {
            true => self.globs.iter().any(|glob| glob_matches(glob, name)),
            false => self.names.contains(name),
        }
    }
}

/// Whether `glob`, in which `*` is any run of characters, is `name`. Linear but for backtracking
/// to the last `*`.
pub(crate) fn glob_matches(glob: &str, name: &str) -> bool {
    let (glob, name) = (glob.as_bytes(), name.as_bytes());
    let (mut g, mut n) = (0, 0);
    let mut retry: Option<(usize, usize)> = None;
    while n < name.len() {
        if g < glob.len() && glob[g] == b'*' {
            retry = Some((g, n));
            g += 1;
        } else if g < glob.len() && glob[g] == name[n] {
            g += 1;
            n += 1;
        } else if let Some((star, from)) = retry {
            retry = Some((star, from + 1));
            g = star + 1;
            n = from + 1;
        } else {
            return false;
        }
    }
    glob[g..].iter().all(|&byte| byte == b'*')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_spread_with_the_leftmost_slowest() {
        for (text, names) in [
            ("p1", "p1"),
            ("p[9-11]", "p9 p10 p11"),
            ("hull-[08-10]", "hull-08 hull-09 hull-10"),
            ("kelp-[a-b]", "kelp-a kelp-b"),
            ("[1,3,5-6]", "1 3 5 6"),
            ("c[1-2]/p[1-2]", "c1/p1 c1/p2 c2/p1 c2/p2"),
        ] {
            assert_eq!(expand(text).unwrap().join(" "), names, "{text}");
        }
    }

    #[test]
    fn what_is_no_range_is_refused_with_its_place() {
        for (text, at) in [
            ("", 0..0),
            ("p[1-48", 1..6),
            ("p[48-1]", 2..6),
            ("p[]", 2..2),
            ("p[1-a]", 2..5),
            ("p[1-2-3]", 2..7),
            ("kelp a", 4..5),
            ("kelp-*", 5..6),
            ("kélp", 1..3),
        ] {
            match expand(text) {
                Err(RangeFault::Malformed(place, _)) => assert_eq!(place, at, "{text}"),
                other => panic!("{text}: {other:?}"),
            }
        }
    }

    #[test]
    fn absurd_ranges_are_refused_before_they_are_built() {
        for text in ["[1-1000001]", "[1-2000][1-2000]", "[1-99999999999999999999]", "[1-1000000,1]"]
        {
            assert!(matches!(expand(text), Err(RangeFault::TooLarge(_))), "{text}");
        }
        assert_eq!(expand("[1-1000000]").unwrap().len(), MOST);
    }

    #[test]
    fn patterns() {
        for (pattern, name, expected) in [
            ("kelp-*", "kelp-a", true),
            ("kelp-*", "kelp-", true),
            ("*", "anything", true),
            ("*-a", "reed-a", true),
            ("*-a", "reed-ab", false),
            ("k*p-[a-b]", "kelp-b", true),
            ("k*p-[a-b]", "kelp-c", false),
            ("kelp-a", "kelp-a1", false),
        ] {
            assert_eq!(
                Pattern::parse(pattern).unwrap().matches(name),
                expected,
                "{pattern} {name}"
            );
        }
    }
}
