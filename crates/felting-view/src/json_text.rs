//! JSON as it is written: for programs, and harmless on a terminal too.

use std::io;

use felting::diagnostic::is_hostile;
use serde::Serialize;
use serde_json::ser::{Formatter, PrettyFormatter};

/// A value as JSON in lines. Characters that would do something to a terminal, beyond those that JSON must escape,
/// are escaped too, which is the same to who reads JSON.
pub(crate) fn pretty(value: &impl Serialize) -> String {
    let mut bytes = Vec::new();
    let mut writer =
        serde_json::Serializer::with_formatter(&mut bytes, Harmless(PrettyFormatter::new()));
    value.serialize(&mut writer).expect("strings and numbers always serialise");
    String::from_utf8(bytes).expect("JSON of strings is a string")
}

struct Harmless(PrettyFormatter<'static>);

/// What is passed on as it is.
macro_rules! passed_on {
    ($($name:ident($($argument:ident: $type:ty)?);)+) => {$(
        fn $name<W: ?Sized + io::Write>(&mut self, writer: &mut W $(, $argument: $type)?) -> io::Result<()> {
            self.0.$name(writer $(, $argument)?)
        }
    )+};
}

impl Formatter for Harmless {
    passed_on! {
        begin_array();
        end_array();
        begin_array_value(first: bool);
        end_array_value();
        begin_object();
        end_object();
        begin_object_key(first: bool);
        begin_object_value();
        end_object_value();
    }

    fn write_string_fragment<W: ?Sized + io::Write>(
        &mut self,
        writer: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        let mut rest = fragment;
        while let Some((at, hostile)) = rest.char_indices().find(|(_, one)| is_hostile(*one)) {
            writer.write_all(&rest.as_bytes()[..at])?;
            for unit in hostile.encode_utf16(&mut [0; 2]) {
                write!(writer, "\\u{unit:04x}")?;
            }
            rest = &rest[at + hostile.len_utf8()..];
        }
        writer.write_all(rest.as_bytes())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_the_same_to_who_reads_json() {
        let text = "a\u{9b}31m\u{202e}\u{7f}\u{e0041}\n\"ü\"";
        let written = pretty(&[text]);
        assert!(!written.chars().any(|one| is_hostile(one) && one != '\n'), "{written}");
        assert_eq!(serde_json::from_str::<Vec<String>>(&written).unwrap(), [text]);
    }
}
