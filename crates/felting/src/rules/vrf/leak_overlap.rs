use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::{At, Span};
use crate::fabric::{SegmentId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-leak-overlap",
        severity: Severity::Error,
        summary: "a leaked subnet collides with one of the VRF that gets it",
        explain: "A routing table has one route for a prefix. A leaked one that is also a segment's \
              of the VRF, or that covers part of one, is hidden or hides it: some hosts are \
              reached in the wrong VRF.",
        sources: &["RFC 4632 section 5.1"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
"#,
            r#"
[[vrf]]
name = "harbour"
number = 3
vni = 27003
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "harbour-desk"
number = 350
vrf = "harbour"
vlan = 350
vni = 23350
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-*"
"#,
            r#"
[[leak]]
from = "harbour"
to = "tides"
one_way = true
"#
        ),
        mend: &[(
            "number = 350\nvrf = \"harbour\"\nvlan = 350\nvni = 23350\nsubnet = \
         \"10.80.31.0/24\"\ngateway = \"10.80.31.1\"",
            "number = 350\nvrf = \"harbour\"\nvlan = 350\nvni = 23350\nsubnet = \
         \"10.82.50.0/24\"\ngateway = \"10.82.50.1\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut by_vrf: FxHashMap<VrfId, Vec<(SegmentId, At<IpPrefix>)>> = FxHashMap::default();
    for (id, segment) in fabric.segments() {
        if let Some(vrf) = segment.vrf {
            by_vrf
                .entry(vrf.value)
                .or_default()
                .extend(segment.subnets.iter().map(|subnet| (id, *subnet)));
        }
    }
    let of = |vrf: VrfId| by_vrf.get(&vrf).map_or(&[][..], Vec::as_slice);
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (_, leak) in fabric.leaks() {
        for (from, subnet) in of(leak.from.value) {
            let leaks =
                leak.prefixes.as_ref().is_none_or(|all| all.iter().any(|one| one.covers(subnet)));
            let Some((to, own)) =
                of(leak.to.value).iter().find(|(_, own)| leaks && own.overlaps(subnet))
            else {
                continue;
            };
            let (a, b) = if own.span < subnet.span {
                (own.span, subnet.span)
            } else {
                (subnet.span, own.span)
            };
            if !said.insert((a, b)) {
                continue;
            }
            let (one, other) = (&fabric.segment(*from).name, &fabric.segment(*to).name);
            let vrf = &fabric.vrf(leak.to.value).name;
            out.report(
                subnet.span,
                format!("{} of {}", subnet.value, one.value),
                format!(
                    "{} is leaked to {}, where {} has {}",
                    subnet.value, vrf.value, other.value, own.value
                ),
            )
            .related(own.span, format!("{} of {}", own.value, other.value))
            .wire(format!(
                "in {} one of the two hides the other: some of their hosts are not reached",
                vrf.value
            ))
            .remedy("give one of the segments another subnet, or don\u{2019}t leak it".to_owned())
            .about_name(&one.value)
            .about_name(&other.value)
            .about_name(&vrf.value);
        }
    }
}
