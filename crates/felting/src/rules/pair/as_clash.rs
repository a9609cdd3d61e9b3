use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{NumberedBy, PoolKind};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-as-clash",
        severity: Severity::Warning,
        summary: "the sides of a pair are in different AS numbers where the design has one a pair",
        explain: "With one AS number a pair, a spine takes routes of both sides for those of one \
              place. A side in another AS is preferred or left out by the length of paths, and \
              drops or takes what the other does not.",
        sources: &["RFC 7938 section 5.2.1"],
        broken: concat!(
            part!(pair),
            r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
by = "pair"
on = "kelp-*"

[[router]]
on = "crest-*"
as_number = 4204100001

[[router]]
on = "kelp-b"
as_number = 4204100012
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
"#
        ),
        mend: &[("\n[[router]]\non = \"kelp-b\"\nas_number = 4204100012\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let by_pair = |side: DeviceId| {
        fabric.pools().find(|(_, pool)| {
            pool.gives.value == PoolKind::AsNumbers
                && pool.by == NumberedBy::Pair
                && pool.is_for(side)
        })
    };
    for (_, pair) in fabric.pairs() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        let asn = |side: DeviceId| fabric.router_of(side).and_then(|router| router.as_number);
        let (Some(a), Some(b)) = (asn(sides[0]), asn(sides[1])) else { continue };
        let Some((_, pool)) = by_pair(sides[0]).filter(|_| a.value != b.value) else { continue };
        let (here, there) = (fabric.device_name(sides[0]), fabric.device_name(sides[1]));
        out.report(
            b.span,
            format!("{there} is in AS {}", b.value),
            format!("{here} and {there} are a pair, but in AS {} and AS {}", a.value, b.value),
        )
        .related(pool.name.span, "one AS number a pair")
        .wire(
            "spines see two places behind the shared VTEP, and prefer one by the \
             path: the load is not shared"
                .to_owned(),
        )
        .remedy("leave `as_number` out, or write the same for both".to_owned())
        .about(sides[0])
        .about(sides[1]);
    }
}
