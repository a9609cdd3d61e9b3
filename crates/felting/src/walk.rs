//! The way of a packet, from one end to the other and back, with all that it wears at each hop.
//!
//! A **walk** is a ping: each end and each router first learns the MAC address that it sends to (ARP or ND),
//! then an echo goes there and its reply back. It reads what the protocols made of the fabric and decides
//! nothing that they have decided. Tables are as they are once both ends have talked: what a switch would
//! learn from frames it has learned.
//!
//! - [`headers`](Headers) are what a packet wears; a [`Hop`] is a device, with [`Act`]s and [`Exit`]s; a
//!   [`Path`] is the way of one packet, or with [`Choice::All`] all ways that a flow could be spread over;
//! - a [`Walker`] keeps what many walks of one fabric share.

mod bridge;
mod expect;
mod explain;
mod hash;
mod headers;
mod path;
mod reach;
mod resolve;
mod route;
mod trace;
mod words;

use std::fmt;
use std::net::IpAddr;
use std::sync::Arc;

use rustc_hash::FxHashMap;

pub use expect::{Failure, Lost, Unmet, judge};
pub use headers::{Content, Destination, Frame, Headers, Outer, Packet, TAG};
pub use path::{Act, End, Exit, Hop, Known, Path, Resolved, Side, Station, Stop, Table};
pub use reach::{Reach, reach};
pub use resolve::{Answer, Asker, Resolution};
pub use words::why;

use crate::behavior::underlay::Towards;
use crate::behavior::{State, TenantRoute, mtu};
use crate::fabric::{DeviceId, EndpointId, Fabric, Terminal, VrfId};
use crate::value::MacAddr;
use trace::Start;

/// Which of several equal ways is followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Choice {
    /// The one that a hash of the flow picks, as a device does.
    ByHash,
    /// All of them.
    All,
}

/// What is asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Options {
    /// Which of several equal ways is followed.
    pub choice: Choice,
    /// How large the packet is, in bytes from its IP header on; an echo of 56 bytes of data by default.
    pub size: Option<u32>,
}

impl Options {
    /// One flow, as devices spread it.
    pub const BY_HASH: Self = Self { choice: Choice::ByHash, size: None };
    /// All ways that a flow could take.
    pub const ALL: Self = Self { choice: Choice::All, size: None };
}

impl Default for Options {
    fn default() -> Self {
        Self::BY_HASH
    }
}

/// Why there is nothing to walk.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum NoWalk {
    /// Both ends are the same.
    Itself(String),
    /// An end has no address.
    NoAddress(String),
    /// The ends have no IP version in common.
    NoFamily(String, String),
}

impl fmt::Display for NoWalk {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Itself(name) => {
                write!(f, "a walk from {name} to itself leaves no host; name two ends")
            }
            Self::NoAddress(name) => {
                write!(f, "{name} has no address to send from or to; add `address` to it")
            }
            Self::NoFamily(a, b) => write!(
                f,
                "{a} and {b} have no IP version in common; give one of them an address of the \
                 other\u{2019}s"
            ),
        }
    }
}

impl std::error::Error for NoWalk {}

/// A ping from one end to the other and back.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Walk {
    /// From where.
    pub from: Terminal,
    /// To where.
    pub to: Terminal,
    /// The address that the echo is from.
    pub source: IpAddr,
    /// The address that it is to.
    pub destination: IpAddr,
    /// How large it is, from its IP header on.
    pub size: u32,
    /// The questions for MAC addresses on the way, in order.
    pub resolutions: Vec<Resolution>,
    /// The way there, as far as it gets.
    pub there: Path,
    /// The way back, if it got there.
    pub back: Option<Path>,
}

impl Walk {
    /// Whether the echo arrives, and its reply.
    pub fn arrives(&self) -> bool {
        self.there.arrives() && self.back.as_ref().is_some_and(Path::arrives)
    }

    /// Where it stops first, and why: on the way there, or back.
    pub fn stop(&self) -> Option<(&Hop, Stop)> {
        self.there.stop().or_else(|| self.back.as_ref()?.stop())
    }

    /// Where it stops at bottom: where the question for a MAC address that gets no answer stops, if that is
    /// why.
    pub fn root(&self) -> Option<(&Hop, Stop)> {
        self.root_path().stop().or_else(|| self.stop())
    }

    /// The path that stops at bottom: that of a question for a MAC address or of its answer, of the echo, or
    /// of its reply.
    pub fn root_path(&self) -> &Path {
        let path = match (&self.back, self.there.stop()) {
            (Some(back), None) => back,
            _ => &self.there,
        };
        if !matches!(path.stop(), Some((_, Stop::Unanswered(_) | Stop::Nobody(_)))) {
            return path;
        }
        let failed = self.resolutions.iter().rev().find(|one| one.answer.is_none());
        let deeper = failed.and_then(|one| {
            let reply = one.reply.as_ref().filter(|reply| reply.stop().is_some());
            reply.or_else(|| one.request.stop().map(|_| &one.request))
        });
        deeper.unwrap_or(path)
    }

    /// The VRFs of its two ends, if they are different, no leak joins them, and that is why it stops: the one
    /// is not to reach the other.
    pub fn unleaked<'f>(&self, state: &'f State) -> Option<(&'f str, &'f str)> {
        let fabric = state.fabric();
        let (_, stop) = self.root()?;
        if !matches!(stop, Stop::NoRoute(_) | Stop::WentOut(_)) {
            return None;
        }
        let vrf = |terminal: Terminal| {
            let segments = state.segments_of(endpoint(terminal)?);
            segments.first().and_then(|&segment| fabric.segment(segment).vrf).map(|vrf| vrf.value)
        };
        let (one, other) = (vrf(self.from)?, vrf(self.to)?);
        let joins =
            |a, b| fabric.leaks().any(|(_, leak)| leak.from.value == a && leak.to.value == b);
        let name = |vrf| fabric.vrf(vrf).name.value.as_str();
        (one != other && !(joins(one, other) && joins(other, one)))
            .then(|| (name(one), name(other)))
    }

    /// The ways of the echo and of its reply.
    pub fn paths(&self) -> impl Iterator<Item = &Path> {
        std::iter::once(&self.there).chain(&self.back)
    }

    /// The largest packet that gets there and back, as far as MTUs are written.
    pub fn mtu(&self) -> Option<u32> {
        self.paths().filter_map(Path::mtu).min()
    }
}

/// Walks through one fabric in one state, and keeps what walks share.
#[derive(Debug)]
pub struct Walker<'a> {
    fabric: &'a Fabric,
    state: &'a State,
    towards: Towards,
    options: Options,
    size: u32,
    /// What the walk in hand has asked for MAC addresses.
    resolutions: Vec<Resolution>,
    asked: FxHashMap<(Asker, IpAddr), Option<(Answer, MacAddr)>>,
    /// The best routes of a VRF on a switch to an address, of all walks so far.
    routes: FxHashMap<(VrfId, DeviceId, IpAddr), Arc<[TenantRoute]>>,
    /// The end that the walk in hand leads to: it is preferred where an address has several owners.
    goal: Option<EndpointId>,
}

impl<'a> Walker<'a> {
    /// A walker through a fabric in a state.
    pub fn new(state: &'a State) -> Self {
        let fabric = state.fabric();
        Self {
            fabric,
            state,
            towards: Towards::default(),
            options: Options::default(),
            size: 0,
            resolutions: Vec::new(),
            asked: FxHashMap::default(),
            routes: FxHashMap::default(),
            goal: None,
        }
    }

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
    /// use felting::{Condition, Fabric, State};
    /// let fabric = Fabric::from_text("f.toml", r#"
    ///     [[switch]]
    ///     name = "kelp-a"
    ///     ports = "et[1-2] 25G"
    ///     [[port]]
    ///     on = "kelp-a"
    ///     ports = "et[1-2]"
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
    ///     runs = "hull-[01-02] nic1 -- kelp-a et[1-2]"
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
        self.size =
            options.size.unwrap_or(mtu::ip_header(source.is_ipv4()) + 8 + headers::ECHO_DATA);
        self.resolutions.clear();
        self.asked.clear();
        self.goal = endpoint(to);
        let request = Packet {
            from: source,
            to: destination,
            ttl: headers::TTL,
            content: Content::EchoRequest,
        };
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
            self.goal = endpoint(from);
            let reply = Packet {
                from: destination,
                to: source,
                ttl: headers::TTL,
                content: Content::EchoReply,
            };
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
    fn send(&mut self, from: Terminal, packet: Packet) -> Path {
        match from {
            Terminal::Endpoint(endpoint, _) => self.send_from_endpoint(endpoint, packet),
            Terminal::Gateway(presence, _) => self.trace(Start::Routed(presence), packet),
            Terminal::Outside(outside, _) => self.trace(Start::Outside(outside), packet),
        }
    }

    /// The way of a packet from an endpoint: it asks for the MAC address of the destination, or of its
    /// gateway (RFC 1122 section 3.3.1).
    fn send_from_endpoint(&mut self, id: EndpointId, packet: Packet) -> Path {
        let endpoint = self.fabric.endpoint(id);
        let own = endpoint.addresses.iter().find(|own| own.address() == packet.from);
        let near = own.is_some_and(|own| own.subnet().contains(packet.to));
        let gateway = match near {
            true => None,
            false => match self.gateway_of(id, packet.to) {
                Ok(gateway) => Some(gateway),
                Err(stop) => {
                    return trace::stopped(self.state.host_of(id), stop);
                }
            },
        };
        let asked = gateway.unwrap_or(packet.to);
        let Some((answer, mac)) = self.resolve(Asker::Endpoint(id), packet.from, asked) else {
            let host = self.state.host_of(id);
            return trace::stopped(host, Stop::Unanswered(asked));
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

/// The endpoint that a terminal is, if it is one.
fn endpoint(terminal: Terminal) -> Option<EndpointId> {
    match terminal {
        Terminal::Endpoint(endpoint, _) => Some(endpoint),
        _ => None,
    }
}
