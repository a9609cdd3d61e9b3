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

use smallvec::SmallVec;

use super::{Check, Context, Findings};
use crate::behaviour::tunnel::misfits;
use crate::behaviour::{Shim, WireFault};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Pseudowire, PseudowireId};

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

/// Whether what goes in at an end comes out nowhere.
fn is_lost(cx: &Context<'_>, id: PseudowireId) -> bool {
    cx.state.pseudowire(id).sends.is_err()
}

/// What becomes of what goes in at an end of a pseudowire.
fn fate(cx: &Context<'_>, id: PseudowireId) -> String {
    let fabric = cx.fabric;
    let end = fabric.pseudowire(id);
    let here = fabric.device_name(end.device);
    match cx.state.pseudowire(id).sends {
        Ok(out) => {
            let out = fabric.pseudowire(out);
            let (port, name) = (fabric.port_label(out.port.value), &out.name.value);
            format!("what goes in at {here} comes out at {port}, the port of {name}")
        }
        Err(why) => {
            format!("what goes in at {here} comes out nowhere: {}", cx.state.wire_words(id, why))
        }
    }
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

    /// All that keeps an end from taking what the other sends.
    fn misfits(&self, from: usize) -> SmallVec<[WireFault; 2]> {
        let ends = [self.a, self.b];
        let (end, far) = (ends[from], self.ids[1 - from]);
        misfits(self.fabric, far, &Shim::of(end), end.to_port.value)
    }

    /// Whether both put the same around frames.
    fn carry_alike(&self) -> bool {
        let apart = |why: &WireFault| why.rule() == Some("tunnel-encapsulation-clash");
        ![0, 1].iter().any(|&from| self.misfits(from).iter().any(apart))
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
        let lost = [0, 1].map(|from| {
            let (id, far) = (self.ids[from], self.ids[1 - from]);
            (cx.state.pseudowire(id).sends != Ok(far)).then(|| fate(cx, id))
        });
        match lost {
            [Some(_), Some(_)] if self.ids.iter().all(|&id| is_lost(cx, id)) => {
                format!("nothing gets through between {a} and {b}, neither way")
            }
            [Some(there), Some(back)] => format!("{there}; {back}"),
            [Some(lost), None] | [None, Some(lost)] => {
                format!("{lost}; the other way frames pass, so nothing is answered")
            }
            [None, None] => format!("frames pass between {a} and {b} all the same"),
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
