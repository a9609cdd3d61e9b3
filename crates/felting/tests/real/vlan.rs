//! VLANs beside what a kernel's bridges made of them: which kinds of frame pass which edge, and with which tag.
//!
//! Frames with no tag or one (802.1Q) are compared; a VLAN id of 0, two tags and 802.1ad are not modelled, nor
//! are ports that send several VLANs untagged or are kept apart, which is said of the labs that have them.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use felting::fabric::DeviceKind;
use felting::walk::{Options, Walker};
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::list;

/// The VLANs of a port; none if it has what the language can't say.
fn carried(words: &[Json]) -> Option<(Option<u16>, Vec<String>)> {
    let (mut untagged, mut tagged) = (None, Vec::new());
    for word in words {
        let word = word.as_str().unwrap();
        let digits = word.trim_end_matches(['p', 'u']);
        match &word[digits.len()..] {
            "" => tagged.push(digits.to_owned()),
            "pu" => untagged = Some(digits.parse().unwrap()),
            // What comes untagged is in this VLAN, and leaves tagged.
            "p" => {
                untagged = Some(digits.parse().unwrap());
                tagged.push(digits.to_owned());
            }
            _ => return None,
        }
    }
    Some((untagged, tagged))
}

const KINDS: &[(&str, Option<u16>)] = &[
    ("untagged", None),
    ("tag 10", Some(10)),
    ("tag 20", Some(20)),
    ("tag 30", Some(30)),
    ("tag 1", Some(1)),
];

/// The lab as a fabric file, with a machine for each kind of frame behind each edge.
fn fabric(input: &Json) -> Option<(String, Vec<String>)> {
    if input["isolated"].is_array() {
        return None;
    }
    let mut page = String::new();
    let mut edges = Vec::new();
    let mut runs = Vec::new();
    let inner: Vec<String> = list(&input["cables"])
        .iter()
        .flat_map(|cable| {
            let ends: Vec<String> =
                list(cable).iter().map(|end| end.as_str().unwrap().replace(':', " ")).collect();
            runs.push(format!("\"{} -- {}\"", ends[0], ends[1]));
            ends
        })
        .collect();
    for (name, bridge) in input["bridges"].as_object().unwrap() {
        if bridge["options"].as_str().is_some_and(|options| options.contains("802.1ad")) {
            return None;
        }
        let ports = bridge["ports"].as_object().unwrap();
        let names: Vec<String> = ports.keys().map(|port| format!("\"{port} 10G\"")).collect();
        let _ = writeln!(page, "[[switch]]\nname = \"{name}\"\nports = [{}]", names.join(", "));
        for (port, words) in ports {
            let (untagged, tagged) = carried(list(words))?;
            let _ = writeln!(page, "[[port]]\non = \"{name}\"\nports = \"{port}\"");
            if let Some(vlan) = untagged {
                let _ = writeln!(page, "untagged = {vlan}");
            }
            if !tagged.is_empty() {
                let _ = writeln!(page, "tagged = \"{}\"", tagged.join(","));
            }
            if inner.contains(&format!("{name} {port}")) {
                continue;
            }
            let edge = format!("{name}-{port}");
            runs.push(format!("\"{edge} nic -- {name} {port}\""));
            let _ = writeln!(page, "[[host]]\nname = \"{edge}\"\nnics = \"nic 10G\"");
            let networks = KINDS.iter().enumerate().map(|(place, (_, tag))| {
                let tag = tag.map(|tag| format!(", tag = {tag}")).unwrap_or_default();
                format!("{{ name = \"n{place}\"{tag} }}")
            });
            let networks: Vec<String> = networks.collect();
            let _ = writeln!(page, "networks = [{}]", networks.join(", "));
            for place in 0..KINDS.len() {
                let _ = writeln!(
                    page,
                    "[[endpoint]]\nname = \"{edge}-{place}\"\nhost = \"{edge}\"\nnetwork = \"n{place}\"\n\
                     address = \"10.0.{}.{}/16\"",
                    edges.len() + 1,
                    place + 1
                );
            }
            edges.push(edge);
        }
    }
    let _ = writeln!(page, "[cabling]\nruns = [{}]", runs.join(", "));
    Some((page, edges))
}

#[test]
fn every_frame_of_every_lab() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/real/vlan");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    let (mut left_out, mut asked) = (Vec::new(), 0);
    for file in files {
        let lab: Json = serde_json::from_str(&std::fs::read_to_string(&file).unwrap()).unwrap();
        let Some((text, edges)) = fabric(&lab["input"]) else {
            left_out.push(lab["about"].as_str().unwrap().to_owned());
            continue;
        };
        let made = Fabric::from_text("lab.toml", &text);
        let faults: Vec<_> = made.faults().iter().map(|fault| &fault.what.message).collect();
        assert!(faults.is_empty(), "{file:?}: {faults:?}\n{text}");
        let state = State::of(&made, &Condition::default(), &Progress::default());
        let mut walker = Walker::new(&state);
        for frame in list(&lab["frames"]) {
            let kind = KINDS.iter().position(|(kind, _)| frame["frame"] == *kind);
            let Some(kind) = kind else { continue };
            let from = frame["in"].as_str().unwrap().replace(':', "-");
            let mut out: BTreeMap<String, Option<u16>> = BTreeMap::new();
            for to in edges.iter().filter(|&to| *to != from) {
                let ends = [format!("{from}-{kind}"), format!("{to}-0")];
                let ends = ends.map(|name| made.terminal(&name).unwrap());
                let walk = walker.walk(ends[0], ends[1], Options::BY_HASH).unwrap();
                // What was asked of everybody in the VLAN comes to the edge, whatever its machine makes of it.
                let asked = &walk.resolutions[0].request;
                let last = asked.hops.iter().flat_map(|hop| &hop.exits).find(|exit| {
                    let device = made.device(made.port(exit.into).device);
                    device.kind == DeviceKind::Host && device.name.value == *to
                });
                if let Some(exit) = last {
                    let tag = exit.headers.frame.tag.map(|tag| u16::try_from(tag.get()).unwrap());
                    out.insert(to.clone(), tag);
                }
            }
            let recorded: BTreeMap<String, Option<u16>> = frame["out"]
                .as_object()
                .unwrap()
                .iter()
                .map(|(edge, tags)| {
                    let tag = list(tags).first().map(|tag| tag.as_str().unwrap().parse().unwrap());
                    (edge.replace(':', "-"), tag)
                })
                .collect();
            assert_eq!(out, recorded, "{file:?}: {} into {from}\n{text}", frame["frame"]);
            asked += 1;
        }
    }
    assert!(asked > 150, "{asked}");
    insta::assert_snapshot!(left_out.join("\n"));
}
