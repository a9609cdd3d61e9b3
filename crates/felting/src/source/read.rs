//! From TOML values to values of the domain, each with its place.

use std::net::{IpAddr, Ipv4Addr};
use std::ops::Range;

#[cfg(feature = "schema")]
use serde_json::{Value as Json, json};
use smol_str::SmolStr;
use toml::Spanned;
use toml::de::DeValue;

use super::fault::{FaultKind, Faults};
use super::fits::{Many, fits, numbers_fit};
use super::literal::Literal;
use super::range::is_one_name;
use crate::diagnostic::{At, FileId, MOST_NAME, Span, plain};
use crate::value::{
    Activity, AddressRange, Advertised, Area, Asn, BondProtocol, BridgePriority, Cookie,
    DfElection, Domain, Encapsulation, EthernetSegmentIdentifier, EthernetSegmentMode, Family,
    GatewayKind, GroupNumber, HashPolicy, InstanceNumber, Interval, IpInterface, IpPrefix, Irb,
    IsisLevel, IsolatedBy, Length, Loopback, MacAddr, Medium, Metric, Mtu, NetworkType,
    NextHopRule, Number, NumberedBy, PartnerBy, PathCost, PathCosts, PeerLinkLoss, PoolKind,
    PoolNumber, Preference, PrefixError, Protocol, Replication, Role, RouteDistinguisher,
    RouteTarget, SessionOver, SingleHomed, SplitDetection, StackMemberNumber, StackNumber,
    TargetPattern, TargetRule, Timeout, TreeMode, TreePortPriority, UdpPort, Unanswered,
    UnderlayProtocol, VlanId, VlanSet, Vni, VrrpId, VrrpPriority, WireEncapsulation, WireOver,
    WireSession,
};

/// The most bytes that a text may have.
pub(crate) const MOST_TEXT: usize = 64 << 10;

pub(crate) type Node<'a> = Spanned<DeValue<'a>>;

/// The file being read, and where its faults go.
#[derive(Debug)]
pub(crate) struct Cx<'a> {
    pub(crate) file: FileId,
    pub(crate) text: &'a str,
    pub(crate) faults: &'a mut Faults,
}

/// The schema of the name of one thing.
#[cfg(feature = "schema")]
pub(crate) fn name_schema() -> Json {
    json!({ "type": "string", "pattern": "^[A-Za-z0-9_./:-]{1,255}$" })
}

/// A type that a key can take.
pub(crate) trait Read: Sized {
    /// What a value is, to be read after "expected"; also the documentation's type column.
    fn what() -> String;
    /// The JSON Schema of a value.
    #[cfg(feature = "schema")]
    fn schema() -> Json;
    /// The value, or a fault added to `cx`.
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self>;
}

impl Cx<'_> {
    pub(crate) fn span(&self, range: Range<usize>) -> Span {
        Span::of(self.file, range)
    }

    /// The place of a node: of a string, what is between the quotes.
    pub(crate) fn place(&self, node: &Node<'_>) -> Span {
        let range = node.span();
        if !node.get_ref().is_str() {
            return self.span(range);
        }
        let raw = self.text.get(range.clone()).unwrap_or_default();
        let quotes = match raw.as_bytes() {
            [b'"', b'"', b'"', ..] | [b'\'', b'\'', b'\'', ..] if raw.len() >= 6 => 3,
            [b'"' | b'\'', ..] if raw.len() >= 2 => 1,
            _ => 0,
        };
        self.span(range.start + quotes..range.end - quotes)
    }

    pub(crate) fn value<T: Read>(&mut self, key: &str, node: &Node<'_>) -> Option<At<T>> {
        let span = self.place(node);
        T::read(self, key, node).map(|value| At::new(value, span))
    }

    /// The name of one thing.
    pub(crate) fn name(&mut self, key: &str, node: &Node<'_>) -> Option<At<SmolStr>> {
        let name: At<SmolStr> = self.value(key, node)?;
        if is_one_name(&name.value) {
            return Some(name);
        }
        let expected = match name.value.contains('[') {
            true => {
                "the name of one thing: only switches and hosts take a range in theirs".to_owned()
            }
            false => {
                format!("a name of letters, digits and - _ . / :, of {MOST_NAME} bytes at most")
            }
        };
        let written = node.get_ref().as_str().unwrap_or_default();
        self.bad_value(key, name.span, written, &expected);
        None
    }

    pub(crate) fn wrong_type(&mut self, key: &str, node: &Node<'_>, expected: &str) {
        let found = match node.get_ref() {
            DeValue::String(_) => "a text",
            DeValue::Integer(_) => "a whole number",
            DeValue::Float(_) => "a number with a point",
            DeValue::Boolean(_) => "true or false",
            DeValue::Datetime(_) => "a date",
            DeValue::Array(_) => "a list",
            DeValue::Table(_) => "a table",
        };
        let at = self.place(node);
        let quoted = node.get_ref().as_str().is_some_and(|text| text.parse::<i64>().is_ok());
        let remedy = if quoted { ", without the quotes" } else { "" };
        self.faults.add(
            FaultKind::WrongType,
            at,
            format!("`{key}` is {found}, which it cannot be"),
            format!("expected {expected}"),
            format!("write {expected}{remedy}"),
        );
    }

    /// A value that cannot be; a text stands in quotes, as it was written.
    pub(crate) fn bad_value(&mut self, key: &str, at: Span, found: &str, expected: &str) {
        let found = match found.parse::<i64>() {
            Ok(number) => number.to_string(),
            Err(_) => shorten(found),
        };
        self.faults.add(
            FaultKind::BadValue,
            at,
            format!("`{key}` cannot be {found}"),
            format!("expected {expected}"),
            "correct the value, or take the key out if it is not meant",
        );
    }

    /// The number behind a TOML integer of any radix.
    fn integer(
        &mut self,
        key: &str,
        node: &Node<'_>,
        expected: impl Fn() -> String,
    ) -> Option<i64> {
        let Some(integer) = node.get_ref().as_integer() else {
            self.wrong_type(key, node, &expected());
            return None;
        };
        let number = i64::from_str_radix(integer.as_str(), integer.radix()).ok();
        if number.is_none() {
            let at = self.place(node);
            self.bad_value(key, at, integer.as_str(), &expected());
        }
        number
    }

    pub(crate) fn text<'n>(
        &mut self,
        key: &str,
        node: &'n Node<'_>,
        expected: impl Fn() -> String,
    ) -> Option<&'n str> {
        let Some(text) = node.get_ref().as_str() else {
            self.wrong_type(key, node, &expected());
            return None;
        };
        if text.len() > MOST_TEXT {
            let at = self.place(node);
            self.faults.add(
                FaultKind::TooLarge,
                at,
                format!("`{key}` is a text of {} bytes", text.len()),
                format!("expected {MOST_TEXT} bytes at most"),
                "write a shorter text, or several in a list",
            );
            return None;
        }
        Some(text)
    }
}

/// A found value as shown in a message: quoted, and not longer than a line bears.
pub(crate) fn shorten(found: &str) -> String {
    match found.char_indices().nth(40) {
        Some((cut, _)) => format!("{:?}", format!("{}…", &found[..cut])),
        None => format!("{found:?}"),
    }
}

/// The place of a part of a text: exact where the text stands in the file as it is, the whole
/// where escapes or line breaks stand between.
pub(crate) fn inner(whole: Span, text: &str, part: Range<usize>) -> Span {
    if (whole.end - whole.start) as usize != text.len() {
        return whole;
    }
    let at = whole.start as usize;
    Span::of(whole.file, at + part.start..at + part.end)
}

impl<T: Read> Read for Many<T> {
    fn what() -> String {
        format!("{}, or a list of such", T::what())
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "anyOf": [T::schema(), { "type": "array", "items": T::schema() }] })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        Some(Self(match node.get_ref().as_array() {
            Some(nodes) => nodes.iter().filter_map(|node| cx.value(key, node)).collect(),
            None => vec![cx.value(key, node)?],
        }))
    }
}

/// Types whose defaults are written as they are.
macro_rules! literal_self {
    ($($type:ty),+) => {$(
        impl Literal<Self> for $type {
            fn of(literal: Self) -> Self {
                literal
            }
        }
    )+};
}
literal_self!(bool, u16, Area, IsisLevel, BridgePriority, TreePortPriority, VrrpId);

impl Read for SmolStr {
    fn what() -> String {
        "a text".into()
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "type": "string" })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        cx.text(key, node, || "a text in quotes".to_owned()).map(|text| Self::new(plain(text)))
    }
}

impl Read for bool {
    fn what() -> String {
        "true or false".into()
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "type": "boolean" })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        let value = node.get_ref().as_bool();
        if value.is_none() {
            cx.wrong_type(key, node, "true or false, without quotes");
        }
        value
    }
}

impl Read for u16 {
    fn what() -> String {
        format!("a number from 0 to {}", Self::MAX)
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "type": "integer", "minimum": 0, "maximum": Self::MAX })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        let number = cx.integer(key, node, Self::what)?;
        let value = Self::try_from(number).ok();
        if value.is_none() {
            let at = cx.place(node);
            cx.bad_value(key, at, &number.to_string(), &Self::what());
        }
        value
    }
}

/// Types that are whole numbers within bounds.
macro_rules! read_number {
    ($($type:ty),+) => {$(
        impl Read for $type {
            fn what() -> String {
                format!("{} from {} to {}", Self::WHAT, Self::MIN, Self::MAX)
            }
            #[cfg(feature = "schema")]
            fn schema() -> Json {
                json!({ "type": "integer", "minimum": Self::MIN, "maximum": Self::MAX })
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                let number = cx.integer(key, node, Self::what)?;
                let value = u32::try_from(number).ok().and_then(|number| Self::new(number).ok());
                if value.is_none() {
                    let at = cx.place(node);
                    cx.bad_value(key, at, &number.to_string(), &Self::what());
                }
                value
            }
        }

        // Any number may be written; one beyond the bounds is an input fault, as in a file.
        numbers_fit!($type);

        impl Literal<u32> for $type {
            fn of(literal: u32) -> Self {
                Self::new(literal).expect("a default is within its bounds: the schema shows all of them")
            }
        }

        fits!($type; Into::into);
    )+};
}
read_number!(
    VlanId,
    Vni,
    Mtu,
    Domain,
    StackNumber,
    GroupNumber,
    Number,
    PathCost,
    StackMemberNumber,
    InstanceNumber,
    BridgePriority,
    TreePortPriority,
    Asn,
    Metric,
    PoolNumber,
    UdpPort,
    Preference,
    VrrpPriority,
    VrrpId,
    WireSession
);

/// Types that are one of a few words.
macro_rules! read_word {
    ($($type:ty),+) => {$(
        impl Read for $type {
            fn what() -> String {
                Self::ALL.iter().map(|row| format!("{:?}", row.1)).collect::<Vec<_>>().join(" or ")
            }
            #[cfg(feature = "schema")]
            fn schema() -> Json {
                json!({ "enum": Self::ALL.iter().map(|row| row.1).collect::<Vec<_>>() })
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                let text = cx.text(key, node, Self::what)?;
                match text.parse() {
                    Ok(value) => Some(value),
                    Err(error) => {
                        let at = cx.place(node);
                        cx.bad_value(key, at, text, &error.to_string());
                        None
                    }
                }
            }
        }

        impl Literal<Self> for $type {
            fn of(literal: Self) -> Self {
                literal
            }
        }

        fits!($type; Into::into);
    )+};
}
read_word!(
    Protocol,
    BondProtocol,
    Activity,
    Timeout,
    Unanswered,
    PartnerBy,
    IsolatedBy,
    Role,
    Medium,
    HashPolicy,
    TreeMode,
    PathCosts,
    EthernetSegmentMode,
    SplitDetection,
    PeerLinkLoss,
    PoolKind,
    NumberedBy,
    UnderlayProtocol,
    NetworkType,
    Advertised,
    SessionOver,
    Family,
    NextHopRule,
    Replication,
    Encapsulation,
    TargetRule,
    Irb,
    GatewayKind,
    DfElection,
    SingleHomed,
    WireEncapsulation,
    WireOver
);

/// Types that are a text of a certain form.
macro_rules! read_text {
    ($($type:ty, $what:literal;)+) => {$(
        impl Read for $type {
            fn what() -> String {
                $what.into()
            }
            #[cfg(feature = "schema")]
            fn schema() -> Json {
                json!({ "type": "string" })
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                let text = cx.text(key, node, Self::what)?;
                let value = text.parse().ok();
                if value.is_none() {
                    let at = cx.place(node);
                    cx.bad_value(key, at, text, $what);
                }
                value
            }
        }

        impl Literal<&str> for $type {
            fn of(literal: &str) -> Self {
                literal.parse().expect("a default is as it is read: the schema shows all of them")
            }
        }

        fits!($type; |value| toml::Value::String(value.to_string()));
    )+};
}
read_text! {
    Cookie, "a cookie of 8 or 16 hexadecimal digits, such as \"c0a80001\"";
    MacAddr, "the MAC address of one station, such as \"02:46:45:00:00:0b\"";
    Length, "a length with its unit, such as \"3m\" or \"12km\"";
    IpInterface, "an address with its prefix length, such as \"10.64.0.1/31\"";
    EthernetSegmentIdentifier, "an ESI of ten octets, such as \"00:11:22:33:44:55:66:77:88:99\", a MAC address and a number, such as \"02:46:00:00:00:0f/17\", or \"lacp\"";
    Loopback, "an address such as \"10.64.8.11\", with a prefix length only where it has one of its own";
    Ipv4Addr, "a number written as an IPv4 address, such as \"10.64.8.11\"";
    Interval, "a time with its unit, such as \"300ms\" or \"10s\"";
    RouteTarget, "a route target such as \"42041:23310\": an AS number or IPv4 address, a colon, and a number that fits beside it";
    RouteDistinguisher, "a route distinguisher such as \"10.64.8.11:310\": an AS number or IPv4 address, a colon, and a number that fits beside it";
    TargetPattern, "a route target with {vni} for its number, such as \"42041:{vni}\"";
    AddressRange, "a range of addresses such as \"10.80.31.100-10.80.31.199\", or one address";
    IpAddr, "an IPv4 or IPv6 address without a prefix length, such as \"10.64.9.11\"";
}

/// Types that are a number or a text.
macro_rules! read_number_or_text {
    ($($type:ty, $what:literal, $schema:tt;)+) => {$(
        impl Read for $type {
            fn what() -> String {
                $what.into()
            }
            #[cfg(feature = "schema")]
            fn schema() -> Json {
                json!($schema)
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                let text = match node.get_ref().is_integer() {
                    true => cx.integer(key, node, Self::what)?.to_string(),
                    false => cx.text(key, node, Self::what)?.to_owned(),
                };
                let value = text.parse().ok();
                if value.is_none() {
                    let at = cx.place(node);
                    cx.bad_value(key, at, &text, $what);
                }
                value
            }
        }

    )+};
}
read_number_or_text! {
    Area, "an area: a number such as 0, an address such as \"0.0.0.10\", or for IS-IS \"49.0001\"",
        { "anyOf": [{ "type": "integer", "minimum": 0, "maximum": 4_294_967_295_u32 }, { "type": "string" }] };
    IsisLevel, "an IS-IS level: 1, 2 or \"1-2\"", { "enum": [1, 2, "1", "2", "1-2"] };
}

impl Read for VlanSet {
    fn what() -> String {
        "VLAN ids from 1 to 4094, such as \"310-319,400\" or 310".into()
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "anyOf": [VlanId::schema(), { "type": "string", "pattern": "^[0-9, -]*$" }] })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        if node.get_ref().is_integer() {
            return VlanId::read(cx, key, node).map(Self::from);
        }
        let text = cx.text(key, node, Self::what)?;
        let value = text.parse().ok();
        if value.is_none() {
            let at = cx.place(node);
            cx.bad_value(key, at, text, &Self::what());
        }
        value
    }
}

impl Read for IpPrefix {
    fn what() -> String {
        "a prefix such as \"10.80.31.0/24\" or \"2001:db8:80::/64\"".into()
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        json!({ "type": "string", "pattern": "/[0-9]+$" })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        let text = cx.text(key, node, Self::what)?;
        let at = cx.place(node);
        match text.parse() {
            Ok(prefix) => Some(prefix),
            Err(PrefixError::HostBits(prefix)) => {
                cx.faults.add(
                    FaultKind::HostBits,
                    at,
                    format!("`{key}` is {text:?}, an address inside a prefix"),
                    "expected a prefix without host bits",
                    format!("write \"{prefix}\""),
                );
                None
            }
            Err(PrefixError::Malformed) => {
                cx.bad_value(key, at, text, &Self::what());
                None
            }
        }
    }
}

impl Read for jiff::civil::Date {
    fn what() -> String {
        "a date such as 2027-01-31".into()
    }
    #[cfg(feature = "schema")]
    fn schema() -> Json {
        // Seen by JSON Schema, a TOML date is a text.
        json!({ "type": "string" })
    }
    fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
        let text = match node.get_ref() {
            DeValue::Datetime(date) => date.to_string(),
            DeValue::String(text) => text.to_string(),
            _ => {
                cx.wrong_type(key, node, &Self::what());
                return None;
            }
        };
        let date = text.parse().ok().filter(|_| text.len() == 10);
        if date.is_none() {
            let at = cx.place(node);
            cx.bad_value(key, at, &text, &Self::what());
        }
        date
    }
}
