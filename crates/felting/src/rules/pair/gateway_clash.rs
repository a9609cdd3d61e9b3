use rustc_hash::FxHashSet;

use crate::behaviour::gateway::gateway_mac;
use crate::diagnostic::Span;
use crate::fabric::{PresenceId, SegmentSettings};
use crate::rules::segment::{gateways, of_one_pair};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GatewayKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-gateway-clash",
        severity: Severity::Error,
        summary: "a gateway differs between the two sides of a pair",
        explain: "Hosts hash their frames over both sides, and keep one gateway address and its MAC. \
              If a side has another one, every other flow goes to a gateway that is not there.",
        sources: &["RFC 9135 section 4.1"],
        broken: concat!(
            part!(pair),
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
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310,3900"

[[interface]]
on = "kelp-a"
vlan = 3900
address = "10.64.3.0/31"

[[interface]]
on = "kelp-b"
vlan = 3900
address = "10.64.3.1/31"
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
"#,
            r#"
[[accept]]
rule = "segment-single-vtep"
on = "tides-web"
reason = "an example"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", gateway = \"10.80.31.2\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        let all: Vec<PresenceId> = gateways(fabric, id)
            .into_iter()
            .filter(|(_, kind)| *kind == GatewayKind::Anycast)
            .map(|(p, _)| p)
            .collect();
        let (true, &[one, other]) = (of_one_pair(fabric, id), &all[..]) else { continue };
        let (a, b) = (fabric.settings_at(one), fabric.settings_at(other));
        let list = |settings: &SegmentSettings| {
            settings
                .gateways
                .iter()
                .map(|gateway| gateway.value.to_string())
                .collect::<Vec<_>>()
                .join(", ")
        };
        let switch = |presence: PresenceId| fabric.presence(presence).switch;
        let mac = |presence: PresenceId| gateway_mac(fabric, presence);
        let span = |settings: &SegmentSettings| {
            settings.gateways.first().map_or(segment.name.span, |gateway| gateway.span)
        };
        let (what, (first, x), (second, y)) = if list(a) != list(b) {
            ("gateway", (list(a), span(a)), (list(b), span(b)))
        } else if mac(one).map(|mac| mac.value) != mac(other).map(|mac| mac.value) {
            let told = |presence| {
                mac(presence).map_or_else(
                    || ("its own".to_owned(), segment.name.span),
                    |mac| (mac.value.to_string(), mac.span),
                )
            };
            ("gateway MAC address", told(one), told(other))
        } else {
            continue;
        };
        if !said.insert(y) {
            continue;
        }
        let (here, there) = (fabric.device_name(switch(one)), fabric.device_name(switch(other)));
        out.report(
            y,
            format!("{there}: {second}"),
            format!(
                "the {what} of {} differs between the sides of a pair: {first} on \
                 {here}, {second} on {there}",
                segment.name.value
            ),
        )
        .related(if x == y { segment.name.span } else { x }, format!("{here}: {first}"))
        .wire("frames to the gateway that hash to the other side find nobody there".to_owned())
        .remedy("set the gateway alike on both sides".to_owned())
        .about(switch(one))
        .about(switch(other))
        .about_name(&segment.name.value);
    }
}
