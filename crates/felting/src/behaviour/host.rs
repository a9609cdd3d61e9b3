//! By which NICs a host sends and gets the frames of an endpoint.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::carrier::is_in_use;
use super::lag::MemberOutcome;
use crate::fabric::{
    BondId, Condition, DeviceId, EndpointId, Fabric, MemberId, NetworkId, PortId, Uplink,
};
use crate::id::Pages;
use crate::value::BondProtocol;

pub(crate) type Nics = SmallVec<[PortId; 4]>;

/// The networks of endpoints that have moved: those of the same name on the hosts that they are on now.
pub(super) fn moved(
    fabric: &Fabric,
    condition: &Condition,
) -> FxHashMap<EndpointId, (DeviceId, Option<NetworkId>)> {
    let network = |(&endpoint, &host): (&EndpointId, &DeviceId)| {
        let name = &fabric.network(fabric.endpoint(endpoint).network.value).name.value;
        let mut all = fabric.networks.iter();
        let found = all.find(|(_, other)| other.host == host && other.name.value == *name);
        (endpoint, (host, found.map(|(id, _)| id)))
    };
    condition.moved.iter().map(network).collect()
}

/// The NICs that frames of an endpoint leave by and come in by: those of a LAG that distribute or work for
/// themselves, or the one that the bond keeps the endpoint on.
pub(crate) fn nics_in_use(
    fabric: &Fabric,
    far: &Pages<PortId, Option<PortId>>,
    members: &Pages<MemberId, MemberOutcome>,
    endpoint: EndpointId,
    uplink: Uplink,
) -> Nics {
    let linked = |&nic: &PortId| far[nic].is_some();
    match uplink {
        Uplink::Nic(nic) => std::iter::once(nic).filter(linked).collect(),
        Uplink::Bond(bond) => of_bond(fabric, far, members, endpoint, bond),
    }
}

fn of_bond(
    fabric: &Fabric,
    far: &Pages<PortId, Option<PortId>>,
    members: &Pages<MemberId, MemberOutcome>,
    endpoint: EndpointId,
    bond: BondId,
) -> Nics {
    let bond = fabric.bond(bond);
    let linked: Nics =
        bond.nics.iter().map(|nic| nic.value).filter(|&nic| far[nic].is_some()).collect();
    let place = |number: u32| {
        let count = u32::try_from(linked.len()).unwrap_or(1).max(1);
        linked.get((number % count) as usize).copied().into_iter().collect()
    };
    match bond.protocol.value {
        BondProtocol::Lacp | BondProtocol::Static | BondProtocol::Proprietary => {
            linked.into_iter().filter(|&nic| is_in_use(fabric, members, nic)).collect()
        }
        BondProtocol::ActiveStandby => {
            let active = bond.active.map(|nic| nic.value).filter(|nic| linked.contains(nic));
            active.or(linked.first().copied()).into_iter().collect()
        }
        BondProtocol::ByGuest => place(super::flow_hash::by_name(&fabric.endpoint(endpoint).name)),
        BondProtocol::BySource => {
            place(super::flow_hash::by_mac(fabric.endpoint(endpoint).mac.value))
        }
    }
}
