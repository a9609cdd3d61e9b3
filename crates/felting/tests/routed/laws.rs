use felting::behaviour::RouteSource;
use felting::scaffold::Scaffold;
use felting::value::Family;
use felting::{Condition, Fabric, Progress, State};
use proptest::prelude::*;

/// A fabric of random size, with some cables cut.
fn cut_fabrics() -> impl Strategy<Value = (Scaffold, Vec<usize>)> {
    let sizes = (1..4_u32, 1..4_u32, 0..3_u32, 0..6_u32, 1..3_u32, 1..4_u32, any::<bool>());
    (sizes, proptest::collection::vec(0..64_usize, 0..6)).prop_map(
        |((spines, pairs, more, hosts, tenants, segments, single), cuts)| {
            let tiers = more > 0;
            let plan = Scaffold {
                name: "law".to_owned(),
                spines,
                pairs: if single { 0 } else { pairs },
                leaves: if single { pairs + 1 } else { 0 },
                hosts,
                tenants,
                segments: segments.max(tenants),
                super_spines: if tiers { more } else { 0 },
                pods: if tiers { 2 } else { 1 },
            };
            (plan, cuts)
        },
    )
}

fn made(plan: &Scaffold, cuts: &[usize]) -> (Fabric, State) {
    let fabric = Fabric::from_text("law.toml", &plan.to_toml().unwrap());
    let cables: Vec<_> = fabric.cables().map(|(id, _)| id).collect();
    let condition = cuts
        .iter()
        .fold(Condition::default(), |condition, cut| condition.cable(cables[cut % cables.len()]));
    let state = State::of(&fabric, &condition, &Progress::default());
    (fabric, state)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_first_fabric_is_silent((plan, _) in cut_fabrics()) {
        let fabric = Fabric::from_text("first.toml", &plan.to_toml().unwrap());
        prop_assert!(fabric.is_complete(), "{:?}", fabric.faults());
        let found: Vec<_> = fabric.check().findings.iter().map(|finding| finding.what.message.clone()).collect();
        prop_assert!(found.is_empty(), "{found:?}");
    }

    /// Each next hop is nearer by exactly the cost of the link: so no path comes back to where it was.
    #[test]
    fn next_hops_come_nearer((plan, cuts) in cut_fabrics()) {
        let (fabric, state) = made(&plan, &cuts);
        for prefix in state.underlay().prefixes() {
            let toward = state.toward(prefix);
            for (router, route) in toward.routes.iter() {
                let Some(route) = route else { continue };
                prop_assert_eq!(route.hops.is_empty(), route.source == RouteSource::Connected);
                for hop in &route.hops {
                    let cost = fabric.interface(hop.interface).cost.get();
                    let next = toward.routes[hop.to].as_ref();
                    let there = next.map(|next| match next.source {
                        // The subnet of a link costs what its interface does.
                        RouteSource::Connected => route.metric - cost,
                        _ => next.metric,
                    });
                    prop_assert_eq!(there, Some(route.metric - cost), "{} at {:?}", prefix, router);
                }
            }
        }
    }

    /// What is kept of all origins by classes is what following each origin's routes comes to.
    #[test]
    fn classes_of_speakers_stand_for_their_members((plan, cuts) in cut_fabrics()) {
        let (fabric, state) = made(&plan, &cuts);
        for (origin, _) in fabric.routers() {
            let found = state.propagate(Family::Evpn, &[origin], None);
            for (at, best) in found.best.iter().filter(|(at, _)| *at != origin) {
                prop_assert_eq!(state.routes_reach(Family::Evpn, origin, at), best.is_some(), "{:?} to {:?}", origin, at);
            }
        }
    }

    /// What one VTEP has of each other is what following that one's routes to all speakers comes to.
    #[test]
    fn one_receives_what_all_are_told((plan, cuts) in cut_fabrics()) {
        let (_, state) = made(&plan, &cuts);
        received_as_told(&state);
    }

    /// Two VTEPs of a segment have each other's routes, or neither has.
    #[test]
    fn who_is_known_knows((plan, cuts) in cut_fabrics()) {
        let (fabric, state) = made(&plan, &cuts);
        for (_, segment) in fabric.segments() {
            let presences: Vec<_> = segment.presences.iter().collect();
            for &a in &presences {
                for &b in presences.iter().filter(|&&b| b != a) {
                    prop_assert_eq!(state.learns(a, b).is_ok(), state.learns(b, a).is_ok());
                }
            }
        }
    }
}

fn received_as_told(state: &State) {
    let fabric = state.fabric();
    for (_, overlay) in fabric.overlays() {
        let at = fabric.device(overlay.device).router.unwrap();
        for one in state.received(overlay.device, &Progress::default()) {
            let origin = fabric.device(one.origin).router.unwrap();
            let found = state.propagate(Family::Evpn, &[origin], None);
            let paths = state.offers(Family::Evpn, &found, at, None);
            assert_eq!(one.paths, paths, "{origin:?} at {at:?}");
            assert_eq!(one.best, found.best[at].as_ref().and_then(|path| path.from));
        }
    }
}

#[test]
fn the_demo_fabrics_receive_what_all_are_told() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let fabric = Fabric::from_path(demo.join(name).join("fabric.toml"));
        received_as_told(&State::of(&fabric, &Condition::default(), &Progress::default()));
    }
}
