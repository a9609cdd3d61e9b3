use super::half_name;
use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Protocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-unsupported",
        severity: Severity::Error,
        summary: "the device can't do what the LAG asks",
        explain: "The kind of switch lacks what the LAG needs: LACP, or a LAG as a routed port. The \
              device refuses the configuration, so its ports stay single ports.",
        sources: &["IEEE 802.1AX clause 6.3.5"],
        broken: r#"
[[hardware]]
name = "mud-8"
lacp = false

[[switch]]
name = "mud-1"
hardware = "mud-8"
ports = "p[1-2] 1G"

[[switch]]
name = "jetty"
ports = "p[1-2] 1G"

[[lag]]
on = "mud-1"
name = "up"
ports = "p[1-2]"
protocol = "lacp"

[[lag]]
on = "jetty"
name = "mud-1"
ports = "p[1-2]"
protocol = "lacp"

[cabling]
runs = "mud-1 p[1-2] -- jetty p[1-2]"
"#,
        mend: &[
            ("protocol = \"lacp\"", "protocol = \"static\""),
            ("protocol = \"lacp\"", "protocol = \"static\""),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(id) = cause.entity else { continue };
        let lag = fabric.lag(id);
        let Some(kind) = fabric.hardware_of(lag.device) else { continue };
        let name = half_name(fabric, id);
        let no_lacp =
            Some(kind.lacp).filter(|can| !can.value && lag.protocol.value == Protocol::Lacp);
        let no_routed = Some(kind.routed_lags).filter(|can| !can.value);
        let (what, asked, limit, remedy) = match (no_lacp, no_routed, lag.addresses.first()) {
            (Some(limit), ..) => {
                ("speak LACP", lag.protocol.span, limit, "make the LAG static at both ends")
            }
            (None, Some(limit), Some(address)) => (
                "route over a LAG",
                address.span,
                limit,
                "route over a VLAN that the LAG carries, or over single links",
            ),
            _ => continue,
        };
        let place = if asked == lag.name.span {
            lag.members.get(0).map_or(asked, |member| fabric.member(member).port.span)
        } else {
            asked
        };
        out.report(
            place,
            format!("{name} asks for it"),
            format!("{name} is to {what}, which a {} can't", kind.name.value),
        )
        .related(limit.span, format!("a {} can't", kind.name.value))
        .wire(format!(
            "{} refuses the LAG: its ports stay single, and the far end finds no partner",
            fabric.device_name(lag.device)
        ))
        .remedy(remedy)
        .about(lag.device);
    }
}
