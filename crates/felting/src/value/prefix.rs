use std::fmt;
use std::net::IpAddr;
use std::str::FromStr;

use ipnet::IpNet;

use super::Family;

/// An IPv4 or IPv6 prefix without host bits, such as `10.80.31.0/24` or `2001:db8:80::/64`.
///
/// ```
/// use felting::value::{IpPrefix, PrefixError};
/// assert!("10.80.31.0/24".parse::<IpPrefix>().is_ok());
/// let wrong = "10.80.31.1/24".parse::<IpPrefix>();
/// assert_eq!(wrong, Err(PrefixError::HostBits("10.80.31.0/24".parse()?)));
/// # Ok::<(), PrefixError>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct IpPrefix(IpNet);

/// Why a text is no [`IpPrefix`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum PrefixError {
    /// Not an address, a slash and a length that fits it.
    Malformed,
    /// An address inside a prefix, where the prefix is due; here is the prefix.
    HostBits(IpPrefix),
}

impl fmt::Display for PrefixError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Malformed => f.write_str("a prefix such as \"10.80.31.0/24\""),
            Self::HostBits(prefix) => write!(f, "a prefix without host bits: \"{prefix}\""),
        }
    }
}

impl std::error::Error for PrefixError {}

impl IpPrefix {
    /// The prefix of one address.
    pub fn host(address: IpAddr) -> Self {
        Self(address.into())
    }

    /// The family of routes to the prefix.
    pub fn family(&self) -> Family {
        if self.address().is_ipv4() { Family::Ipv4 } else { Family::Ipv6 }
    }

    /// Whether the address is inside the prefix.
    pub fn contains(&self, address: IpAddr) -> bool {
        self.0.contains(&address)
    }

    /// Whether an address of the prefix is no host's: in IPv4 the first stands for the subnet itself and the last is its
    /// broadcast (RFC 1122 section 3.2.1.3), but for prefixes of two addresses (RFC 3021) and of one; in IPv6 the first is
    /// the anycast address of its routers (RFC 4291 section 2.6.1), but for prefixes of two (RFC 6164).
    pub fn is_reserved(&self, address: IpAddr) -> bool {
        let (first, last) = (self.0.network(), self.0.broadcast());
        match address.is_ipv4() {
            true => self.0.prefix_len() < 31 && (address == first || address == last),
            false => self.0.prefix_len() < 127 && address == first,
        }
    }

    /// Whether the two have an address in common.
    pub fn overlaps(&self, other: &Self) -> bool {
        self.0.contains(&other.0) || other.0.contains(&self.0)
    }

    /// Whether every address of the other is in this one.
    pub fn covers(&self, other: &Self) -> bool {
        self.0.contains(&other.0)
    }

    /// The prefix of that length that holds this one; itself if it is no longer.
    pub fn shortened(&self, length: u8) -> Self {
        let length = length.min(self.0.prefix_len());
        let net = IpNet::new(self.0.network(), length).expect("not longer than one that fits");
        Self(net.trunc())
    }

    /// The first address.
    pub fn address(&self) -> IpAddr {
        self.0.network()
    }

    /// How many bits are fixed.
    pub fn length(&self) -> u8 {
        self.0.prefix_len()
    }

    /// Whether it is the default route's.
    pub fn is_default(&self) -> bool {
        self.0.prefix_len() == 0
    }

    /// The two ends of the link at a place: of an IPv4 prefix a /31 (RFC 3021), of an IPv6 one a
    /// /127 (RFC 6164); none where the prefix has no such place.
    ///
    /// ```
    /// use felting::value::IpPrefix;
    /// let pool: IpPrefix = "10.64.0.0/22".parse()?;
    /// let [even, odd] = pool.link(3).unwrap();
    /// assert_eq!((even.to_string(), odd.to_string()), ("10.64.0.6/31".into(), "10.64.0.7/31".into()));
    /// assert_eq!(pool.link(512), None);
    /// # Ok::<(), felting::value::PrefixError>(())
    /// ```
    pub fn link(&self, place: u32) -> Option<[IpInterface; 2]> {
        let ends = match self.0.network() {
            IpAddr::V4(base) => {
                let even = u32::from(base).checked_add(place.checked_mul(2)?)?;
                [even, even.checked_add(1)?].map(|bits| IpAddr::V4(bits.into()))
            }
            IpAddr::V6(base) => {
                let even = u128::from(base).checked_add(u128::from(place) * 2)?;
                [even, even.checked_add(1)?].map(|bits| IpAddr::V6(bits.into()))
            }
        };
        let length = if ends[0].is_ipv4() { 31 } else { 127 };
        ends.iter().all(|&end| self.contains(end)).then(|| {
            ends.map(|end| {
                IpInterface(IpNet::new(end, length).expect("the length fits the family"))
            })
        })
    }

    /// The address at so many places after the prefix's own, if it is inside and, in IPv4, not
    /// the one for broadcasts.
    pub fn nth(&self, number: u32) -> Option<IpAddr> {
        let address = match self.0.network() {
            IpAddr::V4(base) => IpAddr::V4(u32::from(base).checked_add(number)?.into()),
            IpAddr::V6(base) => IpAddr::V6(u128::from(base).checked_add(number.into())?.into()),
        };
        let broadcast =
            address.is_ipv4() && self.is_reserved(address) && address != self.0.network();
        (self.contains(address) && !broadcast).then_some(address)
    }
}

/// An address of a port with the length of its subnet's prefix, such as `10.64.0.1/31`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct IpInterface(IpNet);

impl IpInterface {
    /// The address.
    pub fn address(&self) -> IpAddr {
        self.0.addr()
    }

    /// The address of a subnet, with the subnet's length.
    pub fn of(address: IpAddr, subnet: &IpPrefix) -> Option<Self> {
        IpNet::new(address, subnet.length()).ok().map(Self)
    }

    /// The subnet that it is in.
    pub fn subnet(&self) -> IpPrefix {
        IpPrefix(self.0.trunc())
    }
}

impl FromStr for IpInterface {
    type Err = PrefixError;

    fn from_str(text: &str) -> Result<Self, PrefixError> {
        text.parse().map(Self).map_err(|_| PrefixError::Malformed)
    }
}

impl fmt::Display for IpInterface {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl FromStr for IpPrefix {
    type Err = PrefixError;

    fn from_str(text: &str) -> Result<Self, PrefixError> {
        let net: IpNet = text.parse().map_err(|_| PrefixError::Malformed)?;
        match net.trunc() {
            prefix if prefix == net => Ok(Self(net)),
            prefix => Err(PrefixError::HostBits(Self(prefix))),
        }
    }
}

impl fmt::Display for IpPrefix {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// A loopback's address; without a prefix length it stands for itself alone.
///
/// ```
/// use felting::value::Loopback;
/// let loopback: Loopback = "10.64.8.11".parse()?;
/// assert!(loopback.is_host());
/// assert!(!"10.64.8.11/24".parse::<Loopback>()?.is_host());
/// # Ok::<(), felting::value::PrefixError>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Loopback(IpNet);

impl Loopback {
    /// The address.
    pub fn address(&self) -> IpAddr {
        self.0.addr()
    }

    /// The prefix that is advertised for it.
    pub fn prefix(&self) -> IpPrefix {
        IpPrefix(self.0.trunc())
    }

    /// Whether the prefix is the one address.
    pub fn is_host(&self) -> bool {
        self.0.prefix_len() == self.0.max_prefix_len()
    }
}

impl From<IpAddr> for Loopback {
    fn from(address: IpAddr) -> Self {
        Self(address.into())
    }
}

impl FromStr for Loopback {
    type Err = PrefixError;

    fn from_str(text: &str) -> Result<Self, PrefixError> {
        match text.parse::<IpAddr>() {
            Ok(address) => Ok(address.into()),
            Err(_) => text.parse().map(Self).map_err(|_| PrefixError::Malformed),
        }
    }
}

impl fmt::Display for Loopback {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.is_host() {
            true => self.address().fmt(f),
            false => self.0.fmt(f),
        }
    }
}
