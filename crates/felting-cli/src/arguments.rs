//! The command line as it is typed.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum, ValueHint};
use clap_complete::Shell;
use clap_complete::engine::ArgValueCompleter;
use felting::diagnostic::Severity;
use felting_view::sheet::{Format, Topic};

use crate::names;

/// Models leaf-spine fabrics and finds the contradictions in them before anyone touches a device.
#[derive(Debug, Parser)]
#[command(name = "felting", version = env!("FELTING_BUILT"), max_term_width = 100)]
pub(crate) struct Arguments {
    /// When to use colours; never where `NO_COLOR` is set, unless always.
    #[arg(
        long,
        visible_alias = "color",
        global = true,
        value_name = "WHEN",
        default_value = "auto"
    )]
    pub(crate) colour: Colour,
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Read a fabric and report every contradiction in it.
    ///
    /// Exit code: 0 if nothing is at or above the denied level, 1 if something is, 2 if a fabric could not be read
    /// whole or the command was wrong.
    Check(CheckOptions),
    /// Write a first fabric file from a few numbers, to go on editing.
    New(NewOptions),
    /// Print a table of what a fabric has; without a topic, list the topics.
    Sheet(SheetOptions),
    /// Follow a packet from one end to the other and back: the way, and what it wears at each hop.
    ///
    /// Exit code: 0 if the packet and its reply arrive, 1 if one does not, 2 if the fabric could not be
    /// read whole or the command was wrong.
    Walk(WalkOptions),
    /// Tell what a name means: what it is, where it is written and used, and what it is allotted.
    ///
    /// Exit code: 0 if the fabric has the name, 1 if it has not, 2 if it could not be read whole or the command was
    /// wrong.
    Where(WhereOptions),
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
    /// Tell what a rule is about, with an example and its mend; or list the rules of a family, with a word in
    /// their id, or all.
    Explain {
        /// A rule's id, such as lag-protocol-clash, a family, such as lag, or a part of ids, such as mtu.
        #[arg(add = ArgValueCompleter::new(names::rules))]
        word: Option<String>,
        /// The form of the answer.
        #[arg(long, default_value = "text")]
        format: TextFormat,
    },
    /// Show the main job on the demo fabrics: sheets of a clean one, findings of a stormy one.
    Demo {
        /// Write the files of both demo fabrics into a new folder instead, to try things on.
        #[arg(long, value_name = "FOLDER", value_hint = ValueHint::DirPath)]
        into: Option<PathBuf>,
    },
    /// Print the JSON Schema of the fabric language, for editors.
    Schema {
        #[command(flatten)]
        output: Output,
    },
    /// Print what a shell needs to complete commands, options, and names of the fabric.
    Completions {
        /// The shell.
        shell: Shell,
    },
    /// Write the manual pages into a new folder, for `man`.
    Man {
        /// The folder.
        #[arg(value_hint = ValueHint::DirPath)]
        folder: PathBuf,
    },
}

/// Which fabric.
#[derive(Args, Debug)]
pub(crate) struct Input {
    /// The fabric file, a folder that has a fabric.toml, or - for standard input, whose includes are looked for in
    /// the working folder.
    #[arg(default_value = "fabric.toml", value_hint = ValueHint::FilePath)]
    pub(crate) file: PathBuf,
    #[command(flatten)]
    pub(crate) variant: Variant,
}

/// What is laid over a fabric.
#[derive(Args, Debug)]
pub(crate) struct Variant {
    /// A variant: what would be configured otherwise. Can be repeated.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub(crate) with: Vec<PathBuf>,
}

/// What is down or moved while the question is asked.
#[derive(Args, Debug)]
pub(crate) struct Down {
    /// What is down: kelp-a, "kelp-a p1", "cable kelp-a p1", "peer link of kelp", "keepalive of
    /// kelp", "member 2 of jetty", "pseudowire tide-bus". Can be repeated.
    #[arg(long, value_name = "THING", add = ArgValueCompleter::new(names::things))]
    pub(crate) cut: Vec<String>,
    /// An endpoint that is on another host: "web-1 to hull-04". Can be repeated.
    #[arg(long = "move", value_name = "ENDPOINT to HOST", add = ArgValueCompleter::new(names::endpoints))]
    pub(crate) moves: Vec<String>,
}

/// Of what part of the fabric.
#[derive(Args, Debug)]
pub(crate) struct Of {
    /// Only what is about these: switches, hosts, pairs, stacks, segments, VRFs, sites, by name or pattern. Can be
    /// repeated.
    #[arg(long, value_name = "NAME", add = ArgValueCompleter::new(names::parts))]
    pub(crate) of: Vec<String>,
}

/// Which findings.
#[derive(Args, Debug)]
pub(crate) struct Which {
    /// Only what these rules or families of rules find. Can be repeated.
    #[arg(long, value_name = "RULE", add = ArgValueCompleter::new(names::rules))]
    pub(crate) only: Vec<String>,
    /// Not what these rules or families of rules find. Can be repeated.
    #[arg(long, value_name = "RULE", add = ArgValueCompleter::new(names::rules))]
    pub(crate) skip: Vec<String>,
    /// Only what is about these switches, hosts, pairs, segments or endpoints, by name or pattern. Can be repeated.
    #[arg(long, value_name = "NAME", add = ArgValueCompleter::new(names::parts))]
    pub(crate) about: Vec<String>,
    /// Judge acceptances as of this day instead of today, such as 2027-01-31.
    #[arg(long, value_name = "DATE", value_parser = day)]
    pub(crate) day: Option<jiff::civil::Date>,
    /// Judge as if the files accepted nothing.
    #[arg(long)]
    pub(crate) ignore_accepts: bool,
    /// Judge as if the files gave no rule another severity, and switched none off.
    #[arg(long)]
    pub(crate) ignore_severities: bool,
}

/// Where the answer goes.
#[derive(Args, Debug)]
pub(crate) struct Output {
    /// The file to write instead of printing; - prints.
    #[arg(long, short, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub(crate) output: Option<PathBuf>,
}

/// How a text is laid out.
#[derive(Args, Debug)]
pub(crate) struct Layout {
    /// How many columns a line has; those of the terminal by default, else 120.
    #[arg(long, value_name = "COLUMNS", value_parser = columns)]
    pub(crate) width: Option<usize>,
    /// The sum alone.
    #[arg(long, short)]
    pub(crate) quiet: bool,
}

#[derive(Args, Debug)]
pub(crate) struct NewOptions {
    /// The file to write, or a folder for a large fabric with a file a pod, such as site/. What exists is
    /// left alone.
    #[arg(value_hint = ValueHint::AnyPath)]
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
    /// What the table is about; without it, the topics are listed.
    pub(crate) topic: Option<TopicWord>,
    #[command(flatten)]
    pub(crate) input: Input,
    #[command(flatten)]
    pub(crate) down: Down,
    #[command(flatten)]
    pub(crate) of: Of,
    /// Only what `--with`, `--cut` and `--move` change, before and after.
    #[arg(long)]
    pub(crate) changes: bool,
    /// The form of the table.
    #[arg(long, default_value = "table")]
    pub(crate) format: FormatWord,
    /// CSV with every cell as it is: by default one that a spreadsheet would take for a formula (it begins with =, +, -
    /// or @) begins with an apostrophe.
    #[arg(long)]
    pub(crate) raw: bool,
    #[command(flatten)]
    pub(crate) output: Output,
    #[command(flatten)]
    pub(crate) layout: Layout,
}

#[derive(Args, Debug)]
pub(crate) struct WalkOptions {
    /// From where: an endpoint, a host with one endpoint, an address, or a network outside.
    #[arg(add = ArgValueCompleter::new(names::terminals))]
    pub(crate) from: String,
    /// To where, named likewise.
    #[arg(add = ArgValueCompleter::new(names::terminals))]
    pub(crate) to: String,
    #[command(flatten)]
    pub(crate) input: Input,
    #[command(flatten)]
    pub(crate) down: Down,
    /// Follow all ways that are as good, not only the one that a hash picks.
    #[arg(long)]
    pub(crate) all: bool,
    /// How large the packet is, in bytes from its IP header on.
    #[arg(long, value_name = "BYTES", value_parser = packet)]
    pub(crate) size: Option<u32>,
    /// Write what a tap on each link of the way would see, as a capture file.
    #[arg(long, value_name = "FILE.pcapng", value_hint = ValueHint::FilePath)]
    pub(crate) capture: Option<PathBuf>,
    /// In the capture, leave the outer UDP checksum at zero over IPv6 too, as RFC 6935 allows.
    #[arg(long, requires = "capture")]
    pub(crate) zero_outer_checksum: bool,
    /// The form of the answer.
    #[arg(long, default_value = "text")]
    pub(crate) format: TextFormat,
    #[command(flatten)]
    pub(crate) output: Output,
    /// Whether it arrives alone.
    #[arg(long, short)]
    pub(crate) quiet: bool,
}

#[derive(Args, Debug)]
pub(crate) struct WhereOptions {
    /// A name, address, VLAN, VNI or MAC address, as the fabric file has it.
    #[arg(add = ArgValueCompleter::new(names::all))]
    pub(crate) name: String,
    #[command(flatten)]
    pub(crate) input: Input,
    /// The form of the answer.
    #[arg(long, default_value = "text")]
    pub(crate) format: TextFormat,
    #[command(flatten)]
    pub(crate) output: Output,
}

#[derive(Args, Debug)]
pub(crate) struct DrawOptions {
    /// What is drawn.
    pub(crate) view: ViewWord,
    #[command(flatten)]
    pub(crate) input: Input,
    #[command(flatten)]
    pub(crate) down: Down,
    #[command(flatten)]
    pub(crate) of: Of,
    #[command(flatten)]
    pub(crate) output: Output,
    /// The form; by default what the name of the file says, else svg.
    #[arg(long)]
    pub(crate) format: Option<Picture>,
    /// Mark every finding at what it is about, and tell it below.
    #[arg(long)]
    pub(crate) findings: bool,
    #[command(flatten)]
    pub(crate) which: Which,
    /// In the colours for dark screens.
    #[arg(long)]
    pub(crate) dark: bool,
    /// How many times as large a PNG is.
    #[arg(long, value_parser = scale)]
    pub(crate) scale: Option<f64>,
    /// The tree of this VLAN, where there are several.
    #[arg(long, value_parser = vlan)]
    pub(crate) vlan: Option<felting::value::VlanId>,
    /// From where a walk goes: an endpoint, a host with one endpoint, an address, or a network outside.
    #[arg(long, add = ArgValueCompleter::new(names::terminals))]
    pub(crate) from: Option<String>,
    /// To where a walk goes.
    #[arg(long, add = ArgValueCompleter::new(names::terminals))]
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

/// The form of a drawing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Picture {
    Svg,
    Png,
}

#[derive(Args, Debug)]
pub(crate) struct CheckOptions {
    /// The fabric files, each a file, a folder that has a fabric.toml, or - for standard input, whose includes are
    /// looked for in the working folder.
    #[arg(value_name = "FILE", default_value = "fabric.toml", value_hint = ValueHint::FilePath)]
    pub(crate) files: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) variant: Variant,
    #[command(flatten)]
    pub(crate) down: Down,
    #[command(flatten)]
    pub(crate) which: Which,
    /// List what the files accept, which is counted alone otherwise (--format text).
    #[arg(long)]
    pub(crate) accepted: bool,
    /// The mildest severity that makes the exit code 1.
    #[arg(long, value_name = "SEVERITY", default_value = "warning")]
    pub(crate) deny: Denied,
    /// What was found before, as --format json wrote it: only what is new is told and makes the exit code 1, what is
    /// gone is listed, and the rest is counted.
    #[arg(long, value_name = "FILE.json", value_hint = ValueHint::FilePath)]
    pub(crate) baseline: Option<PathBuf>,
    /// The form of the findings: text for people, line for editors and grep, json and sarif (2.1.0) for programs and
    /// code hosts, junit for systems that run tests.
    #[arg(long, default_value = "text")]
    pub(crate) format: FindingsFormat,
    #[command(flatten)]
    pub(crate) output: Output,
    #[command(flatten)]
    pub(crate) layout: Layout,
}

/// The form of findings.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum FindingsFormat {
    Text,
    Line,
    Json,
    Sarif,
    Junit,
}

#[derive(Args, Debug)]
pub(crate) struct ReportOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    #[command(flatten)]
    pub(crate) down: Down,
    #[command(flatten)]
    pub(crate) of: Of,
    #[command(flatten)]
    pub(crate) which: Which,
    #[command(flatten)]
    pub(crate) output: Output,
}

#[derive(Args, Debug)]
pub(crate) struct TopologyOptions {
    #[command(flatten)]
    pub(crate) input: Input,
    #[command(flatten)]
    pub(crate) down: Down,
    #[command(flatten)]
    pub(crate) of: Of,
    /// The form: dot for Graphviz, rfc8345 for the network-topology model of that RFC in JSON.
    #[arg(long, default_value = "dot")]
    pub(crate) format: TopologyFormat,
    #[command(flatten)]
    pub(crate) output: Output,
}

/// The form of a topology.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TopologyFormat {
    Dot,
    Rfc8345,
}

/// The form of an answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TextFormat {
    Text,
    Json,
}

/// When to use colours.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Colour {
    Auto,
    Always,
    Never,
}

fn scale(text: &str) -> Result<f64, String> {
    text.parse::<f64>()
        .ok()
        .filter(|scale| (0.1..=8.0).contains(scale))
        .ok_or_else(|| "a number from 0.1 to 8 is expected, such as 2".to_owned())
}

fn vlan(text: &str) -> Result<felting::value::VlanId, String> {
    let vlan = text.parse::<u32>().ok().and_then(|vlan| felting::value::VlanId::new(vlan).ok());
    vlan.ok_or_else(|| "a VLAN id from 1 to 4094 is expected, such as 310".to_owned())
}

fn columns(text: &str) -> Result<usize, String> {
    let columns = text.parse::<usize>().ok().filter(|columns| (40..=400).contains(columns));
    columns.ok_or_else(|| "a number of columns from 40 to 400 is expected, such as 100".to_owned())
}

fn packet(text: &str) -> Result<u32, String> {
    let bytes = text.parse::<u32>().ok().filter(|bytes| (28..=65_535).contains(bytes));
    bytes.ok_or_else(|| {
        "a number of bytes from 28 (the headers of a ping) to 65535 is expected, such as 1500"
            .to_owned()
    })
}

fn day(text: &str) -> Result<jiff::civil::Date, String> {
    text.parse().map_err(|_| "a day is expected as year-month-day, such as 2027-01-31".to_owned())
}

/// Words of the command line for values of the library.
macro_rules! words {
    ($($name:ident for $type:ident { $($variant:ident),+ })+) => {$(
        #[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
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
        Sessions, Tunnels, UnderlayRoutes, EvpnRoutes, Matrix, Vrfs, FloodLists, Oversubscription
    }
    FormatWord for Format { Table, Csv, Json, Markdown }
}

/// From which severity on a finding fails the command.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Denied {
    Hint,
    Warning,
    Error,
    Never,
}

impl Denied {
    pub(crate) const fn severity(self) -> Option<Severity> {
        match self {
            Self::Hint => Some(Severity::Hint),
            Self::Warning => Some(Severity::Warning),
            Self::Error => Some(Severity::Error),
            Self::Never => None,
        }
    }
}
