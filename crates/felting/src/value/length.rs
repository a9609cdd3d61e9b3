use std::fmt;
use std::str::FromStr;

use super::NotA;

/// The length of a cable, in centimetres.
///
/// Reads metres and kilometres with at most two and five places (`0.5m`, `30m`, `12km`), prints
/// metres below a kilometre.
///
/// ```
/// use felting::value::Length;
/// assert_eq!("1.50m".parse::<Length>()?.to_string(), "1.5m");
/// assert_eq!("12km".parse::<Length>()?.to_string(), "12km");
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Length(u32);

impl Length {
    /// The length in centimetres.
    pub const fn centimetres(self) -> u32 {
        self.0
    }
}

impl FromStr for Length {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || NotA::from("a length above zero with its unit, such as \"3m\" or \"12km\"");
        let (number, places, unit) = match text.strip_suffix("km") {
            Some(number) => (number, 5, 100_000),
            None => (text.strip_suffix('m').ok_or_else(wrong)?, 2, 100),
        };
        let (whole, fraction) = number.split_once('.').unwrap_or((number, "0"));
        let digits = |text: &str| {
            let plain = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
            text.parse::<u32>().ok().filter(|_| plain).ok_or_else(wrong)
        };
        if fraction.len() > places {
            return Err(wrong());
        }
        let scale = unit / 10_u32.pow(u32::try_from(fraction.len()).map_err(|_| wrong())?);
        let parts = digits(whole)?.checked_mul(unit).zip(digits(fraction)?.checked_mul(scale));
        match parts.and_then(|(whole, fraction)| whole.checked_add(fraction)) {
            Some(length) if length > 0 => Ok(Self(length)),
            _ => Err(wrong()),
        }
    }
}

impl fmt::Display for Length {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (unit, name) = if self.0 >= 100_000 { (100_000, "km") } else { (100, "m") };
        let width = if unit == 100 { 2 } else { 5 };
        let fraction = format!("{:0width$}", self.0 % unit);
        match fraction.trim_end_matches('0') {
            "" => write!(f, "{}{name}", self.0 / unit),
            fraction => write!(f, "{}.{fraction}{name}", self.0 / unit),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn refused_spellings() {
        for text in ["3", "m", "0m", "3 m", "-1m", "1.m", ".5m", "0.001m", "99999999km", "3ft"] {
            assert!(text.parse::<Length>().is_err(), "{text}");
        }
    }

    proptest! {
        #[test]
        fn prints_what_it_reads(centimetres in 1u32..) {
            let length = Length(centimetres);
            prop_assert_eq!(length.to_string().parse::<Length>().unwrap(), length);
        }
    }
}
