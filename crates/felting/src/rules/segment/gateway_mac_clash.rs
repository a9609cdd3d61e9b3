use rustc_hash::FxHashSet;

use super::{Odd, Setting, gateways, of_one_pair, report_odd};
use crate::behaviour::gateway::gateway_mac;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GatewayKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-mac-clash",
        severity: Severity::Error,
        summary: "an anycast gateway has different MAC addresses",
        explain: "A host keeps the MAC address of its gateway for minutes. If that is another one on \
              the leaf that it moves to, or on the other side of its pair, its packets go to \
              nobody until it asks again.",
        sources: &["RFC 9135 section 4.1", "RFC 7432 section 10.1"],
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
differs = [{ on = "kelp-b", gateway_mac = "02:46:00:00:00:02" }]
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
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", gateway_mac = \"02:46:00:00:00:02\" }]\n", "")],
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
        let anycast =
            gateways(fabric, id).into_iter().filter(|(_, kind)| *kind == GatewayKind::Anycast);
        let settings = anycast.filter_map(|(presence, _)| {
            let switch = fabric.presence(presence).switch;
            let overlay = fabric.overlay_of(switch);
            let mac = gateway_mac(fabric, presence);
            // Without a written address each switch answers with its own.
            let own = || fabric.device(switch).mac.value;
            let gateway = fabric.settings_at(presence).gateways.first().map(|at| at.span);
            let place = overlay.map(|overlay| overlay.span.0).or(gateway)?;
            let text =
                mac.map_or_else(|| format!("its own, {}", own()), |mac| mac.value.to_string());
            Some(Setting { presence, span: mac.map_or(place, |mac| mac.span), text })
        });
        let settings: Vec<Setting> = settings.collect();
        let mut switches = settings.iter().map(|one| fabric.presence(one.presence).switch);
        let bridged = switches.all(|switch| fabric.overlay_of(switch).is_none());
        let odd = Odd {
            what: "the gateway\u{2019}s MAC address",
            wire: match bridged {
                true => {
                    "both answer for the gateway, each with its own MAC address: hosts send to whichever answered last, \
                     and lose it with that switch"
                }
                false => {
                    "hosts that move, or whose frames go to the other switch, send to a MAC \
                     address that nobody has there"
                }
            },
            remedy: "set one `gateway_mac` for all VTEPs",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
