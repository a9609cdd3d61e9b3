//! What walks write as captures, read by a packet analyser.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::Path;
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
    &["lathe", "eye-2", "--cut", "jetty 2/ge23"],
    &["web-1", "desk-2"],
    &["imager-2", "campus"],
    &["campus", "web-1", "--size", "1400"],
    &["web-1", "web-2", "--cut", "kelp-a et49", "--cut", "kelp-a et50", "--all"],
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
        text(&outer["vni"]),
        all("source", &arp),
        all("destination", &arp),
    ]
}

#[test]
fn an_analyser_sees_what_the_walk_states() {
    if let Err(error) = Command::new("tshark").arg("--version").output() {
        eprintln!("skipped: tshark cannot be run ({error}); .ci/run installs it");
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh/fabric.toml");
    for words in WALKS {
        let file = folder.path().join("walk.pcapng");
        let output = Command::new(env!("CARGO_BIN_EXE_felting"))
            .arg("walk")
            .arg(&demo)
            .args(*words)
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
            // RFC 7348 section 5: over IPv4 the outer checksum is zero.
            if !exit["outer"].is_null() {
                assert_eq!(udp_checksum, "0x0000", "{words:?} on {tap}");
            }
        }
    }
}
