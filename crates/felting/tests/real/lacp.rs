//! LAG selection beside what a real LACP implementation made of the same cables.
//!
//! Compared are, for every member: who is attached there with who is selected here, who may be
//! enabled there with who distributes here, and the bits of the LACPDUs of members that have heard
//! their partner, before and after links go down. Where that implementation departs from IEEE 802.1AX
//! the selection here follows the standard: each difference must be one of the known [`Departure`]s,
//! and the snapshot says case by case which ones are met.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::behaviour::{LacpState, MemberState, Reason};
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::list;

/// A way in which that implementation departs from IEEE 802.1AX.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Departure {
    /// All members of a LAG send one key, taken from one of them. Clause 6.3.5: the key is the
    /// port's, and clause 6.3.6: only ports of one key aggregate.
    OneKey,
    /// A LAG of one member says that it is individual. Clause 6.4.2.3: Aggregation tells whether the
    /// port could aggregate, and these are set to.
    OneMember,
    /// It says that it collects and distributes though its partner is not in sync. Clause 6.4.15:
    /// the Mux machine leaves Attached only when the partner is.
    OutOfSync,
    /// All members stay attached when nobody answers. Clause 6.4.12: each is then individual.
    Fallback,
    /// The lead member that had attached first is kept, though another partner's links rank better.
    /// Clause 6.4.14 leaves to the device which of several partners gets the aggregator; selection
    /// here has no history, so that what it tells is a function of the configuration alone.
    History,
    /// A LAG that is cabled to its own switch says that it is out of sync and yet collects. Clause
    /// 6.4.14.1: such ports are individual.
    OwnSystem,
}

fn fabric(input: &Json) -> String {
    let mut text = String::new();
    for bridge in list(&input["bridges"]) {
        let name = bridge["name"].as_str().unwrap();
        let ports: Vec<_> = list(&bridge["ports"])
            .iter()
            .flat_map(|port| list(&port["members"]))
            .map(|member| format!("\"{} 10G\"", member["if"].as_str().unwrap()))
            .collect();
        let _ = writeln!(
            text,
            "[[switch]]\nname = \"{name}\"\nmac = {}\nsystem_priority = 65534\nports = [{}]",
            bridge["mac"],
            ports.join(", "),
        );
        for port in list(&bridge["ports"]) {
            let members = list(&port["members"]);
            let names: Vec<_> = members.iter().map(|member| member["if"].to_string()).collect();
            let lacp = match port["lacp"].as_str().unwrap_or("off") {
                "off" => "protocol = \"static\"".to_owned(),
                mode => format!("mode = \"{mode}\""),
            };
            let _ = writeln!(
                text,
                "[[lag]]\non = \"{name}\"\nname = {}\nports = [{}]\nport_priority = 65535\n{lacp}",
                port["name"],
                names.join(", "),
            );
            if let Some(priority) = number(&port["system_priority"]) {
                let _ = writeln!(text, "system_priority = {priority}");
            }
            if port["system_id"].is_string() {
                let _ = writeln!(text, "system = {}", port["system_id"]);
            }
            if port["lacp_time"] == "fast" {
                let _ = writeln!(text, "timeout = \"short\"");
            }
            for member in members {
                let _ = writeln!(text, "[[lag.members]]\nports = {}", member["if"]);
                let id = number(&member["port_id"]).or(number(&member["ofport"]));
                for (key, value) in [
                    ("port_priority", number(&member["port_priority"])),
                    ("port_number", id),
                    ("key", number(&member["aggregation_key"])),
                ] {
                    if let Some(value) = value {
                        let _ = writeln!(text, "{key} = {value}");
                    }
                }
            }
        }
    }
    let runs: Vec<_> = list(&input["cables"])
        .iter()
        .map(|cable| {
            let end = |end: &Json| end.as_str().unwrap().replace(':', " ");
            format!("\"{} -- {}\"", end(&cable["a"]), end(&cable["b"]))
        })
        .collect();
    let _ = writeln!(text, "[cabling]\nruns = [{}]", runs.join(", "));
    text
}

/// A number, also where it is written as a text.
fn number(value: &Json) -> Option<u64> {
    value.as_u64().or_else(|| value.as_str()?.parse().ok())
}

/// The bits that an implementation here shares with the recorded words.
fn bits(state: LacpState) -> Vec<&'static str> {
    [
        (state.activity, "activity"),
        (state.short_timeout, "timeout"),
        (state.aggregation, "aggregation"),
        (state.synchronization, "synchronized"),
        (state.collecting, "collecting"),
        (state.distributing, "distributing"),
        (state.defaulted, "defaulted"),
        (state.expired, "expired"),
    ]
    .into_iter()
    .filter_map(|(set, word)| set.then_some(word))
    .collect()
}

/// How each member of a case differs from the record, and by which departure; none is a fault here.
type Differences = Vec<(Option<Departure>, String)>;

/// What of a case a departure can be told by.
struct Recorded<'a> {
    id: &'a str,
    input: &'a Json,
    output: &'a Json,
}

impl Recorded<'_> {
    fn lag(&self, bridge: &str, name: &str) -> &Json {
        let bridge = list(&self.input["bridges"]).iter().find(|b| b["name"] == bridge).unwrap();
        list(&bridge["ports"]).iter().find(|lag| lag["name"] == name).unwrap()
    }

    /// Why a member is attached there and not selected here, or the other way round.
    fn membership(&self, lag: &Json, far: Option<&Json>, member: &Json) -> Option<Departure> {
        let mixed = |lag: &Json| {
            let members = list(&lag["members"]);
            members.windows(2).any(|two| two[0]["aggregation_key"] != two[1]["aggregation_key"])
        };
        if lag["fallback_ab"] == true && member["status"] == "defaulted" {
            Some(Departure::Fallback)
        } else if mixed(lag) || far.is_some_and(mixed) {
            Some(Departure::OneKey)
        } else {
            // The one case in which the record itself tells that a lead was kept.
            (self.id == "lacp-010").then_some(Departure::History)
        }
    }

    /// Why the LACPDUs of a member read otherwise.
    fn words(
        &self,
        lag: &Json,
        member: &Json,
        (said, own): (&[&str], &[&'static str]),
        own_system: bool,
    ) -> Option<Departure> {
        let without = |words: &[&str], out: &[&str]| -> Vec<String> {
            words.iter().filter(|word| !out.contains(word)).map(|&word| word.to_owned()).collect()
        };
        let alone = list(&lag["members"]).len() == 1;
        let partner: Vec<_> =
            list(&member["partner"]["state"]).iter().filter_map(Json::as_str).collect();
        let flow = ["collecting", "distributing"];
        if own_system {
            Some(Departure::OwnSystem)
        } else if !partner.contains(&"synchronized")
            && without(said, &["aggregation", "collecting", "distributing"])
                == without(own, &["aggregation", "collecting", "distributing"])
        {
            Some(Departure::OutOfSync)
        } else if alone && without(said, &["aggregation"]) == without(own, &["aggregation"]) {
            Some(Departure::OneMember)
        } else if self.id == "lacp-010" && without(said, &flow) == without(own, &flow) {
            Some(Departure::History)
        } else {
            (self.id == "lacp-010" && alone).then_some(Departure::History)
        }
    }

    fn differences(&self, state: &State) -> (usize, Differences) {
        let fabric = state.fabric();
        let (mut members, mut found) = (0, Differences::new());
        for (_, lag) in fabric.lags() {
            let device = fabric.device_name(lag.device);
            let name = format!("{device}:{}", lag.name.value);
            let written = self.lag(device, &lag.name.value);
            for member in lag.members.iter() {
                let port = fabric.port_name(fabric.member(member).port.value);
                let recorded = &self.output[&name]["lacp"]["members"][port];
                let Some(attached) = recorded["attached"].as_bool() else { continue };
                members += 1;
                let outcome = state.member(member);
                let far = outcome.far.and_then(|far| fabric.lag_of(far)).map(|far| {
                    let far = fabric.lag(far);
                    self.lag(fabric.device_name(far.device), &far.name.value)
                });
                if attached != (outcome.state == MemberState::Selected) {
                    let why = self.membership(written, far, recorded);
                    let text = format!("{name} {port}: attached {attached}, {:?}", outcome.state);
                    found.push((why, text));
                    continue;
                }
                let enabled = recorded["may_enable"].as_bool().unwrap_or_default();
                if enabled != outcome.distributing {
                    let why = (self.id == "lacp-010").then_some(Departure::History);
                    found.push((why, format!("{name} {port}: enabled {enabled}, {outcome:?}")));
                }
                if recorded["status"] == "current" {
                    let said: Vec<_> =
                        list(&recorded["actor"]["state"]).iter().filter_map(Json::as_str).collect();
                    let own = state.lacpdu(member).map(bits).unwrap_or_default();
                    if said != own {
                        let own_system = outcome.reason == Reason::OwnSystem;
                        let why = self.words(written, recorded, (&said, &own), own_system);
                        found.push((why, format!("{name} {port}: says {said:?}, {own:?}")));
                    }
                }
            }
        }
        (members, found)
    }
}

#[test]
fn members_are_what_a_real_implementation_made_of_them() {
    let records = include_str!("../data/real/lacp.jsonl");
    let (mut outcomes, mut members, mut wrong) = (0, 0, Vec::new());
    let mut met: BTreeMap<Departure, BTreeSet<String>> = BTreeMap::new();
    for record in records.lines() {
        let case: Json = serde_json::from_str(record).unwrap();
        let (id, input) = (case["id"].as_str().unwrap(), &case["input"]);
        let fabric = Fabric::from_text("case.toml", &fabric(input));
        assert!(fabric.is_complete(), "{id}: {:#?}", fabric.faults());
        let down = list(&input["steps"]).iter().fold(Condition::default(), |down, step| {
            let (bridge, port) = step["link_down"].as_str().unwrap().split_once(':').unwrap();
            down.port(fabric.find_port(fabric.find_device(bridge).unwrap(), port).unwrap())
        });
        let steps = [(Condition::default(), "output"), (down, "output_after_steps")];
        for (condition, output) in steps.iter().filter(|(_, key)| !case[*key].is_null()) {
            let state = State::of(&fabric, condition, &Progress::default());
            let recorded = Recorded { id, input, output: &case[*output] };
            let (count, found) = recorded.differences(&state);
            outcomes += 1;
            members += count;
            for (why, text) in found {
                match why {
                    Some(why) => _ = met.entry(why).or_default().insert(id.to_owned()),
                    None => wrong.push(format!("{id} {text}")),
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    insta::assert_snapshot!(format!("{outcomes} outcomes, {members} members\n{met:#?}"));
}
