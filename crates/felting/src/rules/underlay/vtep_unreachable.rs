use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use super::loss;
use crate::behaviour::Apart;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, PresenceId};
use crate::rules::overlay::{TELLS_WHY, apart};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-vtep-unreachable",
        severity: Severity::Error,
        summary: "a VTEP of a segment has no way to another",
        explain: "Frames between two VTEPs of a segment travel from the address of one to that of the \
              other, which must be of one IP version and be led to by the underlay. All sessions \
              can be up while a policy, a missing reflection or an area in two parts keeps these \
              addresses from who needs them.",
        sources: &["RFC 7348 section 4", "RFC 8365 section 5", "RFC 4271 section 9.1.2.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
protocol = "bgp"

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[[router]]
on = ["crest-1", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-*"
client = true
"#
        ),
        mend: &[("protocol = \"bgp\"", "protocol = \"ospf\"")],
    },
    check,
};

/// What is known of VTEPs that are apart for one reason.
struct Case {
    here: PresenceId,
    there: PresenceId,
    loss: super::Loss,
    others: BTreeSet<(DeviceId, DeviceId)>,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut cases: BTreeMap<(Span, String), Case> = BTreeMap::new();
    for (here, there, why) in apart(cx) {
        let (from, to) = (fabric.presence(here).switch, fabric.presence(there).switch);
        let (Some(own), Some(address)) = (fabric.vtep_of(from), fabric.vtep_of(to)) else {
            continue;
        };
        let loss = match why {
            Apart::Family => versions(cx, (from, own), (to, address)),
            Apart::NextHop => {
                let router = fabric.device(from).router;
                let loss = router.and_then(|router| loss(cx, router, address.value, to));
                let Some(loss) = loss else { continue };
                loss
            }
            _ => continue,
        };
        let mut devices = vec![from, to];
        devices.extend(&loss.devices);
        if cx.is_told(TELLS_WHY, &devices) {
            continue;
        }
        let key = (loss.span, loss.remedy.clone());
        let case = cases.entry(key).or_insert(Case { here, there, loss, others: BTreeSet::new() });
        case.others.insert((from.min(to), from.max(to)));
    }
    for case in cases.into_values() {
        let (from, to) = (fabric.presence(case.here).switch, fabric.presence(case.there).switch);
        let (name, other) = (fabric.device_name(from), fabric.device_name(to));
        let segment = fabric.segment(fabric.presence(case.here).segment);
        let more = match case.others.len() {
            0 | 1 => String::new(),
            2 => ", nor do two others reach each other".to_owned(),
            many => format!(", nor do {} other pairs of VTEPs reach each other", many - 1),
        };
        let address = fabric.vtep_of(to).map(|vtep| vtep.value.to_string()).unwrap_or_default();
        let draft = out
            .report(
                case.loss.span,
                case.loss.label,
                format!(
                    "{name} does not reach the VTEP of {other}, {address}: {}{more}",
                    case.loss.why
                ),
            )
            .related(segment.name.span, format!("both have {}", segment.name.value))
            .wire(format!(
                "{name} sends nothing to {other}: {} is parted between them",
                segment.name.value
            ))
            .remedy(case.loss.remedy)
            .about(from)
            .about(to);
        let devices = case.others.iter().flat_map(|&(a, b)| [a, b]).chain(case.loss.devices);
        devices.fold(draft, Draft::about);
    }
}

/// Two addresses of different IP versions: the one that fewer VTEPs have is at fault.
fn versions(
    cx: &Context<'_>,
    (from, own): (DeviceId, At<IpAddr>),
    (to, other): (DeviceId, At<IpAddr>),
) -> super::Loss {
    let fabric = cx.fabric;
    let alike = |address: At<IpAddr>| {
        let all = fabric.overlays().filter_map(|(_, overlay)| overlay.vtep);
        all.filter(|vtep| vtep.value.is_ipv4() == address.value.is_ipv4()).count()
    };
    let own_is_odd = (alike(own), other.span) < (alike(other), own.span);
    let (odd, device) = if own_is_odd { (own, from) } else { (other, to) };
    super::Loss {
        span: odd.span,
        label: format!("the VTEP address of {}", fabric.device_name(device)),
        why: format!("{} and {} are of different IP versions", own.value, other.value),
        remedy: "give all VTEPs of a segment addresses of one IP version".to_owned(),
        devices: vec![device],
    }
}
