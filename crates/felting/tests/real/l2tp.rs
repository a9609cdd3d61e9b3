//! L2TPv3 wires beside what a kernel made of them: what passes, how large, and with which headers.
//!
//! The kernel's bridge lets frames through that are up to four bytes larger than the MTU, as room for a tag, tagged or not;
//! sizes in that gap are not compared (RFC 4719 section 4 leaves larger frames to be dropped).

use std::fmt::Write as _;

use felting::walk::{Act, Options, Shim, Walker};
use felting::wire::{self, OuterChecksum};
use felting::{Condition, Fabric, Progress, State};

/// An end: over UDP, the ids and cookies that it sends and expects, sublayer, sequence numbers, the MTU, the far address.
#[derive(Clone, Copy)]
struct End {
    udp: bool,
    session: (u32, u32),
    cookie: (&'static str, &'static str),
    sublayer: bool,
    sequence: bool,
    mtu: u32,
    to: &'static str,
}

const X: End = End {
    udp: false,
    session: (21, 11),
    cookie: ("", ""),
    sublayer: false,
    sequence: false,
    mtu: 1462,
    to: "10.93.2.1",
};
const Y: End = End { session: (11, 21), to: "10.93.1.1", ..X };

const C4: (&str, &str) = ("c0a80001", "c0a80002");
const C8: (&str, &str) = ("0102030405060708", "1112131415161718");
const fn turned(cookie: (&'static str, &'static str)) -> (&'static str, &'static str) {
    (cookie.1, cookie.0)
}

/// What was recorded: the first octets of what x sends after the IP header, and the largest packet that was answered.
type Recorded = (&'static str, Option<u32>);

/// The wires by name, each with its ends and what was recorded of it.
const WIRES: &[(&str, End, End, Recorded)] = &[
    ("ip_plain", X, Y, ("00000015", Some(1462))),
    (
        "ip_cookie4",
        End { cookie: C4, mtu: 1458, ..X },
        End { cookie: turned(C4), mtu: 1458, ..Y },
        ("00000015c0a80001", Some(1458)),
    ),
    (
        "ip_cookie8_sublayer_seq",
        End { cookie: C8, sublayer: true, sequence: true, mtu: 1450, ..X },
        End { cookie: turned(C8), sublayer: true, sequence: true, mtu: 1450, ..Y },
        ("00000015010203040506070840000000", Some(1450)),
    ),
    (
        "ip_sublayer_seq",
        End { sublayer: true, sequence: true, mtu: 1458, ..X },
        End { sublayer: true, sequence: true, mtu: 1458, ..Y },
        ("0000001540000000", Some(1458)),
    ),
    (
        "ip_mtu_1500",
        End { sublayer: true, mtu: 1500, ..X },
        End { sublayer: true, mtu: 1500, ..Y },
        ("0000001500000000", Some(1500)),
    ),
    (
        "udp_cookie8_sublayer_seq",
        End { udp: true, cookie: C8, sublayer: true, sequence: true, mtu: 1438, ..X },
        End { udp: true, cookie: turned(C8), sublayer: true, sequence: true, mtu: 1438, ..Y },
        ("000300000000001501020304050607084000", Some(1438)),
    ),
    (
        "udp_sublayer",
        End { udp: true, sublayer: true, mtu: 1446, ..X },
        End { udp: true, sublayer: true, mtu: 1446, ..Y },
        ("000300000000001500000000", Some(1446)),
    ),
    // Sequence numbers at one end do no harm.
    (
        "f_seq_one_end",
        End { sublayer: true, sequence: true, mtu: 1458, ..X },
        End { sublayer: true, mtu: 1458, ..Y },
        ("0000001540000000", Some(1458)),
    ),
    // Tunnel ids are not in data packets, and not in the language.
    ("f_tunnel_ids_crossed_ip", X, Y, ("00000015", Some(1462))),
    (
        "f_cookie_differs",
        End { cookie: C4, mtu: 1458, ..X },
        End { cookie: ("c0a80009", "c0a80001"), mtu: 1458, ..Y },
        ("00000015c0a80001", None),
    ),
    (
        "f_cookie_not_exchanged",
        End { cookie: C4, mtu: 1458, ..X },
        End { cookie: C4, mtu: 1458, ..Y },
        ("00000015c0a80001", None),
    ),
    ("f_encap_differs", X, End { udp: true, mtu: 1450, ..Y }, ("00000015", None)),
    ("f_peer_session_wrong", End { session: (99, 11), ..X }, Y, ("00000063", None)),
    ("f_remote_elsewhere", X, End { to: "10.93.1.9", ..Y }, ("00000015", None)),
    ("f_sublayer_differs", End { sublayer: true, mtu: 1458, ..X }, Y, ("0000001500000000", None)),
];

fn fabric(x: End, y: End) -> Fabric {
    let mut text = String::from(
        r#"
[[switch]]
name = "[x-y]"
number = 1
ports = "p[1-2] 10G"

[[switch]]
name = "r"
number = 3
ports = "p[1-2] 10G"

[[underlay]]
on = ["x", "y", "r"]
protocol = "ospf"
"#,
    );
    let links =
        [("x", "p2", "1.1"), ("r", "p1", "1.254"), ("y", "p2", "2.1"), ("r", "p2", "2.254")];
    for (on, port, address) in links {
        let address = format!("port = \"{port}\"\naddress = \"10.93.{address}/24\"\nmtu = 1500");
        write!(text, "\n[[interface]]\non = \"{on}\"\n{address}\n").unwrap();
    }
    for (on, end, from, ports) in
        [("x", x, "10.93.1.1", (5101, 5201)), ("y", y, "10.93.2.1", (5201, 5101))]
    {
        let over = if end.udp { "udp" } else { "ip" };
        let ((sent, expected), (out, back)) = (end.session, end.cookie);
        let cookie = match out {
            "" => String::new(),
            _ => format!("cookie = {{ local = \"{back}\", remote = \"{out}\" }}"),
        };
        write!(
            text,
            r#"
[[pseudowire]]
name = "l2"
on = "{on}"
port = "p1"
from = "{from}"
to = "{to}"
over = "{over}"
session = {{ local = {expected}, remote = {sent} }}
{cookie}
sublayer = {sublayer}
sequence = {sequence}
udp_port = {port}
to_port = {to_port}
mtu = {mtu}
"#,
            to = end.to,
            sublayer = end.sublayer,
            sequence = end.sequence,
            port = ports.0,
            to_port = ports.1,
            mtu = end.mtu,
        )
        .unwrap();
    }
    text.push_str(
        r#"
[[host]]
name = "[a-b]"
nics = "e0 10G"
networks = [{ name = "lan" }, { name = "v77", tag = 77 }]

[[endpoint]]
name = "ends-a"
host = "a"
network = "lan"
address = "10.50.0.1/24"

[[endpoint]]
name = "ends-b"
host = "b"
network = "lan"
address = "10.50.0.2/24"

[[endpoint]]
name = "tagged-a"
host = "a"
network = "v77"
address = "10.77.0.1/24"

[[endpoint]]
name = "tagged-b"
host = "b"
network = "v77"
address = "10.77.0.2/24"

[cabling]
runs = ["a e0 -- x p1", "b e0 -- y p1", "x p2 -- r p1", "y p2 -- r p2"]
"#,
    );
    Fabric::from_text("l2tp.toml", &text).complete().unwrap()
}

fn pings(state: &State, from: &str, to: &str, size: u32) -> bool {
    let end = |name: &str| state.fabric().terminal(name).unwrap();
    let options = Options { size: Some(size), ..Options::BY_HASH };
    Walker::new(state).walk(end(from), end(to), options).unwrap().arrives()
}

/// What x sends after its outer IP header, as digits.
fn sent(state: &State) -> String {
    let end = |name: &str| state.fabric().terminal(name).unwrap();
    let walk = Walker::new(state).walk(end("ends-a"), end("ends-b"), Options::default()).unwrap();
    let asked = walk.resolutions.iter().map(|one| &one.request);
    let mut hops = asked.chain(walk.paths()).flat_map(|path| &path.hops);
    let goes_in = |act: &Act| matches!(act, Act::IntoWire { .. });
    let hop = hops.find(|hop| hop.acts.iter().any(goes_in)).expect("a frame goes in");
    let headers = &hop.exits[0].headers;
    let is_udp = matches!(headers.outer().unwrap().shim, Shim::L2tp { udp: true, .. });
    let bytes = wire::frame(headers, 84, OuterChecksum::Standard);
    // As recorded: without the bit that forbids fragments, over IP by its own protocol number (RFC 3931 section 4.1.1).
    assert_eq!((bytes[20], bytes[23]), (0, if is_udp { 17 } else { 115 }));
    let after = 14 + 20 + if is_udp { 8 } else { 0 };
    let mut digits = String::new();
    bytes[after..].iter().for_each(|byte| write!(digits, "{byte:02x}").unwrap());
    digits
}

#[test]
fn wires_carry_what_a_kernel_carries() {
    let mut wrong = Vec::new();
    for &(name, x, y, (header, largest)) in WIRES {
        let fabric = fabric(x, y);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        if !sent(&state).starts_with(header) {
            wrong.push(format!("{name}: x sends {}", &sent(&state)[..40]));
        }
        for (from, to) in [("ends-a", "ends-b"), ("ends-b", "ends-a"), ("tagged-a", "tagged-b")] {
            if pings(&state, from, to, 84) != largest.is_some() {
                wrong.push(format!("{name}: {from} to {to}"));
            }
        }
        let Some(largest) = largest else { continue };
        for (size, passes) in [(1328, true), (largest, true), (largest + 5, false)] {
            let passes = passes && size <= largest;
            if pings(&state, "ends-a", "ends-b", size) != passes {
                wrong.push(format!("{name}: {size} bytes"));
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn the_finding_is_about_the_one_thing_that_differs() {
    let mut told = String::new();
    for &(name, x, y, _) in WIRES.iter().filter(|wire| wire.0.starts_with("f_")) {
        let report = fabric(x, y).check();
        let rules = report.findings.iter().map(|finding| finding.rule.id);
        let rules: Vec<&str> = rules
            .filter(|rule| rule.starts_with("tunnel-") && !rule.ends_with("loopback"))
            .collect();
        writeln!(told, "{name}: {}", rules.join(", ")).unwrap();
    }
    insta::assert_snapshot!(told);
}
