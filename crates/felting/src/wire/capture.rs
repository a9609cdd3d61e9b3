use std::borrow::Cow;
use std::time::Duration;

use pcap_file::DataLink;
use pcap_file::pcapng::PcapNgWriter;
use pcap_file::pcapng::blocks::enhanced_packet::EnhancedPacketBlock;
use pcap_file::pcapng::blocks::interface_description::{
    InterfaceDescriptionBlock, InterfaceDescriptionOption,
};
use rustc_hash::FxHashMap;

use super::frame::{OuterChecksum, frame};
use crate::fabric::{Fabric, PortId};
use crate::walk::{Exit, Walk, Way};

/// When the first frame of a capture passes, in seconds since 1970: the same in every run, as nothing
/// happened at any real time.
const START: u64 = 1_795_564_800;
/// How long a frame takes from one tap to the next.
const STEP: Duration = Duration::from_micros(10);

/// What a tap on each link of a walk's way sees, as a pcapng file: one interface a tap, named after the
/// port that first sends there; first the questions for MAC addresses and their answers, then the echo
/// and its reply.
///
/// Source: the pcapng format, IETF draft-ietf-opsawg-pcapng.
pub fn capture(fabric: &Fabric, walk: &Walk, checksum: OuterChecksum) -> Vec<u8> {
    let resolved =
        walk.resolutions.iter().flat_map(|one| std::iter::once(&one.request).chain(&one.reply));
    let paths: Vec<&Way> = resolved.chain(walk.paths()).collect();
    let mut taps: FxHashMap<(PortId, PortId), u32> = FxHashMap::default();
    let mut interfaces: Vec<(PortId, PortId)> = Vec::new();
    let exits =
        |path: &'_ Way| path.hops.iter().flat_map(|hop| hop.exits.clone()).collect::<Vec<Exit>>();
    let mut frames: Vec<(u32, Vec<u8>)> = Vec::new();
    for exit in paths.into_iter().flat_map(exits) {
        let ends = (exit.port.min(exit.into), exit.port.max(exit.into));
        let next = u32::try_from(interfaces.len()).unwrap_or(u32::MAX);
        let tap = *taps.entry(ends).or_insert(next);
        if tap == next {
            interfaces.push((exit.port, exit.into));
        }
        frames.push((tap, frame(&exit.headers, walk.size, checksum)));
    }
    let written = write(fabric, &interfaces, &frames);
    // Writing to a vector cannot fail.
    written.unwrap_or_default()
}

fn write(
    fabric: &Fabric,
    interfaces: &[(PortId, PortId)],
    frames: &[(u32, Vec<u8>)],
) -> Result<Vec<u8>, pcap_file::PcapError> {
    let mut writer = PcapNgWriter::new(Vec::new())?;
    for &(near, far) in interfaces {
        let name = fabric.port_label(near);
        let about = format!("{name} -- {}", fabric.port_label(far));
        writer.write_pcapng_block(InterfaceDescriptionBlock {
            linktype: DataLink::ETHERNET,
            snaplen: 0,
            options: vec![
                InterfaceDescriptionOption::IfName(Cow::Owned(name)),
                InterfaceDescriptionOption::IfDescription(Cow::Owned(about)),
                // Nanoseconds, which is what the writer counts in.
                InterfaceDescriptionOption::IfTsResol(9),
            ],
        })?;
    }
    for ((tap, bytes), place) in frames.iter().zip(0_u32..) {
        writer.write_pcapng_block(EnhancedPacketBlock {
            interface_id: *tap,
            timestamp: Duration::from_secs(START) + STEP * place,
            original_len: u32::try_from(bytes.len()).unwrap_or(u32::MAX),
            data: Cow::Borrowed(bytes),
            options: Vec::new(),
        })?;
    }
    Ok(writer.into_inner())
}
