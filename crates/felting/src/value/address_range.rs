use std::fmt;
use std::net::IpAddr;
use std::str::FromStr;

use super::NotA;

/// Addresses of one family from a first to a last, both among them, such as
/// `10.80.31.100-10.80.31.199`; one address stands for itself.
///
/// ```
/// use felting::value::AddressRange;
/// let range: AddressRange = "10.80.31.100-10.80.31.199".parse()?;
/// assert!(range.contains("10.80.31.150".parse().unwrap()));
/// assert!("10.80.31.2-10.80.31.1".parse::<AddressRange>().is_err());
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct AddressRange {
    first: IpAddr,
    last: IpAddr,
}

impl AddressRange {
    /// The first address.
    pub fn first(&self) -> IpAddr {
        self.first
    }

    /// The last address.
    pub fn last(&self) -> IpAddr {
        self.last
    }

    /// Whether an address is one of them.
    pub fn contains(&self, address: IpAddr) -> bool {
        address.is_ipv4() == self.first.is_ipv4() && self.first <= address && address <= self.last
    }
}

impl FromStr for AddressRange {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || {
            NotA::from(
                "a range of addresses of one family, the lower first, such as \
                 \"10.80.31.100-10.80.31.199\"",
            )
        };
        let (first, last) = text.split_once('-').unwrap_or((text, text));
        let parse = |text: &str| text.trim().parse::<IpAddr>().map_err(|_| wrong());
        let (first, last) = (parse(first)?, parse(last)?);
        match first.is_ipv4() == last.is_ipv4() && first <= last {
            true => Ok(Self { first, last }),
            false => Err(wrong()),
        }
    }
}

impl fmt::Display for AddressRange {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.first == self.last {
            true => self.first.fmt(f),
            false => write!(f, "{}-{}", self.first, self.last),
        }
    }
}
