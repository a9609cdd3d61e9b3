//! The ports that a device has, as a list shared by all devices of one make-up.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use crate::diagnostic::{At, MOST_NAME};
use crate::id::typed_id;
use crate::source::{FaultKind, Faults, RangeFault, expand, inner, shorten};
use crate::value::{Duplex, Speed};

typed_id! { /** A list of ports. */ pub(crate) LayoutId, "layout" }

#[derive(Clone, Debug)]
pub(crate) struct LayoutPort {
    pub(crate) name: SmolStr,
    pub(crate) speed: Speed,
    pub(crate) duplex: Duplex,
    /// Into how many lanes the port is broken out, 1 if it is whole.
    pub(crate) lanes: u8,
    /// How many places before this one its broken-out port stands, 0 for none.
    pub(crate) back_to_parent: u8,
    /// Which of the specifications made it.
    pub(crate) spec: u32,
}

#[derive(Clone, Debug, Default)]
pub(crate) struct Layout {
    pub(crate) ports: Vec<LayoutPort>,
    places: FxHashMap<SmolStr, u32>,
}

impl Layout {
    pub(crate) fn find(&self, name: &str) -> Option<usize> {
        self.places.get(name).map(|&place| place as usize)
    }

    pub(crate) fn name(&self, place: usize) -> &str {
        &self.ports[place].name
    }

    /// Reads specifications such as `p[1-48] 25G`, `mu[1-4] 100M half`, `p49 4x25G`.
    pub(crate) fn read(specs: &[At<SmolStr>], faults: &mut Faults) -> Self {
        let mut layout = Self::default();
        for (index, spec) in specs.iter().enumerate() {
            let index = u32::try_from(index).unwrap_or(u32::MAX);
            layout.spec(spec, index, faults);
        }
        layout
    }

    fn spec(&mut self, spec: &At<SmolStr>, index: u32, faults: &mut Faults) {
        let mut words = spec.value.split_ascii_whitespace();
        let (range, speed, duplex) = (words.next(), words.next(), words.next());
        let parsed = (|| {
            let (lanes, speed) = match speed?.split_once('x') {
                Some((lanes, speed)) => {
                    (lanes.parse().ok().filter(|n| (2..=8).contains(n))?, speed)
                }
                None => (1, speed?),
            };
            let duplex = match duplex {
                None | Some("full") => Duplex::Full,
                Some("half") => Duplex::Half,
                Some(_) => return None,
            };
            let speed: Speed = speed.parse().ok()?;
            words.next().is_none().then_some((range?, lanes, speed, duplex))
        })();
        let Some((range, lanes, speed, duplex)) = parsed else {
            faults.add(
                FaultKind::BadValue,
                spec.span,
                format!("ports cannot be {:?}", spec.value),
                "expected a range of names and a speed, such as \"p[1-48] 25G\" or \"p49 4x25G\"",
                "write the speed after the names, `half` after it for half duplex",
            );
            return;
        };
        let names = match expand(range) {
            Ok(names) => names,
            Err(fault) => {
                let start = range.as_ptr() as usize - spec.value.as_ptr() as usize;
                report_range(faults, spec, start, range, &fault);
                return;
            }
        };
        for name in names {
            let port = LayoutPort { name, speed, duplex, lanes, back_to_parent: 0, spec: index };
            let base = port.name.clone();
            self.add(port.clone(), spec, faults);
            for lane in 1..=lanes {
                if lanes > 1 {
                    let name = SmolStr::new(format!("{base}/{lane}"));
                    self.add(
                        LayoutPort { name, lanes: 1, back_to_parent: lane, ..port.clone() },
                        spec,
                        faults,
                    );
                }
            }
        }
    }

    fn add(&mut self, port: LayoutPort, spec: &At<SmolStr>, faults: &mut Faults) {
        let place = u32::try_from(self.ports.len()).unwrap_or(u32::MAX);
        if self.places.contains_key(&port.name) {
            faults.add(
                FaultKind::NameTwice,
                spec.span,
                format!("the port {} is listed twice", port.name),
                "listed again",
                "list each port once",
            );
            return;
        }
        self.places.insert(port.name.clone(), place);
        self.ports.push(port);
    }
}

/// Reports a text whose range, which begins at byte `start` of it, cannot be spread out.
pub(crate) fn report_range(
    faults: &mut Faults,
    text: &At<SmolStr>,
    start: usize,
    range: &str,
    fault: &RangeFault,
) {
    match fault {
        RangeFault::TooLong(place) => {
            let at = inner(text.span, &text.value, start + place.start..start + place.end);
            faults.add(
                FaultKind::TooLarge,
                at,
                format!("{} would be a name of more than {MOST_NAME} bytes", shorten(range)),
                "too long a name",
                "give it a shorter name",
            );
        }
        RangeFault::Malformed(place, expected) => {
            let at = inner(text.span, &text.value, start + place.start..start + place.end);
            faults.add(
                FaultKind::BadRange,
                at,
                format!("{} is not a name or a range of names", shorten(range)),
                format!("expected {expected}"),
                "write ranges as p[1-48], hull-[01-06], kelp-[a-b] or [1,3,5-7]",
            );
        }
        RangeFault::TooLarge(place) => {
            let at = inner(text.span, &text.value, start + place.start..start + place.end);
            faults.add(
                FaultKind::RangeTooLarge,
                at,
                format!("{} would make over a million things", shorten(range)),
                "too large a range",
                "check the ends of the range",
            );
        }
    }
}
