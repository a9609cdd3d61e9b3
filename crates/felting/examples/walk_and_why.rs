//! One packet: does it arrive, and if not, where does it stop, why, and which finding explains it?
//!
//! `cargo run -p felting --example walk_and_why -- fabric.toml web-1 web-2`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::walk::{Options, Walker, why};
use felting::{Condition, Fabric, Progress, State};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [path, from, to] = &words[..] else { return Err("name a fabric file and two ends".into()) };
    let fabric = Fabric::from_path(path).complete()?;
    let (from, to) = (fabric.terminal(from)?, fabric.terminal(to)?);
    let quiet = Progress::default();
    let state = State::of(&fabric, &Condition::default(), &quiet);
    let walk = Walker::new(&state).walk(from, to, Options::ALL)?;
    for hop in walk.paths().flat_map(|path| &path.hops) {
        let acts = hop.acts.iter().map(|act| act.words(&state, hop));
        let acts: Vec<String> = acts.filter(|words| !words.is_empty()).collect();
        println!("{}: {}", fabric.device_name(hop.device), acts.join("; "));
    }
    match walk.root() {
        None => println!("It arrives, and so does the reply."),
        Some((hop, stop)) => {
            println!(
                "It stops at {}: {}.",
                fabric.device_name(hop.device),
                why(&fabric, hop, stop)
            );
            match walk.explained_by(&state, &state.check(None, &quiet)) {
                Some(finding) => println!("{finding}\nRemedy: {}.", finding.what.remedy),
                None => println!("No finding explains it."),
            }
        }
    }
    Ok(())
}
