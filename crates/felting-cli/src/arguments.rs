//! The command line as it is typed.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;
use felting_view::sheet::{Format, Topic};

use felting::diagnostic::Severity;

/// Models leaf-spine fabrics and finds the contradictions in them before anyone touches a device.
#[derive(Debug, Parser)]
#[command(name = "felting", version, max_term_width = 100)]
pub(crate) struct Arguments {
    /// When to use colours; never where `NO_COLOR` is set, unless always.
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) colour: Colour,
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Read a fabric and report every contradiction in it.
    ///
    /// Exit code: 0 if nothing is at or above the denied level, 1 if something is, 2 if the
    /// fabric could not be read whole or the command was wrong.
    Check(CheckOptions),
    /// Write a first fabric file from a few numbers, to go on editing.
    New(NewOptions),
    /// Print a table of what a fabric has.
    Sheet {
        /// What the table is about.
        topic: TopicWord,
        #[command(flatten)]
        options: SheetOptions,
    },
    /// Follow a packet from one end to the other and back: the way, and what it wears at each hop.
    ///
    /// Exit code: 0 if the packet and its reply arrive, 1 if one does not, 2 if the fabric could not be
    /// read whole or the command was wrong.
    Walk(WalkOptions),
    /// Draw the fabric: its cabling, overlay, tenants, spanning tree, or a walk.
    ///
    /// Exit code: 0 if it is drawn, 2 if the fabric could not be read whole or the command was wrong.
    Draw(DrawOptions),
    /// Write everything into one HTML page: findings, drawings, expectations, sheets.
    ///
    /// Exit code: 0 if it is written, 2 if the fabric could not be read whole or the command was wrong.
    Report(ReportOptions),
    /// Print the topology for other programs.
    Topology(TopologyOptions),
    /// Tell what a rule is about, with an example and its mend; without a rule, list them all.
    Explain {
        /// The rule's id, such as lag-protocol-clash.
        rule: Option<String>,
    },
    /// Show the main job on the demo fabrics: sheets of a clean one, findings of a stormy one.
    Demo {
        /// Write the files of both demo fabrics into a new folder instead, to try things on.
        #[arg(long, value_name = "FOLDER")]
        into: Option<PathBuf>,
    },
    /// Print the JSON Schema of the fabric language, for editors.
    Schema,
    /// Print a completion script for a shell.
    Completions {
        /// The shell.
        shell: Shell,
    },
}

#[derive(Args, Debug)]
pub(crate) struct Input {
    /// The fabric file.
    #[arg(default_value = "fabric.toml")]
    pub(crate) file: PathBuf,
    /// An overlay document: what would be configured otherwise. Can be repeated.
    #[arg(long, value_name = "FILE")]
    pub(crate) with: Vec<PathBuf>,
}

#[derive(Args, Debug)]
pub(crate) struct NewOptions {
    /// The file to write, or a folder for a large fabric with a file a pod, such as site/. What exists is
    /// left alone.
    pub(crate) file: PathBuf,
    /// The fabric's name; by default the file's.
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// Spines, in each pod.
    #[arg(long, default_value_t = 2)]
    pub(crate) spines: u32,
    /// Pairs of leaves, in each pod.
    #[arg(long, default_value_t = 2, conflicts_with = "leaves")]
    pub(crate) pairs: u32,
    /// Single leaves instead of pairs, in each pod.
    #[arg(long, default_value_t = 0)]
    pub(crate) leaves: u32,
    /// Hosts in all, two links each.
    #[arg(long, default_value_t = 4)]
    pub(crate) hosts: u32,
    /// Tenants, a VRF each.
    #[arg(long, default_value_t = 1)]
    pub(crate) tenants: u32,
    /// Segments in all.
    #[arg(long, default_value_t = 2)]
    pub(crate) segments: u32,
    /// Super-spines, which join several pods.
    #[arg(long, default_value_t = 0)]
    pub(crate) super_spines: u32,
    /// Pods.
    #[arg(long, default_value_t = 1)]
    pub(crate) pods: u32,
    /// Large fabrics: on how many pairs each segment is; 4, or all of fewer, by default.
    #[arg(long)]
    pub(crate) spread: Option<u32>,
    /// Large fabrics: guests on the hosts, in all.
    #[arg(long, default_value_t = 0)]
    pub(crate) guests: u32,
    /// Large fabrics: single faults to put in; faults.csv lists the rule and the place of each.
    #[arg(long, default_value_t = 0)]
    pub(crate) faults: u32,
    /// What the choice and the places of the faults follow from.
    #[arg(long, default_value_t = 0, requires = "faults")]
    pub(crate) seed: u64,
}

#[derive(Args, Debug)]
pub(crate) struct SheetOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    /// What is down: kelp-a, "kelp-a et1", "cable kelp-a et1", "peer link of kelp", "keepalive of
    /// kelp", "member 2 of jetty". Can be repeated.
    #[arg(long, value_name = "THING")]
    pub(crate) cut: Vec<String>,
    /// Only what is about this switch, where a sheet has rows by switch; the sheets of routes need it.
    #[arg(long, value_name = "SWITCH")]
    pub(crate) of: Option<String>,
    /// Only what `--with` and `--cut` change, before and after.
    #[arg(long)]
    pub(crate) changes: bool,
    /// The form of the table.
    #[arg(long, default_value = "table")]
    pub(crate) format: FormatWord,
}

#[derive(Args, Debug)]
pub(crate) struct WalkOptions {
    /// The fabric file.
    pub(crate) file: PathBuf,
    /// From where: an endpoint, a host with one endpoint, an address, or a network outside.
    pub(crate) from: String,
    /// To where, named likewise.
    pub(crate) to: String,
    /// An overlay document: what would be configured otherwise. Can be repeated.
    #[arg(long, value_name = "FILE")]
    pub(crate) with: Vec<PathBuf>,
    /// What is down: kelp-a, "kelp-a et1", "cable kelp-a et1", "peer link of kelp", "keepalive of
    /// kelp", "member 2 of jetty". Can be repeated.
    #[arg(long, value_name = "THING")]
    pub(crate) cut: Vec<String>,
    /// An endpoint that is on another host: "web-1 to hull-04". Can be repeated.
    #[arg(long = "move", value_name = "ENDPOINT to HOST")]
    pub(crate) moves: Vec<String>,
    /// Follow all ways that are as good, not only the one that a hash picks.
    #[arg(long)]
    pub(crate) all: bool,
    /// How large the packet is, in bytes from its IP header on.
    #[arg(long, value_name = "BYTES", value_parser = clap::value_parser!(u32).range(28..=65535))]
    pub(crate) size: Option<u32>,
    /// Write what a tap on each link of the way would see, as a capture file.
    #[arg(long, value_name = "FILE.pcapng")]
    pub(crate) capture: Option<PathBuf>,
    /// In the capture, leave the outer UDP checksum at zero over IPv6 too, as RFC 6935 allows.
    #[arg(long, requires = "capture")]
    pub(crate) zero_outer_checksum: bool,
    /// The form of the answer.
    #[arg(long, default_value = "text")]
    pub(crate) format: WalkFormat,
}

#[derive(Args, Debug)]
pub(crate) struct DrawOptions {
    /// What is drawn.
    pub(crate) view: ViewWord,
    #[command(flatten)]
    pub(crate) input: Input,
    /// The file to write, an .svg or a .png; without one the SVG is printed.
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Mark every finding at what it is about, and tell it below.
    #[arg(long)]
    pub(crate) findings: bool,
    /// In the colours for dark screens.
    #[arg(long)]
    pub(crate) dark: bool,
    /// How many times as large a PNG is.
    #[arg(long, default_value_t = 1.0, value_parser = scale)]
    pub(crate) scale: f64,
    /// What is down: kelp-a, "kelp-a et1", "cable kelp-a et1", "peer link of kelp", "keepalive of
    /// kelp", "member 2 of jetty". Can be repeated.
    #[arg(long, value_name = "THING")]
    pub(crate) cut: Vec<String>,
    /// An endpoint that is on another host: "web-1 to hull-04". Can be repeated.
    #[arg(long = "move", value_name = "ENDPOINT to HOST")]
    pub(crate) moves: Vec<String>,
    /// The tree of this VLAN, where there are several.
    #[arg(long, value_parser = vlan)]
    pub(crate) vlan: Option<felting::value::VlanId>,
    /// From where a walk goes: an endpoint, a host with one endpoint, an address, or a network outside.
    #[arg(long)]
    pub(crate) from: Option<String>,
    /// To where a walk goes.
    #[arg(long)]
    pub(crate) to: Option<String>,
    /// All ways of a walk that are as good, not only the one that a hash picks.
    #[arg(long)]
    pub(crate) all: bool,
}

/// What can be drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ViewWord {
    /// Switches in tiers and hosts, with every cable.
    Cabling,
    /// The segments and VRFs by VTEP, and the BGP sessions.
    Overlay,
    /// The VRFs with their segments, leaks and ways out.
    Tenants,
    /// The spanning tree: what forwards and what discards.
    Tree,
    /// A walk on the cabling, with the headers at each hop.
    Walk,
}

fn scale(text: &str) -> Result<f64, String> {
    text.parse::<f64>()
        .ok()
        .filter(|scale| (0.1..=8.0).contains(scale))
        .ok_or_else(|| "a number from 0.1 to 8 is expected".to_owned())
}

fn vlan(text: &str) -> Result<felting::value::VlanId, String> {
    let vlan = text.parse::<u32>().ok().and_then(|vlan| felting::value::VlanId::new(vlan).ok());
    vlan.ok_or_else(|| "a VLAN id from 1 to 4094 is expected".to_owned())
}

/// The form of a walk.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum WalkFormat {
    Text,
    Json,
}

#[derive(Args, Debug)]
pub(crate) struct CheckOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    /// The mildest severity that makes the exit code 1.
    #[arg(long, value_name = "SEVERITY", default_value = "warning")]
    pub(crate) deny: SeverityWord,
    /// The form of the findings: text for people, json and sarif (2.1.0) for programs and code hosts, junit
    /// for systems that run tests.
    #[arg(long, default_value = "text")]
    pub(crate) format: FindingsFormat,
    /// Judge acceptances as of this day instead of today, such as 2027-01-31.
    #[arg(long, value_name = "DATE")]
    pub(crate) day: Option<jiff::civil::Date>,
}

/// The form of findings.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum FindingsFormat {
    Text,
    Json,
    Sarif,
    Junit,
}

#[derive(Args, Debug)]
pub(crate) struct ReportOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    /// The file to write.
    #[arg(long, short, value_name = "FILE.html")]
    pub(crate) output: PathBuf,
    /// Judge acceptances as of this day instead of today, such as 2027-01-31.
    #[arg(long, value_name = "DATE")]
    pub(crate) day: Option<jiff::civil::Date>,
}

#[derive(Args, Debug)]
pub(crate) struct TopologyOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    /// The form: dot for Graphviz, rfc8345 for the network-topology model of that RFC in JSON.
    #[arg(long, default_value = "dot")]
    pub(crate) format: TopologyFormat,
}

/// The form of a topology.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum TopologyFormat {
    Dot,
    Rfc8345,
}

/// When to use colours.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Colour {
    Auto,
    Always,
    Never,
}

/// Words of the command line for values of the library.
macro_rules! words {
    ($($name:ident for $type:ident { $($variant:ident),+ })+) => {$(
        #[derive(Clone, Copy, Debug, ValueEnum)]
        pub(crate) enum $name {
            $($variant,)+
        }

        impl From<$name> for $type {
            fn from(word: $name) -> Self {
                match word {
                    $($name::$variant => Self::$variant,)+
                }
            }
        }
    )+};
}

words! {
    TopicWord for Topic {
        Lags, Members, Pairs, Stacks, EthernetSegments, Tree, Segments, Cables, Addresses, Adjacencies,
        Sessions, UnderlayRoutes, EvpnRoutes, Matrix, Vrfs, FloodLists, Oversubscription
    }
    FormatWord for Format { Table, Csv, Json, Markdown }
    SeverityWord for Severity { Hint, Warning, Error }
}
