use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::PresenceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-address-reused",
        severity: Severity::Error,
        summary: "two switches have one own address in a segment",
        explain: "A gateway\u{2019}s address may be on many switches; the own address of a switch in a segment is its alone. \
              Whoever answers for it last gets what is sent to either.",
        sources: &["RFC 5227 section 1 (address conflicts)"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
address = "10.80.31.2/24"
on = "kelp-*"
"#
        ),
        mend: &[(
            "address = \"10.80.31.2/24\"\n",
            "differs = [{ on = \"kelp-a\", address = \"10.80.31.2/24\" }, { on = \"kelp-b\", address = \"10.80.31.3/24\" }]\n",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        let mut first: FxHashMap<IpAddr, (PresenceId, Span)> = FxHashMap::default();
        for presence in segment.presences.iter() {
            let settings = fabric.settings_at(presence);
            for own in &settings.addresses {
                let address = own.address();
                let (known, place) = *first.entry(address).or_insert((presence, own.span));
                let shared = settings.gateways.iter().any(|gateway| gateway.value == address);
                if known == presence || shared || !said.insert(own.span) {
                    continue;
                }
                let [twin, switch] = [known, presence].map(|id| fabric.presence(id).switch);
                let [other, name] = [twin, switch].map(|switch| fabric.device_name(switch));
                let of = &segment.name.value;
                let once = place == own.span;
                out.report(
                    own.span,
                    match once {
                        true => format!("of {other} and {name}"),
                        false => format!("address of {name}"),
                    },
                    format!("{other} and {name} both have {address} in {of}"),
                )
                .related(
                    if once { segment.name.span } else { place },
                    if once { format!("the segment {of}") } else { format!("address of {other}") },
                )
                .wire(format!(
                    "what is sent to {address} goes to whichever of the two answered last"
                ))
                .remedy(match once {
                    true => "write each its own, in `differs`",
                    false => "give each its own address",
                })
                .about(twin)
                .about(switch)
                .about_name(of);
            }
        }
    }
}
