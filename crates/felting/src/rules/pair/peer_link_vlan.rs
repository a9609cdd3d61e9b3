use crate::behaviour::agreement::PeerLinkUser;
use crate::behaviour::{Entity, agreement};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Lag};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanSet;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-vlan",
        severity: Severity::Warning,
        summary: "a VLAN of a multi-chassis LAG is missing on the peer link",
        explain: "While both legs of a group are up nobody notices. When one is down, what arrives at \
              that side crosses the peer link to the other; a VLAN that the peer link does not \
              carry is cut off just then. Single-homed ports in that VLAN are cut off already.",
        sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)"],
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
tagged = "310-311"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"
tagged = "310-312"

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

/// How many of those that need a VLAN are shown.
const MOST: usize = 6;

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut causes = cx.state.causes().of(RULE.rule.id).peekable();
    if causes.peek().is_none() {
        return;
    }
    let users = agreement::peer_link_users(fabric);
    for cause in causes {
        let Entity::Pair(id) = cause.entity else { continue };
        let pair = fabric.pair(id);
        let needed = users[id].iter().flat_map(|(_, vlans)| vlans.iter()).collect();
        let lacks = agreement::peer_link_lacks(fabric, pair, &needed);
        let missing = lacks[0].union(&lacks[1]);
        let sides: Vec<_> = (0..2)
            .filter(|&side| !lacks[side].is_empty())
            .filter_map(|side| Some((pair.sides[side].switch.value, pair.sides[side].peer_link?)))
            .collect();
        let Some(&(switch, link)) = sides.last() else { continue };
        let names: Vec<_> = sides.iter().map(|&(switch, _)| fabric.device_name(switch)).collect();
        let link = fabric.lag(link.value);
        let carried = if link.tagged.is_empty() {
            "no tagged VLAN".to_owned()
        } else {
            link.tagged.to_string()
        };
        let mut draft = out.report(
            link.tagged.span,
            format!("the peer link carries {carried} on {}", fabric.device_name(switch)),
            format!(
                "the peer link of the pair {} lacks VLAN {missing} on {}",
                pair.name.value,
                names.join(" and ")
            ),
        );
        let short = |vlans: &VlanSet| vlans.iter().any(|vlan| missing.contains(vlan));
        let using: Vec<_> = users[id].iter().filter(|(_, vlans)| short(vlans)).collect();
        let mut shown: Vec<Span> = Vec::new();
        for &(user, _) in &using {
            let (place, text) = needs(fabric, *user, &missing);
            if !shown.contains(&place) && shown.len() < MOST {
                shown.push(place);
                draft = draft.related(place, text);
            }
        }
        let grouped = using.iter().any(|(user, _)| matches!(user, PeerLinkUser::Group(_)));
        let alone = using.iter().any(|(user, _)| !matches!(user, PeerLinkUser::Group(_)));
        if alone {
            draft = draft.severity(Severity::Error);
        }
        draft
            .wire(match (alone, grouped) {
                (false, _) => format!(
                    "as soon as one leg of such a LAG is down, frames of VLAN {missing} that reach the other switch \
                     are dropped"
                ),
                (true, false) => format!(
                    "frames of VLAN {missing} for what hangs on one side only are dropped where they come to the other"
                ),
                (true, true) => format!(
                    "frames of VLAN {missing} for what hangs on one side only are dropped where they come to the \
                     other, and those for a LAG on both sides as soon as one of its legs is down"
                ),
            })
            .remedy(format!("carry VLAN {missing} on the peer link, at both ends"))
            .about(pair.sides[0].switch.value)
            .about(pair.sides[1].switch.value);
    }
}

/// Where one that needs a missing VLAN says that it carries it.
fn needs(fabric: &Fabric, user: PeerLinkUser, missing: &VlanSet) -> (Span, String) {
    let of_lag = |lag: &Lag, name: String| match lag.untagged.filter(|v| missing.contains(v.value))
    {
        Some(vlan) => (vlan.span, format!("{name} carries {} untagged", vlan.value)),
        None => (lag.tagged.span, format!("{name} carries {}", lag.tagged.value)),
    };
    match user {
        PeerLinkUser::Group(group) => {
            let group = fabric.group(group);
            let mut halves = group.halves.into_iter().flatten().map(|half| fabric.lag(half));
            let half = halves.next().expect("a group has a half");
            of_lag(half, format!("LAG group {}", group.number))
        }
        PeerLinkUser::Lag(lag) => of_lag(fabric.lag(lag), fabric.lag_label(lag)),
        PeerLinkUser::Port(port) => {
            let label = fabric.port_label(port);
            match fabric.settings_of(port) {
                Some(own) => match own.untagged.filter(|vlan| missing.contains(vlan.value)) {
                    Some(vlan) => (vlan.span, format!("{label} carries {} untagged", vlan.value)),
                    None => (own.tagged.span, format!("{label} carries {}", own.tagged.value)),
                },
                None => (fabric.port(port).span.0, label),
            }
        }
    }
}
