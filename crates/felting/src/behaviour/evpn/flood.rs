//! To whom a VTEP sends what is for many.

use std::collections::BTreeSet;
use std::net::IpAddr;

use super::apart::Apart;
use super::learn::sends_to;
use crate::behaviour::State;
use crate::fabric::{DeviceId, Fabric, PresenceId};
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
    /// The address of the VTEP that what one VTEP of a segment floods gets to: by a copy for it, or by the group.
    ///
    /// # Errors
    ///
    /// Why the other gets no copy.
    pub fn copies(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        match replication(fabric, at).ok_or(Apart::NoVtep)? {
            Replication::Ingress => self.copies_as_told(at, to),
            Replication::Static => {
                let address = self.vtep_of_presence(to)?;
                let mut list = fabric.settings_at(at).flood_to.iter().flatten();
                let listed = list.any(|listed| listed.value == address);
                if listed { Ok(address) } else { Err(Apart::NotListed) }
            }
            Replication::Multicast => {
                self.is_joined(at, to)?;
                self.vtep_of_presence(to)
            }
        }
    }

    fn vtep_of_presence(&self, presence: PresenceId) -> Result<IpAddr, Apart> {
        let vtep = self.fabric.vtep_of(self.fabric.presence(presence).switch);
        vtep.map(|vtep| vtep.value).ok_or(Apart::NoVtep)
    }

    /// By a copy of its own: to the tunnel identifier of the type 3 route, whatever its next hop (RFC 7432 section
    /// 11.2, RFC 6514 section 5).
    fn copies_as_told(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
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
        let address = self.vtep_of_presence(to)?;
        sends_to(fabric, here, address)?;
        Ok(address)
    }

    /// Whether one VTEP gets what another sends to the group of a segment.
    fn is_joined(&self, from: PresenceId, to: PresenceId) -> Result<(), Apart> {
        let fabric = &self.fabric;
        if replication(fabric, to) != Some(Replication::Multicast) {
            return Err(Apart::NoCopies);
        }
        let group = |at| fabric.settings_at(at).multicast_group.map(|group| group.value);
        let group_of = |at| group(at).filter(IpAddr::is_multicast).ok_or(Apart::NoGroup);
        if group_of(from)? != group_of(to)? {
            return Err(Apart::OtherGroup);
        }
        let vni = |at| fabric.presence(at).vni.map(|vni| vni.value);
        if vni(from) != vni(to) {
            return Err(Apart::OtherVni);
        }
        let points = |at: PresenceId| {
            let overlay = fabric.overlay_of(fabric.presence(at).switch);
            let points = overlay.into_iter().flat_map(|overlay| &overlay.rendezvous);
            points.map(|point| point.value).collect::<BTreeSet<IpAddr>>()
        };
        let (here, there) = (points(from), points(to));
        if here.is_empty() || there.is_empty() {
            return Err(Apart::NoPoint);
        }
        // Senders and receivers meet only where both take a group to the same points (RFC 7761 section 4.7).
        if here != there {
            return Err(Apart::OtherPoint);
        }
        let mut none = Err(Apart::NoPoint);
        for point in here {
            let ways = [from, to].map(|at| self.joins_at(fabric.presence(at).switch, point));
            let both = ways.into_iter().collect::<Result<Vec<()>, Apart>>();
            none = both.map(|_| ());
            if none.is_ok() {
                break;
            }
        }
        none
    }

    /// Whether joins of a switch get to a rendezvous point.
    fn joins_at(&self, switch: DeviceId, point: IpAddr) -> Result<(), Apart> {
        let router = self.fabric.device(switch).router.ok_or(Apart::NoPoint)?;
        self.delivers(router, point).map_err(|_| Apart::NoPoint)?;
        match self.blocks_joins(switch, point) {
            None => Ok(()),
            Some(_) => Err(Apart::ReversePath),
        }
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
