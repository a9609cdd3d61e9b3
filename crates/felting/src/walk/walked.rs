//! A walk that was walked.

use std::net::IpAddr;

use super::path::{Hop, Stop, Way};
use super::resolution::Resolution;
use crate::behaviour::State;
use crate::fabric::Terminal;

/// A ping from one end to the other and back.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Walk {
    /// From where.
    pub from: Terminal,
    /// To where.
    pub to: Terminal,
    /// The address that the echo is from.
    pub source: IpAddr,
    /// The address that it is to.
    pub destination: IpAddr,
    /// How large it is, from its IP header on.
    pub size: u32,
    /// The questions for MAC addresses on the way, in order.
    pub resolutions: Vec<Resolution>,
    /// The way there, as far as it gets.
    pub there: Way,
    /// The way back, if it got there.
    pub back: Option<Way>,
}

impl Walk {
    /// Whether the echo arrives, and its reply.
    pub fn arrives(&self) -> bool {
        self.there.arrives() && self.back.as_ref().is_some_and(Way::arrives)
    }

    /// Where it stops first, and why: on the way there, or back.
    pub fn stop(&self) -> Option<(&Hop, Stop)> {
        self.there.stop().or_else(|| self.back.as_ref()?.stop())
    }

    /// Where it stops at bottom: where the question for a MAC address that gets no answer stops, if that is
    /// why.
    pub fn root(&self) -> Option<(&Hop, Stop)> {
        self.root_path().stop().or_else(|| self.stop())
    }

    /// The path that stops at bottom: that of a question for a MAC address or of its answer, of the echo, or
    /// of its reply.
    pub fn root_path(&self) -> &Way {
        let path = match (&self.back, self.there.stop()) {
            (Some(back), None) => back,
            _ => &self.there,
        };
        if !matches!(path.stop(), Some((_, Stop::Unanswered(_) | Stop::Nobody(_)))) {
            return path;
        }
        let failed = self.resolutions.iter().rev().find(|one| one.answer.is_none());
        let deeper = failed.and_then(|one| {
            let reply = one.reply.as_ref().filter(|reply| reply.stop().is_some());
            reply.or_else(|| one.request.stop().map(|_| &one.request))
        });
        deeper.unwrap_or(path)
    }

    /// The VRFs of its two ends, if they are different, no leak joins them, and that is why it stops: the one
    /// is not to reach the other.
    pub fn unleaked<'f>(&self, state: &'f State) -> Option<(&'f str, &'f str)> {
        let fabric = state.fabric();
        let (_, stop) = self.root()?;
        if !matches!(stop, Stop::NoRoute(_) | Stop::WentOut(_)) {
            return None;
        }
        let vrf = |terminal: Terminal| {
            let segments = state.segments_of(terminal.endpoint()?);
            segments.first().and_then(|&segment| fabric.segment(segment).vrf).map(|vrf| vrf.value)
        };
        let (one, other) = (vrf(self.from)?, vrf(self.to)?);
        let joins = |a, b| fabric.leaks_into(a, b);
        let name = |vrf| fabric.vrf(vrf).name.value.as_str();
        (one != other && !(joins(one, other) && joins(other, one)))
            .then(|| (name(one), name(other)))
    }

    /// The ways of the echo and of its reply.
    pub fn paths(&self) -> impl Iterator<Item = &Way> {
        std::iter::once(&self.there).chain(&self.back)
    }

    /// The largest packet that gets there and back, as far as MTUs are written.
    pub fn mtu(&self) -> Option<u32> {
        self.paths().filter_map(Way::mtu).min()
    }
}
