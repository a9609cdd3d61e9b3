//! What is expected of a fabric.

use smol_str::SmolStr;

use super::Terminal;
use super::VrfId;
use crate::diagnostic::{At, Span};
use crate::value::{Mtu, Vni};

/// What may be lost while an expectation must hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Loss {
    /// Nothing.
    Nothing,
    /// Any one cable.
    AnyCable,
    /// Any one switch.
    AnySwitch,
    /// Any one cable or switch.
    AnyCableOrSwitch,
    /// One thing, as `--cut` names it.
    Thing(SmolStr),
}

/// A sentence about the fabric that must hold.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Expectation {
    /// Its place.
    pub span: Span,
    /// From whom.
    pub from: Vec<At<Terminal>>,
    /// To whom.
    pub to: Vec<At<Terminal>>,
    /// Whether they are to reach each other, or must not.
    pub reaches: At<bool>,
    /// A VNI that packets must cross the fabric in.
    pub vni: Option<At<Vni>>,
    /// A VRF by which packets must be routed.
    pub vrf: Option<At<VrfId>>,
    /// The most routers that packets may pass.
    pub hops: Option<At<u16>>,
    /// The largest packet that must get through.
    pub mtu: Option<At<Mtu>>,
    /// What may be lost.
    pub despite: Vec<At<Loss>>,
}
