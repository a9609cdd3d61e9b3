//! Input faults: what is said, where, and that one fault hides no other.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::fmt::Write as _;

use felting::source::{Files as _, Memory};
use felting::{Condition, Fabric, Progress, State, build, rules};
use proptest::prelude::*;

/// Every fault as a line: place, id, message; what was expected; what to do.
fn faults(fabric: &Fabric) -> String {
    let mut page = String::new();
    for fault in fabric.faults() {
        let place = fabric.sources().location(fault.at());
        let _ = writeln!(page, "{place} {}: {}", fault.kind.id(), fault.what.message);
        let _ = writeln!(page, "    {} | {}", fault.what.primary.text, fault.what.remedy);
        for felting::diagnostic::Label { span, text } in &fault.what.related {
            let _ = writeln!(page, "    {}: {text}", fabric.sources().location(*span));
        }
    }
    page
}

/// Two leaves to break things at.
const LEAVES: &str = "[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 25G\"\n";

/// What is wrong, and the text after [`LEAVES`] that is wrong so.
const CASES: &[(&str, &str)] = &[
    ("broken TOML", "[[switch]\nname = \"kelp-a\"\n"),
    ("an unknown key, with the nearest", "[[switch]]\nname = \"kelp-a\"\nnubmer = 1\n"),
    ("an unknown table", "[[swicth]]\nname = \"kelp-a\"\n"),
    ("a missing key", "[[lag]]\non = \"kelp-a\"\nports = \"p1\"\n"),
    (
        "a wrong type",
        "[[switch]]\nname = 7\nnumber = \"one\"\n[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\nmin_members = true\n",
    ),
    (
        "a name twice",
        "[[switch]]\nname = \"dune-a\"\n[[switch]]\nname = \"dune-[a-b]\"\n[[host]]\nname = \"dune-b\"\n",
    ),
    (
        "a LAG twice",
        "[[lag]]\non = \"kelp-*\"\nname = \"x\"\nports = \"p1\"\n[[lag]]\non = \"kelp-b\"\nname = \"x\"\nports = \"p2\"\n",
    ),
    (
        "a port twice in a LAG",
        "[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = [\"p1\", \"p[1-2]\"]\n",
    ),
    (
        "references to nothing",
        "[cabling]\nruns = [\"kelp-c p1 -- kelp-a p9\"]\n[[lag]]\non = \"klep-a\"\nname = \"x\"\nports = \"p1\"\n[[segment]]\nname = \"s\"\nvrf = \"tides\"\non = \"kelp-a\"\n",
    ),
    ("a pattern that matches nothing", "[[segment]]\nname = \"s\"\non = \"reed-*\"\n"),
    (
        "a hardware that is not there",
        "[[hardware]]\nname = \"tern-48\"\n[[switch]]\nname = \"dune-a\"\nhardware = \"tern-84\"\n",
    ),
    (
        "a range of over a million",
        "[[switch]]\nname = \"dune-[1-2000000]\"\n[[host]]\nname = \"h[1-9999]\"\nnics = \"n[1-9999] 1G\"\n",
    ),
    ("a range that is none", "[[switch]]\nname = \"dune-[9-1]\"\n[[switch]]\nname = \"reed a\"\n"),
    (
        "cable runs of unequal length",
        "[cabling]\nruns = [\"kelp-a p[1-3] -- kelp-b p[1-2]\", \"kelp-a p1\"]\n",
    ),
    (
        "values outside their type",
        "[[segment]]\nname = \"s\"\nvlan = 4095\nvni = 0\non = \"kelp-a\"\n[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\ntagged = \"310-5000\"\nprotocol = \"lcap\"\nmtu = 9\n",
    ),
    (
        "an address with host bits",
        "[[segment]]\nname = \"s\"\nsubnet = [\"10.80.31.1/24\", \"2001:db8::1/64\", \"10.80.31.0\"]\ngateway = \"10.80.31.1/24\"\n",
    ),
    (
        "an AS number of 0 and one too large",
        "[[router]]\non = \"kelp-a\"\nas_number = 0\n[[router]]\non = \"kelp-b\"\nas_number = 4294967296\n",
    ),
    (
        "route targets and distinguishers that are none",
        "[[segment]]\nname = \"s\"\non = \"kelp-*\"\ntargets = [\"42041\", \"0:1\", \"70000:70000\"]\nrd = \"10.64.8.11\"\n[[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:vni\"\n",
    ),
    (
        "addresses that are none",
        "[[pool]]\nname = \"p\"\ngives = \"loopbacks\"\nprefix = \"10.64.8.0/33\"\n[[router]]\non = \"kelp-a\"\nloopback = \"10.64.8.256\"\nrouter_id = \"::1\"\n",
    ),
    (
        "sessions to nobody",
        "[[session]]\non = \"kelp-a\"\nto = \"crest-9\"\n[[session]]\non = \"kelp-a\"\nto = \"kelp-b\"\npeer_address = \"10.64.8.99\"\n",
    ),
    (
        "a pool without anything to give",
        "[[pool]]\nname = \"p\"\ngives = \"vteps\"\n[[pool]]\nname = \"q\"\ngives = \"as-numbers\"\n[[pool]]\nname = \"r\"\ngives = \"labels\"\n",
    ),
    (
        "interfaces on nothing",
        "[[interface]]\non = \"kelp-a\"\n[[interface]]\non = \"kelp-a\"\nport = \"p9\"\n[[interface]]\non = \"kelp-b\"\nport = \"p1\"\nvlan = 480\n",
    ),
    (
        "routing words and times that are none",
        "[[underlay]]\non = \"kelp-*\"\nprotocol = \"opsf\"\narea = \"hall\"\nhello = \"10\"\nlevel = 3\nadvertise = \"all\"\n",
    ),
    (
        "policies, VRFs and segments that are not there",
        "[[underlay]]\non = \"kelp-*\"\nprotocol = \"bgp\"\nimport = \"evrything\"\n[[leak]]\nfrom = \"tides\"\nto = \"harbour\"\n[[vrf]]\nname = \"tides\"\n[[leak]]\nfrom = \"tides\"\nto = \"tides\"\n[[evi]]\nname = \"e\"\nsegments = \"s\"\n[cabling]\nruns = \"kelp-a p1 -- kelp-b p1\"\n",
    ),
    (
        "a WAN and a static route to nowhere",
        "[[wan]]\nname = \"fibre\"\nends = \"kelp-a p1\"\n[[wan]]\nname = \"radio\"\nends = [\"kelp-a\", \"kelp-b p1\"]\n[[route]]\non = \"kelp-a\"\nto = \"10.0.0.0/8\"\nvia = \"satellite\"\n",
    ),
    (
        "endpoints without a network",
        "[[host]]\nname = \"hull-1\"\nnics = \"nic1 25G\"\n[[endpoint]]\nname = \"web-1\"\nhost = \"hull-1\"\n[[endpoint]]\nname = \"web-2\"\nhost = \"hull-2\"\n",
    ),
    ("two settings for one switch", "[[overlay]]\non = \"kelp-*\"\n[[overlay]]\non = \"kelp-b\"\n"),
    (
        "a LAG of no ports",
        "[[lag]]\non = \"kelp-a\"\nname = \"x\"\n[[lag]]\non = \"kelp-b\"\nname = \"y\"\nports = []\n",
    ),
    (
        "a pair of three, and of one",
        "[[switch]]\nname = \"kelp-c\"\n[[pair]]\nname = \"kelp\"\ndomain = 1\non = \"kelp-*\"\n[[pair]]\nname = \"half\"\ndomain = 2\non = \"kelp-a\"\n",
    ),
    (
        "a pair without a domain, a group in no pair",
        "[[pair]]\nname = \"kelp\"\non = \"kelp-*\"\n[[switch]]\nname = \"dune-a\"\nports = \"p1 1G\"\n[[lag]]\non = \"dune-a\"\nname = \"x\"\nports = \"p1\"\ngroup = 5\n",
    ),
    ("a group in no pair", "[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\ngroup = 5\n"),
    (
        "deviations that clash or match nothing",
        "[[lag]]\non = \"kelp-*\"\nname = \"x\"\nports = \"p1\"\ndiffers = [{ on = \"kelp-a\", mtu = 1500 }, { on = \"*-a\", mtu = 9000 }, { on = \"reed-a\", mtu = 1500 }]\n",
    ),
    (
        "an identity that differs, an unknown key taken out",
        "[[lag]]\non = \"kelp-*\"\nname = \"x\"\nports = \"p1\"\nwithout = \"taged\"\ndiffers = [{ on = \"kelp-a\", name = \"y\" }]\n",
    ),
    (
        "an uplink that nobody named",
        "[[host]]\nname = \"hull-01\"\nnics = \"nic[1-2] 25G\"\nnetworks = [{ name = \"web\", tag = 310 }, { name = \"db\", tag = 311, tags = \"312\", uplink = \"nic3\" }]\n",
    ),
    (
        "a stack: a member that does not exist, no members, no switch, an id of zero",
        "[[switch]]\nname = \"jetty\"\nports = \"p[1-4] 1G\"\n[[stack]]\nswitch = \"jetty\"\nmembers = [{ id = 1 }, { id = 2 }]\n[[lag]]\non = \"jetty\"\nname = \"x\"\nports = [\"1/p1\", \"7/p1\"]\n[[stack]]\nswitch = \"kelp-a\"\nmembers = []\n[[stack]]\nswitch = \"jety\"\nmembers = { id = 1 }\n[[stack]]\nswitch = \"kelp-b\"\nmembers = { id = 0 }\n",
    ),
    (
        "an ESI of nine bytes, and one with a discriminator too large",
        "[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\nethernet_segment = \"00:11:22:33:44:55:66:77:88\"\n[[lag]]\non = \"kelp-a\"\nname = \"y\"\nports = \"p2\"\nethernet_segment = \"02:46:00:00:00:0f/16777216\"\n",
    ),
    (
        "priorities between the steps, a tree twice, an instance twice",
        "[[tree]]\non = \"kelp-*\"\npriority = 4097\ninstances = [{ id = 1, vlans = 10 }, { id = 2, vlans = \"10-11\" }]\n[[tree]]\non = \"kelp-b\"\n[[port]]\non = \"kelp-a\"\nports = \"p1\"\ntree_priority = 100\ntree_cost = 0\n",
    ),
    (
        "a shared medium of nothing, of a port that has a cable, of a port twice",
        "[cabling]\nruns = \"kelp-a p1 -- kelp-b p1\"\n[[repeater]]\nname = \"hub\"\nports = [\"kelp-a\", \"kelp-a p1\", \"kelp-[a-b] p2\", \"kelp-b p2\"]\n",
    ),
    (
        "a keepalive of one address, a data link that is not there",
        "[[pair]]\nname = \"kelp\"\ndomain = 1\non = \"kelp-*\"\nkeepalive = { from = \"192.0.2.11\" }\ndata_link = \"dta\"\n",
    ),
    (
        "unknown rules",
        "[severities]\nlag-vlan-clsh = \"off\"\nlag-vlan-clash = \"loud\"\n[[accept]]\nrule = \"lag-one-side\"\nreason = \"x\"\nuntil = \"tomorrow\"\n",
    ),
    (
        "ports that cannot be",
        "[[switch]]\nname = \"dune-a\"\nports = [\"p[1-4]\", \"p5 25X\", \"p6 9x25G\", \"p7 1G\", \"p7 1G\"]\n",
    ),
];

#[test]
fn each_fault_is_named_placed_and_explained() {
    let mut page = String::new();
    for (name, text) in CASES {
        let fabric = Fabric::from_text("f.toml", &format!("{LEAVES}{text}"));
        let _ = writeln!(page, "-- {name}\n{}", faults(&fabric));
    }
    insta::assert_snapshot!(page);
}

#[test]
fn faults_of_files_are_placed_where_they_were_asked_for() {
    let mut files = Memory::from([
        (
            "fabric.toml",
            "[fabric]\nname = \"f\"\ninclude = [\"a.toml\", \"gone.toml\", \"../out.toml\", \"empty.toml\", \"hosts\", \"none/*.toml\", \"latin.toml\"]\n[cabling]\ncsv = [\"cables.csv\", \"odd.csv\", \"void.csv\"]\n",
        ),
        (
            "a.toml",
            "[fabric]\nname = \"again\"\ninclude = \"fabric.toml\"\n[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 25G\"\n",
        ),
        ("empty.toml", "# nothing\n"),
        ("hosts/one.toml", "[[host]]\nname = \"hull-01\"\n"),
        ("cables.csv", "near,near_port,far,medium\nkelp-a,p1,kelp-b,twinax\n"),
        (
            "odd.csv",
            "near,near_port,far,far_port,lenght,medium\nkelp-a,p1,kelp-b,p1,3m,string\n\"kelp-a\", p9 ,kelp-b,p2,,\n,p2,kelp-b,p3\n",
        ),
        ("void.csv", "\n"),
    ]);
    files.insert("latin.toml", [b"[[host]]\nname = \"hull-", &[0xe9][..], b"\"\n"].concat());
    insta::assert_snapshot!(faults(&Fabric::from_files(&files, "fabric.toml")));
    insta::assert_snapshot!("no_file", faults(&Fabric::from_files(&files, "missing.toml")));
    insta::assert_snapshot!("a_folder", faults(&Fabric::from_files(&files, "hosts")));
    assert!(files.read("fabric.toml").is_ok());
}

#[test]
fn includes_do_not_leave_the_folder_through_a_link() {
    let folder = tempfile::tempdir().unwrap();
    let inside = folder.path().join("inside");
    std::fs::create_dir(&inside).unwrap();
    std::fs::write(folder.path().join("secret.toml"), "[[switch]]\nname = \"kelp-a\"\n").unwrap();
    std::fs::write(inside.join("fabric.toml"), "fabric.include = \"link.toml\"\n").unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink("../secret.toml", inside.join("link.toml")).unwrap();
    let fabric = Fabric::from_path(inside.join("fabric.toml"));
    let ids: Vec<_> = fabric.faults().iter().map(|fault| fault.kind.id()).collect();
    assert_eq!(ids, ["input-include-outside"]);
    assert_eq!(fabric.devices().count(), 0);
}

#[test]
fn a_broken_line_hides_neither_the_others_nor_the_findings() {
    let text = rules::find("lag-protocol-clash").unwrap().broken;
    let fabric =
        Fabric::from_text("f.toml", &format!("{text}\n[[host]]\nnam = \"x\"\n[[vrf]]\nname = 3\n"));
    assert_eq!(fabric.faults().len(), 3, "{}", faults(&fabric));
    let ids: Vec<_> = fabric.check().findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(ids, ["lag-protocol-clash"]);
}

#[test]
fn a_fault_of_a_built_fabric_shows_what_was_built() {
    let fabric = build::Builder::new("f").switch(build::switch().name("kelp a")).fabric();
    assert_eq!(fabric.sources().text(fabric.faults()[0].at()), " ");
}

/// The demo files, one after the other.
fn demo() -> Vec<(String, String)> {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/");
    let disk = felting::source::Disk::new(root);
    let mut paths = disk.list("").unwrap();
    paths.sort();
    let text = |path: &String| String::from_utf8(disk.read(path).unwrap()).unwrap();
    paths.iter().map(|path| (path.clone(), text(path))).collect()
}

proptest! {
    // Each is a check of a whole demo; `fuzz/` does the same by the thousand.
    #![proptest_config(ProptestConfig::with_cases(80))]

    /// Whatever is done to the demo files, reading and checking them ends in findings.
    #[test]
    fn mutilated_demo_files_never_panic(
        which in any::<prop::sample::Index>(),
        edits in prop::collection::vec(
            (any::<prop::sample::Index>(), 0usize..12, prop::sample::select(vec![
                "", "\"", "[", "]", "[[", "{", "}", "=", "\n", "*", "[1-9]", "[1-99999999]", ",", "-", " -- ",
                "kelp-a", "p1", "reed-[a-b]", "0", "4095", "true", "è", "\u{feff}", "group = 101\n", "differs = 1\n",
                "[[lag]]\n", "on = \"*\"\n", "\\", "'''", "#",
            ])),
            1..6,
        ),
    ) {
        let files = demo();
        let chosen = which.index(files.len());
        let mut memory = Memory::default();
        for (index, (path, text)) in files.iter().enumerate() {
            let mut text = text.clone();
            if index == chosen {
                for (at, length, insert) in &edits {
                    let start = floor(&text, at.index(text.len().max(1)));
                    let end = floor(&text, (start + length).min(text.len()));
                    text.replace_range(start..end.max(start), insert);
                }
            }
            memory.insert(path.clone(), text);
        }
        let name = files[chosen].0.split('/').next().unwrap().to_owned();
        let fabric = Fabric::from_files(&memory, &format!("{name}/fabric.toml"));
        let report = State::of(&fabric, &Condition::default(), &Progress::default()).check(Some(jiff::civil::date(2026, 11, 24)), &Progress::default());
        for fault in fabric.faults() {
            prop_assert!(!fault.what.message.is_empty() && !fault.what.remedy.is_empty());
            let _ = fabric.sources().location(fault.at());
        }
        for finding in &report.findings {
            prop_assert!(!finding.wire.is_empty() && !finding.what.remedy.is_empty());
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Lines of two rules' examples, some left out, some twice, some moved: fabrics that hang together
    /// just enough to compile, also with a pair's peer link or a stack's member down.
    #[test]
    fn mixed_up_examples_never_panic(
        (one, other) in (any::<prop::sample::Index>(), any::<prop::sample::Index>()),
        edits in prop::collection::vec((any::<prop::sample::Index>(), 0usize..4), 0..5),
    ) {
        let examples: Vec<_> = rules::all().map(|rule| rule.broken).collect();
        let (one, other) = (one.get(&examples), other.get(&examples));
        let mut lines: Vec<&str> = one.lines().chain(other.lines()).collect();
        for (at, edit) in &edits {
            let at = at.index(lines.len());
            match edit {
                // One line stays, so that there is something to go on with.
                0 if lines.len() > 1 => _ = lines.remove(at),
                1 => lines.insert(at, lines[at]),
                2 => lines.swap(at, 0),
                _ => lines.truncate(at.max(1)),
            }
        }
        let fabric = Fabric::from_text("mixed.toml", &lines.join("\n"));
        let _ = fabric.check();
        for (pair, _) in fabric.pairs() {
            let down = Condition::default().peer_link(&fabric, pair);
            let _ = State::of(&fabric, &down.clone().keepalive(pair), &Progress::default());
            let _ = State::of(&fabric, &down, &Progress::default());
        }
        for (stack, of) in fabric.stacks() {
            for place in 0..of.members.len() {
                let _ = State::of(&fabric, &Condition::default().stack_member(stack, place), &Progress::default());
            }
        }
    }
}

fn floor(text: &str, mut at: usize) -> usize {
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

/// What a fault has left out is not told as missing again: findings about what its statement names wait for it, and
/// those about others don't.
#[test]
fn what_may_follow_from_a_fault_is_held_back_and_counted() {
    let host = |name: &str| {
        format!(
            "[[host]]\nname = \"{name}\"\nnics = \"nic[1-2] 25G\"\nbond = {{ name = \"bond0\", nics = \"nic[1-2]\" }}\n"
        )
    };
    let lag = "[[lag]]\non = \"kelp-a\"\nname = \"hull-1\"\nports = \"p[1-2]\"\n";
    let rest = format!(
        "{}{}[[switch]]\nname = \"reed-a\"\nports = \"p[1-4] 25G\"\n[cabling]\nruns = [\n  \
         \"hull-1 nic[1-2] -- kelp-a p[1-2]\",\n  \"silo-2 nic[1-2] -- reed-a p[1-2]\",\n]\n",
        host("hull-1"),
        host("silo-2"),
    );
    let rows = [
        ("read whole", lag.to_owned(), &["silo-2 bonds"][..], 0),
        ("a LAG of no name", lag.replace("hull-1", "hull-[1-2]"), &["silo-2 bonds"], 1),
        ("no port of it", lag.replace("p[1-2]", "q[1-2]"), &["silo-2 bonds"], 2),
        (
            "an include that is not there",
            format!("{lag}[fabric]\ninclude = \"none.toml\"\n"),
            &[],
            1,
        ),
    ];
    for (why, lag, told, held) in rows {
        let fabric = Fabric::from_text("f.toml", &format!("{LEAVES}{lag}{rest}"));
        let report = fabric.check();
        let found: Vec<&str> =
            report.findings.iter().map(|finding| finding.what.message.as_str()).collect();
        let as_told = found.len() == told.len()
            && found.iter().zip(told).all(|(found, told)| found.starts_with(told));
        assert!(as_told && report.held_back == held, "{why}: {found:?}, {}", report.held_back);
    }
}
