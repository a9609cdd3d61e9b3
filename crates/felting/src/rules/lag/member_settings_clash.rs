use super::half_name;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-member-settings-clash",
        severity: Severity::Warning,
        summary: "a member port has settings of its own that differ from the LAG's",
        explain: "What a LAG carries is set on the LAG: its members have no VLANs, MTU or addresses. \
              Some devices ignore what stands on a member, some refuse the member, and some use it as \
              soon as the member works for itself, while nobody answers.",
        sources: &["IEEE 802.1AX clause 6.1.2 (the aggregator is the port that the bridge sees)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
tagged = "310-312"

[[port]]
on = "kelp-b"
ports = "p2"
tagged = "310-311"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("tagged = \"310-311\"", "tagged = \"310-312\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, member) in fabric.members() {
        let port = member.port.value;
        let Some(own) = fabric.settings_of(port).filter(|_| member.taken_by.is_none()) else {
            continue;
        };
        let lag = fabric.lag(member.lag);
        let vlan = |id: crate::value::VlanId| format!("VLAN {id} untagged");
        let mut differs: Vec<(Span, String, Span, String)> = Vec::new();
        if !own.tagged.is_empty() && own.tagged.value != lag.tagged.value {
            let shown = match lag.tagged.is_empty() {
                true => "no tagged VLAN".to_owned(),
                false => format!("VLAN {}", lag.tagged.value),
            };
            let text = format!("VLAN {}", own.tagged.value);
            differs.push((own.tagged.span, text, lag.tagged.span, shown));
        }
        if let Some(untagged) = own.untagged
            && lag.untagged.map(|other| other.value) != Some(untagged.value)
        {
            let shown =
                lag.untagged.map_or_else(|| "no VLAN untagged".to_owned(), |own| vlan(own.value));
            let place = lag.untagged.map_or(lag.name.span, |other| other.span);
            differs.push((untagged.span, vlan(untagged.value), place, shown));
        }
        if let Some(mtu) = own.mtu
            && lag.mtu.map(|other| other.value) != Some(mtu.value)
        {
            let shown = lag
                .mtu
                .map_or_else(|| "no MTU of its own".to_owned(), |mtu| format!("MTU {}", mtu.value));
            let place = lag.mtu.map_or(lag.name.span, |other| other.span);
            differs.push((mtu.span, format!("MTU {}", mtu.value), place, shown));
        }
        if let Some(address) = own.addresses.first() {
            let place = lag.addresses.first().map_or(lag.name.span, |other| other.span);
            let shown = "addresses on the LAG only".to_owned();
            differs.push((address.span, format!("the address {}", address.value), place, shown));
        }
        let Some((place, has, lag_place, lag_has)) = differs.first() else { continue };
        let (label, whole) = (fabric.port_label(port), half_name(fabric, member.lag));
        let all: Vec<_> = differs.iter().map(|(_, has, ..)| has.as_str()).collect();
        out.report(
            *place,
            format!("{label} has {has}"),
            format!("{label} is a member of {whole}, but has {} of its own", all.join(" and ")),
        )
        .related(*lag_place, format!("{whole} has {lag_has}"))
        .wire("depending on the device the port is left out of the LAG, or its own settings count as soon as it works for itself")
        .remedy(format!("take the settings off {}, and set the LAG", fabric.port_name(port)))
        .about(lag.device);
    }
}
