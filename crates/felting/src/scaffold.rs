//! A first fabric file from a few numbers, for a person to go on editing.
//!
//! ```
//! use felting::scaffold::Scaffold;
//! let text = Scaffold { pairs: 3, hosts: 6, ..Scaffold::default() }.to_toml().unwrap();
//! assert!(felting::Fabric::from_text("fabric.toml", &text).check().findings.is_empty());
//! ```

use std::fmt::{self, Write as _};

/// How many of everything a first fabric has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scaffold {
    /// Its name.
    pub name: String,
    /// Spines, in each pod.
    pub spines: u32,
    /// Pairs of leaves, in each pod.
    pub pairs: u32,
    /// Single leaves instead of pairs, in each pod.
    pub leaves: u32,
    /// Hosts in all, spread over the pairs or leaves.
    pub hosts: u32,
    /// Tenants, each with a VRF.
    pub tenants: u32,
    /// Segments in all, spread over the tenants.
    pub segments: u32,
    /// Super-spines, which join the pods; none in a fabric of two tiers.
    pub super_spines: u32,
    /// Pods; one in a fabric of two tiers.
    pub pods: u32,
}

impl Default for Scaffold {
    fn default() -> Self {
        Self {
            name: "first".to_owned(),
            spines: 2,
            pairs: 2,
            leaves: 0,
            hosts: 4,
            tenants: 1,
            segments: 2,
            super_spines: 0,
            pods: 1,
        }
    }
}

/// Why no fabric can be made of some numbers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfit {
    what: String,
    remedy: String,
}

impl Unfit {
    pub(crate) fn new(what: String, remedy: &str) -> Self {
        Self { what, remedy: remedy.to_owned() }
    }
}

impl fmt::Display for Unfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.what, self.remedy)
    }
}

impl std::error::Error for Unfit {}

/// Ports for hosts on each leaf.
pub(crate) const HOST_PORTS: u32 = 48;

/// The number of the first leaf; spines and super-spines are below.
const FIRST_LEAF: u32 = 1001;

/// The VLAN of the routed way over peer links.
const ESCAPE: u32 = 3900;

/// Refuses a number that is too small or too large.
pub(crate) fn bounded(what: &str, value: u32, min: u32, max: u32) -> Result<(), Unfit> {
    match value {
        value if value >= min && value <= max => Ok(()),
        _ => {
            Err(Unfit::new(format!("a fabric of {value} {what}"), &format!("give {min} to {max}")))
        }
    }
}

impl Scaffold {
    /// The fabric as a file.
    ///
    /// # Errors
    ///
    /// [`Unfit`], where the numbers don't go together: what is too many or too few, and what would do.
    pub fn to_toml(&self) -> Result<String, Unfit> {
        self.fits()?;
        let mut page = String::new();
        // Writing to a String cannot fail.
        let _ = self.write(&mut page);
        Ok(page)
    }

    /// Cables of a peer link: as many as uplinks, as it must carry what one side's lost uplinks push over it.
    fn peer_cables(&self) -> u32 {
        self.spines.max(2)
    }

    /// Leaves in all.
    fn all_leaves(&self) -> u32 {
        self.pods * self.leaves_of_pod()
    }

    fn leaves_of_pod(&self) -> u32 {
        if self.paired() { self.pairs * 2 } else { self.leaves }
    }

    fn paired(&self) -> bool {
        self.leaves == 0
    }

    /// What a host hangs on: pairs or leaves, in all.
    fn places(&self) -> u32 {
        self.pods * if self.paired() { self.pairs } else { self.leaves }
    }

    /// How many hosts a pair or leaf takes, so that it has a third of their bandwidth upwards.
    fn hosts_of_place(&self) -> u32 {
        let by_ports = if self.paired() { HOST_PORTS } else { HOST_PORTS / 2 };
        let by_uplinks = 3 * self.spines * 100 / if self.paired() { 25 } else { 50 };
        by_ports.min(by_uplinks)
    }

    fn fits(&self) -> Result<(), Unfit> {
        bounded("spines", self.spines, 1, 32)?;
        bounded("pods", self.pods, 1, 99)?;
        bounded("super-spines", self.super_spines, 0, 32)?;
        match self.paired() {
            true => bounded("pairs of leaves in a pod", self.pairs, 1, 99)?,
            false => bounded("leaves in a pod", self.leaves, 2, 199)?,
        }
        bounded("tenants", self.tenants, 1, 200)?;
        bounded("segments", self.segments, self.tenants, 2000)?;
        if (self.pods > 1) != (self.super_spines > 0) {
            return Err(Unfit::new(
                "several pods and super-spines go together".to_owned(),
                "give both --pods and --super-spines, or neither",
            ));
        }
        let most = self.places() * self.hosts_of_place();
        if self.hosts > most {
            return Err(Unfit::new(
                format!(
                    "{} hosts are more than the {most} that {} places take",
                    self.hosts,
                    self.places()
                ),
                "give more pairs or leaves, or more spines",
            ));
        }
        Ok(())
    }

    /// A range of names: `leaf-[01-08]`, or one name where there is one.
    pub(crate) fn range(stem: &str, count: u32, width: usize) -> String {
        match count {
            1 => format!("{stem}{:0width$}", 1),
            _ => format!("{stem}[{:0width$}-{count:0width$}]", 1),
        }
    }

    /// The part of names that says the pod.
    fn pod(&self) -> String {
        if self.pods == 1 {
            String::new()
        } else {
            "[1-".to_owned() + &self.pods.to_string() + "]-"
        }
    }

    fn leaf_names(&self) -> String {
        let pod = self.pod();
        match self.paired() {
            true => format!("{}[a-b]", Self::range(&format!("leaf-{pod}"), self.pairs, 2)),
            false => Self::range(&format!("leaf-{pod}"), self.leaves, 2),
        }
    }

    fn write(&self, page: &mut String) -> fmt::Result {
        let spine_ports = (self.leaves_of_pod() + self.super_spines).max(32);
        let (peer, up) = (49 + self.spines, Self::range_from(49, self.spines));
        let last = if self.paired() { peer + self.peer_cables() - 1 } else { peer - 1 };
        writeln!(
            page,
            "#:schema fabric.schema.json\n\
             # {} spines, {} leaves, {} hosts. Made by `felting new`; go on from here. Editors complete keys by the\n\
             # schema above, which `felting schema -o fabric.schema.json` writes.\n\n\
             [fabric]\nname = {}\n\n\
             # ---------------------------------------------------------------- switches\n\n\
             [[hardware]]\nname = \"leaf\"\nports = [\"p[1-{HOST_PORTS}] 25G\", \"p[49-{last}] 100G\"]\nmtu = 9216\n\n\
             [[hardware]]\nname = \"spine\"\nports = \"p[1-{spine_ports}] 100G\"\nvtep = false\nmtu = \
                 9216",
            self.pods * self.spines,
            self.all_leaves(),
            self.hosts,
            // Quoted as TOML quotes it, whatever is in it.
            toml::Value::String(self.name.clone())
        )?;
        if self.super_spines > 0 {
            let ports = (self.pods * self.spines).max(32);
            writeln!(
                page,
                "\n[[hardware]]\nname = \"super-spine\"\nports = \"p[1-{ports}] \
                 100G\"\nvtep = false\nmtu = 9216"
            )?;
            writeln!(
                page,
                "\n[[switch]]\nname = \"{}\"\nnumber = 1\nrole = \
                 \"super-spine\"\nhardware = \"super-spine\"",
                Self::range("top-", self.super_spines, 1)
            )?;
        }
        writeln!(
            page,
            "\n[[switch]]\nname = \"{}\"\nnumber = 101\nrole = \"spine\"\nhardware = \"spine\"\n\n\
             [[switch]]\nname = \"{}\"\nnumber = {FIRST_LEAF}\nrole = \"leaf\"\nhardware = \"leaf\"\n\n\
             # ---------------------------------------------------------------- cables\n\n[cabling]\nruns = [",
            Self::range(&format!("spine-{}", self.pod()), self.spines, 1),
            self.leaf_names()
        )?;
        self.cables(page, peer, &up)?;
        writeln!(page, "]")?;
        self.routing(page)?;
        if self.paired() {
            self.pair_statements(page, peer)?;
        }
        self.tenants(page)?;
        self.host_statements(page)
    }

    pub(crate) fn range_from(first: u32, count: u32) -> String {
        if count == 1 { format!("p{first}") } else { format!("p[{first}-{}]", first + count - 1) }
    }

    /// The leaves of a pod, in the order of their numbers.
    fn leaves_in(&self, pod: u32) -> Vec<String> {
        let prefix = if self.pods == 1 { String::new() } else { format!("{pod}-") };
        let of_pair = |pair: u32| ["a", "b"].map(|side| format!("leaf-{prefix}{pair:02}{side}"));
        match self.paired() {
            true => (1..=self.pairs).flat_map(of_pair).collect(),
            false => (1..=self.leaves).map(|leaf| format!("leaf-{prefix}{leaf:02}")).collect(),
        }
    }

    fn cables(&self, page: &mut String, peer: u32, up: &str) -> fmt::Result {
        for pod in 1..=self.pods {
            let prefix = if self.pods == 1 { String::new() } else { format!("{pod}-") };
            let spines = Self::range(&format!("spine-{prefix}"), self.spines, 1);
            for (index, leaf) in self.leaves_in(pod).iter().enumerate() {
                writeln!(page, "  \"{leaf} {up} -- {spines} p{}\",", index + 1)?;
            }
            if self.paired() {
                for pair in self.leaves_in(pod).chunks(2) {
                    let ports = Self::range_from(peer, self.peer_cables());
                    writeln!(page, "  \"{} {ports} -- {} {ports}\",", pair[0], pair[1])?;
                }
            }
            if self.super_spines > 0 {
                let tops = Self::range("top-", self.super_spines, 1);
                let ports = Self::range_from(self.leaves_of_pod() + 1, self.super_spines);
                for spine in 1..=self.spines {
                    let port = (pod - 1) * self.spines + spine;
                    writeln!(page, "  \"spine-{prefix}{spine} {ports} -- {tops} p{port}\",")?;
                }
            }
        }
        let each = if self.paired() { "leaf" } else { "leaf, two cables each" };
        if self.hosts > 0 {
            writeln!(page, "  # hosts, spread over every {each}")?;
        }
        for host in 1..=self.hosts {
            let (place, port) = self.place_of(host);
            match self.paired() {
                true => writeln!(page, "  \"host-{host:03} nic[1-2] -- {place}[a-b] p{port}\",")?,
                false => writeln!(
                    page,
                    "  \"host-{host:03} nic[1-2] -- {place} p[{}-{}]\",",
                    port * 2 - 1,
                    port * 2
                )?,
            }
        }
        Ok(())
    }

    /// Where a host hangs: the pair's or leaf's name, and the place among its hosts.
    fn place_of(&self, host: u32) -> (String, u32) {
        let (place, port) = ((host - 1) % self.places(), (host - 1) / self.places() + 1);
        let of_pod = self.places() / self.pods;
        let (pod, own) = (place / of_pod + 1, place % of_pod + 1);
        let prefix = if self.pods == 1 { String::new() } else { format!("{pod}-") };
        (format!("leaf-{prefix}{own:02}"), port)
    }

    fn routing(&self, page: &mut String) -> fmt::Result {
        let reserve = self.spines.max(self.super_spines).next_power_of_two().max(4);
        let names = match self.super_spines {
            0 => "[\"spine-*\", \"leaf-*\"]",
            _ => "[\"top-*\", \"spine-*\", \"leaf-*\"]",
        };
        writeln!(
            page,
            "\n# ---------------------------------------------------------------- underlay\n\n\
             # Every value is allotted from a pool and the switch's own number, so adding a switch never\n\
             # renumbers another. Anything can be pinned.\n\n\
             [[pool]]\nname = \"links\"\ngives = \"links\"\nprefix = \"10.0.0.0/11\"\nlinks_per_switch = {reserve}\n\n\
             [[pool]]\nname = \"loopbacks\"\ngives = \"loopbacks\"\nprefix = \"10.32.0.0/16\"\n\n\
             [[pool]]\nname = \"vteps\"\ngives = \"vteps\"\nprefix = \"10.33.0.0/16\"\n\n\
             [[underlay]]\non = {names}\nprotocol = \"ospf\"\n\n\
             # ---------------------------------------------------------------- overlay\n\n\
             [[router]]\non = {names}\nas_number = 65000\n\n\
             [[overlay]]\non = \"leaf-*\"\ntarget_pattern = \"65000:{{vni}}\"\ngateway_mac = \
                 \"02:00:00:00:00:01\""
        )?;
        for pod in 1..=self.pods {
            let prefix = if self.pods == 1 { String::new() } else { format!("{pod}-") };
            writeln!(
                page,
                "\n[[session]]\non = \"leaf-{prefix}*\"\nto = \"spine-{prefix}*\"\n\n\
                 [[session]]\non = \"spine-{prefix}*\"\nto = \"leaf-{prefix}*\"\nclient = true"
            )?;
        }
        if self.super_spines > 0 {
            writeln!(
                page,
                "\n[[session]]\non = \"spine-*\"\nto = \"top-*\"\n\n\
                 [[session]]\non = \"top-*\"\nto = \"spine-*\"\nclient = true"
            )?;
        }
        Ok(())
    }

    fn pair_statements(&self, page: &mut String, peer: u32) -> fmt::Result {
        writeln!(
            page,
            "\n# ---------------------------------------------------------------- pairs\n\n\
             [[management]]\nname = \"management\"\nsubnet = \"172.20.0.0/16\"\non = \"leaf-*\"\n\n\
             [[lag]]\non = \"leaf-*\"\nname = \"peer\"\nports = \"{}\"\ntagged = \"{},{ESCAPE}\"\n\n\
             # The way round for a side that has lost its uplinks.\n\n\
             [[interface]]\non = \"leaf-*\"\nvlan = {ESCAPE}\nunnumbered = true\ncost = 100",
            Self::range_from(peer, self.peer_cables()),
            self.vlans()
        )?;
        for pod in 1..=self.pods {
            for (index, sides) in self.leaves_in(pod).chunks(2).enumerate() {
                let number = FIRST_LEAF
                    + (pod - 1) * self.leaves_of_pod()
                    + u32::try_from(index).unwrap_or(0) * 2;
                let domain = (pod - 1) * self.pairs + u32::try_from(index).unwrap_or(0) + 1;
                let address = |number: u32| format!("172.20.{}.{}", number / 256, number % 256);
                let name = sides[0].trim_end_matches('a');
                writeln!(
                    page,
                    "\n[[pair]]\nname = \"{name}\"\non = \"{name}[a-b]\"\ndomain = {domain}\npeer_link = \"peer\"\n\
                     keepalive = {{ between = [\"{}\", \"{}\"] }}",
                    address(number),
                    address(number + 1)
                )?;
            }
        }
        Ok(())
    }

    fn vlans(&self) -> String {
        if self.segments == 1 { "101".to_owned() } else { format!("101-{}", 100 + self.segments) }
    }

    fn tenants(&self, page: &mut String) -> fmt::Result {
        writeln!(
            page,
            "\n# ---------------------------------------------------------------- tenants\n\n\
             [[pool]]\nname = \"segments\"\ngives = \"segment-vnis\"\nbase = 20000\nlast = 39999\n\n\
             [[pool]]\nname = \"vrfs\"\ngives = \"vrf-vnis\"\nbase = 50000\nlast = 50999"
        )?;
        for tenant in 1..=self.tenants {
            writeln!(
                page,
                "\n[[vrf]]\nname = \"tenant-{tenant}\"\nnumber = {tenant}\non = \"leaf-*\""
            )?;
        }
        for segment in 1..=self.segments {
            let (tenant, vlan) = ((segment - 1) % self.tenants + 1, 100 + segment);
            let net = format!("10.{}.{}", 64 + segment / 256, segment % 256);
            writeln!(
                page,
                "\n[[segment]]\nname = \"net-{vlan}\"\nnumber = {vlan}\nvrf = \"tenant-{tenant}\"\nvlan = {vlan}\n\
                 subnet = \"{net}.0/24\"\ngateway = \"{net}.1\"\non = \"leaf-*\""
            )?;
        }
        if self.places() == 1 {
            writeln!(
                page,
                "\n[[accept]]\nrule = \"segment-single-vtep\"\non = \"net-*\"\nreason = \"one pair so far; \
                 the VNIs are for those to come\""
            )?;
        }
        Ok(())
    }

    fn host_statements(&self, page: &mut String) -> fmt::Result {
        if self.hosts == 0 {
            return Ok(());
        }
        writeln!(
            page,
            "\n# ---------------------------------------------------------------- hosts\n\n\
             [[host]]\nname = \"{}\"\nnics = \"nic[1-2] 25G\"\nbond = {{ name = \"bond0\", nics = \
                 \"nic[1-2]\" }}\nnetworks = {{ name = \"guests\", tags = \"{}\" }}",
            Self::range("host-", self.hosts, 3),
            self.vlans()
        )?;
        for host in 1..=self.hosts {
            let (place, port) = self.place_of(host);
            match self.paired() {
                true => writeln!(
                    page,
                    "\n[[lag]]\non = \"{place}[a-b]\"\nname = \"host-{host:03}\"\ngroup = \
                     {port}\nports = \"p{port}\"\ntagged = \"{}\"",
                    self.vlans()
                )?,
                false => writeln!(
                    page,
                    "\n[[lag]]\non = \"{place}\"\nname = \"host-{host:03}\"\nports = \
                     \"p[{}-{}]\"\ntagged = \"{}\"",
                    port * 2 - 1,
                    port * 2,
                    self.vlans()
                )?,
            }
        }
        self.expectation(page)
    }

    /// Two machines to try `felting walk` with, and what is expected of them.
    fn expectation(&self, page: &mut String) -> fmt::Result {
        if self.hosts < 2 {
            return Ok(());
        }
        writeln!(
            page,
            "\n# ---------------------------------------------------------------- what must hold"
        )?;
        for machine in 1..=2 {
            writeln!(
                page,
                "\n[[endpoint]]\nname = \"machine-{machine}\"\nhost = \"host-{machine:03}\"\ntag = 101\n\
                 address = \"10.64.1.{}/24\"\ngateway = \"10.64.1.1\"",
                10 + machine
            )?;
        }
        // Of what there is one only, nothing can take the place.
        let switches = self.paired() && self.super_spines != 1;
        let despite = match (switches, self.spines > 1) {
            (true, true) => "\ndespite = \"any-cable-or-switch\"",
            (false, true) => "\ndespite = \"any-cable\"",
            (_, false) => "",
        };
        writeln!(page, "\n[[expect]]\nfrom = \"machine-1\"\nto = \"machine-2\"{despite}")
    }
}
