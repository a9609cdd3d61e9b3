use crate::behaviour::{Aspect, Entity, agreement};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Lag, LagId};
use crate::rules::lag::neighbours;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-group-clash",
        severity: Severity::Error,
        summary: "the two halves of a multi-chassis LAG differ",
        explain: "To the far end the two halves are one LAG, and it sends each frame by either of \
              them. What only one half carries, or understands, is lost whenever the far end's \
              hash picks the other. Nothing on either switch compares the two.",
        sources: &[
            "IEEE 802.1AX-2020 clause 6.2.4 (frame distribution)",
            "IEEE 802.1Q clause 8.6.2",
        ],
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
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[2-3]"
tagged = "310-319"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"
tagged = "310-312"
differs = [{ on = "kelp-b", tagged = "310-311" }]

[cabling]
runs = [
  "hull-01 nic[1-2] -- kelp-[a-b] p1",
  "kelp-a p[2-3] -- kelp-b p[2-3]",
]
"#,
        mend: &[("tagged = \"310-311\"", "tagged = \"310-312\"")],
    },
    check,
};

/// One difference in words.
struct Difference {
    message: &'static str,
    says: fn(&Fabric, &Lag) -> String,
    place: fn(&Lag) -> Option<Span>,
}

fn difference(aspect: Aspect) -> Option<Difference> {
    Some(match aspect {
        Aspect::Vlans => Difference {
            message: "carry different VLANs",
            says: |_, lag| {
                if lag.tagged.is_empty() {
                    "carries no tagged VLAN".to_owned()
                } else {
                    format!("carries {}", lag.tagged.value)
                }
            },
            place: |lag| Some(lag.tagged.span),
        },
        Aspect::Untagged => Difference {
            message: "put untagged frames into different VLANs",
            says: |_, lag| match lag.untagged {
                Some(vlan) => format!("puts untagged frames into VLAN {}", vlan.value),
                None => "drops untagged frames".to_owned(),
            },
            place: |lag| lag.untagged.map(|vlan| vlan.span),
        },
        Aspect::Protocol => Difference {
            message: "speak different protocols",
            says: |_, lag| format!("is {}", lag.protocol.value),
            place: |lag| Some(lag.protocol.span),
        },
        Aspect::Mode => Difference {
            message: "differ in LACP mode",
            says: |_, lag| format!("is {}", lag.mode.value),
            place: |lag| Some(lag.mode.span),
        },
        Aspect::Speed => Difference {
            message: "are of different speed",
            says: |fabric, lag| match agreement::speed(fabric, lag) {
                Some(speed) => format!("has members of {speed}"),
                None => "has no member".to_owned(),
            },
            place: |_| None,
        },
        Aspect::Mtu => Difference {
            message: "have different MTUs",
            says: |_, lag| match lag.mtu {
                Some(mtu) => format!("has an MTU of {}", mtu.value),
                None => "has no MTU of its own".to_owned(),
            },
            place: |lag| lag.mtu.map(|mtu| mtu.span),
        },
        Aspect::MinMembers => Difference {
            message: "have different minimums of members",
            says: |_, lag| format!("needs {}", lag.min_members.value),
            place: |lag| Some(lag.min_members.span),
        },
        Aspect::Unanswered => Difference {
            message: "do different things while nobody answers",
            says: |_, lag| format!("has `unanswered` = {}", lag.unanswered.value),
            place: |lag| Some(lag.unanswered.span),
        },
        Aspect::TreePort => Difference {
            message: "are not both in the spanning tree",
            says: |_, lag| match lag.tree.runs.value {
                true => "takes part in it".to_owned(),
                false => "is outside it".to_owned(),
            },
            place: |lag| Some(lag.tree.runs.span),
        },
        Aspect::EdgePort => Difference {
            message: "are not both edge ports",
            says: |_, lag| match lag.tree.edge.value {
                true => "is one".to_owned(),
                false => "is none".to_owned(),
            },
            place: |lag| Some(lag.tree.edge.span),
        },
        Aspect::TreeCost => Difference {
            message: "have different costs in the spanning tree",
            says: |_, lag| match lag.tree.cost {
                Some(cost) => format!("has {}", cost.value),
                None => "has what follows from its rate".to_owned(),
            },
            place: |lag| lag.tree.cost.map(|cost| cost.span),
        },
        _ => return None,
    })
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Group(id) = cause.entity else { continue };
        let group = fabric.group(id);
        let [Some(a), Some(b)] = group.halves else { continue };
        let Some(difference) = difference(cause.aspect) else { continue };
        // The half that lacks VLANs is the one to look at; otherwise the later side.
        let (a, b) = if fabric.lag(a).tagged.without(&fabric.lag(b).tagged).is_empty()
            && cause.aspect == Aspect::Vlans
        {
            (b, a)
        } else {
            (a, b)
        };
        let place = |lag: LagId| {
            let lag = fabric.lag(lag);
            (difference.place)(lag).unwrap_or(lag.name.span)
        };
        let says = |lag: LagId| {
            let lag = fabric.lag(lag);
            format!("{} {}", fabric.device_name(lag.device), (difference.says)(fabric, lag))
        };
        let (wire, remedy) = consequence(cx, cause.aspect, a, b);
        let draft = out
            .report(
                place(b),
                says(b),
                format!(
                    "the two halves of LAG group {} {}: {}, {}",
                    group.number,
                    difference.message,
                    says(a),
                    says(b)
                ),
            )
            .related(place(a), says(a))
            .wire(wire)
            .remedy(remedy)
            .about(fabric.lag(a).device)
            .about(fabric.lag(b).device);
        neighbours(cx, a).into_iter().fold(draft, Draft::about);
    }
}

fn consequence(cx: &Context<'_>, aspect: Aspect, a: LagId, b: LagId) -> (String, String) {
    let fabric = cx.fabric;
    let (lag_a, lag_b) = (fabric.lag(a), fabric.lag(b));
    let (one, other) = (fabric.device_name(lag_a.device), fabric.device_name(lag_b.device));
    let far = cx.state.lag(a).partner.or(cx.state.lag(b).partner);
    let far = far.map_or("the far end", |far| fabric.device_name(fabric.lag(far).device));
    let alike = |what: &str| format!("set the same {what} on {one} and {other}");
    match aspect {
        Aspect::Vlans => {
            let (to_b, to_a) =
                (lag_a.tagged.without(&lag_b.tagged), lag_b.tagged.without(&lag_a.tagged));
            let lost = |vlans: &crate::value::VlanSet, at: &str| {
                if vlans.is_empty() {
                    None
                } else {
                    Some(format!("frames of VLAN {vlans} that {far} hashes to {at} are dropped"))
                }
            };
            let lost: Vec<_> =
                [lost(&to_b, other), lost(&to_a, one)].into_iter().flatten().collect();
            let remedy = if to_a.is_empty() {
                format!("carry {} on {other} too", lag_a.tagged.value)
            } else {
                format!("carry {} on both", lag_a.tagged.union(&lag_b.tagged))
            };
            (lost.join("; "), remedy)
        }
        Aspect::Untagged => (
            format!("untagged frames of {far} land in one VLAN or the other, as its hash decides"),
            alike("untagged VLAN"),
        ),
        Aspect::Protocol => (
            format!(
                "{far} can agree with one of the halves only; the other stays out of the LAG or forwards on its own"
            ),
            alike("protocol"),
        ),
        Aspect::Mode => {
            (format!("if {far} is passive, only the active half comes up"), alike("mode"))
        }
        Aspect::Speed => (
            format!("{far} spreads frames evenly over unequal legs, or leaves the slower one out"),
            "use ports of one speed on both".to_owned(),
        ),
        Aspect::Mtu => (
            format!("large frames that {far} hashes to the smaller half are dropped"),
            alike("MTU"),
        ),
        Aspect::Unanswered => (
            format!(
                "while {far} does not speak LACP, as when it boots, one leg passes frames and the other does not"
            ),
            alike("`unanswered`"),
        ),
        Aspect::TreePort => (
            format!(
                "to the tree the two are one port of the pair: what {far} says of the tree by the leg outside it is lost"
            ),
            alike("`tree`"),
        ),
        Aspect::EdgePort => (
            format!(
                "when {far} comes up, the leg that is an edge port forwards at once and the other waits for the tree"
            ),
            alike("`edge`"),
        ),
        Aspect::TreeCost => (
            "to the tree the two are one port of the pair: which cost holds depends on the side"
                .to_owned(),
            alike("`tree_cost`"),
        ),
        _ => ("one half goes down where the other stays up".to_owned(), alike("minimum")),
    }
}
