use rustc_hash::FxHashSet;

use super::{Odd, Setting, of_one_pair, report_odd};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vrf-clash",
        severity: Severity::Error,
        summary: "a segment is in different VRFs on different switches",
        explain: "The VRF of a segment says whose routes its hosts use. On a switch where it is \
              another one, or none, hosts of one tenant are in another's network, or cut off.",
        sources: &["RFC 4364 section 1.1", "RFC 9135 section 4"],
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
differs = [{ on = "kelp-b", vrf = "plankton" }]

[[vrf]]
name = "plankton"
number = 2
vni = 27002
on = "kelp-*"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", vrf = \"plankton\" }]\n", "")],
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
            let (text, span) = {
                let vrf = fabric.presence(presence).vrf?;
                (fabric.vrf(vrf.value).name.to_string(), vrf.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the VRF",
            wire: "hosts behind one switch are routed by another tenant\u{2019}s table: \
                   isolation is broken, or they reach nobody",
            remedy: "put the segment into one VRF on all switches",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
