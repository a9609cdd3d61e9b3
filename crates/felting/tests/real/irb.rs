//! Symmetric routing beside what a kernel and a routing daemon made of the same fabric: every ping of every lab,
//! with the TTL that its reply came back with.
//!
//! Where that system departs from the standards the walk follows the standard, and each ping that differs is in the
//! snapshot, under the clause that decides:
//!
//! - the VNI on the wire is that of the receiver, which the route carries (RFC 9135 section 5.4, RFC 8365 section
//!   5.1.3), so a VRF with another layer 3 VNI on one leaf and the same targets works. The kernel sends with the VNI
//!   of the importing VRF.
//! - the inner destination is the router MAC of the route, and the outer one its next hop (RFC 9135 section 5.3), so
//!   that two leaves with one router MAC address, or two VRFs with two, mix nothing up. The kernel keeps one address
//!   for each VTEP and VRF.

use std::fmt::Write as _;

use felting::walk::{Options, Walker, Way};
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::{list, text};

fn targets(value: &Json) -> String {
    serde_json::to_string(value).unwrap()
}

/// The lab as a fabric file.
fn fabric(input: &Json) -> String {
    let mut page = String::from("[fabric]\nname = \"lab\"\n");
    let nodes = input["nodes"].as_object().unwrap();
    let hosts = input["hosts"].as_object().unwrap();
    let links = list(&input["links"]);
    for (name, node) in nodes {
        let ends = links.iter().flat_map(|link| [&link["a"], &link["b"]]);
        let own = ends.filter(|end| end["node"] == name.as_str());
        let mut ports: Vec<String> =
            own.map(|end| format!("\"{} 10G\"", text(end, "if"))).collect();
        let at = hosts.values().filter(|host| host["leaf"] == name.as_str());
        ports.extend(at.map(|host| format!("\"{} 10G\"", text(host, "leaf_port"))));
        let _ = writeln!(
            page,
            "[[switch]]\nname = \"{name}\"\nrole = \"{}\"\nports = [{}]\n[[router]]\non = \"{name}\"\n\
             as_number = {}\nrouter_id = {loopback}\nloopback = {loopback}\npolicy_required = false",
            text(node, "role"),
            ports.join(", "),
            node["asn"],
            loopback = node["loopback"],
        );
        if let Some(vtep) = node["vtep_ip"].as_str() {
            let macs = node["vrfs"][0]["router_mac"].as_str().unwrap();
            let _ = writeln!(
                page,
                "[[overlay]]\non = \"{name}\"\nvtep = \"{vtep}\"\ntargets = \"as-vni\"\nany_as = true\n\
                 suppression = false\nrouter_mac = \"{macs}\""
            );
        }
    }
    page.push_str("[[underlay]]\non = [\"s*\", \"l*\"]\nprotocol = \"bgp\"\n");
    for [on, to] in [["s*", "l*"], ["l*", "s*"]] {
        let kept = if on == "s*" { "next_hop = \"kept\"\n" } else { "" };
        let _ = write!(page, "[[session]]\non = \"{on}\"\nto = \"{to}\"\nmultihop = 2\n{kept}");
    }
    let mut runs = Vec::new();
    for link in links {
        for end in [&link["a"], &link["b"]] {
            let _ = writeln!(
                page,
                "[[port]]\non = \"{}\"\nports = \"{}\"\naddress = \"{}\"",
                text(end, "node"),
                text(end, "if"),
                text(end, "ip")
            );
        }
        let end = |end: &Json| format!("{} {}", text(end, "node"), text(end, "if"));
        runs.push(format!("\"{} -- {}\"", end(&link["a"]), end(&link["b"])));
    }
    tenants(&mut page, nodes);
    let mut vlans: Vec<u64> = hosts.values().map(|host| host["vni"].as_u64().unwrap()).collect();
    vlans.sort_unstable();
    vlans.dedup();
    for (name, host) in hosts {
        let place = vlans.iter().position(|&vni| Some(vni) == host["vni"].as_u64()).unwrap();
        let (leaf, port) = (text(host, "leaf"), text(host, "leaf_port"));
        let _ = writeln!(
            page,
            "[[port]]\non = \"{leaf}\"\nports = \"{port}\"\nuntagged = {}\n[[host]]\nname = \"{name}\"\n\
             nics = \"e0 10G\"\nnetworks = {{ name = \"lan\" }}\n[[endpoint]]\nname = \"at-{name}\"\n\
             host = \"{name}\"\nmac = {}\naddress = {}\ngateway = {}",
            100 + place,
            host["mac"],
            host["ip"],
            host["gateway"],
        );
        runs.push(format!("\"{name} e0 -- {leaf} {port}\""));
    }
    let _ = writeln!(page, "[cabling]\nruns = [{}]", runs.join(", "));
    page
}

/// The VRFs and segments, each with what a leaf has otherwise.
fn tenants(page: &mut String, nodes: &serde_json::Map<String, Json>) {
    let leaves = || nodes.iter().filter(|(_, node)| node["vtep_ip"].is_string());
    let (_, first) = leaves().next().unwrap();
    for (number, vrf) in list(&first["vrfs"]).iter().enumerate() {
        let name = text(vrf, "vrf");
        let _ = write!(
            page,
            "[[vrf]]\nname = \"{name}\"\nnumber = {}\nvni = {}\nimport_targets = {}\n\
             export_targets = {}\non = \"l*\"\n",
            number + 1,
            vrf["l3vni"],
            targets(&vrf["rt_import"]),
            targets(&vrf["rt_export"])
        );
        let differs: Vec<String> = leaves()
            .map(|(leaf, node)| {
                let own = list(&node["vrfs"]).iter().find(|own| own["vrf"] == name).unwrap();
                let silent = list(&own["advertise"]).is_empty();
                format!(
                    "{{ on = \"{leaf}\", vni = {}, import_targets = {}, export_targets = {}, \
                     advertise_subnets = {} }}",
                    own["l3vni"],
                    targets(&own["rt_import"]),
                    targets(&own["rt_export"]),
                    !silent
                )
            })
            .collect();
        let _ = writeln!(page, "differs = [{}]", differs.join(", "));
    }
    let mut vnis: Vec<u64> = leaves()
        .flat_map(|(_, node)| list(&node["segments"]))
        .map(|segment| segment["vni"].as_u64().unwrap())
        .collect();
    vnis.sort_unstable();
    vnis.dedup();
    for (place, vni) in vnis.into_iter().enumerate() {
        let has = |node: &Json| list(&node["segments"]).iter().any(|own| own["vni"] == vni);
        let on: Vec<String> =
            leaves().filter(|(_, node)| has(node)).map(|(leaf, _)| format!("\"{leaf}\"")).collect();
        let mut all = leaves().flat_map(|(_, node)| list(&node["segments"]));
        let segment = all.find(|own| own["vni"] == vni).unwrap();
        let gateway = text(segment, "gateway_ip").split_once('/').unwrap();
        let subnet = format!("{}.0/{}", gateway.0.rsplit_once('.').unwrap().0, gateway.1);
        let _ = writeln!(
            page,
            "[[segment]]\nname = \"s{vni}\"\nvlan = {}\nvni = {vni}\nvrf = \"{}\"\nsubnet = \"{subnet}\"\n\
             gateway = \"{}\"\ngateway_mac = {}\non = [{}]",
            100 + place,
            text(segment, "vrf"),
            gateway.0,
            segment["gateway_mac"],
            on.join(", ")
        );
    }
}

#[test]
fn every_ping_of_every_lab() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/real/irb");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    let (mut page, mut asked) = (String::new(), 0);
    for file in files {
        let lab: Json = serde_json::from_str(&std::fs::read_to_string(&file).unwrap()).unwrap();
        let made = Fabric::from_text("lab.toml", &fabric(&lab["input"]));
        let faults: Vec<_> = made.faults().iter().map(|fault| &fault.what.message).collect();
        assert!(faults.is_empty(), "{file:?}: {faults:?}");
        let state = State::of(&made, &Condition::default(), &Progress::default());
        let mut walker = Walker::new(&state);
        let mut differ = Vec::new();
        for ping in list(&lab["pings"]["hosts"]) {
            let (from, to) = (text(ping, "from"), text(ping, "to"));
            let ends = [from, to].map(|name| made.terminal(&format!("at-{name}")).unwrap());
            let walk = walker.walk(ends[0], ends[1], Options::BY_HASH).unwrap();
            let received = ping["received"].as_u64().unwrap_or(0) > 0;
            let ttl = walk.back.as_ref().map(Way::routers).map(|routers| 64 - u64::from(routers));
            let recorded = received.then(|| ping["ttl"].as_u64().unwrap());
            let here = walk.arrives().then(|| ttl.unwrap());
            if here != recorded {
                differ.push(format!("{from} to {to}: {here:?} here, {recorded:?} recorded"));
            }
            asked += 1;
        }
        let _ = writeln!(page, "{}", text(&lab, "about"));
        for line in &differ {
            let _ = writeln!(page, "  {line}");
        }
    }
    assert_eq!(asked, 7 * 72);
    insta::assert_snapshot!(page);
}
