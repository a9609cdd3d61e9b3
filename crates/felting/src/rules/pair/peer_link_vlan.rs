use rustc_hash::FxHashMap;

use crate::behaviour::{Entity, agreement};
use crate::fabric::{Group, PairId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

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

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut causes = cx.state.causes().of(RULE.rule.id).peekable();
    if causes.peek().is_none() {
        return;
    }
    let needed = agreement::needed_vlans(fabric);
    // One LAG that needs what is missing is enough to see the contradiction.
    let mut users: FxHashMap<PairId, Vec<&Group>> = FxHashMap::default();
    for (_, group) in fabric.groups() {
        users.entry(group.pair).or_default().push(group);
    }
    for cause in causes {
        let Entity::Pair(id) = cause.entity else { continue };
        let pair = fabric.pair(id);
        let lacks = agreement::peer_link_lacks(fabric, pair, &needed[id]);
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
        let user = users.get(&id).and_then(|groups| {
            groups.iter().find_map(|group| {
                let lag = fabric.lag(group.halves.into_iter().flatten().next()?);
                let mut uses = lag.tagged.iter().chain(lag.untagged.map(|vlan| vlan.value));
                uses.any(|vlan| missing.contains(vlan)).then_some((group, lag))
            })
        });
        if let Some((group, lag)) = user {
            draft = match lag.untagged.filter(|vlan| missing.contains(vlan.value)) {
                Some(vlan) => draft.related(
                    vlan.span,
                    format!("LAG group {} carries {} untagged", group.number, vlan.value),
                ),
                None => draft.related(
                    lag.tagged.span,
                    format!("LAG group {} carries {}", group.number, lag.tagged.value),
                ),
            };
        }
        draft
            .wire(format!("as soon as one leg of such a LAG is down, frames of VLAN {missing} that reach the other switch are dropped"))
            .remedy(format!("carry VLAN {missing} on the peer link, at both ends"))
            .about(pair.sides[0].switch.value)
            .about(pair.sides[1].switch.value);
    }
}
