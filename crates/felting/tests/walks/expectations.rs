//! What is expected, judged by trying only what a walk depends on, against trying every loss.

use felting::fabric::Terminal;
use felting::first::FirstFabric;
use felting::walk::{Options, Walker, judge};
use felting::{Condition, Fabric, State};

use crate::{demo, endpoints, read, single_losses};

/// The pairs of ends of a fabric's text that some single loss separates, as judged and as tried.
fn compare(text: &str, pairs: &[(String, String)]) {
    let bare = read(text);
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
        let state = State::of(&bare, &condition);
        let mut walker = Walker::new(&bare, &state);
        for (pair, fails) in pairs.iter().zip(&mut tried) {
            let (from, to) = ends(&bare, pair);
            *fails |= !walker.walk(from, to, Options::ALL).unwrap().arrives();
        }
    }
    let expected: String = pairs
        .iter()
        .map(|(from, to)| {
            format!("\n[[expect]]\nfrom = \"{from}\"\nto = \"{to}\"\ndespite = \"any one cable or switch\"\n")
        })
        .collect();
    let fabric = read(&format!("{text}{expected}"));
    let state = State::of(&fabric, &Condition::default());
    let failures = judge(&fabric, &state);
    for (at, ((id, _), fails)) in fabric.expectations().zip(&tried).enumerate() {
        let judged = failures.iter().find(|failure| failure.expectation == id);
        assert_eq!(judged.is_some(), *fails, "{:?}: {judged:?}", pairs[at]);
    }
}

/// Machines on all hosts of a first fabric, in two segments of one tenant and one of another.
fn peopled(plan: &FirstFabric) -> (String, Vec<(String, String)>) {
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
        text += &format!(
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
        FirstFabric { pairs: 2, hosts: 4, tenants: 2, segments: 3, ..FirstFabric::default() },
        FirstFabric { spines: 1, pairs: 2, hosts: 2, segments: 1, ..FirstFabric::default() },
        FirstFabric { pairs: 0, leaves: 3, hosts: 3, segments: 2, ..FirstFabric::default() },
        FirstFabric {
            pods: 2,
            super_spines: 2,
            pairs: 1,
            hosts: 2,
            segments: 2,
            ..FirstFabric::default()
        },
    ];
    for plan in plans {
        let (text, pairs) = peopled(&plan);
        compare(&text, &pairs);
    }
}

#[test]
fn judged_with_faults_as_when_tried() {
    let plan =
        FirstFabric { pairs: 2, hosts: 4, tenants: 1, segments: 2, ..FirstFabric::default() };
    let (whole, pairs) = peopled(&plan);
    for (from, to) in [
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
    ] {
        assert!(whole.contains(from), "{from}");
        compare(&whole.replacen(from, to, 1), &pairs);
    }
}

#[test]
fn the_demo_is_judged_as_when_tried() {
    let fabric = demo("saltmarsh");
    let names = endpoints(&fabric).into_iter().map(|end| fabric.terminal_name(end));
    let names: Vec<String> = names.collect();
    let state = State::of(&fabric, &Condition::default());
    // Every pair that is in the file's own expectations.
    let mut pairs: Vec<(Terminal, Terminal)> = Vec::new();
    for (a, one) in names.iter().enumerate().step_by(3) {
        for other in names.iter().skip(a + 1).step_by(4) {
            pairs.push((fabric.terminal(one).unwrap(), fabric.terminal(other).unwrap()));
        }
    }
    let mut walker = Walker::new(&fabric, &state);
    pairs
        .retain(|&(from, to)| walker.walk(from, to, Options::ALL).is_ok_and(|walk| walk.arrives()));
    assert!(pairs.len() > 8, "the demo has ends that reach each other");
    assert!(judge(&fabric, &state).is_empty());
}
