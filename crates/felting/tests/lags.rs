//! What becomes of LAG members, and why.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::fmt::Write as _;

use felting::behaviour::{MemberOutcome, MemberState};
use felting::fabric::{LagId, MemberId};
use felting::value::Protocol;
use felting::{Condition, Fabric, Progress, State};
use proptest::prelude::*;

fn read(text: &str) -> Fabric {
    let fabric = Fabric::from_text("f.toml", text);
    assert!(fabric.is_complete(), "{:#?}\n{text}", fabric.faults());
    fabric
}

/// A line a LAG end and a line a member.
fn outcomes(fabric: &Fabric, condition: &Condition) -> String {
    let state = State::of(fabric, condition, &Progress::default());
    let mut page = String::new();
    for (id, lag) in fabric.lags() {
        let outcome = state.lag(id);
        let up = if outcome.up { "up" } else { "down" };
        let cause = outcome.cause.map_or("", |cause| state.causes().get(cause).rule);
        let _ = writeln!(page, "{} {up} {} {cause}", fabric.lag_label(id), outcome.in_use);
        for member in lag.members.iter() {
            let MemberOutcome { state, distributing, reason, .. } = *state.member(member);
            let port = fabric.port_name(fabric.member(member).port.value);
            let _ = writeln!(page, "  {port} {state:?} {distributing} {reason:?}");
        }
    }
    page
}

/// Two switches and four cables between them; each end is said by its keys.
fn two(a: &str, b: &str, more: &str) -> Fabric {
    read(&format!(
        "[[hardware]]\nname = \"small\"\nmembers_in_use = 2\n\
         [[switch]]\nname = \"kelp-[a-b]\"\nnumber = 1\nports = \"p[1-4] 25G\"\n\
         [[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p[1-4]\"\n{a}\n\
         [[lag]]\non = \"kelp-b\"\nname = \"x\"\nports = \"p[1-4]\"\n{b}\n\
         [cabling]\nruns = \"kelp-a p[1-4] -- kelp-b p[1-4]\"\n{more}\n"
    ))
}

fn states(fabric: &Fabric) -> Vec<String> {
    let state = State::of(fabric, &Condition::default(), &Progress::default());
    let member = |id: MemberId| {
        let outcome = state.member(id);
        let out = if outcome.distributing { "+" } else { "" };
        format!("{:?}{out}", outcome.state)
    };
    let lag = |(_, lag): (LagId, &felting::fabric::Lag)| {
        lag.members.iter().map(member).collect::<Vec<_>>().join(" ")
    };
    fabric.lags().map(lag).collect()
}

#[test]
fn two_ends_by_protocol_mode_and_what_they_do_unanswered() {
    const ALL: &str = "Selected+ Selected+ Selected+ Selected+";
    const ALONE: &str = "Individual Individual Individual Individual";
    const CLOSED: &str = "Closed Closed Closed Closed";
    let cases = [
        ("", "", ALL, ALL),
        ("mode = \"passive\"", "", ALL, ALL),
        ("mode = \"passive\"", "mode = \"passive\"", ALONE, ALONE),
        ("protocol = \"static\"", "protocol = \"static\"", ALL, ALL),
        ("protocol = \"proprietary\"", "protocol = \"proprietary\"", ALL, ALL),
        ("protocol = \"static\"", "", ALL, ALONE),
        ("protocol = \"static\"", "unanswered = \"closed\"", ALL, CLOSED),
        (
            "protocol = \"proprietary\"",
            "unanswered = \"one\"",
            ALONE,
            "Individual Closed Closed Closed",
        ),
        (
            "min_members = 5",
            "",
            "Selected Selected Selected Selected",
            "Selected Selected Selected Selected",
        ),
        (
            "protocol = \"static\"\nmin_members = 5",
            "protocol = \"static\"",
            "Selected Selected Selected Selected",
            ALL,
        ),
    ];
    for (a, b, of_a, of_b) in cases {
        assert_eq!(states(&two(a, b, "")), [of_a, of_b], "{a} / {b}");
    }
}

/// IEEE 802.1AX-2020 6.7.1: the system with the better identifier decides by its own port ids.
#[test]
fn the_better_system_decides_who_stands_by() {
    let small = "[[switch]]\nname = \"kelp-a\"\nhardware = \"small\"\n";
    let files = |a: &str, b: &str, over: &str| {
        let text = two(a, b, "").sources().iter().next().unwrap().1.text().to_owned();
        let memory = felting::source::Memory::from([("f.toml", text.as_str()), ("o.toml", over)]);
        felting::Statements::read(&[(&memory, "f.toml"), (&memory, "o.toml")], &Progress::default())
            .compile(&Progress::default())
    };
    let limited = |a: &str, b: &str, more: &str| {
        let fabric = files(a, b, &format!("{small}{more}"));
        let names = states(&fabric);
        assert_eq!(names[0], names[1], "both ends keep the same links in reserve");
        names[0].clone()
    };
    let (first, last) =
        ("Selected+ Selected+ Standby Standby", "Standby Standby Selected+ Selected+");
    let better = "members = [{ ports = \"p[3-4]\", port_priority = 1 }]";
    assert_eq!(limited("", "", ""), first);
    // kelp-a has the lower MAC address: its port priorities count, those of kelp-b do not.
    assert_eq!(limited(better, "", ""), last);
    assert_eq!(limited("", better, ""), first);
    // With a better system priority on kelp-b it is the other way round.
    let kelp_b = "[[switch]]\nname = \"kelp-b\"\nsystem_priority = 1\n";
    assert_eq!(limited("", better, kelp_b), last);
    assert_eq!(limited(better, "", kelp_b), first);
}

const PAIRED: &str = r#"
[[switch]]
name = "kelp-[a-b]"
number = 1
ports = "p[1-5] 25G"
[[switch]]
name = "reed-[a-b]"
number = 3
ports = "p[1-5] 25G"
[[pair]]
name = "kelp"
domain = 1
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }
[[pair.side]]
switch = "kelp-a"
[[pair.side]]
switch = "kelp-b"
[[pair]]
name = "reed"
domain = 2
on = "reed-*"
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }
[[lag]]
on = "*"
name = "peer"
ports = "p[4-5]"
[[lag]]
on = "kelp-*"
name = "reed"
group = 1
ports = "p[1-2]"
[[lag]]
on = "reed-*"
name = "kelp"
group = 1
ports = "p[1-2]"
[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
[[lag]]
on = "kelp-*"
name = "hull-01"
group = 2
ports = "p3"
[cabling]
runs = [
  "kelp-a p[4-5] -- kelp-b p[4-5]",
  "reed-a p[4-5] -- reed-b p[4-5]",
  "kelp-[a-b] p[1-2] -- reed-[a-b] p[1-2]",
  "kelp-[a-b] p3 -- hull-01 nic[1-2]",
]
"#;

#[test]
fn pairs_are_one_partner_as_long_as_their_domains_are_right() {
    let none = Condition::default();
    let whole = read(PAIRED);
    assert!(whole.check().findings.is_empty());
    let mut page = format!("whole\n{}", outcomes(&whole, &none));
    let off = none.clone().device(whole.find_device("kelp-b").unwrap());
    let _ = writeln!(page, "\nwith kelp-b off\n{}", outcomes(&whole, &off));
    let torn = PAIRED.replace("switch = \"kelp-b\"", "switch = \"kelp-b\"\ndomain = 7");
    let _ = writeln!(page, "\nwith two domains\n{}", outcomes(&read(&torn), &none));
    let shared = PAIRED.replace("domain = 2", "domain = 1");
    let _ = writeln!(page, "\nwith one domain for both pairs\n{}", outcomes(&read(&shared), &none));
    insta::assert_snapshot!(page);
    for (text, rule) in [(torn, "pair-domain-clash"), (shared, "pair-domain-clash")] {
        let ids: Vec<_> = read(&text).check().findings.iter().map(|f| f.rule.id).collect();
        assert_eq!(ids, [rule]);
    }
}

#[test]
fn a_port_that_leads_back_to_its_own_lag_stays_individual() {
    let fabric = read(
        "[[switch]]\nname = \"kelp-a\"\nports = \"p[1-2] 25G\"\n\
         [[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p[1-2]\"\n\
         [cabling]\nruns = \"kelp-a p1 -- kelp-a p2\"\n",
    );
    assert_eq!(states(&fabric), ["Individual Individual"]);
}

/// One fault, one finding: what follows from the fault is not reported beside it.
#[test]
fn one_fault_is_one_finding() {
    let swap = |from: &str, to: &str| {
        assert!(PAIRED.contains(from), "{from}");
        let report = read(&PAIRED.replacen(from, to, 1)).check();
        report.findings.iter().map(|finding| finding.rule.id).collect::<Vec<_>>()
    };
    let cases = [
        ("ports = \"p3\"", "ports = \"p3\"\nprotocol = \"static\"", "lag-protocol-clash"),
        (
            "ports = \"p3\"",
            "ports = \"p3\"\ndiffers = [{ on = \"kelp-b\", protocol = \"static\" }]",
            "pair-group-clash",
        ),
        (
            "ports = \"p3\"",
            "ports = \"p3\"\ndiffers = [{ on = \"kelp-b\", group = 3 }]",
            "pair-group-one-sided",
        ),
        (
            "ports = \"p3\"",
            "ports = \"p3\"\ndiffers = [{ on = \"kelp-b\", ports = \"p2\" }]",
            "lag-member-shared",
        ),
        (
            "on = \"kelp-*\"\nname = \"hull-01\"",
            "on = \"kelp-a\"\nname = \"hull-01\"",
            "pair-group-one-sided",
        ),
        (
            "on = \"*\"\nname = \"peer\"",
            "on = [\"kelp-a\", \"reed-*\"]\nname = \"peer\"",
            "pair-peer-link-missing",
        ),
        ("nics = \"nic[1-2]\" }", "nics = \"nic1\" }", "uplink-lag-without-bond"),
        (
            "nics = \"nic[1-2]\" }",
            "nics = \"nic[1-2]\", protocol = \"by-guest\" }",
            "uplink-hash-clash",
        ),
        (
            "group = 1\nports = \"p[1-2]\"\n[[lag]]\non = \"reed-*\"",
            "group = 1\nports = \"p[1-2]\"\nmode = \"passive\"\n[[lag]]\non = \"reed-*\"",
            "",
        ),
        ("kelp-[a-b] p3 -- hull-01 nic[1-2]", "kelp-[a-b] p3 -- hull-01 nic[2,1]", ""),
        (
            "kelp-[a-b] p3 -- hull-01 nic[1-2]\"",
            "kelp-a p3 -- hull-01 nic1\", \"reed-a p3 -- hull-01 nic2\"",
            "uplink-split-without-pair",
        ),
    ];
    for (from, to, rule) in cases {
        let expected: Vec<_> = [rule].into_iter().filter(|rule| !rule.is_empty()).collect();
        assert_eq!(swap(from, to), expected, "{to}");
    }
}

/// Why each member of kelp-a's LAG is not in use, and the octet of its LACPDUs.
fn told(text: &str, condition: &Condition) -> Vec<(String, Option<u8>)> {
    let fabric = read(text);
    let state = State::of(&fabric, condition, &Progress::default());
    let lag = fabric.find_lag(fabric.find_device("kelp-a").unwrap(), "across").unwrap();
    let members = fabric.lag(lag).members.iter();
    members
        .map(|member| {
            let octet = state.lacpdu(member).map(felting::behaviour::LacpState::octet);
            (state.why_not(member).unwrap_or_default(), octet)
        })
        .collect()
}

#[test]
fn every_member_is_explained_in_words() {
    let lags = |kind: &str, keys: &str, more: &str| {
        format!(
            "[[hardware]]\nname = \"tern-4\"\nports = [\"p[1-3] 25G\", \"p4 10G\"]\n{kind}\n\
             [[switch]]\nname = \"kelp-[a-b]\"\nnumber = 11\nhardware = \"tern-4\"\n\
             [[lag]]\non = \"kelp-*\"\nname = \"across\"\nports = \"p[1-4]\"\n{keys}\n{more}\n\
             [cabling]\nruns = \"kelp-a p[1-4] -- kelp-b p[1-4]\"\n"
        )
    };
    let any = "mixed_rates = true";
    // Active, long timeout, aggregatable, in sync, collecting, distributing (802.1AX 6.4.2.3).
    let used = (String::new(), Some(0b0011_1101));
    let rows = [
        (
            "cannot mix rates",
            lags("", "", ""),
            3,
            "refused: the device cannot mix rates, and the first member has 25G",
            None,
        ),
        (
            "takes three",
            lags("mixed_rates = true\nmembers_bundled = 3", "", ""),
            3,
            "refused: the device takes 3 members",
            None,
        ),
        (
            "uses three",
            lags("mixed_rates = true\nmembers_in_use = 3", "", ""),
            3,
            "stands by: p4 comes after 3 others of the same port priority, 32768, as kelp-a, the actor with the better system ID, sees it",
            Some(0b0000_0101),
        ),
        (
            "uses three by priority",
            lags(
                "mixed_rates = true\nmembers_in_use = 3",
                "members = [{ ports = \"p[2-4]\", port_priority = 100 }]",
                "",
            ),
            0,
            "stands by: port priority 32768 is worse than those of 3 others, as kelp-a, the actor with the better system ID, sees it",
            Some(0b0000_0101),
        ),
        (
            "knows no LACP",
            lags("mixed_rates = true\nlacp = false", "", ""),
            3,
            "refused: the device can't do what the LAG asks",
            None,
        ),
        (
            "another partition",
            lags(any, "", "[[port]]\non = \"kelp-*\"\nports = \"p4\"\npartition = \"workshop\""),
            3,
            "refused: a port of another partition",
            None,
        ),
        (
            "another key",
            lags(any, "members = [{ ports = \"p4\", key = 9 }]", ""),
            3,
            "left out: another LACP key than the others",
            Some(0b0000_0101),
        ),
        (
            "switched off",
            lags(any, "", "[[port]]\non = \"kelp-b\"\nports = \"p4\"\nenabled = false"),
            3,
            "no link",
            None,
        ),
        (
            "short and passive",
            lags(any, "mode = \"passive\"\ntimeout = \"short\"\nunanswered = \"closed\"", ""),
            0,
            "closed: nobody answers",
            Some(0b0100_0110),
        ),
        (
            "passive alone",
            lags(any, "mode = \"passive\"", ""),
            0,
            "alone: nobody answers",
            Some(0b0111_1100),
        ),
    ];
    for (name, text, at, why, octet) in rows {
        let told = told(&text, &Condition::default());
        assert_eq!(told[at], (why.to_owned(), octet), "{name}");
        if at == 3 && name != "knows no LACP" {
            assert_eq!(told[0], used, "{name}");
        }
    }
}

#[test]
fn legs_of_an_ethernet_segment_are_one_partner() {
    let text = r#"
[[switch]]
name = "dune-[a-c]"
number = 15
ports = "p[1-2] 25G"
[[host]]
name = "hull-05"
nics = "nic[1-3] 25G"
bond = { name = "bond0", nics = "nic[1-3]" }
[[lag]]
on = "dune-*"
name = "hull-05"
ports = "p1"
ethernet_segment = "00:11:22:33:44:55:66:77:88:99"
[cabling]
runs = "hull-05 nic[1-3] -- dune-[a-c] p1"
"#;
    let bond = |text: &str| {
        let fabric = read(text);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let host = fabric.find_device("hull-05").unwrap();
        let lag = fabric.find_lag(host, "bond0").unwrap();
        let leaf = fabric.find_lag(fabric.find_device("dune-a").unwrap(), "hull-05").unwrap();
        let system = state.lag(leaf).system.unwrap().to_string();
        let ids: Vec<_> = fabric.check().findings.iter().map(|f| f.rule.id).collect();
        (state.lag(lag).in_use, system, ids)
    };
    // Three leaves are one partner; the system follows from the identifier.
    assert_eq!(bond(text), (3, "32768,12:22:33:44:55:66".to_owned(), vec![]));
    // By type 1 the identifier follows from the host, so the leaves must be told their system.
    let by_lacp = text.replace("00:11:22:33:44:55:66:77:88:99", "lacp");
    assert_eq!(bond(&by_lacp).2, ["es-system-clash"]);
    let set = by_lacp.replace("\"lacp\"\n", "\"lacp\"\nsystem = \"02:46:00:00:0d:01\"\n");
    assert_eq!(bond(&set), (3, "32768,02:46:00:00:0d:01".to_owned(), vec![]));
}

/// Three switches, two LAG ends on each, and cables at random.
fn tangle() -> impl Strategy<Value = (Vec<(usize, usize)>, Vec<usize>, Vec<usize>)> {
    (
        prop::collection::vec((0usize..18, 0usize..18), 0..9),
        prop::collection::vec(0usize..4, 6),
        prop::collection::vec(0usize..3, 3),
    )
}

fn tangled(
    cables: &[(usize, usize)],
    settings: &[usize],
    systems: &[usize],
    turned: bool,
) -> Fabric {
    let settings = |of: usize| {
        ["", "mode = \"passive\"", "protocol = \"static\"", "unanswered = \"one\""][settings[of]]
    };
    let mut text = String::new();
    for (switch, system) in systems.iter().enumerate() {
        let _ = writeln!(
            text,
            "[[switch]]\nname = \"s{switch}\"\nnumber = {}\nsystem_priority = {}\nports = \"p[0-5] 1G\"",
            switch + 1,
            system
        );
        for lag in 0..2 {
            let (low, high) = (lag * 3, lag * 3 + 2);
            let _ = writeln!(
                text,
                "[[lag]]\non = \"s{switch}\"\nname = \"l{lag}\"\nports = \"p[{low}-{high}]\"\n{}",
                settings(switch * 2 + lag)
            );
        }
    }
    let port = |port: usize| format!("s{} p{}", port / 6, port % 6);
    text.push_str("[cabling]\nruns = [\n");
    for &(a, b) in cables {
        let (a, b) = if turned { (b, a) } else { (a, b) };
        let _ = writeln!(text, "\"{} -- {}\",", port(a), port(b));
    }
    text.push_str("]\n");
    read(&text)
}

proptest! {
    #[test]
    fn laws_of_selection((cables, settings, systems) in tangle()) {
        let fabric = tangled(&cables, &settings, &systems, false);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        for (_, lag) in fabric.lags() {
            let mut partner = None;
            for member in lag.members.iter() {
                let outcome = state.member(member);
                if lag.protocol.value != Protocol::Lacp || outcome.state != MemberState::Selected {
                    continue;
                }
                let far = outcome.far.and_then(|far| fabric.lag_of(far));
                prop_assert!(far.is_some(), "an LACP member is selected only with a partner");
                prop_assert!(*partner.get_or_insert(far) == far, "one LAG, one partner");
                let far = fabric.lag(far.unwrap()).members.iter().find(|&other| {
                    state.member(other).far == Some(fabric.member(member).port.value)
                });
                let far = state.member(far.unwrap());
                prop_assert_eq!(far.distributing, outcome.distributing, "both ends use a link or neither");
            }
        }
        // The two ends of a cable may be written either way round.
        let turned = tangled(&cables, &settings, &systems, true);
        let none = Condition::default();
        prop_assert_eq!(outcomes(&fabric, &none), outcomes(&turned, &none));
    }
}

/// A stack of two without split detection, with a LAG of a switch and one of a host to both members.
const JETTY: &str = r#"
[[hardware]]
name = "box"
ports = "p[1-4] 25G"
[[switch]]
name = "jetty"
number = 21
role = "access"
[[stack]]
switch = "jetty"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 20, hardware = "box" }, { id = 2, priority = 200, hardware = "box" }]
[[switch]]
name = "pier"
number = 22
role = "access"
hardware = "box"
[[lag]]
on = "pier"
name = "up"
ports = "p[1-2]"
tagged = 310
[[lag]]
on = "jetty"
name = "down"
ports = ["1/p1", "2/p1"]
tagged = 310
[[lag]]
on = "jetty"
name = "hull"
ports = ["1/p2", "2/p2"]
tagged = 310
[[host]]
name = "hull"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = [{ name = "lan", tag = 310 }]
[cabling]
runs = [
  "jetty 1/st[1-2] -- jetty 2/st[1-2]",
  "pier p[1-2] -- jetty [1-2]/p1",
  "hull nic[1-2] -- jetty [1-2]/p2",
]
"#;

#[test]
fn the_parts_of_a_split_stack_are_systems_and_bridges_of_their_own() {
    let fabric = Fabric::from_text("jetty.toml", JETTY);
    assert!(fabric.is_complete(), "{:?}", fabric.faults());
    let split = ["cable jetty 1/st1", "cable jetty 1/st2"];
    let split = split
        .into_iter()
        .fold(Condition::default(), |condition, cut| condition.cut(&fabric, cut).unwrap());
    let told = |condition: &Condition| {
        let state = State::of(&fabric, condition, &Progress::default());
        let members = fabric.members().map(|(id, member)| {
            let why = state.why_not(id).unwrap_or_else(|| "in use".to_owned());
            format!("{}: {why}", fabric.port_label(member.port.value))
        });
        let bridges: Vec<_> =
            state.trees().bridges().map(|(_, bridge)| bridge.identifier.mac.to_string()).collect();
        format!("{}\n{}", members.collect::<Vec<_>>().join("\n"), bridges.join(" "))
    };
    // The host and the switch keep their links to the part of the better master; the other has its master's address.
    insta::assert_snapshot!(format!("{}\n\n{}", told(&Condition::default()), told(&split)));
}
