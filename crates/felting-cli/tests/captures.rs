//! What walks write as captures, read by a packet analyser.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::Value;

/// Walks of the demo fabric, and what is cut in each: bridged and routed, to the same switch, over a pair, an
/// Ethernet segment, access switches, leaks, the way out, both IP versions.
const WALKS: &[&[&str]] = &[
    &["web-1", "web-2"],
    &["web-1", "2001:db8:80:310::22"],
    &["web-1", "solver-2"],
    &["solver-1", "tides-files-1"],
    &["gauge", "imager-2"],
    &["imager-1", "gauge", "--all"],
    &["eye-1", "lathe"],
    &["lathe", "eye-2", "--cut", "jetty 2/p23"],
    &["web-1", "desk-2"],
    &["imager-2", "campus"],
    &["campus", "web-1", "--size", "1400"],
    &["web-1", "web-2", "--cut", "kelp-a p49", "--cut", "kelp-a p50", "--all"],
];

/// What the analyser says of each frame: names of its own, in the order asked for.
const FIELDS: &[&str] = &[
    "frame.interface_name",
    "eth.src",
    "eth.dst",
    "vlan.id",
    "ip.src",
    "ip.dst",
    "ip.ttl",
    "ipv6.src",
    "ipv6.dst",
    "ipv6.hlim",
    "udp.srcport",
    "udp.dstport",
    "vxlan.vni",
    "geneve.vni",
    "gre.key",
    "arp.src.proto_ipv4",
    "arp.dst.proto_ipv4",
    "udp.checksum",
];

/// Checksums that are wrong, and what cannot be decoded.
const WRONG: &str = "_ws.malformed || ip.checksum.status == 0 || udp.checksum.status == 0 || \
                     icmp.checksum.status == 0 || icmpv6.checksum.status == 0 || \
                     ip.bogus_header_length || udp.length.bad";

fn tshark(file: &Path, more: &[&str]) -> Vec<String> {
    let output = Command::new("tshark")
        .args(["-n", "-r"])
        .arg(file)
        .args(["-o", "ip.check_checksum:TRUE", "-o", "udp.check_checksum:TRUE"])
        .args(more)
        .output()
        .unwrap();
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    text.lines().map(str::to_owned).collect()
}

/// Every exit of a walk in the order of the capture.
fn exits(walk: &Value) -> Vec<(String, Value)> {
    let asked = walk["resolutions"].as_array().unwrap().iter();
    let paths = asked
        .flat_map(|one| [&one["request"], &one["reply"]])
        .chain([&walk["there"], &walk["back"]]);
    let hops = paths.filter_map(Value::as_array).flatten();
    hops.flat_map(|hop| {
        let device = hop["device"].as_str().unwrap().to_owned();
        let exits = hop["exits"].as_array().unwrap().clone();
        exits.into_iter().map(move |exit| (device.clone(), exit))
    })
    .collect()
}

/// What the analyser must see of an exit, in the order of [`FIELDS`] without the first and last.
fn seen(exit: &Value) -> Vec<String> {
    let (outer, frame) = (&exit["outer"], &exit["frame"]);
    let layers: Vec<&Value> = [outer, frame].into_iter().filter(|layer| !layer.is_null()).collect();
    let text = |value: &Value| match value {
        Value::String(text) => text.clone(),
        Value::Null => String::new(),
        other => other.to_string(),
    };
    let all = |key: &str, of: &dyn Fn(&Value) -> bool| {
        let values = layers.iter().filter(|layer| of(layer)).map(|layer| text(&layer[key]));
        values.filter(|value| !value.is_empty()).collect::<Vec<_>>().join(",")
    };
    let six = |layer: &Value| text(&layer["source"]).contains(':');
    let asks = |layer: &Value| matches!(layer["content"].as_str(), Some("who has" | "is at"));
    let four = |layer: &Value| !six(layer) && !asks(layer);
    let arp = |layer: &Value| !six(layer) && asks(layer);
    let vni = |kind: &str, shown: &dyn Fn(u64) -> String| match outer["vni"].as_u64() {
        Some(vni) if outer["encapsulation"] == kind => shown(vni),
        _ => String::new(),
    };
    // A question by ND goes to a group, not to the address that is asked for.
    let solicits = layers.iter().any(|layer| six(layer) && layer["content"] == "who has");
    vec![
        all("source_mac", &|_| true),
        all("destination_mac", &|_| true),
        all("tag", &|_| true),
        all("source", &four),
        all("destination", &four),
        all("ttl", &four),
        all("source", &six),
        if solicits { "-".to_owned() } else { all("destination", &six) },
        all("ttl", &six),
        text(&outer["udp_source"]),
        text(&outer["udp_destination"]),
        vni("vxlan", &|vni| vni.to_string()),
        vni("geneve", &|vni| format!("{vni:#08x}")),
        // RFC 7637 section 3.2: the VSID, and eight bits for the flow.
        vni("nvgre", &|vni| format!("{vni:#08x}{:02x}", outer["flow_id"].as_u64().unwrap_or(0))),
        all("source", &arp),
        all("destination", &arp),
    ]
}

/// Whether there is an analyser; says why not, and fails where all programs are to be there.
#[allow(clippy::print_stderr, reason = "a test that is skipped says so")]
fn analyser() -> bool {
    let found = Command::new("tshark").arg("--version").output();
    if let Err(error) = &found {
        let required = std::env::var_os("FELTING_TEST_PROGRAMS").is_some();
        assert!(!required, "tshark cannot be run: {error}");
        eprintln!("skipped: tshark cannot be run ({error}); .ci/run installs it");
    }
    found.is_ok()
}

/// Walks, and holds the capture against what the walk states; returns the UDP checksums of what is tunnelled.
fn compare(model: &Path, words: &[&str]) -> Vec<String> {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("walk.pcapng");
    let output = Command::new(env!("CARGO_BIN_EXE_felting"))
        .arg("walk")
        .args(&words[..2])
        .arg(model)
        .args(&words[2..])
        .args(["--format", "json", "--capture"])
        .arg(&file)
        .output()
        .unwrap();
    let complaint = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(0), "{words:?}: {complaint}");
    let walk: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(tshark(&file, &["-Y", WRONG]), Vec::<String>::new(), "{words:?}");
    let fields = FIELDS.iter().flat_map(|field| ["-e", field]);
    let asked: Vec<&str> =
        ["-T", "fields", "-E", "aggregator=,"].into_iter().chain(fields).collect();
    let rows = tshark(&file, &asked);
    let exits = exits(&walk);
    assert_eq!(rows.len(), exits.len(), "{words:?}");
    let mut checksums = Vec::new();
    for (row, (device, exit)) in rows.iter().zip(&exits) {
        let mut cells: Vec<&str> = row.split('\t').collect();
        let (tap, udp_checksum) = (cells.remove(0), cells.pop().unwrap());
        let ports = [
            format!("{device} {}", exit["port"].as_str().unwrap()),
            format!(
                "{} {}",
                exit["into_device"].as_str().unwrap(),
                exit["into_port"].as_str().unwrap()
            ),
        ];
        assert!(ports.iter().any(|port| port == tap), "{words:?}: {tap} is none of {ports:?}");
        let mut expected = seen(exit);
        for (cell, wanted) in cells.iter().zip(&mut expected) {
            if wanted == "-" {
                wanted.clear();
                wanted.push_str(cell);
            }
        }
        assert_eq!(cells, expected, "{words:?} on {tap}");
        if !exit["outer"].is_null() {
            checksums.push(udp_checksum.to_owned());
        }
    }
    checksums
}

#[test]
fn an_analyser_sees_what_the_walk_states() {
    if !analyser() {
        return;
    }
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh/fabric.toml");
    for words in WALKS {
        // RFC 7348 section 5: over IPv4 the outer checksum is zero.
        assert!(compare(&demo, words).iter().all(|sum| sum == "0x0000"), "{words:?}");
    }
}

const SIX: &[(&str, &str)] = &[
    ("10.0.0.0/11", "2001:db8:1::/48"),
    ("10.32.0.0/16", "2001:db8:2::/64"),
    ("10.33.0.0/16", "2001:db8:3::/64"),
    ("protocol = \"ospf\"", "protocol = \"is-is\""),
];

/// A first fabric with something replaced, and a machine of another segment.
fn variant(folder: &Path, changes: &[(&str, &str)]) -> PathBuf {
    let file = folder.join("variant.toml");
    let _ = std::fs::remove_file(&file);
    let made = Command::new(env!("CARGO_BIN_EXE_felting"))
        .arg("new")
        .arg(&file)
        .args(["--pairs", "3", "--hosts", "3"])
        .status()
        .unwrap();
    assert!(made.success());
    let mut text = std::fs::read_to_string(&file).unwrap();
    text.push_str(
        "\n[[endpoint]]\nname = \"far\"\nhost = \"host-003\"\ntag = 102\n\
         address = \"10.64.2.13/24\"\ngateway = \"10.64.2.1\"\n",
    );
    for (from, to) in changes {
        assert!(text.contains(from), "{from}");
        text = text.replace(from, to);
    }
    std::fs::write(&file, text).unwrap();
    file
}

#[test]
fn an_analyser_sees_each_kind_of_tunnel() {
    if !analyser() {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let overlay = |keys: &str| format!("target_pattern = \"65000:{{vni}}\"\n{keys}");
    let group =
        overlay("replication = \"multicast\"\nrendezvous = \"10.32.0.101\"\nsuppression = false\n");
    let (geneve, nvgre, six) = (
        overlay("encapsulation = \"geneve\"\n"),
        overlay("encapsulation = \"nvgre\"\n"),
        overlay("encapsulation = \"vxlan\"\n"),
    );
    let pattern = "target_pattern = \"65000:{vni}\"\n";
    let zero = |sums: &[String]| sums.iter().all(|sum| sum == "0x0000");
    for far in ["machine-2", "far"] {
        for keys in [&geneve, &nvgre, &six] {
            let fabric = variant(folder.path(), &[(pattern, keys)]);
            compare(&fabric, &["machine-1", far]);
        }
        let fabric = variant(
            folder.path(),
            &[
                (pattern, &group),
                ("protocol = \"ospf\"", "protocol = \"ospf\"\nmulticast = true"),
                ("vlan = 101\n", "vlan = 101\nmulticast_group = \"239.1.1.1\"\n"),
                ("vlan = 102\n", "vlan = 102\nmulticast_group = \"239.1.1.2\"\n"),
            ],
        );
        compare(&fabric, &["machine-1", far]);
        for keys in [&geneve, &six] {
            let changes: Vec<(&str, &str)> =
                SIX.iter().copied().chain([(pattern, keys.as_str())]).collect();
            let fabric = variant(folder.path(), &changes);
            // RFC 8200 section 8.1: over IPv6 there is a checksum, unless both ends agree (RFC 6935).
            let sums = compare(&fabric, &["machine-1", far]);
            assert!(!sums.is_empty() && sums.iter().all(|sum| sum != "0x0000"), "{sums:?}");
            assert!(zero(&compare(&fabric, &["machine-1", far, "--zero-outer-checksum"])));
        }
    }
}
