//! Where a station is, seen from a switch in a VLAN.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::path::{Bridging, Known, Station};
use super::resolution::Asker;
use super::walker::Walker;
use crate::behaviour::Apart;
use crate::behaviour::carrier::Node;
use crate::behaviour::domain::Onward;
use crate::behaviour::evpn::replication;
use crate::behaviour::gateway::{is_gateway, mac_of_gateway};
use crate::behaviour::host::nics_in_use;
use crate::fabric::{DeviceId, EndpointId, PortId, PresenceId};
use crate::value::{GatewayKind, MacAddr, Replication, VlanId};

/// Ports that are as good as each other.
pub(super) type Ports = SmallVec<[PortId; 4]>;

/// Where another VTEP has a station.
#[derive(Clone, Copy, Debug)]
pub(super) struct Remote {
    /// The address to send to.
    pub(super) address: IpAddr,
    /// How it is known.
    pub(super) known: Known,
}

impl Walker<'_> {
    /// All ports of the LAG that a port is of, which are as good as it.
    pub(super) fn like(&self, port: PortId) -> Ports {
        let distributes = |port: PortId| {
            self.fabric.member_of(port).is_some_and(|m| self.state.members[m].distributing)
        };
        match self.fabric.lag_of(port).filter(|_| distributes(port)) {
            Some(lag) => {
                let members = self.fabric.lag(lag).members.iter();
                let ports = members.map(|member| self.fabric.member(member).port.value);
                ports.filter(|&port| distributes(port)).collect()
            }
            None => std::iter::once(port).collect(),
        }
    }

    /// The presence of a VLAN on a switch.
    pub(super) fn presence_at(&self, switch: DeviceId, vlan: VlanId) -> Option<PresenceId> {
        let own = self.fabric.presences_on(switch).iter().copied();
        let has =
            |&id: &PresenceId| self.fabric.presence(id).vlan.is_some_and(|own| own.value == vlan);
        own.into_iter().find(has)
    }

    /// Whether a switch answers for an address in a segment: its own, or that of the gateway.
    pub(super) fn has_address(&self, presence: PresenceId, address: IpAddr) -> bool {
        let settings = self.fabric.settings_at(presence);
        if settings.addresses.iter().any(|own| own.address() == address) {
            return true;
        }
        let shared = settings.gateways.iter().any(|gateway| gateway.value == address)
            && is_gateway(self.fabric, presence);
        shared
            && (settings.gateway_kind.value != GatewayKind::Vrrp || {
                let segment = self.fabric.presence(presence).segment;
                self.state.active_routers(segment).contains(&presence)
            })
    }

    /// The MAC address that a switch answers with for an address of its own in a segment.
    pub(super) fn router_mac(&self, presence: PresenceId, address: IpAddr) -> MacAddr {
        let own = self.fabric.device(self.fabric.presence(presence).switch).mac.value;
        let settings = self.fabric.settings_at(presence);
        let shared = settings.gateways.iter().any(|gateway| gateway.value == address);
        match shared {
            true => mac_of_gateway(self.fabric, presence, address),
            false => own,
        }
    }

    /// The ports of switches by which frames of an endpoint come in.
    fn entries(&self, endpoint: EndpointId) -> Ports {
        let Some(network) = self.state.network_of(endpoint) else { return Ports::new() };
        let uplink = self.fabric.network(network).uplink;
        let nics =
            nics_in_use(self.fabric, self.state.fars(), &self.state.members, endpoint, uplink);
        nics.into_iter().filter_map(|nic| self.state.far(nic)).collect()
    }

    /// By which ports of a switch frames of a VLAN come to a station by cables, and how; nearest first.
    pub(super) fn locate(
        &self,
        node: Node,
        vlan: VlanId,
        station: Station,
    ) -> Option<(Ports, Bridging)> {
        let entries = match station {
            Station::Endpoint(endpoint) => self.entries(endpoint),
            _ => Ports::new(),
        };
        let carriers = self.state.carriers();
        let goes_out = |port: PortId, vlan: VlanId| carriers.goes_out(port, vlan).is_some();
        let direct = |at: Node, vlan: VlanId| match station {
            Station::Endpoint(_) => entries
                .iter()
                .copied()
                .find(|&port| carriers.node(port) == at && goes_out(port, vlan)),
            Station::Beyond(device) => carriers.ports(at).find(|&port| {
                let far = self.state.far(port);
                far.is_some_and(|far| self.fabric.port(far).device == device)
                    && goes_out(port, vlan)
            }),
            _ => None,
        };
        if let Some(port) = direct(node, vlan) {
            return Some((self.like(port), Bridging::Here));
        }
        let is_there = |at: Node, vlan: VlanId| match station {
            Station::Router(presence) => {
                let there = self.fabric.presence(presence);
                there.switch == at.device && there.vlan.is_some_and(|own| own.value == vlan)
            }
            Station::Gateway(address) => {
                let own = self.presence_at(at.device, vlan);
                own.is_some_and(|own| self.has_address(own, address))
            }
            Station::Next(device) => device == at.device,
            _ => direct(at, vlan).is_some(),
        };
        self.search(node, vlan, is_there)
    }

    /// By which ports of a switch that is no VTEP of a VLAN frames come to one that is: to all that is not
    /// behind cables.
    pub(super) fn door(&self, node: Node, vlan: VlanId) -> Option<(Ports, Bridging)> {
        self.search(node, vlan, |at, vlan| {
            let own = self.presence_at(at.device, vlan).map(|own| self.fabric.presence(own));
            own.is_some_and(|own| own.vni.is_some()) && self.fabric.overlay_of(at.device).is_some()
        })
    }

    /// The nearest switch by cables that is meant, and the ports that lead there.
    fn search(
        &self,
        start: Node,
        vlan: VlanId,
        is_there: impl Fn(Node, VlanId) -> bool,
    ) -> Option<(Ports, Bridging)> {
        let mut found = None;
        self.state.carriers().spread(start, vlan, |at| match at.first {
            Some(first) if is_there(at.node, at.vlan) => {
                let device = at.node.device;
                let paired = self.fabric.pair_of(start.device, device).is_some() && at.links == 1;
                let side = if paired { Bridging::PeerLink } else { Bridging::Behind(device) };
                found = Some((self.like(first), side));
                Onward::Enough
            }
            _ => Onward::Further,
        });
        found
    }

    /// Where a station could be at other VTEPs of a segment.
    pub(super) fn candidates(&self, presence: PresenceId, station: Station) -> Vec<PresenceId> {
        let here = self.fabric.presence(presence);
        let segment = self.fabric.segment(here.segment);
        let mut found: Vec<PresenceId> = match station {
            Station::Endpoint(endpoint) => self.state.evpn().attached(endpoint).to_vec(),
            Station::Router(router) => vec![router],
            Station::Gateway(address) => {
                segment.presences.iter().filter(|&id| self.has_address(id, address)).collect()
            }
            Station::Beyond(device) => {
                let all = segment.presences.iter();
                all.filter(|&id| self.state.meets_router(id, device)).collect()
            }
            Station::Next(_) => Vec::new(),
        };
        found.retain(|&there| self.fabric.presence(there).switch != here.switch);
        found
    }

    /// Where a VTEP knows a station to be at others.
    pub(super) fn remotes(&self, presence: PresenceId, station: Station) -> Vec<Remote> {
        let candidates = self.candidates(presence, station);
        let told = self.told_of(presence, station, &candidates);
        let mut found: Vec<Remote> = Vec::new();
        for there in candidates {
            let switch = self.fabric.presence(there).switch;
            let remote = match told.iter().find(|(told, _)| *told == there) {
                Some(&(_, address)) => {
                    let own = match station {
                        Station::Endpoint(endpoint) => self
                            .state
                            .endpoint_next_hop(switch, endpoint)
                            .filter(|_| Some(address) == self.vtep(switch)),
                        _ => None,
                    };
                    let address = own.unwrap_or(address);
                    Some(Remote { address, known: Known::MacIp(there) })
                }
                None => self
                    .heard(presence, there)
                    .map(|address| Remote { address, known: Known::Frames(there) }),
            };
            if let Some(remote) = remote
                && !found.iter().any(|known| known.address == remote.address)
            {
                found.push(remote);
            }
        }
        found
    }

    /// Which of some VTEPs tell another of a station by EVPN, and what it sends to.
    fn told_of(
        &self,
        presence: PresenceId,
        station: Station,
        candidates: &[PresenceId],
    ) -> Vec<(PresenceId, IpAddr)> {
        let fabric = self.fabric;
        let tells = |there: PresenceId| match station {
            Station::Router(_) | Station::Gateway(_) => fabric
                .overlay_of(fabric.presence(there).switch)
                .is_some_and(|overlay| overlay.advertise_gateways),
            _ => true,
        };
        let all = candidates.iter().copied().filter(|&there| tells(there));
        self.state.aliases(presence, all)
    }

    pub(super) fn vtep(&self, switch: DeviceId) -> Option<IpAddr> {
        self.fabric.vtep_of(switch).map(|vtep| vtep.value)
    }

    /// The address of a VTEP whose flooded frames come to another without EVPN, so that this learns from
    /// them (RFC 7348 section 4.1).
    fn heard(&self, presence: PresenceId, there: PresenceId) -> Option<IpAddr> {
        let learning = |id: PresenceId| {
            matches!(
                replication(self.fabric, id),
                Some(Replication::Static | Replication::Multicast)
            )
        };
        if !learning(presence) || !learning(there) {
            return None;
        }
        self.state.copies(there, presence).ok()?;
        self.vtep(self.fabric.presence(there).switch)
    }

    /// Why a VTEP has not what another originates, for the words at a stop.
    pub fn apart(&self, here: PresenceId, there: PresenceId) -> Option<Apart> {
        self.state.learns(here, there).err()
    }

    /// Who has an address in the segments that an asker is in: the one that the walk leads to, else an
    /// endpoint, else whatever router has it.
    pub(super) fn owner(&self, address: IpAddr, asker: Asker) -> Station {
        let owners = self.fabric.endpoints_with(address);
        let goal = self.goal.filter(|goal| owners.contains(goal));
        let other = |&&id: &&EndpointId| asker != Asker::Endpoint(id);
        match goal.or(owners.iter().find(other).copied()) {
            Some(endpoint) => Station::Endpoint(endpoint),
            None => Station::Gateway(address),
        }
    }
}
