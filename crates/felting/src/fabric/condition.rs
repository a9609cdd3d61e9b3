use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use super::{
    Arenas, CableId, DeviceId, DeviceKind, EndpointId, Fabric, LagId, PairId, PortId, PseudowireId,
    StackId,
};
use crate::diagnostic::nearest;

/// What is down while a question is asked. Nothing that is configuration: that is an variant.
///
/// ```
/// use felting::{Condition, Fabric, Progress, State};
/// let fabric = Fabric::from_text("f.toml", r#"
///     [[switch]]
///     name = "kelp-[a-b]"
///     ports = "p[1-2] 25G"
///     [[lag]]
///     on = "kelp-*"
///     name = "peer"
///     ports = "p[1-2]"
///     [cabling]
///     runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
/// "#);
/// let (lag, _) = fabric.lags().next().unwrap();
/// assert_eq!(State::of(&fabric, &Condition::default(), &Progress::default()).lag(lag).in_use, 2);
/// let (cable, _) = fabric.cables().next().unwrap();
/// assert_eq!(State::of(&fabric, &Condition::default().cable(cable), &Progress::default()).lag(lag).in_use, 1);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Condition {
    pub(crate) ports: BTreeSet<PortId>,
    pub(crate) cables: BTreeSet<CableId>,
    pub(crate) devices: BTreeSet<DeviceId>,
    pub(crate) lags: BTreeSet<LagId>,
    pub(crate) stack_members: BTreeSet<(StackId, usize)>,
    pub(crate) keepalives: BTreeSet<PairId>,
    pub(crate) wires: BTreeSet<PseudowireId>,
    pub(crate) moved: BTreeMap<EndpointId, DeviceId>,
}

impl Condition {
    /// With this port down.
    pub fn port(mut self, port: PortId) -> Self {
        self.ports.insert(port);
        self
    }

    /// With this cable pulled.
    pub fn cable(mut self, cable: CableId) -> Self {
        self.cables.insert(cable);
        self
    }

    /// With this switch or host off.
    pub fn device(mut self, device: DeviceId) -> Self {
        self.devices.insert(device);
        self
    }

    /// With all members of this LAG end down.
    pub fn lag(mut self, lag: LagId) -> Self {
        self.lags.insert(lag);
        self
    }

    /// With this member of a stack off, by its place in the stack's list.
    pub fn stack_member(mut self, stack: StackId, place: usize) -> Self {
        self.stack_members.insert((stack, place));
        self
    }

    /// With the keepalive of this pair lost.
    pub fn keepalive(mut self, pair: PairId) -> Self {
        self.keepalives.insert(pair);
        self
    }

    /// With this endpoint moved to another host, to its network of the same name.
    pub fn moved(mut self, endpoint: EndpointId, host: DeviceId) -> Self {
        self.moved.insert(endpoint, host);
        self
    }

    /// With the peer link of this pair down: every port that either side has for it.
    pub fn peer_link(mut self, fabric: &Arenas, pair: PairId) -> Self {
        for side in 0..2 {
            self.ports.extend(fabric.peer_ports(fabric.pair(pair), side));
        }
        self
    }

    /// With this end of a pseudowire lost: nothing goes in there.
    pub fn pseudowire(mut self, end: PseudowireId) -> Self {
        self.wires.insert(end);
        self
    }

    /// With one more thing down, as people name it: `kelp-a`, `kelp-a p1` (a port or a LAG),
    /// `cable kelp-a p1`, `peer link of kelp`, `keepalive of kelp`, `member 2 of jetty`, `pseudowire tide-bus`.
    ///
    /// # Errors
    ///
    /// [`NotThere`], if the fabric has no such thing.
    ///
    /// ```
    /// # use felting::{Condition, Fabric};
    /// let fabric = Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-a\"\n");
    /// assert!(Condition::default().cut(&fabric, "kelp-a").is_ok());
    /// let error = Condition::default().cut(&fabric, "klep-a").unwrap_err();
    /// assert_eq!(error.to_string(), "there is no \"klep-a\" to cut; did you mean kelp-a?");
    /// ```
    pub fn cut(self, fabric: &Arenas, what: &str) -> Result<Self, NotThere> {
        let words: Vec<&str> = what.split_whitespace().collect();
        let wrong = |remedy: String| NotThere { what: what.to_owned(), wanted: " to cut", remedy };
        let device = |name: &str| {
            fabric.find_device(name).ok_or_else(|| {
                let names = fabric.devices().map(|(_, device)| device.name.as_str());
                wrong(match nearest(name, names) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => format!("{name} is no switch or host"),
                })
            })
        };
        let pair = |name: &str| {
            let found = fabric.pairs().find(|(_, pair)| pair.name.as_str() == name);
            found.map(|(id, _)| id).ok_or_else(|| {
                let names: Vec<_> = fabric.pairs().map(|(_, pair)| pair.name.as_str()).collect();
                wrong(format!("{name} is no pair; the pairs are {}", names.join(", ")))
            })
        };
        let port = |device: DeviceId, name: &str| {
            fabric.find_port(device, name).ok_or_else(|| {
                wrong(format!("{} has no port or LAG {name}", fabric.device_name(device)))
            })
        };
        match words[..] {
            ["peer", "link", "of", name] => Ok(self.peer_link(fabric, pair(name)?)),
            ["keepalive", "of", name] => Ok(self.keepalive(pair(name)?)),
            ["member", number, "of", name] => {
                let stack = fabric.device(device(name)?).stack;
                let stack = stack.ok_or_else(|| wrong(format!("{name} is no stack")))?;
                let members = &fabric.stack(stack).members;
                let place = members.iter().position(|m| m.id.get().to_string() == number);
                let place = place.ok_or_else(|| wrong(format!("{name} has no member {number}")))?;
                Ok(self.stack_member(stack, place))
            }
            ["pseudowire", name] => {
                let mut names: Vec<&str> =
                    fabric.pseudowires().map(|(_, end)| end.name.as_str()).collect();
                names.dedup();
                let ends = fabric.pseudowires().filter(|(_, end)| end.name.as_str() == name);
                let ends: Vec<PseudowireId> = ends.map(|(id, _)| id).collect();
                if ends.is_empty() {
                    return Err(wrong(match nearest(name, names.iter().copied()) {
                        Some(nearest) => format!("did you mean pseudowire {nearest}?"),
                        None => format!("{name} is no pseudowire"),
                    }));
                }
                Ok(ends.into_iter().fold(self, Self::pseudowire))
            }
            ["cable", name, at] => {
                let end = port(device(name)?, at)?;
                let link = fabric.link(end);
                let (cable, _) =
                    link.ok_or_else(|| wrong(format!("no cable is in {name} {at}")))?;
                Ok(self.cable(cable))
            }
            [name, at] => {
                let device = device(name)?;
                match fabric.find_lag(device, at) {
                    Some(lag) => Ok(self.lag(lag)),
                    None => Ok(self.port(port(device, at)?)),
                }
            }
            [name] => Ok(self.device(device(name)?)),
            _ => Err(wrong(
                "name a switch, a port or LAG (kelp-a p1), a cable (cable kelp-a p1), \
                 peer link of kelp, keepalive of kelp, member 2 of jetty, or pseudowire tide-bus"
                    .to_owned(),
            )),
        }
    }

    /// With one more endpoint on another host, as people say it: `web-1 to hull-04`.
    ///
    /// # Errors
    ///
    /// [`NotThere`], if the fabric has no such endpoint or host, or the words are others.
    pub fn moving(self, fabric: &Fabric, what: &str) -> Result<Self, NotThere> {
        let wrong = |remedy: String| NotThere { what: what.to_owned(), wanted: " to move", remedy };
        let words: Vec<&str> = what.split_whitespace().collect();
        let [name, "to", host] = words[..] else {
            return Err(wrong("say which endpoint to which host: \"web-1 to hull-04\"".to_owned()));
        };
        let endpoint = fabric.find_endpoint(name).ok_or_else(|| {
            let names = fabric.endpoints().map(|(_, endpoint)| endpoint.name.as_str());
            wrong(match nearest(name, names) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None => format!("{name} is no endpoint"),
            })
        })?;
        let is_host = |id: &DeviceId| fabric.device(*id).kind == DeviceKind::Host;
        let host = fabric.find_device(host).filter(is_host).ok_or_else(|| {
            let hosts = fabric.devices().filter(|(id, _)| is_host(id));
            wrong(match nearest(host, hosts.map(|(_, device)| device.name.as_str())) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None => format!("{host} is no host"),
            })
        })?;
        Ok(self.moved(endpoint, host))
    }

    /// What is down, in the words that [`cut`](Self::cut) takes.
    pub fn cuts(&self, fabric: &Arenas) -> Vec<String> {
        let devices = self.devices.iter().map(|&device| fabric.device_name(device).to_owned());
        let lags = self.lags.iter().map(|&lag| fabric.lag_label(lag));
        let ports = self.ports.iter().map(|&port| fabric.port_label(port));
        let cables = self.cables.iter().map(|&cable| fabric.cable_words(cable));
        let members =
            self.stack_members.iter().map(|&(stack, place)| fabric.member_words(stack, place));
        let keepalives = self
            .keepalives
            .iter()
            .map(|&pair| format!("keepalive of {}", fabric.pair(pair).name.value));
        let ends = self.wires.iter().map(|&end| {
            let end = &fabric.pseudowires[end];
            format!("pseudowire {}", end.name.value)
        });
        let mut ends: Vec<String> = ends.collect();
        ends.sort();
        ends.dedup();
        let all = devices.chain(lags).chain(ports).chain(cables).chain(members);
        all.chain(keepalives).chain(ends).collect()
    }

    /// What is moved, in the words that [`moving`](Self::moving) takes.
    pub fn moves(&self, fabric: &Arenas) -> Vec<String> {
        let words = |(&endpoint, &host): (&EndpointId, &DeviceId)| {
            format!("{} to {}", fabric.endpoint(endpoint).name.value, fabric.device_name(host))
        };
        self.moved.iter().map(words).collect()
    }

    /// The ports that one of two conditions holds down and the other may not; none if they differ in what is more than
    /// ports: a switch of a pair or stack, a member of a stack, a keepalive, a move.
    pub(crate) fn ports_unlike(&self, fabric: &Arenas, other: &Self) -> Option<Vec<PortId>> {
        let is_single = |device: &DeviceId| {
            let device = fabric.device(*device);
            device.pair.is_none() && device.stack.is_none()
        };
        if self.stack_members != other.stack_members
            || self.keepalives != other.keepalives
            || self.wires != other.wires
            || self.moved != other.moved
            || !self.moved.is_empty()
            || !self.devices.symmetric_difference(&other.devices).all(is_single)
        {
            return None;
        }
        let mut ports: Vec<PortId> =
            self.ports.symmetric_difference(&other.ports).copied().collect();
        for &cable in self.cables.symmetric_difference(&other.cables) {
            ports.extend(fabric.cable(cable).ends.map(|end| end.value));
        }
        for &device in self.devices.symmetric_difference(&other.devices) {
            ports.extend(fabric.device(device).ports.iter());
        }
        for &lag in self.lags.symmetric_difference(&other.lags) {
            let members = fabric.lag(lag).members.iter();
            ports.extend(members.map(|member| fabric.member(member).port.value));
        }
        Some(ports)
    }

    pub(crate) fn holds_down(&self, fabric: &Fabric, port: PortId, cable: CableId) -> bool {
        self.cables.contains(&cable) || self.holds_port_down(fabric, port)
    }

    pub(crate) fn holds_port_down(&self, fabric: &Fabric, port: PortId) -> bool {
        let of_member = || {
            let stack = fabric.device(fabric.port(port).device).stack?;
            let members = &fabric.stack(stack).members;
            let place = members.iter().position(|member| member.ports.contains(port))?;
            Some(self.stack_members.contains(&(stack, place)))
        };
        self.ports.contains(&port)
            || self.devices.contains(&fabric.port(port).device)
            || (!self.stack_members.is_empty() && of_member() == Some(true))
            || (!self.lags.is_empty()
                && fabric.lag_of(port).is_some_and(|lag| self.lags.contains(&lag)))
    }
}

/// A thing that the fabric does not have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotThere {
    what: String,
    /// What it was wanted for: " to cut".
    wanted: &'static str,
    remedy: String,
}

impl NotThere {
    pub(super) fn new(what: &str, wanted: &'static str, remedy: String) -> Self {
        Self { what: what.to_owned(), wanted, remedy }
    }
}

impl Arenas {
    /// A cable in the words that [`Condition::cut`] takes.
    pub fn cable_words(&self, cable: CableId) -> String {
        format!("cable {}", self.port_label(self.cable(cable).ends[0].value))
    }

    /// A member of a stack, by its place there, in the words that [`Condition::cut`] takes.
    pub fn member_words(&self, stack: StackId, place: usize) -> String {
        let stack = self.stack(stack);
        let switch = self.device_name(stack.switch.value);
        format!("member {} of {switch}", stack.members[place].id.get())
    }

    /// The switch of a name, or the nearest name instead.
    ///
    /// # Errors
    ///
    /// [`NotThere`], if the fabric has no such switch.
    pub fn switch(&self, name: &str) -> Result<DeviceId, NotThere> {
        let is_switch = |id: &DeviceId| self.device(*id).kind == DeviceKind::Switch;
        self.find_device(name).filter(is_switch).ok_or_else(|| {
            let switches = self.devices().filter(|(id, _)| is_switch(id));
            let remedy = match nearest(name, switches.map(|(_, device)| device.name.as_str())) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None => "name a switch of the fabric".to_owned(),
            };
            NotThere { what: name.to_owned(), wanted: " among the switches", remedy }
        })
    }
}

impl fmt::Display for NotThere {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "there is no {:?}{}; {}", self.what, self.wanted, self.remedy)
    }
}

impl std::error::Error for NotThere {}
