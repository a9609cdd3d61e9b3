use rustc_hash::FxHashMap;

use crate::fabric::{Arenas, EthernetSegment, EthernetSegmentId, LagId};
use crate::value::{Esi, EthernetSegmentIdentifier};

/// Joins the LAGs that name one Ethernet segment.
pub(super) fn join(fabric: &mut Arenas) {
    let mut known: FxHashMap<Esi, EthernetSegmentId> = FxHashMap::default();
    for lag in fabric.lags.ids() {
        let Some(written) = fabric.lags[lag].ethernet_segment else { continue };
        let id = match written.value {
            EthernetSegmentIdentifier::Written(id) => Some(id),
            EthernetSegmentIdentifier::FromLacp => from_lacp(fabric, lag),
        };
        // Without a partner there is nothing yet to make the identifier of.
        // A reserved one names no segment: that is a finding, and nothing hangs together by it.
        let Some(id) = id.filter(|id| !id.is_reserved()) else { continue };
        let segment = *known.entry(id).or_insert_with(|| {
            fabric.ethernet_segments.push(EthernetSegment { id, legs: Vec::new() })
        });
        fabric.ethernet_segments[segment].legs.push(lag);
        fabric.lags[lag].segment = Some(segment);
    }
}

/// RFC 7432 section 5, type 1: the system address and key that the partner's LACPDUs say.
fn from_lacp(fabric: &Arenas, lag: LagId) -> Option<Esi> {
    let partner = fabric.lags[lag].members.iter().find_map(|member| {
        let (_, far) = fabric.link(fabric.members[member].port.value)?;
        fabric.lag_of(far)
    })?;
    let device = &fabric.devices[fabric.lags[partner].device];
    let system = fabric.lags[partner].system.map_or(device.mac.value, |system| system.value);
    Some(Esi::from_lacp(system, fabric.lacp_key(partner)))
}
