//! What `--version` says beyond the number: the commit if it is known, and for which machine it was built and how.

use std::process::Command;

fn main() {
    let asked = |arguments: &[&str]| {
        let output = Command::new("git").args(arguments).output().ok()?;
        let text = String::from_utf8(output.stdout).ok()?;
        output.status.success().then(|| text.trim().to_owned())
    };
    let variable = |name: &str| std::env::var(name).unwrap_or_default();
    let commit = asked(&["rev-parse", "--short=12", "HEAD"]).map(|commit| format!("{commit}, "));
    let built = format!(
        "{} ({}{}, {})",
        variable("CARGO_PKG_VERSION"),
        commit.unwrap_or_default(),
        variable("TARGET"),
        variable("PROFILE")
    );
    println!("cargo::rustc-env=FELTING_BUILT={built}");
    println!("cargo::rerun-if-changed=build.rs");
    // A new commit is a new file of one of these.
    for place in ["HEAD", "logs/HEAD"] {
        if let Some(path) = asked(&["rev-parse", "--git-path", place]) {
            println!("cargo::rerun-if-changed={path}");
        }
    }
}
