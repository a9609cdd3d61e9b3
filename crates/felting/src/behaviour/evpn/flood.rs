//! To whom a VTEP sends what is for many.

use std::net::IpAddr;

use super::apart::Apart;
use super::learn::sends_to;
use crate::behaviour::State;
use crate::fabric::{Fabric, PresenceId};
use crate::value::Replication;

/// A VTEP to which another floods.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct FloodTarget {
    /// The address that copies are sent to.
    pub address: IpAddr,
    /// The presence that asked for them by a type 3 route; none on a static list.
    pub presence: Option<PresenceId>,
}

/// To whom a VTEP floods frames of a segment.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct FloodList {
    /// How flooding is done.
    pub replication: Replication,
    /// Whom copies are sent to, by address.
    pub targets: Vec<FloodTarget>,
    /// The multicast group that one packet is sent to.
    pub group: Option<IpAddr>,
}

/// How a VTEP of a segment floods.
pub(crate) fn replication(fabric: &Fabric, presence: PresenceId) -> Option<Replication> {
    let overlay = fabric.overlay_of(fabric.presence(presence).switch)?;
    Some(fabric.settings_at(presence).replication.unwrap_or(overlay.replication).value)
}

impl State {
    /// The address to which one VTEP of a segment copies what it floods for another: the tunnel identifier of
    /// the type 3 route, whatever its next hop (RFC 7432 section 11.2, RFC 6514 section 5); or why it doesn't.
    ///
    /// # Errors
    ///
    /// Why the other gets no copy.
    pub fn copies(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let (here, there) = (fabric.presence(at).switch, fabric.presence(to).switch);
        if replication(fabric, to) != Some(Replication::Ingress) {
            return Err(Apart::NoCopies);
        }
        let rewritten = self.told(here, there)?;
        self.imports_from(at, to)?;
        // Without a rewritten next hop that is the same address, and known to be reached.
        if rewritten.is_some() {
            return self.sends(here, there);
        }
        let address = fabric.vtep_of(there).ok_or(Apart::NoVtep)?.value;
        sends_to(fabric, here, address)?;
        Ok(address)
    }

    /// To whom a VTEP floods frames of a segment; none if it is no VTEP of it.
    pub fn floods(&self, presence: PresenceId) -> Option<FloodList> {
        let fabric = &self.fabric;
        let how = replication(fabric, presence)?;
        self.evpn.instance(presence)?;
        let settings = fabric.settings_at(presence);
        let mut list = FloodList { replication: how, targets: Vec::new(), group: None };
        match how {
            Replication::Ingress => {
                for other in self.evpn.exporters_for(presence) {
                    if let Ok(address) = self.copies(presence, other) {
                        list.targets.push(FloodTarget { address, presence: Some(other) });
                    }
                }
            }
            Replication::Static => {
                let own = fabric.vtep_of(fabric.presence(presence).switch);
                for address in settings.flood_to.iter().flatten() {
                    if own.is_none_or(|own| own.value != address.value) {
                        list.targets.push(FloodTarget { address: address.value, presence: None });
                    }
                }
            }
            Replication::Multicast => {
                list.group = settings.multicast_group.map(|group| group.value);
            }
        }
        list.targets.sort_unstable();
        // The two sides of a pair ask for one copy.
        list.targets.dedup_by_key(|target| target.address);
        Some(list)
    }
}
