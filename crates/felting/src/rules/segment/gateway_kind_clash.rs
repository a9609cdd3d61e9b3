use super::gateways;
use crate::fabric::PresenceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-kind-clash",
        severity: Severity::Error,
        summary: "a segment has gateways of two kinds",
        explain: "An anycast gateway answers on every leaf, a central one only where it is. With \
              both, hosts behind some leaves are routed at once, others by the way round, and \
              the two have one address with two MAC addresses.",
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
differs = [{ on = "kelp-b", gateway_kind = "central", address = "10.80.31.2/24" }]
"#
        ),
        mend: &[(
            "differs = [{ on = \"kelp-b\", gateway_kind = \"central\", address = \
         \"10.80.31.2/24\" }]\n",
            "",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        let all = gateways(fabric, id);
        let Some(&(first, kind)) = all.first() else { continue };
        let Some(&(other, theirs)) = all.iter().find(|(_, other)| *other != kind) else { continue };
        let place = |presence: PresenceId| fabric.settings_at(presence).gateway_kind.span;
        let name = |presence: PresenceId| fabric.device_name(fabric.presence(presence).switch);
        out.report(
            place(other),
            format!("{theirs} on {}", name(other)),
            format!(
                "{} has a gateway of two kinds: {kind} on {}, {theirs} on {}",
                segment.name.value,
                name(first),
                name(other)
            ),
        )
        .related(place(first), format!("{kind} on {}", name(first)))
        .wire(
            "two routers answer for one address with different MAC addresses: hosts \
             flap between them"
                .to_owned(),
        )
        .remedy("use one kind of gateway for the segment".to_owned())
        .about(fabric.presence(first).switch)
        .about(fabric.presence(other).switch)
        .about_name(&segment.name.value);
    }
}
