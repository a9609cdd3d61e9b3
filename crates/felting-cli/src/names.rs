//! The names that a shell completes: those of the fabric that the command line is about.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use clap_complete::CompletionCandidate;
use felting::{Fabric, rules};

/// So many candidates are offered at most: nobody reads more.
const MOST: usize = 500;

/// The fabric that the words typed so far name, else that of the working folder.
fn fabric() -> Fabric {
    let named = std::env::args_os().skip(1).map(PathBuf::from).find(|word| {
        let is_file = word.extension().is_some_and(|extension| extension == "toml");
        (is_file && word.is_file()) || word.join("fabric.toml").is_file()
    });
    Fabric::from_path(named.as_deref().unwrap_or(Path::new("fabric.toml")))
}

fn fitting<'n>(
    typed: &OsStr,
    names: impl IntoIterator<Item = (&'n str, &'static str)>,
) -> Vec<CompletionCandidate> {
    let typed = typed.to_string_lossy();
    let fits = names.into_iter().filter(|(name, _)| name.starts_with(&*typed));
    fits.take(MOST)
        .map(|(name, about)| {
            let help = (!about.is_empty()).then(|| about.into());
            CompletionCandidate::new(name).help(help)
        })
        .collect()
}

/// Rules and their families.
pub(crate) fn rules(typed: &OsStr) -> Vec<CompletionCandidate> {
    let mut families: Vec<&str> = rules::all().map(felting::Rule::family).collect();
    families.dedup();
    let families = families.into_iter().map(|family| (family, "a family of rules"));
    fitting(typed, families.chain(rules::all().map(|rule| (rule.id, rule.summary))))
}

/// What can be asked about: switches, hosts, pairs, segments, VRFs, sites.
pub(crate) fn parts(typed: &OsStr) -> Vec<CompletionCandidate> {
    let fabric = fabric();
    fitting(typed, fabric.parts())
}

/// What can be cut.
pub(crate) fn things(typed: &OsStr) -> Vec<CompletionCandidate> {
    let fabric = fabric();
    let mut things: Vec<String> = fabric.devices().map(|(_, one)| one.name.to_string()).collect();
    for (_, pair) in fabric.pairs() {
        things.push(format!("peer link of {}", pair.name.value));
        things.push(format!("keepalive of {}", pair.name.value));
    }
    for (id, stack) in fabric.stacks() {
        things.extend((0..stack.members.len()).map(|place| fabric.member_words(id, place)));
    }
    things.extend(fabric.cables().map(|(id, _)| fabric.cable_words(id)));
    let wires = fabric.pseudowires().filter(|(id, end)| end.twin.is_none_or(|twin| *id < twin));
    things.extend(wires.map(|(_, end)| format!("pseudowire {}", end.name.value)));
    fitting(typed, things.iter().map(|thing| (thing.as_str(), "")))
}

/// The endpoints.
pub(crate) fn endpoints(typed: &OsStr) -> Vec<CompletionCandidate> {
    let fabric = fabric();
    fitting(typed, fabric.endpoints().map(|(_, one)| (one.name.as_str(), "")))
}

/// What a packet can go between.
pub(crate) fn terminals(typed: &OsStr) -> Vec<CompletionCandidate> {
    let fabric = fabric();
    let endpoints = fabric.endpoints().map(|(_, one)| (one.name.as_str(), ""));
    let outside = fabric.outsides().map(|(_, one)| (one.name.as_str(), "a network outside"));
    fitting(typed, endpoints.chain(outside))
}

/// All names.
pub(crate) fn all(typed: &OsStr) -> Vec<CompletionCandidate> {
    let mut all = parts(typed);
    all.extend(terminals(typed));
    all
}
