//! Ethernet segments beside what a kernel and a routing daemon made of the same fabric: forwarders, flood lists,
//! routes of types 1 to 4, and every ping.
//!
//! Where that system departs from the standards the answer here follows them, and each route that differs is in the
//! snapshot:
//!
//! - a leaf whose leg is down, or lacks the VLAN, goes on telling of the segment's instances and of MAC addresses that
//!   it knows from the other leaves (RFC 7432 section 8.2.1 has them withdrawn with the route for the segment).
//! - every leg gets a copy of what is flooded, as nothing enforces the election (sections 8.3 and 8.5), so copies are
//!   not compared.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::behaviour::{EvpnRoute, RouteKind};
use felting::fabric::DeviceId;
use felting::walk::{Choice, Options, Walker};
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::{list, text};

/// An identifier of type 3 as the language has it: MAC address and number (RFC 7432 section 5).
fn identifier(es: &Json) -> String {
    format!("{}/{}", text(es, "es_sys_mac"), es["es_id"])
}

/// The lab as a fabric file.
fn page(input: &Json) -> String {
    let mut page = String::from("[fabric]\nname = \"lab\"\n");
    let nodes = input["nodes"].as_object().unwrap();
    let hosts = input["hosts"].as_object().unwrap();
    let links = list(&input["links"]);
    let mut runs = Vec::new();
    for (name, node) in nodes {
        let ends = links.iter().flat_map(|link| [&link["a"], &link["b"]]);
        let own = ends.filter(|end| end["node"] == name.as_str());
        let mut ports: Vec<String> = own.map(|end| text(end, "if").to_owned()).collect();
        let attached: Vec<&String> = hosts
            .iter()
            .filter(|(_, host)| list(&host["legs"]).iter().any(|leg| leg == name))
            .map(|(host, _)| host)
            .collect();
        ports.extend(attached.iter().map(|host| format!("to_{host}")));
        let ports: Vec<String> = ports.iter().map(|port| format!("\"{port} 10G\"")).collect();
        let loopback = &node["loopback"];
        let _ = writeln!(
            page,
            "[[switch]]\nname = \"{name}\"\nrole = \"{}\"\nports = [{}]\n[[router]]\non = \"{name}\"\n\
             as_number = {}\nrouter_id = {loopback}\nloopback = {loopback}\npolicy_required = false",
            text(node, "role"),
            ports.join(", "),
            node["asn"],
        );
        let Some(vtep) = node["vtep_ip"].as_str() else { continue };
        let _ = writeln!(
            page,
            "[[overlay]]\non = \"{name}\"\nvtep = \"{vtep}\"\ntargets = \"as-vni\"\nany_as = true\n\
             suppression = false\nelection = \"preference\""
        );
        for host in attached {
            let port = format!("to_{host}");
            runs.push(format!("{name} {port} -- {host} {name}"));
            let Some(es) = list(&node["es"]).iter().find(|es| text(es, "to") == host) else {
                let _ = writeln!(
                    page,
                    "[[port]]\non = \"{name}\"\nports = \"{port}\"\ntagged = \"110,120\""
                );
                continue;
            };
            let vlans: Vec<String> = list(&es["vlans"]).iter().map(ToString::to_string).collect();
            let _ = writeln!(
                page,
                "[[lag]]\non = \"{name}\"\nname = \"bond_{host}\"\nports = \"{port}\"\ntagged = \"{}\"\n\
                 system = {}\nkey = {}\nethernet_segment = \"{}\"",
                vlans.join(","),
                es["lacp_system"],
                es["es_id"],
                identifier(es),
            );
            if let Some(preference) = es["df_pref"].as_u64() {
                let _ = writeln!(page, "ethernet_segment_preference = {preference}");
            }
        }
    }
    page.push_str("[[underlay]]\non = [\"s*\", \"l*\"]\nprotocol = \"bgp\"\n");
    for [on, to] in [["s*", "l*"], ["l*", "s*"]] {
        let kept = if on == "s*" { "next_hop = \"kept\"\n" } else { "" };
        let _ = write!(page, "[[session]]\non = \"{on}\"\nto = \"{to}\"\nmultihop = 2\n{kept}");
    }
    for link in links {
        for end in [&link["a"], &link["b"]] {
            let (node, port) = (text(end, "node"), text(end, "if"));
            let _ = writeln!(
                page,
                "[[port]]\non = \"{node}\"\nports = \"{port}\"\naddress = {}",
                end["ip"]
            );
        }
        let end = |end: &Json| format!("{} {}", text(end, "node"), text(end, "if"));
        runs.push(format!("{} -- {}", end(&link["a"]), end(&link["b"])));
    }
    for vlan in [110, 120] {
        let _ = writeln!(
            page,
            "[[segment]]\nname = \"s{vlan}\"\nvlan = {vlan}\nvni = {}\non = \"l*\"",
            10_000 + vlan
        );
    }
    page.push_str(&machines(hosts));
    let _ = writeln!(page, "[cabling]\nruns = {runs:?}");
    page
}

/// The hosts, with a machine in each VLAN.
fn machines(hosts: &serde_json::Map<String, Json>) -> String {
    let mut page = String::new();
    for (name, host) in hosts {
        let legs: Vec<&str> = list(&host["legs"]).iter().map(|leg| leg.as_str().unwrap()).collect();
        let nics: Vec<String> = legs.iter().map(|leg| format!("{leg} 10G")).collect();
        let _ = writeln!(page, "[[host]]\nname = \"{name}\"\nnics = {nics:?}");
        if legs.len() > 1 {
            let _ = writeln!(page, "bond = {{ name = \"bond0\", nics = {legs:?} }}");
        }
        page.push_str(
            "networks = [{ name = \"v110\", tag = 110 }, { name = \"v120\", tag = 120 }]\n",
        );
        for (vlan, address) in host["ip"].as_object().unwrap() {
            let _ = writeln!(
                page,
                "[[endpoint]]\nname = \"{name}-{vlan}\"\nhost = \"{name}\"\nnetwork = \"v{vlan}\"\n\
                 mac = {}\naddress = {address}",
                host["mac"]
            );
        }
    }
    page
}

/// A route as both can say it.
type Line = (u64, String, String, bool, String);

fn line(route: &EvpnRoute, next_hop: String) -> Option<Line> {
    let (key, whole) = match &route.kind {
        RouteKind::EthernetAd { esi, whole } => (esi.to_string(), *whole),
        RouteKind::MacIp { mac, ip: None, .. } => (mac.to_string(), false),
        RouteKind::InclusiveMulticast { originator } => (originator.to_string(), false),
        RouteKind::EthernetSegment { esi, originator } => (format!("{esi} {originator}"), false),
        _ => return None,
    };
    let router = route.rd.unwrap().router().unwrap().to_string();
    Some((u64::from(route.kind.number()), key, router, whole, next_hop))
}

/// What differs at a leaf from the record.
fn differences(state: &State, leaf: DeviceId, truth: &Json) -> BTreeSet<String> {
    let fabric = state.fabric();
    let mut found = BTreeSet::new();
    let mut compare = |what: String, here: String, there: String| {
        if here != there {
            found.insert(format!("{what}: {here} here, {there} recorded"));
        }
    };
    for es in
        list(&truth["es"]).iter().filter(|es| es["local"] == true && es["operational"] == true)
    {
        let esi = text(es, "esi");
        let (id, segment) =
            fabric.ethernet_segments().find(|(_, segment)| segment.id.to_string() == esi).unwrap();
        let own = segment.legs.iter().copied().find(|&leg| fabric.lag(leg).device == leaf).unwrap();
        let vlan = felting::value::VlanId::new(110).unwrap();
        let election = state.election(id, |_| Some(vlan));
        let (_, view) = election.views.iter().find(|(leg, _)| *leg == own).unwrap();
        compare(
            format!("forwarder of {esi}"),
            (view.forwarder == Some(own)).to_string(),
            es["forwarder"].to_string(),
        );
        let mut others: Vec<String> = view
            .candidates
            .iter()
            .filter(|(_, leg)| *leg != own)
            .map(|(address, _)| format!("\"{address}\""))
            .collect();
        others.sort_unstable();
        compare(
            format!("leaves of {esi}"),
            format!("[{}]", others.join(",")),
            es["others"].to_string(),
        );
    }
    for &presence in fabric.presences_on(leaf) {
        let vni = fabric.presence(presence).vni.unwrap().to_string();
        let mut to: Vec<String> = state
            .floods(presence)
            .unwrap()
            .targets
            .iter()
            .map(|target| format!("\"{}\"", target.address))
            .collect();
        to.sort_unstable();
        let there = truth["floods"][&vni].to_string();
        compare(format!("flood list of {vni}"), format!("[{}]", to.join(",")), there);
    }
    let mut here: BTreeSet<Line> = state
        .originated(leaf)
        .iter()
        .filter_map(|route| line(route, route.next_hop.to_string()))
        .collect();
    here.extend(
        state
            .received(leaf, &Progress::default())
            .iter()
            .filter_map(|one| line(&one.route, one.next_hop?.to_string())),
    );
    let there: BTreeSet<Line> = list(&truth["routes"])
        .iter()
        .map(|route| {
            let word = |place: usize| route[place].as_str().unwrap().to_owned();
            (route[0].as_u64().unwrap(), word(1), word(2), route[3].as_bool().unwrap(), word(5))
        })
        .collect();
    found.extend(here.difference(&there).map(|route| format!("only here: {route:?}")));
    found.extend(there.difference(&here).map(|route| format!("only recorded: {route:?}")));
    found
}

#[test]
fn every_lab() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/real/mh");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    let mut said = String::new();
    let mut pings = 0;
    for file in files {
        let lab: Json = serde_json::from_str(&std::fs::read_to_string(&file).unwrap()).unwrap();
        let written = page(&lab["input"]);
        let made = Fabric::from_text("lab.toml", &written);
        let faults: Vec<_> = made.faults().iter().map(|fault| &fault.what.message).collect();
        assert!(faults.is_empty(), "{file:?}: {faults:?}\n{written}");
        let down = list(&lab["input"]["down"]).iter();
        let condition = down.fold(Condition::default(), |condition, down| {
            let (leaf, bond) = down.as_str().unwrap().split_once(":bond_").unwrap();
            condition.cut(&made, &format!("cable {leaf} to_{bond}")).unwrap()
        });
        let state = State::of(&made, &condition, &Progress::default());
        let _ = writeln!(said, "{}", text(&lab, "about"));
        let mut at: BTreeMap<String, Vec<&str>> = BTreeMap::new();
        for (leaf, truth) in lab["nodes"].as_object().unwrap() {
            let device = made.find_device(leaf).unwrap();
            for difference in differences(&state, device, truth) {
                at.entry(difference).or_default().push(leaf);
            }
        }
        for (difference, leaves) in at {
            let _ = writeln!(said, "  {}: {difference}", leaves.join(", "));
        }
        let mut walker = Walker::new(&state);
        for ping in list(&lab["pings"]) {
            let end = |key: &str| {
                made.terminal(&format!("{}-{}", text(ping, key), ping["vlan"])).unwrap()
            };
            let options = Options { choice: Choice::All, ..Options::default() };
            let walk = walker.walk(end("from"), end("to"), options).unwrap();
            assert_eq!(
                walk.arrives(),
                ping["received"] == ping["sent"],
                "{file:?} {ping}: {:?}\n{written}",
                walk.back
            );
            pings += 1;
        }
    }
    assert_eq!(pings, 5 * 24);
    insta::assert_snapshot!(said);
}
