//! Where the frames of an endpoint enter the fabric.

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::election::Closed;
use crate::behavior::host::nics_in_use;
use crate::behavior::lag::MemberOutcome;
use crate::fabric::{
    DeviceId, DeviceKind, Endpoint, EndpointId, Fabric, MemberId, Network, NetworkId, PortId,
    PresenceId, SegmentId,
};
use crate::id::IdVec;
use crate::value::{VlanId, VlanSet};

/// What other parts of the behavior say of links.
pub(crate) struct Links<'a> {
    pub(crate) far: &'a IdVec<PortId, Option<PortId>>,
    pub(crate) members: &'a IdVec<MemberId, MemberOutcome>,
    pub(crate) closed: &'a Closed,
}

type Presences = SmallVec<[PresenceId; 2]>;

pub(super) fn attached(
    fabric: &Fabric,
    moved: &FxHashMap<EndpointId, (DeviceId, Option<NetworkId>)>,
    links: &Links<'_>,
) -> IdVec<EndpointId, Presences> {
    let mut known: FxHashMap<(DeviceId, VlanId), Presences> = FxHashMap::default();
    let found = fabric.endpoints.iter().map(|(id, endpoint)| {
        let network = match moved.get(&id) {
            Some((_, network)) => *network,
            None => Some(endpoint.network.value),
        };
        let Some(network) = network.map(|id| fabric.network(id)) else { return Presences::new() };
        let Some(tag) = tag_of(endpoint, network) else { return Presences::new() };
        let mut presences = Presences::new();
        for nic in nics_in_use(fabric, links.far, links.members, id, network.uplink) {
            let Some(far) = links.far[nic] else { continue };
            let Some(vlan) = enters(fabric, far, tag) else { continue };
            if links.closed.is(fabric, far, vlan) {
                continue;
            }
            let switch = fabric.port(far).device;
            let reached =
                known.entry((switch, vlan)).or_insert_with(|| reach(fabric, links, switch, vlan));
            for &presence in reached.iter() {
                if !presences.contains(&presence) {
                    presences.push(presence);
                }
            }
        }
        with_twin(fabric, &mut presences);
        presences.sort_unstable();
        presences
    });
    found.collect::<Vec<_>>().into()
}

/// With which tag frames of an endpoint leave its host; none at all where the virtual switch drops them, as
/// its network has no such tag, or several of which the endpoint says none.
#[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
pub(crate) fn tag_of(endpoint: &Endpoint, network: &Network) -> Option<Option<VlanId>> {
    match (endpoint.tag, &network.tags) {
        (Some(tag), Some(tags)) if tags.contains(tag.value) => Some(Some(tag.value)),
        (Some(_), _) => None,
        (None, Some(_)) if network.is_trunk() => None,
        (None, tags) => Some(tags.as_ref().and_then(|tags| tags.iter().next())),
    }
}

/// The segments that frames of a VLAN are in at a switch, or at those that they come to by cables.
pub(super) fn segments(
    fabric: &Fabric,
    links: &Links<'_>,
    switch: DeviceId,
    vlan: VlanId,
    found: &mut SmallVec<[SegmentId; 1]>,
) {
    let own = |switch: DeviceId, vlan: VlanId| {
        let presences = fabric.presences_on(switch).iter().map(|&id| fabric.presence(id));
        presences.filter(move |own| own.vlan.is_some_and(|own| own.value == vlan))
    };
    let mut met = false;
    walk(fabric, links, switch, vlan, |switch, vlan| {
        for presence in own(switch, vlan) {
            met = true;
            if !found.contains(&presence.segment) {
                found.push(presence.segment);
            }
        }
        !met && fabric.overlay_of(switch).is_none()
    });
}

/// The two sides of a pair tell each other what they learn.
fn with_twin(fabric: &Fabric, presences: &mut Presences) {
    for presence in presences.clone() {
        let presence = fabric.presence(presence);
        let shared = fabric
            .overlay_of(presence.switch)
            .is_some_and(|overlay| overlay.single_homed == crate::value::SingleHomed::Shared);
        let Some((pair, side)) = fabric.device(presence.switch).pair.filter(|_| shared) else {
            continue;
        };
        let other = fabric.pair(pair).sides[1 - side].switch.value;
        let twin = fabric.presences_on(other).iter().find(|&&twin| {
            let twin = fabric.presence(twin);
            twin.segment == presence.segment && twin.vni.is_some()
        });
        if let Some(&twin) = twin
            && !presences.contains(&twin)
        {
            presences.push(twin);
        }
    }
}

/// Whether frames go out by a port: as a member of a LAG it must distribute.
fn in_use(fabric: &Fabric, links: &Links<'_>, port: PortId) -> bool {
    fabric.member_of(port).is_none_or(|member| links.members[member].distributing)
}

/// The VLANs that a switch's port carries: those with a tag, and the one without.
fn carried(fabric: &Fabric, port: PortId) -> Option<(&VlanSet, Option<VlanId>)> {
    let (tagged, untagged) = match fabric.lag_of(port) {
        Some(lag) => {
            let lag = fabric.lag(lag);
            (&lag.tagged, lag.untagged)
        }
        None => {
            let settings = fabric.settings_of(port)?;
            (&settings.tagged, settings.untagged)
        }
    };
    Some((&tagged.value, untagged.map(|vlan| vlan.value)))
}

/// The VLAN that a frame comes to be in at a switch's port, untagged or with a tag.
pub(crate) fn enters(fabric: &Fabric, port: PortId, tag: Option<VlanId>) -> Option<VlanId> {
    if fabric.device(fabric.port(port).device).kind == DeviceKind::Host {
        return None;
    }
    let (tagged, untagged) = carried(fabric, port)?;
    match tag {
        Some(tag) => tagged.contains(tag).then_some(tag),
        None => untagged,
    }
}

/// With which tag a frame of a VLAN leaves by a port; none if it doesn't.
#[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
pub(crate) fn leaves(fabric: &Fabric, port: PortId, vlan: VlanId) -> Option<Option<VlanId>> {
    let (tagged, untagged) = carried(fabric, port)?;
    if tagged.contains(vlan) {
        return Some(Some(vlan));
    }
    (untagged == Some(vlan)).then_some(None)
}

/// Visits the switches that frames of a VLAN come to by cables from one, itself the first, with the VLAN
/// that they are in there; `goes_on` tells whether they go on from it.
fn walk(
    fabric: &Fabric,
    links: &Links<'_>,
    start: DeviceId,
    vlan: VlanId,
    mut goes_on: impl FnMut(DeviceId, VlanId) -> bool,
) {
    let mut seen: FxHashSet<DeviceId> = FxHashSet::from_iter([start]);
    let mut queue = vec![(start, vlan)];
    while let Some((switch, vlan)) = queue.pop() {
        if !goes_on(switch, vlan) {
            continue;
        }
        for port in fabric.device(switch).ports.iter() {
            let Some(far) = links.far[port].filter(|_| in_use(fabric, links, port)) else {
                continue;
            };
            let Some(leaves) = leaves(fabric, port, vlan) else { continue };
            let Some(there) = enters(fabric, far, leaves) else { continue };
            if links.closed.is(fabric, port, vlan) || links.closed.is(fabric, far, there) {
                continue;
            }
            let next = fabric.port(far).device;
            if seen.insert(next) {
                queue.push((next, there));
            }
        }
    }
}

/// The presences that frames of a VLAN come to from a switch: its own, else those of the VTEPs behind
/// other switches without one.
fn reach(fabric: &Fabric, links: &Links<'_>, start: DeviceId, vlan: VlanId) -> Presences {
    let mut found = Presences::new();
    walk(fabric, links, start, vlan, |switch, vlan| {
        let own = fabric.presences_on(switch).iter().copied().find(|&id| {
            let presence = fabric.presence(id);
            presence.vni.is_some() && presence.vlan.is_some_and(|own| own.value == vlan)
        });
        found.extend(own);
        own.is_none() && fabric.overlay_of(switch).is_none()
    });
    found.sort_unstable();
    found.dedup();
    found
}

/// The VTEPs' presences that frames of a VLAN come to from a switch that is no VTEP.
pub(crate) fn doors(
    fabric: &Fabric,
    links: &Links<'_>,
    switch: DeviceId,
    vlan: VlanId,
) -> Vec<PresenceId> {
    reach(fabric, links, switch, vlan).into_vec()
}

/// Whether two switches are in one broadcast domain of a VLAN by cables alone.
pub(super) fn joined(
    fabric: &Fabric,
    links: &Links<'_>,
    from: DeviceId,
    to: DeviceId,
    vlan: VlanId,
) -> bool {
    let mut met = false;
    walk(fabric, links, from, vlan, |switch, _| {
        met |= switch == to;
        !met
    });
    met
}
