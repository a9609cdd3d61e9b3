use std::net::IpAddr;

use crate::diagnostic::At;
use crate::fabric::{Dhcp, DhcpId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::AddressRange;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "dhcp-overlap",
        severity: Severity::Error,
        summary: "two DHCP ranges give out the same addresses",
        explain: "A server knows its own leases only. Where two ranges have addresses in common, two hosts are given one, \
                  each by its own server or its own range of one.",
        sources: &["RFC 2131 section 3.1", "RFC 5227 section 1"],
        broken: bench!(
            r#"
[[dhcp]]
name = "web-hosts"
segment = "tides-web"
addresses = "10.80.31.100-10.80.31.199"
router = "10.80.31.1"

[[dhcp]]
name = "web-guests"
segment = "tides-web"
addresses = "10.80.31.150-10.80.31.249"
router = "10.80.31.1"
"#
        ),
        mend: &[("10.80.31.150-10.80.31.249", "10.80.31.200-10.80.31.249")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut ranges: Vec<(At<AddressRange>, DhcpId)> = fabric
        .dhcps()
        .flat_map(|(id, dhcp)| dhcp.addresses.iter().map(move |range| (*range, id)))
        .collect();
    ranges.sort_by_key(|(range, id)| (range.first(), range.last(), *id));
    let mut told: Vec<[DhcpId; 2]> = Vec::new();
    // Of those before the one that reaches farthest meets whatever any of them meets.
    let mut farthest: Option<(At<AddressRange>, DhcpId)> = None;
    for (range, id) in ranges {
        if let Some((other, twin)) = farthest
            && twin != id
            && other.contains(range.first())
        {
            let [one, two] = [fabric.dhcp(twin), fabric.dhcp(id)];
            let pair = [twin.min(id), twin.max(id)];
            let last = other.last().min(range.last());
            if let Some(first) =
                both_give(one, two, range.first(), last).filter(|_| !told.contains(&pair))
            {
                told.push(pair);
                out.report(
                    range.span,
                    format!("of {}", two.name.value),
                    format!(
                        "the DHCP ranges {} and {} both give out {first}",
                        one.name.value, two.name.value
                    ),
                )
                .related(other.span, format!("of {}", one.name.value))
                .wire("two hosts are given one address: each takes the other\u{2019}s packets")
                .remedy("give each range addresses of its own, or take them out by `except`")
                .about_name(&one.name.value)
                .about_name(&two.name.value)
                .about_name(&fabric.segment(two.segment.value).name.value);
            }
        }
        if farthest
            .is_none_or(|(other, _)| !same_family(other, range) || range.last() > other.last())
        {
            farthest = Some((range, id));
        }
    }
}

fn same_family(one: At<AddressRange>, other: At<AddressRange>) -> bool {
    one.first().is_ipv4() == other.first().is_ipv4()
}

/// The first address of some that both give out: what one excepts ends where its exception does.
fn both_give(one: &Dhcp, two: &Dhcp, first: IpAddr, last: IpAddr) -> Option<IpAddr> {
    let mut at = first;
    let mut excepted: Vec<&AddressRange> =
        one.except.iter().chain(&two.except).map(|range| &range.value).collect();
    excepted.sort();
    for range in excepted {
        if range.contains(at) {
            at = next(range.last())?;
        }
    }
    (at <= last && one.gives(at) && two.gives(at)).then_some(at)
}

fn next(address: IpAddr) -> Option<IpAddr> {
    Some(match address {
        IpAddr::V4(address) => IpAddr::V4(u32::from(address).checked_add(1)?.into()),
        IpAddr::V6(address) => IpAddr::V6(u128::from(address).checked_add(1)?.into()),
    })
}
