use super::site_of;
use crate::behaviour::evpn::replication;
use crate::rules::segment::mapped;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-flooding-over-wan",
        severity: Severity::Hint,
        summary: "a segment floods over the WAN",
        explain: "Ingress replication sends one copy of every frame for many to every VTEP, over \
              the WAN too. ARP of a large segment, or a loop somewhere, fills a leased path.",
        sources: &["RFC 8365 section 5.1.3", "RFC 7432 section 10"],
        broken: concat!(
            part!(sites),
            part!(skerry),
            part!(wan),
            part!(wan_links),
            part!(wan_routes),
            r#"
[[segment]]
name = "harbour-buoy"
number = 360
vlan = 360
vni = 23360
on = ["inlet-a", "skerry-a"]
"#
        ),
        mend: &[(
            "[[segment]]\nname",
            "[[accept]]\nrule = \"site-flooding-over-wan\"\non = \"harbour-buoy\"\nreason = \"a handful of \
         buoys\"\n\n[[segment]]\nname",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    if fabric.sites().len() < 2 {
        return;
    }
    for (id, segment) in fabric.segments() {
        let presences: Vec<_> = mapped(cx, id)
            .into_iter()
            .filter(|&p| replication(fabric, p) == Some(Replication::Ingress))
            .collect();
        let site = |presence| site_of(fabric, fabric.presence(presence).switch);
        let Some(&first) = presences.first() else { continue };
        let Some(&other) = presences
            .iter()
            .find(|&&p| site(p).is_some() && site(first).is_some() && site(p) != site(first))
        else {
            continue;
        };
        let (Some(a), Some(b)) = (site(first), site(other)) else { continue };
        let (a, b) = (&fabric.site(a).name, &fabric.site(b).name);
        out.report(
            segment.name.span,
            "floods to both",
            format!(
                "{} floods between {} and {} over the WAN",
                segment.name.value, a.value, b.value
            ),
        )
        .related(b.span, format!("{} is one end", b.value))
        .wire("every frame for many crosses the WAN, once for each VTEP behind it".to_owned())
        .remedy(
            "keep the segment at one site and route between them, or accept it with a reason"
                .to_owned(),
        )
        .about_name(&segment.name.value)
        .about_name(&a.value)
        .about_name(&b.value);
    }
}
