//! Large fabrics: whole without faults, and with single faults in them found to have exactly those.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::BTreeSet;
use std::fmt::Write as _;

use felting::fabric::DeviceKind;
use felting::generator::{KnownFault, LargeFabric, LargeFiles};
use felting::source::Memory;
use felting::{Fabric, Progress};
use proptest::prelude::*;

fn fabric(made: &LargeFiles) -> Fabric {
    let mut files = Memory::default();
    for (path, text) in &made.files {
        files.insert(path.as_str(), text.as_str());
    }
    Fabric::from_files(&files, "fabric.toml")
}

/// What is found besides the known faults, and which of them are not found.
fn wrong(made: &LargeFiles) -> String {
    let fabric = fabric(made);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    let report = fabric.check();
    let mut missed: Vec<&KnownFault> = made.key.iter().collect();
    let mut page = String::new();
    for finding in &report.findings {
        match missed.iter().position(|known| known.is_told_by(&fabric, finding)) {
            Some(place) => drop(missed.remove(place)),
            None => {
                let at = fabric.sources().location(finding.what.primary.span);
                let _ = writeln!(
                    page,
                    "invented: {} at {at}: {}",
                    finding.rule.id, finding.what.message
                );
            }
        }
    }
    for known in missed {
        let _ = writeln!(page, "missed: {known}");
    }
    page
}

#[test]
fn a_large_fabric_without_faults_is_silent() {
    let made = LargeFabric::default().write(&Progress::default()).unwrap();
    assert_eq!(made.key, []);
    assert_eq!(wrong(&made), "");
}

/// As many seeds as a minute takes or so; `SEEDS=2000` for more.
#[test]
fn what_is_found_is_exactly_what_was_put_in() {
    let seeds: u64 = std::env::var("SEEDS").map_or(40, |text| text.parse().unwrap());
    let mut met = BTreeSet::new();
    for seed in 0..seeds {
        let plan = LargeFabric { faults: 10, seed, ..LargeFabric::default() };
        let made = plan.write(&Progress::default()).unwrap();
        assert_eq!(made.key.len(), 10);
        met.extend(made.key.iter().map(|known| known.rule));
        let wrong = wrong(&made);
        assert!(wrong.is_empty(), "seed {seed}:\n{wrong}\n{}", made.key_file());
    }
    assert!(met.len() > 65, "only faults of {} rules were put in: {met:?}", met.len());
}

#[test]
fn one_seed_is_one_fabric() {
    let plan = LargeFabric { faults: 4, seed: 12, ..LargeFabric::default() };
    assert_eq!(plan.write(&Progress::default()), plan.write(&Progress::default()));
    let other = LargeFabric { seed: 13, ..plan.clone() };
    assert_ne!(
        plan.write(&Progress::default()).unwrap().key,
        other.write(&Progress::default()).unwrap().key
    );
}

/// VLAN ids are used again in other pods, VNIs are not; every pair has as many segments as it should.
#[test]
fn the_numbers_are_those_of_the_plan() {
    let plan = LargeFabric::of_series(256);
    let fabric = fabric(&plan.write(&Progress::default()).unwrap());
    assert!(fabric.is_complete());
    let count = |kind| fabric.devices().filter(|(_, device)| device.kind == kind).count();
    assert_eq!(count(DeviceKind::Host), 128 * 32);
    assert_eq!(count(DeviceKind::Switch), 256 + 16 + 4);
    assert_eq!((fabric.pairs().len(), fabric.vrfs().len()), (128, 32));
    assert_eq!((fabric.segments().len(), fabric.presences().len()), (1024, 1024 * 8));
    let vnis: BTreeSet<_> =
        fabric.segments().map(|(_, segment)| segment.vni.unwrap().value).collect();
    let vlans: BTreeSet<_> =
        fabric.segments().map(|(_, segment)| segment.vlan.unwrap().value).collect();
    assert_eq!(vnis.len(), 1024);
    assert!(vlans.len() <= 1024, "{}", vlans.len());
    for (_, pair) in fabric.pairs() {
        assert_eq!(fabric.presences_on(pair.sides[0].switch.value).len(), 32);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Whatever the numbers, a fabric is written that is silent, or it is said which do not go together.
    #[test]
    fn any_numbers_that_go_together_make_a_silent_fabric(
        pods in 1_u32..4, pairs in 1_u32..5, spines in 1_u32..4, super_spines in 0_u32..3,
        hosts in 0_u32..40, tenants in 1_u32..5, segments in 1_u32..30, spread in 1_u32..6, guests in 0_u32..60,
    ) {
        let name = "any".to_owned();
        let plan = LargeFabric {
            name, pods, pairs, spines, super_spines, hosts, tenants, segments, spread, guests, faults: 0, seed: 0,
        };
        let made = plan.write(&Progress::default());
        prop_assume!(made.is_ok());
        prop_assert_eq!(wrong(&made.unwrap()), "", "{:?}", plan);
    }
}
