//! Why things are not as they should be, in words.

use felting::Fabric;
use felting::behavior::{AdjacencyFault, NotImported, NotPassed, SessionFault};

pub(crate) fn adjacency(fault: AdjacencyFault) -> &'static str {
    match fault {
        AdjacencyFault::LinkDown => "the link is down",
        AdjacencyFault::TagClash => "the tags differ",
        AdjacencyFault::NoAddress => "an end has no address",
        AdjacencyFault::UnnumberedClash => "one end is unnumbered",
        AdjacencyFault::SubnetClash => "not in one subnet",
        AdjacencyFault::OneSided => "one end runs no protocol",
        AdjacencyFault::ProtocolClash => "the protocols differ",
        AdjacencyFault::Passive => "an end is passive",
        AdjacencyFault::AreaClash => "the areas differ",
        AdjacencyFault::LevelClash => "the levels differ",
        AdjacencyFault::TimerClash => "the timers differ",
        AdjacencyFault::AuthenticationClash => "the keys differ",
        AdjacencyFault::RouterIdSame => "both have one router id",
        AdjacencyFault::MtuClash => "the MTUs differ",
        AdjacencyFault::NetworkTypeClash => "the network types differ",
        _ => "it does not form",
    }
}

pub(crate) fn session(fault: SessionFault) -> String {
    match fault {
        SessionFault::LinkDown => "the link is down".to_owned(),
        SessionFault::OneSided => "the other end has no such session".to_owned(),
        SessionFault::NoAsNumber => "an end has no AS number".to_owned(),
        SessionFault::NoAddress => "an end has no address".to_owned(),
        SessionFault::AsClash => "an end expects another AS number".to_owned(),
        SessionFault::SourceClash => "each is at another address than the other expects".to_owned(),
        SessionFault::AuthenticationClash => "the keys differ".to_owned(),
        SessionFault::MultihopMissing => "multihop is not set".to_owned(),
        SessionFault::MultihopShort(u16::MAX) => "the peer is out of reach".to_owned(),
        SessionFault::MultihopShort(hops) => format!("multihop allows fewer than {hops} hops"),
        SessionFault::Unreachable => "no route to the peer, or none back".to_owned(),
        _ => "it does not open".to_owned(),
    }
}

pub(crate) fn not_imported(why: NotImported) -> &'static str {
    match why {
        NotImported::Apart(why) => why.words(),
        NotImported::OtherTag => "no segment has its tag",
        NotImported::NoTarget => "no import of its target",
        NotImported::OtherSegment => "not a leaf of the segment",
        _ => "not taken",
    }
}

pub(crate) fn not_passed(fabric: &Fabric, why: NotPassed) -> String {
    match why {
        NotPassed::Down(fault) => session(fault),
        NotPassed::Family => "EVPN is not active at both ends".to_owned(),
        NotPassed::PeerLacks => "the peer does not have it".to_owned(),
        NotPassed::FromHere => "the peer has it from here".to_owned(),
        NotPassed::NotReflected => "the peer does not reflect it".to_owned(),
        NotPassed::NoExport => "the peer has no export policy".to_owned(),
        NotPassed::Exported(at) => {
            format!("a policy of {} stops it", fabric.device_name(fabric.session(at).device))
        }
        NotPassed::NoImport => "there is no import policy here".to_owned(),
        NotPassed::Imported => "a policy here stops it".to_owned(),
        NotPassed::AsLoop => "the own AS number is in its path".to_owned(),
        NotPassed::OwnAgain => "it is the own, come back".to_owned(),
        NotPassed::NextHop => "there is no way to its next hop".to_owned(),
        NotPassed::OwnNextHop => "its next hop is here".to_owned(),
        NotPassed::OneOfAlike => {
            "the peer prefers another\u{2019}s of the same distinguisher".to_owned()
        }
        NotPassed::ClusterLoop => "it has passed this cluster already".to_owned(),
        _ => "not passed on".to_owned(),
    }
}
