use super::site_of;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-path-too-slow",
        severity: Severity::Warning,
        summary: "no WAN path of a site is fast enough",
        explain: "What crosses the WAN must not take longer than its users allow. No path between \
              this site and another meets the bound, even when all are up.",
        sources: &["RFC 2544 section 26.2"],
        broken: concat!(
            part!(sites),
            r#"
[[site]]
name = "skerry"
on = "skerry-a"
delay_bound = "2ms"
"#,
            part!(wan),
            part!(wan_links),
            part!(wan_routes)
        ),
        mend: &[("delay_bound = \"2ms\"", "delay_bound = \"10ms\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, site) in fabric.sites() {
        let Some(bound) = site.delay_bound else { continue };
        let paths = fabric.wans().filter(|(_, wan)| {
            // What has the wrong tag carries nothing, and is told as that.
            wan.wrong_tags(fabric).next().is_none()
                && wan
                    .ends
                    .iter()
                    .any(|end| site_of(fabric, fabric.port(end.value).device) == Some(id))
        });
        let delays: Vec<_> = paths.filter_map(|(_, wan)| Some((wan, wan.delay?))).collect();
        let Some((wan, best)) = delays.iter().min_by_key(|(_, delay)| delay.value) else {
            continue;
        };
        if best.value <= bound.value {
            continue;
        }
        out.report(
            bound.span,
            format!("at most {}", bound.value),
            format!("no WAN path of {} is within {}", site.name.value, bound.value),
        )
        .related(best.span, format!("{}, the fastest, takes {}", wan.name.value, best.value))
        .wire(format!(
            "every packet between {} and other sites takes {} or more",
            site.name.value, best.value
        ))
        .remedy("order a faster path, or allow more".to_owned())
        .about_name(&site.name.value)
        .about_name(&wan.name.value);
    }
}
