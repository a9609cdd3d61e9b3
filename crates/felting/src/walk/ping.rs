//! A walk is a ping: who is asked for MAC addresses, the echo, and the reply.

use std::net::IpAddr;

use super::arrival::{Start, stopped};
use super::asked::{NoWalk, Options};
use super::headers::{Content, ECHO_DATA, Packet, TTL};
use super::path::{Stop, Way};
use super::resolution::Asker;
use super::walked::Walk;
use super::walker::Walker;
use crate::behaviour::mtu;
use crate::fabric::{EndpointId, Terminal};

impl Walker<'_> {
    /// The addresses that two ends talk by: of the named ones, else the first of one IP version, IPv4
    /// before IPv6.
    fn addresses(&self, from: Terminal, to: Terminal) -> Result<(IpAddr, IpAddr), NoWalk> {
        let name = |terminal| self.fabric.terminal_name(terminal);
        let all = |terminal: Terminal| -> Vec<IpAddr> {
            match terminal {
                Terminal::Endpoint(_, Some(address))
                | Terminal::Gateway(_, address)
                | Terminal::Outside(_, address) => vec![address],
                Terminal::Endpoint(endpoint, None) => {
                    let own = self.fabric.endpoint(endpoint).addresses.iter();
                    let mut own: Vec<_> = own.map(|address| address.address()).collect();
                    own.sort_by_key(IpAddr::is_ipv6);
                    own
                }
            }
        };
        let same = match (from, to) {
            (Terminal::Endpoint(a, _), Terminal::Endpoint(b, _)) => a == b,
            _ => from == to,
        };
        if same {
            return Err(NoWalk::Itself(name(from)));
        }
        let (sources, destinations) = (all(from), all(to));
        for (terminal, found) in [(from, &sources), (to, &destinations)] {
            if found.is_empty() {
                return Err(NoWalk::NoAddress(name(terminal)));
            }
        }
        let fitting = |like: IpAddr, terminal: Terminal, all: &[IpAddr]| match terminal {
            // Any address does for a network outside that has the default route of that version.
            Terminal::Outside(outside, _) => {
                let own = all.iter().copied().find(|one| one.is_ipv4() == like.is_ipv4());
                own.or_else(|| {
                    let prefixes = &self.fabric.outside(outside).prefixes;
                    prefixes
                        .iter()
                        .find(|prefix| prefix.address().is_ipv4() == like.is_ipv4())
                        .and_then(|prefix| self.fabric.sample(&prefix.value))
                })
            }
            _ => all.iter().copied().find(|one| one.is_ipv4() == like.is_ipv4()),
        };
        if let Terminal::Outside(..) = from {
            let found = destinations.iter().find_map(|&d| Some((fitting(d, from, &sources)?, d)));
            return found.ok_or_else(|| NoWalk::NoFamily(name(from), name(to)));
        }
        let found = sources.iter().find_map(|&s| Some((s, fitting(s, to, &destinations)?)));
        found.ok_or_else(|| NoWalk::NoFamily(name(from), name(to)))
    }

    /// Walks from one end to the other and back.
    ///
    /// # Errors
    ///
    /// [`NoWalk`], if there is nothing to walk.
    ///
    /// ```
    /// use felting::walk::{Options, Walker};
    /// use felting::{Condition, Fabric, Progress, State};
    /// let fabric = Fabric::from_text("f.toml", r#"
    ///     [[switch]]
    ///     name = "kelp-a"
    ///     ports = "p[1-2] 25G"
    ///     [[port]]
    ///     on = "kelp-a"
    ///     ports = "p[1-2]"
    ///     untagged = 310
    ///     [[host]]
    ///     name = "hull-[01-02]"
    ///     nics = "nic1 25G"
    ///     networks = [{ name = "web" }]
    ///     [[endpoint]]
    ///     name = "web-1"
    ///     host = "hull-01"
    ///     address = "10.80.31.21/24"
    ///     [[endpoint]]
    ///     name = "web-2"
    ///     host = "hull-02"
    ///     address = "10.80.31.22/24"
    ///     [cabling]
    ///     runs = "hull-[01-02] nic1 -- kelp-a p[1-2]"
    /// "#);
    /// let state = State::of(&fabric, &Condition::default(), &Progress::default());
    /// let (from, to) = (fabric.terminal("web-1")?, fabric.terminal("web-2")?);
    /// let walk = Walker::new(&state).walk(from, to, Options::default())?;
    /// assert!(walk.arrives());
    /// assert_eq!(walk.there.hops.len(), 3);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn walk(&mut self, from: Terminal, to: Terminal, options: Options) -> Result<Walk, NoWalk> {
        let (source, destination) = self.addresses(from, to)?;
        self.options = options;
        self.size = options.size.unwrap_or(mtu::ip_header(source.is_ipv4()) + 8 + ECHO_DATA);
        self.resolutions.clear();
        self.asked.clear();
        self.goal = to.endpoint();
        let request =
            Packet { from: source, to: destination, ttl: TTL, content: Content::EchoRequest };
        let there = self.send(from, request);
        let mut walk = Walk {
            from,
            to,
            source,
            destination,
            size: self.size,
            resolutions: Vec::new(),
            there,
            back: None,
        };
        if walk.there.arrival().is_some() {
            self.goal = from.endpoint();
            let reply =
                Packet { from: destination, to: source, ttl: TTL, content: Content::EchoReply };
            // A gateway that many switches have answers where the echo came to it.
            let answering = match (to, walk.there.arrival()) {
                (Terminal::Gateway(presence, address), Some(hop)) => {
                    let segment = self.fabric.presence(presence).segment;
                    let there = self.fabric.presence_of(segment, hop.device);
                    Terminal::Gateway(there.unwrap_or(presence), address)
                }
                _ => to,
            };
            walk.back = Some(self.send(answering, reply));
        }
        walk.resolutions = std::mem::take(&mut self.resolutions);
        Ok(walk)
    }

    /// The way of a packet from a terminal.
    fn send(&mut self, from: Terminal, packet: Packet) -> Way {
        match from {
            Terminal::Endpoint(endpoint, _) => self.send_from_endpoint(endpoint, packet),
            Terminal::Gateway(presence, _) => self.trace(Start::Routed(presence), packet),
            Terminal::Outside(outside, _) => self.trace(Start::Outside(outside), packet),
        }
    }

    /// The way of a packet from an endpoint: it asks for the MAC address of the destination, or of its
    /// gateway (RFC 1122 section 3.3.1).
    fn send_from_endpoint(&mut self, id: EndpointId, packet: Packet) -> Way {
        let endpoint = self.fabric.endpoint(id);
        let own = endpoint.addresses.iter().find(|own| own.address() == packet.from);
        let near = own.is_some_and(|own| own.subnet().contains(packet.to));
        let gateway = match near {
            true => None,
            false => match self.gateway_of(id, packet.to) {
                Ok(gateway) => Some(gateway),
                Err(stop) => {
                    return stopped(self.state.host_of(id), stop);
                }
            },
        };
        let asked = gateway.unwrap_or(packet.to);
        let Some((answer, mac)) = self.resolve(Asker::Endpoint(id), packet.from, asked) else {
            let host = self.state.host_of(id);
            return stopped(host, Stop::Unanswered(asked));
        };
        self.trace(Start::Endpoint { endpoint: id, answer, mac, gateway }, packet)
    }

    /// The gateway that an endpoint sends to: the written one, else that of its segment if it is in one
    /// of the endpoint's subnets.
    fn gateway_of(&self, id: EndpointId, to: IpAddr) -> Result<IpAddr, Stop> {
        let endpoint = self.fabric.endpoint(id);
        let alike = |address: &IpAddr| address.is_ipv4() == to.is_ipv4();
        let inside =
            |address: &IpAddr| endpoint.addresses.iter().any(|own| own.subnet().contains(*address));
        let mut written = endpoint.gateways.iter().map(|gateway| gateway.value).filter(alike);
        if let Some(gateway) = written.next() {
            return if inside(&gateway) { Ok(gateway) } else { Err(Stop::GatewayOutside(gateway)) };
        }
        let segments = endpoint
            .addresses
            .iter()
            .filter(|own| own.address().is_ipv4() == to.is_ipv4())
            .flat_map(|own| self.fabric.segments_with(own.address()));
        let mut gateways = segments
            .flat_map(|(_, segment)| &self.fabric.segment(segment).gateways)
            .map(|gateway| gateway.value);
        gateways.find(|gateway| alike(gateway) && inside(gateway)).ok_or(Stop::NoGateway)
    }
}
