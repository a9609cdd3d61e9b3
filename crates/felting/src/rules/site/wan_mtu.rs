use super::site_of;
use crate::behaviour::mtu;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
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
ends = ["inlet-a p52", "skerry-a p49"]
tags = 100
delay = "4ms"
mtu = 1500
"#,
            part!(wan_links),
            part!(wan_routes)
        ),
        mend: &[("mtu = 1500", "mtu = 1600")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, wan) in fabric.wans() {
        let Some(mtu) = wan.mtu else { continue };
        let devices = wan.ends.each_ref().map(|end| fabric.port(end.value).device);
        let sites =
            devices.map(|device| site_of(fabric, device).map(|site| &fabric.site(site).on[..]));
        let needed = match sites {
            [Some(near), Some(far)] => mtu::needed_between(cx.state, [near, far]),
            _ => mtu::needed(fabric),
        };
        let Some(needed) = needed else { return };
        let (bytes, hosts) = (needed.bytes(), needed.hosts);
        let overlay = fabric.overlay(needed.overlay);
        if mtu.get() >= bytes {
            continue;
        }
        let draft = out.report(
            mtu.span,
            format!("{} bytes", mtu.value),
            format!(
                "the WAN path {} takes {} bytes, but {} needs {bytes}",
                wan.name.value,
                mtu.value,
                overlay.encapsulation.value.to_string().to_uppercase()
            ),
        )
        .related(
            needed.written.unwrap_or(overlay.span.0),
            format!("{hosts} bytes of the hosts, and {} of outer headers", needed.headers),
        )
        .wire(format!(
            "packets between the sites of more than {} bytes vanish on {}, while small ones pass",
            mtu.get().saturating_sub(needed.headers),
            wan.name.value
        ))
        .remedy(format!("order a path of at least {bytes} bytes, or lower the MTU of the hosts"))
        .about_name(&wan.name.value);
        devices.into_iter().fold(draft, Draft::about);
    }
}
