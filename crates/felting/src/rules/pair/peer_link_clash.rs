use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::Span;
use crate::fabric::{Lag, PairId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-clash",
        severity: Severity::Error,
        summary: "the two ends of a peer link are set differently",
        explain: "Protocol, untagged VLAN and MTU must be the same at both ends of the peer link. \
              Otherwise it does not form, leaks one VLAN into another, or swallows large frames, and \
              the pair finds out when it needs the link.",
        sources: &["IEEE 802.1AX clause 6.4.1", "IEEE 802.1Q clause 6.9"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"
mtu = 9216
differs = [{ on = "kelp-b", mtu = 1500 }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("mtu = 1500", "mtu = 9216")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let mut pairs: Vec<(PairId, Vec<Aspect>)> = Vec::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Pair(id) = cause.entity else { continue };
        match pairs.last_mut() {
            Some((last, aspects)) if *last == id => aspects.push(cause.aspect),
            _ => pairs.push((id, vec![cause.aspect])),
        }
    }
    for (id, aspects) in pairs {
        report(cx, id, &aspects, out);
    }
}

/// A setting in words and its place.
fn setting(lag: &Lag, aspect: Aspect) -> (String, Span) {
    match aspect {
        Aspect::Protocol => (format!("the protocol {}", lag.protocol.value), lag.protocol.span),
        Aspect::Untagged => match lag.untagged {
            Some(vlan) => (format!("VLAN {} untagged", vlan.value), vlan.span),
            None => ("no untagged VLAN".to_owned(), lag.name.span),
        },
        _ => match lag.mtu {
            Some(mtu) => (format!("MTU {}", mtu.value), mtu.span),
            None => ("no MTU that is written".to_owned(), lag.name.span),
        },
    }
}

fn report(cx: &Context<'_>, id: PairId, aspects: &[Aspect], out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let pair = fabric.pair(id);
    let [Some(a), Some(b)] = pair.sides.each_ref().map(|side| side.peer_link) else { return };
    let (a, b) = (fabric.lag(a.value), fabric.lag(b.value));
    let (name_a, name_b) = (fabric.device_name(a.device), fabric.device_name(b.device));
    let texts: Vec<_> = aspects
        .iter()
        .map(|&aspect| {
            format!("{name_a} has {}, {name_b} has {}", setting(a, aspect).0, setting(b, aspect).0)
        })
        .collect();
    let wire: Vec<_> = aspects
        .iter()
        .map(|aspect| match aspect {
            Aspect::Protocol => {
                "the LAG does not form, or one end uses members that the other does not"
            }
            Aspect::Untagged => {
                "untagged frames change their VLAN, or are dropped, on the way across"
            }
            _ => "large frames vanish on the way across, while small ones pass",
        })
        .collect();
    let (first, place) = setting(b, aspects[0]);
    let (other, related) = setting(a, aspects[0]);
    out.report(
        place,
        format!("{name_b} has {first}"),
        format!(
            "the ends of the peer link of the pair {} are set differently: {}",
            pair.name.value,
            texts.join("; ")
        ),
    )
    .related(related, format!("{name_a} has {other}"))
    .wire(wire.join("; "))
    .remedy("set both ends alike")
    .about(a.device)
    .about(b.device);
}
