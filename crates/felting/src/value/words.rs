//! Values that are one of a few words.

use std::fmt;
use std::str::FromStr;

use super::NotA;

/// One row a word: its variant, its spelling in the file, and what it means.
macro_rules! words {
    ($($(#[$doc:meta])* $name:ident, $what:literal {
        $($(#[doc = $meaning:literal])+ $variant:ident = $word:literal,)+
    })+) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name {
            $($(#[doc = $meaning])+ $variant,)+
        }

        impl $name {
            /// Every value with its word and its meaning, in the order of the documentation.
            pub const ALL: &'static [(Self, &'static str, &'static str)] =
                &[$((Self::$variant, $word, concat!($($meaning),+)),)+];

            /// The word in the file.
            pub const fn word(self) -> &'static str {
                match self {
                    $(Self::$variant => $word,)+
                }
            }
        }

        impl FromStr for $name {
            type Err = NotA;

            fn from_str(text: &str) -> Result<Self, NotA> {
                match text {
                    $($word => Ok(Self::$variant),)+
                    _ => Err(NotA(one_of($what, &[$($word),+], text))),
                }
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(self.word())
            }
        }

        impl From<$name> for toml::Value {
            fn from(value: $name) -> Self {
                Self::String(value.word().to_owned())
            }
        }
    )+};
}

fn one_of(what: &str, words: &[&str], found: &str) -> String {
    let list = words.iter().map(|word| format!("\"{word}\"")).collect::<Vec<_>>();
    let (last, others) = list.split_last().expect("every kind of word has at least two");
    let nearest = match crate::source::nearest(found, words.iter().copied()) {
        Some(word) => format!("; did you mean \"{word}\"?"),
        None => String::new(),
    };
    format!("{what}: {} or {last}{nearest}", others.join(", "))
}

words! {
    /// What a LAG speaks to its far end.
    Protocol, "a LAG protocol" {
        /// No negotiation: every member with a link is used.
        Static = "static",
        /// The Link Aggregation Control Protocol of IEEE 802.1AX.
        Lacp = "lacp",
        /// A maker's own negotiation, which only its like understands.
        Proprietary = "proprietary",
    }

    /// What a host's bond speaks to the switches.
    BondProtocol, "a bond's protocol" {
        /// No negotiation: every NIC with a link is used, and the switches must aggregate too.
        Static = "static",
        /// The Link Aggregation Control Protocol of IEEE 802.1AX.
        Lacp = "lacp",
        /// A maker's own negotiation, which only its like understands.
        Proprietary = "proprietary",
        /// No aggregation: one NIC at a time, or each guest kept on one NIC.
        None = "none",
    }

    /// Whether an end starts to talk LACP by itself (IEEE 802.1AX, LACP_Activity).
    Activity, "an LACP mode" {
        /// Sends LACPDUs whatever the far end does.
        Active = "active",
        /// Sends LACPDUs only once it has heard one.
        Passive = "passive",
    }

    /// How soon a silent partner is given up (IEEE 802.1AX, LACP_Timeout).
    Timeout, "an LACP timeout" {
        /// After 3 seconds.
        Short = "short",
        /// After 90 seconds.
        Long = "long",
    }

    /// What the members of an LACP LAG do while no partner answers.
    Unanswered, "a way to treat members that nobody answers" {
        /// Each port works for itself, as IEEE 802.1AX has it.
        Individual = "individual",
        /// No port forwards anything.
        Closed = "closed",
        /// One port, the one of the best port id, forwards.
        One = "one",
    }

    /// What a switch is for.
    Role, "a switch's role" {
        /// Joins the leaves.
        Spine = "spine",
        /// Joins the spines of several halls.
        SuperSpine = "super-spine",
        /// Where hosts attach.
        Leaf = "leaf",
        /// A leaf that leads out of the fabric.
        Border = "border",
        /// A layer 2 switch below the leaves.
        Access = "access",
        /// A router outside the fabric.
        Router = "router",
    }

    /// Which spanning tree a bridge runs.
    TreeMode, "a spanning tree mode" {
        /// One tree for all VLANs (RSTP, IEEE 802.1Q clause 13).
        Rstp = "rstp",
        /// A tree for each instance of a region, and a common one (MSTP, IEEE 802.1Q clause 13).
        Mstp = "mstp",
        /// One tree for each VLAN. No standard: bridges of this mode understand each other only.
        PerVlan = "per-vlan",
        /// None: every port forwards.
        Off = "off",
    }

    /// From which table path costs follow that are not set.
    PathCosts, "a table of path costs" {
        /// IEEE 802.1Q table 13-4: 32 bits, 20000 for 1 Gb/s.
        Long = "long",
        /// The older table of IEEE 802.1D-1998: 16 bits, 4 for 1 Gb/s.
        Short = "short",
    }

    /// How many of an Ethernet segment's leaves forward at once (RFC 7432 section 5).
    SegmentMode, "a mode of an Ethernet segment" {
        /// All of them.
        AllActive = "all-active",
        /// One for each VLAN.
        SingleActive = "single-active",
    }

    /// By what the parts of a split stack notice each other.
    SplitDetection, "a stack's split detection" {
        /// By a link between members that carries nothing else.
        Link = "link",
        /// By LACPDUs that a partner of a LAG over several members passes on.
        Lacp = "lacp",
        /// By nothing: each part takes itself for the stack.
        None = "none",
    }

    /// Whether a port sends and receives at the same time.
    Duplex, "a duplex mode" {
        /// Both at once.
        Full = "full",
        /// One at a time.
        Half = "half",
    }

    /// What a cable is made of.
    Medium, "a cable's medium" {
        /// Twisted pairs with 8P8C plugs.
        Copper = "copper",
        /// Twinaxial copper with its transceivers attached.
        Twinax = "twinax",
        /// Fibre with its transceivers attached.
        ActiveOptical = "active-optical",
        /// Multimode fibre.
        Multimode = "multimode",
        /// Single-mode fibre.
        SingleMode = "single-mode",
    }

    /// By what a bond spreads frames over its members.
    HashPolicy, "a hash policy" {
        /// Source and destination MAC address.
        MacAddresses = "MAC addresses",
        /// Source and destination IP address.
        Addresses = "addresses",
        /// IP addresses and the ports of TCP or UDP.
        AddressesAndPorts = "addresses and ports",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wrong_word_names_the_choice_and_the_nearest() {
        let error = "lcap".parse::<Protocol>().unwrap_err();
        assert_eq!(
            error.to_string(),
            "a LAG protocol: \"static\", \"lacp\" or \"proprietary\"; did you mean \"lacp\"?"
        );
    }
}
