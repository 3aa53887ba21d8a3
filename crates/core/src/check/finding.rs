//! One thing that a check has to say.

use std::borrow::Cow;

use super::mend::Mend;
use super::registry::Check;
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::FieldPath;
use crate::rulebook::Severity;
use crate::said::Said;
use crate::source::Place;

/// A second place that helps.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Related {
    /// Where.
    pub place: Place,
    /// What is there.
    pub message: Said,
}

/// To whom a finding belongs: without whom it would not be there.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug, Default)]
pub enum Whose {
    /// To nobody's data: the rulebook, the workspace or the load order.
    #[default]
    Workspace,
    /// To one layer.
    Layer(LayerId),
    /// To several mods, none of which has it alone.
    Together(Vec<LayerId>),
}

/// A finding.
#[derive(Clone, Debug)]
pub struct Finding {
    /// To whom it belongs.
    pub whose: Whose,
    /// The check that has it.
    pub check: &'static Check,
    /// The check's code, or the rule's own.
    pub code: Cow<'static, str>,
    /// How bad it is.
    pub severity: Severity,
    /// What is wrong: a lower-case phrase, names in backticks.
    pub message: Said,
    /// Where.
    pub place: Place,
    /// The definition it is about.
    pub about: Option<Address>,
    /// Another definition on which it depends.
    pub(crate) because: Option<Address>,
    /// The field it is about.
    pub path: Option<FieldPath>,
    /// What the game does with it, where the rulebook says so.
    pub game: Option<String>,
    /// The nearest right answer.
    pub help: Option<Said>,
    /// Second places.
    pub related: Vec<Related>,
    /// How much else is not told, since it follows from it.
    pub follows: usize,
    /// What mends it, where there is only one answer.
    pub mend: Option<Box<Mend>>,
}

impl Finding {
    /// A finding of a check.
    pub(crate) fn new(check: &'static Check, place: Place, message: impl Into<Said>) -> Finding {
        Finding {
            whose: Whose::Workspace,
            check,
            code: Cow::Borrowed(check.code),
            severity: check.severity,
            message: message.into(),
            place,
            about: None,
            because: None,
            path: None,
            game: None,
            help: None,
            related: Vec::new(),
            follows: 0,
            mend: None,
        }
    }

    pub(crate) fn mend(mut self, mend: Option<Mend>) -> Finding {
        self.mend = mend.map(Box::new);
        self
    }

    pub(crate) fn about(mut self, address: Option<Address>) -> Finding {
        self.about = address;
        self
    }

    pub(crate) fn because(mut self, address: Option<Address>) -> Finding {
        self.because = address;
        self
    }

    pub(crate) fn path(mut self, path: Option<FieldPath>) -> Finding {
        self.path = path.filter(|path| !path.is_empty());
        self
    }

    pub(crate) fn help(mut self, help: Option<impl Into<Said>>) -> Finding {
        self.help = help.map(Into::into);
        self
    }

    pub(crate) fn related(mut self, place: Place, message: impl Into<Said>) -> Finding {
        self.related.push(Related { place, message: message.into() });
        self
    }

    /// Its place, and all second places.
    pub(crate) fn places(&self) -> impl Iterator<Item = Place> {
        std::iter::once(self.place).chain(self.related.iter().map(|related| related.place))
    }

    /// The layer in whose files it is; none for the workspace's own.
    pub fn layer(&self, catalog: &Catalog) -> Option<LayerId> {
        catalog.file(self.place.file).layer
    }

    /// Whether it is told of a mod: it is the mod's own, or of rulebook, workspace or load order.
    pub fn is_told_of(&self, layer: LayerId) -> bool {
        match &self.whose {
            Whose::Workspace => true,
            Whose::Layer(own) => *own == layer,
            Whose::Together(_) => false,
        }
    }
}
