use std::collections::BTreeMap;

use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, PresenceId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-vtep-missing",
        severity: Severity::Error,
        summary: "a VTEP has no address",
        explain: "Packets in VXLAN go from the address of one VTEP to that of another, and EVPN routes have it for \
              their next hop. A switch of an overlay that is given none, by a `vtep`, by its pair or by a pool of \
              `vteps`, is no end of any tunnel: its segments end at its own ports.",
        sources: &["RFC 7348 section 4", "RFC 8365 section 5.1.3"],
        broken: concat!(
            part!(switches),
            part!(loopbacks),
            part!(uplinks),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(segment),
            part!(vteps),
        ),
        mend: &[(
            "[cabling]",
            "[[pool]]\nname = \"vteps\"\ngives = \"vteps\"\nprefix = \"10.64.9.0/24\"\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let has = |device: DeviceId| fabric.vtep_of(device).is_some();
    let mut of_statement: BTreeMap<Span, Vec<(DeviceId, PresenceId)>> = BTreeMap::new();
    for (_, overlay) in fabric.overlays() {
        let device = overlay.device;
        // The sides of a pair are compared with each other, and a pool that ends too early is told as that.
        let twin = fabric.device(device).pair.and_then(|(pair, side)| {
            fabric.pair(pair).sides.get(1 - side).map(|side| side.switch.value)
        });
        if has(device) || twin.is_some_and(has) || fabric.went_without(device) {
            continue;
        }
        let mut own = fabric.presences_on(device).iter().copied();
        let carried = own.find(|&id| fabric.presence(id).vni.is_some());
        if let Some(carried) = carried {
            of_statement.entry(overlay.span.0).or_default().push((device, carried));
        }
    }
    for (span, all) in of_statement {
        let names: Vec<&str> = all.iter().map(|&(device, _)| fabric.device_name(device)).collect();
        let (who, segment) =
            (some_of(&names), &fabric.segment(fabric.presence(all[0].1).segment).name);
        let (is, has) = if all.len() == 1 { ("is a VTEP", "has") } else { ("are VTEPs", "have") };
        let draft = out
            .report(span, format!("{who} {has} no address"), format!("{who} {is} without an address"))
            .related(segment.span, format!("{} is to be carried from there", segment.value))
            .wire("nothing leaves there in VXLAN, and nobody sends there: segments end at the switch\u{2019}s own ports")
            .remedy("give a pool of `vteps`, or a `vtep` to each");
        all.iter().fold(draft, |draft, &(device, _)| draft.about(device));
    }
}
