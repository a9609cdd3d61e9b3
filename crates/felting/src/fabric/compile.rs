//! From statements to the compiled fabric, in the order in which things refer to each other:
//! hardware, devices, cables, port settings, LAGs, pairs, pools, VRFs, routers, segments, hosts'
//! networks.

mod accepts;
mod allotted;
mod cabling;
mod devices;
mod endpoints;
mod ethernet_segments;
mod evis;
mod hardware;
mod lags;
mod look_ups;
mod made;
mod outsides;
mod pairs;
mod policies;
mod pools;
mod pseudowires;
mod routers;
mod sessions;
mod sites;
mod stacks;
mod static_routes;
mod tenants;
mod things;
mod trees;

use rustc_hash::FxHashMap;

use super::Arenas;
use super::names::Names;
use crate::diagnostic::Sources;
use crate::progress::{Progress, Stage};
use crate::source::{Document, Faults};
use made::Made;

/// The longer steps of [`compile`], for who watches.
const STEPS: usize = 9;

pub(crate) fn compile(
    document: &Document,
    sources: Sources,
    mut faults: Faults,
    rules: &[&str],
    progress: &Progress,
) -> Arenas {
    progress.begin(Stage::Compiling, STEPS);
    let mut fabric = Arenas {
        name: document.name.as_ref().map(|name| name.value.clone()).unwrap_or_default(),
        sources,
        ..Arenas::default()
    };
    let faults_in = &mut faults;
    fabric.severities = accepts::severities(document, rules, faults_in);
    let kinds = hardware::hardware(document, &mut fabric, faults_in);
    let hosts = devices::devices(document, &kinds, &mut fabric, faults_in);
    progress.advance(1);
    cabling::cables(document, &mut fabric, faults_in);
    progress.advance(1);

    let (by_name, devices) =
        (std::mem::take(&mut fabric.device_names), std::mem::take(&mut fabric.devices));
    let names = Names::new(&by_name, &devices);
    // Port lookups go by the devices, which the names borrow while LAGs are made.
    let mut made = Made {
        devices: &devices,
        names: &names,
        fabric: &mut fabric,
        faults: faults_in,
        last_key: FxHashMap::default(),
        spread: 0,
    };
    made.repeaters(document);
    made.port_settings(document);
    made.lags(document);
    progress.advance(1);
    made.bonds(&hosts);
    progress.advance(1);
    made.distinct_keys();
    let sides = made.pairs(document);
    progress.advance(1);
    let trees = made.trees(document);
    made.management(document);
    made.pools(document);
    made.policies(document);
    made.sites(document);
    let vrfs = made.vrfs(document);
    made.pseudowires(document);
    let routers = made.routers(document, &sides, &vrfs);
    progress.advance(1);
    made.segments(document, &vrfs);
    progress.advance(1);
    made.subnets();
    made.evis(document);
    made.static_routes(document, &vrfs);
    made.outsides(document, &vrfs);
    made.networks(&hosts);
    progress.advance(1);
    made.endpoints(document);
    progress.advance(1);
    made.dhcps(document);
    drop(names);
    fabric.device_names = by_name;
    fabric.devices = devices;
    for (device, side) in sides.of {
        fabric.devices[device].pair = Some(side);
    }
    for (device, router) in routers {
        fabric.devices[device].router = Some(router);
    }
    for (device, settings) in trees {
        fabric.devices[device].tree = Some(fabric.tree_settings.push(settings));
    }
    look_ups::find(&mut fabric);
    pseudowires::addresses(&mut fabric);
    ethernet_segments::join(&mut fabric);
    pairs::groups(&mut fabric, &mut faults, &sides.unmade);
    endpoints::expectations(document, &vrfs, &mut fabric, &mut faults);
    accepts::accepts(document, &mut fabric, rules, &mut faults);
    fabric.faults = faults.finish();
    fabric
}
