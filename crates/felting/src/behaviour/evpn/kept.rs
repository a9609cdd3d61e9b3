//! What a state knows of EVPN: the instances, and where endpoints enter the fabric. All else is worked out when asked.

use std::collections::BTreeSet;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::attach;
use super::instance::{Instance, Instances};
use crate::behaviour::carrier::Carriers;
use crate::behaviour::domain::Presences;
use crate::behaviour::host;
use crate::behaviour::pair::PairOutcome;
use crate::fabric::{
    Condition, DeviceId, EndpointId, Fabric, NetworkId, PairId, PresenceId, VrfId,
};
use crate::id::{IdVec, Pages};
use crate::value::{RouteDistinguisher, RouteTarget};

/// What EVPN came to.
#[derive(Clone, Debug, Default)]
pub struct Evpn {
    pub(super) instances: Arc<Instances>,
    /// Where frames of each endpoint enter the fabric.
    pub(super) attached: Pages<EndpointId, Presences>,
    /// The endpoints at each presence, in order.
    pub(super) endpoints_at: Pages<PresenceId, Vec<EndpointId>>,
    /// The endpoints by the hosts that they are written on, in order.
    of_hosts: Arc<Vec<(DeviceId, EndpointId)>>,
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
    let all = fabric.endpoints.ids();
    evpn.attached = Pages::of(attach::attached(fabric, &evpn.moved, carriers, pairs, all));
    let mut endpoints_at: IdVec<PresenceId, Vec<EndpointId>> =
        IdVec::filled(&fabric.presences, Vec::new());
    for (endpoint, presences) in evpn.attached.iter() {
        for &presence in presences {
            endpoints_at[presence].push(endpoint);
        }
    }
    evpn.endpoints_at = Pages::of(endpoints_at.into_values());
    let mut of_hosts: Vec<(DeviceId, EndpointId)> =
        fabric.endpoints.iter().map(|(id, one)| (one.host.value, id)).collect();
    of_hosts.sort_unstable();
    evpn.of_hosts = Arc::new(of_hosts);
    evpn
}

/// The same with the endpoints of some hosts attached anew, none of which has moved.
pub(in crate::behaviour) fn outcome_again(
    fabric: &Fabric,
    before: &Evpn,
    hosts: &BTreeSet<DeviceId>,
    carriers: &Carriers<'_>,
    pairs: &IdVec<PairId, PairOutcome>,
) -> Evpn {
    let mut evpn = before.clone();
    let of_hosts = &before.of_hosts;
    let of_host = |&host: &DeviceId| {
        let first = of_hosts.partition_point(|&(known, _)| known < host);
        let own = of_hosts[first..].iter().take_while(move |&&(known, _)| known == host);
        own.map(|&(_, endpoint)| endpoint)
    };
    let endpoints: Vec<EndpointId> = hosts.iter().flat_map(of_host).collect();
    let anew = attach::attached(fabric, &before.moved, carriers, pairs, endpoints.iter().copied());
    for (endpoint, presences) in endpoints.iter().copied().zip(anew) {
        if presences == before.attached[endpoint] {
            continue;
        }
        for &gone in before.attached[endpoint].iter().filter(|one| !presences.contains(one)) {
            evpn.endpoints_at[gone].retain(|&one| one != endpoint);
        }
        for &new in presences.iter().filter(|one| !before.attached[endpoint].contains(one)) {
            let at = &mut evpn.endpoints_at[new];
            at.insert(at.partition_point(|&one| one < endpoint), endpoint);
        }
        evpn.attached[endpoint] = presences;
    }
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
        &self.endpoints_at[presence]
    }

    /// The presences that export a target.
    pub(crate) fn exporters_of(&self, target: RouteTarget) -> &[PresenceId] {
        self.instances.exporters.of(target)
    }

    /// The presences that export what another imports, in order, without itself.
    pub(crate) fn exporters_for(&self, presence: PresenceId) -> Vec<PresenceId> {
        let Some(instance) = self.instance(presence) else { return Vec::new() };
        let mut found = self.instances.exporters.imported_by(instance);
        found.retain(|&other| other != presence);
        found
    }

    /// The VRFs that export what another imports, each with the place of the switch among its own, in order.
    pub(super) fn tenants_for(&self, instance: &Instance) -> Vec<(VrfId, usize)> {
        self.instances.tenants.imported_by(instance)
    }
}
