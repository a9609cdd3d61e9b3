use crate::behaviour::{AdjacencyFault, Aspect, Entity};
use crate::diagnostic::At;
use crate::fabric::{DeviceId, DeviceKind};
use crate::rules::lag::half_name;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Mtu;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-mtu-clash",
        severity: Severity::Error,
        summary: "the two ends of a link have different MTUs",
        explain: "The end with the smaller MTU drops what is larger, and nobody is told: a bridge \
              sends no error. Small packets pass, so pings succeed and transfers stall. Between \
              routers an OSPF adjacency sticks while it exchanges databases (RFC 2328 section 10.6), and a BGP \
              session comes up and stalls with its first full update.",
        sources: &["IEEE 802.3 clause 3.2.7", "RFC 2328 section 10.6"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[49-50] 100G"

[[switch]]
name = "crest-1"
ports = "p[1-2] 100G"

[[port]]
on = "kelp-a"
ports = "p49"
mtu = 9216

[[port]]
on = "crest-1"
ports = "p1"
mtu = 1500

[cabling]
runs = "kelp-a p49 -- crest-1 p1"
"#,
        mend: &[("mtu = 1500", "mtu = 9216")],
    },
    check,
};

/// One end of a link: its name, its device, and its MTU.
type End = (String, DeviceId, At<Mtu>);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let switch = |device: DeviceId| fabric.device(device).kind == DeviceKind::Switch;
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let claimed = |lag| cx.state.causes().claimed(Entity::Lag(lag), Aspect::Mtu).is_some();
        let (Some(x), Some(y)) = (a.mtu, b.mtu) else { continue };
        if switch(a.device) && switch(b.device) && !claimed(one) && !claimed(other) {
            let ends = [(one, a.device, x), (other, b.device, y)];
            report(ends.map(|(lag, device, mtu)| (half_name(fabric, lag), device, mtu)), out);
        }
    }
    let mtu = |port| fabric.settings_of(port).and_then(|settings| settings.mtu);
    for (_, cable) in fabric.cables() {
        let [a, b] = cable.ends.map(|end| end.value);
        let free = fabric.lag_of(a).is_none() && fabric.lag_of(b).is_none();
        let (Some(x), Some(y)) = (mtu(a), mtu(b)) else { continue };
        // Where neighbours fall out over it, it is told as that.
        let told = fabric.interface_on(a, None).is_some_and(|interface| {
            let adjacency = cx.state.underlay().adjacency_of(interface);
            adjacency.is_some_and(|adjacency| adjacency.fault == Some(AdjacencyFault::MtuClash))
        });
        if !told && free && cx.state.far(a) == Some(b) {
            let ends = [(a, x), (b, y)];
            report(
                ends.map(|(port, mtu)| (fabric.port_label(port), fabric.port(port).device, mtu)),
                out,
            );
        }
    }
}

fn report([one, other]: [End; 2], out: &mut Findings<'_>) {
    if one.2.value == other.2.value {
        return;
    }
    let (small, large) = if one.2.value < other.2.value { (one, other) } else { (other, one) };
    out.report(
        small.2.span,
        format!("{} takes {} bytes", small.0, small.2.value),
        format!(
            "the ends of a link have different MTUs: {} has {}, {} has {}",
            small.0, small.2.value, large.0, large.2.value
        ),
    )
    .related(large.2.span, format!("{} takes {} bytes", large.0, large.2.value))
    .wire(format!(
        "frames of more than {} bytes from {} vanish at the other end, while small ones pass",
        small.2.value, large.0
    ))
    .remedy(format!("set one MTU at both ends, {} where both can", large.2.value))
    .about(small.1)
    .about(large.1);
}
