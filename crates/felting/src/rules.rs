//! The catalogue of rules and what they find.
//!
//! A rule is data and one function. It reads the compiled fabric and what the protocols made of
//! it, and reports; severities, acceptances and order are the driver's, here.

#[macro_use]
mod part;

mod accept;
mod accepted;
mod cable;
mod check;
mod claims;
mod dhcp;
mod endpoint;
mod es;
mod expect;
mod held_back;
mod kept;
mod lag;
mod overlay;
mod pair;
mod pool;
mod port;
mod run;
mod segment;
mod session;
mod setting;
mod severities;
mod shown;
mod site;
mod stack;
mod switch;
mod terms;
mod tree;
mod tunnel;
mod underlay;
mod uplink;
mod vrf;
mod wanted;

pub(crate) use crate::diagnostic::{Finding, Label, Rule, Severity, some_of};
use check::Check;
pub(crate) use check::{Context, Draft, Findings};
pub use claims::Claims;
pub use severities::other_severity;
pub use terms::Terms;
pub use wanted::Wanted;

/// All rules, family by family in the order of precedence.
pub fn all() -> impl Iterator<Item = &'static Rule> + Clone {
    checks().map(|check| &check.rule)
}

fn checks() -> impl Iterator<Item = &'static Check> + Clone {
    [
        switch::RULES,
        cable::RULES,
        port::RULES,
        lag::RULES,
        pair::RULES,
        stack::RULES,
        es::RULES,
        tree::RULES,
        pool::RULES,
        underlay::RULES,
        session::RULES,
        overlay::RULES,
        segment::RULES,
        vrf::RULES,
        site::RULES,
        tunnel::RULES,
        uplink::RULES,
        endpoint::RULES,
        dhcp::RULES,
        setting::RULES,
        expect::RULES,
        accept::RULES,
    ]
    .into_iter()
    .flatten()
    .copied()
}

/// The rule of an id: of the catalogue, or that of what none of these explains.
pub fn find(id: &str) -> Option<&'static Rule> {
    all().chain(std::iter::once(&claims::UNEXPLAINED)).find(|rule| rule.id == id)
}
