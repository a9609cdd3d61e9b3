use super::{bridge_name, place, port_name};
use crate::behaviour::BridgePortId;
use crate::behaviour::Carrier;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-vlan-cut",
        severity: Severity::Error,
        summary: "the spanning tree leaves open a link that does not carry the VLAN",
        explain: "One tree holds for many VLANs: it closes links without asking which VLANs the others carry. A VLAN \
              that is carried only on a link that discards is cut in two, though every port that it is on is fine.",
        sources: &["IEEE 802.1Q clause 8.4", "IEEE 802.1Q clause 13.4"],
        broken: r#"
[[switch]]
name = "jetty"
number = 20
ports = "p[1-2] 1G"

[[switch]]
name = "mud-[1-2]"
number = 21
ports = "p[1-2] 1G"

[[tree]]
on = "jetty"
priority = 4096

[[port]]
on = ["jetty", "mud-*"]
ports = "p1"
tagged = "420-421"
differs = [{ on = "mud-2", tagged = 420 }]

[[port]]
on = ["jetty", "mud-*"]
ports = "p2"
tagged = "420-421"
differs = [{ on = "jetty", tagged = 420 }]

[cabling]
runs = [
  "jetty p[1-2] -- mud-[1-2] p1",
  "mud-1 p2 -- mud-2 p2",
]
"#,
        mend: &[
            ("mud-2\", tagged = 420 }", "mud-2\", tagged = \"420-421\" }"),
            ("jetty\", tagged = 420 }", "jetty\", tagged = \"420-421\" }"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    for cut in trees.cuts() {
        let (closed, open) = (cut.discarding, cut.lacking);
        // Where the ends of the open link disagree, that is the fault, and it is told of the link.
        let disagree = trees
            .neighbours(open)
            .any(|other| cut.vlans.iter().any(|vlan| trees.port(other).vlans.contains(vlan)));
        if disagree {
            continue;
        }
        let (closed_name, open_name) = (port_name(cx, closed), port_name(cx, open));
        let vlans = &cut.vlans;
        let bridge = bridge_name(cx, trees.port(closed).bridge);
        out.report(
            vlans_place(cx, open),
            format!("{open_name} forwards, without VLAN {vlans}"),
            format!("VLAN {vlans} is cut off at {bridge}: {closed_name} discards, and {open_name} on the way around does not carry it"),
        )
        .related(place(cx, closed), format!("{closed_name} carries VLAN {vlans}, and discards"))
        .wire(format!("frames of VLAN {vlans} pass neither way, though no port is down"))
        .remedy(format!("carry VLAN {vlans} at both ends of every link that the tree may leave open"))
        .about(trees.bridge(trees.port(open).bridge).devices[0])
        .about(trees.bridge(trees.port(closed).bridge).devices[0]);
    }
}

/// Where the VLANs of a bridge port are written.
fn vlans_place(cx: &Context<'_>, port: BridgePortId) -> Span {
    let fabric = cx.fabric;
    let lag = match cx.state.trees().port(port).carrier {
        Carrier::Port(port) => {
            match fabric.settings_of(port).filter(|_| fabric.lag_of(port).is_none()) {
                Some(settings) => return settings.tagged.span,
                None => fabric.lag_of(port),
            }
        }
        Carrier::Lag(lag) => Some(lag),
        Carrier::Group(group) => fabric.group(group).halves.into_iter().flatten().next(),
    };
    lag.map_or_else(|| place(cx, port), |lag| fabric.lag(lag).tagged.span)
}
