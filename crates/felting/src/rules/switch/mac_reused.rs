use std::collections::BTreeMap;

use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::{Device, DeviceId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "switch-mac-reused",
        severity: Severity::Error,
        summary: "two switches with one MAC address",
        explain: "A switch's MAC address is its LACP system, its bridge in the spanning tree, and more. \
              It is allotted from the switch's number, unless it is written; two switches with one \
              number, or one address written twice, are one system to their neighbours.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.2 (system ID)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
number = 11

[[switch]]
name = "reed-[a-b]"
number = 12
"#,
        mend: &[("number = 12", "number = 13")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    // Ranges whose numbers meet are told once.
    let mut of_places: BTreeMap<(Span, Span), Vec<[DeviceId; 2]>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Device(id), Some(Entity::Device(first))) = (cause.entity, cause.other) else {
            continue;
        };
        let places = [first, id].map(|id| cx.fabric.device(id).mac.span);
        of_places.entry((places[0], places[1])).or_default().push([first, id]);
    }
    for all in of_places.into_values() {
        let [a, b] = all[0].map(|id| cx.fabric.device(id));
        let says = |device: &Device| match device.number {
            Some(number) if number.span == device.mac.span => {
                format!("{} has number {}", device.name.value, number.value)
            }
            _ => format!("{} has {}", device.name.value, device.mac.value),
        };
        let more = match all.len() {
            1 => String::new(),
            2 => ", and so have two others".to_owned(),
            many => format!(", and so have {} more such pairs", many - 1),
        };
        let draft = out.report(
            b.mac.span,
            says(b),
            format!("{} and {} have one MAC address, {}{more}", a.name.value, b.name.value, a.mac.value),
        )
        .related(a.mac.span, says(a))
        .wire(
            "LACP takes the two for one system: a LAG between them does not form, and one towards both looks whole where \
             it is not",
        )
        .remedy(match [a, b].iter().all(|d| d.number.is_some_and(|n| n.span == d.mac.span)) {
            true => "give each switch its own number; a range of names counts on from the number written",
            false => "take the written `mac` out, or write the address that the device really has",
        });
        all.iter().flatten().fold(draft, |draft, &device| draft.about(device));
    }
}
