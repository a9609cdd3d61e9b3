//! Pseudowires: ports joined across the network.

use std::net::IpAddr;

use smallvec::SmallVec;
use smol_str::SmolStr;

use super::{Arenas, DeviceId, PortId, PseudowireId};
use crate::diagnostic::At;
use crate::value::{Cookie, Mtu, UdpPort, Vni, WireEncapsulation, WireOver, WireSession};

/// One end of a pseudowire.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Pseudowire {
    /// The wire's name, which both ends have.
    pub name: At<SmolStr>,
    /// The switch.
    pub device: DeviceId,
    /// The port whose frames it carries.
    pub port: At<PortId>,
    /// The address that its packets are from, if one is written.
    pub from: Option<At<IpAddr>>,
    /// The address of the far end; none if the switch there has no loopback.
    pub to: Option<IpAddr>,
    /// Where the far end is written, and the switch, if it is named.
    pub far: At<Option<DeviceId>>,
    /// How frames cross the network.
    pub encapsulation: At<WireEncapsulation>,
    /// What L2TPv3 goes over.
    pub over: At<WireOver>,
    /// What tells its packets from others.
    pub ids: Ids,
    /// Whether L2TPv3 carries the layer 2 specific sublayer.
    pub sublayer: At<bool>,
    /// Whether sequence numbers are sent in it.
    pub sequence: bool,
    /// The UDP port that it listens on.
    pub udp_port: At<UdpPort>,
    /// The UDP port that it sends to.
    pub to_port: At<UdpPort>,
    /// The largest packet that it takes.
    pub mtu: Option<At<Mtu>>,
    /// Whether its packets may be fragmented on their way.
    pub fragments: bool,
    /// The other end of the wire, if it is there.
    pub twin: Option<PseudowireId>,
    /// Keys that say nothing of what carries its frames.
    pub(crate) idle: SmallVec<[At<&'static str>; 1]>,
}

/// What tells the packets of an end of a pseudowire from others.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Ids {
    /// L2TPv3: the ids of the session (RFC 3931 section 4.1), and its cookies.
    Session {
        /// The id on what comes in.
        local: At<WireSession>,
        /// The id on what goes out.
        remote: At<WireSession>,
        /// The cookie on what comes in.
        local_cookie: Option<At<Cookie>>,
        /// The cookie on what goes out.
        remote_cookie: Option<At<Cookie>>,
    },
    /// VXLAN: the VNI (RFC 7348 section 5).
    Vni(At<Vni>),
}

impl Pseudowire {
    /// The address that its packets are from: the one written, else the first loopback of the version that the
    /// far end's address has.
    pub fn source(&self, fabric: &Arenas) -> Option<IpAddr> {
        let written = self.from.map(|from| from.value);
        written.or_else(|| fabric.loopback_like(self.device, self.to?))
    }
}

impl Arenas {
    /// The first loopback of a switch that has the version of an address.
    pub(crate) fn loopback_like(&self, device: DeviceId, like: IpAddr) -> Option<IpAddr> {
        let addresses = self.router_of(device)?.loopbacks.iter().map(|one| one.address());
        addresses.into_iter().find(|address| address.is_ipv4() == like.is_ipv4())
    }

    /// The end of a pseudowire whose frames come by a port; the first, if several do.
    pub fn pseudowire_at(&self, port: PortId) -> Option<PseudowireId> {
        self.circuits.get(&port).copied()
    }

    /// The ends of pseudowires on a switch.
    pub fn pseudowires_on(&self, device: DeviceId) -> &[PseudowireId] {
        self.wires_on.get(&device).map_or(&[], Vec::as_slice)
    }

    /// The port that one is a neighbour of: at the other end of its cable, or of pseudowires behind that, up or not; with the
    /// ends of these, as its frames go in. None for the port of a pseudowire itself.
    pub(crate) fn beyond(&self, port: PortId) -> Option<(PortId, SmallVec<[PseudowireId; 1]>)> {
        let mut wires = SmallVec::new();
        if self.circuits.contains_key(&port) {
            return None;
        }
        let (_, mut far) = self.link(port)?;
        while let Some(&end) = self.circuits.get(&far) {
            if wires.contains(&end) {
                return None;
            }
            wires.push(end);
            let twin = self.pseudowires[end].twin?;
            (_, far) = self.link(self.pseudowires[twin].port.value)?;
        }
        (far != port).then_some((far, wires))
    }

    /// An end of a pseudowire in words.
    pub(crate) fn pseudowire_words(&self, id: PseudowireId) -> String {
        let end = &self.pseudowires[id];
        format!("{} of {}", end.name.value, self.device_name(end.device))
    }
}
