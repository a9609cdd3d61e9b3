//! The spanning tree: its laws on random plants, and the cases that decide what records don't.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::fmt::Write as _;

use felting::behaviour::{BridgePortId, Carrier, PortRole, TreeKind};
use felting::rules::Terms;
use felting::value::VlanId;
use felting::{Condition, Fabric, Progress, State};
use proptest::prelude::*;

fn read(text: &str) -> Fabric {
    let fabric = Fabric::from_text("f.toml", text);
    assert!(fabric.is_complete(), "{:#?}\n{text}", fabric.faults());
    fabric
}

fn state(fabric: &Fabric) -> State {
    State::of(fabric, &Condition::default(), &Progress::default())
}

fn vlan(id: u32) -> VlanId {
    VlanId::new(id).unwrap()
}

/// "mud-1 p1": what a bridge port is, in words.
fn label(state: &State, port: BridgePortId) -> String {
    let fabric = state.fabric();
    match state.trees().port(port).carrier {
        Carrier::Port(port) => fabric.port_label(port),
        Carrier::Lag(lag) => fabric.lag_label(lag),
        Carrier::Group(group) => format!("group {}", fabric.group(group).number),
        _ => unreachable!(),
    }
}

/// A switch that is off is a bridge without links: what is set of it has its meaning still.
#[test]
fn what_is_set_of_a_switch_that_is_off_is_not_without_effect() {
    let fabric = read(
        r#"
        [[switch]]
        name = "mud-1"
        ports = "p1 25G"
        [[port]]
        on = "mud-1"
        ports = "p1"
        untagged = 10
        edge = true
        [[host]]
        name = "hull"
        nics = "nic1 25G"
        [cabling]
        runs = "mud-1 p1 -- hull nic1"
        "#,
    );
    let off = Condition::default().cut(&fabric, "mud-1").unwrap();
    let state = State::of(&fabric, &off, &Progress::default());
    let report = state.check(Terms::default(), &Progress::default());
    let told: Vec<_> = report.findings.iter().map(|finding| finding.rule.id).collect();
    assert!(!told.contains(&"setting-without-effect"), "{told:?}");
}

/// The role of every port that joins bridges, for the frames of a VLAN.
fn roles(fabric: &Fabric, id: u32) -> Vec<String> {
    let state = state(fabric);
    let trees = state.trees();
    let joined = trees.ports().filter(|(port, _)| trees.neighbours(*port).next().is_some());
    let mut roles: Vec<_> = joined
        .map(|(port, _)| format!("{} {}", label(&state, port), trees.role(port, vlan(id)).word()))
        .collect();
    roles.sort();
    roles
}

/// What is wrong with the links that forward a VLAN: a loop, or bridges that are cut off though a
/// link carries the VLAN to them.
fn flaw(state: &State, id: u32) -> Option<String> {
    let trees = state.trees();
    let carries = |port: BridgePortId| {
        let of = trees.port(port);
        of.linked && of.vlans.contains(vlan(id))
    };
    let (mut open, mut cabled) =
        (Sets::new(trees.bridges().len()), Sets::new(trees.bridges().len()));
    for (port, of) in trees.ports() {
        for other in trees.neighbours(port).filter(|&other| other > port) {
            if !carries(port) || !carries(other) {
                continue;
            }
            let ends = [of.bridge, trees.port(other).bridge].map(felting::id::Id::index);
            cabled.join(ends[0], ends[1]);
            let forwards = [port, other].iter().all(|&p| trees.role(p, vlan(id)).forwards());
            if forwards && !open.join(ends[0], ends[1]) {
                return Some(format!("a loop through {port:?} and {other:?}"));
            }
        }
    }
    (0..trees.bridges().len())
        .find(|&a| (0..a).any(|b| cabled.same(a, b) && !open.same(a, b)))
        .map(|bridge| format!("bridge {bridge} is cut off"))
}

struct Sets(Vec<usize>);

impl Sets {
    fn new(count: usize) -> Self {
        Self((0..count).collect())
    }
    fn find(&self, mut at: usize) -> usize {
        while self.0[at] != at {
            at = self.0[at];
        }
        at
    }
    fn same(&self, a: usize, b: usize) -> bool {
        self.find(a) == self.find(b)
    }
    fn join(&mut self, a: usize, b: usize) -> bool {
        let (a, b) = (self.find(a), self.find(b));
        self.0[a] = b;
        a != b
    }
}

/// A plant: for each bridge its priority and region, for each link its ends, cost and VLANs.
type Plant = (Vec<(u32, usize)>, Vec<(usize, usize, u32, usize)>);

fn plant() -> impl Strategy<Value = Plant> {
    (2usize..7).prop_flat_map(|bridges| {
        (
            prop::collection::vec((0u32..3, 0usize..3), bridges),
            prop::collection::vec((0..bridges, 0..bridges, 1u32..4, 0usize..3), 1..12),
        )
    })
}

/// The text of a plant, with the links written either way round.
fn written((bridges, links): &Plant, mode: &str, turned: bool) -> String {
    let mut text = String::new();
    let ports = links.len() * 2;
    for (bridge, (priority, region)) in bridges.iter().enumerate() {
        let _ = writeln!(
            text,
            "[[switch]]\nname = \"b{bridge}\"\nnumber = {}\nports = \"p[1-{ports}] 1G\"\n\
             [[tree]]\non = \"b{bridge}\"\nmode = \"{mode}\"\npriority = {}",
            bridge + 1,
            priority * 4096,
        );
        if mode == "mstp" {
            let _ = writeln!(
                text,
                "region = \"r{region}\"\ninstances = [{{ id = 1, vlans = 11, priority = {} }}]",
                (2 - priority) * 4096
            );
        }
    }
    let mut runs = Vec::new();
    for (index, &(a, b, cost, vlans)) in links.iter().enumerate() {
        let (one, other) = (index * 2 + 1, index * 2 + 2);
        let tagged = match mode {
            "per-vlan" => ["10", "11", "10-11"][vlans],
            _ => "10-11",
        };
        for (bridge, port) in [(a, one), (b, other)] {
            let _ = writeln!(
                text,
                "[[port]]\non = \"b{bridge}\"\nports = \"p{port}\"\ntagged = \"{tagged}\"\ntree_cost = {cost}",
            );
        }
        runs.push(match turned {
            false => format!("\"b{a} p{one} -- b{b} p{other}\""),
            true => format!("\"b{b} p{other} -- b{a} p{one}\""),
        });
    }
    let _ = writeln!(text, "[cabling]\nruns = [{}]", runs.join(", "));
    text
}

proptest! {
    #[test]
    fn where_a_tree_runs_it_has_no_loop_and_reaches_everyone(plant in plant()) {
        for mode in ["rstp", "mstp", "per-vlan"] {
            let text = written(&plant, mode, false);
            let fabric = read(&text);
            let state = state(&fabric);
            for id in [10, 11] {
                prop_assert_eq!(flaw(&state, id), None, "{} VLAN {}\n{}", mode, id, text);
            }
            prop_assert!(state.trees().loops().is_empty() && state.trees().cuts().is_empty());
            // The two ends of a cable may be written either way round.
            let turned = read(&written(&plant, mode, true));
            prop_assert_eq!(roles(&fabric, 10), roles(&turned, 10));
            prop_assert_eq!(roles(&fabric, 11), roles(&turned, 11));
        }
    }
}

const TWO: &str = r#"
[[switch]]
name = "mud-[1-2]"
number = 1
ports = "p[1-4] 1G"

[[port]]
on = "mud-*"
ports = "p[1-4]"
tagged = "10-11"

[cabling]
runs = "mud-1 p[1-2] -- mud-2 p[1-2]"
"#;

#[test]
fn the_last_tie_is_broken_by_the_own_port() {
    // Both ports of mud-2 hear the same port of mud-1, over a shared medium.
    let shared = TWO.replace("[cabling]\nruns = \"mud-1 p[1-2] -- mud-2 p[1-2]\"", "")
        + "[[repeater]]\nname = \"hub\"\nports = [\"mud-1 p1\", \"mud-2 p[1-2]\"]\n";
    assert_eq!(
        roles(&read(&shared), 10),
        ["mud-1 p1 designated", "mud-2 p1 root", "mud-2 p2 alternate"]
    );
    let better =
        "\n[[port]]\non = \"mud-2\"\nports = \"p2\"\ntagged = \"10-11\"\ntree_priority = 16\n";
    let chosen = shared.replace("ports = \"p[1-4]\"", "ports = \"p[1,3,4]\"");
    let chosen = chosen + better + "[[port]]\non = \"mud-1\"\nports = \"p2\"\ntagged = \"10-11\"\n";
    assert_eq!(
        roles(&read(&chosen), 10),
        ["mud-1 p1 designated", "mud-2 p1 alternate", "mud-2 p2 root"]
    );
}

#[test]
fn parallel_links_are_decided_by_the_far_port() {
    assert_eq!(
        roles(&read(TWO), 10),
        ["mud-1 p1 designated", "mud-1 p2 designated", "mud-2 p1 root", "mud-2 p2 alternate"]
    );
    // The priority of mud-1's port counts, the cost of mud-2's too, that of mud-1's does not.
    for (port, keys, root) in [
        ("mud-1", "tree_priority = 16", "mud-2 p2 root"),
        ("mud-2", "tree_priority = 16", "mud-2 p1 root"),
        ("mud-2", "tree_cost = 5", "mud-2 p2 root"),
        ("mud-1", "tree_cost = 5", "mud-2 p1 root"),
    ] {
        let other = if port == "mud-1" { "mud-2" } else { "mud-1" };
        let text = TWO.replace("ports = \"p[1-4]\"", "ports = \"p[1,3,4]\"")
            + &format!(
                "\n[[port]]\non = \"{port}\"\nports = \"p2\"\ntagged = \"10-11\"\n{keys}\n\
                 [[port]]\non = \"{other}\"\nports = \"p2\"\ntagged = \"10-11\"\n"
            );
        assert!(roles(&read(&text), 10).contains(&root.to_owned()), "{port} {keys}");
    }
}

#[test]
fn a_lag_is_one_port_and_costs_what_it_carries() {
    let lag = r#"
[[switch]]
name = "mud-[1-2]"
number = 1
ports = ["p[1-4] 1G", "x1 10G"]
[[lag]]
on = "mud-*"
name = "across"
ports = "p[1-4]"
tagged = 10
[[port]]
on = "mud-*"
ports = "x1"
tagged = 10
[cabling]
runs = ["mud-1 p[1-4] -- mud-2 p[1-4]", "mud-1 x1 -- mud-2 x1"]
"#;
    let fabric = read(lag);
    let state = state(&fabric);
    let cost = |name: &str| {
        let found = state.trees().ports().find(|(port, _)| label(&state, *port) == name);
        found.unwrap().1.cost
    };
    // IEEE 802.1Q table 13-4: 20 000 for 1 Gb/s; four of them carry 4 Gb/s.
    assert_eq!((cost("mud-2 across"), cost("mud-2 x1")), (5000, 2000));
    assert!(roles(&fabric, 10).contains(&"mud-2 across alternate".to_owned()));
    let cable = fabric.cables().next().unwrap().0;
    let less = State::of(&fabric, &Condition::default().cable(cable), &Progress::default());
    let port = less.trees().ports().find(|(p, _)| label(&less, *p) == "mud-2 across");
    assert_eq!(port.unwrap().1.cost, 6666, "three members are left");
    let short = "\n[[tree]]\non = \"mud-*\"\npath_costs = \"short\"\n";
    let fabric = read(&(lag.to_owned() + short));
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let costs: Vec<_> = state.trees().ports().map(|(_, port)| port.cost).collect();
    // IEEE 802.1D-1998 table 8-5 has 4 for 1 Gb/s and 2 for 10 Gb/s: what is between costs between.
    assert_eq!(costs, [3, 3, 2, 2]);
}

#[test]
fn instances_of_a_region_have_trees_of_their_own() {
    let text = TWO.to_owned()
        + r#"
[[tree]]
on = "mud-*"
mode = "mstp"
region = "workshop"
priority = 4096
instances = { id = 1, vlans = 11, priority = 4096 }
differs = [{ on = "mud-2", priority = 8192, instances = { id = 1, vlans = 11, priority = 0 } }]
"#;
    let fabric = read(&text);
    assert!(roles(&fabric, 10).contains(&"mud-2 p2 alternate".to_owned()));
    assert!(roles(&fabric, 11).contains(&"mud-1 p2 alternate".to_owned()));
    let state = state(&fabric);
    let kinds: Vec<_> = state.trees().trees().iter().map(|tree| &tree.kind).collect();
    assert!(matches!(kinds[..], [TreeKind::Common, TreeKind::Instance { .. }]), "{kinds:?}");
    // With another revision each bridge is a region of its own, and VLAN 11 goes by the common tree.
    let apart = text.replace("{ on = \"mud-2\", ", "{ on = \"mud-2\", revision = 1, ");
    let fabric = read(&apart);
    assert_eq!(
        roles(&fabric, 10),
        roles(&fabric, 11).iter().map(|r| r.replace("master", "root")).collect::<Vec<_>>()
    );
    let ids: Vec<_> = fabric.check().findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(ids, ["tree-mode-clash"]);
}

#[test]
fn a_bridge_outside_a_region_sees_it_as_one_bridge() {
    // shed reaches the region by mud-2 and mud-3, whose BPDUs carry one regional root, and by ports of
    // one number: the own port decides, though mud-2 is the better bridge (802.1Q clause 14.4).
    let text = r#"
[[switch]]
name = "mud-[1-3]"
number = 1
ports = "p[1-4] 1G"
[[switch]]
name = "shed"
number = 9
ports = "p[1-2] 1G"
[[port]]
on = "mud-*"
ports = "p[1-4]"
tagged = 10
[[port]]
on = "shed"
ports = "p[1-2]"
tagged = 10
[[tree]]
on = "mud-*"
mode = "mstp"
region = "workshop"
priority = 8192
differs = { on = "mud-1", priority = 4096 }
[cabling]
runs = ["mud-1 p1 -- mud-2 p1", "mud-1 p3 -- mud-3 p3", "shed p[1-2] -- mud-[3,2] p4"]
"#;
    let of_shed = |text: &str| {
        let roles = roles(&read(text), 10);
        roles.into_iter().filter(|role| role.starts_with("shed")).collect::<Vec<_>>()
    };
    assert_eq!(of_shed(text), ["shed p1 root", "shed p2 alternate"]);
    // A region of its own that reads the BPDUs to their end prefers mud-2.
    let other = text.to_owned() + "[[tree]]\non = \"shed\"\nmode = \"mstp\"\nregion = \"quay\"\n";
    assert_eq!(of_shed(&other), ["shed p1 alternate", "shed p2 root"]);
}

#[test]
fn one_tree_for_each_vlan_spreads_them_over_parallel_links() {
    let text = TWO.to_owned()
        + r#"
[[tree]]
on = "mud-*"
mode = "per-vlan"
priority = 4096
vlan_priorities = { vlans = 11, priority = 8192 }
differs = [{ on = "mud-2", priority = 8192, vlan_priorities = { vlans = 11, priority = 0 } }]
"#;
    let fabric = read(&text);
    assert!(roles(&fabric, 10).contains(&"mud-2 p2 alternate".to_owned()));
    assert!(roles(&fabric, 11).contains(&"mud-1 p2 alternate".to_owned()));
    assert!(fabric.check().findings.is_empty());
}

#[test]
fn a_pair_is_one_bridge_and_its_group_one_port() {
    let text = r#"
[[switch]]
name = "reed-[a-b]"
number = 13
ports = "p[1-4] 25G"
[[switch]]
name = "mud-[1-2]"
number = 22
ports = "p[1-4] 25G"
[[pair]]
name = "reed"
on = "reed-*"
domain = 12
peer_link = "peer"
keepalive = { between = ["192.0.2.13", "192.0.2.14"] }
[[tree]]
on = "reed-*"
priority = 4096
[[lag]]
on = "reed-*"
name = "peer"
ports = "p[3-4]"
tagged = 10
[[lag]]
on = "reed-*"
name = "mud"
group = 1
ports = "p1"
tagged = 10
[[lag]]
on = "mud-1"
name = "up"
ports = "p[1-2]"
tagged = 10
[[port]]
on = "reed-*"
ports = "p2"
tagged = 10
[[port]]
on = "mud-2"
ports = "p[1-2]"
tagged = 10
[cabling]
runs = [
  "reed-a p[3-4] -- reed-b p[3-4]",
  "mud-1 p[1-2] -- reed-[a-b] p1",
  "mud-2 p[1-2] -- reed-[a-b] p2",
]
"#;
    let fabric = read(text);
    let state = state(&fabric);
    assert_eq!(state.trees().bridges().len(), 3);
    // The peer link is inside; the single-homed ports of the two sides have numbers of their own.
    assert_eq!(
        roles(&fabric, 10),
        [
            "group 1 designated",
            "mud-1 up root",
            "mud-2 p1 root",
            "mud-2 p2 alternate",
            "reed-a p2 designated",
            "reed-b p2 designated",
        ]
    );
    // With one side off it is the same bridge to its neighbours.
    let off = Condition::default().cut(&fabric, "reed-a").unwrap();
    let left = State::of(&fabric, &off, &Progress::default());
    let root = |state: &State| {
        let trees = state.trees();
        let common = &trees.trees()[0];
        let root = common.bridges.values().flatten().next().unwrap().root;
        trees.bridge(root).identifier
    };
    assert_eq!(root(&state), root(&left));
}

#[test]
fn towards_an_ethernet_segment_there_is_no_tree() {
    let text = r#"
[[switch]]
name = "dune-[a-b]"
number = 15
ports = "p[1-2] 25G"
[[switch]]
name = "mud-1"
number = 22
ports = "p[1-2] 25G"
[[lag]]
on = "dune-*"
name = "mud-1"
ports = "p1"
tagged = 10
ethernet_segment = "02:46:00:00:00:0f/1"
[[lag]]
on = "mud-1"
name = "up"
ports = "p[1-2]"
tagged = 10
[cabling]
runs = "mud-1 p[1-2] -- dune-[a-b] p1"
"#;
    let fabric = read(text);
    assert!(fabric.check().findings.is_empty(), "{:#?}", fabric.check().findings);
    let roles = roles(&fabric, 10);
    assert!(roles.contains(&"dune-a mud-1 no tree".to_owned()), "{roles:?}");
    assert_eq!(
        state(&fabric)
            .trees()
            .ports()
            .filter(|(p, _)| { state(&fabric).trees().common(*p).0 == PortRole::Alternate })
            .count(),
        0
    );
}

#[test]
fn a_bridge_without_a_tree_hides_those_behind_it() {
    let off = TWO.to_owned() + "\n[[tree]]\non = \"mud-2\"\nmode = \"off\"\n";
    let fabric = read(&off);
    assert_eq!(
        roles(&fabric, 10),
        ["mud-1 p1 designated", "mud-1 p2 designated", "mud-2 p1 no tree", "mud-2 p2 no tree"]
    );
    let report = fabric.check();
    let ids: Vec<_> = report.findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(ids, ["tree-loop"]);
    // Where the two links share no VLAN there is no loop.
    let apart = off
        .replace("ports = \"p[1-4]\"\ntagged = \"10-11\"", "ports = \"p1\"\ntagged = 10")
        + "\n[[port]]\non = \"mud-*\"\nports = \"p2\"\ntagged = 11\n";
    assert!(read(&apart).check().findings.is_empty());
}
