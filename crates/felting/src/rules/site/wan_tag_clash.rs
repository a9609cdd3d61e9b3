use crate::behaviour::WrongTag;
use crate::fabric::Fabric;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanId;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-wan-tag-clash",
        severity: Severity::Error,
        summary: "a WAN path is used with another tag than its own",
        explain: "A leased path between sites often comes as one VLAN on a shared port. A \
              sub-interface with another tag sends into somebody else's path, or nowhere.",
        sources: &["IEEE 802.1Q clause 8.6.2"],
        broken: concat!(
            part!(sites),
            part!(skerry),
            part!(wan),
            r#"
[[interface]]
on = "inlet-a"
port = "p52"
tag = 100
address = "198.51.100.1/31"

[[interface]]
on = "skerry-a"
port = "p49"
tag = 101
address = "198.51.100.3/31"
"#,
            part!(wan_routes)
        ),
        mend: &[(
            "on = \"skerry-a\"\nport = \"p49\"\ntag = 101",
            "on = \"skerry-a\"\nport = \"p49\"\ntag = 100",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, wan) in fabric.wans() {
        let wrong: Vec<WrongTag> = wan.wrong_tags(fabric).collect();
        // Where both ends have another tag than the path, and the same one, the path's is the odd one.
        if let [one, other] = wrong[..]
            && let Some(tag) = tag_of(fabric, one).filter(|&tag| tag_of(fabric, other) == Some(tag))
            && let Some(expected) = wan.tags.first()
        {
            let ends = [one, other].map(|wrong| fabric.interface(wrong.interface));
            let names = ends.map(|end| fabric.device_name(end.device));
            let place = ends[0].tag.map_or(ends[0].span.0, |tag| tag.span);
            out.report(
                expected.span,
                format!("tag {}", expected.value),
                format!(
                    "the WAN path {} has tag {}, but {} and {} use tag {tag}",
                    wan.name.value, expected.value, names[0], names[1]
                ),
            )
            .related(place, format!("tag {tag}"))
            .wire("what either end sends does not get onto the path".to_owned())
            .remedy(format!("write `tags = {tag}` for the path, or use its tag at both ends"))
            .about(ends[0].device)
            .about(ends[1].device)
            .about_name(&wan.name.value);
            continue;
        }
        for wrong in wrong {
            let (first, device) = (wrong.interface, fabric.interface(wrong.interface).device);
            let Some(expected) = wan.tags.get(wrong.end).or(wan.tags.first()) else { continue };
            let interface = fabric.interface(first);
            let has = interface
                .tag
                .map_or_else(|| "untagged".to_owned(), |tag| format!("tag {}", tag.value));
            out.report(
                interface.tag.map_or(interface.span.0, |tag| tag.span),
                format!("{}: {has}", fabric.interface_label(first)),
                format!(
                    "the WAN path {} has tag {}, but {} uses {has}",
                    wan.name.value,
                    expected.value,
                    fabric.device_name(device)
                ),
            )
            .related(expected.span, format!("tag of {}", wan.name.value))
            .wire(format!("what {} sends does not get onto the path", fabric.device_name(device)))
            .remedy(format!("use tag {} there", expected.value))
            .about(device)
            .about_name(&wan.name.value);
        }
    }
}

/// The tag that an end has instead.
fn tag_of(fabric: &Fabric, wrong: WrongTag) -> Option<VlanId> {
    fabric.interface(wrong.interface).tag.map(|tag| tag.value)
}
