//! Kinds of input faults.

/// What kind of input fault it is. Kinds have ids as rules do, so that people can look them up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum FaultKind {
    /// A file is missing or the system refuses to read it.
    Unreadable,
    /// A folder where a file is due.
    Folder,
    /// A file, a text or a name that is too large to be meant.
    TooLarge,
    /// A file that is not UTF-8 text.
    NotUtf8,
    /// A file without any statement.
    Empty,
    /// Text that is not TOML, or not CSV.
    Syntax,
    /// A key that the table does not have.
    UnknownKey,
    /// A key that the table needs and does not have.
    MissingKey,
    /// A value of another type than the key takes.
    WrongType,
    /// A value of the right type that cannot be encoded.
    BadValue,
    /// An address with host bits where a prefix is due.
    HostBits,
    /// A name that two things have.
    NameTwice,
    /// A name that nothing has.
    UnknownName,
    /// A pattern that matches nothing.
    MatchesNothing,
    /// A range that cannot be read.
    BadRange,
    /// A range that would make too many things.
    RangeTooLarge,
    /// A cable run whose two sides are of different length.
    UnequalRun,
    /// Two deviations for one switch in one statement.
    DiffersTwice,
    /// A pair that has not two sides.
    PairSides,
    /// A stack that cannot be made of its members.
    StackMembers,
    /// A file that includes itself.
    IncludeCycle,
    /// An include that leads out of the folder.
    IncludeOutside,
    /// A CSV file without a column that it needs.
    MissingColumn,
    /// More faults than are kept.
    TooMany,
}

impl FaultKind {
    /// Every kind.
    pub const ALL: &'static [Self] = &[
        Self::Unreadable,
        Self::Folder,
        Self::TooLarge,
        Self::NotUtf8,
        Self::Empty,
        Self::Syntax,
        Self::UnknownKey,
        Self::MissingKey,
        Self::WrongType,
        Self::BadValue,
        Self::HostBits,
        Self::NameTwice,
        Self::UnknownName,
        Self::MatchesNothing,
        Self::BadRange,
        Self::RangeTooLarge,
        Self::UnequalRun,
        Self::DiffersTwice,
        Self::PairSides,
        Self::StackMembers,
        Self::IncludeCycle,
        Self::IncludeOutside,
        Self::MissingColumn,
        Self::TooMany,
    ];

    /// The id, as shown in brackets and as `explain` takes it.
    pub const fn id(self) -> &'static str {
        self.facts().0
    }

    /// What the fault means and what to do, in a sentence or two.
    pub const fn explain(self) -> &'static str {
        self.facts().1
    }

    const fn facts(self) -> (&'static str, &'static str) {
        match self {
            Self::Unreadable => (
                "input-unreadable",
                "A file could not be read. Check its name, that it exists, and that you may read it.",
            ),
            Self::Folder => (
                "input-folder",
                "A folder was named where a file is due. Name the fabric file in it.",
            ),
            Self::TooLarge => (
                "input-too-large",
                "A file may have 64 MiB, a text in it 64 KiB, a name 255 bytes. Split the file with `include`; a longer text or name is a slip.",
            ),
            Self::NotUtf8 => {
                ("input-not-utf8", "Fabric files are UTF-8 text. Save the file in that encoding.")
            }
            Self::Empty => (
                "input-empty",
                "A file without a single statement describes nothing. Write at least a [fabric] table or one switch.",
            ),
            Self::Syntax => (
                "input-syntax",
                "The text is not TOML (or, for cables, not CSV). What could be read around the place was read.",
            ),
            Self::UnknownKey => (
                "input-unknown-key",
                "A key that the table does not have is most often a misspelling; it would silently do nothing.",
            ),
            Self::MissingKey => {
                ("input-missing-key", "The statement cannot be understood without this key.")
            }
            Self::WrongType => (
                "input-wrong-type",
                "The key takes a value of another type, for example a text in quotes instead of a number.",
            ),
            Self::BadValue => (
                "input-bad-value",
                "The value cannot be encoded in the protocol or is none of the words the key takes. A device would refuse it too.",
            ),
            Self::HostBits => (
                "input-host-bits",
                "A prefix is due, and the address has bits set beyond the prefix length.",
            ),
            Self::NameTwice => (
                "input-name-twice",
                "Two statements make the same thing. Write it once, and what is different on some switches as a deviation in `differs`. Only a variant may say a thing again.",
            ),
            Self::UnknownName => {
                ("input-unknown-name", "A name refers to a thing that no statement makes.")
            }
            Self::MatchesNothing => (
                "input-matches-nothing",
                "A pattern in `on` matches no switch or host, so the statement would do nothing.",
            ),
            Self::BadRange => (
                "input-bad-range",
                "Ranges are written p[1-48], hull-[01-06], kelp-[a-b] or [1,3,5-7]; names are made of letters, digits and -_./:",
            ),
            Self::RangeTooLarge => (
                "input-range-too-large",
                "A range would make over a million things. That is a slip of the finger, so nothing is built from it.",
            ),
            Self::UnequalRun => (
                "input-unequal-run",
                "The two sides of a cable run are paired off in order, so they must name as many ports. Ranges on one side multiply, the leftmost slowest.",
            ),
            Self::DiffersTwice => (
                "input-differs-twice",
                "Two deviations in one statement match the same switch, and nothing says which one holds.",
            ),
            Self::PairSides => (
                "input-pair-sides",
                "A pair has two sides, which are two different switches, and a switch is in one pair only.",
            ),
            Self::StackMembers => (
                "input-stack-members",
                "A stack is made of a switch and its members, and its ports are named by member, such as 1/p1. A switch makes up one stack only.",
            ),
            Self::IncludeCycle => {
                ("input-include-cycle", "A file includes itself, directly or through others.")
            }
            Self::IncludeOutside => (
                "input-include-outside",
                "Includes stay inside the folder of the root file, so that a fabric can be handed on as one folder.",
            ),
            Self::MissingColumn => (
                "input-missing-column",
                "A cable list needs the columns near, near_port, far and far_port; medium, length and label may follow.",
            ),
            Self::TooMany => (
                "input-too-many",
                "So many faults were found that the rest is only counted. Often one slip is behind them all: mend the first ones and check again.",
            ),
        }
    }
}
