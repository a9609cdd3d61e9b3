//! Walks for programs. The shape is documented in `docs/walks.md` and has a version.

use felting::Fabric;
use felting::fabric::PortId;
use felting::value::{Cookie, WireSession};
use felting::walk::{Answer, Asker, End, Exit, Headers, Hop, Resolution, Shim, Way, why};
use serde::Serialize;

use super::{Drawer, Walked, same_way};
use crate::json_text;

/// Counts up when a field changes its meaning or goes away; new fields don't change it.
const VERSION: u32 = 1;

#[derive(Serialize)]
struct Page<'a> {
    version: u32,
    fabric: &'a str,
    complete: bool,
    from: String,
    to: String,
    source: String,
    destination: String,
    arrives: bool,
    other_ways_fail: bool,
    condition: &'a [String],
    bytes: u32,
    mtu: Option<u32>,
    routers: u32,
    symmetric: Option<bool>,
    stop: Option<StopRow<'a>>,
    resolutions: Vec<ResolutionRow<'a>>,
    there: Vec<HopRow<'a>>,
    back: Option<Vec<HopRow<'a>>>,
}

#[derive(Serialize)]
struct StopRow<'a> {
    device: &'a str,
    reason: String,
    finding: Option<FindingRow<'a>>,
}

#[derive(Serialize)]
struct FindingRow<'a> {
    rule: &'static str,
    severity: &'static str,
    message: &'a str,
    at: String,
    remedy: &'a str,
}

#[derive(Serialize)]
struct ResolutionRow<'a> {
    asker: &'a str,
    address: String,
    answered_by: Option<&'a str>,
    mac: Option<String>,
    request: Vec<HopRow<'a>>,
    reply: Option<Vec<HopRow<'a>>>,
}

#[derive(Serialize)]
struct HopRow<'a> {
    device: &'a str,
    port_in: Option<&'a str>,
    decisions: Vec<String>,
    ways: usize,
    exits: Vec<ExitRow<'a>>,
    end: Option<&'static str>,
    reason: Option<String>,
}

#[derive(Serialize)]
struct ExitRow<'a> {
    port: &'a str,
    lag: Option<&'a str>,
    into_device: &'a str,
    into_port: &'a str,
    wan: Option<&'a str>,
    to_hop: usize,
    bytes: u32,
    mtu: Option<u32>,
    mtu_left: Option<u32>,
    outer: Option<OuterRow>,
    /// What is inside of `outer` and around `frame`, the outermost first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    nested: Vec<OuterRow>,
    frame: FrameRow,
}

#[derive(Serialize)]
struct OuterRow {
    source_mac: String,
    destination_mac: String,
    tag: Option<u32>,
    source: String,
    destination: String,
    ttl: u8,
    udp_source: Option<u16>,
    udp_destination: Option<u16>,
    flow_id: Option<u8>,
    encapsulation: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    vni: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    session: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    cookie: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    sublayer: Option<bool>,
}

#[derive(Serialize)]
struct FrameRow {
    source_mac: String,
    destination_mac: String,
    tag: Option<u32>,
    source: String,
    destination: String,
    ttl: u8,
    content: &'static str,
}

/// A walk as JSON.
pub fn walk_json(walked: &Walked<'_>) -> String {
    let Walked { state, walk, finding, other_ways_fail, condition } = *walked;
    let fabric = state.fabric();
    let drawer = Drawer { fabric, state, colour: false };
    let stop = walk.root().map(|(hop, stop)| StopRow {
        device: fabric.device_name(hop.device),
        reason: why(fabric, hop, stop),
        finding: finding.map(|finding| FindingRow {
            rule: finding.rule.id,
            severity: finding.severity.word(),
            message: &finding.what.message,
            at: fabric.sources().location(finding.what.primary.span).to_string(),
            remedy: &finding.what.remedy,
        }),
    });
    let page = Page {
        version: VERSION,
        fabric: fabric.name(),
        complete: fabric.is_complete(),
        from: fabric.terminal_name(walk.from),
        to: fabric.terminal_name(walk.to),
        source: walk.source.to_string(),
        destination: walk.destination.to_string(),
        arrives: walk.arrives(),
        other_ways_fail,
        condition,
        bytes: walk.size,
        mtu: walk.mtu(),
        routers: walk.there.routers(),
        symmetric: walk.back.as_ref().map(|back| same_way(&walk.there, back)),
        stop,
        resolutions: walk
            .resolutions
            .iter()
            .map(|one| resolution(&drawer, one, walk.size))
            .collect(),
        there: hops(&drawer, &walk.there, walk.size),
        back: walk.back.as_ref().map(|back| hops(&drawer, back, walk.size)),
    };
    let mut text = json_text::pretty(&page);
    text.push('\n');
    text
}

fn resolution<'a>(drawer: &Drawer<'a>, one: &Resolution, size: u32) -> ResolutionRow<'a> {
    let fabric = drawer.fabric;
    let endpoint = |id| fabric.endpoint(id).name.as_str();
    let switch = |id| fabric.device_name(fabric.presence(id).switch);
    ResolutionRow {
        asker: match one.asker {
            Asker::Endpoint(id) => endpoint(id),
            Asker::Router(id) => switch(id),
        },
        address: one.address.to_string(),
        answered_by: one.answer.map(|(answer, _)| match answer {
            Answer::Endpoint(id) => endpoint(id),
            Answer::Router(id) | Answer::Proxy(id, _) => switch(id),
        }),
        mac: one.answer.map(|(_, mac)| mac.to_string()),
        request: hops(drawer, &one.request, size),
        reply: one.reply.as_ref().map(|reply| hops(drawer, reply, size)),
    }
}

fn hops<'a>(drawer: &Drawer<'a>, path: &Way, size: u32) -> Vec<HopRow<'a>> {
    path.hops.iter().map(|one| hop(drawer, one, size)).collect()
}

fn hop<'a>(drawer: &Drawer<'a>, hop: &Hop, size: u32) -> HopRow<'a> {
    let fabric = drawer.fabric;
    HopRow {
        device: fabric.device_name(hop.device),
        port_in: hop.entered.map(|port| fabric.port_name(port)),
        decisions: hop.acts.iter().map(|act| act.words(drawer.state, hop)).collect(),
        ways: hop.choices,
        exits: hop.exits.iter().map(|one| exit(fabric, one, size)).collect(),
        end: hop.end.map(|end| match end {
            End::Arrived => "arrives",
            End::Stopped(_) => "stops",
        }),
        reason: match hop.end {
            Some(End::Stopped(stop)) => Some(why(fabric, hop, stop)),
            _ => None,
        },
    }
}

fn exit<'a>(fabric: &'a Fabric, exit: &Exit, size: u32) -> ExitRow<'a> {
    let device = |port: PortId| fabric.device_name(fabric.port(port).device);
    let bytes = exit.headers.on_link(size);
    let (mut outers, frame) = headers(&exit.headers);
    let outer = outers.pop();
    outers.reverse();
    ExitRow {
        port: fabric.port_name(exit.port),
        lag: fabric.lag_of(exit.port).map(|lag| fabric.lag(lag).name.as_str()),
        into_device: device(exit.into),
        into_port: fabric.port_name(exit.into),
        wan: exit.wan.map(|wan| fabric.wan(wan).name.as_str()),
        to_hop: exit.to,
        bytes,
        mtu: exit.mtu,
        mtu_left: exit.mtu.map(|mtu| mtu.saturating_sub(bytes)),
        outer,
        nested: outers,
        frame,
    }
}

/// What it is encapsulated in, the outermost last, and the frame.
fn headers(headers: &Headers) -> (Vec<OuterRow>, FrameRow) {
    let outers = headers.outers.iter().map(|outer| OuterRow {
        source_mac: outer.from_mac.to_string(),
        destination_mac: outer.to_mac.to_string(),
        tag: outer.tag.map(felting::value::VlanId::get),
        source: outer.from.to_string(),
        destination: outer.to.to_string(),
        ttl: outer.ttl,
        udp_source: outer.udp_ports().map(|(source, _)| source),
        udp_destination: outer.udp_ports().map(|(_, destination)| destination),
        flow_id: outer.flow_id(),
        encapsulation: outer.shim.word(),
        vni: outer.shim.vni().map(felting::value::Vni::get),
        session: session(outer.shim).map(|(session, ..)| session.get()),
        cookie: session(outer.shim).and_then(|(_, cookie, _)| Some(cookie?.to_string())),
        sublayer: session(outer.shim).map(|(.., sublayer)| sublayer),
    });
    let outers = outers.collect();
    let packet = headers.frame.packet;
    let frame = FrameRow {
        source_mac: headers.frame.from.to_string(),
        destination_mac: headers.frame.to.to_string(),
        tag: headers.frame.tag.map(felting::value::VlanId::get),
        source: packet.from.to_string(),
        destination: packet.to.to_string(),
        ttl: packet.ttl,
        content: packet.content.word(),
    };
    (outers, frame)
}

/// The session, cookie and sublayer of L2TPv3.
fn session(shim: Shim) -> Option<(WireSession, Option<Cookie>, bool)> {
    match shim {
        Shim::L2tp { session, cookie, sublayer, .. } => Some((session, cookie, sublayer)),
        _ => None,
    }
}
