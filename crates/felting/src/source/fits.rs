//! What the keys of the builder take.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};
use std::ops::RangeInclusive;

#[cfg(feature = "schema")]
use serde_json::Value as Json;
use smol_str::SmolStr;

use crate::diagnostic::At;
use crate::value::{Area, IpPrefix, IsisLevel, VlanId, VlanSet};

/// One value or a list of them: what keys take that say so.
#[derive(Clone, Debug, Default)]
pub struct Many<T>(pub(crate) Vec<At<T>>);

/// What fits a key of a type: the type itself, for texts such as names and ranges any text, for keys that take several
/// also a list.
pub trait Fits<T> {
    /// The value as a fabric file has it.
    fn value(self) -> toml::Value;
}

/// Types that fit their own keys, and those that take several of them.
macro_rules! fits {
    ($($type:ty),+ $(,)?; $value:expr) => {$(
        impl $crate::source::fits::Fits<$type> for $type {
            fn value(self) -> toml::Value {
                let as_value: fn(Self) -> toml::Value = $value;
                as_value(self)
            }
        }

        impl $crate::source::fits::Fits<$crate::source::fits::Many<$type>> for $type {
            fn value(self) -> toml::Value {
                $crate::source::fits::Fits::<$type>::value(self)
            }
        }
    )+};
}
pub(crate) use fits;

/// Keys that take a number take one of any width.
macro_rules! numbers_fit {
    ($type:ty) => {
        $crate::source::fits::numbers_fit! { $type, i32, u32 }
    };
    ($type:ty, $($number:ty),+) => {$(
        impl $crate::source::fits::Fits<$type> for $number {
            fn value(self) -> toml::Value {
                toml::Value::Integer(self.into())
            }
        }

        impl $crate::source::fits::Fits<$crate::source::fits::Many<$type>> for $number {
            fn value(self) -> toml::Value {
                toml::Value::Integer(self.into())
            }
        }
    )+};
}
pub(crate) use numbers_fit;

fits!(bool; Into::into);
fits!(u16; |number| toml::Value::Integer(number.into()));
numbers_fit!(u16);
numbers_fit!(VlanSet);

impl Fits<VlanSet> for VlanId {
    fn value(self) -> toml::Value {
        toml::Value::Integer(self.get().into())
    }
}

impl Fits<VlanSet> for RangeInclusive<u32> {
    fn value(self) -> toml::Value {
        toml::Value::String(format!("{}-{}", self.start(), self.end()))
    }
}

/// Addresses of one version where those of both may stand.
macro_rules! addresses_fit {
    ($($address:ty),+) => {$(
        impl Fits<IpAddr> for $address {
            fn value(self) -> toml::Value {
                toml::Value::String(self.to_string())
            }
        }

        impl Fits<Many<IpAddr>> for $address {
            fn value(self) -> toml::Value {
                toml::Value::String(self.to_string())
            }
        }
    )+};
}
addresses_fit!(Ipv4Addr, Ipv6Addr);

fits!(IpPrefix, VlanSet, jiff::civil::Date; |value| toml::Value::String(value.to_string()));
fits!(Area, IsisLevel; Into::into);

/// What is a text in the file is one here.
macro_rules! texts {
    ($($text:ty),+ => $($key:ty),+) => {
        $crate::source::fits::texts! { @each [$($text)+] $($key)+ }
    };
    (@each $texts:tt $($key:ty)+) => {
        $($crate::source::fits::texts! { @one $key, $texts })+
    };
    (@one $key:ty, [$($text:ty)+]) => {$(
        impl $crate::source::fits::Fits<$key> for $text {
            fn value(self) -> toml::Value {
                toml::Value::String(self.into())
            }
        }
    )+};
}
pub(crate) use texts;

texts!(&str, String, SmolStr => SmolStr, Many<SmolStr>);

impl<T, V: Fits<T>> Fits<Many<T>> for Vec<V> {
    fn value(self) -> toml::Value {
        toml::Value::Array(self.into_iter().map(Fits::value).collect())
    }
}

impl<T, V: Fits<T>, const N: usize> Fits<Many<T>> for [V; N] {
    fn value(self) -> toml::Value {
        toml::Value::Array(self.into_iter().map(Fits::value).collect())
    }
}

/// A value of the file as JSON has it, for the schema.
#[cfg(feature = "schema")]
pub(super) fn as_json(value: toml::Value) -> Json {
    serde_json::to_value(value).unwrap_or_default()
}
