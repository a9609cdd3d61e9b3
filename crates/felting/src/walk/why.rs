//! Why packets get no farther, in words.

use super::path::{Act, Hop, Stop, Table};
use crate::behaviour::tunnel;
use crate::fabric::{Fabric, PortId, PresenceId};

/// Why a packet gets no farther than a hop.
pub fn why(fabric: &Fabric, hop: &Hop, stop: Stop) -> String {
    let segment = |id: PresenceId| fabric.segment(fabric.presence(id).segment).name.as_str();
    let switch = |id: PresenceId| fabric.device_name(fabric.presence(id).switch);
    let table = |table: Table| match table {
        Table::Vrf(vrf) => format!("VRF {}", fabric.vrf(vrf).name.value),
        Table::Own => "its own table".to_owned(),
    };
    let port_of = |port: PortId| match fabric.lag_of(port) {
        Some(lag) => format!("{} of LAG {}", fabric.port_name(port), fabric.lag(lag).name.value),
        None => fabric.port_name(port).to_owned(),
    };
    match stop {
        Stop::NoNetwork => "the host has no network of that name".to_owned(),
        Stop::TagOutside(tag) => {
            format!("the guest\u{2019}s tag {tag} is not among its network\u{2019}s")
        }
        Stop::NoTag => "the endpoint says no tag, and its network has several".to_owned(),
        Stop::NoUplink => "no NIC of the uplink is in use".to_owned(),
        Stop::NoGateway => {
            "the destination is in another subnet, and the endpoint has no gateway".to_owned()
        }
        Stop::GatewayOutside(gateway) => {
            format!("the gateway {gateway} is outside the endpoint\u{2019}s own subnet")
        }
        Stop::LinkDown(port) => format!("{} has no link", fabric.port_label(port)),
        Stop::NotCarried(port, Some(tag)) => {
            format!("{} does not carry VLAN {tag}", port_of(port))
        }
        Stop::NotCarried(port, None) => {
            format!("{} takes no untagged frames", port_of(port))
        }
        Stop::NoVlan(vlan) => format!("it has no VLAN {vlan}: no segment of it is on this switch"),
        Stop::NotInUse(port) => format!("{} does not use its member", port_of(port)),
        Stop::Discarding(port) => {
            format!("the spanning tree discards on {}", port_of(port))
        }
        Stop::Unknown { presence: Some(presence) } => {
            format!("no way from here leads to the station in {}", segment(presence))
        }
        Stop::Unknown { presence: None } => {
            "no way from here leads to the station, and the VLAN is no segment here".to_owned()
        }
        Stop::NoCopy { there, why, .. } => {
            format!("{} gets no copy: {}", switch(there), why.words())
        }
        Stop::Closed(port) => format!(
            "another leaf of the Ethernet segment forwards here, so {} passes nothing",
            port_of(port)
        ),
        Stop::NotForwarder(port) => format!(
            "it is not the designated forwarder for the Ethernet segment on {}",
            port_of(port)
        ),
        Stop::Nobody(address) => format!("nobody has {address}"),
        Stop::Unanswered(address) => format!("nobody answers for {address}"),
        Stop::NoRoute(of) => match hop.acts.last() {
            Some(Act::DecapsulatesRouted { .. }) => {
                format!("{} has no route onward", table(of))
            }
            _ => format!("{} has no route to the destination", table(of)),
        },
        Stop::Unmodelled => "the route leads where the file says nothing of".to_owned(),
        Stop::WentOut(outside) => format!(
            "it is led out to {}, though the destination is inside",
            fabric.outside(outside).name.value
        ),
        Stop::NoWayOut(outside) => {
            format!("no way leads to the router of {}", fabric.outside(outside).name.value)
        }
        Stop::Underlay(_) => "the underlay has no route to the VTEP".to_owned(),
        Stop::VniUnknown(vni) => format!("it has no VNI {vni}"),
        Stop::NotTaken => {
            "it takes no such packets: no VTEP, another UDP port, or another encapsulation"
                .to_owned()
        }
        Stop::RouterMac => "the packet is for another router\u{2019}s MAC address".to_owned(),
        Stop::Expired => "the TTL is used up".to_owned(),
        Stop::Circle => "the ways lead in a circle".to_owned(),
        Stop::Wire { end, why } => tunnel::words(fabric, end, why),
        Stop::WireTooBig { end, mtu } => format!(
            "the packet is larger than the pseudowire {} takes: MTU {mtu}",
            fabric.pseudowire(end).name.value
        ),
        Stop::TooBig { port, mtu } => {
            format!("the packet is larger than {} takes: MTU {mtu}", port_of(port))
        }
        Stop::NotItsNetwork => {
            "the host takes no such frame on this NIC: another tag, or another NIC is in use"
                .to_owned()
        }
        Stop::NotForwarded(endpoint) => format!(
            "{} is a machine and not the destination: it passes nothing on",
            fabric.endpoint(endpoint).name.value
        ),
        Stop::Astray => "the frame is not for this device".to_owned(),
    }
}
