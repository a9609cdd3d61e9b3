//! By what things are spread over equal ways. No standard says how; what counts is that one flow keeps one
//! way (IEEE 802.1AX clause 6.2.4, RFC 2992), and that the choice is the same in every run.

use std::net::IpAddr;

use crate::value::MacAddr;

/// FNV-1a with a last mixing, so that few bits spread well.
#[derive(Clone, Copy)]
pub(crate) struct Hash(u32);

impl Hash {
    pub(crate) fn new() -> Self {
        Self(0x811c_9dc5)
    }

    pub(crate) fn add(mut self, octets: &[u8]) -> Self {
        for octet in octets {
            self.0 = (self.0 ^ u32::from(*octet)).wrapping_mul(0x0100_0193);
        }
        self
    }

    pub(crate) fn address(self, address: IpAddr) -> Self {
        match address {
            IpAddr::V4(address) => self.add(&address.octets()),
            IpAddr::V6(address) => self.add(&address.octets()),
        }
    }

    pub(crate) fn finish(self) -> u32 {
        let mut value = self.0;
        value ^= value >> 16;
        value = value.wrapping_mul(0x7feb_352d);
        value ^= value >> 15;
        value = value.wrapping_mul(0x846c_a68b);
        value ^ (value >> 16)
    }
}

/// A number for a name.
pub(crate) fn by_name(name: &str) -> u32 {
    Hash::new().add(name.as_bytes()).finish()
}

/// A number for a MAC address.
pub(crate) fn by_mac(mac: MacAddr) -> u32 {
    Hash::new().add(&mac.octets()).finish()
}
