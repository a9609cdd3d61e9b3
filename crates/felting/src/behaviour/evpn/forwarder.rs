//! Whom frames into an Ethernet segment are sent by and to.

use std::net::IpAddr;

use super::election::{Election, Elector};
use crate::behaviour::State;
use crate::fabric::{EthernetSegmentId, LagId, PresenceId};
use crate::value::VlanId;

impl State {
    /// Elects the designated forwarder of an Ethernet segment; `vlan` tells the VLAN of what is elected
    /// for on each leg, which takes no part without one.
    pub fn election(
        &self,
        segment: EthernetSegmentId,
        vlan: impl Fn(LagId) -> Option<VlanId>,
    ) -> Election {
        let fabric = &self.fabric;
        Elector { lags: &self.lags, bgp: self.bgp() }.election(fabric, segment, vlan)
    }

    /// Whether a leaf passes frames for many on into its leg of an Ethernet segment: in single-active mode
    /// and in all-active mode as the designated forwarder, unless they came from a VTEP that shares the
    /// segment (local bias, RFC 8365 section 8.3.1).
    pub fn passes_into(
        &self,
        leg: LagId,
        from: Option<IpAddr>,
        vlan: impl Fn(LagId) -> Option<VlanId>,
    ) -> bool {
        let fabric = &self.fabric;
        let Some(segment) = fabric.lag(leg).segment else { return self.lags[leg].up };
        let election = self.election(segment, vlan);
        let Some((_, view)) = election.views.iter().find(|(own, _)| *own == leg) else {
            return false;
        };
        // A leaf whose leg is down has withdrawn its part, and what it floods is passed on.
        let shares = view.candidates.iter().any(|(address, _)| Some(*address) == from);
        !shares && view.forwarder == Some(leg)
    }

    /// Of the VTEPs that tell of one station, those that another spreads its frames over, each with the address that
    /// it sends to: the leaves of an Ethernet segment whose routes for it got there (aliasing, RFC 7432 section 8.4).
    /// A leaf's routes for the segment and for its instance travel with the station's, and have the same targets and
    /// distinguisher, so that they get there together or not at all.
    pub fn aliases(
        &self,
        at: PresenceId,
        among: impl IntoIterator<Item = PresenceId>,
    ) -> Vec<(PresenceId, IpAddr)> {
        let fabric = &self.fabric;
        let mut telling: Vec<PresenceId> = among.into_iter().filter(|&there| there != at).collect();
        // Which of several that say the same comes along is decided before anyone looks at targets.
        self.distinct(fabric.presence(at).switch, &mut telling, |&there| {
            (fabric.presence(there).switch, self.evpn.distinguisher(there))
        });
        let learnt = |there| Some((there, self.learns(at, there).ok()?));
        telling.into_iter().filter_map(learnt).collect()
    }
}
