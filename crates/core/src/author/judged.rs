//! What checks would say of a change, told before it is written.

use super::assign::AssignmentError;
use super::set::SetError;
use crate::catalog::{Address, LayerId};
use crate::check::{BroughtAbout, Finding, Planned};
use crate::effective::World;

/// What was told of some definitions before a change of them.
pub(super) struct Judged(Planned);

impl Judged {
    pub(super) fn before(world: &World, layer: LayerId, some: &[Address]) -> Judged {
        Judged(Planned::of(world, layer, some))
    }

    /// What is told of them afterwards, and was not before: what is no fault of the values themselves. Of what is one, that
    /// which `counts` is in the way.
    ///
    /// # Errors
    /// The first that is in the way, as `check` would say it, with what it is about.
    pub(super) fn after(
        &self,
        world: &World,
        layer: LayerId,
        some: &[Address],
        counts: impl Fn(&Finding) -> bool,
    ) -> Result<Vec<Finding>, (Option<Address>, SetError)> {
        let BroughtAbout { in_the_way, mut beside } = Planned::of(world, layer, some).new_since(&self.0);
        let (wrong, others): (Vec<Finding>, Vec<Finding>) = in_the_way.into_iter().partition(counts);
        if let Some(first) = wrong.first() {
            let help = first.help.clone().map(String::from);
            return Err((first.about, AssignmentError::new(first.message.clone(), help).into()));
        }
        beside.splice(0..0, others);
        Ok(beside)
    }
}
