//! Where the frames of an endpoint enter the fabric.

use rustc_hash::FxHashMap;

use crate::behaviour::carrier::{Carriers, Node};
use crate::behaviour::domain::Presences;
use crate::behaviour::host::nics_in_use;
use crate::behaviour::pair::PairOutcome;
use crate::fabric::{DeviceId, Endpoint, EndpointId, Fabric, Network, NetworkId, PairId};
use crate::id::IdVec;
use crate::value::VlanId;

/// Of some endpoints, in their order.
pub(super) fn attached(
    fabric: &Fabric,
    moved: &FxHashMap<EndpointId, (DeviceId, Option<NetworkId>)>,
    carriers: &Carriers<'_>,
    pairs: &IdVec<PairId, PairOutcome>,
    endpoints: impl Iterator<Item = EndpointId>,
) -> Vec<Presences> {
    let mut known: FxHashMap<(Node, VlanId), Presences> = FxHashMap::default();
    let found = endpoints.map(|id| {
        let endpoint = fabric.endpoint(id);
        let network = match moved.get(&id) {
            Some((_, network)) => *network,
            None => Some(endpoint.network.value),
        };
        let Some(network) = network.map(|id| fabric.network(id)) else { return Presences::new() };
        let Some(tag) = tag_of(endpoint, network) else { return Presences::new() };
        let mut presences = Presences::new();
        for nic in nics_in_use(fabric, carriers.far, carriers.members, id, network.uplink) {
            let Some(far) = carriers.far[nic] else { continue };
            let Some(vlan) = carriers.comes_in(far, tag) else { continue };
            let node = carriers.node(far);
            let reached = known.entry((node, vlan)).or_insert_with(|| carriers.doors(node, vlan));
            for &presence in reached.iter() {
                if !presences.contains(&presence) {
                    presences.push(presence);
                }
            }
        }
        with_twin(fabric, pairs, &mut presences);
        presences.sort_unstable();
        presences
    });
    found.collect()
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

/// The two sides of a pair tell each other what they learn, over the peer link.
fn with_twin(fabric: &Fabric, pairs: &IdVec<PairId, PairOutcome>, presences: &mut Presences) {
    for presence in presences.clone() {
        let presence = fabric.presence(presence);
        let shared = fabric
            .overlay_of(presence.switch)
            .is_some_and(|overlay| overlay.single_homed == crate::value::SingleHomed::Shared);
        let of_pair = fabric.device(presence.switch).pair.filter(|_| shared);
        let Some((pair, side)) = of_pair.filter(|(pair, _)| pairs[*pair].peer_link) else {
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
