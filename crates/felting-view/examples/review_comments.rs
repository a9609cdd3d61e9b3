//! Findings as comments on a change: what a variant makes worse, each at the line that it is about.
//!
//! `cargo run -p felting-view --example review_comments -- fabric.toml change.toml`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::diagnostic::Finding;
use felting::{Condition, Fabric, Loader, Progress, Report, State};
use serde_json::json;

fn checked(fabric: &Fabric) -> Report {
    let quiet = Progress::default();
    State::of(fabric, &Condition::default(), &quiet).check(None, &quiet)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let paths: Vec<String> = std::env::args().skip(1).collect();
    let [path, change] = &paths[..] else { return Err("name a fabric file and a change".into()) };
    let before = checked(&Loader::path(path).load().complete()?);
    let fabric = Loader::path(path).variant(change).load().complete()?;
    let after = checked(&fabric);

    let is_new = |finding: &&Finding| before.findings.iter().all(|known| known.key != finding.key);
    let comment = |finding: &Finding| {
        let at = fabric.sources().location(finding.what.primary.span);
        json!({
            "path": at.file,
            "line": at.line,
            "body": format!(
                "**{finding}**\n\nOn the wire: {}.\n\nRemedy: {}.",
                finding.wire, finding.what.remedy
            ),
        })
    };
    let comments: Vec<_> = after.findings.iter().filter(is_new).map(comment).collect();
    println!("{}", serde_json::to_string_pretty(&comments)?);
    Ok(())
}
