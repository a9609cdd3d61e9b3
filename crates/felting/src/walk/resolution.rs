//! Who asks for a MAC address, and who answers.

use std::net::IpAddr;

use super::path::Way;
use crate::fabric::{EndpointId, PresenceId};
use crate::value::MacAddr;

/// Who asks for a MAC address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Asker {
    /// An endpoint.
    Endpoint(EndpointId),
    /// A switch in a segment that it routes for.
    Router(PresenceId),
}

/// Who answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Answer {
    /// The endpoint itself.
    Endpoint(EndpointId),
    /// A switch, for an address of its own.
    Router(PresenceId),
    /// A VTEP on behalf of an endpoint that EVPN told it of (RFC 9161).
    Proxy(PresenceId, EndpointId),
}

/// A question for a MAC address, and its answer.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Resolution {
    /// Who asks.
    pub asker: Asker,
    /// For which address.
    pub address: IpAddr,
    /// The way of the question to who answers it.
    pub request: Way,
    /// Who answers, if anybody does.
    pub answer: Option<(Answer, MacAddr)>,
    /// The way of the answer.
    pub reply: Option<Way>,
}
