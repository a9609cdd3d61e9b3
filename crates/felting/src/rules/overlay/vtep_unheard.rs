use std::collections::{BTreeMap, BTreeSet};

use super::{TELLS_WHY, apart};
use crate::behaviour::{Apart, NotPassed};
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, PresenceId};
use crate::rules::underlay::loss_at;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};
use crate::value::Family;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-vtep-unheard",
        severity: Severity::Error,
        summary: "a VTEP of a segment hears nothing of another",
        explain: "Where a station is, and who wants copies of what is flooded, VTEPs tell each other \
              by EVPN. A speaker passes on only its best path, iBGP only by reflectors, and \
              nothing whose next hop it has no way to, so that sessions can be up all the way \
              and the routes of one VTEP still not get to another.",
        sources: &["RFC 4271 section 9.1.3", "RFC 4456 section 6", "RFC 7432 section 7"],
        broken: r#"
[[switch]]
name = "crest-1"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = "p[49-52] 100G"

[[switch]]
name = "causeway-1"
number = 31
role = "router"
ports = "p1 100G"

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = ["kelp-*", "causeway-1"]

[[policy]]
name = "loopbacks"
permit = "10.64.8.0/24"

[[router]]
on = "crest-1"
as_number = 4204100001
policy_required = false

[[router]]
on = ["kelp-*", "causeway-1"]
policy_required = false

[[underlay]]
on = ["crest-1", "kelp-*", "causeway-1"]
protocol = "bgp"
differs = [{ on = "causeway-1", import = "loopbacks" }]

[[session]]
on = "kelp-*"
to = "causeway-1"
multihop = 3

[[session]]
on = "causeway-1"
to = "kelp-*"
multihop = 3
next_hop = "kept"

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"

[cabling]
runs = ["kelp-[a-b] p49 -- crest-1 p[1-2]", "causeway-1 p1 -- crest-1 p3"]
"#,
        mend: &[("differs = [{ on = \"causeway-1\", import = \"loopbacks\" }]\n", "")],
    },
    check,
};

/// What is known of VTEPs that are apart for one reason.
struct Case {
    here: PresenceId,
    there: PresenceId,
    lost: (crate::fabric::SessionId, NotPassed),
    others: BTreeSet<(DeviceId, DeviceId)>,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut cases: BTreeMap<(Span, DeviceId), Case> = BTreeMap::new();
    for (here, there, why) in apart(cx) {
        let (from, to) = (fabric.presence(here).switch, fabric.presence(there).switch);
        let router = |device: DeviceId| fabric.device(device).router;
        let (Apart::NotReceived, Some(at), Some(origin)) = (why, router(from), router(to)) else {
            continue;
        };
        let lost = cx.state.routes_lost(Family::Evpn, &[origin], at);
        let Some(lost) = lost else { continue };
        let loss = loss_at(cx, lost.0, lost.1);
        let mut devices = vec![from, to];
        devices.extend(&loss.devices);
        if cx.is_told(TELLS_WHY, &devices) {
            continue;
        }
        let case = cases.entry((loss.span, loss.devices[0]));
        let case = case.or_insert(Case { here, there, lost, others: BTreeSet::new() });
        case.others.insert((from.min(to), from.max(to)));
    }
    for case in cases.into_values() {
        let (from, to) = (fabric.presence(case.here).switch, fabric.presence(case.there).switch);
        let (name, other) = (fabric.device_name(from), fabric.device_name(to));
        let segment = fabric.segment(fabric.presence(case.here).segment);
        let loss = loss_at(cx, case.lost.0, case.lost.1);
        let more = match case.others.len() {
            0 | 1 => String::new(),
            2 => ", and so for one other pair of VTEPs".to_owned(),
            many => format!(", and so for {} other pairs of VTEPs", many - 1),
        };
        let draft = out
            .report(
                loss.span,
                loss.label,
                format!("{name} hears nothing of {other} by EVPN: {}{more}", loss.why),
            )
            .related(segment.name.span, format!("both have {}", segment.name.value))
            .wire(wire(cx, &case))
            .remedy(loss.remedy)
            .about(from)
            .about(to);
        let devices = case.others.iter().flat_map(|&(a, b)| [a, b]).chain(loss.devices);
        devices.fold(draft, Draft::about);
    }
}

/// What comes of it: asked of the flood lists of both.
fn wire(cx: &Context<'_>, case: &Case) -> String {
    let fabric = cx.fabric;
    let name = |presence: PresenceId| fabric.device_name(fabric.presence(presence).switch);
    let (one, other) = (name(case.here), name(case.there));
    let segment = &fabric.segment(fabric.presence(case.here).segment).name.value;
    let copies = |from, to| cx.state.copies(from, to).is_ok();
    match (copies(case.here, case.there), copies(case.there, case.here)) {
        (false, false) => format!(
            "{one} and {other} flood nothing to each other, and neither knows what is behind the other: {segment} is \
             parted between them"
        ),
        (false, true) => format!(
            "{one} floods nothing to {other} and does not know what is behind it: in {segment} what {other} sends \
             arrives, and no answer does"
        ),
        (true, _) => format!("{one} does not know what is behind {other} in {segment}"),
    }
}
