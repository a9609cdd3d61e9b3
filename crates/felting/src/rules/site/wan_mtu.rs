use crate::rules::{Context, Findings, Rule, Severity};

pub(super) static RULE: Rule = Rule {
    id: "site-wan-mtu",
    severity: Severity::Error,
    summary: "a WAN path has no room for the outer headers",
    explain: "Other people's routers seldom take jumbo frames. A path of 1500 bytes has no room \
              for a full packet of a host and 50 bytes of outer headers, and VTEPs must not \
              fragment.",
    sources: &["RFC 7348 section 4.3"],
    broken: concat!(
        part!(sites),
        part!(skerry),
        r#"
[[wan]]
name = "fibre"
ends = ["inlet-a et52", "skerry-a et49"]
tags = 100
delay = "4ms"
mtu = 1500
"#,
        part!(wan_links),
        part!(wan_routes)
    ),
    mend: &[("mtu = 1500", "mtu = 1600")],
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let Some((_, overlay)) = fabric.overlays().find(|(_, overlay)| overlay.vtep.is_some()) else {
        return;
    };
    let needed = 1500 + if overlay.vtep.is_some_and(|vtep| vtep.is_ipv6()) { 70 } else { 50 };
    for (_, wan) in fabric.wans() {
        let Some(mtu) = wan.mtu.filter(|mtu| mtu.get() < needed) else { continue };
        out.report(
            mtu.span,
            format!("{} bytes", mtu.value),
            format!(
                "the WAN path {} takes {} bytes, but VXLAN needs {needed}",
                wan.name.value, mtu.value
            ),
        )
        .related(overlay.span, "1500 bytes of the hosts and the outer headers")
        .wire(format!(
            "packets between the sites of more than {} bytes vanish on {}, while small ones pass",
            mtu.get().saturating_sub(needed - 1500),
            wan.name.value
        ))
        .remedy(format!("order a path of at least {needed} bytes, or lower the MTU of the hosts"))
        .about_name(&wan.name.value);
    }
}
