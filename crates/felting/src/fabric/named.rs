//! What a name means: what has it, where it is written and used, and which values go with it.

use std::fmt::Display;
use std::net::IpAddr;
use std::path::Path;

use super::{Arenas, Device, DeviceId, DeviceKind, EndpointId, SegmentId, VrfId};
use crate::diagnostic::{At, FileId, Span, nearest};
use crate::source::Pattern;
use crate::value::{VlanId, VlanSet};

/// Something that a fabric has under a name, an address or a number.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Named {
    /// What it is, in a few words: "a switch, a leaf".
    pub what: String,
    /// Its own name, where it was found by a value that it has.
    pub name: String,
    /// Where it is written.
    pub at: Span,
    /// The values that go with it.
    pub values: Vec<Value>,
}

/// A value of a thing.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Value {
    /// What it is: "loopback".
    pub what: &'static str,
    /// The value.
    pub value: String,
    /// Whether it is written, or follows from something else.
    pub written: bool,
}

impl Arenas {
    /// All that a text names: what has it for a name, and what has it for an address, a MAC address, a VLAN or a VNI.
    ///
    /// Linear in the fabric.
    ///
    /// ```
    /// use felting::Fabric;
    /// let fabric = Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-[a-b]\"\nnumber = 11\nrole = \"leaf\"\n");
    /// let found = fabric.named("kelp-b");
    /// assert_eq!((found[0].what.as_str(), found[0].values[0].value.as_str()), ("a switch, a leaf", "12"));
    /// ```
    pub fn named(&self, text: &str) -> Vec<Named> {
        let mut found = Vec::new();
        self.things(text, &mut found);
        if let Ok(address) = text.parse::<IpAddr>() {
            self.with_address(address, &mut found);
        }
        if let Ok(number) = text.parse::<u32>() {
            self.with_number(number, &mut found);
        }
        found.extend(self.with_mac(text));
        found
    }

    /// The name that is most like one that means nothing.
    pub fn nearest_name(&self, text: &str) -> Option<&str> {
        let endpoints = self.endpoints().map(|(_, thing)| thing.name.as_str());
        let outsides = self.outsides().map(|(_, thing)| thing.name.as_str());
        let wans = self.wans().map(|(_, thing)| thing.name.as_str());
        let parts = self.parts().map(|(name, _)| name);
        let wires = self.pseudowires().map(|(_, thing)| thing.name.as_str());
        nearest(text, parts.chain(endpoints).chain(outsides).chain(wans).chain(wires))
    }

    /// The names of the parts that a [`Selection`](super::Selection) is made of, each with what it is.
    pub fn parts(&self) -> impl Iterator<Item = (&str, &'static str)> {
        let of = |device: &Device| match device.kind {
            DeviceKind::Switch => "a switch",
            DeviceKind::Host => "a host",
        };
        let devices = self.devices().map(move |(_, thing)| (thing.name.as_str(), of(thing)));
        let pairs = self.pairs().map(|(_, thing)| (thing.name.as_str(), "a pair"));
        let sites = self.sites().map(|(_, thing)| (thing.name.as_str(), "a site"));
        let segments = self.segments().map(|(_, thing)| (thing.name.as_str(), "a segment"));
        let vrfs = self.vrfs().map(|(_, thing)| (thing.name.as_str(), "a VRF"));
        devices.chain(pairs).chain(sites).chain(segments).chain(vrfs)
    }

    fn things(&self, text: &str, found: &mut Vec<Named>) {
        if let Some(id) = self.find_device(text) {
            found.push(self.device_named(id));
        }
        for (_, pair) in self.pairs().filter(|(_, pair)| pair.name.as_str() == text) {
            let sides = pair.sides.each_ref().map(|side| self.device_name(side.switch.value));
            let mut named = Named::new("a pair", &pair.name);
            named.add("sides", sides.join(" and "), true);
            found.push(named);
        }
        if let Some(id) = self.find_segment(text) {
            found.push(self.segment_named(id));
        }
        for (id, _) in self.vrfs().filter(|(_, vrf)| vrf.name.as_str() == text) {
            found.push(self.vrf_named(id));
        }
        if let Some(id) = self.find_endpoint(text) {
            found.push(self.endpoint_named(id));
        }
        let simple = |what: &str, name: &At<smol_str::SmolStr>| {
            (name.as_str() == text).then(|| Named::new(what, name))
        };
        found.extend(self.hardware().filter_map(|(_, one)| simple("a kind of switch", &one.name)));
        found.extend(self.repeaters().filter_map(|(_, one)| simple("a shared medium", &one.name)));
        found.extend(
            self.management().filter_map(|(_, one)| simple("a management network", &one.name)),
        );
        found.extend(self.pools().filter_map(|(_, one)| simple("a pool", &one.name)));
        found.extend(self.policies().filter_map(|(_, one)| simple("a routing policy", &one.name)));
        found.extend(self.evis().filter_map(|(_, one)| simple("an EVPN instance", &one.name)));
        found.extend(self.outsides().filter_map(|(_, one)| simple("a network outside", &one.name)));
        found.extend(self.sites().filter_map(|(_, one)| simple("a site", &one.name)));
        found.extend(self.wans().filter_map(|(_, one)| simple("a WAN path", &one.name)));
        for (_, end) in self.pseudowires().filter(|(_, end)| end.name.as_str() == text) {
            let at = format!("an end of a pseudowire, on {}", self.device_name(end.device));
            let mut named = Named::new(&at, &end.name);
            named.add("port", self.port_name(end.port.value).to_owned(), true);
            found.push(named);
        }
        found.extend(self.dhcps().filter_map(|(_, one)| simple("a DHCP range", &one.name)));
        for (_, lag) in self.lags().filter(|(_, lag)| lag.name.as_str() == text) {
            let mut named =
                Named::new(&format!("a LAG of {}", self.device_name(lag.device)), &lag.name);
            named.add("members", lag.members.len().to_string(), true);
            found.push(named);
        }
    }

    fn device_named(&self, id: DeviceId) -> Named {
        let device = self.device(id);
        let mut named = Named::new(&kind(device), &device.name);
        if let Some(stack) = device.stack {
            named.what.push_str(", a stack");
            named.add("members", self.stack(stack).members.len().to_string(), true);
        }
        named.maybe(self, "number", device.number.as_ref());
        if let Some((pair, _)) = device.pair {
            named.add("pair", self.pair(pair).name.to_string(), true);
        }
        named.at(self, "MAC address", &device.mac);
        named.add("ports", device.ports.len().to_string(), true);
        if let Some(router) = self.router_of(id) {
            named.maybe(self, "AS number", router.as_number.as_ref());
            named.maybe(self, "router id", router.router_id.as_ref());
            for loopback in &router.loopbacks {
                named.at(self, "loopback", loopback);
            }
        }
        if let Some(vtep) = self.vtep_of(id) {
            named.at(self, "VTEP address", &vtep);
        }
        for (_, endpoint) in self.endpoints().filter(|(_, one)| one.host.value == id) {
            named.add("endpoint", endpoint.name.to_string(), true);
        }
        named
    }

    fn segment_named(&self, id: SegmentId) -> Named {
        let segment = self.segment(id);
        let mut named = Named::new("a segment", &segment.name);
        named.maybe(self, "VLAN", segment.vlan.as_ref());
        named.maybe(self, "VNI", segment.vni.as_ref());
        if let Some(vrf) = segment.vrf {
            named.add("VRF", self.vrf(vrf.value).name.to_string(), true);
        }
        for subnet in &segment.subnets {
            named.at(self, "subnet", subnet);
        }
        for gateway in &segment.gateways {
            named.at(self, "gateway", gateway);
        }
        for presence in segment.presences.iter() {
            named.add("on", self.device_name(self.presence(presence).switch).to_owned(), true);
        }
        named
    }

    fn vrf_named(&self, id: VrfId) -> Named {
        let vrf = self.vrf(id);
        let mut named = Named::new("a VRF", &vrf.name);
        for at in &vrf.switches {
            let vni = at.vni.map_or_else(String::new, |vni| format!(" with VNI {}", vni.value));
            named.add("on", format!("{}{vni}", self.device_name(at.switch)), true);
        }
        for (_, segment) in
            self.segments().filter(|(_, s)| s.vrf.is_some_and(|vrf| vrf.value == id))
        {
            named.add("segment", segment.name.to_string(), true);
        }
        named
    }

    fn endpoint_named(&self, id: EndpointId) -> Named {
        let endpoint = self.endpoint(id);
        let mut named = Named::new("an endpoint", &endpoint.name);
        named.add("host", self.device_name(endpoint.host.value).to_owned(), true);
        named.at(self, "MAC address", &endpoint.mac);
        for address in &endpoint.addresses {
            named.at(self, "address", address);
        }
        for gateway in &endpoint.gateways {
            named.at(self, "gateway", gateway);
        }
        named
    }

    fn with_address(&self, address: IpAddr, found: &mut Vec<Named>) {
        for &id in self.endpoints_with(address) {
            found.push(self.endpoint_named(id));
        }
        for (_, router) in self.routers() {
            let device = self.device(router.device);
            let owner = |what: &str, at: Span| Named {
                what: format!("{what} of {}", device.name.value),
                name: device.name.to_string(),
                at,
                values: Vec::new(),
            };
            let loopbacks = router.loopbacks.iter().filter(|own| own.address() == address);
            found.extend(loopbacks.map(|own| owner("a loopback", own.span)));
            let vtep = self.vtep_of(router.device).filter(|vtep| vtep.value == address);
            found.extend(vtep.map(|vtep| owner("the VTEP address", vtep.span)));
            for id in router.interfaces.iter() {
                let own = self.interface(id).addresses.iter();
                let own = own.filter(|own| own.address() == address);
                let what = format!("the address of the interface {}", self.interface_name(id));
                found.extend(own.map(|own| owner(&what, own.span)));
            }
        }
        for (_, segment) in self.segments() {
            let gateways = segment.gateways.iter().filter(|gateway| gateway.value == address);
            found.extend(gateways.map(|gateway| Named {
                what: format!("the gateway of the segment {}", segment.name.value),
                name: segment.name.to_string(),
                at: gateway.span,
                values: Vec::new(),
            }));
        }
    }

    fn with_number(&self, number: u32, found: &mut Vec<Named>) {
        for (id, segment) in self.segments() {
            let is = |vlan: Option<u32>, vni: Option<u32>| [vlan, vni].contains(&Some(number));
            let own = is(segment.vlan.map(|vlan| vlan.get()), segment.vni.map(|vni| vni.get()));
            let there = segment.presences.iter().any(|presence| {
                let at = self.presence(presence);
                is(at.vlan.map(|vlan| vlan.get()), at.vni.map(|vni| vni.get()))
            });
            if own || there {
                found.push(self.segment_named(id));
            }
        }
        for (id, vrf) in self.vrfs() {
            if vrf.switches.iter().any(|at| at.vni.is_some_and(|vni| vni.get() == number)) {
                found.push(self.vrf_named(id));
            }
        }
    }

    fn with_mac(&self, text: &str) -> Vec<Named> {
        let Ok(mac) = text.parse::<crate::value::MacAddr>() else { return Vec::new() };
        let devices = self.devices().filter(|(_, device)| device.mac.value == mac);
        let endpoints = self.endpoints().filter(|(_, endpoint)| endpoint.mac.value == mac);
        devices
            .map(|(id, _)| self.device_named(id))
            .chain(endpoints.map(|(id, _)| self.endpoint_named(id)))
            .collect()
    }

    /// Whether a value is written itself, or follows from something else that is.
    pub fn is_written(&self, value: &At<impl Display>) -> bool {
        let written = self.sources().text(value.span).replace('_', "");
        written.trim_matches('"') == value.value.to_string()
    }

    /// The places at which files mention a name, by itself or in a range or pattern, in their order. Free texts that
    /// happen to have the word in them are among them; `*` alone is not.
    pub fn mentions(&self, name: &str) -> Vec<Span> {
        let mut found = Vec::new();
        for (file, source) in self.sources().iter() {
            let extension = Path::new(&source.name).extension();
            let is_csv = extension.is_some_and(|extension| extension.eq_ignore_ascii_case("csv"));
            mentions_in(file, source.text(), is_csv, name, &mut found);
        }
        found
    }
}

/// The mentions in one file: words of quoted texts of TOML, cells of CSV.
fn mentions_in(file: FileId, text: &str, is_csv: bool, name: &str, found: &mut Vec<Span>) {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let (mut quoted, mut start) = (None, 0);
        for (place, byte) in line.bytes().enumerate() {
            match (byte, quoted) {
                (b'#', None) if !is_csv => break,
                (b'"' | b'\'', None) if !is_csv => (quoted, start) = (Some(byte), place + 1),
                (_, Some(quote)) if byte == quote => {
                    words(file, at + start, &line[start..place], name, found);
                    quoted = None;
                    start = place + 1;
                }
                (b'=' | b',' | b'[' | b']' | b'{' | b'}' | b' ' | b'\t' | b'\r' | b'\n', None) => {
                    // A number stands without quotes.
                    if !is_csv && line[start..place].replace('_', "") == name {
                        found.push(Span::of(file, at + start..at + place));
                    }
                    start = place + 1;
                }
                _ => {}
            }
        }
        if is_csv {
            words(file, at, line, name, found);
        }
        at += line.len();
    }
}

fn words(file: FileId, at: usize, text: &str, name: &str, found: &mut Vec<Span>) {
    let mut start = 0;
    let breaks = |c: char| c.is_whitespace() || matches!(c, '"');
    // A comma parts words unless it stands in a range.
    let mut depth = 0_u32;
    let ends = text.char_indices().filter_map(|(place, c)| {
        match c {
            '[' => depth += 1,
            ']' => depth = depth.saturating_sub(1),
            _ => {}
        }
        (breaks(c) || (c == ',' && depth == 0)).then_some((place, c.len_utf8()))
    });
    let ends: Vec<(usize, usize)> = ends.chain([(text.len(), 0)]).collect();
    for (end, width) in ends {
        let word = &text[start..end];
        let ranged = word.contains(['[', '*']) && word != "*";
        let within = |vlan: VlanId| word.parse::<VlanSet>().is_ok_and(|set| set.contains(vlan));
        let vlan = name.parse().ok().and_then(|number: u32| VlanId::new(number).ok());
        let means = word == name
            || vlan.is_some_and(within)
            || (ranged && Pattern::parse(word).is_ok_and(|pattern| pattern.matches(name)));
        if means {
            found.push(Span::of(file, at + start..at + end));
        }
        start = end + width;
    }
}

fn kind(device: &Device) -> String {
    match (device.kind, device.role) {
        (DeviceKind::Host, _) => "a host".to_owned(),
        (DeviceKind::Switch, None) => "a switch".to_owned(),
        (DeviceKind::Switch, Some(role)) => format!("a switch, a {}", role.value),
    }
}

impl Named {
    fn new(what: &str, name: &At<smol_str::SmolStr>) -> Self {
        let (what, at) = (what.to_owned(), name.span);
        Self { what, name: name.to_string(), at, values: Vec::new() }
    }

    fn add(&mut self, what: &'static str, value: String, written: bool) {
        self.values.push(Value { what, value, written });
    }

    fn at(&mut self, fabric: &Arenas, what: &'static str, value: &At<impl Display>) {
        self.add(what, value.value.to_string(), fabric.is_written(value));
    }

    fn maybe(&mut self, fabric: &Arenas, what: &'static str, value: Option<&At<impl Display>>) {
        if let Some(value) = value {
            self.at(fabric, what, value);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::Fabric;

    #[test]
    fn a_name_is_found_by_itself_in_ranges_and_in_runs_but_not_in_comments() {
        let fabric = Fabric::from_text(
            "f.toml",
            "[[switch]]\nname = \"kelp-[a-b]\"   # not \"kelp-a\" here\nports = \"p[1-4] 25G\"\n\
             [[port]]\non = ['kelp-*', \"crest-1\"]\nports = \"p3\"\nmtu = 9_216   # 9216\n\
             [[switch]]\nname = \"crest-1\"\nports = \"p[1-4] 25G\"\n\
             [cabling]\nruns = \"kelp-a p[1,2] -- kelp-b p[1,2]\"\n",
        );
        assert!(fabric.is_complete(), "{:?}", fabric.faults());
        let at = |name: &str| -> Vec<String> {
            let spans = fabric.mentions(name);
            spans
                .iter()
                .map(|&span| {
                    let at = fabric.sources().location(span);
                    format!("{}:{} {}", at.line, at.column, fabric.sources().text(span))
                })
                .collect()
        };
        assert_eq!(at("kelp-a"), ["2:9 kelp-[a-b]", "5:8 kelp-*", "12:9 kelp-a"]);
        assert_eq!(at("crest-1"), ["5:18 crest-1", "9:9 crest-1"]);
        assert_eq!(at("kelp"), [""; 0]);
        assert_eq!(at("9216"), ["7:7 9_216"]);
    }
}
