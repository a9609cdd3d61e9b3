//! Absurd input: a clear refusal or correct work, in memory in proportion to it, and never an abort.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use felting::Fabric;
use felting::diagnostic::{Report, Severity};
use felting::source::{Disk, FaultKind, MOST_BYTES, Memory};

const MEGABYTE: usize = 1_000_000;

/// The kinds of the faults, each with its message, which nobody reads if it is long.
fn refused(text: &str) -> Vec<(FaultKind, String)> {
    let fabric = Fabric::from_text("absurd.toml", text);
    fabric.check();
    let faults: Vec<_> =
        fabric.faults().iter().map(|fault| (fault.kind, fault.what.message.clone())).collect();
    for fault in fabric.faults() {
        assert!(
            fault.what.message.len() + fault.what.primary.text.len() + fault.what.remedy.len()
                < 4000
        );
        let _ = fabric.sources().location(fault.at());
    }
    faults
}

fn kinds(text: &str) -> Vec<FaultKind> {
    let mut kinds: Vec<_> = refused(text).into_iter().map(|(kind, _)| kind).collect();
    kinds.dedup();
    kinds
}

#[test]
fn a_file_of_200_megabytes_is_refused_before_it_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let file = std::fs::File::create(folder.path().join("fabric.toml")).unwrap();
    file.set_len(200 * MEGABYTE as u64).unwrap();
    let fabric = Fabric::from_path(folder.path().join("fabric.toml"));
    let [fault] = fabric.faults() else { panic!("{:?}", fabric.faults()) };
    assert_eq!(fault.kind, FaultKind::TooLarge);
    assert!(fault.what.message.ends_with("has 200000000 bytes, more than a file may have"));
    // An included file is refused at the place that asks for it, and the rest is read.
    std::fs::write(
        folder.path().join("root.toml"),
        "[fabric]\ninclude = \"fabric.toml\"\n[[switch]]\nname = \"kelp-a\"\n",
    )
    .unwrap();
    let fabric = Fabric::from_files(&Disk::new(folder.path()), "root.toml");
    assert_eq!((fabric.faults().len(), fabric.devices().len()), (1, 1));
    assert_eq!(fabric.sources().location(fabric.faults()[0].at()).line, 2);
}

#[test]
fn a_file_of_just_too_many_bytes_is_refused_wherever_it_comes_from() {
    let mut text = vec![b'#'; usize::try_from(MOST_BYTES).unwrap() + 1];
    let faults = |bytes: Vec<u8>| {
        let mut files = Memory::default();
        files.insert("fabric.toml", bytes);
        let fabric = Fabric::from_files(&files, "fabric.toml");
        fabric.faults().iter().map(|fault| fault.kind).collect::<Vec<_>>()
    };
    assert_eq!(faults(text.clone()), [FaultKind::TooLarge]);
    text.pop();
    assert_eq!(faults(text), [FaultKind::Empty], "only a comment");
}

#[test]
fn a_line_of_50_megabytes_is_read() {
    let comment = format!("# {}\n[[switch]]\nname = \"kelp-a\"\n", "x".repeat(50 * MEGABYTE));
    let fabric = Fabric::from_text("wide.toml", &comment);
    assert!(fabric.is_complete() && fabric.devices().len() == 1);
    // A text of that length is refused, and what stands after it on the line has its place.
    let text = format!("switch = [{{ name = \"{}\", nubmer = 1 }}]", "x".repeat(50 * MEGABYTE));
    let faults = refused(&text);
    assert_eq!(faults[0].1, "`name` is a text of 50000000 bytes");
    assert_eq!(faults[1].0, FaultKind::UnknownKey);
}

#[test]
fn nesting_of_10_000_is_refused() {
    let depth = 10_000;
    for text in [
        format!("x = {}{}", "[".repeat(depth), "]".repeat(depth)),
        format!("x = {}1{}", "{a=".repeat(depth), "}".repeat(depth)),
        format!("[[switch]]\nname = {}\n", "[".repeat(depth)),
        format!("[a{}]\n", ".a".repeat(depth)),
        format!("a{} = 1\n", ".a".repeat(depth)),
    ] {
        assert!(!refused(&text).is_empty(), "{}", &text[..20]);
    }
}

#[test]
fn ten_million_ranges_are_refused() {
    // In one text, as VLANs, and as more of a file than a file may be.
    let ranges = "1-2,".repeat(10 * MEGABYTE);
    let text = format!("[[switch]]\nname = \"kelp-[{ranges}3]\"\n");
    assert_eq!(kinds(&text), [FaultKind::TooLarge]);
    let text = format!(
        "[[segment]]\nname = \"tides\"\nvlan = 3\non = \"*\"\n[[lag]]\non = \"*\"\nname = \"x\"\ntagged = \"{ranges}3\"\n"
    );
    assert!(kinds(&text).contains(&FaultKind::TooLarge));
    drop(text);
    let list = "\"a[1-2]\",".repeat(10 * MEGABYTE);
    assert_eq!(
        kinds(&format!("[[segment]]\nname = \"tides\"\non = [{list}]\n")),
        [FaultKind::TooLarge]
    );
}

#[test]
fn a_million_ranges_that_mean_nothing_are_told_and_counted() {
    let list = "\"a[1-2]\",".repeat(MEGABYTE);
    let faults = refused(&format!("[[segment]]\nname = \"tides\"\non = [{list}]\n"));
    let last = faults.last().unwrap();
    assert_eq!(last.0, FaultKind::TooMany);
    assert_eq!(last.1, "1990000 more faults were found after the first 10000");
}

/// Sixteen characters that name 2,304 switches and as many ports of each: found by fuzzing, which waited long.
#[test]
fn a_product_of_ranges_that_is_wrong_is_one_fault_and_hides_no_other() {
    let range = "p[1-48]p[1-48]";
    let text = format!(
        "[[switch]]\nname = \"{range}\"\nports = \"p1 25G\"\n\
         [[lag]]\non = \"{range}\"\nname = \"x\"\nports = \"{range}\"\n\
         [[segment]]\nname = \"tides\"\non = \"kelp-*\"\n"
    );
    let faults = refused(&text);
    let kinds: Vec<_> = faults.iter().map(|(kind, _)| *kind).collect();
    let wanted = [FaultKind::UnknownName, FaultKind::RangeTooLarge, FaultKind::MatchesNothing];
    assert_eq!(kinds, wanted, "{faults:?}");
    // 869 switches until two million names are made.
    assert!(faults[0].1.ends_with("(and 2002175 more of the kind from here)"), "{faults:?}");
}

/// The same with names that are there: each of 45,000 switches would have a LAG of 45,000 ports.
#[test]
fn a_product_of_ranges_that_is_too_large_is_refused() {
    let range = "3t[9-45226]G";
    let text = format!(
        "[[switch]]\nname = \"{range}\"\nports = \"p1 25G\"\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = \"{range}\"\n\
         differs = [{{ on = \"{range}\", vlan = 311 }}]\n\
         [[lag]]\non = \"{range}\"\nname = \"x\"\nports = \"{range}\"\n\
         [[accept]]\nrule = \"port-mtu-clash\"\non = \"[1-2000]*\"\nreason = \"none\"\n"
    );
    let kinds = kinds(&text);
    assert_eq!(kinds, [FaultKind::UnknownName, FaultKind::RangeTooLarge]);
}

/// 88,806 names where switches, ports, VLANs and cables are named: found by fuzzing too.
#[test]
fn many_names_in_every_place_are_told_and_counted() {
    let range = "[1-88806]888888xl88888888888888888886";
    let text = format!(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = [\"p[1-8] 25G\", \"{range}\"]\n\
         [[switch]]\nname = \"{range}\"\nports = \"p[1-2] 25G\"\n\
         [[lag]]\non = [\"kelp-a\", \"{range}\"]\nname = \"across\"\nports = [\"p1\", \"{range}\"]\n\
         tagged = \"{range}\"\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = \"{range}\"\n\
         differs = [{{ on = \"{range}\", vlan = 311 }}]\n\
         [cabling]\nruns = [\"{range}\", \"kelp-a p1 -- kelp-b p1\"]\n"
    );
    let faults = refused(&text);
    let kinds: Vec<_> = faults.iter().map(|(kind, _)| *kind).collect();
    let wanted = [
        FaultKind::BadValue,
        FaultKind::RangeTooLarge,
        FaultKind::UnknownName,
        FaultKind::BadValue,
        FaultKind::BadValue,
    ];
    assert_eq!(kinds, wanted, "{faults:?}");
}

#[test]
fn a_name_of_a_megabyte_is_refused() {
    let name = "x".repeat(MEGABYTE);
    for text in [
        format!("[[switch]]\nname = \"{name}\"\n"),
        format!("[[switch]]\nname = \"{name}[1-2]\"\n"),
        format!("[[segment]]\nname = \"{name}\"\n"),
        format!("[[host]]\nname = \"hull\"\nnics = \"{name} 25G\"\n"),
        format!("[cabling]\nruns = \"{name} a -- b c\"\n"),
    ] {
        assert_eq!(kinds(&text), [FaultKind::TooLarge], "{}", &text[..40]);
    }
    // Names of things that are not there, and keys.
    assert_eq!(kinds(&format!("[[switch]]\nname = \"a\"\n{name} = 1\n")), [FaultKind::UnknownKey]);
    assert_eq!(kinds(&format!("[[{name}]]\na = 1\n")), [FaultKind::UnknownKey]);
    let longest = "x".repeat(255);
    assert!(
        Fabric::from_text("a.toml", &format!("[[switch]]\nname = \"{longest}\"\n")).is_complete()
    );
    assert_eq!(kinds(&format!("[[switch]]\nname = \"{longest}y\"\n")), [FaultKind::TooLarge]);
}

#[test]
fn a_cable_list_of_absurd_cells_and_rows_is_refused() {
    let list = |text: String| {
        let mut files = Memory::default();
        files.insert(
            "fabric.toml",
            "[[switch]]\nname = \"kelp-a\"\nports = \"p1 25G\"\n[cabling]\ncsv = \"c.csv\"\n",
        );
        files.insert("c.csv", text);
        let fabric = Fabric::from_files(&files, "fabric.toml");
        let mut kinds: Vec<_> = fabric.faults().iter().map(|fault| fault.kind).collect();
        kinds.sort_unstable();
        kinds.dedup();
        kinds
    };
    let header = "near,near_port,far,far_port\n";
    let wide = format!("{header}kelp-a,{},kelp-a,p1\n", "x".repeat(MEGABYTE));
    assert_eq!(list(wide), [FaultKind::TooLarge, FaultKind::MissingKey]);
    let open = format!("{header}kelp-a,\"{}", "x\n".repeat(MEGABYTE));
    assert_eq!(list(open), [FaultKind::TooLarge, FaultKind::MissingKey]);
    let commas = format!("{header}{}\n", ",".repeat(10 * MEGABYTE));
    assert_eq!(list(commas), []);
    let rows = format!("{header}{}", "a,b,c,d\n".repeat(MEGABYTE));
    assert_eq!(list(rows), [FaultKind::UnknownName, FaultKind::TooMany]);
}

#[test]
fn columns_of_a_line_of_megabytes_count_characters() {
    let table = format!("{{ label = \"{}\", nubmer = 1 }}", "é€".repeat(10_000));
    let text = format!("switch = [{}]", vec![table; 40].join(", "));
    let fabric = Fabric::from_text("wide.toml", &text);
    let naive: Vec<_> =
        text.match_indices("nubmer").map(|(at, _)| text[..at].chars().count() + 1).collect();
    let unknown = fabric.faults().iter().filter(|fault| fault.what.message.contains("`nubmer`"));
    let told: Vec<_> = unknown.map(|fault| fabric.sources().location(fault.at()).column).collect();
    assert_eq!(told, naive);
}

/// What is wrong ten thousand times over costs ten thousand times one, not its square.
#[test]
fn a_slip_in_every_statement_is_told_of_each() {
    let cables = "\"kelp-a p1 -- kelp-b p1\",".repeat(10_000);
    let text = format!(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 25G\"\n[cabling]\nruns = [{cables}]\n"
    );
    let fabric = Fabric::from_text("one-port.toml", &text);
    let report = fabric.check();
    assert_eq!(report.count(Severity::Error), 2 * (10_000 - 1));
    assert_eq!(report.findings.len(), Report::MOST_OF_RULE);
    let columns =
        report.findings.iter().map(|one| fabric.sources().location(one.what.primary.span).column);
    assert!(columns.is_sorted());
    let guest = |host| format!("[[endpoint]]\nname = \"guest-{host}\"\nhost = \"hull-{host}\"\n");
    let text = (0..20_000).map(guest).collect::<Vec<_>>().concat();
    let faults = refused(&text);
    assert_eq!(faults.last().unwrap().1, "10000 more faults were found after the first 10000");
}
