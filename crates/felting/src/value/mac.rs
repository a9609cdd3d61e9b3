use std::fmt;
use std::str::FromStr;

use super::NotA;

/// A MAC address of one station: 48 bits, neither all zero nor a group address.
///
/// Reads `02:46:45:00:00:0b`, `02-46-45-00-00-0b` and `0246.4500.000b`; prints the first form.
///
/// Source: IEEE 802 clause 8.
///
/// ```
/// use felting::value::MacAddr;
/// let mac: MacAddr = "0246.4500.000B".parse()?;
/// assert_eq!(mac.to_string(), "02:46:45:00:00:0b");
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct MacAddr([u8; 6]);

impl MacAddr {
    /// The six bytes, as they go over the wire.
    pub const fn octets(self) -> [u8; 6] {
        self.0
    }

    /// An address from octets that may be none of one station: the group bit is cleared, and zero
    /// becomes the last octet one.
    pub(crate) fn station(mut octets: [u8; 6]) -> Self {
        octets[0] &= !1;
        if octets == [0; 6] {
            octets[5] = 1;
        }
        Self(octets)
    }

    /// The address of a virtual router (RFC 9568 section 7.3): one for IPv4, another for IPv6.
    pub(crate) const fn of_virtual_router(id: u32, six: bool) -> Self {
        Self([0x00, 0x00, 0x5e, 0x00, if six { 0x02 } else { 0x01 }, id.to_be_bytes()[3]])
    }

    /// A locally administered address out of one of Felting's own blocks.
    pub(crate) fn allotted(block: u8, low: u32) -> Self {
        let [a, b, c, d] = low.to_be_bytes();
        // The locally administered bit (IEEE 802 clause 8.2) keeps these apart from any maker's.
        Self([0x02 | (block << 4), 0x46, a, b, c, d])
    }
}

impl FromStr for MacAddr {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || NotA::from("a MAC address such as \"02:46:45:00:00:0b\"");
        let (separator, width) = match text.len() {
            17 => (text.as_bytes()[2], 2),
            14 => (text.as_bytes()[4], 4),
            _ => return Err(wrong()),
        };
        if !(matches!((separator, width), (b':' | b'-', 2) | (b'.', 4)) && text.is_ascii()) {
            return Err(wrong());
        }
        let mut bytes = [0; 6];
        let mut filled = 0;
        for part in text.split(char::from(separator)) {
            if part.len() != width {
                return Err(wrong());
            }
            for at in (0..width).step_by(2) {
                let byte = u8::from_str_radix(&part[at..at + 2], 16).map_err(|_| wrong())?;
                *bytes.get_mut(filled).ok_or_else(wrong)? = byte;
                filled += 1;
            }
        }
        if text.contains('+') || bytes[0] & 1 == 1 || bytes == [0; 6] {
            return Err(NotA::from("the MAC address of one station: not zero, no group address"));
        }
        Ok(Self(bytes))
    }
}

impl fmt::Display for MacAddr {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, byte) in self.0.iter().enumerate() {
            let colon = if index == 0 { "" } else { ":" };
            write!(f, "{colon}{byte:02x}")?;
        }
        Ok(())
    }
}

impl From<MacAddr> for toml::Value {
    fn from(mac: MacAddr) -> Self {
        Self::String(mac.to_string())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings() {
        for (text, read) in [
            ("02-46-45-00-00-0b", true),
            ("02:46:45:00:00:0b", true),
            ("02:46:45:00:00", false),
            ("02:46:45:00:00:0b:0c", false),
            ("01:00:5e:00:00:01", false),
            ("00:00:00:00:00:00", false),
            ("02:46-45:00:00:0b", false),
            ("+2:46:45:00:00:0b", false),
            ("0246.4500.00é", false),
        ] {
            assert_eq!(text.parse::<MacAddr>().is_ok(), read, "{text}");
        }
    }
}
