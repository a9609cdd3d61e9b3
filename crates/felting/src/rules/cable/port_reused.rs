use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::fabric::{CableId, PortId};
use crate::rules::lag::{half_name, meant_for_replugged};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "cable-port-reused",
        severity: Severity::Error,
        summary: "two cables in one port",
        explain: "A port takes one plug. Where a list puts two cables into one port, one of them is \
              in another port in truth, or not there at all; whatever was planned over it is not.",
        sources: &["IEEE 802.3 clause 1.4 (a link joins two ports)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[cabling]
runs = [
  "kelp-a p1 -- kelp-b p1",
  "kelp-a p1 -- kelp-b p2",
]
"#,
        mend: &[("kelp-a p1 -- kelp-b p2", "kelp-a p2 -- kelp-b p2")],
    },
    check,
};

/// A port, the first cable in it, and a further one.
type Replugged = (PortId, CableId, CableId);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // The cables of one run that meet those of another are told once.
    let mut of_runs: BTreeMap<(Span, Span), Vec<Replugged>> = BTreeMap::new();
    for &(port, first, further) in &fabric.replugged {
        let place = |cable| {
            let ends = &fabric.cable(cable).ends;
            // A cable with both ends in one port is its own second.
            let mut ends = ends.iter().filter(|end| end.value == port);
            let end = ends.next().expect("the cable is listed for this port");
            if first == further { ends.next().unwrap_or(end).span } else { end.span }
        };
        of_runs.entry((place(first), place(further))).or_default().push((port, first, further));
    }
    let mut missed = meant_for_replugged(fabric);
    for ((one, other), all) in of_runs {
        let (port, first, further) = all[0];
        let far = |cable| {
            let ends = &fabric.cable(cable).ends;
            let far = if ends[0].value == port { ends[1] } else { ends[0] };
            fabric.port_label(far.value)
        };
        let name = fabric.port_label(port);
        let more = match all.len() {
            1 => String::new(),
            2 => ", and so in one more port".to_owned(),
            many => format!(", and so in {} more ports", many - 1),
        };
        let mut draft = out
            .report(
                other,
                format!("this one leads to {}", far(further)),
                format!(
                    "two cables are in {name}: to {} and to {}{more}",
                    far(first),
                    far(further)
                ),
            )
            .related(one, format!("the first leads to {}", far(first)))
            .wire(format!(
                "one of the two links does not exist; {} is taken as uncabled",
                far(further)
            ))
            .remedy(format!("look which cable is in {name}, and give the other its own port"));
        // Where a cable is too many in one place, it is missing in another.
        if let Some(&first) = missed.first() {
            let lag = fabric.lag(first);
            draft =
                draft.related(lag.name.span, format!("{} has no cable", half_name(fabric, first)));
        }
        for lag in missed.drain(..) {
            draft = draft.about(fabric.lag(lag).device);
        }
        let ends = all.iter().flat_map(|&(_, first, further)| [first, further]);
        let devices = ends
            .flat_map(|cable| fabric.cable(cable).ends)
            .map(|end| fabric.port(end.value).device);
        devices.into_iter().fold(draft.about(fabric.port(port).device), Draft::about);
    }
}
