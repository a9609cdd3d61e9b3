use rustc_hash::FxHashSet;

use super::gateways;
use super::{Odd, Setting, of_one_pair, report_odd};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-clash",
        severity: Severity::Error,
        summary: "the gateway of a segment has different addresses on different switches",
        explain: "With an anycast gateway every switch has the same address, so that hosts keep it \
              wherever they are. Where it differs, hosts behind some switches have a gateway \
              that nobody answers for.",
        sources: &["RFC 9135 section 4.1"],
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
differs = [{ on = "kelp-b", gateway = "10.80.31.2" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", gateway = \"10.80.31.2\" }]\n", "")],
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
        let settings =
            gateways(fabric, id).into_iter().map(|(presence, _)| presence).filter_map(|presence| {
                let settings = fabric.settings_at(presence);
                let (text, span) = {
                    let first = settings.gateways.first()?;
                    let all: Vec<String> =
                        settings.gateways.iter().map(|gateway| gateway.value.to_string()).collect();
                    (all.join(", "), first.span)
                };
                Some(Setting { presence, span, text })
            });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the gateway",
            wire: "hosts that move, or whose frames go to the other switch, find nobody \
                   at their gateway\u{2019}s address",
            remedy: "use one gateway address on all switches",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
