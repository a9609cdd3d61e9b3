//! Where the endpoints of a state are.

use smallvec::SmallVec;

use super::State;
use crate::behaviour::carrier::enters;
use crate::behaviour::evpn::tag_of;
use crate::fabric::{DeviceId, EndpointId, Load, NetworkId, SegmentId};

impl State {
    /// The bandwidth of a switch's links that are up, towards hosts and towards the switches above it.
    pub fn load(&self, device: DeviceId) -> Load {
        Load::by(self.fabric(), device, |port| self.far(port).is_some())
    }

    /// The host that an endpoint is on.
    pub fn host_of(&self, endpoint: EndpointId) -> DeviceId {
        self.evpn.host_of(&self.fabric, endpoint)
    }

    /// The network that an endpoint is on; none if it moved to a host without one of that name.
    pub fn network_of(&self, endpoint: EndpointId) -> Option<NetworkId> {
        self.evpn.network_of(&self.fabric, endpoint)
    }

    /// The segments that the frames of an endpoint come into as it is cabled, whether its links are up or
    /// not: one, if all is well.
    pub fn segments_of(&self, endpoint: EndpointId) -> SmallVec<[SegmentId; 1]> {
        let fabric = &self.fabric;
        let mut found: SmallVec<[SegmentId; 1]> = SmallVec::new();
        let network = self.network_of(endpoint).map(|id| fabric.network(id));
        let Some(network) = network else { return found };
        let Some(tag) = tag_of(fabric.endpoint(endpoint), network) else { return found };
        let carriers = self.carriers();
        for nic in fabric.uplink_ports(network.uplink) {
            let Some((_, far)) = fabric.link(nic) else { continue };
            if let Some(vlan) = enters(fabric, far, tag) {
                carriers.segments(carriers.node(far), vlan, &mut found);
            }
        }
        found
    }
}
