//! The bridges of a fabric, and the trees that they settle on.

use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::BridgePortId;
use super::bridges::Builder;
use super::forwarding::{cuts, loops};
use super::region::regions;
use super::role::{PortRole, TreeReason};
use super::trees::Trees;
use crate::behaviour::cause::{Aspect, Causes, Entity};
use crate::behaviour::lag::{LagOutcome, MemberOutcome};
use crate::behaviour::link::Links;
use crate::behaviour::stack::Stacks;
use crate::fabric::{Condition, Fabric, LagId, MemberId};
use crate::id::{IdVec, Pages};

pub(in crate::behaviour) fn trees(
    fabric: &Fabric,
    condition: &Condition,
    links: &Links,
    stacks: &Stacks,
    members: &Pages<MemberId, MemberOutcome>,
    lags: &Pages<LagId, LagOutcome>,
    causes: &mut Causes,
) -> Trees {
    let mut builder = Builder {
        fabric,
        condition,
        far: &links.effective,
        members,
        lags,
        bridges: IdVec::default(),
        ports: IdVec::default(),
        stacks,
        of_device: IdVec::filled(&fabric.devices, None),
        of_part: FxHashMap::default(),
        at: IdVec::filled(&fabric.ports, None),
    };
    builder.bridges();
    builder.lag_ports();
    builder.single_ports();
    let lans = builder.lans();
    let (bridges, ports, of_device, at) =
        (builder.bridges, builder.ports, builder.of_device, builder.at);
    let region_of = regions(fabric, &bridges);
    let mut joining = IdVec::filled(&bridges, SmallVec::new());
    for &port in lans.values().filter(|on| on.len() > 1).flatten() {
        joining[ports[port].bridge].push(port);
    }
    let common = Pages::filled(&ports, (PortRole::Disabled, TreeReason::NoLink));
    let mut trees = Trees {
        of_device: Arc::new(of_device),
        at: Pages::of(at.values().copied()),
        bridges: Arc::new(bridges),
        ports: Pages::of(ports.into_values()),
        lans: Arc::new(lans),
        joining: Arc::new(joining),
        taking_part: Pages::default(),
        common,
        all: Arc::default(),
        loops: Arc::default(),
        cuts: Arc::default(),
        region_of: Arc::new(region_of),
        instance_vlans: Arc::default(),
        instance_sets: Arc::default(),
    };
    trees.span(fabric);
    trees.loops = Arc::new(loops(&trees));
    trees.cuts = Arc::new(cuts(&trees));
    claim(&trees, causes);
    trees
}

/// A loop is a cause that hides what else the trees of its bridges look like.
fn claim(trees: &Trees, causes: &mut Causes) {
    for found in trees.loops.iter() {
        let device = |port: &BridgePortId| trees.bridges[trees.ports[*port].bridge].devices[0];
        let Some(first) = found.ports.first() else { continue };
        let cause = causes.add("tree-loop", Entity::Device(device(first)), Aspect::Tree, None);
        for port in &found.ports {
            causes.claim(cause, Entity::Device(device(port)), Aspect::Tree);
        }
    }
}
