//! Runs of cables.

#[cfg(feature = "schema")]
use serde_json::Value as Json;
use smol_str::SmolStr;

use super::fits::{Many, texts};
use super::keys::{KeyDef, Keys, Layers, keys};
use super::read::{Cx, Node, Read};
use crate::diagnostic::{At, Span};
use crate::value::{Length, Medium};

keys! {
    /// One cable run as a table, where it says more than which ports it joins.
    run(RunKeys, RunOptions) is "an element of `runs` in `[cabling]`" {
        /// The two ends: `hull-01 nic[1-2] -- kelp-[a-b] p1`.
        run: SmolStr [identity];
        /// What the cables are made of.
        medium: Medium;
        /// How long each is.
        length: Length;
        /// What is printed on them.
        label: SmolStr;
        /// Whether cables from a switch back to itself are meant.
        loopback: bool = false;
    }
}

texts!(&str, String, SmolStr => RunKeys);

/// One end of a cable run: device and port, each with its ranges.
#[derive(Debug)]
pub(crate) struct RunEnd {
    pub(crate) device: At<SmolStr>,
    pub(crate) port: At<SmolStr>,
}

/// A run of cables as written in the file or in one row of a cable list.
#[derive(Debug)]
pub(crate) struct Run {
    pub(crate) near: RunEnd,
    pub(crate) far: RunEnd,
    pub(crate) span: Span,
    pub(crate) medium: Option<At<Medium>>,
    pub(crate) length: Option<At<Length>>,
    pub(crate) label: Option<At<SmolStr>>,
    pub(crate) loopback: bool,
    pub(crate) layer: usize,
}

impl Run {
    /// Reads one element of `runs`: a text, or a table with the text under `run`.
    pub(crate) fn read(cx: &mut Cx<'_>, node: &Node<'_>, layer: usize) -> Option<Self> {
        let keys = match node.get_ref().as_table() {
            Some(_) => cx.value::<RunKeys>("runs", node)?.value,
            None => RunKeys { run: Some(cx.value("runs", node)?), ..RunKeys::default() },
        };
        let run = keys.run?;
        let Some((near, far)) = ends(&run) else {
            cx.bad_value(
                "runs",
                run.span,
                &run.value,
                "two ends with -- between, such as \"hull-01 nic[1-2] -- kelp-[a-b] p1\"",
            );
            return None;
        };
        Some(Self {
            near,
            far,
            span: run.span,
            medium: keys.medium,
            length: keys.length,
            label: keys.label,
            loopback: keys.loopback.is_some_and(|meant| meant.value),
            layer,
        })
    }

    /// The JSON Schema of one element of `runs`.
    #[cfg(feature = "schema")]
    pub(crate) fn schema() -> Json {
        serde_json::json!({ "anyOf": [{ "type": "string", "pattern": " -- " }, RunKeys::schema()] })
    }
}

fn ends(run: &At<SmolStr>) -> Option<(RunEnd, RunEnd)> {
    let text = run.value.as_str();
    let mut words = text.split_ascii_whitespace().map(|word| {
        let start = word.as_ptr() as usize - text.as_ptr() as usize;
        At::new(SmolStr::new(word), super::read::inner(run.span, text, start..start + word.len()))
    });
    let near = RunEnd { device: words.next()?, port: words.next()? };
    let dashes = words.next()?;
    let far = RunEnd { device: words.next()?, port: words.next()? };
    (*dashes == "--" && words.next().is_none()).then_some((near, far))
}
