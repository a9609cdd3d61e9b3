//! How the time of `check` (and once that of the report) grows with one number: fabrics of three sizes each, with the
//! exponent between the first and the last. What grows faster than is wanted of it is marked.
//!
//! Every run is a process of its own, so that each has its own peak of memory. `cargo bench --bench growth -- mesh` is
//! for the rows with that word in their name only.

#![allow(missing_docs, clippy::print_stdout, reason = "a program")]
#![allow(clippy::cast_precision_loss, reason = "numbers for people to read")]

use std::fmt::Write as _;
use std::process::Command;
use std::time::Instant;

use felting::{Condition, Fabric, Progress, State};
use felting_draw::Reported;

/// Where linear work is wanted, the largest exponent.
const LINEAR: f64 = 1.3;
/// Where there are as many things as the square.
const SQUARE: f64 = 2.2;
/// Runs of each size; the quickest is told.
const RUNS: usize = 3;

/// One thing that grows.
struct Row {
    name: &'static str,
    sizes: [usize; 3],
    most: f64,
    /// Whether the report is made of it, and not only checked.
    report: bool,
    text: fn(usize) -> String,
}

const fn row(name: &'static str, sizes: [usize; 3], text: fn(usize) -> String) -> Row {
    Row { name, sizes, most: LINEAR, report: false, text }
}

const ROWS: &[Row] = &[
    Row { most: SQUARE, ..row("iBGP full mesh", [128, 256, 512], mesh) },
    row("static flood list", [750, 1500, 3000], flood_list),
    row("64 static routes by loopbacks", [500, 1000, 2000], static_routes),
    row("eBGP underlay and overlay", [1000, 2000, 4000], external),
    row("OSPF and reflectors", [2000, 4000, 8000], reflected),
    row("BGP underlay", [2000, 4000, 8000], bgp_underlay),
    row("expectation from all to all", [320, 640, 1280], |n| all_to_all(n, "")),
    row("the same despite any switch", [256, 512, 1024], |n| {
        all_to_all(n, "despite = \"any-switch\"\n")
    }),
    row("must not reach, despite any", [128, 256, 512], isolated),
    row("failing expectations", [2000, 4000, 8000], failing),
    row("acceptances and findings", [4000, 8000, 16000], accepted),
    row("patterns with *", [4000, 8000, 16000], patterns),
    row("deviations", [4000, 8000, 16000], deviations),
    row("leaks at one VRF", [1000, 2000, 4000], |n| leaks(n, false)),
    row("hub", [4000, 8000, 16000], hub),
    row("pools alike", [250, 500, 1000], pools),
    Row {
        report: true,
        ..row("report of a ring of leaks", [1000, 2000, 4000], |n| leaks(n, true))
    },
    row("sites", [500, 1000, 2000], sites),
];

fn main() {
    // `cargo bench` adds an option of its own.
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    match arguments.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        ["one", name, size] => one(name, size.parse().expect("a size")),
        [] => series(|_| true),
        [word] => series(|row| row.name.contains(word)),
        _ => println!("name one word of a row, or none"),
    }
}

fn series(wanted: impl Fn(&Row) -> bool) {
    println!("| what grows | n: seconds, peak | exponent |\n|---|---|---|");
    for row in ROWS.iter().filter(|row| wanted(row)) {
        let runs = row.sizes.map(|size| measured(row.name, size));
        let told = row.sizes.iter().zip(&runs);
        let told: Vec<String> = told
            .map(|(size, (seconds, peak))| format!("{size}: {seconds:.2} s, {peak:.0} MiB"))
            .collect();
        let ([first, .., last], [(from, _), .., (to, _)]) = (row.sizes, runs);
        let exponent = (to / from).ln() / (last as f64 / first as f64).ln();
        let mark = if exponent > row.most { " **more than wanted**" } else { "" };
        println!("| {} | {} | {exponent:.2}{mark} |", row.name, told.join(" · "));
    }
}

/// Seconds and MiB of the quickest of a few runs.
fn measured(name: &str, size: usize) -> (f64, f64) {
    let program = std::env::current_exe().expect("this program");
    let run = |_| {
        let mut run = Command::new(&program);
        let out = run.arg("one").arg(name).arg(size.to_string()).output().expect("a run").stdout;
        let text = String::from_utf8_lossy(&out);
        let mut numbers = text.split_whitespace().filter_map(|number| number.parse().ok());
        let mut next = || numbers.next().unwrap_or(f64::NAN);
        (next(), next())
    };
    (0..RUNS)
        .map(run)
        .fold((f64::INFINITY, 0.0), |best, one| if one.0 < best.0 { one } else { best })
}

/// One run; prints seconds and MiB.
fn one(name: &str, size: usize) {
    let row = ROWS.iter().find(|row| row.name == name).expect("a row");
    let text = (row.text)(size);
    let begun = Instant::now();
    let fabric = Fabric::from_text("growth.toml", &text);
    assert!(fabric.is_complete(), "{name}: {}", fabric.faults()[0].what.message);
    let progress = Progress::default();
    let state = State::of(&fabric, &Condition::default(), &progress);
    let found = state.check(None, &progress);
    let mut told = felting_view::sum(&felting_view::Checked::new(&fabric, &found)).len();
    if row.report {
        let reported = Reported {
            state: &state,
            only: None,
            report: &found,
            failures: &[],
            down: &[],
            left_out: 0,
            day: "",
        };
        told += felting_draw::report(&reported, &progress).len();
    }
    assert!(told > 0);
    println!("{} {}", begun.elapsed().as_secs_f64(), peak());
}

/// The peak of memory, in MiB.
fn peak() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap_or("");
    let kib = line.split_whitespace().next().and_then(|number| number.parse::<f64>().ok());
    kib.unwrap_or(f64::NAN) / 1024.0
}

// ---- the fabrics

/// Leaves below four spines, with pools for all that is numbered.
fn hall(leaves: usize, ports: usize, underlay: &str) -> String {
    let mut text = format!(
        "[fabric]\nname = \"growth\"\n\
         [[switch]]\nname = \"crest-[1-4]\"\nnumber = 1\nrole = \"spine\"\nports = \"p[1-{leaves}] 100G\"\n\
         [[switch]]\nname = \"kelp-[1-{leaves}]\"\nnumber = 1001\nrole = \"leaf\"\n\
         ports = [\"p[1-{ports}] 25G\", \"up[1-4] 100G\"]\n\
         [[pool]]\nname = \"links\"\ngives = \"links\"\nprefix = \"10.0.0.0/8\"\nlinks_per_switch = 4\n\
         [[pool]]\nname = \"loopbacks\"\ngives = \"loopbacks\"\nprefix = \"172.16.0.0/16\"\n\
         [[pool]]\nname = \"vteps\"\ngives = \"vteps\"\nprefix = \"172.17.0.0/16\"\n\
         [[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n{underlay}\n"
    );
    text += "[cabling]\nruns = [\n";
    for leaf in 1..=leaves {
        let _ = writeln!(text, "\"kelp-{leaf} up[1-4] -- crest-[1-4] p{leaf}\",");
    }
    text
}

/// Closes what [`hall`] leaves open, with more cables.
fn cabled(hall: String, runs: &str, statements: &str) -> String {
    hall + runs + "]\n" + statements
}

const OSPF: &str = "protocol = \"ospf\"";
const BGP: &str = "protocol = \"bgp\"\nimport = \"everything\"\nexport = \"everything\"";

const REFLECTORS: &str = "[[router]]\non = [\"crest-*\", \"kelp-*\"]\nas_number = 4204100000\n\
    [[session]]\non = \"kelp-*\"\nto = \"crest-*\"\n\
    [[session]]\non = \"crest-*\"\nto = \"kelp-*\"\nclient = true\n\
    [[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:{vni}\"\ngateway_mac = \"02:46:45:00:00:01\"\n";

const SEGMENT: &str =
    "[[segment]]\nname = \"tides\"\nnumber = 1\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n";

const NUMBERS: &str = "[[router]]\non = \"crest-*\"\nas_number = 4204000000\n\
    [[pool]]\nname = \"as\"\ngives = \"as-numbers\"\nbase = 4204000000\non = \"kelp-*\"\n";

fn mesh(leaves: usize) -> String {
    let statements = "[[router]]\non = [\"crest-*\", \"kelp-*\"]\nas_number = 4204100000\n\
        [[session]]\non = \"kelp-*\"\nto = \"kelp-*\"\n\
        [[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:{vni}\"\n";
    cabled(hall(leaves, 2, OSPF), "", &format!("{statements}{SEGMENT}"))
}

fn flood_list(leaves: usize) -> String {
    let vteps = (1..=leaves).map(|leaf| 1000 + leaf);
    let vteps: Vec<String> =
        vteps.map(|number| format!("\"172.17.{}.{}\"", number / 256, number % 256)).collect();
    let statements = format!(
        "[[overlay]]\non = \"kelp-*\"\n{SEGMENT}replication = \"static\"\nflood_to = [{}]\n",
        vteps.join(", ")
    );
    cabled(hall(leaves, 2, OSPF), "", &statements)
}

fn static_routes(leaves: usize) -> String {
    let mut statements = format!("{REFLECTORS}{SEGMENT}");
    for route in 1..=64 {
        let number = 1000 + route;
        let _ = writeln!(
            statements,
            "[[route]]\non = \"kelp-*\"\nto = \"30.0.{route}.0/24\"\nvia = \"172.16.{}.{}\"",
            number / 256,
            number % 256
        );
    }
    cabled(hall(leaves, 2, OSPF), "", &statements)
}

fn external(leaves: usize) -> String {
    let session = |on: &str, to: &str| {
        format!(
            "[[session]]\non = \"{on}\"\nto = \"{to}\"\nmultihop = 2\nimport = \"everything\"\n\
             export = \"everything\"\nnext_hop = \"kept\"\n"
        )
    };
    let statements = format!(
        "{NUMBERS}{}{}[[overlay]]\non = \"kelp-*\"\ntarget_pattern = \"42041:{{vni}}\"\n{SEGMENT}",
        session("kelp-*", "crest-*"),
        session("crest-*", "kelp-*")
    );
    cabled(hall(leaves, 2, BGP), "", &statements)
}

fn reflected(leaves: usize) -> String {
    cabled(hall(leaves, 2, OSPF), "", &format!("{REFLECTORS}{SEGMENT}"))
}

fn bgp_underlay(leaves: usize) -> String {
    cabled(hall(leaves, 2, BGP), "", NUMBERS)
}

/// Sixteen leaves with hosts, an endpoint on each.
fn hosts(count: usize, networks: &str, port: &str, more: &str) -> String {
    let each = count / 16;
    let mut runs = String::new();
    for leaf in 0..16 {
        let (first, last) = (leaf * each + 1, (leaf + 1) * each);
        let _ = writeln!(runs, "\"hull-[{first}-{last}] nic1 -- kelp-{} p[1-{each}]\",", leaf + 1);
    }
    let statements = format!(
        "{REFLECTORS}[[vrf]]\nname = \"tides\"\nnumber = 1\nvni = 27001\non = \"kelp-*\"\n\
         [[segment]]\nname = \"web\"\nnumber = 1\nvlan = 310\nvni = 23310\nvrf = \"tides\"\n\
         subnet = \"10.128.0.0/12\"\ngateway = \"10.128.0.1\"\non = \"kelp-*\"\n\
         [[host]]\nname = \"hull-[1-{count}]\"\nnics = \"nic1 25G\"\nnetworks = [{networks}]\n\
         [[port]]\non = \"kelp-*\"\nports = \"p[1-{each}]\"\n{port}\nedge = true\n\
         [severities]\nunderlay-oversubscribed = \"off\"\n{more}"
    );
    cabled(hall(16, each, OSPF), &runs, &statements)
}

fn address(number: usize) -> String {
    let number = number + 10;
    format!("10.{}.{}.{}", 128 + number / 65536, number / 256 % 256, number % 256)
}

fn endpoints(count: usize) -> String {
    let mut text = String::from("uplink-single-nic = \"off\"\n");
    for number in 1..=count {
        let _ = writeln!(
            text,
            "[[endpoint]]\nname = \"web-{number}\"\nhost = \"hull-{number}\"\naddress = \"{}/12\"\n\
             gateway = \"10.128.0.1\"",
            address(number)
        );
    }
    text
}

fn all_to_all(count: usize, despite: &str) -> String {
    let expected = format!("[[expect]]\nfrom = \"web-*\"\nto = \"web-*\"\n{despite}");
    hosts(count, "{ name = \"web\" }", "untagged = 310", &(endpoints(count) + &expected))
}

fn isolated(count: usize) -> String {
    let mut more = String::from(
        "uplink-single-nic = \"off\"\n[[vrf]]\nname = \"harbour\"\nnumber = 2\nvni = 27002\non = \"kelp-*\"\n\
         [[segment]]\nname = \"desk\"\nnumber = 2\nvlan = 311\nvni = 23311\nvrf = \"harbour\"\n\
         subnet = \"10.128.0.0/12\"\ngateway = \"10.128.0.1\"\non = \"kelp-*\"\n",
    );
    for number in 1..=count {
        let network = if number % 2 == 0 { "web" } else { "desk" };
        let _ = writeln!(
            more,
            "[[endpoint]]\nname = \"{network}-{number}\"\nnetwork = \"{network}\"\nhost = \"hull-{number}\"\n\
             address = \"{}/12\"\ngateway = \"10.128.0.1\"",
            address(number)
        );
    }
    more += "[[expect]]\nfrom = \"web-*\"\nto = \"desk-*\"\nreaches = false\ndespite = \"any-cable-or-switch\"\n";
    let networks = "{ name = \"web\", tag = 310 }, { name = \"desk\", tag = 311 }";
    hosts(count, networks, "tagged = \"310-311\"", &more)
}

fn failing(count: usize) -> String {
    let mut more = endpoints(count);
    for number in 1..count {
        let _ = writeln!(
            more,
            "[[expect]]\nfrom = \"web-{number}\"\nto = \"web-{}\"\nreaches = false",
            number + 1
        );
    }
    hosts(count, "{ name = \"web\" }", "untagged = 310", &more)
}

fn accepted(count: usize) -> String {
    let mut more = String::new();
    for number in 1..=count {
        let _ = writeln!(
            more,
            "[[accept]]\nrule = \"uplink-single-nic\"\non = \"hull-{number}\"\nreason = \"on order\""
        );
    }
    hosts(count, "{ name = \"web\" }", "untagged = 310", &more)
}

fn patterns(count: usize) -> String {
    let mut text = format!(
        "[fabric]\nname = \"growth\"\n[[switch]]\nname = \"mud-[1-{count}]\"\nports = \"p[1-2] 10G\"\n"
    );
    for number in 1..=count {
        let _ = writeln!(
            text,
            "[[segment]]\nname = \"tides-{number}\"\nvni = {}\non = \"*ud-{number}\"",
            100 + number
        );
    }
    text
}

fn deviations(count: usize) -> String {
    let all: Vec<String> = (1..=count)
        .map(|number| format!("{{ on = \"mud-{number}\", mtu = {} }}", 1500 + number % 7000))
        .collect();
    format!(
        "[fabric]\nname = \"growth\"\n[[switch]]\nname = \"mud-[1-{count}]\"\nports = \"p[1-2] 10G\"\n\
         [[port]]\non = \"mud-*\"\nports = \"p1\"\ntagged = 310\ndiffers = [{}]\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = \"mud-*\"\n",
        all.join(", ")
    )
}

/// VRFs with a segment each that leak in a ring, or all with the first.
fn leaks(count: usize, ring: bool) -> String {
    let mut statements = String::from(REFLECTORS);
    for number in 0..count {
        let subnet = format!("{}.{}.{}", 20 + number / 65536, number / 256 % 256, number % 256);
        let _ = writeln!(
            statements,
            "[[vrf]]\nname = \"tides-{number}\"\nnumber = {n}\nvni = {}\non = \"kelp-*\"\n\
             [[segment]]\nname = \"web-{number}\"\nnumber = {n}\nvni = {}\nvlan = {}\nvrf = \"tides-{number}\"\n\
             subnet = \"{subnet}.0/24\"\ngateway = \"{subnet}.1\"\non = \"kelp-{}\"",
            100_000 + number,
            300_000 + number,
            number % 4000 + 1,
            number / 4000 % 4 + 1,
            n = number + 1,
        );
    }
    for number in 0..count {
        let pairs = match ring {
            true => vec![(number, (number + 1) % count)],
            false if number == 0 => Vec::new(),
            false => vec![(number, 0), (0, number)],
        };
        for (from, to) in pairs {
            let way = if ring { "one_way = true\n" } else { "" };
            let _ =
                write!(statements, "[[leak]]\nfrom = \"tides-{from}\"\nto = \"tides-{to}\"\n{way}");
        }
    }
    cabled(hall(4, 2, OSPF), "", &statements)
}

fn hub(count: usize) -> String {
    format!(
        "[fabric]\nname = \"growth\"\n[[switch]]\nname = \"mud-[1-{count}]\"\nports = \"p[1-2] 10G\"\n\
         [[port]]\non = \"mud-*\"\nports = \"p1\"\ntagged = 310\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = \"mud-*\"\n\
         [[repeater]]\nname = \"hub\"\nports = \"mud-[1-{count}] p1\"\n"
    )
}

fn pools(count: usize) -> String {
    let mut text =
        String::from("[fabric]\nname = \"growth\"\n[[switch]]\nname = \"mud-1\"\nnumber = 1\n");
    for number in 0..count {
        let _ = writeln!(
            text,
            "[[pool]]\nname = \"pool-{number}\"\ngives = \"loopbacks\"\nprefix = \"10.64.8.0/24\"\non = \"mud-1\""
        );
    }
    text
}

fn sites(count: usize) -> String {
    let mut statements = format!("{REFLECTORS}{SEGMENT}");
    for site in 1..=count {
        let _ = writeln!(
            statements,
            "[[site]]\nname = \"shore-{site}\"\non = \"kelp-{site}\"\n\
             [[wan]]\nname = \"radio-{site}\"\nends = [\"kelp-{site} p48\", \"kelp-{} p47\"]\ndelay = \"4ms\"",
            site % count + 1
        );
    }
    cabled(hall(count, 48, OSPF), "", &statements)
}
