use std::fmt;

use super::OutOfRange;

/// A bridge's priority in the spanning tree: 0 to 61440 in steps of 4096, the lower the better.
///
/// Source: IEEE 802.1Q clause 14.2.5 and table 13-3.
///
/// ```
/// use felting::value::BridgePriority;
/// assert!(BridgePriority::new(4096).is_ok());
/// assert!(BridgePriority::new(4097).is_err());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct BridgePriority(u32);

/// A port's priority in the spanning tree: 0 to 240 in steps of 16, the lower the better.
///
/// Source: IEEE 802.1Q clause 14.2.7 and table 13-3.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TreePortPriority(u32);

/// One row a stepped number.
macro_rules! stepped {
    ($($name:ident, $what:literal, $max:literal, $step:literal, $default:literal;)+) => {$(
        impl $name {
            /// The smallest value.
            pub const MIN: u32 = 0;
            /// The largest value.
            pub const MAX: u32 = $max;
            /// What a value is, with its article.
            pub const WHAT: &'static str = $what;
            /// The value that the standard recommends (IEEE 802.1Q table 13-3).
            pub const DEFAULT: Self = Self($default);

            /// The value, if it is a multiple of the step within the bounds.
            pub const fn new(value: u32) -> Result<Self, OutOfRange> {
                if value <= $max && value % $step == 0 {
                    Ok(Self(value))
                } else {
                    Err(OutOfRange { what: $what, min: 0, max: $max })
                }
            }

            /// The value as a plain number.
            pub const fn get(self) -> u32 {
                self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl From<$name> for toml::Value {
            fn from(value: $name) -> Self {
                Self::Integer(i64::from(value.0))
            }
        }
    )+};
}

stepped! {
    BridgePriority, "a bridge priority, a multiple of 4096", 61_440, 4096, 32_768;
    TreePortPriority, "a spanning tree port priority, a multiple of 16", 240, 16, 128;
}
