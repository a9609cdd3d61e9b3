use std::fmt;
use std::str::FromStr;
use std::time::Duration;

use super::NotA;

/// A span of time with its unit: microseconds, milliseconds or seconds, such as `300ms` or `10s`.
///
/// ```
/// use felting::value::Interval;
/// let dead: Interval = "40s".parse().unwrap();
/// assert!(dead > "300ms".parse().unwrap());
/// assert_eq!(dead.to_string(), "40s");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Interval(u64);

impl Interval {
    /// So many seconds.
    pub const fn seconds(seconds: u32) -> Self {
        Self(seconds as u64 * 1_000_000)
    }

    /// The span as the standard library has it.
    pub const fn duration(self) -> Duration {
        Duration::from_micros(self.0)
    }

    /// The sum of both, which stops at the longest that can be written.
    pub fn plus(self, other: Self) -> Self {
        Self(self.0.saturating_add(other.0))
    }
}

impl FromStr for Interval {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let digits = text.len() - text.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let (number, unit) = text.split_at(digits);
        let unit = match unit.trim_start() {
            "us" => 1,
            "ms" => 1_000,
            "s" => 1_000_000,
            _ => 0,
        };
        let micros = number.parse::<u64>().ok().and_then(|number| number.checked_mul(unit));
        micros
            .filter(|&micros| micros > 0)
            .map(Self)
            .ok_or_else(|| NotA("a time with its unit, such as \"300ms\" or \"10s\"".to_owned()))
    }
}

impl fmt::Display for Interval {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            micros if micros % 1_000_000 == 0 => write!(f, "{}s", micros / 1_000_000),
            micros if micros % 1_000 == 0 => write!(f, "{}ms", micros / 1_000),
            micros => write!(f, "{micros}us"),
        }
    }
}

impl From<Interval> for toml::Value {
    fn from(value: Interval) -> Self {
        Self::String(value.to_string())
    }
}
