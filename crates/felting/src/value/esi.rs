use std::fmt;
use std::str::FromStr;

use super::{MacAddr, NotA};

/// An Ethernet segment identifier: ten octets, of which the first is the type.
///
/// Reads the ten octets with colons between them. Type 3 is also read as the system MAC address
/// and the local discriminator that it is made of: `02:46:00:00:00:0f/17`.
///
/// Source: RFC 7432 section 5.
///
/// ```
/// use felting::value::Esi;
/// let esi: Esi = "02:46:00:00:00:0f/17".parse()?;
/// assert_eq!(esi.to_string(), "03:02:46:00:00:00:0f:00:00:11");
/// assert!("00:11:22:33:44:55:66:77:88".parse::<Esi>().is_err());
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Esi([u8; 10]);

impl Esi {
    /// The ten octets, as they go over the wire.
    pub const fn octets(self) -> [u8; 10] {
        self.0
    }

    /// The type: 0 is written by hand, 1 follows from LACP, 3 from a MAC address.
    pub const fn kind(self) -> u8 {
        self.0[0]
    }

    /// Whether the value means something else: zero a single-homed site, all ones every segment.
    pub fn is_reserved(self) -> bool {
        // RFC 7432 section 5: "ESI 0 denotes a single-homed site", "MAX-ESI is reserved".
        self.0 == [0; 10] || self.0 == [0xff; 10]
    }

    /// A type 1 identifier: the LACP system MAC address and port key of the multihomed device.
    pub fn from_lacp(system: MacAddr, key: u16) -> Self {
        Self::of(1, system, [key.to_be_bytes()[0], key.to_be_bytes()[1], 0])
    }

    /// The MAC address inside: of types 1 and 3 the system's, of type 0 the six octets after the
    /// type made a local station address. It serves as LACP system address where none is set.
    pub fn system(self) -> MacAddr {
        let mut octets = [0; 6];
        octets.copy_from_slice(&self.0[1..7]);
        if self.kind() == 0 {
            octets[0] |= 0x02;
        }
        MacAddr::station(octets)
    }

    fn of(kind: u8, mac: MacAddr, rest: [u8; 3]) -> Self {
        let mut octets = [kind; 10];
        octets[1..7].copy_from_slice(&mac.octets());
        octets[7..].copy_from_slice(&rest);
        Self(octets)
    }
}

impl FromStr for Esi {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || {
            NotA::from(
                "an ESI of ten octets, such as \"00:11:22:33:44:55:66:77:88:99\", or a MAC address and a number, such as \"02:46:00:00:00:0f/17\"",
            )
        };
        if let Some((mac, discriminator)) = text.split_once('/') {
            let mac: MacAddr = mac.parse().map_err(|_| wrong())?;
            let number: u32 = discriminator.parse().map_err(|_| wrong())?;
            let [0, x, y, z] = number.to_be_bytes() else { return Err(wrong()) };
            return Ok(Self::of(3, mac, [x, y, z]));
        }
        let mut octets = [0; 10];
        let mut parts = text.split(':');
        for octet in &mut octets {
            let part = parts.next().filter(|part| part.len() == 2).ok_or_else(wrong)?;
            let digits = part.bytes().all(|byte| byte.is_ascii_hexdigit());
            *octet = u8::from_str_radix(part, 16).ok().filter(|_| digits).ok_or_else(wrong)?;
        }
        match parts.next() {
            None => Ok(Self(octets)),
            Some(_) => Err(wrong()),
        }
    }
}

impl fmt::Display for Esi {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, octet) in self.0.iter().enumerate() {
            let colon = if index == 0 { "" } else { ":" };
            write!(f, "{colon}{octet:02x}")?;
        }
        Ok(())
    }
}

/// Which Ethernet segment a LAG belongs to, as it is written: an ESI, or `lacp` for the type 1
/// identifier that follows from the partner's LACP system and key.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum EthernetSegmentIdentifier {
    /// Written in full.
    Written(Esi),
    /// Made of what the partner says in LACP (RFC 7432 section 5, type 1).
    FromLacp,
}

impl FromStr for EthernetSegmentIdentifier {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        match text {
            "lacp" => Ok(Self::FromLacp),
            _ => text.parse().map(Self::Written),
        }
    }
}

impl fmt::Display for EthernetSegmentIdentifier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Written(esi) => esi.fmt(f),
            Self::FromLacp => f.write_str("lacp"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings() {
        for (text, read) in [
            ("00:11:22:33:44:55:66:77:88:99", true),
            ("00:11:22:33:44:55:66:77:88", false),
            ("00:11:22:33:44:55:66:77:88:99:aa", false),
            ("00:11:22:33:44:55:66:77:88:+9", false),
            ("02:46:00:00:00:0f/16777215", true),
            ("02:46:00:00:00:0f/16777216", false),
        ] {
            assert_eq!(text.parse::<Esi>().is_ok(), read, "{text}");
        }
    }

    #[test]
    fn systems_are_addresses_of_one_station() {
        let esi: Esi = "00:11:22:33:44:55:66:77:88:99".parse().unwrap();
        assert_eq!(esi.system().to_string(), "12:22:33:44:55:66");
        let lacp = Esi::from_lacp("02:46:00:00:00:0f".parse().unwrap(), 101);
        assert_eq!(lacp.to_string(), "01:02:46:00:00:00:0f:00:65:00");
    }
}
