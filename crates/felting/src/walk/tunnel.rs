//! What the ends of pseudowires do with frames.

use super::arrival::Visit;
use super::hash;
use super::headers::{Destination, Headers, Outer, Shim, TTL};
use super::path::{Act, Station, Stop};
use super::trace::Tracer;
use crate::behaviour::tunnel::takes;
use crate::behaviour::{WireFault, WireMark};
use crate::fabric::{Pseudowire, PseudowireId};
use crate::value::{Encapsulation, UdpPort};

impl Tracer<'_, '_> {
    /// Takes a frame that came by the port of a pseudowire, whatever it is, and sends it to the far end.
    pub(super) fn enter_wire(
        &mut self,
        visit: &mut Visit,
        id: PseudowireId,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let end = fabric.pseudowire(id);
        // What goes wrong on its way, or at the far end, is seen there.
        let (from, to) = match (state.pseudowire(id).sends, end.source(fabric), end.to) {
            (
                Err(
                    why @ (WireFault::Cut
                    | WireFault::OverItself
                    | WireFault::ToItself
                    | WireFault::NotItsAddress(_)),
                ),
                ..,
            ) => {
                return Err(Stop::Wire { end: id, why });
            }
            (_, Some(from), Some(to)) => (from, to),
            (Err(why), ..) => return Err(Stop::Wire { end: id, why }),
            (Ok(_), ..) => return Err(Stop::Wire { end: id, why: WireFault::NoSource }),
        };
        let mtu = end.mtu.map(|mtu| mtu.get());
        let room = mtu.map(|mtu| mtu.saturating_sub(headers.overhead()));
        if let Some(mtu) = mtu.filter(|&mtu| headers.on_link(self.walker.size) > mtu) {
            return Err(Stop::WireTooBig { end: id, mtu });
        }
        self.act(visit, Act::IntoWire { end: id, to, room });
        let shim = match WireMark::of(end) {
            WireMark::L2tp { session, cookie, sublayer, sequence, udp } => {
                Shim::L2tp { session, cookie, sublayer, sequence, udp: udp.is_some() }
            }
            WireMark::Vxlan { vni, .. } => Shim::Vni { encapsulation: Encapsulation::Vxlan, vni },
        };
        let port = |port: UdpPort| u16::try_from(port.get()).unwrap_or(u16::MAX);
        let mac = fabric.device(visit.device).mac.value;
        let outer = Outer {
            from_mac: mac,
            to_mac: Destination::Station(mac),
            tag: None,
            from,
            to,
            ttl: TTL,
            // RFC 3931 section 4.1.2.1: any source port does; the one that it listens on is used.
            entropy: match shim {
                Shim::L2tp { .. } => port(end.udp_port.value),
                Shim::Vni { .. } => hash::entropy(&headers),
            },
            port: port(end.to_port.value),
            shim,
            fragments: end.fragments,
        };
        self.on_to_far_end(visit, headers.within(outer), station)
    }

    /// Sends what is for a pseudowire on its way out, if an end here has it; none if it is none of a pseudowire's.
    pub(super) fn out_of_wire(
        &mut self,
        visit: &mut Visit,
        outer: &Outer,
        inner: &Headers,
        station: Station,
    ) -> Option<Result<(), Stop>> {
        let fabric = self.walker.fabric;
        let mark = mark(outer)?;
        match takes(fabric, visit.device, &mark) {
            Ok(end) => {
                self.act(visit, Act::OutOfWire { end });
                let port = fabric.pseudowire(end).port.value;
                Some(self.leave(visit, port, inner.clone(), station))
            }
            // A VNI that no wire has may be a segment's.
            Err(WireFault::NotTaken(_))
                if outer.shim.vni().is_some() && fabric.overlay_of(visit.device).is_some() =>
            {
                None
            }
            Err(why) => Some(Err(Stop::Wire { end: self.sender(outer)?, why })),
        }
    }

    /// A stop of a packet of a pseudowire: what has no route is the wire's.
    pub(super) fn of_wire(&self, stop: Stop, headers: &Headers) -> Stop {
        let end = headers.outer().and_then(|outer| self.sender(outer));
        match (stop, end) {
            (Stop::Underlay(why), Some(end)) => Stop::Wire { end, why: WireFault::Unreached(why) },
            _ => stop,
        }
    }

    /// The end of a pseudowire that sends such packets.
    fn sender(&self, outer: &Outer) -> Option<PseudowireId> {
        let sent = mark(outer)?;
        let mut ends = self.walker.fabric.pseudowires();
        let is_of = |end: &Pseudowire| end.to == Some(outer.to) && WireMark::of(end) == sent;
        ends.find(|(_, end)| is_of(end)).map(|(id, _)| id)
    }
}

/// What marks a packet as one of a pseudowire; none if it can't be one.
fn mark(outer: &Outer) -> Option<WireMark> {
    let port = UdpPort::new(u32::from(outer.port)).ok();
    Some(match outer.shim {
        Shim::L2tp { session, cookie, sublayer, sequence, udp } => {
            WireMark::L2tp { session, cookie, sublayer, sequence, udp: port.filter(|_| udp) }
        }
        Shim::Vni { encapsulation: Encapsulation::Vxlan, vni } => {
            WireMark::Vxlan { vni, udp: port? }
        }
        Shim::Vni { .. } => return None,
    })
}
