//! Static routes.

use std::net::IpAddr;

use smol_str::SmolStr;

use super::made::Made;
use super::tenants::VrfNames;
use crate::diagnostic::At;
use crate::fabric::{DeviceId, DeviceKind, StaticRoute, Via};
use crate::source::{Document, FaultKind};

impl Made<'_> {
    pub(super) fn static_routes(&mut self, document: &Document, vrfs: &VrfNames) {
        for statement in &document.routes {
            let keys = &statement.keys;
            let (Some(on), Some(to), Some(via)) = (&keys.on, &keys.to, &keys.via) else { continue };
            let vrf = keys.vrf.as_ref().and_then(|name| self.vrf(name, vrfs));
            let known = match via.value.parse::<IpAddr>() {
                Ok(address) => Some(Via::Address(address)),
                Err(_) => {
                    let wan = self.fabric.wans.iter().find(|(_, w)| w.name.value == via.value);
                    wan.map(|(id, _)| Via::Wan(id))
                }
            };
            let via = match known {
                Some(known) => At::new(known, via.span),
                None => match self.switch_or_way(via) {
                    Some(switch) => At::new(Via::Device(switch), via.span),
                    None => continue,
                },
            };
            let within = keys.within;
            if let Some(within) = within.filter(|_| !matches!(via.value, Via::Wan(_))) {
                self.faults
                    .add(
                        FaultKind::BadValue,
                        within.span,
                        "a bound on the delay of a route that leads by no WAN path".to_owned(),
                        "expected `via` to name a [[wan]]",
                        "take `within` out, or lead the route by a WAN path",
                    )
                    .related(via.span, "it leads by this");
            }
            for device in self.switches(&on.value.0) {
                for &to in &to.value.0 {
                    self.fabric.static_routes.push(StaticRoute { device, to, via, vrf, within });
                }
            }
        }
    }

    /// The switch that a static route leads by, or a fault with what else it could lead by.
    fn switch_or_way(&mut self, via: &At<SmolStr>) -> Option<DeviceId> {
        let switches = || self.devices.iter().filter(|(_, d)| d.kind == DeviceKind::Switch);
        if let Some((id, _)) = switches().find(|(_, device)| device.name.value == via.value) {
            return Some(id);
        }
        let wans = self.fabric.wans.values().map(|wan| wan.name.as_str());
        let known = wans.chain(switches().map(|(_, device)| device.name.as_str()));
        let remedy = match self.faults.nearest(&via.value, known) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => "add a [[wan]] of that name, or name a switch or an address".to_owned(),
        };
        self.faults.add(
            FaultKind::UnknownName,
            via.span,
            format!("a static route leads by {}, which is nothing here", via.value),
            "expected an address, a switch or a WAN path",
            remedy,
        );
        None
    }
}
