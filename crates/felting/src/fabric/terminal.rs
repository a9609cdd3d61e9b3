//! Endpoints, what serves them, and what is expected of them, compiled.

use std::fmt;
use std::net::IpAddr;

use smol_str::SmolStr;

use super::{Arenas, DeviceKind, EndpointId, OutsideId, PresenceId, SegmentId};
use crate::diagnostic::nearest;
use crate::source::Pattern;
use crate::value::IpPrefix;

/// Where a walk begins or ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Terminal {
    /// An endpoint, by one of its addresses if that was named.
    Endpoint(EndpointId, Option<IpAddr>),
    /// An address that a switch has in a segment: its own, or that of the gateway.
    Gateway(PresenceId, IpAddr),
    /// An address in a network outside.
    Outside(OutsideId, IpAddr),
}

/// Why a text names no [`Terminal`].
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NoTerminal {
    what: SmolStr,
    why: &'static str,
    remedy: String,
}

impl NoTerminal {
    /// What is wrong, without what to do about it.
    pub fn message(&self) -> String {
        format!("{} {}", self.what, self.why)
    }

    /// What to do.
    pub fn remedy(&self) -> &str {
        &self.remedy
    }
}

impl fmt::Display for NoTerminal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}; {}", self.what, self.why, self.remedy)
    }
}

impl std::error::Error for NoTerminal {}

impl Terminal {
    /// The endpoint that it is, if it is one.
    pub fn endpoint(self) -> Option<EndpointId> {
        match self {
            Self::Endpoint(endpoint, _) => Some(endpoint),
            Self::Gateway(..) | Self::Outside(..) => None,
        }
    }
}

impl Arenas {
    /// The endpoint of a name.
    pub fn find_endpoint(&self, name: &str) -> Option<EndpointId> {
        self.endpoint_names.get(name).copied()
    }

    /// The endpoints that have an address, in order: more than one only by a fault.
    pub fn endpoints_with(&self, address: IpAddr) -> &[EndpointId] {
        self.endpoint_addresses.get(&address).map_or(&[], |found| &found[..])
    }

    /// What a text names as the end of a walk: an endpoint, a host with one endpoint, an address, or a
    /// network outside.
    ///
    /// # Errors
    ///
    /// [`NoTerminal`], if nothing or more than one thing is meant.
    ///
    /// ```
    /// use felting::Fabric;
    /// let fabric = Fabric::from_text("f.toml", "[[host]]\nname = \"hull-01\"\nnics = \"nic1 25G\"\n\
    ///     networks = [{ name = \"web\", tag = 310 }]\n[[endpoint]]\nname = \"web-1\"\nhost = \"hull-01\"\n");
    /// assert_eq!(fabric.terminal("web-1"), fabric.terminal("hull-01"));
    /// let error = fabric.terminal("wbe-1").unwrap_err();
    /// assert_eq!(error.to_string(), "wbe-1 is no endpoint, host or network outside; did you mean web-1?");
    /// ```
    pub fn terminal(&self, text: &str) -> Result<Terminal, NoTerminal> {
        let wrong = |why, remedy| NoTerminal { what: SmolStr::new(text), why, remedy };
        if let Ok(address) = text.parse::<IpAddr>() {
            return self.at_address(text, address);
        }
        if let Some(endpoint) = self.find_endpoint(text) {
            return Ok(Terminal::Endpoint(endpoint, None));
        }
        if let Some((id, outside)) = self.outsides().find(|(_, o)| o.name.as_str() == text) {
            let address = outside.prefixes.first().and_then(|prefix| self.sample(&prefix.value));
            return address.map(|address| Terminal::Outside(id, address)).ok_or_else(|| {
                wrong("has no prefix to take an address from", "name an address in it".to_owned())
            });
        }
        if let Some(host) = self.find_device(text) {
            if self.device(host).kind == DeviceKind::Switch {
                let remedy = "name an endpoint, or an address of the switch's";
                return Err(wrong(
                    "is a switch, which sends and gets no packets here",
                    remedy.into(),
                ));
            }
            let own: Vec<_> =
                self.endpoints().filter(|(_, endpoint)| endpoint.host.value == host).collect();
            return match &own[..] {
                [(id, _)] => Ok(Terminal::Endpoint(*id, None)),
                [] => Err(wrong("has no endpoint", "add an [[endpoint]] on it".to_owned())),
                many => {
                    let names: Vec<_> = many.iter().map(|(_, e)| e.name.as_str()).collect();
                    let remedy = format!("say which: {}", crate::diagnostic::some_of(&names));
                    Err(wrong("has several endpoints", remedy))
                }
            };
        }
        let names = self.endpoints().map(|(_, endpoint)| endpoint.name.as_str());
        let names = names.chain(self.outsides().map(|(_, outside)| outside.name.as_str()));
        let hosts = self.devices().filter(|(_, device)| device.kind == DeviceKind::Host);
        let remedy = match nearest(text, names.chain(hosts.map(|(_, host)| host.name.as_str()))) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => "name an endpoint, an address, or a network outside".to_owned(),
        };
        Err(wrong("is no endpoint, host or network outside", remedy))
    }

    fn at_address(&self, text: &str, address: IpAddr) -> Result<Terminal, NoTerminal> {
        let wrong = |why, remedy| NoTerminal { what: SmolStr::new(text), why, remedy };
        match self.endpoints_with(address) {
            [one] => return Ok(Terminal::Endpoint(*one, Some(address))),
            [] => {}
            many => {
                let names: Vec<_> =
                    many.iter().map(|&id| self.endpoint(id).name.as_str()).collect();
                let remedy = format!("name one of them: {}", crate::diagnostic::some_of(&names));
                return Err(wrong("is the address of several endpoints", remedy));
            }
        }
        let presences = self.presences.ids();
        let mut owners = presences.filter(|&id| {
            let settings = self.settings_at(id);
            let own = settings.addresses.iter().any(|own| own.address() == address);
            own || settings.gateways.iter().any(|gateway| gateway.value == address)
        });
        if let Some(presence) = owners.next() {
            return Ok(Terminal::Gateway(presence, address));
        }
        let outside = self.outsides.iter().filter_map(|(id, outside)| {
            let prefixes = outside.prefixes.iter().filter(|prefix| prefix.contains(address));
            prefixes.map(|prefix| prefix.length()).max().map(|length| (length, id))
        });
        match outside.max_by_key(|&(length, id)| (length, std::cmp::Reverse(id))) {
            Some((_, id)) if self.segment_with(address).is_none() => {
                Ok(Terminal::Outside(id, address))
            }
            _ => Err(wrong(
                "is nobody\u{2019}s address",
                "name an address of an endpoint, of a gateway, or of a network outside".to_owned(),
            )),
        }
    }

    /// The first segment whose subnet holds an address.
    fn segment_with(&self, address: IpAddr) -> Option<SegmentId> {
        self.segments_with(address).next().map(|(_, segment)| segment)
    }

    /// All that a text of an expectation names: a pattern names endpoints.
    ///
    /// # Errors
    ///
    /// [`NoTerminal`], if it names nothing.
    pub(crate) fn terminals(&self, text: &str) -> Result<Vec<Terminal>, NoTerminal> {
        if !text.contains(['*', '[']) {
            return self.terminal(text).map(|terminal| vec![terminal]);
        }
        let pattern = Pattern::parse(text).ok();
        let matches = |name: &str| pattern.as_ref().is_some_and(|pattern| pattern.matches(name));
        let found: Vec<_> = self
            .endpoints
            .iter()
            .filter(|(_, endpoint)| matches(&endpoint.name.value))
            .map(|(id, _)| Terminal::Endpoint(id, None))
            .collect();
        match found.is_empty() {
            false => Ok(found),
            true => Err(NoTerminal {
                what: SmolStr::new(text),
                why: "matches no endpoint",
                remedy: "name endpoints that there are".to_owned(),
            }),
        }
    }

    /// An address of a prefix outside that no segment has: of the prefixes for documentation (RFC 5737,
    /// RFC 3849) where they are in it, else its first host's.
    pub(crate) fn sample(&self, prefix: &IpPrefix) -> Option<IpAddr> {
        let documented = ["203.0.113.9", "198.51.100.9", "2001:db8:ffff::9"];
        let known = documented.iter().filter_map(|text| text.parse::<IpAddr>().ok());
        let own = (1..64).filter_map(|number| prefix.nth(number));
        known
            .filter(|&address| prefix.contains(address))
            .chain(own)
            .find(|&address| self.segment_with(address).is_none())
    }

    /// The word by which a command names a terminal.
    pub fn terminal_word(&self, terminal: Terminal) -> String {
        match terminal {
            Terminal::Endpoint(endpoint, None) => self.endpoint(endpoint).name.to_string(),
            Terminal::Endpoint(_, Some(address)) | Terminal::Gateway(_, address) => {
                address.to_string()
            }
            Terminal::Outside(outside, address) => {
                let outside = self.outside(outside);
                let first = outside.prefixes.first();
                match first.and_then(|prefix| self.sample(&prefix.value)) == Some(address) {
                    true => outside.name.to_string(),
                    false => address.to_string(),
                }
            }
        }
    }

    /// The name of a terminal.
    pub fn terminal_name(&self, terminal: Terminal) -> String {
        match terminal {
            Terminal::Endpoint(endpoint, None) => self.endpoint(endpoint).name.to_string(),
            Terminal::Endpoint(endpoint, Some(address)) => {
                let endpoint = self.endpoint(endpoint);
                match endpoint.addresses.len() {
                    1 => endpoint.name.to_string(),
                    _ => format!("{} ({address})", endpoint.name.value),
                }
            }
            Terminal::Gateway(_, address) => address.to_string(),
            Terminal::Outside(outside, address) => {
                format!("{address} ({})", self.outside(outside).name.value)
            }
        }
    }
}
