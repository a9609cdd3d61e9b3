//! What a state knows of EVPN: the instances, and where endpoints enter the fabric. All else is worked out when asked.

use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::attach;
use super::instance::{Instance, Instances};
use crate::behaviour::carrier::Carriers;
use crate::behaviour::host;
use crate::behaviour::pair::PairOutcome;
use crate::fabric::{
    Condition, DeviceId, EndpointId, Fabric, NetworkId, PairId, PresenceId, VrfId,
};
use crate::id::IdVec;
use crate::value::{RouteDistinguisher, RouteTarget};

/// What EVPN came to.
#[derive(Clone, Debug, Default)]
pub struct Evpn {
    pub(super) instances: Arc<Instances>,
    /// Where frames of each endpoint enter the fabric.
    pub(super) attached: IdVec<EndpointId, SmallVec<[PresenceId; 2]>>,
    /// The endpoints at each presence.
    pub(super) endpoints_at: FxHashMap<PresenceId, Vec<EndpointId>>,
    /// The endpoints that have moved: the hosts that they are on now, and their networks there.
    pub(super) moved: FxHashMap<EndpointId, (DeviceId, Option<NetworkId>)>,
}

pub(in crate::behaviour) fn outcome(
    fabric: &Fabric,
    condition: &Condition,
    instances: Option<Arc<Instances>>,
    carriers: &Carriers<'_>,
    pairs: &IdVec<PairId, PairOutcome>,
) -> Evpn {
    let instances = instances.unwrap_or_else(|| Arc::new(Instances::of(fabric)));
    let mut evpn = Evpn { instances, ..Evpn::default() };
    evpn.moved = host::moved(fabric, condition);
    let attached = attach::attached(fabric, &evpn.moved, carriers, pairs);
    for (endpoint, presences) in attached.iter() {
        for &presence in presences {
            evpn.endpoints_at.entry(presence).or_default().push(endpoint);
        }
    }
    evpn.attached = attached;
    evpn
}

impl Evpn {
    /// The MAC-VRF of a segment on a VTEP.
    pub fn instance(&self, presence: PresenceId) -> Option<&Instance> {
        self.instances.of_presences[presence].as_ref()
    }

    /// The route distinguisher of a segment on a VTEP.
    pub(crate) fn distinguisher(&self, presence: PresenceId) -> Option<RouteDistinguisher> {
        self.instance(presence).and_then(|instance| instance.rd)
    }

    /// The IP-VRF of a VRF at a place among its switches.
    pub fn tenant(&self, vrf: VrfId, place: usize) -> Option<&Instance> {
        self.instances.of_tenants[vrf].get(place)
    }

    /// Whether a route distinguisher is used on several VTEPs, so that routes of theirs may be one to BGP.
    pub(crate) fn has_shared_distinguisher(&self) -> bool {
        self.instances.shared_distinguisher
    }

    /// The instances, for another state of the same fabric.
    pub(in crate::behaviour) fn instances(&self) -> Arc<Instances> {
        Arc::clone(&self.instances)
    }

    /// Where the frames of an endpoint enter the fabric.
    pub fn attached(&self, endpoint: EndpointId) -> &[PresenceId] {
        &self.attached[endpoint]
    }

    /// The host that an endpoint is on.
    pub(in crate::behaviour) fn host_of(&self, fabric: &Fabric, endpoint: EndpointId) -> DeviceId {
        match self.moved.get(&endpoint) {
            Some((host, _)) => *host,
            None => fabric.endpoint(endpoint).host.value,
        }
    }

    /// The network that an endpoint is on; none if it moved to a host without one of that name.
    pub(in crate::behaviour) fn network_of(
        &self,
        fabric: &Fabric,
        endpoint: EndpointId,
    ) -> Option<NetworkId> {
        match self.moved.get(&endpoint) {
            Some((_, network)) => *network,
            None => Some(fabric.endpoint(endpoint).network.value),
        }
    }

    /// The endpoints whose frames enter at a presence.
    pub fn endpoints_at(&self, presence: PresenceId) -> &[EndpointId] {
        self.endpoints_at.get(&presence).map_or(&[], Vec::as_slice)
    }

    /// The presences that export a target.
    pub(crate) fn exporters_of(&self, target: RouteTarget) -> &[PresenceId] {
        self.instances.exporters.get(&target).map_or(&[], Vec::as_slice)
    }

    /// The presences that export what another imports, in order, without itself.
    pub(crate) fn exporters_for(&self, presence: PresenceId) -> Vec<PresenceId> {
        let Some(instance) = self.instance(presence) else { return Vec::new() };
        let lists = instance.import.iter().flat_map(|target| {
            let same = self.instances.exporters.get(target).filter(|_| !instance.any_as);
            let alike = self.instances.by_number.get(&target.number()).filter(|_| instance.any_as);
            same.into_iter().chain(alike).flatten().copied()
        });
        let mut found: Vec<PresenceId> = lists.filter(|&other| other != presence).collect();
        found.sort_unstable();
        found.dedup();
        found
    }
}
