use crate::diagnostic::At;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-network-unmapped",
        severity: Severity::Error,
        summary: "an endpoint uses a tag that its network does not have, or none where the guests tag",
        explain: "A network of several tags passes the tags of its guests through, and takes no other: a guest that sends without a tag, or with one outside the range, is heard by nobody.",
        sources: &["IEEE 802.1Q clause 6.9 (VLAN classification)"],
        broken: bench!(
            r#"
[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "by-guest" }
networks = { name = "probes", tags = "312-314" }

[[endpoint]]
name = "probe-1"
host = "hull-01"
tag = 316
"#
        ),
        mend: &[("tag = 316", "tag = 313")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, endpoint) in fabric.endpoints() {
        let network = fabric.network(endpoint.network.value);
        let (place, label, what, remedy) = match (endpoint.tag, &network.tags) {
            (Some(At { value: tag, span }), Some(tags)) if !tags.contains(tag) => (
                span,
                format!("tags with {tag}"),
                format!("tags with {tag}, which its network {} does not have", network.name.value),
                format!("use one of the tags {}, or give the network that tag", tags.value),
            ),
            (Some(At { value: tag, span }), None) => (
                span,
                format!("tags with {tag}"),
                format!("tags with {tag}, but its network {} is untagged", network.name.value),
                "take the tag off the endpoint, or give the network its tags".to_owned(),
            ),
            (None, Some(tags)) if network.is_trunk() => (
                endpoint.name.span,
                "sends without a tag".to_owned(),
                format!(
                    "says no tag, but its network {} has the tags {}",
                    network.name.value, tags.value
                ),
                "say with `tag` which of them the endpoint uses".to_owned(),
            ),
            _ => continue,
        };
        let name = &endpoint.name.value;
        let other = network.tags.as_ref().map_or(network.name.span, |tags| tags.span);
        out.report(place, label, format!("{name} {what}"))
            .related(other, format!("the network {}", network.name.value))
            .wire(format!("the virtual switch drops what {name} sends: it reaches nobody"))
            .remedy(remedy)
            .about(network.host)
            .about_name(name);
    }
}
