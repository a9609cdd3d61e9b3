//! A state that is made from that of another fabric is the state that is made anew.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use felting::scaffold::Scaffold;
use felting::{Condition, Fabric, Progress, State};

fn read(text: &str) -> Fabric {
    Fabric::from_text("across.toml", text)
}

fn anew(fabric: &Fabric, condition: &Condition) -> State {
    State::of(fabric, condition, &Progress::default())
}

/// The text with each line taken out, and with each number counted up: what slips, and what people change.
fn edits(text: &str) -> Vec<String> {
    let lines: Vec<&str> = text.lines().collect();
    let with = |at: usize, line: Option<String>| {
        let mut lines: Vec<String> = lines.iter().map(|&line| line.to_owned()).collect();
        match line {
            Some(line) => lines[at] = line,
            None => drop(lines.remove(at)),
        }
        lines.join("\n")
    };
    let mut found = Vec::new();
    for (at, line) in lines.iter().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        found.push(with(at, None));
        let digit = line.rfind(|letter: char| letter.is_ascii_digit());
        found.extend(digit.map(|place| {
            let next = (line.as_bytes()[place] - b'0' + 1) % 10;
            with(at, Some(format!("{}{next}{}", &line[..place], &line[place + 1..])))
        }));
    }
    found
}

fn hold(name: &str, text: &str) {
    let whole = read(text);
    assert!(whole.is_complete(), "{name}: {:?}", whole.faults().first());
    let none = Condition::default();
    let before = anew(&whole, &none);
    for text in edits(text) {
        let fabric = read(&text);
        let across = before.across(&fabric, &none);
        assert!(across.fabric().is(&fabric));
        assert!(format!("{across:?}") == format!("{:?}", anew(&fabric, &none)), "{name}:\n{text}");
        // With something down as well, and back again.
        let Some((cable, _)) = fabric.cables().nth(3) else { continue };
        let less = none.clone().cable(cable);
        let across = before.across(&fabric, &less);
        assert!(format!("{across:?}") == format!("{:?}", anew(&fabric, &less)), "{name}:\n{text}");
        assert!(
            format!("{:?}", across.across(&whole, &none)) == format!("{before:?}"),
            "{name}:\n{text}"
        );
    }
}

#[test]
fn of_scaffolds_with_other_underlays() {
    let plan = Scaffold { pairs: 1, hosts: 2, segments: 2, ..Scaffold::default() };
    let text = plan.to_toml().unwrap();
    let area = "\n[[interface]]\non = \"leaf-01a\"\nport = \"et49\"\narea = 1\n";
    hold("ospf", &text);
    hold("bgp", &text.replace("protocol = \"ospf\"", "protocol = \"bgp\""));
    hold("areas", &format!("{text}{area}"));
}

/// What only endpoints, hosts and expectations differ in, all routes are shared of.
#[test]
fn routes_are_shared_where_nothing_touches_them() {
    let plan = Scaffold { pairs: 1, hosts: 2, segments: 2, ..Scaffold::default() };
    let text = plan.to_toml().unwrap();
    let none = Condition::default();
    let before = anew(&read(&text), &none);
    let more = format!(
        "# moved down\n{text}\n[[accept]]\nrule = \"pair-priority-tie\"\nreason = \"known\"\n"
    );
    let after = before.across(&read(&more), &none);
    assert!(std::ptr::eq(before.underlay(), after.underlay()));
    let less = text.replacen("router_id", "cluster_id", 1);
    assert!(
        !std::ptr::eq(before.underlay(), before.across(&read(&less), &none).underlay())
            || less == text
    );
    let moved = text.replacen("protocol = \"ospf\"", "protocol = \"bgp\"", 1);
    assert!(!std::ptr::eq(before.underlay(), before.across(&read(&moved), &none).underlay()));
}
