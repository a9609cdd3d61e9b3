//! Fabrics built in Rust, with the words of the fabric file.
//!
//! Each statement is a struct of the table's name, each key a method. The statements are written
//! out as a fabric file and compiled like any other, so that whatever the file can say the builder
//! can say too, and findings show excerpts of what was built.
//!
//! ```
//! use felting::build::{Builder, Lag, Switch};
//! use felting::value::Protocol;
//!
//! let fabric = Builder::new("shore")
//!     .switch(Switch::new().name("kelp-[a-b]").ports("et[1-2] 25G"))
//!     .cables("kelp-a et[1-2] -- kelp-b et[1-2]")
//!     .lag(
//!         Lag::new()
//!             .on("kelp-*")
//!             .name("across")
//!             .ports("et[1-2]")
//!             .differs(Lag::new().on("kelp-b").protocol(Protocol::Static)),
//!     )
//!     .fabric();
//! assert_eq!(fabric.check().findings[0].rule.id, "lag-protocol-clash");
//! ```

pub use crate::source::builders::{
    Accept, Bond, Endpoint, Evi, Expect, Hardware, Host, Instance, Interface, Keepalive, Lag, Leak,
    Management, Member, Network, Outside, Overlay, Pair, Policy, Pool, Port, Repeater, Route,
    Router, RunOptions, Scope, Segment, Session, Site, Stack, StackMember, Switch, Tree, Underlay,
    VlanPriority, Vrf, Wan,
};

use crate::fabric::Fabric;

/// Collects statements and compiles them.
#[derive(Clone, Debug)]
pub struct Builder {
    name: String,
    tables: toml::Table,
}

/// Methods that add one statement each.
macro_rules! statements {
    ($($(#[$doc:meta])* $method:ident: $type:ident;)+) => {$(
        $(#[$doc])*
        pub fn $method(mut self, statement: $type) -> Self {
            list(&mut self.tables, stringify!($method)).push(statement.into());
            self
        }
    )+};
}

impl Builder {
    /// A fabric of that name without any statement yet.
    pub fn new(name: &str) -> Self {
        let mut builder = Self { name: name.to_owned(), tables: toml::Table::new() };
        builder.table("fabric").insert("name".to_owned(), name.into());
        builder
    }

    statements! {
        /// Adds a kind of switch.
        hardware: Hardware;
        /// Adds a switch or a range of them.
        switch: Switch;
        /// Adds settings of single ports.
        port: Port;
        /// Adds one end of a LAG on some switches.
        lag: Lag;
        /// Adds a pair.
        pair: Pair;
        /// Adds a stack.
        stack: Stack;
        /// Adds a shared medium.
        repeater: Repeater;
        /// Adds a management network.
        management: Management;
        /// Adds what some switches do about loops.
        tree: Tree;
        /// Adds a pool.
        pool: Pool;
        /// Adds what some switches are to routing protocols.
        router: Router;
        /// Adds how some switches route between each other.
        underlay: Underlay;
        /// Adds a routed interface.
        interface: Interface;
        /// Adds static routes.
        route: Route;
        /// Adds a routing policy.
        policy: Policy;
        /// Adds one end of BGP sessions.
        session: Session;
        /// Adds what makes some switches VTEPs.
        overlay: Overlay;
        /// Adds a site.
        site: Site;
        /// Adds a path over a WAN.
        wan: Wan;
        /// Adds a VRF.
        vrf: Vrf;
        /// Adds a segment.
        segment: Segment;
        /// Adds segments that are one EVPN instance.
        evi: Evi;
        /// Adds routes of one VRF that another one gets too.
        leak: Leak;
        /// Adds a network outside the fabric.
        outside: Outside;
        /// Adds a machine on a host's virtual network.
        endpoint: Endpoint;
        /// Adds addresses that a DHCP server gives out.
        scope: Scope;
        /// Adds what is expected of the fabric.
        expect: Expect;
        /// Adds a host or a range of them.
        host: Host;
        /// Accepts a finding.
        accept: Accept;
    }

    /// Adds a run of cables: a text such as `"hull-01 nic[1-2] -- kelp-[a-b] et1"`, or
    /// [`RunOptions`].
    pub fn cables(mut self, run: impl Into<toml::Value>) -> Self {
        list(self.table("cabling"), "runs").push(run.into());
        self
    }

    /// Gives a rule another severity: `"error"`, `"warning"`, `"hint"` or `"off"`.
    pub fn severity(mut self, rule: &str, severity: &str) -> Self {
        self.table("severities").insert(rule.to_owned(), severity.into());
        self
    }

    /// The statements as the text of a fabric file.
    pub fn to_toml(&self) -> String {
        self.tables.to_string()
    }

    /// Compiles the statements; places are in the text of [`to_toml`](Self::to_toml).
    pub fn fabric(&self) -> Fabric {
        Fabric::from_text(&format!("{} (built)", self.name), &self.to_toml())
    }

    fn table(&mut self, name: &str) -> &mut toml::Table {
        let table = self.tables.entry(name).or_insert_with(|| toml::Table::new().into());
        table.as_table_mut().expect("only this function puts something under the name")
    }
}

fn list<'a>(table: &'a mut toml::Table, name: &str) -> &'a mut Vec<toml::Value> {
    let list = table.entry(name).or_insert_with(|| toml::Value::Array(Vec::new()));
    list.as_array_mut().expect("only this function puts something under the name")
}
