use std::fmt;
use std::net::IpAddr;
use std::str::FromStr;

use ipnet::IpNet;

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
    /// Whether the address is inside the prefix.
    pub fn contains(&self, address: IpAddr) -> bool {
        self.0.contains(&address)
    }
}

impl IpPrefix {
    /// The address at so many places after the prefix's own, if it is inside and, in IPv4, not
    /// the one for broadcasts.
    pub fn nth(&self, number: u32) -> Option<IpAddr> {
        let address = match self.0.network() {
            IpAddr::V4(base) => IpAddr::V4(u32::from(base).checked_add(number)?.into()),
            IpAddr::V6(base) => IpAddr::V6(u128::from(base).checked_add(number.into())?.into()),
        };
        let broadcast =
            address.is_ipv4() && self.0.prefix_len() < 31 && address == self.0.broadcast();
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
