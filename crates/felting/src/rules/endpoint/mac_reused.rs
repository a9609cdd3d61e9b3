use rustc_hash::FxHashMap;

use super::segments_of;
use crate::fabric::{EndpointId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::MacAddr;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-mac-reused",
        severity: Severity::Error,
        summary: "two endpoints of one segment have one MAC address",
        explain: "A switch knows one place for a MAC address. Frames for either go now here, now there, as the one or the other has sent last; EVPN counts the moves and gives up after five of them.",
        sources: &["IEEE 802.1Q clause 8.7 (learning)", "RFC 7432 section 15.1"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.31.21/24"
mac = "02:46:00:00:01:01"
[[endpoint]]
name = "web-2"
host = "bench-2"
address = "10.80.31.22/24"
mac = "02:46:00:00:01:01"
"#
        ),
        mend: &[(
            "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.22/24\"\nmac = \"02:46:00:00:01:01\"",
            "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.22/24\"\nmac = \"02:46:00:00:01:02\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut count: FxHashMap<MacAddr, u32> = FxHashMap::default();
    for (_, endpoint) in fabric.endpoints() {
        *count.entry(endpoint.mac.value).or_default() += 1;
    }
    // Two segments may each have the same two.
    let mut owners: FxHashMap<(MacAddr, SegmentId), EndpointId> = FxHashMap::default();
    for (id, endpoint) in fabric.endpoints() {
        let mac = endpoint.mac;
        if count[&mac.value] == 1 {
            continue;
        }
        let mut twin = None;
        for segment in segments_of(cx, id) {
            let first = *owners.entry((mac.value, segment)).or_insert(id);
            twin = twin.or((first != id).then_some((first, segment)));
        }
        let Some((first, segment)) = twin else { continue };
        let other = fabric.endpoint(first);
        let (name, twin) = (&endpoint.name.value, &other.name.value);
        let segment = &fabric.segment(segment).name.value;
        out.report(
            mac.span,
            format!("MAC address of {name}"),
            format!("{name} and {twin} in {segment} have one MAC address, {}", mac.value),
        )
        .related(other.mac.span, format!("MAC address of {twin}"))
        .wire(format!(
            "frames for {name} come to {twin}, and the other way round, as either has sent last"
        ))
        .remedy("give each its own MAC address, or write one machine once")
        .about(endpoint.host.value)
        .about_name(name)
        .about_name(twin)
        .about_name(segment);
    }
}
