//! Whether packets cross a path over a WAN.

use crate::behaviour::link::is_off;
use crate::fabric::{Condition, Fabric, InterfaceId, InterfacePlace, Wan};
use crate::value::VlanId;

/// An end of a path whose router sends with another tag than the path has there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WrongTag {
    /// Which of the path's ends.
    pub end: usize,
    /// The interface there.
    pub interface: InterfaceId,
    /// The tag that the path has.
    pub expected: VlanId,
}

impl Wan {
    /// The tag of an end, if the path is told by tags.
    pub fn tag_at(&self, end: usize) -> Option<VlanId> {
        self.tags.get(end).or(self.tags.first()).map(|tag| tag.value)
    }

    /// The ends at which what is sent does not get onto the path: none of the interfaces on the port has its tag
    /// (IEEE 802.1Q clause 6.9.1).
    pub fn wrong_tags(&self, fabric: &Fabric) -> impl Iterator<Item = WrongTag> {
        let wrong = |end: usize| {
            let (expected, port) = (self.tag_at(end)?, self.ends[end].value);
            let router = fabric.router_of(fabric.port(port).device)?;
            let on = || fabric.interfaces_at(router, InterfacePlace::Port(port));
            let fits =
                |id: InterfaceId| fabric.interface(id).tag.is_some_and(|tag| tag.value == expected);
            let interface = on().next()?;
            let any = on().any(fits);
            (!any).then_some(WrongTag { end, interface, expected })
        };
        [wrong(0), wrong(1)].into_iter().flatten()
    }
}

/// Whether packets cross a path.
pub(super) fn is_up(fabric: &Fabric, condition: &Condition, wan: &Wan) -> bool {
    let linked = wan
        .ends
        .iter()
        .all(|end| !is_off(fabric, end.value) && !condition.holds_port_down(fabric, end.value));
    linked && wan.wrong_tags(fabric).next().is_none()
}
