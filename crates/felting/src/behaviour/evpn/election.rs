//! Who forwards frames into an Ethernet segment.

use std::net::IpAddr;

use crate::behaviour::carrier::Closed;
use crate::behaviour::{Bgp, LagOutcome};
use crate::fabric::{EthernetSegmentId, Fabric, LagId, SegmentId};
use crate::id::Pages;
use crate::value::{DfElection, Esi, EthernetSegmentMode, Family, Preference, VlanId};

/// How the leaves of an Ethernet segment agree, as one of them sees it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ElectionView {
    /// The method in use.
    pub method: DfElection,
    /// Whether it is the modulus only because the leaves are set to different methods (RFC 8584
    /// section 2.2.1).
    pub fell_back: bool,
    /// The legs that take part, by the address of their leaf.
    pub candidates: Vec<(IpAddr, LagId)>,
    /// The leg that forwards.
    pub forwarder: Option<LagId>,
}

/// The elections of an Ethernet segment for one VLAN of each leaf's: one view a leg that is up.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Election {
    /// Each leg with what it sees.
    pub views: Vec<(LagId, ElectionView)>,
}

impl Election {
    /// The legs that take themselves for the forwarder: one, if all is well.
    pub fn forwarders(&self) -> Vec<LagId> {
        let own = self.views.iter().filter(|(leg, view)| view.forwarder == Some(*leg));
        own.map(|(leg, _)| *leg).collect()
    }
}

/// What an election depends on.
pub(in crate::behaviour) struct Elector<'a> {
    pub(in crate::behaviour) lags: &'a Pages<LagId, LagOutcome>,
    pub(in crate::behaviour) bgp: &'a Bgp,
}

impl Elector<'_> {
    /// Elects for each segment on each single-active leg.
    pub(in crate::behaviour) fn closed(&self, fabric: &Fabric) -> Closed {
        let mut closed = Closed::default();
        for (id, es) in fabric.ethernet_segments() {
            let single = es.legs.iter().copied().filter(|&leg| {
                let leg = fabric.lag(leg);
                leg.ethernet_segment_mode.value == EthernetSegmentMode::SingleActive
            });
            for leg in single {
                let made = fabric.lag(leg);
                for &presence in fabric.presences_on(made.device) {
                    let here = fabric.presence(presence);
                    let Some(vlan) = here.vlan.filter(|_| here.vni.is_some()) else { continue };
                    let untagged = made.untagged.is_some_and(|own| own.value == vlan.value);
                    if !untagged && !made.tagged.value.contains(vlan.value) {
                        continue;
                    }
                    let election =
                        self.election(fabric, id, |leg| elects_by(fabric, here.segment, leg));
                    if !election.forwarders().contains(&leg) {
                        closed.0.insert((leg, vlan.value));
                    }
                }
            }
        }
        closed
    }

    pub(super) fn election(
        &self,
        fabric: &Fabric,
        segment: EthernetSegmentId,
        vlan: impl Fn(LagId) -> Option<VlanId>,
    ) -> Election {
        let es = fabric.ethernet_segment(segment);
        let up: Vec<LagId> = es
            .legs
            .iter()
            .copied()
            .filter(|&leg| self.lags[leg].up && address(fabric, leg).is_some())
            .collect();
        let views = up.iter().filter_map(|&leg| {
            let vlan = vlan(leg)?;
            Some((leg, self.view(fabric, &es.id, &up, leg, vlan)))
        });
        Election { views: views.collect() }
    }

    fn view(
        &self,
        fabric: &Fabric,
        esi: &Esi,
        up: &[LagId],
        at: LagId,
        vlan: VlanId,
    ) -> ElectionView {
        let router = |leg: LagId| fabric.devices[fabric.lag(leg).device].router;
        // A leaf knows of the others by their type 4 routes.
        let known = |&leg: &LagId| {
            leg == at
                || matches!((router(leg), router(at)), (Some(origin), Some(here))
                    if self.bgp.verdict(fabric, Family::Evpn, origin, here).is_some_and(|v| v.communities))
        };
        let mut candidates: Vec<(IpAddr, LagId)> = up
            .iter()
            .copied()
            .filter(known)
            .filter_map(|leg| Some((address(fabric, leg)?, leg)))
            .collect();
        candidates.sort_unstable();
        let overlay = |leg: LagId| fabric.overlay_of(fabric.lag(leg).device);
        let methods =
            candidates.iter().filter_map(|&(_, leg)| overlay(leg).map(|o| o.election.value));
        let mut methods: Vec<DfElection> = methods.collect();
        methods.sort_unstable();
        methods.dedup();
        let fell_back = methods.len() > 1;
        let method = match methods[..] {
            [one] => one,
            _ => DfElection::Modulus,
        };
        let chosen = match method {
            DfElection::Modulus => modulus(&candidates, vlan),
            DfElection::Hrw => candidates.iter().max_by_key(|(address, _)| {
                // Of two of one weight the lower address is chosen (RFC 8584 section 3.2).
                (weight(vlan, esi, *address), std::cmp::Reverse(*address))
            }),
            DfElection::Preference => candidates.iter().max_by_key(|(address, leg)| {
                // Of two of one preference the lower address is chosen (RFC 9785 section 4.1).
                (preference(fabric, *leg), std::cmp::Reverse(*address))
            }),
        };
        let forwarder = chosen.map(|(_, leg)| *leg);
        ElectionView { method, fell_back, candidates, forwarder }
    }
}

/// The VLAN that a leaf elects by for a segment on its leg: its own there, or of a VLAN-aware bundle the lowest
/// that the leg carries (RFC 7432 section 8.5).
pub(crate) fn elects_by(fabric: &Fabric, segment: SegmentId, leg: LagId) -> Option<VlanId> {
    let made = fabric.lag(leg);
    let own = |segment: SegmentId| {
        let at = fabric.presence_of(segment, made.device)?;
        fabric.presence(at).vlan.map(|vlan| vlan.value)
    };
    let vlan = own(segment)?;
    match fabric.segment(segment).evi {
        None => Some(vlan),
        Some(evi) => {
            let all = fabric.evi(evi).segments.iter().filter_map(|segment| own(segment.value));
            all.filter(|&vlan| made.carries(vlan)).min().or(Some(vlan))
        }
    }
}

/// The preference of a leg: its own, else that of its leaf.
fn preference(fabric: &Fabric, leg: LagId) -> Option<Preference> {
    let leg = fabric.lag(leg);
    let of_leaf = || fabric.overlay_of(leg.device).map(|overlay| overlay.preference);
    leg.ethernet_segment_preference.or_else(of_leaf).map(|preference| preference.value)
}

fn address(fabric: &Fabric, leg: LagId) -> Option<IpAddr> {
    fabric.vtep_of(fabric.lag(leg).device).map(|vtep| vtep.value)
}

/// RFC 7432 section 8.5: of N leaves in the order of their addresses, the one at the place V mod N.
fn modulus(candidates: &[(IpAddr, LagId)], vlan: VlanId) -> Option<&(IpAddr, LagId)> {
    let count = u32::try_from(candidates.len()).ok().filter(|&count| count > 0)?;
    candidates.get((vlan.get() % count) as usize)
}

/// The weight of a leaf (RFC 8584 section 3.2): Wrand of the CRC-32 of Ethernet tag and ESI, and the low 31
/// bits of the address.
pub(super) fn weight(vlan: VlanId, esi: &Esi, address: IpAddr) -> u32 {
    const MODULUS: u64 = 1 << 31;
    let mut octets = [0; 14];
    octets[..4].copy_from_slice(&vlan.get().to_be_bytes());
    octets[4..].copy_from_slice(&esi.octets());
    let digest = u64::from(crc32(&octets)) % MODULUS;
    let low = match address {
        IpAddr::V4(address) => u64::from(u32::from(address)) % MODULUS,
        IpAddr::V6(address) => {
            u64::try_from(u128::from(address) % u128::from(MODULUS)).unwrap_or(0)
        }
    };
    let step = |value: u64| (1_103_515_245 * value + 12_345) % MODULUS;
    u32::try_from(step(step(low) ^ digest)).unwrap_or(0)
}

/// The CRC-32 of Ethernet frames (IEEE 802.3 clause 3.2.9).
fn crc32(octets: &[u8]) -> u32 {
    let fed = octets.iter().fold(u32::MAX, |crc, octet| {
        (0..8).fold(crc ^ u32::from(*octet), |crc, _| {
            if crc & 1 == 1 { (crc >> 1) ^ 0xedb8_8320 } else { crc >> 1 }
        })
    });
    !fed
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_checksum_is_that_of_frames() {
        // The check value of CRC-32 as catalogues of checksums give it.
        assert_eq!(crc32(b"123456789"), 0xcbf4_3926);
    }
}
