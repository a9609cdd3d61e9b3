//! How the whole of `check` grows: fabrics of 256 to 4,096 leaves from files to findings, with the time of
//! each step, the peak of memory, and both divided by ports. Beside them, the time that only reading the same
//! files into TOML tables takes.
//!
//! Every run is a process of its own, so that each has its own peak; the numbers are medians of five runs.
//! `cargo bench --bench scale -- 256 1024` is for these sizes only, `-- faults` for the faults that a large
//! fabric is found to have.

#![allow(missing_docs, clippy::print_stdout, reason = "a program")]
#![allow(clippy::cast_precision_loss, reason = "numbers for people to read")]

use std::path::Path;
use std::process::Command;
use std::time::Instant;

use comfy_table::{CellAlignment, Table, TableStyle};
use felting::generator::{KnownFault, LargeFabric};
use felting::progress::Progress;
use felting::source::{Disk, Files};
use felting::{Condition, State, Statements};
use toml::de::DeTable;

const LEAVES: [u32; 5] = [256, 512, 1024, 2048, 4096];

/// Runs of each size; the medians are told.
const RUNS: usize = 5;

/// What one run measures, in the order in which it prints them.
const MEASURED: [&str; 8] =
    ["tables", "read", "compile", "behaviour", "rules", "check", "peak", "ports"];

fn main() {
    // `cargo bench` adds an option of its own.
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    match arguments.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        ["one", folder] => one(Path::new(folder)),
        ["faults"] => faults(),
        [] => series(&LEAVES),
        _ => series(
            &arguments.iter().map(|a| a.parse().expect("a number of leaves")).collect::<Vec<_>>(),
        ),
    }
}

fn written(leaves: u32) -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder for the files");
    std::fs::create_dir(folder.path().join("pods")).expect("a folder for the pods");
    let made = LargeFabric::of_series(leaves)
        .write(&Progress::default())
        .expect("the numbers go together");
    for (path, text) in made.files {
        std::fs::write(folder.path().join(path), text).expect("a file of the fabric");
    }
    folder
}

/// The medians of the runs of one size, in the order of [`MEASURED`].
struct Medians([u64; MEASURED.len()]);

impl Medians {
    fn of(folder: &Path) -> Self {
        let program = std::env::current_exe().expect("this program");
        let run = || -> Vec<u64> {
            let out = Command::new(&program).arg("one").arg(folder).output().expect("a run").stdout;
            let text = String::from_utf8_lossy(&out);
            text.split_whitespace().filter_map(|number| number.parse().ok()).collect()
        };
        let runs: Vec<_> = (0..RUNS).map(|_| run()).collect();
        Self(std::array::from_fn(|column| {
            let mut all: Vec<u64> = runs.iter().map(|run| run[column]).collect();
            all.sort_unstable();
            all[all.len() / 2]
        }))
    }

    fn get(&self, what: &str) -> f64 {
        self.0[MEASURED.iter().position(|name| *name == what).expect("what is measured")] as f64
    }
}

const TIMES: [&str; 6] = ["read", "compile", "behaviour", "rules", "check", "tables"];

fn series(sizes: &[u32]) {
    let mut whole =
        table(&["leaves", "ports", "MB"], &["peak MiB", "× tables", "× half the leaves"]);
    let mut each = table(&["leaves"], &["peak"]);
    let mut half: Option<f64> = None;
    for &leaves in sizes {
        let folder = written(leaves);
        let medians = Medians::of(folder.path());
        let (check, ports) = (medians.get("check"), medians.get("ports"));
        let mut row = vec![leaves.to_string(), ports.to_string()];
        row.push(format!("{:.1}", size(folder.path()) as f64 / 1e6));
        row.extend(TIMES.map(|what| format!("{:.3} s", medians.get(what) / 1e6)));
        row.push(format!("{:.0}", medians.get("peak") / 1024.0));
        row.push(format!("{:.2}", check / medians.get("tables")));
        row.push(half.map_or(String::new(), |half| format!("{:.2}", check / half)));
        whole.add_row(row);
        let mut row = vec![leaves.to_string()];
        row.extend(TIMES.map(|what| format!("{:.2} µs", medians.get(what) / ports)));
        row.push(format!("{:.2} KiB", medians.get("peak") / ports));
        each.add_row(row);
        half = Some(check);
    }
    println!("{} threads, medians of {RUNS} runs\n\n{whole}", rayon::current_num_threads());
    println!("\nof each port\n\n{each}");
}

fn table(before: &[&str], after: &[&str]) -> Table {
    let mut table = Table::new();
    table.load_style(TableStyle::new()).set_header([before, &TIMES, after].concat());
    for column in table.column_iter_mut() {
        column.set_cell_alignment(CellAlignment::Right);
    }
    table
}

/// Bytes of all files.
fn size(folder: &Path) -> u64 {
    let files = Disk::new(folder);
    let paths = files.list("").expect("the folder");
    paths.iter().map(|path| files.read(path).map_or(0, |bytes| bytes.len() as u64)).sum()
}

/// One run, from files to findings; prints microseconds, KiB and the number of ports.
fn one(folder: &Path) {
    let files = Disk::new(folder);
    let progress = Progress::default();
    let mut steps = Vec::new();
    let mut last = Instant::now();
    let mut step = || {
        let now = Instant::now();
        steps.push((now - std::mem::replace(&mut last, now)).as_micros());
    };
    let read = Statements::read(&[(&files, "fabric.toml")], &progress);
    step();
    let fabric = read.compile(&progress);
    step();
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    step();
    let report = state.check(None, &progress);
    step();
    assert!(fabric.is_complete() && report.findings.is_empty(), "a fabric of the series is silent");
    // Before the tables, which are read only to compare.
    let peak = peak();
    let start = Instant::now();
    let tables =
        |path: &String| Path::new(path).extension().is_some_and(|extension| extension == "toml");
    for path in files.list("").expect("the folder").into_iter().filter(tables) {
        let bytes = files.read(&path).expect("a file of the fabric");
        let text = String::from_utf8(bytes).expect("a file of text");
        assert!(!DeTable::parse_recoverable(&text).0.get_ref().is_empty());
    }
    print!("{} ", start.elapsed().as_micros());
    let all: u128 = steps.iter().sum();
    let steps: Vec<_> = steps.iter().map(u128::to_string).collect();
    println!("{} {all} {peak} {}", steps.join(" "), fabric.ports().len());
}

/// The most memory that this process has had, in KiB; 0 where the system does not tell.
fn peak() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.and_then(|line| line.split_whitespace().next()?.parse().ok()).unwrap_or(0)
}

/// Puts faults into fabrics of 1,024 leaves and tells what is found of them.
fn faults() {
    for seed in 1..=5 {
        let plan = LargeFabric { guests: 8192, faults: 120, seed, ..LargeFabric::of_series(1024) };
        let made = plan.write(&Progress::default()).expect("the faults have room");
        let mut files = felting::source::Memory::default();
        for (path, text) in made.files {
            files.insert(path, text);
        }
        let start = Instant::now();
        let fabric = felting::Fabric::from_files(&files, "fabric.toml");
        let report = fabric.check();
        let told = |known: &&KnownFault| {
            report.findings.iter().any(|finding| known.is_told_by(&fabric, finding))
        };
        let missed = made.key.iter().filter(|known| !told(known)).count();
        let in_key = |finding| made.key.iter().any(|known| known.is_told_by(&fabric, finding));
        let invented = report.findings.iter().filter(|finding| !in_key(finding)).count();
        println!(
            "seed {seed}: {} faults, {} findings, {missed} missed, {invented} invented, {:.2} s",
            made.key.len(),
            report.findings.len(),
            start.elapsed().as_secs_f64()
        );
    }
}
