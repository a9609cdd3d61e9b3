use crate::behaviour::carrier::carried;
use crate::fabric::{DeviceKind, PortId};
use crate::rules::port::{End, bridged_links, once_a_place};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanSet;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-vlan-clash",
        severity: Severity::Error,
        summary: "the two ends of a bridged link carry different tagged VLANs",
        explain: "A bridge drops tagged frames of a VLAN that the port they arrive at is no member of. \
              What one end sends in such a VLAN is lost on the link, and whoever is behind it is cut \
              off, though every port is up. (Of LAGs `lag-vlan-clash` says the same.)",
        sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)"],
        broken: r#"
[[switch]]
name = "mud-[1-2]"
ports = "p[1-2] 1G"

[[port]]
on = "mud-*"
ports = "p1"
tagged = "420-421"
differs = [{ on = "mud-2", tagged = 420 }]

[cabling]
runs = "mud-1 p1 -- mud-2 p1"
"#,
        mend: &[("tagged = 420 }", "tagged = \"420-421\" }")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    against_nothing(cx, out);
    let shown = |vlans: &VlanSet| match vlans.is_empty() {
        true => "no tagged VLAN".to_owned(),
        false => vlans.to_string(),
    };
    // What one end has untagged and the other tagged is told as that.
    let lacks = |end: &End<'_>, other: &End<'_>| -> VlanSet {
        let untagged = end.own.untagged.map(|vlan| VlanSet::from(vlan.value)).unwrap_or_default();
        other.own.tagged.without(&end.own.tagged).without(&untagged)
    };
    let missing = |[a, b]: &[End<'_>; 2]| (lacks(a, b), lacks(b, a));
    let differ = bridged_links(cx).filter(|link| {
        let (missing_a, missing_b) = missing(link);
        !missing_a.is_empty() || !missing_b.is_empty()
    });
    // The end that lacks something is the one to look at first.
    let at = |link: &[End<'_>; 2]| usize::from(!missing(link).1.is_empty());
    for (link, more) in once_a_place(differ, |link| link[at(link)].own.tagged.span) {
        let (missing_a, missing_b) = missing(&link);
        let (at, other) = (&link[at(&link)], &link[1 - at(&link)]);
        let [a, b] = &link;
        let lacks = |end: &End<'_>, missing: &VlanSet| {
            (!missing.is_empty()).then(|| format!("{} lacks VLAN {missing}", end.label))
        };
        let all = missing_a.union(&missing_b);
        let sides: Vec<_> =
            [lacks(a, &missing_a), lacks(b, &missing_b)].into_iter().flatten().collect();
        out.report(
            at.own.tagged.span,
            format!("{} carries {}", at.label, shown(&at.own.tagged)),
            format!("the ends of a link carry different VLANs: {}{more}", sides.join(", ")),
        )
        .related(
            other.own.tagged.span,
            format!("{} carries {}", other.label, shown(&other.own.tagged)),
        )
        .wire(format!("tagged frames of VLAN {all} that one end sends are dropped by the other"))
        .remedy(format!("carry VLAN {all} at both ends, or at neither"))
        .about(a.device)
        .about(b.device);
    }
}

/// Ports that carry VLANs towards one of a switch that bridges elsewhere, and has nothing there.
fn against_nothing(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let carries = |port: PortId| {
        carried(fabric, port).filter(|(tagged, untagged)| !tagged.is_empty() || untagged.is_some())
    };
    let is_switch =
        |port: PortId| fabric.device(fabric.port(port).device).kind == DeviceKind::Switch;
    let bridges = |port: PortId| {
        let mut ports = fabric.device(fabric.port(port).device).ports.iter();
        ports.any(|own| carries(own).is_some())
    };
    let routed = |port: PortId| {
        let addressed = fabric.settings_of(port).is_some_and(|own| !own.addresses.is_empty());
        addressed || fabric.router_of(fabric.port(port).device).is_some()
    };
    let open = fabric.cables().filter_map(|(_, cable)| {
        let [a, b] = cable.ends.map(|end| end.value);
        let apart = fabric.port(a).device != fabric.port(b).device;
        let linked = cx.state.far(a) == Some(b) && apart && is_switch(a) && is_switch(b);
        let lacks = |near: PortId, far: PortId| {
            let own = fabric.settings_of(near).filter(|_| fabric.lag_of(near).is_none())?;
            carries(near)?;
            let nothing = carries(far).is_none() && fabric.lag_of(far).is_none();
            (nothing && !routed(far) && bridges(far)).then_some((near, own, far))
        };
        lacks(a, b).or_else(|| lacks(b, a)).filter(|_| linked)
    });
    for ((near, own, far), more) in once_a_place(open, |(_, own, _)| own.tagged.span) {
        let (label, other) = (fabric.port_label(near), fabric.port_label(far));
        let all: VlanSet = own.tagged.iter().chain(own.untagged.map(|vlan| vlan.value)).collect();
        out.report(
            own.tagged.span,
            format!("{label} carries {all}"),
            format!("{label} carries VLAN {all}, and {other} at its end none{more}"),
        )
        .related(fabric.port(far).span.0, format!("{other} has no VLANs"))
        .wire(format!("frames of VLAN {all} that {label} sends are dropped by {other}"))
        .remedy(format!("carry VLAN {all} on {other} too, or take it off {label}"))
        .about(fabric.port(near).device)
        .about(fabric.port(far).device);
    }
}
