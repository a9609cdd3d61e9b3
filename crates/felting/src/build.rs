//! Fabrics built in Rust, with the words of the fabric file.
//!
//! Each statement begins with a function of the table's name, each key is a method. The statements are written
//! out as a fabric file and compiled like any other, so that whatever the file can say the builder
//! can say too, and findings show excerpts of what was built.
//!
//! ```
//! use felting::build::{Builder, lag, switch};
//! use felting::value::Protocol;
//!
//! let fabric = Builder::new("shore")
//!     .switch(switch().name("kelp-[a-b]").ports("p[1-2] 25G"))
//!     .cables("kelp-a p[1-2] -- kelp-b p[1-2]")
//!     .lag(
//!         lag()
//!             .on("kelp-*")
//!             .name("across")
//!             .ports("p[1-2]")
//!             .differs(lag().on("kelp-b").protocol(Protocol::Static)),
//!     )
//!     .fabric();
//! assert_eq!(fabric.check().findings[0].rule.id, "lag-protocol-clash");
//! ```

pub use crate::source::builders::*;

use crate::fabric::Fabric;
use crate::source::{RunKeys, for_statements};

/// Collects statements and compiles them.
#[derive(Clone, Debug)]
pub struct Builder {
    name: String,
    tables: toml::Table,
}

/// A statement of any table.
#[derive(Clone, Debug)]
pub struct AnyStatement {
    table: &'static str,
    value: toml::Value,
}

/// Methods that add one statement each.
macro_rules! methods {
    ($($(#[doc = $doc:literal])+ $table:ident: $builder:ident;)+) => {
        $(impl From<$builder> for AnyStatement {
            fn from(statement: $builder) -> Self {
                Self { table: stringify!($table), value: statement.into() }
            }
        })+

        impl Builder {$(
            #[doc = concat!("Adds a `[[", stringify!($table), "]]` statement.\n\n")]
            $(#[doc = $doc])+
            pub fn $table(mut self, statement: $builder) -> Self {
                list(&mut self.tables, stringify!($table)).push(statement.into());
                self
            }
        )+}
    };
}
for_statements!(methods);

impl Builder {
    /// A fabric of that name without any statement yet.
    pub fn new(name: &str) -> Self {
        let mut builder = Self { name: name.to_owned(), tables: toml::Table::new() };
        builder.table("fabric").insert("name".to_owned(), name.into());
        builder
    }

    /// Adds a statement, where the builder is not passed on but kept.
    ///
    /// ```
    /// use felting::build::{Builder, switch};
    /// let mut builder = Builder::new("shore");
    /// for leaf in 1..=8 {
    ///     builder.add(switch().name(format!("kelp-{leaf}")).number(10 + leaf));
    /// }
    /// assert_eq!(builder.fabric().devices().count(), 8);
    /// ```
    pub fn add(&mut self, statement: impl Into<AnyStatement>) -> &mut Self {
        let AnyStatement { table, value } = statement.into();
        list(&mut self.tables, table).push(value);
        self
    }

    /// Adds a run of cables, where the builder is kept.
    pub fn add_cables(&mut self, run: impl Fits<RunKeys>) -> &mut Self {
        list(self.table("cabling"), "runs").push(run.value());
        self
    }

    /// Adds a run of cables: a text such as `"hull-01 nic[1-2] -- kelp-[a-b] p1"`, or
    /// a [`run`].
    pub fn cables(mut self, run: impl Fits<RunKeys>) -> Self {
        self.add_cables(run);
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
