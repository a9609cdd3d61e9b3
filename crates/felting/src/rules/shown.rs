//! A walk that does not arrive, as findings tell of it.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use crate::behaviour::State;
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Terminal};
use crate::walk::{Hop, Lost, Walk};

/// The command that shows the walk that fails, as a shell takes it.
pub(super) fn command(state: &State, from: Terminal, to: Terminal, lost: &Lost) -> String {
    let fabric = state.fabric();
    let mut words = vec!["felting".to_owned(), "walk".to_owned()];
    words.push(fabric.terminal_word(from));
    words.push(fabric.terminal_word(to));
    words.extend(fabric.sources().iter().next().map(|(_, root)| root.name.clone()));
    words.push("--all".to_owned());
    let lost = (*lost != Lost::Nothing).then(|| lost.words(fabric));
    for cut in state.condition().cuts(fabric).into_iter().chain(lost) {
        words.extend(["--cut".to_owned(), cut]);
    }
    for moved in state.condition().moves(fabric) {
        words.extend(["--move".to_owned(), moved]);
    }
    // Names with a zero byte are none that a file has.
    shlex::try_join(words.iter().map(String::as_str)).unwrap_or_else(|_| words.join(" "))
}

/// The way of a walk in one line, and where it stops.
pub(super) fn way(fabric: &Fabric, walk: &Walk, why: &str) -> String {
    let line = |hops: Vec<&Hop>| {
        let names: Vec<_> = hops.into_iter().map(|hop| fabric.device_name(hop.device)).collect();
        in_line(&names)
    };
    match walk.root() {
        Some((hop, _)) => {
            format!(
                "{}: stops at {}: {}",
                line(walk.root_path().way_to(hop)),
                fabric.device_name(hop.device),
                why
            )
        }
        None => walk.there.arrival().map(|hop| line(walk.there.way_to(hop))).unwrap_or_default(),
    }
}

/// What clashes, each with the places of both ends, by the line that is behind it: the one that more of it has in
/// common, else that of `usual`. Told with each is which end that line is of.
pub(super) fn by_line<T>(clashes: Vec<(T, [Span; 2])>, usual: usize) -> Vec<(usize, Vec<T>)> {
    let mut on: FxHashMap<Span, usize> = FxHashMap::default();
    for (_, ends) in &clashes {
        *on.entry(ends[0]).or_default() += 1;
        *on.entry(ends[1]).or_default() += 1;
    }
    let mut found: BTreeMap<(Span, usize), Vec<T>> = BTreeMap::new();
    for (clash, ends) in clashes {
        let other = 1 - usual;
        let end = if on[&ends[other]] > on[&ends[usual]] { other } else { usual };
        found.entry((ends[end], end)).or_default().push(clash);
    }
    found.into_iter().map(|((_, end), all)| (end, all)).collect()
}

/// That there is more of what was said.
pub(super) fn and_more(count: usize) -> String {
    match count {
        0 => String::new(),
        1 => ", and one more like it".to_owned(),
        many => format!(", and {many} more like it"),
    }
}

/// So many of a way's devices are named where it comes back to one of them.
const OF_CIRCLE: usize = 8;

/// The devices on a way; of one that goes in a circle the first round.
fn in_line(names: &[&str]) -> String {
    let arrow = " \u{2192} ";
    let again = (1..names.len()).find(|&at| names[..at].contains(&names[at]));
    match again.filter(|_| names.len() > OF_CIRCLE) {
        Some(again) => format!("{}{arrow}\u{2026}", names[..=again.max(OF_CIRCLE)].join(arrow)),
        None => names.join(arrow),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_way_in_a_circle_is_shown_once_round() {
        let round = ["a", "b", "c", "b", "c", "b", "c", "b", "c", "b", "c"];
        assert_eq!(
            in_line(&round),
            "a \u{2192} b \u{2192} c \u{2192} b \u{2192} c \u{2192} b \u{2192} c \u{2192} b \u{2192} c \u{2192} \u{2026}"
        );
        assert_eq!(in_line(&["a", "b", "a"]), "a \u{2192} b \u{2192} a");
        let straight = ["a", "b", "c", "d", "e", "f", "g", "h", "i", "j"];
        assert!(!in_line(&straight).contains('\u{2026}'));
    }
}
