//! Routing policies.

use super::made::Made;
use crate::diagnostic::At;
use crate::fabric::Policy;
use crate::source::Document;

impl Made<'_> {
    pub(super) fn policies(&mut self, document: &Document) {
        for thing in self.named(&document.policies, |keys| &keys.name) {
            let keys = &thing.layers;
            self.fabric.policies.push(Policy {
                permit: keys.permit().map(|all| all.value.0.clone()),
                deny: keys.deny().map(|all| all.value.0.clone()).unwrap_or_default(),
                name: At::new(thing.name, thing.span),
            });
        }
    }
}
