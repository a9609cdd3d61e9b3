//! Who walks through a fabric in a state.

use std::net::IpAddr;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::asked::Options;
use super::resolution::{Answer, Asker, Resolution};
use crate::behaviour::underlay::Towards;
use crate::behaviour::{State, TenantRoute};
use crate::fabric::{DeviceId, EndpointId, Fabric, VrfId};
use crate::value::MacAddr;

/// Walks through one fabric in one state, and keeps what walks share.
#[derive(Debug)]
pub struct Walker<'a> {
    pub(super) fabric: &'a Fabric,
    pub(super) state: &'a State,
    pub(super) towards: Towards,
    pub(super) options: Options,
    pub(super) size: u32,
    /// What the walk in hand has asked for MAC addresses.
    pub(super) resolutions: Vec<Resolution>,
    pub(super) asked: FxHashMap<(Asker, IpAddr), Option<(Answer, MacAddr)>>,
    /// The best routes of a VRF on a switch to an address, of all walks so far.
    pub(super) routes: FxHashMap<(VrfId, DeviceId, IpAddr), Arc<[TenantRoute]>>,
    /// The end that the walk in hand leads to: it is preferred where an address has several owners.
    pub(super) goal: Option<EndpointId>,
}

impl<'a> Walker<'a> {
    /// A walker through a fabric in a state.
    pub fn new(state: &'a State) -> Self {
        let fabric = state.fabric();
        Self {
            fabric,
            state,
            towards: Towards::default(),
            options: Options::default(),
            size: 0,
            resolutions: Vec::new(),
            asked: FxHashMap::default(),
            routes: FxHashMap::default(),
            goal: None,
        }
    }
}
