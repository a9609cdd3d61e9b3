//! Leaves that have lost the core.

use std::collections::BTreeSet;

use crate::behaviour::link::Far;
use crate::fabric::{DeviceId, Fabric, InterfacePlace, PortId};
use crate::value::IsolatedBy;

/// Whether an interface leads to other VTEPs: what is in a tenant's VRF doesn't.
fn is_underlay(interface: &crate::fabric::Interface) -> bool {
    interface.vrf.is_none()
}

/// The leaves that close their legs of Ethernet segments, as they are told to and have lost the core, with the ports:
/// a leaf that nobody reaches would otherwise go on attracting frames. `sessionless` tells who has lost all its
/// sessions, and is asked only where that counts.
pub(in crate::behaviour) fn isolated(
    fabric: &Fabric,
    far: &Far,
    sessionless: impl FnOnce() -> BTreeSet<DeviceId>,
) -> (Vec<DeviceId>, Vec<PortId>) {
    let (mut isolated, mut closed) = (Vec::new(), Vec::new());
    let closes = || fabric.overlays.values().filter(|overlay| overlay.core_isolation.value);
    let sessionless = match closes().any(|overlay| overlay.isolated_by == IsolatedBy::Sessions) {
        true => sessionless(),
        false => BTreeSet::new(),
    };
    for overlay in closes() {
        let lost = match overlay.isolated_by {
            IsolatedBy::Links => linkless(fabric, far, overlay.device),
            IsolatedBy::Sessions => sessionless.contains(&overlay.device),
        };
        if !lost {
            continue;
        }
        let legs = fabric.ethernet_segments.values().flat_map(|segment| &segment.legs);
        let own = legs.filter(|&&leg| fabric.lag(leg).device == overlay.device);
        let ports: Vec<PortId> = own
            .flat_map(|&leg| fabric.lag(leg).members.iter())
            .map(|member| fabric.member(member).port.value)
            .collect();
        if !ports.is_empty() {
            isolated.push(overlay.device);
            closed.extend(ports);
        }
    }
    (isolated, closed)
}

/// Whether a router has links to the underlay, and all of them are down.
fn linkless(fabric: &Fabric, far: &Far, device: DeviceId) -> bool {
    let Some(router) = fabric.router_of(device) else { return false };
    let is_up = |interface: &crate::fabric::Interface| match interface.place {
        InterfacePlace::Port(port) => far[port].is_some(),
        InterfacePlace::Lag(lag) => fabric
            .lag(lag)
            .members
            .iter()
            .any(|member| far[fabric.member(member).port.value].is_some()),
        InterfacePlace::Vlan(_) => false,
    };
    let mut own = router
        .interfaces
        .iter()
        .map(|id| fabric.interface(id))
        .filter(|interface| is_underlay(interface))
        .peekable();
    own.peek().is_some() && !own.any(is_up)
}
