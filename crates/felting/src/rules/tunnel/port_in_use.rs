use crate::fabric::InterfacePlace;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-port-in-use",
        severity: Severity::Error,
        summary: "the port of a pseudowire has an address, a VLAN or a LAG",
        explain: "All that comes in by the port of a pseudowire goes into the wire, so nothing is left that the switch itself could route, \
              bridge or aggregate there: an address on it is never answered for.",
        sources: &["RFC 4719 section 2"],
        broken: concat!(
            part!(far_apart),
            part!(wire),
            "\n[[interface]]\non = \"skerry-a\"\nport = \"p1\"\naddress = \"10.64.3.1/31\"\n"
        ),
        mend: &[("port = \"p1\"\naddress", "port = \"p2\"\naddress")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, end) in fabric.pseudowires() {
        let port = end.port.value;
        let settings = fabric.settings_of(port);
        let vlans = settings.and_then(|settings| {
            let untagged =
                settings.untagged.map(|vlan| (vlan.span, format!("VLAN {}", vlan.value)));
            let tagged = (!settings.tagged.is_empty())
                .then(|| (settings.tagged.span, format!("VLANs {}", settings.tagged.value)));
            untagged.or(tagged)
        });
        let address = settings.and_then(|settings| settings.addresses.first());
        let address =
            address.map(|address| (address.span, format!("the address {}", address.value)));
        let lag = fabric.member_of(port).map(|member| {
            let lag = fabric.member(member).lag;
            (
                fabric.member(member).port.span,
                format!("a place in the LAG {}", fabric.lag(lag).name.value),
            )
        });
        let router = fabric.router_of(end.device);
        let interface = router.and_then(|router| {
            let id = fabric.interfaces_at(router, InterfacePlace::Port(port)).next()?;
            Some((fabric.interface(id).span.0, "a routed interface".to_owned()))
        });
        let Some((span, what)) = address.or(interface).or(lag).or(vlans) else { continue };
        let label = fabric.port_label(port);
        out.report(
            span,
            what.clone(),
            format!("{label} is the port of the pseudowire {} and has {what}", end.name.value),
        )
        .related(end.port.span, format!("the port of {}", end.name.value))
        .wire(format!("all that comes in by {label} goes into the wire: {what} is of no use there"))
        .remedy(format!("take it off {label}, or give the pseudowire another port"))
        .about(end.device)
        .about_name(&end.name.value);
    }
}
