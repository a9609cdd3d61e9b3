//! Fabrics that engineers judged by the standards: `judged/` has one a question, in four subjects. Lines that begin with `#:`
//! say in JSON what the command must answer, and why; `#!1` marks a line that a finding must show.
//!
//! | key | of | what must hold |
//! |---|---|---|
//! | `run` | all | the command line, without the file |
//! | `exit` | all | the exit code |
//! | `faults`, `count` | `check` | how many input faults (0) and findings there are |
//! | `not` | `check` | rules that found nothing |
//! | `at`, `rules`, `severity` | `check` | one finding shows all these lines, is of one of these rules, has one of these severities |
//! | `message_has`, `wire_lacks`… | `check` | patterns that this finding's texts match, or don't |
//! | `arrives`, `stops_at` | `walk` | whether the ping comes back, and where it stops |
//! | `explained` | `walk` | whether a finding explains the stop, or the rules of which one does |
//! | `has`, `lacks` | all but `check` | patterns that the output matches, or doesn't |

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use fancy_regex::Regex;
use rayon::prelude::*;
use serde_json::Value;

type Lines = BTreeSet<u64>;

/// A file, the lines that each mark is on, and what is asked of it.
struct Case {
    path: PathBuf,
    marks: BTreeMap<String, Lines>,
    asks: Vec<Value>,
}

#[test]
fn what_engineers_judged_is_what_comes_out() {
    let files = files(&Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/judged"));
    let cases: Vec<Case> =
        files.into_iter().map(read).filter(|case| !case.asks.is_empty()).collect();
    assert!(cases.len() > 200, "only {} cases were found", cases.len());
    let wrong: Vec<String> = cases.par_iter().flat_map_iter(judge).collect();
    assert!(wrong.is_empty(), "{} answers are wrong:\n{}", wrong.len(), wrong.join("\n"));
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let mut found: Vec<PathBuf> = entries
        .flat_map(|path| if path.is_dir() { files(&path) } else { vec![path] })
        .filter(|path| path.extension().is_some_and(|extension| extension == "toml"))
        .collect();
    found.sort();
    found
}

fn read(path: PathBuf) -> Case {
    let text = std::fs::read_to_string(&path).unwrap();
    let mut case = Case { path, marks: BTreeMap::new(), asks: Vec::new() };
    for (line, number) in text.lines().zip(1..) {
        match line.strip_prefix("#:") {
            Some(ask) => {
                let ask: Value = serde_json::from_str(ask)
                    .unwrap_or_else(|error| panic!("{}:{number}: {error}", case.path.display()));
                if ask.get("run").is_some() {
                    case.asks.push(ask);
                }
            }
            None => {
                for (_, mark) in line.match_indices("#!").map(|(at, _)| line.split_at(at + 1)) {
                    let mark = mark.split_whitespace().next().unwrap_or_default();
                    case.marks.entry(mark.to_owned()).or_default().insert(number);
                }
            }
        }
    }
    case
}

fn judge(case: &Case) -> Vec<String> {
    let answers = case.asks.iter().flat_map(|ask| {
        let words = shlex::split(text(&ask["run"])).unwrap();
        let output = answer(case, &words);
        let wrong = match words[0].as_str() {
            "check" => findings(case, ask, &output),
            "walk" => walk(ask, &output),
            _ => Vec::new(),
        };
        let name = case.path.file_name().unwrap().display().to_string();
        let wrong = wrong.into_iter().chain(anything(ask, &output, &words[0]));
        wrong.map(move |wrong| format!("{name}: {}: {wrong}", text(&ask["run"])))
    });
    answers.collect()
}

/// What the command says, in the form in which it is looked at.
fn answer(case: &Case, words: &[String]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_felting"));
    command.current_dir(case.path.parent().unwrap());
    // The file comes after what else has a place.
    let named = match words[0].as_str() {
        "walk" => 3,
        "sheet" | "draw" => 2,
        _ => 1,
    };
    command.args(&words[..named]).arg(case.path.file_name().unwrap()).args(&words[named..]);
    match words[0].as_str() {
        "check" | "walk" => command.args(["--format", "json"]),
        "sheet" => command.args(["--format", "csv"]),
        _ => &mut command,
    };
    command.output().unwrap()
}

fn findings(case: &Case, ask: &Value, output: &Output) -> Vec<String> {
    let Ok(report) = serde_json::from_slice::<Value>(&output.stdout) else {
        return vec![format!("no JSON: {}", String::from_utf8_lossy(&output.stderr))];
    };
    let mut wrong = Vec::new();
    let found = report["findings"].as_array().unwrap();
    let rules: Vec<&str> = found.iter().map(|one| text(&one["rule"])).collect();
    let faults = report["counts"]["faults"].as_u64().unwrap();
    if faults != ask["faults"].as_u64().unwrap_or_default() {
        wrong.push(format!("{faults} input faults"));
    }
    if ask["count"].as_u64().is_some_and(|count| count != found.len() as u64) {
        wrong.push(format!("{} findings, not {}: {rules:?}", found.len(), ask["count"]));
    }
    wrong.extend(
        texts(&ask["not"])
            .filter(|rule| rules.contains(rule))
            .map(|rule| format!("{rule} is there")),
    );
    for rule in texts(&ask["rules"]).chain(texts(&ask["not"])) {
        assert!(felting::rules::find(rule).is_some(), "{}: no rule {rule}", case.path.display());
    }
    if !found.iter().any(|one| fits(case, ask, one)) && asks_for_one(ask) {
        wrong.push(format!("none of {rules:?} is as asked: {ask}"));
    }
    wrong
}

const PARTS: [(&str, &str); 3] =
    [("message", "message"), ("wire", "on_the_wire"), ("remedy", "remedy")];

/// Whether some one finding is asked for.
fn asks_for_one(ask: &Value) -> bool {
    let patterns = PARTS.iter().any(|(part, _)| {
        ["has", "lacks"].iter().any(|what| ask.get(format!("{part}_{what}")).is_some())
    });
    patterns || ["at", "rules", "severity"].iter().any(|key| ask.get(key).is_some())
}

fn fits(case: &Case, ask: &Value, finding: &Value) -> bool {
    let own = case.path.file_name().unwrap().to_str().unwrap();
    let related = finding["related"].as_array().unwrap();
    let places = std::iter::once(&finding["at"]).chain(related);
    let lines: Lines = places
        .filter(|place| text(&place["file"]).ends_with(own))
        .flat_map(|place| place["line"].as_u64().unwrap()..=place["end_line"].as_u64().unwrap())
        .collect();
    let shown = texts(&ask["at"]).all(|mark| {
        let marked = case.marks.get(mark);
        !marked.unwrap_or_else(|| panic!("{own} has no mark {mark}")).is_disjoint(&lines)
    });
    let one_of = |key: &str| {
        ask.get(key).is_none() || texts(&ask[key]).any(|word| word == text(&finding[key]))
    };
    let rule = ask.get("rules").is_none()
        || texts(&ask["rules"]).any(|rule| rule == text(&finding["rule"]));
    shown
        && rule
        && one_of("severity")
        && PARTS.iter().all(|(part, key)| {
            let said = finding[key].as_str().unwrap_or_default();
            patterns(&ask[format!("{part}_has")]).all(|pattern| matches(&pattern, said))
                && !patterns(&ask[format!("{part}_lacks")]).any(|pattern| matches(&pattern, said))
        })
}

fn walk(ask: &Value, output: &Output) -> Vec<String> {
    let Ok(answer) = serde_json::from_slice::<Value>(&output.stdout) else {
        return vec![format!("no JSON: {}", String::from_utf8_lossy(&output.stderr))];
    };
    let mut wrong = Vec::new();
    if ask.get("arrives").is_some_and(|arrives| *arrives != answer["arrives"]) {
        wrong.push(format!("arrives: {}", answer["arrives"]));
    }
    let stop = &answer["stop"];
    if ask.get("stops_at").is_some_and(|device| *device != stop["device"]) {
        wrong.push(format!("stops at {}", stop["device"]));
    }
    let by = stop["finding"]["rule"].as_str();
    let explained = match &ask["explained"] {
        Value::Bool(asked) => by.is_some() == *asked,
        Value::Array(rules) => rules.iter().any(|rule| rule.as_str() == by),
        _ => true,
    };
    if !explained {
        wrong.push(format!("explained by {by:?}"));
    }
    wrong
}

/// What is asked of the output of any command.
fn anything(ask: &Value, output: &Output, kind: &str) -> Vec<String> {
    let mut wrong = Vec::new();
    let error = String::from_utf8_lossy(&output.stderr);
    if error.contains("panicked") {
        wrong.push(error.to_string());
    }
    let code = output.status.code().map(i64::from);
    if ask.get("exit").is_some_and(|exit| exit.as_i64() != code) {
        wrong.push(format!("exit code {code:?}"));
    }
    if kind != "check" {
        let out = String::from_utf8_lossy(&output.stdout);
        let said = if matches!(kind, "walk" | "sheet") {
            out.into_owned()
        } else {
            out.into_owned() + &error
        };
        let lacking = patterns(&ask["has"]).filter(|pattern| !matches(pattern, &said));
        wrong.extend(lacking.map(|pattern| format!("lacks {pattern}")));
        let there = patterns(&ask["lacks"]).filter(|pattern| matches(pattern, &said));
        wrong.extend(there.map(|pattern| format!("has {pattern}")));
    }
    wrong
}

fn text(value: &Value) -> &str {
    value.as_str().unwrap_or_else(|| panic!("{value} is no text"))
}

/// A text, or a list of texts.
fn texts(value: &Value) -> impl Iterator<Item = &str> {
    let many = value.as_array().into_iter().flatten().map(text);
    value.as_str().into_iter().chain(many)
}

fn patterns(value: &Value) -> impl Iterator<Item = Regex> {
    texts(value).map(|pattern| Regex::new(pattern).unwrap_or_else(|error| panic!("{error}")))
}

fn matches(pattern: &Regex, said: &str) -> bool {
    pattern.is_match(said).unwrap_or_else(|error| panic!("{pattern}: {error}"))
}
