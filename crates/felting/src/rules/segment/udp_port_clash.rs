use rustc_hash::FxHashSet;

use super::{Odd, Setting, mapped, of_one_pair, report_odd};
use crate::fabric::PresenceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Encapsulation;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-udp-port-clash",
        severity: Severity::Error,
        summary: "VTEPs of a segment use different UDP ports",
        explain: "A VTEP listens on one UDP port. What another sends to a different one is dropped, \
              or answered as unreachable, while sessions, routes and flood lists all look well.",
        sources: &["RFC 7348 section 5"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
differs = [{ on = "kelp-b", udp_port = 8472 }]
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", udp_port = 8472 }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said = FxHashSet::default();
    for (id, _) in fabric.segments() {
        if of_one_pair(fabric, id) {
            continue;
        }
        let overlay = |presence: PresenceId| fabric.overlay_of(fabric.presence(presence).switch);
        let mut kinds: Vec<Encapsulation> = mapped(cx, id)
            .into_iter()
            .filter_map(|presence| Some(overlay(presence)?.encapsulation.value))
            .collect();
        kinds.sort_unstable();
        kinds.dedup();
        // Different encapsulations are told as that; NVGRE is without ports.
        let remedy = match kinds[..] {
            [Encapsulation::Vxlan] => "use UDP port 4789 on all VTEPs",
            [Encapsulation::Geneve] => "use UDP port 6081 on all VTEPs",
            _ => continue,
        };
        let settings = mapped(cx, id).into_iter().filter_map(|presence| {
            let overlay = overlay(presence)?;
            let (text, span) =
                (format!("UDP port {}", overlay.udp_port.value), overlay.udp_port.span);
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the UDP port",
            wire: "each VTEP drops what the other sends: nothing passes in either \
                   direction, though all routes are there",
            remedy,
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
