//! Laws that hold for every walk.

use std::collections::BTreeSet;

use felting::fabric::{DeviceKind, Terminal};
use felting::scaffold::Scaffold;
use felting::walk::{Act, Hop, Options, Walk, Walker, Way};
use felting::{Condition, Fabric, Progress, State};
use proptest::prelude::*;

use crate::{demo, endpoints, expectations, read, single_losses, without};

/// All walks between endpoints of a fabric in a condition.
fn walks(fabric: &Fabric, condition: &Condition, options: Options) -> (State, Vec<Walk>) {
    let state = State::of(fabric, condition, &Progress::default());
    let mut walker = Walker::new(&state);
    let ends = endpoints(fabric);
    let pairs = ends.iter().flat_map(|&from| ends.iter().map(move |&to| (from, to)));
    let walks = pairs.filter_map(|(from, to)| walker.walk(from, to, options).ok()).collect();
    (state, walks)
}

fn paths(walk: &Walk) -> impl Iterator<Item = &Way> {
    let asked = walk.resolutions.iter();
    asked.flat_map(|one| std::iter::once(&one.request).chain(&one.reply)).chain(walk.paths())
}

fn ttl(hop: &Hop) -> Option<u8> {
    hop.exits.first().map(|exit| exit.headers.frame.packet.ttl)
}

/// What holds for each walk by itself.
fn hold(state: &State, walk: &Walk) {
    let fabric = state.fabric();
    for path in paths(walk) {
        // Every hop uses a cable that exists and is up, or a path over a WAN.
        for exit in path.hops.iter().flat_map(|hop| &hop.exits) {
            if exit.wan.is_none() {
                assert_eq!(state.plugged(exit.port), Some(exit.into));
                assert!(fabric.link(exit.port).is_some());
            }
            assert!(exit.to < path.hops.len());
        }
        // A hop ends or goes on.
        assert!(path.hops.iter().all(|hop| hop.end.is_some() || !hop.exits.is_empty()));
    }
}

/// What holds for a walk of one flow.
fn hold_of_one(fabric: &Fabric, walk: &Walk) {
    for path in paths(walk) {
        // Each device once, by the underlay and bridged; routed traffic of tenants may come by again.
        let mut stretch: BTreeSet<_> = BTreeSet::new();
        let mut last = None;
        for hop in &path.hops {
            let routes = hop.acts.iter().any(|act| {
                matches!(act, Act::Routes { .. } | Act::RoutesOwn { .. } | Act::Decapsulates { .. })
            });
            if routes || hop.acts.iter().any(|act| matches!(act, Act::Encapsulates { .. })) {
                stretch.clear();
            }
            assert!(stretch.insert(hop.device), "{} twice", fabric.device_name(hop.device));
            // The TTL falls by one at each router of the packet's own, and by none elsewhere.
            let routed = hop
                .acts
                .iter()
                .any(|act| matches!(act, Act::Routes { .. } | Act::RoutesOwn { .. }));
            if let (Some(before), Some(after)) = (last, ttl(hop)) {
                assert_eq!(u8::from(routed), before - after, "{}", fabric.device_name(hop.device));
            }
            last = ttl(hop).or(last);
        }
    }
}

#[test]
fn of_the_demos() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        for cuts in [&[][..], &["kelp-a"], &["peer link of reed"], &["jetty 2/p23"]] {
            let condition = without(&fabric, cuts);
            for options in [Options::BY_HASH, Options::ALL] {
                let (state, walks) = walks(&fabric, &condition, options);
                for walk in &walks {
                    hold(&state, walk);
                    if options == Options::BY_HASH {
                        hold_of_one(&fabric, walk);
                    }
                }
            }
        }
    }
}

/// Whoever reaches, is reached back over the same segment, unless a finding says why not.
#[test]
fn reached_back() {
    let plan = Scaffold { pairs: 3, hosts: 6, tenants: 1, segments: 2, ..Scaffold::default() };
    let (whole, _) = expectations::peopled(&plan);
    let mut fabrics = vec![demo("saltmarsh"), read(&whole), demo("saltmarsh-stormy")];
    for (from, to) in expectations::FAULTS {
        assert!(whole.contains(from), "{from}");
        fabrics.push(read(&whole.replacen(from, to, 1)));
    }
    let mut explained = 0;
    for fabric in fabrics {
        let (state, walks) = walks(&fabric, &Condition::default(), Options::ALL);
        let report = fabric.check();
        let reached: BTreeSet<_> =
            walks.iter().filter(|walk| walk.arrives()).map(|walk| (walk.from, walk.to)).collect();
        assert!(!reached.is_empty());
        for walk in walks.iter().filter(|walk| !reached.contains(&(walk.from, walk.to))) {
            let segments = [walk.from, walk.to].map(|end| match end {
                Terminal::Endpoint(endpoint, _) => state.segments_of(endpoint),
                _ => unreachable!("all ends here are endpoints"),
            });
            let one_way = reached.contains(&(walk.to, walk.from));
            if segments[0] != segments[1] && !one_way {
                continue;
            }
            let names = [walk.from, walk.to].map(|end| fabric.terminal_name(end));
            assert!(walk.explained_by(&state, &report).is_some(), "{names:?}: {:?}", walk.root());
            explained += 1;
        }
    }
    assert!(explained > 20, "{explained}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Cutting a cable or switch that no way uses changes nothing; cutting one that all ways use stops it.
    #[test]
    fn cuts_off_the_way_change_nothing(
        pairs in 1_u32..3,
        spines in 1_u32..3,
        hosts in 2_u32..5,
        pick in 0_usize..1000,
    ) {
        let plan = Scaffold { pairs, spines, hosts, segments: 2, ..Scaffold::default() };
        let fabric = read(&expectations::peopled(&plan).0);
        let losses = single_losses(&fabric);
        let loss = &losses[pick % losses.len()];
        let condition = without(&fabric, &[loss.as_str()]);
        let (_, before) = walks(&fabric, &Condition::default(), Options::ALL);
        let (state, after) = walks(&fabric, &condition, Options::ALL);
        prop_assert_eq!(before.len(), after.len());
        for (before, after) in before.iter().zip(&after) {
            hold(&state, after);
            let ends_it = before.paths().any(|path| {
                // All ways of one flow pass it: the first hop has it alone, or every way comes by.
                path.hops.iter().any(|hop| {
                    let name = fabric.device_name(hop.device);
                    let is_host = fabric.device(hop.device).kind == DeviceKind::Host;
                    !is_host && loss.as_str() == name && cuts_all(path, hop)
                })
            });
            let on_way = paths(before).flat_map(|path| &path.hops).any(|hop| {
                loss.as_str() == fabric.device_name(hop.device)
                    || hop.exits.iter().any(|exit| {
                        let cable = fabric.link(exit.port).map(|(cable, _)| fabric.cable(cable));
                        cable.is_some_and(|cable| {
                            *loss == format!("cable {}", fabric.port_label(cable.ends[0].value))
                        })
                    })
            });
            if !on_way {
                prop_assert_eq!(before.arrives(), after.arrives(), "{}", loss);
            }
            if ends_it {
                prop_assert!(!after.arrives(), "{loss}");
            }
        }
    }
}

/// Whether every way from the first hop comes by one.
fn cuts_all(path: &Way, through: &Hop) -> bool {
    let at = path.hops.iter().position(|hop| std::ptr::eq(hop, through));
    let mut queue = vec![0];
    let mut seen = vec![false; path.hops.len()];
    while let Some(hop) = queue.pop() {
        if Some(hop) == at || std::mem::replace(&mut seen[hop], true) {
            continue;
        }
        if path.hops[hop].exits.is_empty() {
            return false;
        }
        queue.extend(path.hops[hop].exits.iter().map(|exit| exit.to));
    }
    true
}

/// A look-up by address finds what the whole table of a VRF holds for it.
#[test]
fn look_ups_are_as_the_tables() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let addresses = fabric.endpoints().flat_map(|(_, endpoint)| endpoint.addresses.clone());
        let outside: std::net::IpAddr = "203.0.113.9".parse().unwrap();
        let addresses: Vec<_> =
            addresses.map(|address| address.address()).chain([outside]).collect();
        for (vrf, made) in fabric.vrfs() {
            for at in &made.switches {
                let table = state.tenant_routes(vrf, at.switch);
                for &address in &addresses {
                    let holds = || table.iter().filter(|route| route.prefix.contains(address));
                    let longest = holds().map(|route| route.prefix.length()).max();
                    let best: Vec<_> = holds()
                        .filter(|route| Some(route.prefix.length()) == longest)
                        .copied()
                        .collect();
                    let found = state.tenant_lookup(vrf, at.switch, address);
                    assert_eq!(found, best, "{} {address}", fabric.device_name(at.switch));
                }
            }
        }
    }
}
