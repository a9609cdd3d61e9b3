use std::fmt;
use std::str::FromStr;

use super::NotA;

/// The cookie of an L2TPv3 session, which a receiver compares with what came: 4 or 8 octets.
///
/// Source: RFC 3931 section 4.1.
///
/// ```
/// use felting::value::Cookie;
/// let cookie: Cookie = "c0a80001".parse().unwrap();
/// assert_eq!(cookie.octets(), [0xc0, 0xa8, 0x00, 0x01]);
/// assert!("c0a8".parse::<Cookie>().is_err());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Cookie {
    octets: [u8; 8],
    is_long: bool,
}

impl Cookie {
    /// Its octets, 4 or 8.
    pub fn octets(&self) -> &[u8] {
        if self.is_long { &self.octets } else { &self.octets[..4] }
    }
}

impl FromStr for Cookie {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || NotA("a cookie of 8 or 16 hexadecimal digits".to_owned());
        let is_hex = text.bytes().all(|byte| byte.is_ascii_hexdigit());
        if !is_hex || !matches!(text.len(), 8 | 16) {
            return Err(wrong());
        }
        let mut octets = [0; 8];
        for (place, octet) in octets.iter_mut().take(text.len() / 2).enumerate() {
            *octet =
                u8::from_str_radix(&text[2 * place..2 * place + 2], 16).map_err(|_| wrong())?;
        }
        Ok(Self { octets, is_long: text.len() == 16 })
    }
}

impl fmt::Display for Cookie {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.octets().iter().try_for_each(|octet| write!(f, "{octet:02x}"))
    }
}
