//! Statements as tables of keys: one list of keys makes the reader, the schema, the reference and
//! the builder, so that they cannot drift apart.

use serde_json::{Value as Json, json};
use smallvec::SmallVec;
use smol_str::SmolStr;
use toml::de::DeTable;

use super::fault::FaultKind;
use super::read::{Cx, Many, Node, Read};
use crate::diagnostic::{At, Span};

/// One key of a table, as documented.
pub(crate) struct KeyDef {
    pub(crate) name: &'static str,
    pub(crate) doc: &'static str,
    /// `identity`: says which thing the statement makes, so it must stand and cannot deviate.
    pub(crate) identity: bool,
    pub(crate) what: fn() -> String,
    pub(crate) schema: fn() -> Json,
}

/// A struct of optional keys, made by [`keys!`].
pub(crate) trait Keys: Default {
    /// The table's name in the file.
    const TABLE: &'static str;
    const DOC: &'static str;
    const DEFS: &'static [KeyDef];

    /// Reads one key; false if the table has no such key.
    fn read_key(&mut self, cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> bool;
    fn has(&self, key: &str) -> bool;
}

/// Defines tables: their keys, the struct that holds them, the accessor by layers, the builder.
macro_rules! keys {
    ($($(#[doc = $doc:literal])+ $table:literal $keys:ident $builder:ident {
        $($(#[doc = $key_doc:literal])+ $key:ident: $type:ty $([$identity:ident])?;)+
    })+) => {$(
        #[derive(Debug, Default)]
        pub(crate) struct $keys {
            $(pub(crate) $key: Option<At<$type>>,)+
        }

        impl Keys for $keys {
            const TABLE: &'static str = $table;
            const DOC: &'static str = concat!($($doc, "\n"),+);
            const DEFS: &'static [KeyDef] = &[$(KeyDef {
                name: stringify!($key),
                doc: concat!($($key_doc),+),
                identity: false $(|| stringify!($identity).len() > 0)?,
                what: <$type as Read>::what,
                schema: <$type as Read>::schema,
            },)+];

            fn read_key(&mut self, cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> bool {
                match key {
                    $(stringify!($key) => self.$key = cx.value(key, node),)+
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
            fn schema() -> Json {
                $crate::source::keys::table_schema::<Self>(&[])
            }
            fn read(cx: &mut Cx<'_>, key: &str, node: &Node<'_>) -> Option<Self> {
                $crate::source::keys::read_inline(cx, key, node)
            }
        }

        impl<'a> Layers<'a, $keys> {
            $(
                #[allow(dead_code, reason = "one accessor a key; tables of one level read the struct itself")]
                pub(crate) fn $key(&self) -> Option<&'a At<$type>> {
                    self.find(stringify!($key), |keys| keys.$key.as_ref())
                }
            )+
        }

        $(#[doc = $doc])+
        #[doc = concat!("\n\nBuilds a `", $table, "` statement; every method is the key of that name.")]
        #[derive(Clone, Debug, Default)]
        pub struct $builder(toml::Table);

        impl $builder {
            /// A statement without any key yet.
            pub fn new() -> Self {
                Self::default()
            }

            $(
                $(#[doc = $key_doc])+
                pub fn $key(mut self, value: impl Into<toml::Value>) -> Self {
                    self.0.insert(stringify!($key).to_owned(), value.into());
                    self
                }
            )+

            #[doc = "Keys that are taken out again, where a layer below sets them."]
            pub fn without(mut self, keys: impl Into<toml::Value>) -> Self {
                self.0.insert("without".to_owned(), keys.into());
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
    )+};
}
pub(crate) use keys;

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
    /// 0 for the fabric itself, counting up for overlay documents.
    pub(crate) layer: usize,
}

/// The layers of keys that hold for one thing, the most specific first.
#[derive(Debug)]
pub(crate) struct Layers<'a, K> {
    stack: SmallVec<[Layer<'a, K>; 2]>,
}

/// One layer: its keys, and the names of those that it takes out of the layers below.
type Layer<'a, K> = (&'a K, &'a [At<SmolStr>]);

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

    /// Puts the layers of an overlay document above these.
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
        format!("a `{table}` lacks its `{key}`"),
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

/// The JSON Schema of a table: its own keys, and others by name with their schemas.
pub(crate) fn table_schema<K: Keys>(more: &[(&str, Json)]) -> Json {
    let mut properties = serde_json::Map::new();
    for def in K::DEFS {
        let mut schema = (def.schema)();
        schema["description"] = Json::from(def.doc.trim());
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

/// The JSON Schema of a statement with its deviations.
pub(crate) fn statement_schema<K: Keys>() -> Json {
    let names: Vec<_> = K::DEFS.iter().map(|def| def.name).collect();
    let without = json!({
        "description": "Keys taken out again, where a layer below sets them.",
        "anyOf": [{ "enum": names }, { "type": "array", "items": { "enum": names } }],
    });
    let [list, ..] = extra_keys::<K>()[..] else { return table_schema::<K>(&[]) };
    let selector = if list == "side" { "switch" } else { "on" };
    let mut deviation = table_schema::<K>(&[("without", without.clone())]);
    for def in K::DEFS.iter().filter(|def| def.identity) {
        if let Some(properties) = deviation["properties"].as_object_mut() {
            properties.remove(def.name);
        }
    }
    deviation["properties"][selector] = Many::<SmolStr>::schema();
    deviation["required"] = json!([selector]);
    let list_schema = json!({
        "description": "What holds otherwise on some of the switches.",
        "anyOf": [deviation.clone(), { "type": "array", "items": deviation }],
    });
    table_schema::<K>(&[(list, list_schema), ("without", without)])
}
