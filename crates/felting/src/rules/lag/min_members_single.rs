use std::collections::BTreeMap;

use super::half_name;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-min-members-single",
        severity: Severity::Warning,
        summary: "a LAG to two switches needs more members than the loss of one leaves",
        explain: "A LAG leads to two switches so that it outlives either. With a minimum of members that one of them \
                  alone does not have it is down as soon as the other reboots.",
        sources: &["IEEE 802.1AX clause 6.3.1 (aggMinLinks)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-8] 25G"

[[switch]]
name = "fen-1"
ports = "q[1-4] 25G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[7-8]"
tagged = "310-311"

[[lag]]
on = "kelp-*"
name = "fen-1"
group = 141
ports = "p1"
tagged = "310-311"

[[lag]]
on = "fen-1"
name = "up"
ports = "q[1-2]"
min_members = 2
tagged = "310-311"

[cabling]
runs = ["kelp-a p[7-8] -- kelp-b p[7-8]", "fen-1 q[1-2] -- kelp-[a-b] p1"]
"#,
        mend: &[("min_members = 2", "min_members = 1")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, lag) in fabric.lags() {
        let least = usize::from(lag.min_members.value);
        // Half of a group has its own switch to lose, which the other half is for.
        if least < 2 || lag.group.is_some() || !cx.state.lag(id).up {
            continue;
        }
        let mut led: BTreeMap<DeviceId, usize> = BTreeMap::new();
        // As it is cabled: what has no link today is told as that.
        for member in lag.members.iter() {
            if let Some((_, far)) = fabric.link(fabric.member(member).port.value) {
                *led.entry(fabric.port(far).device).or_default() += 1;
            }
        }
        let all: usize = led.values().sum();
        let lost = led.iter().find(|(_, count)| all - **count < least);
        let (Some((&switch, &count)), true) = (lost, led.len() > 1) else { continue };
        let name = half_name(fabric, id);
        let far: Vec<&str> = led.keys().map(|&device| fabric.device_name(device)).collect();
        let left = all - count;
        let draft = out
            .report(
                lag.min_members.span,
                format!("at least {least}"),
                format!(
                    "{name} leads to {} and asks for {least} members in use: without {} it has {left}",
                    some_of(&far),
                    fabric.device_name(switch)
                ),
            )
            .related(fabric.device(switch).name.span, format!("{count} of {all} members lead here"))
            .wire(format!("when {} is lost, the LAG is down as a whole", fabric.device_name(switch)))
            .remedy(format!("ask for {left} at most, or add members"))
            .about(lag.device);
        led.keys().fold(draft, |draft, &device| draft.about(device));
    }
}
