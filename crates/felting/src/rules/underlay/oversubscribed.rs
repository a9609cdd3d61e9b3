use super::tier;
use crate::fabric::Load;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-oversubscribed",
        severity: Severity::Hint,
        summary: "a leaf has far more bandwidth to hosts than to spines",
        explain: "Hosts seldom send all at once, so some oversubscription is meant. Beyond three to \
              one, storage and copies between racks fill the uplinks, and packets of everybody \
              are dropped.",
        sources: &["RFC 7938 section 3.2.3"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 25G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-48] 25G", "p[49-52] 25G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[underlay]]
on = ["crest-*", "kelp-*"]

[[host]]
name = "silo-[1-8]"
nics = "nic1 25G"

[[port]]
on = "kelp-a"
ports = "p[1-8]"
untagged = 310

[[accept]]
rule = "uplink-single-nic"
on = "silo-*"
reason = "an example of one leaf"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "silo-[1-8] nic1 -- kelp-a p[1-8]",
]
"#,
        mend: &[
            ("silo-[1-8]\"\nnics", "silo-[1-6]\"\nnics"),
            ("silo-[1-8] nic1 -- kelp-a p[1-8]", "silo-[1-6] nic1 -- kelp-a p[1-6]"),
        ],
    },
    check,
};

/// How many times the bandwidth to spines that to hosts may be.
const MOST: u64 = 3;

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let leaves = fabric.routers().filter(|(_, router)| tier(fabric, router.device) == Some(1));
    for (_, router) in leaves {
        let load = Load::of(fabric, router.device);
        let (down, up) = (load.to_hosts, load.to_spines);
        let (Some(first), true) = (load.first_uplink, up > 0 && down > up.saturating_mul(MOST))
        else {
            continue;
        };
        let name = fabric.device_name(router.device);
        out.report(
            fabric.device(router.device).name.span,
            format!("{} Gb/s to hosts", down / 1_000),
            format!(
                "{name} is oversubscribed {}: {} Gb/s to hosts, {} Gb/s to spines",
                load.ratio(),
                down / 1_000,
                up / 1_000
            ),
        )
        .related(fabric.port(first).span.0, format!("{} Gb/s to spines", up / 1_000))
        .wire(
            "when hosts send at once, the uplinks are full and packets of everybody are dropped"
                .to_owned(),
        )
        .remedy("add uplinks, or spread the hosts over more leaves".to_owned())
        .about(router.device);
    }
}
