//! What checks say of some definitions of a mod while a change of them is planned: those that look at values and at what
//! these name, and at nothing else.

use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::context::{Context, Shared};
use super::finding::Finding;
use super::reach::Reach;
use super::registry::{Check, is_told};
use super::told::{Compared, said, way};
use super::{
    file_lacking, path_leads_nowhere, picture_unfit, retired_yet_used, rule_broken, target_unfit, text_lacking,
    value_not_unique,
};
use crate::catalog::{Address, LayerId};
use crate::effective::{Membership, World};
use crate::rulebook::Severity;
use crate::said::Said;

/// An error of these is in the way of a change: the value itself is wrong.
const IN_THE_WAY: [&Check; 2] = [&target_unfit::CHECK, &value_not_unique::CHECK];

/// What these find is told beside a change: what lacks can still be made, and a rule may speak of what comes next.
const BESIDE: [&Check; 6] = [
    &file_lacking::CHECK,
    &path_leads_nowhere::CHECK,
    &picture_unfit::CHECK,
    &retired_yet_used::CHECK,
    &rule_broken::CHECK,
    &text_lacking::CHECK,
];

/// What is told of some definitions, and of all references in the files of their mod.
#[derive(Default)]
pub(crate) struct Planned(Vec<Finding>);

/// What a change brings about.
#[derive(Debug, Default)]
pub(crate) struct BroughtAbout {
    pub(crate) in_the_way: Vec<Finding>,
    pub(crate) beside: Vec<Finding>,
}

impl Planned {
    /// Looks at definitions on a mod's ground, with the mod.
    pub(crate) fn of(world: &World, layer: LayerId, some: &[Address]) -> Planned {
        let shared = Shared::without_users(world);
        let reach = Reach { addresses: some.iter().copied().collect(), ..Reach::default() };
        let own = std::iter::once(layer).collect();
        let context = Context::reaching(&shared, world.with_ground(layer), own, reach, Arc::new(Membership::default()));
        let mut found = Vec::new();
        for check in IN_THE_WAY.into_iter().chain(BESIDE) {
            (check.run)(&context, &mut found);
        }
        found.retain_mut(|finding| finding.about.is_some() && is_told(&world.catalog, finding));
        Planned(found)
    }

    /// What is told now and was not before.
    pub(crate) fn new_since(self, before: &Planned) -> BroughtAbout {
        // a rule that did not hold may say another number now
        let key = |finding: &Finding| match finding.check.code == rule_broken::CHECK.code {
            true => (finding.code.clone(), finding.about, finding.path.as_ref().map(way), Said::from("")),
            false => said(finding),
        };
        let known: FxHashSet<Compared> = before.0.iter().map(key).collect();
        let new = self.0.into_iter().filter(|finding| !known.contains(&key(finding)));
        let wrong = |finding: &Finding| {
            finding.severity == Severity::Error && IN_THE_WAY.iter().any(|check| check.code == finding.check.code)
        };
        let (in_the_way, beside) = new.partition(wrong);
        BroughtAbout { in_the_way, beside }
    }
}
