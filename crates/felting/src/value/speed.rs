use std::fmt;
use std::str::FromStr;

use super::NotA;

/// The rate of a port, in megabits per second.
///
/// Reads and prints `100M`, `2500M`, `25G`, `400G`.
///
/// ```
/// use felting::value::Speed;
/// assert!("25G".parse::<Speed>()? < "100G".parse()?);
/// assert_eq!("1000M".parse::<Speed>()?.to_string(), "1G");
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Speed(u32);

impl Speed {
    /// The rate in megabits per second.
    pub const fn megabits(self) -> u32 {
        self.0
    }
}

impl Speed {
    /// What several ports carry together; printed like the speed of one.
    pub(crate) fn sum(speeds: impl Iterator<Item = Self>) -> Option<Self> {
        let total = speeds.fold(0_u32, |sum, speed| sum.saturating_add(speed.0));
        (total > 0).then_some(Self(total))
    }
}

impl FromStr for Speed {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || NotA::from("a speed from 10M to 1600G, such as \"25G\"");
        let (digits, unit) = match text.as_bytes().last() {
            Some(b'G') => (&text[..text.len() - 1], 1000),
            Some(b'M') => (&text[..text.len() - 1], 1),
            _ => return Err(wrong()),
        };
        let plain = digits.bytes().all(|byte| byte.is_ascii_digit());
        let number: u32 = digits.parse().ok().filter(|_| plain).ok_or_else(wrong)?;
        match number.checked_mul(unit) {
            Some(megabits @ 10..=1_600_000) => Ok(Self(megabits)),
            _ => Err(wrong()),
        }
    }
}

impl fmt::Display for Speed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            megabits if megabits % 1000 == 0 => write!(f, "{}G", megabits / 1000),
            megabits => write!(f, "{megabits}M"),
        }
    }
}
