//! What hosts do with packets.

use super::arrival::{Arrival, Stage, Visit};
use super::headers::{Frame, Headers};
use super::path::{Act, Station, Stop};
use super::trace::Tracer;
use crate::behaviour::evpn::tag_of;
use crate::behaviour::host::nics_in_use;
use crate::fabric::{EndpointId, NetworkId, Uplink};
use crate::value::{BondProtocol, HashPolicy, VlanId};

impl Tracer<'_, '_> {
    pub(super) fn emit(
        &mut self,
        visit: &mut Visit,
        id: EndpointId,
        arrival: &Arrival,
    ) -> Result<(), Stop> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let network = state.network_of(id).ok_or(Stop::NoNetwork)?;
        let tag = self.tag_of(id, network)?;
        let by_guest = fabric.endpoint(id).tag.is_some();
        self.act(visit, Act::Takes { network, tag, by_guest });
        let uplink = fabric.network(network).uplink;
        if let Station::Endpoint(other) = arrival.station
            && state.host_of(other) == visit.device
            && let Some(theirs) = state.network_of(other)
            && fabric.network(theirs).uplink == uplink
            && self.tag_of(other, theirs) == Ok(tag)
        {
            self.act(visit, Act::Inside);
            return self.deliver(visit, other, &arrival.headers);
        }
        let bond = match uplink {
            Uplink::Bond(bond) => Some(bond),
            Uplink::Nic(_) => None,
        };
        self.act(visit, Act::Uplink { bond });
        let nics = nics_in_use(fabric, state.fars(), &state.members, id, uplink);
        let policy = bond.and_then(|bond| fabric.bond(bond).hash).map(|hash| hash.value);
        let headers = arrival.headers.around(Frame { tag, ..arrival.headers.frame });
        let chosen = self.choose(visit, &nics, &headers, policy.unwrap_or(HashPolicy::Addresses));
        if chosen.is_empty() {
            return Err(Stop::NoUplink);
        }
        chosen
            .into_iter()
            .try_for_each(|nic| self.leave(visit, nic, headers.clone(), arrival.station))
    }

    /// The tag that the frames of an endpoint have when they leave its host.
    pub(super) fn tag_of(
        &self,
        id: EndpointId,
        network: NetworkId,
    ) -> Result<Option<VlanId>, Stop> {
        let endpoint = self.walker.fabric.endpoint(id);
        let tag = tag_of(endpoint, self.walker.fabric.network(network));
        tag.ok_or(endpoint.tag.map_or(Stop::NoTag, |tag| Stop::TagOutside(tag.value)))
    }

    pub(super) fn at_host(
        &mut self,
        visit: &mut Visit,
        stage: Stage,
        arrival: &Arrival,
    ) -> Result<(), Stop> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let (Stage::Wire(nic), Station::Endpoint(id)) = (stage, arrival.station) else {
            return Err(Stop::Astray);
        };
        if state.host_of(id) != visit.device {
            return Err(Stop::Astray);
        }
        let network = state.network_of(id).ok_or(Stop::NoNetwork)?;
        let uplink = fabric.network(network).uplink;
        let listens = match uplink {
            Uplink::Nic(own) => own == nic,
            // One NIC at a time, or each guest on one: what comes by another is not taken.
            Uplink::Bond(bond) => match fabric.bond(bond).protocol.value {
                BondProtocol::Lacp | BondProtocol::Static | BondProtocol::Proprietary => {
                    fabric.bond(bond).nics.iter().any(|own| own.value == nic)
                }
                _ => nics_in_use(fabric, state.fars(), &state.members, id, uplink).contains(&nic),
            },
        };
        if !listens || self.tag_of(id, network) != Ok(arrival.headers.frame.tag) {
            return Err(Stop::NotItsNetwork);
        }
        self.deliver(visit, id, &arrival.headers)
    }

    /// Hands a frame to an endpoint. One that is no router drops what is for another address (RFC 1122 section
    /// 3.3.1.1).
    pub(super) fn deliver(
        &mut self,
        visit: &Visit,
        id: EndpointId,
        headers: &Headers,
    ) -> Result<(), Stop> {
        let packet = &headers.frame.packet;
        let mut own = self.walker.fabric.endpoint(id).addresses.iter();
        if !packet.content.is_resolution() && !own.any(|own| own.address() == packet.to) {
            return Err(Stop::NotForwarded(id));
        }
        self.act(visit, Act::Delivers(id));
        self.arrive(visit);
        Ok(())
    }
}
