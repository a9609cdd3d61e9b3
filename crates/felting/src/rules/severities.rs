//! When a rule's finding has another severity than the rule.

use crate::diagnostic::Severity;
use Severity::{Error, Hint, Warning};

/// The rule, the other severity, and when a finding has it.
type Other = (&'static str, Severity, &'static str);

/// All of them: no finding has another severity than its rule and these, but that one which breaks an expectation is
/// as severe as that.
static OTHERS: &[Other] = &[
    ("lag-uncabled", Error, "endpoints are on it"),
    ("lag-member-clash", Hint, "the members differ in what their device may mix"),
    ("lag-min-members", Error, "the minimum is larger than the LAG"),
    ("pair-peer-link-vlan", Error, "something on one side alone has the VLAN"),
    ("stack-open-chain", Error, "the links do not join all members"),
    ("es-single-leaf", Error, "the host is on another leaf too, without the identifier"),
    ("underlay-router-id-reused", Warning, "neither drops anything of the other"),
    ("underlay-policy-blocks-vtep", Error, "no other way leads to the VTEP"),
    ("session-source-clash", Warning, "one of the ends can still open the session"),
    ("overlay-reflector-client-missing", Warning, "another speaker passes the routes"),
    (
        "overlay-rd-reused",
        Warning,
        "it is of one host on two leaves, which the others reach by one of them",
    ),
    ("segment-vni-clash", Warning, "the route targets agree, so that both VNIs work"),
    ("segment-vlan-drift", Error, "hosts on the switch are cut off by it"),
    ("vrf-vni-clash", Warning, "the route targets agree, so that both VNIs work"),
    ("vrf-outside-unreachable", Warning, "another switch or route leads there"),
    ("site-route-unusable", Warning, "another route leads there"),
    ("endpoint-address-reused", Warning, "it is an address that DHCP may give to another"),
];

/// The other severities that a rule's findings can have, and when.
///
/// ```
/// use felting::diagnostic::Severity;
/// let (severity, when) = felting::rules::other_severity("lag-min-members").unwrap();
/// assert_eq!((severity, when), (Severity::Error, "the minimum is larger than the LAG"));
/// ```
pub fn other_severity(rule: &str) -> Option<(Severity, &'static str)> {
    OTHERS.iter().find(|other| other.0 == rule).map(|other| (other.1, other.2))
}
