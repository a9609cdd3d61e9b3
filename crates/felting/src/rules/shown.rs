//! A walk that does not arrive, as findings tell of it.

use crate::behaviour::State;
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
        names.join(" \u{2192} ")
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
