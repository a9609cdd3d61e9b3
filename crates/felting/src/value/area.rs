use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use smol_str::SmolStr;

use super::NotA;

/// An area of a routing protocol: of OSPF a number, also written as an address (`0.0.0.10` is 10); of
/// IS-IS an area address in hexadecimal digits with dots (`49.0001`).
///
/// Source: RFC 2328 section C.2; ISO/IEC 10589 clause 7.1.
///
/// ```
/// use felting::value::Area;
/// assert_eq!("0.0.0.10".parse::<Area>(), "10".parse());
/// assert_ne!("49.0001".parse::<Area>(), "49.0002".parse());
/// assert!("hall".parse::<Area>().is_err());
/// ```
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Area(SmolStr);

impl Area {
    /// OSPF's backbone, to which all other areas attach.
    pub fn backbone() -> Self {
        Self(SmolStr::new_static("0"))
    }
}

impl From<u32> for Area {
    fn from(number: u32) -> Self {
        Self(smol_str::format_smolstr!("{number}"))
    }
}

impl FromStr for Area {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let digits = text.bytes().filter(u8::is_ascii_hexdigit).count();
        let dotted = text.split('.').all(|part| !part.is_empty())
            && text.bytes().all(|b| b.is_ascii_hexdigit() || b == b'.');
        match text.parse::<Ipv4Addr>() {
            Ok(address) => Ok(u32::from(address).into()),
            Err(_) => match text.parse::<u32>() {
                Ok(number) if !text.starts_with('+') => Ok(number.into()),
                // An area address has one to thirteen octets.
                _ if dotted && digits % 2 == 0 && (2..=26).contains(&digits) => {
                    Ok(Self(SmolStr::new(text.to_ascii_lowercase())))
                }
                _ => Err(NotA("an area: a number such as 0, an address such as \"0.0.0.10\", or for IS-IS \"49.0001\"".to_owned())),
            },
        }
    }
}

impl fmt::Display for Area {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<Area> for toml::Value {
    fn from(value: Area) -> Self {
        Self::String(value.0.into())
    }
}
