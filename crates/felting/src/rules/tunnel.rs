//! Faults of tunnels: pseudowires, and what they go over.

mod cookie_clash;
mod encapsulation_clash;
mod end_missing;
mod ends_apart;
mod far_unreachable;
mod id_clash;
mod id_reused;
mod mtu_clash;
mod mtu_too_small;
mod over_itself;
mod plain_over_wan;
mod port_in_use;
mod port_shared;
mod port_uncabled;
mod source_foreign;
mod source_not_loopback;

use super::{Check, Context, Findings};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Pseudowire, PseudowireId};
use crate::value::{WireEncapsulation, WireOver};

pub(super) static RULES: &[&Check] = &[
    &end_missing::RULE,
    &ends_apart::RULE,
    &encapsulation_clash::RULE,
    &id_clash::RULE,
    &cookie_clash::RULE,
    &id_reused::RULE,
    &port_shared::RULE,
    &port_in_use::RULE,
    &port_uncabled::RULE,
    &source_foreign::RULE,
    &source_not_loopback::RULE,
    &mtu_clash::RULE,
    &mtu_too_small::RULE,
    &over_itself::RULE,
    &plain_over_wan::RULE,
    &far_unreachable::RULE,
];

/// The two ends of a pseudowire.
struct Ends<'f> {
    fabric: &'f Fabric,
    ids: [PseudowireId; 2],
    a: &'f Pseudowire,
    b: &'f Pseudowire,
}

/// The pseudowires that have two ends.
fn wires(fabric: &Fabric) -> impl Iterator<Item = Ends<'_>> {
    fabric.pseudowires().filter_map(|(id, a)| {
        let twin = a.twin.filter(|&twin| id < twin)?;
        Some(Ends { fabric, ids: [id, twin], a, b: fabric.pseudowire(twin) })
    })
}

/// Whether an end sends to an address of the switch where another is, or to one that nobody here has.
fn names(fabric: &Fabric, from: &Pseudowire, to: &Pseudowire) -> bool {
    let (Some(address), Some(router)) = (from.to, fabric.device(to.device).router) else {
        return from.far.value.is_none_or(|far| far == to.device);
    };
    fabric.has_address(router, address)
        || from.far.value.is_none()
            && !fabric.routers().any(|(id, _)| fabric.has_address(id, address))
}

impl<'f> Ends<'f> {
    /// Each end, with the other.
    fn ways(&self) -> [(&'f Pseudowire, &'f Pseudowire); 2] {
        [(self.a, self.b), (self.b, self.a)]
    }

    /// Whether they send to each other.
    fn face(&self) -> bool {
        self.ways().iter().all(|(from, to)| names(self.fabric, from, to))
    }

    /// The key in which they carry frames otherwise, and where each is written.
    fn carry_apart(&self) -> Option<(&'static str, [Span; 2])> {
        let (a, b) = (self.a, self.b);
        if a.encapsulation.value != b.encapsulation.value {
            return Some(("encapsulation", [a.encapsulation.span, b.encapsulation.span]));
        }
        let is_l2tp = a.encapsulation.value == WireEncapsulation::L2tpv3;
        if is_l2tp && a.over.value != b.over.value {
            return Some(("over", [a.over.span, b.over.span]));
        }
        let has_port = !is_l2tp || a.over.value == WireOver::Udp;
        for (from, to) in [(a, b), (b, a)] {
            if has_port && from.to_port.value != to.udp_port.value {
                let spans = [from.to_port.span, to.udp_port.span];
                return Some((
                    "udp_port",
                    if from.device == a.device { spans } else { [spans[1], spans[0]] },
                ));
            }
        }
        (is_l2tp && a.sublayer.value != b.sublayer.value)
            .then_some(("sublayer", [a.sublayer.span, b.sublayer.span]))
    }

    /// Whether they carry frames in one way.
    fn carry_alike(&self) -> bool {
        self.carry_apart().is_none()
    }

    /// What the wire and two ends are called.
    fn said(
        &self,
        fabric: &'f Fabric,
        from: &Pseudowire,
        to: &Pseudowire,
    ) -> (String, [&'f str; 2]) {
        let devices = [from, to].map(|end| fabric.device_name(end.device));
        (format!("the pseudowire {}", self.a.name.value), devices)
    }

    /// What becomes of frames.
    fn consequence(&self, cx: &Context<'_>) -> String {
        let [a, b] = [self.a, self.b].map(|end| self.fabric.device_name(end.device));
        let lost = self.ids.map(|id| cx.state.pseudowire(id).sends.is_err());
        match lost {
            [true, true] => format!("nothing gets through between {a} and {b}, neither way"),
            [true, false] => {
                format!(
                    "what goes in at {a} does not come out at {b}; the other way frames pass, so nothing is answered"
                )
            }
            [false, true] => {
                format!(
                    "what goes in at {b} does not come out at {a}; the other way frames pass, so nothing is answered"
                )
            }
            [false, false] => format!("frames pass between {a} and {b} all the same"),
        }
    }

    /// Tells that both ends have the same, as if what one receives were what the other receives too.
    fn not_mirrored(
        &self,
        cx: &Context<'_>,
        out: &mut Findings<'_>,
        what: &str,
        values: &str,
        spans: [Span; 2],
    ) {
        let (name, [here, there]) = self.said(self.fabric, self.a, self.b);
        out.report(
            spans[1],
            format!("{there}: {values}"),
            format!("{name} has the same {what} at both ends, {values}, and they are to mirror each other"),
        )
        .related(spans[0], format!("{here}: {values}"))
        .wire(self.consequence(cx))
        .remedy(format!("exchange `local` and `remote` on {there}, in `differs` if one statement is both ends"))
        .about(self.a.device)
        .about(self.b.device)
        .about_name(&self.a.name.value);
    }
}
