use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::{PairId, Side};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-domain-clash",
        severity: Severity::Error,
        summary: "the two sides of a pair name different domains, or two pairs facing each other share one",
        explain: "The domain is what the sides know each other by, and the LACP system identifier \
              that both present follows from it. With two domains a pair is two partners to every \
              LAG. With one domain on two pairs that face each other, each hears its own system \
              identifier and takes the link for one to itself.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.2 (system ID)", "IEEE 802.1AX-2020 clause 6.4.14"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-3] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[[pair]]
name = "kelp"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }
[[pair.side]]
switch = "kelp-a"
[[pair.side]]
switch = "kelp-b"
domain = 12

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[2-3]"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"

[cabling]
runs = [
  "hull-01 nic[1-2] -- kelp-[a-b] p1",
  "kelp-a p[2-3] -- kelp-b p[2-3]",
]
"#,
        mend: &[("domain = 12", "domain = 11")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Pair(pair) = cause.entity else { continue };
        match cause.other {
            Some(Entity::Pair(other)) => shared(cx, pair, other, out),
            _ => apart(cx, pair, out),
        }
    }
}

/// The two sides name different domains.
fn apart(cx: &Context<'_>, id: PairId, out: &mut Findings<'_>) {
    let pair = cx.fabric.pair(id);
    let [a, b] = &pair.sides;
    let name = |side: &Side| cx.fabric.device_name(side.switch.value);
    let says = |side: &Side| match side.domain {
        Some(domain) => format!("{} is in domain {}", name(side), domain.value),
        None => format!("{} names no domain", name(side)),
    };
    let place =
        |side: &Side| -> Span { side.domain.map_or(side.switch.span, |domain| domain.span) };
    out.report(place(b), says(b), format!("the sides of the pair {} are not in one domain: {}, {}", pair.name.value, says(a), says(b)))
        .related(place(a), says(a))
        .wire("the two present different LACP system identifiers, so each of their groups is two partners to its far end, and only one of the halves is used")
        .remedy("write the same domain on both")
        .about(a.switch.value)
        .about(b.switch.value);
}

/// Two pairs facing each other have one domain.
fn shared(cx: &Context<'_>, one: PairId, other: PairId, out: &mut Findings<'_>) {
    let (a, b) = (cx.fabric.pair(one), cx.fabric.pair(other));
    let (Some(x), Some(y)) = (a.sides[0].domain, b.sides[0].domain) else { return };
    out.report(
        y.span,
        format!("the pair {} is in domain {}", b.name.value, y.value),
        format!("the pairs {} and {} face each other and share domain {}", a.name.value, b.name.value, x.value),
    )
    .related(x.span, format!("the pair {} is in domain {}", a.name.value, x.value))
    .wire("both present one LACP system identifier, so each takes the LAG between them for a loop to itself and keeps its ports individual")
    .remedy("give one of the pairs another domain")
    .about_name(&a.name.value)
    .about_name(&b.name.value);
}
