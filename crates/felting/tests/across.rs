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
    let area = "\n[[interface]]\non = \"leaf-01a\"\nport = \"p49\"\narea = 1\n";
    hold("ospf", &text);
    hold("bgp", &text.replace("protocol = \"ospf\"", "protocol = \"bgp\""));
    hold("areas", &format!("{text}{area}"));
}

/// From the smallest example of each rule to the mended one and back: every kind of statement is among them.
#[test]
fn of_the_examples_of_all_rules() {
    let none = Condition::default();
    for rule in felting::rules::all() {
        let [broken, mended] = [rule.broken.to_owned(), rule.mended()].map(|text| read(&text));
        let states = [&broken, &mended].map(|fabric| anew(fabric, &none));
        let there = states[0].across(&mended, &none);
        assert!(format!("{there:?}") == format!("{:?}", states[1]), "{}", rule.id);
        let back = there.across(&broken, &none);
        assert!(format!("{back:?}") == format!("{:?}", states[0]), "{}", rule.id);
    }
}

/// Where only what no router looks at differs, all routes are shared.
#[test]
fn routes_are_shared_where_nothing_touches_them() {
    let plan = Scaffold { pairs: 1, hosts: 2, segments: 2, ..Scaffold::default() };
    let text = plan.to_toml().unwrap();
    let none = Condition::default();
    let before = anew(&read(&text), &none);
    let shares =
        |text: &str| std::ptr::eq(before.underlay(), before.across(&read(text), &none).underlay());
    let accepted = "[[accept]]\nrule = \"pair-priority-tie\"\nreason = \"known\"\n";
    assert!(shares(&format!("# moved down\n{text}\n{accepted}")));
    assert!(shares(&text.replacen("nic[1-2] 25G", "nic[1-2] 10G", 1)));
    assert!(!shares(&text.replacen("protocol = \"ospf\"", "protocol = \"bgp\"", 1)));
}
