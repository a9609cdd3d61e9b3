//! What other programs read: SARIF against its schema, `JUnit`, DOT, the model of RFC 8345.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::BTreeSet;
use std::path::Path;

use felting::diagnostic::{Report, Severity};
use felting::{Condition, Fabric, Progress, State};
use felting_view::{
    Checked, Style, findings, findings_json, findings_junit, findings_lines, findings_sarif, sum,
    topology_dot, topology_rfc8345,
};
use quick_xml::events::Event;
use serde_json::Value;

fn demo(name: &str) -> Fabric {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    Fabric::from_path(root.join(name).join("fabric.toml"))
}

fn check(fabric: &Fabric) -> Report {
    State::of(fabric, &Condition::default(), &Progress::default())
        .check(Some(jiff::civil::date(2026, 11, 24)), &Progress::default())
}

const BROKEN: &str = "[[switch]]\nname = \"kelp-\\\"<a>&\"\nports = \"p1 25G\"\nnumbr = 1\n";

#[test]
fn sarif_keeps_to_its_schema() {
    // As OASIS publishes it, but for a stray bracket in a pattern, which is escaped here.
    let text = include_str!("data/sarif-2.1.0.json");
    let schema = jsonschema::validator_for(&serde_json::from_str(text).unwrap()).unwrap();
    for fabric in [
        demo("saltmarsh"),
        demo("saltmarsh-stormy"),
        Fabric::from_text("a b/\u{e9}.toml", BROKEN),
        Fabric::from_text("/tmp/shore.toml", felting::rules::find("lag-one-sided").unwrap().broken),
    ] {
        let report = check(&fabric);
        let page: Value = serde_json::from_str(&findings_sarif(
            &[Checked::new(&fabric, &report)],
            &Progress::default(),
        ))
        .unwrap();
        let wrong: Vec<String> = schema.iter_errors(&page).map(|error| error.to_string()).collect();
        assert_eq!(wrong, Vec::<String>::new());
        let run = &page["runs"][0];
        let results = run["results"].as_array().unwrap();
        let expected = fabric.faults().len() + report.findings.len() + report.accepted.len();
        assert_eq!(results.len(), expected);
        for result in results {
            let place = usize::try_from(result["ruleIndex"].as_u64().unwrap()).unwrap();
            let rule = &run["tool"]["driver"]["rules"][place];
            assert_eq!(rule["id"], result["ruleId"]);
            let uri =
                result["locations"][0]["physicalLocation"]["artifactLocation"]["uri"].as_str();
            assert!(uri.is_some_and(|uri| uri.is_ascii() && !uri.contains(' ')), "{uri:?}");
        }
        let suppressed =
            results.iter().filter(|result| result.get("suppressions").is_some()).count();
        assert_eq!(suppressed, report.accepted.len());
    }
}

#[test]
fn junit_has_a_case_for_each_finding_and_each_quiet_rule() {
    for fabric in [demo("saltmarsh"), demo("saltmarsh-stormy"), Fabric::from_text("b.toml", BROKEN)]
    {
        let report = check(&fabric);
        let text = findings_junit(
            &[Checked::new(&fabric, &report)],
            Some(Severity::Warning),
            &Progress::default(),
        );
        let (mut cases, mut failures, mut skipped, mut errors) = (0, 0, 0, 0);
        let mut reader = quick_xml::Reader::from_str(&text);
        loop {
            match reader.read_event().unwrap() {
                Event::Start(tag) | Event::Empty(tag) => match tag.name().as_ref() {
                    "testcase" => cases += 1,
                    "failure" => failures += 1,
                    "skipped" => skipped += 1,
                    "error" => errors += 1,
                    _ => {}
                },
                Event::Eof => break,
                _ => {}
            }
        }
        let at_least = report.count(Severity::Warning) + report.count(Severity::Error);
        assert_eq!((failures, errors), (at_least, fabric.faults().len()));
        assert_eq!(skipped, report.count(Severity::Hint) + report.accepted.len());
        let loud: BTreeSet<&str> = report
            .findings
            .iter()
            .chain(report.accepted.iter().map(|accepted| &accepted.finding))
            .map(|finding| finding.rule.id)
            .collect();
        let quiet = felting::rules::all().count() - loud.len() + usize::from(fabric.is_complete());
        assert_eq!(cases, quiet + failures + skipped + errors);
    }
}

#[test]
fn what_is_counted_alone_is_said_in_every_form() {
    let (most, more) = (Report::MOST_OF_RULE, 3);
    let all = most + more;
    let fabric = Fabric::from_text(
        "shore.toml",
        &format!(
            "[fabric]\nname = \"shore\"\n[[switch]]\nname = \"kelp-[1-{all}]\"\nports = \"p[1-2] 25G\"\n\
             [cabling]\nruns = \"kelp-[1-{all}] p1 -- kelp-[1-{all}] p2\"\n\
             [[accept]]\nrule = \"cable-loop\"\non = \"kelp-{all}\"\nreason = \"a loop for tests\"\n"
        ),
    );
    let (report, quiet) = (check(&fabric), Progress::default());
    assert_eq!((report.findings.len(), report.count(Severity::Error)), (most, all - 1));
    assert_eq!(report.count_accepted(Severity::Error), 1);
    let checked = Checked::new(&fabric, &report);
    assert!(sum(&checked).starts_with("shore: 10002 errors, 1 accepted, 1 of them an error ("));
    let told = "2 more errors of cable-loop: of one rule the first 10000 are told; mend these and check again";
    let line = format!("shore.toml: error: {told}");
    assert!(findings(&checked, Style::PLAIN, &quiet).lines().any(|one| one == told));
    assert!(findings_lines(&checked).lines().any(|one| one == line));
    let json: Value = serde_json::from_str(&findings_json(&[checked], &quiet)).unwrap();
    assert_eq!(
        json["beyond"][0],
        serde_json::json!({"rule": "cable-loop", "severity": "error", "accepted": false, "count": 2})
    );
    assert_eq!(json["counts"]["error"], 10_002);
    let sarif: Value = serde_json::from_str(&findings_sarif(&[checked], &quiet)).unwrap();
    let note = &sarif["runs"][0]["invocations"][0]["toolExecutionNotifications"][0];
    assert_eq!(note["message"]["text"], told);
    let junit = findings_junit(&[checked], Some(Severity::Error), &quiet);
    assert!(junit.contains(&format!("<failure message=\"{told}\" type=\"error\"/>")));
}

#[test]
fn dot_names_every_switch_and_cable() {
    let text = "[fabric]\nname = 'a \"<b>\\'\n[[switch]]\nname = \"kelp-a\"\nports = \"p1 25G\"\n";
    let fabric = Fabric::from_text("b.toml", text);
    assert!(fabric.is_complete(), "{:?}", fabric.faults());
    insta::assert_snapshot!(topology_dot(
        &State::of(&fabric, &Condition::default(), &Progress::default()),
        None,
        &Progress::default()
    ));
    let fabric = demo("saltmarsh");
    let text = topology_dot(
        &State::of(&fabric, &Condition::default(), &Progress::default()),
        None,
        &Progress::default(),
    );
    assert_eq!(text.matches(" -- ").count(), fabric.cables().len());
    assert!(text.contains(r#""kelp-a" -- "crest-1" [taillabel="p49", headlabel="p1""#), "{text}");
}

/// Every reference leads to what is there, every link has both its ends and goes both ways (RFC 8345).
#[test]
fn the_model_of_rfc_8345_hangs_together() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let page: Value =
            serde_json::from_str(&topology_rfc8345(&state, &Progress::default())).unwrap();
        let networks = page["ietf-network:networks"]["network"].as_array().unwrap();
        let ids: Vec<&str> = networks.iter().map(|n| n["network-id"].as_str().unwrap()).collect();
        assert_eq!(ids, ["cabling", "underlay", "overlay"]);
        let mut points: BTreeSet<(String, String, String)> = BTreeSet::new();
        let mut nodes: BTreeSet<(String, String)> = BTreeSet::new();
        let mut links: BTreeSet<(String, String)> = BTreeSet::new();
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        for network in networks {
            let id = text(&network["network-id"]);
            for node in network["node"].as_array().unwrap() {
                let node_id = text(&node["node-id"]);
                assert!(nodes.insert((id.clone(), node_id.clone())), "{node_id} twice");
                for point in node["ietf-network-topology:termination-point"].as_array().unwrap() {
                    let key = (id.clone(), node_id.clone(), text(&point["tp-id"]));
                    assert!(points.insert(key.clone()), "{key:?} twice");
                }
                for on in node["supporting-node"].as_array().into_iter().flatten() {
                    let key = (text(&on["network-ref"]), text(&on["node-ref"]));
                    assert!(nodes.contains(&key), "{key:?}");
                }
            }
            for link in network["ietf-network-topology:link"].as_array().unwrap() {
                assert!(links.insert((id.clone(), text(&link["link-id"]))), "{link} twice");
            }
            for link in network["ietf-network-topology:link"].as_array().unwrap() {
                let (from, to) = (&link["source"], &link["destination"]);
                let source = (id.clone(), text(&from["source-node"]), text(&from["source-tp"]));
                let target = (id.clone(), text(&to["dest-node"]), text(&to["dest-tp"]));
                assert!(points.contains(&source) && points.contains(&target), "{link}");
                let reverse = format!("{} {} > {} {}", target.1, target.2, source.1, source.2);
                assert!(links.contains(&(id.clone(), reverse)), "{link}");
                for on in link["supporting-link"].as_array().into_iter().flatten() {
                    let key = (text(&on["network-ref"]), text(&on["link-ref"]));
                    assert!(links.contains(&key), "{key:?}");
                }
            }
        }
    }
}
