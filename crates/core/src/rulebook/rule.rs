//! How bad findings are, and expressions that must hold for every definition of a kind.

use super::types::SupplementId;
use crate::source::Place;

/// How bad a finding is.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Severity {
    /// The game will break on it or ignore it.
    Error,
    /// Probably not meant.
    Warning,
    /// Worth knowing.
    Note,
}

impl Severity {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        }
    }
}

/// An expression that must hold for every definition of a kind.
#[derive(Debug)]
pub struct Rule {
    pub(crate) code: Option<String>,
    pub(crate) severity: Severity,
    pub(crate) require: String,
    pub(crate) when: Option<String>,
    pub(crate) message: String,
    pub(crate) place: Place,
    /// Where it says when the rule is tried.
    pub(crate) when_place: Place,
    /// Where the message stands.
    pub(crate) message_place: Place,
    /// The mod that brings it along; it holds where that is there.
    pub(crate) from: Option<SupplementId>,
}

impl Rule {
    /// The rule's own code.
    pub fn code(&self) -> Option<&str> {
        self.code.as_deref()
    }

    /// What must hold.
    pub fn require(&self) -> &str {
        &self.require
    }

    /// Where it is tried.
    pub fn when(&self) -> Option<&str> {
        self.when.as_deref()
    }

    /// What is said if it does not hold.
    pub fn message(&self) -> &str {
        &self.message
    }

    /// Where the rulebook says it.
    pub fn place(&self) -> Place {
        self.place
    }
}
