use std::collections::BTreeSet;

use super::condition::NotThere;
use super::{Arenas, DeviceId, SegmentId, VrfId};
use crate::diagnostic::{Finding, Report, nearest};
use crate::source::Pattern;

/// The part of a fabric that a question is about: switches and hosts, segments, VRFs.
///
/// ```
/// use felting::Fabric;
/// use felting::fabric::Selection;
/// let fabric = Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-[a-b]\"\n[[switch]]\nname = \"crest-1\"\n");
/// let kelp = Selection::of(&fabric, &["kelp-*"]).unwrap();
/// assert_eq!(kelp.devices().count(), 2);
/// let error = Selection::of(&fabric, &["klep-a"]).unwrap_err();
/// assert_eq!(error.to_string(), "there is no \"klep-a\"; did you mean kelp-a?");
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Selection {
    /// As it was asked for.
    words: Vec<String>,
    devices: BTreeSet<DeviceId>,
    segments: BTreeSet<SegmentId>,
    vrfs: BTreeSet<VrfId>,
}

impl Selection {
    /// All that some names and patterns mean: switches, stacks, hosts, pairs (both sides), segments, VRFs, and sites
    /// (their switches).
    ///
    /// # Errors
    ///
    /// [`NotThere`], if one of them means nothing.
    pub fn of(fabric: &Arenas, names: &[impl AsRef<str>]) -> Result<Self, NotThere> {
        let mut selection = Self::default();
        for name in names.iter().map(AsRef::as_ref) {
            selection.words.push(name.to_owned());
            if !selection.add(fabric, name) {
                let remedy = match nearest(name, fabric.parts().map(|(name, _)| name)) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => "name a switch, host, pair, stack, segment, VRF or site, or give a pattern such as \
                             \"kelp-*\""
                        .to_owned(),
                };
                return Err(NotThere::new(name, "", remedy));
            }
        }
        Ok(selection)
    }

    /// Adds what a word means, if it means anything.
    pub(crate) fn extend(&mut self, fabric: &Arenas, word: &str) {
        self.add(fabric, word);
    }

    /// One switch or host.
    pub fn device(device: DeviceId) -> Self {
        Self { devices: BTreeSet::from([device]), ..Self::default() }
    }

    /// Adds what a name or pattern means; whether it means anything.
    fn add(&mut self, fabric: &Arenas, text: &str) -> bool {
        let pattern = text.contains(['*', '[']).then(|| Pattern::parse(text).ok()).flatten();
        let matches = |name: &str| match &pattern {
            Some(pattern) => pattern.matches(name),
            None => name == text,
        };
        let mut any = false;
        for (id, _) in fabric.devices().filter(|(_, device)| matches(device.name.as_str())) {
            self.devices.insert(id);
            any = true;
        }
        for (_, pair) in fabric.pairs().filter(|(_, pair)| matches(pair.name.as_str())) {
            self.devices.extend(pair.sides.iter().map(|side| side.switch.value));
            any = true;
        }
        for (_, site) in fabric.sites().filter(|(_, site)| matches(site.name.as_str())) {
            self.devices.extend(site.on.iter().copied());
            any = true;
        }
        for (id, _) in fabric.segments().filter(|(_, segment)| matches(segment.name.as_str())) {
            self.segments.insert(id);
            any = true;
        }
        for (id, _) in fabric.vrfs().filter(|(_, vrf)| matches(vrf.name.as_str())) {
            self.vrfs.insert(id);
            any = true;
        }
        any
    }

    /// Whether a name of a finding ([`Finding::about`](crate::diagnostic::Finding::about)) is of something in it; a
    /// pair is if one of its sides is.
    pub fn has_name(&self, fabric: &Arenas, name: &str) -> bool {
        let device = fabric.find_device(name).is_some_and(|id| self.has_device(id));
        let segment = fabric.find_segment(name).is_some_and(|id| self.has_segment(id));
        let vrf = fabric.find_vrf(name).is_some_and(|id| self.has_vrf(id));
        let pair = fabric.find_pair(name).is_some_and(|id| {
            fabric.pair(id).sides.iter().any(|side| self.has_device(side.switch.value))
        });
        device || segment || vrf || pair
    }

    /// Leaves what is about something in it in a report, and returns how many findings it had beside.
    pub fn retain(&self, fabric: &Arenas, report: &mut Report) -> usize {
        let before = report.total();
        let about = |finding: &Finding| {
            finding.about.iter().any(|name| self.has_name(fabric, name.as_str()))
        };
        report.findings.retain(about);
        report.accepted.retain(|accepted| about(&accepted.finding));
        // What those are about that are counted alone nobody knows any more.
        report.beyond.clear();
        before - report.total()
    }

    /// What it was asked for by, as a list; empty for [`Selection::device`].
    pub fn words(&self) -> String {
        self.words.join(", ")
    }

    /// The switches and hosts, in the order of the fabric.
    pub fn devices(&self) -> impl ExactSizeIterator<Item = DeviceId> + '_ {
        self.devices.iter().copied()
    }

    /// Whether a switch or host is in it.
    pub fn has_device(&self, device: DeviceId) -> bool {
        self.devices.contains(&device)
    }

    /// Whether a segment is in it.
    pub fn has_segment(&self, segment: SegmentId) -> bool {
        self.segments.contains(&segment)
    }

    /// Whether a VRF is in it.
    pub fn has_vrf(&self, vrf: VrfId) -> bool {
        self.vrfs.contains(&vrf)
    }
}
