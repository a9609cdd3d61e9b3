//! Walks as a person reads them: whether the packet arrives, then hop by hop what is done with it and what
//! it wears.

mod json;

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style as Paint};
use felting::diagnostic::Finding;
use felting::fabric::{DeviceId, PortId, PresenceId, Terminal};
use felting::value::VlanId;
use felting::walk::{Answer, Asker, Content, End, Exit, Headers, Hop, Resolution, Walk, Way, why};
use felting::{Fabric, State};

pub use json::walk_json;

use crate::Style;

/// A walk, and what is known of why it stops.
#[derive(Clone, Copy, Debug)]
pub struct Walked<'a> {
    /// The state that was walked through.
    pub state: &'a State,
    /// The walk.
    pub walk: &'a Walk,
    /// The finding that explains why it stops, if one does.
    pub finding: Option<&'a Finding>,
    /// Where the way that the hash picks arrives, but another that is as good does not.
    pub other_ways_fail: bool,
    /// What was cut or moved, in the words that were asked with.
    pub condition: &'a [String],
}

/// A walk as a text.
pub fn walk(walked: &Walked<'_>, style: Style) -> String {
    let drawer =
        Drawer { fabric: walked.state.fabric(), state: walked.state, colour: style.colour };
    let mut page = String::new();
    // Writing to a String cannot fail, here and below.
    let _ = writeln!(page, "{}", drawer.verdict(walked));
    if let Some(stop) = drawer.stop(walked) {
        let _ = write!(page, "{stop}");
    }
    if walked.other_ways_fail {
        let _ = writeln!(
            page,
            "  this flow does; others do not, as ways that are as good fail: see it with --all"
        );
    }
    let asked: Vec<_> = walked.walk.resolutions.iter().map(|one| drawer.resolution(one)).collect();
    if !asked.is_empty() {
        let _ = writeln!(page, "\n{}", drawer.bold("Addresses asked for"));
        for line in asked {
            let _ = writeln!(page, "  {line}");
        }
    }
    let failed = walked.walk.resolutions.iter().find(|one| one.answer.is_none());
    if let Some(failed) = failed {
        let way = match &failed.reply {
            Some(reply) if failed.request.arrives() => ("The answer", reply),
            _ => ("The question", &failed.request),
        };
        drawer.path(&mut page, way.0, way.1, walked.walk.size);
    }
    // A path that stopped before it left says nothing that the verdict doesn't.
    if walked.walk.there.hops.iter().any(|hop| !hop.acts.is_empty()) {
        drawer.path(&mut page, "There", &walked.walk.there, walked.walk.size);
    }
    if let Some(back) = &walked.walk.back
        && back.hops.iter().any(|hop| !hop.acts.is_empty())
    {
        let title = match same_way(&walked.walk.there, back) {
            true => "Back, by the same devices",
            false => "Back, by another way",
        };
        drawer.path(&mut page, title, back, walked.walk.size);
    }
    page
}

/// Whether two ways pass the same devices, one way round and the other.
pub(crate) fn same_way(there: &Way, back: &Way) -> bool {
    let devices = |path: &Way| {
        let mut all: Vec<DeviceId> = path.hops.iter().map(|hop| hop.device).collect();
        all.sort_unstable();
        all.dedup();
        all
    };
    devices(there) == devices(back)
}

pub(crate) struct Drawer<'a> {
    pub(crate) fabric: &'a Fabric,
    pub(crate) state: &'a State,
    pub(crate) colour: bool,
}

impl Drawer<'_> {
    fn paint(&self, paint: Paint, text: &str) -> String {
        match self.colour {
            true => format!("{paint}{text}{paint:#}"),
            false => text.to_owned(),
        }
    }

    fn bold(&self, text: &str) -> String {
        self.paint(Paint::new().bold(), text)
    }

    fn dim(&self, text: &str) -> String {
        self.paint(Paint::new().dimmed(), text)
    }

    /// The first line: whether it arrives.
    fn verdict(&self, walked: &Walked<'_>) -> String {
        let walk = walked.walk;
        let (from, to) = (self.terminal(walk.from), self.terminal(walk.to));
        let under = match walked.condition {
            [] => String::new(),
            list => format!(" with {}", list.join(", ")),
        };
        let ends = format!("{} \u{2192} {}", walk.source, walk.destination);
        if walk.arrives() {
            let routers = match walk.there.routers() {
                0 => "in one segment".to_owned(),
                1 => "over 1 router".to_owned(),
                count => format!("over {count} routers"),
            };
            let mtu = match walk.mtu() {
                Some(mtu) => format!(", packets up to {mtu} bytes"),
                None => String::new(),
            };
            let line = format!("{from} reaches {to}{under}: {ends}, {routers}{mtu}");
            return self.paint(Paint::new().bold().fg_color(Some(AnsiColor::Green.into())), &line);
        }
        let what = match (walk.back.is_some(), walk.there.stop().is_some()) {
            (true, true) => format!("{from} reaches {to}{under} by some ways only: {ends}"),
            (true, false) => format!("{from} gets no reply from {to}{under}: {ends}"),
            (false, _) => format!("{from} does not reach {to}{under}: {ends}"),
        };
        self.paint(Paint::new().bold().fg_color(Some(AnsiColor::Red.into())), &what)
    }

    /// Where it stops, why, and which finding explains it.
    fn stop(&self, walked: &Walked<'_>) -> Option<String> {
        let (hop, stop) = walked.walk.root()?;
        let mut text = format!(
            "  stops at {}: {}\n",
            self.bold(self.fabric.device_name(hop.device)),
            why(self.fabric, hop, stop)
        );
        if let Some(finding) = walked.finding {
            let at = self.fabric.sources().location(finding.what.primary.span);
            let _ = writeln!(
                text,
                "  because of {}[{}]: {} ({at})",
                finding.severity, finding.rule.id, finding.what.message
            );
            let _ = writeln!(text, "  remedy: {}", finding.what.remedy);
        } else if let Some((one, other)) = walked.walk.unleaked(self.state) {
            let _ = writeln!(
                text,
                "  no finding explains it: no leak joins the VRFs {one} and {other}, so they are kept apart"
            );
        } else if !walked.condition.is_empty() {
            let _ =
                writeln!(text, "  no finding explains it: it follows from what was cut or moved");
        } else {
            let _ = writeln!(text, "  no finding explains it");
        }
        Some(text)
    }

    fn terminal(&self, terminal: Terminal) -> String {
        self.fabric.terminal_name(terminal)
    }

    fn resolution(&self, one: &Resolution) -> String {
        let asker = match one.asker {
            Asker::Endpoint(endpoint) => self.fabric.endpoint(endpoint).name.to_string(),
            Asker::Router(presence) => self.switch_of(presence).to_owned(),
        };
        let how = if one.address.is_ipv4() { "ARP" } else { "ND" };
        let asked = format!("{asker} asks who has {} ({how})", one.address);
        match one.answer {
            Some((Answer::Endpoint(endpoint), mac)) => {
                format!("{asked}: {} answers, {mac}", self.fabric.endpoint(endpoint).name.value)
            }
            Some((Answer::Router(presence), mac)) => {
                format!("{asked}: {} answers, {mac}", self.switch_of(presence))
            }
            Some((Answer::Proxy(presence, endpoint), mac)) => format!(
                "{asked}: {} answers for {} from what EVPN told it, {mac}",
                self.switch_of(presence),
                self.fabric.endpoint(endpoint).name.value
            ),
            None => format!("{asked}: {}", self.bold("no answer")),
        }
    }

    fn switch_of(&self, presence: PresenceId) -> &str {
        self.fabric.device_name(self.fabric.presence(presence).switch)
    }

    fn path(&self, page: &mut String, title: &str, path: &Way, size: u32) {
        let _ = writeln!(page, "\n{}", self.bold(title));
        let numbers = path.hops.len().to_string().len();
        for (place, hop) in path.hops.iter().enumerate() {
            let name = self.bold(self.fabric.device_name(hop.device));
            let entered = hop.entered.map(|port| format!("  in {}", self.port(port)));
            let _ =
                writeln!(page, "  {:>numbers$}  {name}{}", place + 1, entered.unwrap_or_default());
            let indent = " ".repeat(numbers + 4);
            for act in &hop.acts {
                let _ = writeln!(page, "{indent}{}", act.words(self.state, hop));
            }
            let several = hop.exits.len() > 1;
            for exit in &hop.exits {
                let _ = writeln!(page, "{indent}{}", self.exit(hop, exit, several, size));
                for line in header_lines(&exit.headers) {
                    let _ = writeln!(page, "{indent}  {}", self.dim(&line));
                }
            }
            match hop.end {
                Some(End::Stopped(stop)) => {
                    let line = format!("stops: {}", why(self.fabric, hop, stop));
                    let red = Paint::new().bold().fg_color(Some(AnsiColor::Red.into()));
                    let _ = writeln!(page, "{indent}{}", self.paint(red, &line));
                }
                Some(End::Arrived) if hop.exits.is_empty() => {
                    let _ = writeln!(page, "{indent}arrives");
                }
                _ => {}
            }
        }
    }

    pub(crate) fn port(&self, port: PortId) -> String {
        let name = self.fabric.port_name(port);
        match self.fabric.lag_of(port) {
            Some(lag) => format!("{name} of LAG {}", self.fabric.lag(lag).name.value),
            None => name.to_owned(),
        }
    }

    fn exit(&self, hop: &Hop, exit: &Exit, several: bool, size: u32) -> String {
        let mut text = format!("out {}", self.port(exit.port));
        if let Some(wan) = exit.wan {
            let _ = write!(text, " over the WAN path {}", self.fabric.wan(wan).name.value);
        }
        if several {
            let _ = write!(text, " to {}", exit.to + 1);
        } else if hop.choices > 1 {
            let _ = write!(text, " (by hash, 1 of {} ways)", hop.choices);
        }
        let bytes = exit.headers.on_link(size);
        match exit.mtu {
            Some(mtu) if bytes > mtu && exit.headers.fragments() => {
                let _ = write!(text, ": {bytes} bytes, MTU {mtu}, in fragments");
            }
            Some(mtu) => {
                let left = mtu.saturating_sub(bytes);
                let _ = write!(text, ": {bytes} bytes, MTU {mtu}, {left} left");
            }
            None => {
                let _ = write!(text, ": {bytes} bytes, no MTU written");
            }
        }
        text
    }
}

/// What is said before headers that are inside of others.
fn inside(is_inside: bool) -> &'static str {
    if is_inside { "inside: " } else { "" }
}

fn header_lines(headers: &Headers) -> Vec<String> {
    let tag = |tag: Option<VlanId>| tag.map(|tag| format!(", tag {tag}")).unwrap_or_default();
    let mut lines = Vec::new();
    for (depth, outer) in headers.outers.iter().rev().enumerate() {
        lines.push(format!(
            "{}{} \u{2192} {}{} | {} \u{2192} {} ttl {} | {}",
            inside(depth > 0),
            outer.from_mac,
            outer.to_mac,
            tag(outer.tag),
            outer.from,
            outer.to,
            outer.ttl,
            outer.words(),
        ));
    }
    let frame = &headers.frame;
    let packet = &frame.packet;
    let what = match (packet.content, packet.from.is_ipv4()) {
        (Content::EchoRequest, _) => {
            format!("{} \u{2192} {} ttl {} | echo request", packet.from, packet.to, packet.ttl)
        }
        (Content::EchoReply, _) => {
            format!("{} \u{2192} {} ttl {} | echo reply", packet.from, packet.to, packet.ttl)
        }
        (Content::WhoHas, true) => {
            format!("ARP: who has {}? tell {}", packet.to, packet.from)
        }
        (Content::IHave, true) => format!("ARP: {} is at {}", packet.from, frame.from),
        (Content::WhoHas, false) => {
            format!("ND: who has {}? tell {}", packet.to, packet.from)
        }
        (_, _) => format!("ND: {} is at {}", packet.from, frame.from),
    };
    let inner = inside(headers.outer().is_some());
    lines.push(format!("{inner}{} \u{2192} {}{} | {what}", frame.from, frame.to, tag(frame.tag)));
    lines
}
