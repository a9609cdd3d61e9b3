//! One slip at a time in a fabric without faults: a number one off, a key or a statement left out, a word for another, a
//! value of the statement beside, a cable in the port beside, one switch that has something else.
//!
//! A few hundred of them are a test; `FELTING_SLIPS=all cargo test --release -p felting --test slips -- --nocapture` takes
//! them all, and tells by kind of slip how many were told, once or more often, and what of those that were not told the
//! fabric no longer does. `docs/trust.md` has the numbers.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::rules::{Claims, Terms};
use felting::scaffold::Scaffold;
use felting::{Condition, Fabric, Progress, Report, State, walk};
use rayon::prelude::*;

/// A line or a statement that is written otherwise.
struct Slip {
    what: &'static str,
    /// The key, or the kind of statement.
    of: String,
    text: String,
}

/// What says of an endpoint or a segment something else that is as good: nobody can know that it was not meant.
const MEANT: &[&str] = &["endpoint.address", "segment.vrf"];

/// What came of a slip.
struct Came {
    slip: Slip,
    faults: usize,
    /// What was found that is not found without the slip.
    told: Vec<String>,
    /// What does not work any more and nothing explains.
    unexplained: Vec<String>,
    /// How many endpoints no longer reach what they did, and the first.
    lost: usize,
}

/// A fabric as `felting new` writes it, with endpoints on its hosts.
fn fabric(plan: &Scaffold) -> String {
    let mut text = plan.to_toml().unwrap();
    for number in 1..=plan.hosts {
        let segment = 1 + (number - 1) % plan.segments;
        let _ = write!(
            text,
            "\n[[endpoint]]\nname = \"guest-{number}\"\nhost = \"host-{number:03}\"\ntag = {}\n\
             address = \"10.64.{segment}.{}/24\"\ngateway = \"10.64.{segment}.1\"\n",
            100 + segment,
            20 + number,
        );
    }
    text
}

fn plans() -> Vec<(&'static str, Scaffold)> {
    vec![
        ("pairs", Scaffold { hosts: 8, segments: 3, tenants: 2, ..Scaffold::default() }),
        ("leaves", Scaffold { pairs: 0, leaves: 3, hosts: 6, ..Scaffold::default() }),
        ("pods", Scaffold { pods: 2, pairs: 1, super_spines: 2, ..Scaffold::default() }),
    ]
}

/// The statements of a file: their first lines and the lines after their last.
fn statements(lines: &[&str]) -> Vec<(String, usize, usize)> {
    let mut found: Vec<(String, usize, usize)> = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        if line.starts_with('[') {
            let name = line.trim_matches(|c| "[]".contains(c)).to_owned();
            found.push((name, at, lines.len()));
            if let [.., before, _] = &mut found[..] {
                before.2 = at;
            }
        }
    }
    found
}

fn joined(lines: &[&str], from: usize, to: usize, instead: &[&str]) -> String {
    [&lines[..from], instead, &lines[to..]].concat().join("\n") + "\n"
}

/// A text with each of its numbers one more and one less, addresses and prefix lengths too.
fn numbers(text: &str) -> Vec<(&'static str, String)> {
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(start) = text[at..].find(|c: char| c.is_ascii_digit()).map(|start| at + start) {
        let end =
            text[start..].find(|c: char| !c.is_ascii_digit()).map_or(text.len(), |n| start + n);
        let number: u64 = text[start..end].parse().unwrap_or(u64::MAX - 1);
        let width = end - start;
        for (what, other) in [("one more", number + 1), ("one less", number.wrapping_sub(1))] {
            if other < u64::MAX - 2 {
                found.push((what, format!("{}{other:0width$}{}", &text[..start], &text[end..])));
            }
        }
        at = end;
    }
    found
}

/// Every slip that is made in a text.
fn slips(text: &str) -> Vec<Slip> {
    let lines: Vec<&str> = text.lines().collect();
    let statements = statements(&lines);
    let mut values: BTreeMap<(String, String), BTreeSet<String>> = BTreeMap::new();
    let mut runs: Vec<usize> = Vec::new();
    for (table, from, to) in &statements {
        for (at, line) in lines.iter().enumerate().take(*to).skip(*from) {
            if let Some((key, value)) = line.split_once(" = ") {
                let key = (table.clone(), key.trim().to_owned());
                values.entry(key).or_default().insert(value.to_owned());
            } else if table == "cabling" && line.contains(" -- ") {
                runs.push(at);
            }
        }
    }
    let devices: Vec<String> = Fabric::from_text("f.toml", text)
        .devices()
        .map(|(_, device)| device.name.to_string())
        .collect();
    let mut found = Vec::new();
    let mut add = |what, of: &str, text| found.push(Slip { what, of: of.to_owned(), text });
    for (table, from, to) in &statements {
        if table != "fabric" {
            add("statement left out", table, joined(&lines, *from, *to, &[]));
            let twice = lines[*from..*to].repeat(2);
            add("statement twice", table, joined(&lines, *from, *to, &twice));
        }
        for at in *from + 1..*to {
            let Some((key, value)) = lines[at].split_once(" = ") else { continue };
            let of = format!("{table}.{key}");
            let change = |value: &str| joined(&lines, at, at + 1, &[&format!("{key} = {value}")]);
            if value != "[" && key != "name" {
                add("key left out", &of, joined(&lines, at, at + 1, &[]));
            }
            for (what, other) in numbers(value) {
                add(what, &of, change(&other));
            }
            if let Some(other) = match value {
                "true" => Some("false"),
                "false" => Some("true"),
                _ => None,
            } {
                add("the opposite", &of, change(other));
            }
            let beside = &values[&(table.clone(), key.to_owned())];
            for other in beside.iter().filter(|other| *other != value && *other != "[").take(2) {
                add("value of another", &of, change(other));
            }
            // One switch of several has another value.
            let on = lines[*from..*to].iter().find_map(|line| line.strip_prefix("on = \""));
            let Some(pattern) = on.map(|on| on.trim_end_matches('"').trim_end_matches('*')) else {
                continue;
            };
            let one = devices.iter().find(|device| device.starts_with(pattern));
            let Some(one) = one.filter(|one| *one != pattern && key != "on" && key != "name")
            else {
                continue;
            };
            for (_, other) in numbers(value).into_iter().take(1) {
                let line = format!("differs = [{{ on = \"{one}\", {key} = {other} }}]");
                add("one has another", &of, joined(&lines, at + 1, at + 1, &[&line]));
            }
            let line = format!("differs = [{{ on = \"{one}\", without = \"{key}\" }}]");
            add("one is without", &of, joined(&lines, at + 1, at + 1, &[&line]));
        }
    }
    for (place, &at) in runs.iter().enumerate() {
        let line = lines[at];
        add("cables left out", "cabling", joined(&lines, at, at + 1, &[]));
        for (_, other) in numbers(line) {
            add("cables elsewhere", "cabling", joined(&lines, at, at + 1, &[&other]));
        }
        let Some(&next) = runs.get(place + 1) else { continue };
        let (Some((near, far)), Some((near_next, far_next))) =
            (line.split_once(" -- "), lines[next].split_once(" -- "))
        else {
            continue;
        };
        let (first, second) = (format!("{near} -- {far_next}"), format!("{near_next} -- {far}"));
        let text = joined(&lines, at, at + 1, &[&first]);
        add("far ends swapped", "cabling", text.replacen(lines[next], &second, 1));
    }
    let whole = Fabric::from_text("f.toml", text);
    for (_, cable) in whole.cables() {
        for end in cable.ends {
            let port = whole.port(end.value);
            let device = whole.device(port.device);
            if device.kind != felting::fabric::DeviceKind::Switch {
                continue;
            }
            for said in ["enabled = false", "mtu = 1500", "tagged = 2222", "untagged = 2222"] {
                let port = whole.port_name(end.value);
                let text = format!(
                    "{text}\n[[port]]\non = \"{}\"\nports = \"{port}\"\n{said}\n",
                    device.name.value
                );
                add("port of its own mind", said.split(' ').next().unwrap(), text);
            }
        }
    }
    found
}

fn lines_of(report: &Report) -> Vec<String> {
    let told = report.findings.iter().filter(|finding| finding.rule.id != "accept-unmatched");
    told.map(ToString::to_string).collect()
}

/// Who of the endpoints that both fabrics have reaches whom, by name.
fn reached(state: &State) -> BTreeSet<(String, String)> {
    let fabric = state.fabric();
    let ids: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    let reach = walk::reach(state, &ids, &Progress::default());
    let name = |id| fabric.endpoint(id).name.to_string();
    let all = ids.iter().flat_map(|&a| ids.iter().map(move |&b| (a, b)));
    all.filter(|&(a, b)| reach.reaches(a, b) == Some(true))
        .map(|(a, b)| (name(a), name(b)))
        .collect()
}

/// What a text comes to.
#[derive(Default)]
struct Outcome {
    faults: usize,
    told: Vec<String>,
    unexplained: Vec<String>,
    reached: BTreeSet<(String, String)>,
    endpoints: BTreeSet<String>,
}

impl Outcome {
    fn of(text: &str) -> Self {
        let fabric = Fabric::from_text("f.toml", text);
        let faults = fabric.faults().len();
        if faults > 0 {
            return Self { faults, ..Self::default() };
        }
        let quiet = Progress::default();
        let state = State::of(&fabric, &Condition::default(), &quiet);
        let report = state.check(Terms::default().ignore_severities(), &quiet);
        let claims = Claims::of(&report);
        let troubles = state.troubles().into_iter().chain(state.parted());
        let open = troubles.filter(|&trouble| !claims.explain(&state, trouble));
        Self {
            faults,
            told: lines_of(&report),
            unexplained: open.map(|trouble| state.trouble_words(trouble)).collect(),
            reached: reached(&state),
            endpoints: fabric.endpoints().map(|(_, one)| one.name.to_string()).collect(),
        }
    }
}

#[test]
fn slips_are_told_and_told_once() {
    let all = std::env::var("FELTING_SLIPS").is_ok_and(|how| how == "all");
    let mut page = String::new();
    let mut total = [0_usize; 5];
    let mut open = Vec::new();
    let mut silent = Vec::new();
    for (name, plan) in plans() {
        let text = fabric(&plan);
        let before = Outcome::of(&text);
        assert!(before.faults == 0 && before.told.is_empty(), "{name}: {:#?}", before.told);
        assert!(before.unexplained.is_empty(), "{name}: {:#?}", before.unexplained);
        let slips = slips(&text);
        let step = if all { 1 } else { slips.len().div_ceil(120) };
        let taken: Vec<Slip> = slips.into_iter().step_by(step).collect();
        let came: Vec<Came> = taken
            .into_par_iter()
            .map(|slip| {
                let after = Outcome::of(&slip.text);
                let is_there = |name: &String| after.endpoints.contains(name);
                let both = |pair: &&(String, String)| is_there(&pair.0) && is_there(&pair.1);
                let parted = before.reached.difference(&after.reached).filter(both).count();
                let lost = if after.faults > 0 { 0 } else { parted };
                let Outcome { faults, told, unexplained, .. } = after;
                Came { slip, faults, told, unexplained, lost }
            })
            .collect();
        let mut kinds: BTreeMap<&str, [usize; 5]> = BTreeMap::new();
        for one in &came {
            let place = match (one.faults, one.told.len()) {
                (1.., _) => 0,
                (0, 0) => 1,
                (0, 1) => 2,
                (0, 2..=3) => 3,
                _ => 4,
            };
            kinds.entry(one.slip.what).or_default()[place] += 1;
            total[place] += 1;
            let what = format!("{name}, {}: {}", one.slip.what, one.slip.of);
            open.extend(
                one.unexplained
                    .iter()
                    .map(|trouble| format!("{what}: {trouble}; told: {:?}", one.told)),
            );
            if place == 1 && one.lost > 0 && !MEANT.contains(&one.slip.of.as_str()) {
                silent.push(format!("{what}: {} pairs of endpoints are parted", one.lost));
            }
            if all && place >= 3 {
                let _ = writeln!(page, "{what}\n    {}", one.told.join("\n    "));
            }
        }
        for (kind, [faults, silent, once, few, many]) in kinds {
            let _ = writeln!(
                page,
                "{name:<8} {kind:<22} {faults:>5} input faults {silent:>5} silent {once:>5} once {few:>4} two or three \
                 times {many:>4} more often"
            );
        }
    }
    let [faults, quiet, once, few, many] = total;
    let told = once + few + many;
    println!(
        "{page}{faults} input faults, {quiet} silent, {once} of {told} told once, {many} more than three times"
    );
    if all {
        println!("{}", silent.join("\n"));
    }
    assert!(open.is_empty(), "{} troubles are unexplained:\n{}", open.len(), open.join("\n"));
    assert!(
        silent.is_empty(),
        "{} slips part endpoints and are silent:\n{}",
        silent.len(),
        silent.join("\n")
    );
}
