use felting::behaviour::{NotPassed, SessionFault};
use felting::fabric::SessionId;
use felting::value::Family;
use felting::{Fabric, State};

use super::{CABLES, PLANT, device, made};

const OSPF: &str = "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n";
const ONE_AS: &str = "[[router]]\non = [\"crest-*\", \"kelp-*\"]\nas_number = 65000\n";

/// What became of the session that kelp-b has with crest-1: its fault, and whether one end only opens it.
fn outcome(more: &str) -> (Option<SessionFault>, bool) {
    let (fabric, state) = made(&format!("{PLANT}{CABLES}{more}"));
    let id = session(&fabric, "kelp-b", "crest-1");
    let outcome = state.bgp().session(id);
    (outcome.fault, outcome.half)
}

fn session(fabric: &Fabric, at: &str, with: &str) -> SessionId {
    let peer = device(fabric, with);
    let own = fabric.router_of(device(fabric, at)).unwrap().sessions.iter();
    let mut found = own.filter(|&id| fabric.session(id).peer == peer);
    found.next().unwrap()
}

#[test]
fn why_a_session_is_down() {
    let two = |leaf: &str, spine: &str| {
        format!(
            "{OSPF}{ONE_AS}[[session]]\non = \"kelp-*\"\nto = \"crest-*\"\n{leaf}[[session]]\non = \"crest-*\"\nto = \"kelp-*\"\nclient = true\n{spine}"
        )
    };
    let differs = |keys: &str| format!("differs = [{{ on = \"kelp-b\", {keys} }}]\n");
    for (what, text, expected) in [
        ("nothing", two("", ""), (None, false)),
        ("one end only", two("", "").replace("to = \"kelp-*\"", "to = \"kelp-a\""), (Some(SessionFault::OneSided), false)),
        // RFC 4271 section 6.2: Bad Peer AS.
        ("AS number", two(&differs("peer_as = 65001"), ""), (Some(SessionFault::AsClash), false)),
        // RFC 4271 section 8.2.1: the spine's own connection still comes in.
        ("source of one end", two(&differs("source = \"10.64.0.193\""), ""), (None, true)),
        (
            "source and target of one end",
            two(&differs("source = \"10.64.0.193\", peer_address = \"10.64.0.192\""), ""),
            (Some(SessionFault::SourceClash), false),
        ),
        ("key", two(&differs("authentication = \"ebb\""), ""), (Some(SessionFault::AuthenticationClash), false)),
        (
            "no AS number",
            two("", "").replace("[\"crest-*\", \"kelp-*\"]\nas_number", "[\"crest-*\", \"kelp-a\"]\nas_number"),
            (Some(SessionFault::NoAsNumber), false),
        ),
        (
            "no route",
            two("", "").replace(OSPF, "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\ndiffers = [{ on = \"kelp-b\", area = 1 }]\n"),
            (Some(SessionFault::Unreachable), false),
        ),
    ] {
        assert_eq!(outcome(&text), expected, "{what}");
    }
    // RFC 4271 section 5.1.3: over eBGP a peer is on the same link, unless multihop says otherwise.
    let external = |keys: &str| {
        format!(
            "{OSPF}[[router]]\non = \"crest-*\"\nas_number = 65001\n[[pool]]\nname = \"l\"\ngives = \"as-numbers\"\nbase = 65000\non = \"kelp-*\"\n\
            [[session]]\non = \"kelp-*\"\nto = \"crest-*\"\n{keys}[[session]]\non = \"crest-*\"\nto = \"kelp-*\"\n{keys}"
        )
    };
    assert_eq!(outcome(&external("")), (Some(SessionFault::MultihopMissing), false));
    assert_eq!(outcome(&external("multihop = 1\n")), (None, false));
}

/// Whether the routes of one speaker get to another, by the kept verdicts and by following them.
fn hears(state: &State, at: &str, origin: &str) -> Result<(), NotPassed> {
    refused(state, at, origin).first().map_or(Ok(()), |why| Err(*why))
}

/// Why no peer of a speaker passes the routes of another on to it; nothing if one does.
fn refused(state: &State, at: &str, origin: &str) -> Vec<NotPassed> {
    let fabric = state.fabric();
    let router = |name: &str| fabric.device(device(fabric, name)).router.unwrap();
    let found = state.propagate(Family::Evpn, &[router(origin)], None);
    if found.best[router(at)].is_some() {
        return Vec::new();
    }
    let offers = state.offers(Family::Evpn, &found, router(at), None);
    offers.into_iter().filter_map(|(_, offer)| offer.err()).collect()
}

#[test]
fn what_reflectors_pass_on() {
    // RFC 4456 section 6: from a client to all, from others to clients.
    let text = |clients: &str| {
        let plant = PLANT.replace("kelp-[a-b]", "kelp-[a-c]");
        format!(
            "{plant}[cabling]\nruns = [\"kelp-a p[49-50] -- crest-[1-2] p1\", \"kelp-b p[49-50] -- crest-[1-2] p2\", \"kelp-c p[49-50] -- crest-[1-2] p3\"]\n\
             {OSPF}{ONE_AS}[[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:{{vni}}\"\n\
             [[session]]\non = \"kelp-*\"\nto = \"crest-1\"\n[[session]]\non = \"crest-1\"\nto = \"kelp-*\"\n{clients}"
        )
    };
    let table = |clients: &str, expected: [(&str, &str, Result<(), NotPassed>); 3]| {
        let (_, state) = made(&text(clients));
        for (at, origin, passed) in expected {
            assert_eq!(hears(&state, at, origin), passed, "{clients:?}: {origin} at {at}");
        }
    };
    let all = "client = true\n";
    table(
        all,
        [("kelp-a", "kelp-b", Ok(())), ("kelp-b", "kelp-c", Ok(())), ("kelp-c", "kelp-a", Ok(()))],
    );
    let no = Err(NotPassed::NotReflected);
    table("", [("kelp-a", "kelp-b", no), ("kelp-b", "kelp-c", no), ("kelp-c", "kelp-a", no)]);
}

#[test]
fn a_reflected_route_remembers_its_way() {
    // RFC 4456 section 8: originator and cluster list, the nearest cluster first.
    let text = format!(
        "{PLANT}{}",
        r#"
[[switch]]
name = "deep-1"
number = 9
role = "super-spine"
ports = "p[1-4] 100G"
[cabling]
runs = ["kelp-a p49 -- crest-1 p1", "kelp-b p49 -- crest-2 p1", "crest-[1-2] p4 -- deep-1 p[1-2]"]
[[underlay]]
on = ["crest-*", "kelp-*", "deep-1"]
[[router]]
on = ["crest-*", "kelp-*", "deep-1"]
as_number = 65000
[[session]]
on = "kelp-a"
to = "crest-1"
[[session]]
on = "crest-1"
to = "kelp-a"
client = true
[[session]]
on = "kelp-b"
to = "crest-2"
[[session]]
on = "crest-2"
to = "kelp-b"
client = true
[[session]]
on = "crest-*"
to = "deep-1"
[[session]]
on = "deep-1"
to = "crest-*"
client = true
"#
    );
    let (fabric, state) = made(&text);
    let router = |name: &str| fabric.device(device(&fabric, name)).router.unwrap();
    let found = state.propagate(Family::Evpn, &[router("kelp-a")], None);
    let path = found.best[router("kelp-b")].as_ref().unwrap();
    let clusters: Vec<String> = path.clusters.iter().map(ToString::to_string).collect();
    assert_eq!(path.originator.unwrap().to_string(), "10.64.8.11");
    assert_eq!(clusters, ["10.64.8.2", "10.64.8.9", "10.64.8.1"]);
    // With one cluster id for both spines the route is taken for one that has been there.
    let one = "[[router]]\non = [\"crest-*\", \"kelp-*\", \"deep-1\"]\nas_number = 65000\n";
    let shared = text.replace(
        one,
        &format!("{one}differs = [{{ on = \"crest-*\", cluster_id = \"10.64.8.99\" }}]\n"),
    );
    let (_, state) = made(&shared);
    assert!(refused(&state, "crest-2", "kelp-a").contains(&NotPassed::ClusterLoop));
}

#[test]
fn next_hops_over_ebgp_are_rewritten_unless_kept() {
    let text = |next_hop: &str| {
        format!(
            "{PLANT}{CABLES}{OSPF}[[router]]\non = \"crest-*\"\nas_number = 65001\n[[pool]]\nname = \"l\"\ngives = \"as-numbers\"\nbase = 65000\non = \"kelp-*\"\n\
             [[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:{{vni}}\"\n[[segment]]\nname = \"tides-web\"\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n\
             [[session]]\non = [\"kelp-*\", \"crest-*\"]\nto = [\"kelp-*\", \"crest-*\"]\nover = \"links\"\nimport = \"everything\"\nexport = \"everything\"\n{next_hop}"
        )
    };
    for (next_hop, expected) in [("", "10.64.8.1"), ("next_hop = \"kept\"\n", "10.64.9.12")] {
        let (fabric, state) = made(&text(next_hop));
        let [a, b] = ["kelp-a", "kelp-b"].map(|leaf| super::presence(&fabric, leaf, "tides-web"));
        assert_eq!(state.learns(a, b).unwrap().to_string(), expected, "RFC 4271 section 5.1.3");
    }
}
