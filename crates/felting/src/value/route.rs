use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use super::{Asn, NotA, Vni};

/// Who gave out a route target or route distinguisher.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Administrator {
    /// An AS number of two octets, with a number of four.
    ShortAs(u16),
    /// An IPv4 address, with a number of two octets.
    Address(Ipv4Addr),
    /// An AS number of four octets, with a number of two.
    LongAs(u32),
}

/// The six octets that follow the type in a route target or distinguisher.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct Value {
    administrator: Administrator,
    number: u32,
}

impl Value {
    fn parse(text: &str) -> Option<Self> {
        let (administrator, number) = text.rsplit_once(':')?;
        let digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
        if !digits(number) {
            return None;
        }
        let number: u32 = number.parse().ok()?;
        let administrator = match administrator.parse::<Ipv4Addr>() {
            Ok(address) => Administrator::Address(address),
            Err(_) if !digits(administrator) => return None,
            Err(_) => match administrator.parse::<u32>().ok()? {
                0 => return None,
                short if u16::try_from(short).is_ok() => {
                    Administrator::ShortAs(u16::try_from(short).ok()?)
                }
                long => Administrator::LongAs(long),
            },
        };
        Self::new(administrator, number)
    }

    fn new(administrator: Administrator, number: u32) -> Option<Self> {
        let fits =
            matches!(administrator, Administrator::ShortAs(_)) || u16::try_from(number).is_ok();
        fits.then_some(Self { administrator, number })
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.administrator {
            Administrator::ShortAs(number) => write!(f, "{number}:{}", self.number),
            Administrator::Address(address) => write!(f, "{address}:{}", self.number),
            Administrator::LongAs(number) => write!(f, "{number}:{}", self.number),
        }
    }
}

/// One row a type around [`Value`].
macro_rules! communities {
    ($($(#[$doc:meta])* $name:ident, $what:literal;)+) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(Value);

        impl FromStr for $name {
            type Err = NotA;
            fn from_str(text: &str) -> Result<Self, NotA> {
                Value::parse(text).map(Self).ok_or_else(|| NotA($what.to_owned()))
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl From<$name> for toml::Value {
            fn from(value: $name) -> Self {
                Self::String(value.to_string())
            }
        }
    )+};
}

communities! {
    /// A route target: which routes belong to which VRFs and segments.
    ///
    /// An AS number of up to 65535 takes a number of four octets (type 0), a larger one and an IPv4
    /// address a number of two (types 2 and 1).
    ///
    /// Source: RFC 4360 section 4, RFC 5668 section 2.
    ///
    /// ```
    /// use felting::value::RouteTarget;
    /// assert!("42041:23310".parse::<RouteTarget>().is_ok());
    /// assert!("4204100011:310".parse::<RouteTarget>().is_ok());
    /// // No room for the number beside an AS number of four octets.
    /// assert!("4204100011:70000".parse::<RouteTarget>().is_err());
    /// ```
    RouteTarget, "a route target such as \"42041:23310\": an AS number or IPv4 address, a colon, a number that fits beside it";

    /// A route distinguisher: makes the routes of different VRFs and leaves different.
    ///
    /// Source: RFC 4364 section 4.2.
    RouteDistinguisher, "a route distinguisher such as \"10.64.8.11:310\": an AS number or IPv4 address, a colon, a number that fits beside it";
}

impl RouteTarget {
    /// The target that RFC 8365 section 5.1.2.1 derives for a VNI: the AS number, and a local part
    /// with a clear first bit, the type VXLAN (1), the domain 0 and the VNI. There is none for an AS
    /// number of four octets.
    ///
    /// ```
    /// use felting::value::{Asn, RouteTarget, Vni};
    /// let vni = Vni::new(23_310).unwrap();
    /// let target = RouteTarget::derived(Asn::new(64_900).unwrap(), vni).unwrap();
    /// assert_eq!(target.to_string(), "64900:268458766");
    /// assert!(RouteTarget::derived(Asn::new(4_204_100_000).unwrap(), vni).is_none());
    /// ```
    pub fn derived(asn: Asn, vni: Vni) -> Option<Self> {
        let short = u16::try_from(asn.get()).ok()?;
        Some(Self::short(short, (1 << 28) | vni.get()))
    }

    /// The target of the low 16 bits of an AS number and a VNI, as much equipment derives it. No
    /// standard has it. None where those bits are zero.
    pub fn as_and_vni(asn: Asn, vni: Vni) -> Option<Self> {
        let low = u16::try_from(asn.get() & 0xffff).ok()?;
        (low != 0).then(|| Self::short(low, vni.get()))
    }

    fn short(administrator: u16, number: u32) -> Self {
        Self(Value { administrator: Administrator::ShortAs(administrator), number })
    }

    /// The number without its administrator.
    pub fn number(&self) -> u32 {
        self.0.number
    }
}

impl RouteDistinguisher {
    /// A distinguisher of type 1: a router id and a number (RFC 7432 section 7.9).
    pub fn of_router(router: Ipv4Addr, number: u16) -> Self {
        Self(Value { administrator: Administrator::Address(router), number: number.into() })
    }

    /// The router id in it, if it is of type 1.
    pub fn router(&self) -> Option<Ipv4Addr> {
        match self.0.administrator {
            Administrator::Address(address) => Some(address),
            _ => None,
        }
    }
}

/// How a route target is written for all VNIs: `42041:{vni}`.
///
/// ```
/// use felting::value::{TargetPattern, Vni};
/// let pattern: TargetPattern = "42041:{vni}".parse().unwrap();
/// let target = pattern.target(Vni::new(23_310).unwrap()).unwrap();
/// assert_eq!(target.to_string(), "42041:23310");
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TargetPattern {
    text: String,
    administrator: Administrator,
    /// Digits before the VNI, as in `42041:1{vni}`.
    digits: String,
}

impl TargetPattern {
    const PLACE: &'static str = "{vni}";

    /// The target for a VNI; none if the VNI does not fit beside the administrator.
    pub fn target(&self, vni: Vni) -> Option<RouteTarget> {
        let number = match self.digits.is_empty() {
            true => vni.get(),
            false => format!("{}{vni}", self.digits).parse().ok()?,
        };
        Value::new(self.administrator, number).map(RouteTarget)
    }
}

impl FromStr for TargetPattern {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let parts = text.strip_suffix(Self::PLACE).and_then(|before| {
            let first = Value::parse(&format!("{before}1"))?;
            Some((first.administrator, before.rsplit_once(':')?.1))
        });
        let Some((administrator, digits)) = parts else {
            let what = "a route target with {vni} for its number, such as \"42041:{vni}\"";
            return Err(NotA(what.to_owned()));
        };
        Ok(Self { text: text.to_owned(), administrator, digits: digits.to_owned() })
    }
}

impl fmt::Display for TargetPattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn targets_read_back_and_wrong_ones_are_refused() {
        for text in ["1:0", "65535:4294967295", "10.64.8.11:65535", "65536:65535"] {
            assert_eq!(text.parse::<RouteTarget>().unwrap().to_string(), text);
        }
        for text in
            ["", "1", "0:1", "65536:65536", "10.64.8.11:65536", "1:-1", "a:1", "1:1:1", "1:+1"]
        {
            assert!(text.parse::<RouteTarget>().is_err(), "{text}");
        }
    }

    #[test]
    fn patterns_leave_one_place_for_the_vni() {
        assert!("42041:{vni}".parse::<TargetPattern>().is_ok());
        assert!("42041:1".parse::<TargetPattern>().is_err());
        let narrow: TargetPattern = "10.64.8.1:{vni}".parse().unwrap();
        assert_eq!(narrow.target(Vni::new(70_000).unwrap()), None);
    }
}
