//! Statements as tables of keys: one list of keys makes the reader, the schema, the reference and
//! the builder, so that they cannot drift apart.

#[cfg(feature = "schema")]
use serde_json::{Value as Json, json};
use smallvec::SmallVec;
use smol_str::SmolStr;
use toml::de::{DeTable, DeValue};

use super::fault::FaultKind;
use super::fits::Many;
#[cfg(feature = "schema")]
use super::fits::as_json;
#[cfg(feature = "schema")]
use super::read::Read;
use super::read::{Cx, Node};
use crate::diagnostic::{At, Severity, Span};

/// One key of a table, as documented.
pub(crate) struct KeyDef {
    pub(crate) name: &'static str,
    #[cfg(feature = "schema")]
    pub(crate) doc: &'static str,
    /// `identity`, or `name` where that is the name of one thing: says which thing the statement makes, so it must stand
    /// and cannot deviate.
    pub(crate) identity: bool,
    #[cfg(feature = "schema")]
    pub(crate) what: fn() -> String,
    #[cfg(feature = "schema")]
    pub(crate) schema: fn() -> Json,
    /// What holds where it is not written, if that is always the same: none or one.
    #[cfg(feature = "schema")]
    pub(crate) default: &'static [fn() -> toml::Value],
}

/// A struct of optional keys, made by [`keys!`].
pub(crate) trait Keys: Default {
    /// The table's name in the file.
    const TABLE: &'static str;
    #[cfg(feature = "schema")]
    const DOC: &'static str;
    /// Where the table stands, if not at the top of a file: none or one.
    #[cfg(feature = "schema")]
    const PLACE: &'static [&'static str];
    const DEFS: &'static [KeyDef];

    /// Reads one key; false if the table has no such key.
    fn read_key(&mut self, cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> bool;
    fn has(&self, key: &str) -> bool;
}

/// The accessor of one key: what is written for it, with the default if it has one.
macro_rules! accessor {
    ($keys:ident $key:ident: $type:ty) => {
        #[allow(
            dead_code,
            reason = "one accessor a key; tables of one level read the struct itself"
        )]
        pub(crate) fn $key(&self) -> Option<&'a At<$type>> {
            self.find(stringify!($key), |keys: &'a $keys| keys.$key.as_ref())
        }
    };
    ($keys:ident $key:ident: $type:ty = $default:expr) => {
        #[allow(
            dead_code,
            reason = "one accessor a key; tables of one level read the struct itself"
        )]
        pub(crate) fn $key(&self) -> $crate::source::keys::Written<'a, $type> {
            let own = self.find(stringify!($key), |keys: &'a $keys| keys.$key.as_ref());
            $crate::source::keys::Written {
                own,
                default: || <$type as $crate::source::literal::Literal<_>>::of($default),
            }
        }
    };
}
pub(crate) use accessor;

/// The value of a key; the name of one thing is held to what names are made of.
macro_rules! value_of {
    ($cx:ident, $key:ident, $node:ident, name) => {
        $cx.name($key, $node)
    };
    ($cx:ident, $key:ident, $node:ident $(, identity)?) => {
        $cx.value($key, $node)
    };
}
pub(crate) use value_of;

/// The schema of a key.
#[cfg(feature = "schema")]
macro_rules! schema_of {
    ($type:ty, name) => {
        $crate::source::read::name_schema
    };
    ($type:ty $(, identity)?) => {
        <$type as Read>::schema
    };
}
#[cfg(feature = "schema")]
pub(crate) use schema_of;

/// Defines tables: their keys, the struct that holds them, the accessor by layers, the builder.
macro_rules! keys {
    ($($(#[doc = $doc:literal])+ $table:ident($keys:ident, $builder:ident) $(is $place:literal)? {
        $($(#[doc = $key_doc:literal])+ $key:ident: $type:ty $([$identity:ident])? $(= $default:expr)?;)+
    })+) => {$(
        #[derive(Debug, Default)]
        #[doc(hidden)]
        pub struct $keys {
            $(pub(crate) $key: Option<At<$type>>,)+
        }

        impl Keys for $keys {
            const TABLE: &'static str = stringify!($table);
            #[cfg(feature = "schema")]
            const DOC: &'static str = concat!($($doc, "\n"),+);
            #[cfg(feature = "schema")]
            const PLACE: &'static [&'static str] = &[$($place)?];
            const DEFS: &'static [KeyDef] = &[$(KeyDef {
                name: stringify!($key),
                #[cfg(feature = "schema")]
                doc: concat!($($key_doc),+),
                identity: false $(|| stringify!($identity).len() > 0)?,
                #[cfg(feature = "schema")]
                what: <$type as Read>::what,
                #[cfg(feature = "schema")]
                schema: $crate::source::keys::schema_of!($type $(, $identity)?),
                #[cfg(feature = "schema")]
                default: &[$(|| $crate::source::fits::Fits::<$type>::value(
                    <$type as $crate::source::literal::Literal<_>>::of($default),
                ))?],
            },)+];

            fn read_key(&mut self, cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> bool {
                match key {
                    $(stringify!($key) => {
                        self.$key = $crate::source::keys::value_of!(cx, key, node $(, $identity)?);
                    })+
                    _ => return false,
                }
                true
            }

            fn has(&self, key: &str) -> bool {
                match key {
                    $(stringify!($key) => self.$key.is_some(),)+
                    _ => false,
                }
            }
        }

        impl Read for $keys {
            fn what() -> String {
                format!("a table with {}", Self::DEFS.iter().map(|def| def.name).collect::<Vec<_>>().join(", "))
            }
            #[cfg(feature = "schema")]
            fn schema() -> Json {
                serde_json::json!({ "$ref": concat!("#/$defs/", stringify!($table)) })
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                $crate::source::keys::read_inline(cx, key, node)
            }
        }

        impl<'a> Layers<'a, $keys> {
            $($crate::source::keys::accessor!($keys $key: $type $(= $default)?);)+
        }

        $(#[doc = $doc])+
        #[doc = concat!("\n\nBegins a `", stringify!($table), "` statement; every method is the key of that name.")]
        pub fn $table() -> $builder {
            $builder::default()
        }

        $(#[doc = $doc])+
        #[doc = concat!("\n\nA `", stringify!($table), "` statement; every method is the key of that name.")]
        #[derive(Clone, Debug, Default)]
        pub struct $builder(toml::Table);

        impl $builder {
            $(
                $(#[doc = $key_doc])+
                $(#[doc = concat!("\n\nBy default `", stringify!($default), "`.")])?
                pub fn $key(mut self, value: impl $crate::source::fits::Fits<$type>) -> Self {
                    self.0.insert(stringify!($key).to_owned(), $crate::source::fits::Fits::value(value));
                    self
                }
            )+

            #[doc = "Keys that are taken out again, where a layer below sets them."]
            pub fn without(mut self, keys: impl $crate::source::fits::Fits<Many<smol_str::SmolStr>>) -> Self {
                self.0.insert("without".to_owned(), $crate::source::fits::Fits::value(keys));
                self
            }

            /// Adds a deviation, which says by `on` where it holds.
            pub fn differs(mut self, deviation: Self) -> Self {
                let list = self.0.entry("differs").or_insert_with(|| toml::Value::Array(Vec::new()));
                if let toml::Value::Array(list) = list {
                    list.push(deviation.into());
                }
                self
            }
        }

        impl From<$builder> for toml::Value {
            fn from(statement: $builder) -> Self {
                Self::Table(statement.0)
            }
        }

        impl $crate::source::fits::Fits<$keys> for $builder {
            fn value(self) -> toml::Value {
                self.into()
            }
        }

        impl $crate::source::fits::Fits<Many<$keys>> for $builder {
            fn value(self) -> toml::Value {
                self.into()
            }
        }
    )+};
}
pub(crate) use keys;

/// Defines the statements: for each its table, the structs of its keys and of its builder, and its place in the
/// [`Document`](super::statements::Document); with them tables that stand inside it.
///
/// `for_statements` is made of it: a macro that gives the list to another.
macro_rules! statements {
    (($d:tt) $($(#[doc = $doc:literal])+ $table:ident($keys:ident, $builder:ident, $field:ident) {
        $($own:tt)+
    } $(with { $($nested:tt)+ })?)+) => {
        $(
            keys! { $(#[doc = $doc])+ $table($keys, $builder) { $($own)+ } }
            $(keys! { $($nested)+ })?
        )+

        /// All statements, in the order of the files.
        #[derive(Debug, Default)]
        pub(crate) struct Document {
            pub(crate) name: Option<At<SmolStr>>,
            pub(crate) severities: Vec<$crate::source::keys::Level>,
            pub(crate) runs: Vec<Run>,
            $(pub(crate) $field: Vec<Statement<$keys>>,)+
        }

        impl Document {
            /// Adds the statements of another file.
            pub(super) fn extend(&mut self, other: Self) {
                append(&mut self.severities, other.severities);
                append(&mut self.runs, other.runs);
                $(append(&mut self.$field, other.$field);)+
            }

            /// The tables of statements, in the order of the reference.
            pub(super) const TABLES: &[&str] = &[$(stringify!($table)),+];

            /// Reads the statements of one table, if there is such a table.
            pub(super) fn read(
                &mut self,
                cx: &mut Cx<'_>,
                table: &str,
                node: Node<'_>,
                layer: usize,
            ) {
                match table {
                    $(stringify!($table) => read_all(cx, node, layer, &mut self.$field),)+
                    _ => {}
                }
            }
        }

        /// What is asked of each table of statements, and of those that stand inside them.
        #[cfg(feature = "schema")]
        pub(super) fn each_table(visit: &mut impl VisitTables) {
            $(
                visit.statement::<$keys>();
                $($crate::source::keys::nested! { visit $($nested)+ })?
            )+
        }

        /// Gives the statements' tables to another macro, each with its builder.
        macro_rules! for_statements {
            ($d callback:ident) => {
                $d callback! { $($(#[doc = $doc])+ $table: $builder;)+ }
            };
        }
        pub(crate) use for_statements;

        /// Builders of single statements, made of the same list as the reader.
        pub(crate) mod builders {
            $(
                pub use super::{$builder, $table};
                $($crate::source::keys::nested! { pub use $($nested)+ })?
            )+
        }
    };
}
pub(crate) use statements;

/// Visits tables that stand inside another, or passes their builders on.
macro_rules! nested {
    ($visit:ident $($(#[doc = $doc:literal])+ $table:ident($keys:ident, $builder:ident) is $place:literal {
        $($own:tt)+
    })+) => {
        $($visit.nested::<$keys>();)+
    };
    (pub use $($(#[doc = $doc:literal])+ $table:ident($keys:ident, $builder:ident) is $place:literal {
        $($own:tt)+
    })+) => {
        $(pub use super::{$builder, $table};)+
    };
}
pub(crate) use nested;

/// What a file says of how bad it is what a rule finds.
#[derive(Debug)]
pub(crate) struct Level {
    pub(crate) rule: At<SmolStr>,
    /// None if the rule is off.
    pub(crate) severity: Option<Severity>,
    /// 0 for the fabric itself, counting up for variants.
    pub(crate) layer: usize,
    /// Whether the root file of its layer says so, which no included one overrules.
    pub(crate) is_of_root: bool,
}

/// What is written for a key that has a default.
#[derive(Debug)]
pub(crate) struct Written<'a, T> {
    pub(crate) own: Option<&'a At<T>>,
    pub(crate) default: fn() -> T,
}

impl<T> Clone for Written<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Written<'_, T> {}

impl<'a, T: Clone> Written<'a, T> {
    /// The value, which stands where the statement does if it isn't written.
    pub(crate) fn at(self, span: Span) -> At<T> {
        self.own.cloned().unwrap_or_else(|| At::new((self.default)(), span))
    }

    /// The value.
    pub(crate) fn value(self) -> T {
        self.own.map_or_else(self.default, |own| own.value.clone())
    }

    /// What is written, without the default.
    pub(crate) fn written(self) -> Option<&'a At<T>> {
        self.own
    }
}

/// What a statement says otherwise on some switches.
#[derive(Debug)]
pub(crate) struct Deviation<K> {
    /// The switches: `on`, or `switch` in a side of a pair.
    pub(crate) on: At<Many<SmolStr>>,
    pub(crate) keys: K,
    pub(crate) without: Vec<At<SmolStr>>,
}

/// One statement as written.
#[derive(Debug)]
pub(crate) struct Statement<K> {
    pub(crate) keys: K,
    pub(crate) without: Vec<At<SmolStr>>,
    pub(crate) differs: Vec<Deviation<K>>,
    /// The statement's header, for what has no place of its own.
    pub(crate) span: Span,
    /// 0 for the fabric itself, counting up for variants.
    pub(crate) layer: usize,
}

/// The layers of keys that hold for one thing, the most specific first.
#[derive(Debug)]
pub(crate) struct Layers<'a, K> {
    stack: SmallVec<[Layer<'a, K>; 2]>,
}

/// One layer: its keys, and the names of those that it takes out of the layers below.
type Layer<'a, K> = (&'a K, &'a [At<SmolStr>]);

impl<K> Default for Layers<'_, K> {
    fn default() -> Self {
        Self { stack: SmallVec::new() }
    }
}

impl<K> Clone for Layers<'_, K> {
    fn clone(&self) -> Self {
        Self { stack: self.stack.clone() }
    }
}

impl<'a, K: Keys> Layers<'a, K> {
    /// The layers of one statement for one switch.
    pub(crate) fn of(statement: &'a Statement<K>, deviation: Option<&'a Deviation<K>>) -> Self {
        let mut stack = SmallVec::new();
        stack.extend(deviation.map(|deviation| (&deviation.keys, &*deviation.without)));
        stack.push((&statement.keys, &*statement.without));
        Self { stack }
    }

    /// The keys of a table that stands inside a statement: one layer.
    pub(crate) fn only(keys: &'a K) -> Self {
        Self { stack: SmallVec::from_iter([(keys, &[][..])]) }
    }

    /// Puts the layers of a variant above these.
    pub(crate) fn cover(&mut self, above: &Self) {
        self.stack.insert_many(0, above.stack.iter().copied());
    }

    pub(crate) fn find<T>(
        &self,
        key: &str,
        get: impl Fn(&'a K) -> Option<&'a At<T>>,
    ) -> Option<&'a At<T>> {
        for &(keys, without) in &self.stack {
            let found = get(keys);
            if found.is_some() {
                return found;
            }
            if without.iter().any(|name| name.value == key) {
                return None;
            }
        }
        None
    }

    /// Where a key was taken out by `without`, if it was.
    pub(crate) fn taken_out(&self, key: &str) -> Option<Span> {
        let taken = self.stack.iter().flat_map(|(_, without)| without.iter());
        taken.filter(|name| name.value == key).map(|name| name.span).next()
    }
}

/// The keys of a table that stands inside another statement.
pub(crate) fn read_inline<K: Keys>(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<K> {
    let Some(table) = node.get_ref().as_table() else {
        let names = K::DEFS.iter().map(|def| def.name).collect::<Vec<_>>().join(", ");
        cx.wrong_type(key, node, &format!("a table with {names}"));
        return None;
    };
    let mut keys = K::default();
    for (name, node) in table {
        if !keys.read_key(cx, name.get_ref(), node) {
            unknown_key::<K>(cx, name.get_ref(), name.span(), key, &[]);
        }
    }
    let span = cx.span(node.span());
    identity_present(cx, &keys, table, span, key).then_some(keys)
}

/// A whole statement, with its deviations under `deviations` (`differs`, or `side` for pairs).
pub(crate) fn read_statement<K: Keys>(
    cx: &mut Cx<'_>,
    node: &Node<'_>,
    layer: usize,
) -> Option<Statement<K>> {
    let Some(table) = node.get_ref().as_table() else {
        cx.wrong_type(K::TABLE, node, &format!("a table, written [[{}]]", K::TABLE));
        return None;
    };
    let extra = extra_keys::<K>();
    let span = cx.span(node.span());
    let (mut keys, mut without, mut differs) = (K::default(), Vec::new(), Vec::new());
    for (name, node) in table {
        match name.get_ref().as_ref() {
            "without" => without = read_without::<K>(cx, node),
            key if !extra.is_empty() && key == extra[0] => match node.get_ref().as_array() {
                Some(nodes) => differs.extend(nodes.iter().filter_map(|n| read_deviation(cx, n))),
                None => differs.extend(read_deviation(cx, node)),
            },
            key if keys.read_key(cx, key, node) => {}
            key => unknown_key::<K>(cx, key, name.span(), K::TABLE, &extra),
        }
    }
    identity_present(cx, &keys, table, span, K::TABLE).then_some(Statement {
        keys,
        without,
        differs,
        span,
        layer,
    })
}

/// The keys that a statement of this table takes beside its own.
pub(crate) fn extra_keys<K: Keys>() -> Vec<&'static str> {
    match K::TABLE {
        "pair" => vec!["side", "without"],
        "hardware" | "accept" => vec![],
        _ => vec!["differs", "without"],
    }
}

fn read_deviation<K: Keys>(cx: &mut Cx<'_>, node: &Node<'_>) -> Option<Deviation<K>> {
    let (list, selector) = if K::TABLE == "pair" { ("side", "switch") } else { ("differs", "on") };
    let Some(table) = node.get_ref().as_table() else {
        cx.wrong_type(list, node, &format!("a table with `{selector}` and the keys that differ"));
        return None;
    };
    let span = cx.span(node.span());
    let (mut on, mut keys, mut without) = (None, K::default(), Vec::new());
    for (name, node) in table {
        let key = name.get_ref().as_ref();
        match key {
            "without" => without = read_without::<K>(cx, node),
            _ if key == selector => on = cx.value(key, node),
            _ if K::DEFS.iter().any(|def| def.name == key && def.identity) => {
                let at = cx.span(name.span());
                cx.faults.add(
                    FaultKind::UnknownKey,
                    at,
                    format!("`{key}` cannot differ: it says which {} this is", K::TABLE),
                    "not a key of a deviation",
                    "write a statement of its own for the other thing",
                );
            }
            _ if keys.read_key(cx, key, node) => {}
            _ => unknown_key::<K>(cx, key, name.span(), list, &[selector, "without"]),
        }
    }
    if on.is_none() && !table.keys().any(|name| name.get_ref() == selector) {
        missing_key(cx, span, selector, list);
    }
    Some(Deviation { on: on?, keys, without })
}

fn read_without<K: Keys>(cx: &mut Cx<'_>, node: &Node<'_>) -> Vec<At<SmolStr>> {
    let names = cx.value::<Many<SmolStr>>("without", node);
    let names = names.map(|names| names.value.0).unwrap_or_default();
    for name in &names {
        if !K::DEFS.iter().any(|def| def.name == name.value) {
            let range = name.span.start as usize..name.span.end as usize;
            unknown_key::<K>(cx, name, range, K::TABLE, &[]);
        }
    }
    names
}

fn identity_present<K: Keys>(
    cx: &mut Cx<'_>,
    keys: &K,
    written: &DeTable<'_>,
    span: Span,
    table: &str,
) -> bool {
    let mut complete = true;
    for def in K::DEFS.iter().filter(|def| def.identity && !keys.has(def.name)) {
        complete = false;
        // A key that stands there with a wrong value has been reported already.
        if !written.keys().any(|name| name.get_ref() == def.name) {
            missing_key(cx, span, def.name, table);
        }
    }
    complete
}

pub(crate) fn missing_key(cx: &mut Cx<'_>, span: Span, key: &str, table: &str) {
    cx.faults.add(
        FaultKind::MissingKey,
        span,
        format!("this `{table}` lacks its `{key}`"),
        format!("expected `{key} = …` in this table"),
        format!("add `{key}`"),
    );
}

fn unknown_key<K: Keys>(
    cx: &mut Cx<'_>,
    key: &str,
    range: std::ops::Range<usize>,
    table: &str,
    extra: &[&'static str],
) {
    let names = K::DEFS.iter().map(|def| def.name).chain(extra.iter().copied());
    let remedy = match cx.faults.nearest(key, names.clone()) {
        Some(name) => format!("did you mean `{name}`?"),
        None => format!("its keys are {}", names.collect::<Vec<_>>().join(", ")),
    };
    let at = cx.span(range);
    cx.faults.add(
        FaultKind::UnknownKey,
        at,
        format!("`{table}` has no key `{key}`"),
        "not a key of this table",
        remedy,
    );
}

/// Reports the keys of a table that are none of `known`.
pub(crate) fn only_keys(cx: &mut Cx<'_>, table: &DeTable<'_>, name: &str, known: &[&'static str]) {
    for (key, _) in table {
        if known.contains(&key.get_ref().as_ref()) {
            continue;
        }
        let remedy = match cx.faults.nearest(key.get_ref(), known.iter().copied()) {
            Some(nearest) => format!("did you mean `{nearest}`?"),
            None => format!("known here: {}", known.join(", ")),
        };
        let at = cx.span(key.span());
        cx.faults.add(
            FaultKind::UnknownKey,
            at,
            format!("{name} has no key `{}`", key.get_ref()),
            "not a key that is known here",
            remedy,
        );
    }
}

#[cfg(feature = "schema")]
/// The JSON Schema of a table: its own keys, and others by name with their schemas.
pub(crate) fn table_schema<K: Keys>(more: &[(&str, Json)]) -> Json {
    let mut properties = serde_json::Map::new();
    for def in K::DEFS {
        let mut schema = (def.schema)();
        schema["description"] = Json::from(def.doc.trim());
        for default in def.default {
            schema["default"] = as_json(default());
        }
        properties.insert(def.name.to_owned(), schema);
    }
    properties.extend(more.iter().map(|(name, schema)| ((*name).to_owned(), schema.clone())));
    let required: Vec<_> = K::DEFS.iter().filter(|def| def.identity).map(|def| def.name).collect();
    json!({
        "type": "object",
        "additionalProperties": false,
        "properties": properties,
        "required": required,
    })
}

#[cfg(feature = "schema")]
/// The JSON Schemas of a statement and of its deviations, by name. A deviation's keys are those of the statement.
pub(crate) fn statement_schemas<K: Keys>() -> Vec<(String, Json)> {
    let table = K::TABLE;
    let [list, ..] = extra_keys::<K>()[..] else {
        return vec![(table.to_owned(), table_schema::<K>(&[]))];
    };
    let names: Vec<_> = K::DEFS.iter().map(|def| def.name).collect();
    let without = json!({
        "description": "Keys taken out again, where a layer below sets them.",
        "anyOf": [{ "enum": names }, { "type": "array", "items": { "enum": names } }],
    });
    let selector = if list == "side" { "switch" } else { "on" };
    let of_statement = |key: &str| json!({ "$ref": format!("#/$defs/{table}/properties/{key}") });
    let keys = K::DEFS.iter().filter(|def| !def.identity).map(|def| def.name).chain(["without"]);
    let mut properties: serde_json::Map<String, Json> =
        keys.map(|key| (key.to_owned(), of_statement(key))).collect();
    properties.insert(selector.to_owned(), Many::<SmolStr>::schema());
    let deviation = json!({
        "type": "object",
        "additionalProperties": false,
        "properties": properties,
        "required": [selector],
    });
    let name = format!("{table}_{list}");
    let one = json!({ "$ref": format!("#/$defs/{name}") });
    let list_schema = json!({
        "description": "What holds otherwise on some of the switches.",
        "anyOf": [one, { "type": "array", "items": one }],
    });
    let statement = table_schema::<K>(&[(list, list_schema), ("without", without)]);
    vec![(table.to_owned(), statement), (name, deviation)]
}

/// Reads the statements of a table.
pub(crate) fn read_all<K: Keys>(
    cx: &mut Cx<'_>,
    node: Node<'_>,
    layer: usize,
    statements: &mut Vec<Statement<K>>,
) {
    if node.get_ref().is_table() {
        statements.extend(read_statement(cx, &node, layer));
        return;
    }
    if !node.get_ref().is_array() {
        cx.wrong_type(K::TABLE, &node, &format!("tables, each written [[{}]]", K::TABLE));
        return;
    }
    let DeValue::Array(nodes) = node.into_inner() else { return };
    statements.reserve(nodes.len());
    for node in nodes {
        statements.extend(read_statement(cx, &node, layer));
    }
}

/// Adds a list to another; most files have no statements of most kinds.
pub(crate) fn append<T>(list: &mut Vec<T>, more: Vec<T>) {
    match list.is_empty() {
        true => *list = more,
        false => list.extend(more),
    }
}

/// Who looks at all tables of the language.
#[cfg(feature = "schema")]
pub(crate) trait VisitTables {
    /// A table of statements.
    fn statement<K: Keys>(&mut self);
    /// A table that stands inside another.
    fn nested<K: Keys>(&mut self);
}
