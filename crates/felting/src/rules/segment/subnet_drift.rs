use rustc_hash::FxHashSet;

use super::{Odd, Setting, of_one_pair, report_odd};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-subnet-drift",
        severity: Severity::Error,
        summary: "a segment has different subnets on different switches",
        explain: "Hosts of one segment talk to each other directly if they are in one subnet. A \
              switch that has another one for the segment routes what others bridge, and answers \
              for the wrong addresses.",
        sources: &["RFC 9135 section 4"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-*"
differs = [{ on = "kelp-b", subnet = "10.80.31.0/25" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", subnet = \"10.80.31.0/25\" }]\n", "")],
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
        let settings = fabric.segment(id).presences.iter().filter_map(|presence| {
            let settings = fabric.settings_at(presence);
            let (text, span) = {
                let first = settings.subnets.first()?;
                let all: Vec<String> =
                    settings.subnets.iter().map(|subnet| subnet.value.to_string()).collect();
                (all.join(", "), first.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the subnet",
            wire: "addresses that are in the one subnet and not in the other are reached \
                   from some switches only",
            remedy: "use one subnet on all switches",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
