use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-prefix-length-clash",
        severity: Severity::Error,
        summary: "a switch\u{2019}s own address in a segment has another prefix length than the subnet",
        explain: "A router takes what is in the subnet of its own address for its neighbours, and asks for them in the \
              segment. With another length it looks there for addresses that are elsewhere, or sends by a \
              gateway what is beside it.",
        sources: &["RFC 1122 section 3.3.1.1", "RFC 4291 section 2.3"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p[1-2]"
untagged = 311

[[segment]]
name = "tides-store"
vlan = 311
subnet = "10.80.32.0/24"
gateway = "10.80.32.1"
address = "10.80.32.2/25"
on = "kelp-a"
"#,
        mend: &[("10.80.32.2/25", "10.80.32.2/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, presence) in fabric.presences() {
        let settings = fabric.settings_at(id);
        for own in &settings.addresses {
            let subnet = settings.subnets.iter().find(|subnet| subnet.contains(own.address()));
            let Some(subnet) = subnet.filter(|subnet| subnet.value != own.subnet()) else {
                continue;
            };
            if !said.insert(own.span) {
                continue;
            }
            let (name, segment) =
                (fabric.device_name(presence.switch), &fabric.segment(presence.segment).name);
            let wide = own.subnet().length() < subnet.length();
            out.report(
                own.span,
                format!("{} bits", own.subnet().length()),
                format!(
                    "{name} has {} in {}, whose subnet is {}",
                    own.value, segment.value, subnet.value
                ),
            )
            .related(subnet.span, format!("subnet of {}", segment.value))
            .wire(match wide {
                true => format!("{name} asks in {} for addresses that are elsewhere", segment.value),
                false => format!(
                    "{name} does not take all hosts of {} for its neighbours, and sends what is for the others elsewhere",
                    segment.value
                ),
            })
            .remedy(format!("write it with the length of the subnet, /{}", subnet.length()))
            .about(presence.switch)
            .about_name(&segment.value);
        }
    }
}
