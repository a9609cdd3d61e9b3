//! What is expected, judged by trying only what a walk depends on, against trying every loss.

use felting::fabric::Terminal;
use std::fmt::Write as _;
use std::path::Path;

use felting::scaffold::Scaffold;
use felting::source::{Disk, Files, Memory};
use felting::walk::{Options, Walker, judge};
use felting::{Condition, Fabric, Progress, State};

use crate::{demo, endpoints, read, single_losses};

/// The pairs of ends of a fabric's text that some single loss separates, as judged and as tried.
pub(crate) fn compare(made: &dyn Fn(&str) -> Fabric, pairs: &[(String, String)]) {
    let bare = made("[fabric]");
    let mut tried: Vec<bool> = vec![false; pairs.len()];
    let ends = |fabric: &Fabric, (from, to): &(String, String)| {
        (fabric.terminal(from).unwrap(), fabric.terminal(to).unwrap())
    };
    let losses = std::iter::once(None).chain(single_losses(&bare).into_iter().map(Some));
    for loss in losses {
        let condition = Condition::default();
        let condition = match &loss {
            Some(loss) => condition.cut(&bare, loss).unwrap(),
            None => condition,
        };
        let state = State::of(&bare, &condition, &Progress::default());
        let mut walker = Walker::new(&state);
        for (pair, fails) in pairs.iter().zip(&mut tried) {
            let (from, to) = ends(&bare, pair);
            *fails |= !walker.walk(from, to, Options::ALL).unwrap().arrives();
        }
    }
    let mut expected = String::new();
    for (from, to) in pairs {
        let _ = writeln!(
            expected,
            "[[expect]]\nfrom = \"{from}\"\nto = \"{to}\"\ndespite = \"any-cable-or-switch\""
        );
    }
    let fabric = made(&expected);
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let failures = judge(&state, &Progress::default());
    let own = fabric.expectations().len() - pairs.len();
    for (at, ((id, _), fails)) in fabric.expectations().skip(own).zip(&tried).enumerate() {
        let judged = failures.iter().find(|failure| failure.expectation == id);
        assert_eq!(judged.is_some(), *fails, "{:?}: {judged:?}", pairs[at]);
    }
}

/// The files of a demo fabric, and more on top of them.
pub(crate) fn with(files: &Memory, more: &str) -> Fabric {
    let mut overlay = Memory::default();
    overlay.insert("more.toml", more);
    let layers: [(&dyn Files, &str); 2] = [(files, "fabric.toml"), (&overlay, "more.toml")];
    let fabric =
        felting::Statements::read(&layers, &Progress::default()).compile(&Progress::default());
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    fabric
}

pub(crate) fn demo_files(name: &str) -> Memory {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
    let disk = Disk::new(&root);
    let mut files = Memory::default();
    for path in disk.list("").unwrap() {
        files.insert(path.as_str(), String::from_utf8(disk.read(&path).unwrap()).unwrap());
    }
    files
}

/// Machines on all hosts of a first fabric, in two segments of one tenant and one of another.
pub(crate) fn peopled(plan: &Scaffold) -> (String, Vec<(String, String)>) {
    let text = plan.to_toml().unwrap();
    let mut text = text
        .split(
            "\n# ---------------------------------------------------------------- what must hold",
        )
        .next()
        .unwrap()
        .to_owned();
    for host in 1..=plan.hosts {
        let net = 1 + (host - 1) % plan.segments;
        let _ = write!(
            text,
            "\n[[endpoint]]\nname = \"m-{host}\"\nhost = \"host-{host:03}\"\ntag = {}\n\
             address = \"10.64.{net}.{}/24\"\ngateway = \"10.64.{net}.1\"\n",
            100 + net,
            10 + host
        );
    }
    let names = (1..=plan.hosts).flat_map(|a| (1..=plan.hosts).map(move |b| (a, b)));
    let pairs = names.filter(|(a, b)| a != b).map(|(a, b)| (format!("m-{a}"), format!("m-{b}")));
    (text, pairs.collect())
}

#[test]
fn what_is_judged_is_what_trying_every_loss_finds() {
    let plans = [
        Scaffold { pairs: 2, hosts: 4, tenants: 2, segments: 3, ..Scaffold::default() },
        Scaffold { spines: 1, pairs: 2, hosts: 2, segments: 1, ..Scaffold::default() },
        Scaffold { pairs: 0, leaves: 3, hosts: 3, segments: 2, ..Scaffold::default() },
        Scaffold {
            pods: 2,
            super_spines: 2,
            pairs: 1,
            hosts: 2,
            segments: 2,
            ..Scaffold::default()
        },
    ];
    for plan in plans {
        let (text, pairs) = peopled(&plan);
        compare(&|more| read(&format!("{text}{}", more.replace("[fabric]", ""))), &pairs);
    }
}

/// What to replace by what in a first fabric, so that something no longer reaches, or only just.
pub(crate) const FAULTS: &[(&str, &str)] = &[
    // A VTEP whose routes only one reflector passes on, a half that lacks a VLAN, a peer link without one,
    // a bond that needs both NICs, a VTEP that exports nothing that others import, no escape.
    ("name = \"spine-[1-2]\"", "name = \"spine-[1-2]\"\nsystem_priority = 7"),
    ("client = true", "client = true\ndiffers = [{ on = \"spine-2\", communities = false }]"),
    (
        "tagged = \"101-102\"",
        "tagged = \"101-102\"\ndiffers = [{ on = \"leaf-01b\", tagged = 101 }]",
    ),
    ("tagged = \"101-102,", "tagged = \"101,"),
    ("nics = \"nic[1-2]\" }", "nics = \"nic[1-2]\", min_members = 2 }"),
    (
        "name = \"net-101\"",
        "name = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", export_targets = \"65000:1\" }]",
    ),
    ("unnumbered = true\ncost = 100", "unnumbered = true\ncost = 1"),
    (
        "name = \"tenant-1\"",
        "name = \"tenant-1\"\ndiffers = [{ on = \"leaf-02a\", export_targets = \"65000:1\" }]",
    ),
    ("name = \"tenant-1\"", "name = \"tenant-1\"\ndiffers = [{ on = \"leaf-02a\", vni = 50999 }]"),
    // Pairs that agree with themselves alone.
    (
        "target_pattern = \"65000:{vni}\"",
        "target_pattern = \"65000:{vni}\"\ndiffers = [{ on = \"leaf-02*\", target_pattern = \"65009:{vni}\" }]",
    ),
    ("name = \"net-101\"", "name = \"net-101\"\ndiffers = [{ on = \"leaf-02*\", vni = 20999 }]"),
];

#[test]
fn judged_with_faults_as_when_tried() {
    let plan = Scaffold { pairs: 3, hosts: 6, tenants: 1, segments: 2, ..Scaffold::default() };
    let (whole, pairs) = peopled(&plan);
    for (from, to) in FAULTS {
        assert!(whole.contains(from), "{from}");
        let text = whole.replacen(from, to, 1);
        compare(&|more| read(&format!("{text}{}", more.replace("[fabric]", ""))), &pairs);
    }
}

/// Room for packets, where a peer link or one half has less of it, judged as when every loss is tried.
#[test]
fn room_is_judged_as_when_tried() {
    const LEAST: u32 = 1600;
    let plan = Scaffold { pairs: 2, hosts: 4, segments: 2, ..Scaffold::default() };
    let (whole, pairs) = peopled(&plan);
    let small = |what: &str| format!("{what}mtu = 1500\n");
    let peer = "name = \"peer\"\nports = \"p[51-52]\"\n";
    let half = "name = \"host-001\"\ngroup = 1\nports = \"p1\"\n";
    let on_one = format!("{half}differs = [{{ on = \"leaf-01b\", mtu = 1500 }}]\n");
    for (from, to) in
        [(peer, peer.to_owned()), (peer, small(peer)), (half, small(half)), (half, on_one)]
    {
        assert!(whole.contains(from), "{from}");
        let text = whole.replacen(from, &to, 1);
        let bare = read(&text);
        let mut expected = String::new();
        for (from, to) in &pairs {
            let _ = writeln!(
                expected,
                "[[expect]]\nfrom = \"{from}\"\nto = \"{to}\"\nmtu = {LEAST}\ndespite = \"any-cable-or-switch\""
            );
        }
        let fabric = read(&format!("{text}{expected}"));
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let failures = judge(&state, &Progress::default());
        let mut fails = vec![false; pairs.len()];
        let none = std::iter::once(Condition::default());
        let losses = single_losses(&bare);
        let each = losses.iter().map(|loss| Condition::default().cut(&bare, loss).unwrap());
        for condition in none.chain(each) {
            let state = State::of(&bare, &condition, &Progress::default());
            let mut walker = Walker::new(&state);
            for ((from, to), fails) in pairs.iter().zip(&mut fails) {
                let ends = [from, to].map(|end| bare.terminal(end).unwrap());
                let walk = walker.walk(ends[0], ends[1], Options::ALL).unwrap();
                *fails |= !walk.arrives() || walk.mtu().is_some_and(|mtu| mtu < LEAST);
            }
        }
        for (at, ((id, _), fails)) in fabric.expectations().zip(fails).enumerate() {
            let judged = failures.iter().find(|failure| failure.expectation == id);
            assert_eq!(judged.is_some(), fails, "{to}: {:?}: {judged:?}", pairs[at]);
        }
    }
}

#[test]
fn the_demo_is_judged_as_when_tried() {
    let fabric = demo("saltmarsh");
    let ends: Vec<Terminal> = endpoints(&fabric).into_iter().step_by(2).collect();
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let mut walker = Walker::new(&state);
    let mut names: Vec<(String, String)> = Vec::new();
    for (at, &from) in ends.iter().enumerate() {
        for &to in ends.iter().skip(at + 1).step_by(2) {
            if walker.walk(from, to, Options::ALL).is_ok_and(|walk| walk.arrives()) {
                names.push((fabric.terminal_word(from), fabric.terminal_word(to)));
            }
        }
    }
    // Out over the border and back, and through access switches and a stack.
    for (from, to) in
        [("web-1", "campus"), ("campus", "imager-2"), ("lathe", "campus"), ("eye-1", "web-2")]
    {
        names.push((from.to_owned(), to.to_owned()));
    }
    assert!(names.len() > 8, "the demo has ends that reach each other");
    compare(&|more| with(&demo_files("saltmarsh"), more), &names);
    assert!(judge(&state, &Progress::default()).is_empty());
}

/// Two tenants of one VNI: what then arrives where it must not, and what goes in a circle, is laid to the one finding;
/// what arrives inside one tenant is not.
#[test]
fn what_arrives_and_must_not_is_laid_to_what_lets_it_through() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh");
    let disk = Disk::new(&folder);
    let found = |more: &str| {
        let mut overlay = Memory::default();
        overlay.insert("more.toml", more);
        let fabric = felting::Statements::read(
            &[(&disk, "fabric.toml"), (&overlay, "more.toml")],
            &Progress::default(),
        )
        .compile(&Progress::default());
        assert!(fabric.is_complete(), "{:#?}", fabric.faults());
        let findings = fabric.check().findings;
        let laid = |finding: &felting::Finding| {
            finding.what.related.iter().filter(|label| label.text.contains("fails")).count()
        };
        findings.iter().map(|one| (one.rule.id, laid(one))).collect::<Vec<_>>()
    };
    let reused = "[[vrf]]\nname = \"tides\"\nvni = 27002\n";
    assert_eq!(found(reused), [("vrf-vni-reused", 2)]);
    let inside = "[[expect]]\nfrom = \"web-1\"\nto = \"web-2\"\nreaches = false\n";
    assert_eq!(found(inside), [("expect-failed", 0)]);
    let mut both = found(&format!("{reused}{inside}"));
    both.sort_unstable();
    assert_eq!(both, [("expect-failed", 0), ("vrf-vni-reused", 2)]);
}
