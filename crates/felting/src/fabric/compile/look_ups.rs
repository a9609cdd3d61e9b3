//! What is looked up often enough to be found once.

use rustc_hash::FxHashMap;

use crate::fabric::tenancy::Tenancy;
use crate::fabric::written::Written;
use crate::fabric::{Arenas, DeviceId, InterfaceId, InterfacePlace, SessionId};
use crate::id::IdVec;
use crate::value::{SessionOver, VlanId, VlanSet};

/// Finds who has which address, which ends of sessions answer each other, what static routes are for, what is in a VRF,
/// and what site a switch is in.
pub(super) fn find(fabric: &mut Arenas) {
    for (id, interface) in fabric.interfaces.iter() {
        for address in &interface.addresses {
            let known = fabric.addressed.entry(address.address()).or_default();
            if known.last() != Some(&id) {
                known.push(id);
            }
        }
    }
    fabric.twins = twins(fabric);
    fabric.vlans_of = vlans_of(fabric);
    let routes = fabric.static_routes.iter().enumerate().filter(|(_, route)| route.vrf.is_none());
    fabric.written = Written::of(routes.map(|(at, route)| (at, route.device, route.to.value)));
    fabric.tenancies = Tenancy::of(fabric);
    for (id, site) in fabric.sites.iter() {
        for &device in &site.on {
            fabric.site_of.entry(device).or_insert(id);
        }
    }
}

/// The VLANs of each switch that segments are on, and of each VTEP: those of its segments, and of its routed interfaces.
fn vlans_of(fabric: &Arenas) -> IdVec<DeviceId, Option<VlanSet>> {
    let mut found: IdVec<DeviceId, Vec<VlanId>> = IdVec::filled(&fabric.devices, Vec::new());
    for presence in fabric.presences.values() {
        found[presence.switch].extend(presence.vlan.map(|vlan| vlan.value));
    }
    let mut named: IdVec<DeviceId, bool> = IdVec::filled(&fabric.devices, false);
    let of_segments = fabric.presences.values().map(|presence| presence.switch);
    for switch in of_segments.chain(fabric.overlays.values().map(|overlay| overlay.device)) {
        named[switch] = true;
    }
    for interface in fabric.interfaces.values() {
        if let InterfacePlace::Vlan(vlan) = interface.place {
            found[interface.device].push(vlan);
        }
    }
    let set = |(switch, vlans): (DeviceId, &Vec<VlanId>)| {
        named[switch].then(|| vlans.iter().copied().collect())
    };
    IdVec::of(found.iter().map(set).collect())
}

/// For each end of a session the first at its peer that is towards it: over a link that at the other end of the link.
fn twins(fabric: &Arenas) -> IdVec<SessionId, Option<SessionId>> {
    let mut on_link: FxHashMap<InterfaceId, SessionId> = FxHashMap::default();
    let mut between: FxHashMap<(DeviceId, DeviceId), SessionId> = FxHashMap::default();
    for (id, session) in fabric.sessions.iter() {
        match (session.over, session.interface) {
            (SessionOver::Links, Some(interface)) => {
                on_link.entry(interface).or_insert(id);
            }
            (SessionOver::Links, None) => {}
            (SessionOver::Loopbacks, _) => {
                between.entry((session.device, session.peer)).or_insert(id);
            }
        }
    }
    let mut twins = IdVec::filled(&fabric.sessions, None);
    for (id, session) in fabric.sessions.iter() {
        twins[id] = match session.over {
            SessionOver::Links => {
                let far = session.interface.and_then(|near| fabric.interface_far[near]);
                let twin = far.and_then(|far| on_link.get(&far)).copied();
                twin.filter(|&twin| fabric.sessions[twin].device == session.peer)
            }
            SessionOver::Loopbacks => between.get(&(session.peer, session.device)).copied(),
        };
    }
    twins
}
