//! A state that is made from another under a further condition is the state that is made anew.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};

use felting::scaffold::Scaffold;
use felting::value::Family;
use felting::{Condition, Fabric, Progress, State};
use rayon::prelude::*;

/// Everything that a state holds.
fn all(state: &State) -> String {
    format!("{state:?}")
}

/// What is worked out when it is asked: which speaker has the routes of which other, and who is led to whom.
fn asked(state: &State) -> Vec<(bool, bool)> {
    let fabric = state.fabric();
    let routers: Vec<_> = fabric.routers().collect();
    let address = |to: usize| {
        let own = routers[to].1.loopbacks.first();
        own.map(|loopback| loopback.address())
    };
    let all = (0..routers.len()).flat_map(|at| (0..routers.len()).map(move |to| (at, to)));
    all.map(|(at, to)| {
        let heard = state.routes_reach(Family::Evpn, routers[to].0, routers[at].0);
        let led = address(to).is_some_and(|to| state.delivers(routers[at].0, to).is_ok());
        (heard, led)
    })
    .collect()
}

/// Where what two states hold goes apart.
fn parting(anew: &State, given: &State) -> String {
    let (anew, given) = (all(anew), all(given));
    let same = anew.bytes().zip(given.bytes()).take_while(|(one, other)| one == other).count();
    let around = |text: &str| {
        let bytes = &text.as_bytes()[same.saturating_sub(200)..(same + 100).min(text.len())];
        String::from_utf8_lossy(bytes).into_owned()
    };
    format!("{}\nagainst {}", around(&anew), around(&given))
}

/// With each thing by itself down, and with some of them two by two.
fn hold(name: &str, fabric: &Fabric) {
    assert!(fabric.is_complete(), "{name}: {:?}", fabric.faults().first());
    let none = Condition::default();
    let whole = State::of(fabric, &none, &Progress::default());
    let mut conditions: Vec<Condition> = vec![none.clone()];
    conditions.extend(fabric.devices().map(|(id, _)| none.clone().device(id)));
    conditions.extend(fabric.cables().map(|(id, _)| none.clone().cable(id)));
    conditions.extend(fabric.lags().step_by(3).map(|(id, _)| none.clone().lag(id)));
    for (id, _) in fabric.pairs() {
        conditions.push(none.clone().peer_link(fabric, id));
        conditions.push(none.clone().keepalive(id));
        conditions.push(none.clone().peer_link(fabric, id).keepalive(id));
    }
    for (id, stack) in fabric.stacks() {
        conditions
            .extend((0..stack.members.len()).map(|place| none.clone().stack_member(id, place)));
    }
    conditions.extend(fabric.pseudowires().map(|(id, _)| none.clone().pseudowire(id)));
    for (_, wan) in fabric.wans() {
        conditions.push(none.clone().port(wan.ends[0].value));
    }
    let twos = conditions.iter().zip(conditions.iter().skip(7)).step_by(5);
    let mut twos: Vec<(Condition, Condition)> =
        twos.map(|(one, other)| (one.clone(), other.clone())).collect();
    twos.truncate(12);
    for condition in &conditions {
        let (anew, given) =
            (State::of(fabric, condition, &Progress::default()), whole.given(condition));
        assert!(all(&anew) == all(&given), "{name}: {condition:?}: {}", parting(&anew, &given));
        assert_eq!(asked(&anew), asked(&given), "{name}: {condition:?}");
    }
    // From any other state as well, not only from that with nothing down.
    for (one, other) in &twos {
        let anew = State::of(fabric, other, &Progress::default());
        let given = State::of(fabric, one, &Progress::default()).given(other);
        let same = all(&anew) == all(&given);
        assert!(same, "{name}: {other:?} from {one:?}: {}", parting(&anew, &given));
    }
}

#[test]
fn of_the_demos() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let path = format!("{}/../../demo/{name}/fabric.toml", env!("CARGO_MANIFEST_DIR"));
        hold(name, &Fabric::from_path(path));
    }
}

#[test]
fn of_first_fabrics_with_other_underlays() {
    let plan = Scaffold { pairs: 2, hosts: 4, segments: 2, ..Scaffold::default() };
    let text = plan.to_toml().unwrap();
    let variants = [
        ("ospf", text.clone()),
        ("is-is", text.replace("protocol = \"ospf\"", "protocol = \"is-is\"")),
        ("bgp", text.replace("protocol = \"ospf\"", "protocol = \"bgp\"")),
        ("areas", format!("{text}\n[[interface]]\non = \"leaf-01a\"\nport = \"p49\"\narea = 1\n")),
        ("one path", text.replace("[[router]]", "[[router]]\nmax_paths = 1")),
    ];
    for (name, text) in variants {
        assert!(name == "ospf" || text != plan.to_toml().unwrap(), "{name} is another fabric");
        hold(name, &Fabric::from_text("first.toml", &text));
    }
}

#[test]
fn of_first_fabrics_of_other_shapes() {
    let shapes = [
        ("single leaves", Scaffold { pairs: 0, leaves: 3, hosts: 3, ..Scaffold::default() }),
        ("pods", Scaffold { pods: 2, super_spines: 2, pairs: 1, hosts: 2, ..Scaffold::default() }),
    ];
    for (name, plan) in shapes {
        let text = plan.to_toml().unwrap();
        for protocol in ["ospf", "is-is", "bgp"] {
            let text = text.replace("protocol = \"ospf\"", &format!("protocol = \"{protocol}\""));
            hold(&format!("{name} by {protocol}"), &Fabric::from_text("first.toml", &text));
        }
    }
}

/// A leaf that has lost the core closes its legs of Ethernet segments, and its last routed link may lead to a host.
#[test]
fn of_a_leaf_whose_last_routed_link_is_of_a_host() {
    let file = judged().join("protocols/core-isolation-beside-a-tenant-link.toml");
    let text = std::fs::read_to_string(file).unwrap();
    let (leaf, _) = text.split_once("[[switch]]\nname = \"causeway\"").unwrap();
    let fabric = Fabric::from_text(
        "leaf.toml",
        &format!(
            r#"{leaf}
            [[host]]
            name = "causeway"
            nics = "p1 25G"
            [[interface]]
            on = "kelp-a"
            port = "q3"
            address = "10.89.0.1/30"
            "#
        ),
    );
    assert!(fabric.is_complete(), "{:?}", fabric.faults().first());
    let cut = |condition: Condition, what| condition.cut(&fabric, what).unwrap();
    let condition = cut(cut(Condition::default(), "cable kelp-a q49"), "cable kelp-a q50");
    let before = State::of(&fabric, &condition, &Progress::default());
    assert!(before.isolated().is_empty());
    let condition = cut(condition, "causeway");
    let given = before.given(&condition);
    assert_eq!(given.isolated().len(), 1);
    let anew = State::of(&fabric, &condition, &Progress::default());
    assert!(all(&anew) == all(&given), "{}", parting(&anew, &given));
}

fn judged() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../felting-cli/tests/judged")
}

#[test]
fn of_what_engineers_judged() {
    let folders = std::fs::read_dir(judged()).unwrap().map(|one| one.unwrap().path());
    let files = folders.filter(|one| one.is_dir()).flat_map(|folder| {
        std::fs::read_dir(folder).unwrap().map(|one| one.unwrap().path()).collect::<Vec<_>>()
    });
    let files: Vec<_> =
        files.filter(|one| one.extension().is_some_and(|word| word == "toml")).collect();
    assert!(files.len() > 200, "the judged fabrics are there");
    files.par_iter().for_each(|path| {
        let fabric = Fabric::from_path(path);
        if fabric.is_complete() {
            hold(&path.display().to_string(), &fabric);
        }
    });
}

#[test]
fn of_the_examples_of_all_rules() {
    for rule in felting::rules::all() {
        for text in [rule.broken.to_owned(), rule.mended()] {
            let fabric = Fabric::from_text("f.toml", &text);
            if fabric.is_complete() {
                hold(rule.id, &fabric);
            }
        }
    }
}
