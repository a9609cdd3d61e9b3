//! What the ends of pseudowires do with frames.

use super::arrival::Visit;
use super::hash;
use super::headers::{Destination, Headers, Outer, TTL};
use super::path::{Act, Station, Stop};
use super::trace::Tracer;
use crate::behaviour::tunnel::takes;
use crate::behaviour::{Shim, WireFault};
use crate::fabric::PseudowireId;
use crate::value::UdpPort;

impl Tracer<'_, '_> {
    /// Takes a frame that came by the port of a pseudowire, whatever it is, and sends it to the far end.
    pub(super) fn enter_wire(
        &mut self,
        visit: &mut Visit,
        id: PseudowireId,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let end = fabric.pseudowire(id);
        let stop = |why| Stop::Wire { end: id, why };
        // What goes wrong on its way, or at the far end, is seen there.
        if let Err(why) = self.walker.state.pseudowire(id).sends
            && why.is_at_start()
        {
            return Err(stop(why));
        }
        let ends = end.source(fabric).zip(end.to);
        let (from, to) = ends.ok_or(stop(WireFault::NoSource))?;
        let mtu = end.mtu.map(|mtu| mtu.get());
        let room = mtu.map(|mtu| mtu.saturating_sub(headers.overhead()));
        if let Some(mtu) = mtu.filter(|&mtu| headers.on_link(self.walker.size) > mtu) {
            return Err(Stop::WireTooBig { end: id, mtu });
        }
        let shim = Shim::of(end);
        self.act(visit, Act::IntoWire { end: id, to, room });
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
            wire: Some(id),
        };
        self.on_to_far_end(visit, headers.within(outer), station)
    }

    /// Sends what is for a pseudowire out, if an end here has it; none if it is none of a pseudowire's.
    pub(super) fn leave_wire(
        &mut self,
        visit: &mut Visit,
        outer: &Outer,
        inner: &Headers,
        station: Station,
    ) -> Option<Result<(), Stop>> {
        let fabric = self.walker.fabric;
        // Without UDP the port is not looked at.
        let port = UdpPort::new(u32::from(outer.port).max(1)).ok()?;
        let end = match (takes(fabric, visit.device, &outer.shim, port), outer.wire) {
            (Ok(end), _) => end,
            // What is no wire's may be for a segment.
            (Err(_), None) | (Err(WireFault::OfSegment(_)), _) => return None,
            (Err(why), Some(end)) => return Some(Err(Stop::Wire { end, why })),
        };
        self.act(visit, Act::OutOfWire { end });
        let port = fabric.pseudowire(end).port.value;
        Some(self.leave(visit, port, inner.clone(), station))
    }
}

/// Why a packet has no route: if it is of a pseudowire, that is the wire's.
pub(super) fn of_wire(stop: Stop, headers: &Headers) -> Stop {
    match (stop, headers.outer().and_then(|outer| outer.wire)) {
        (Stop::Underlay(why), Some(end)) => Stop::Wire { end, why: WireFault::Unreached(why) },
        _ => stop,
    }
}
