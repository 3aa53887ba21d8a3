//! The fields that values name: of a kind, or of a definition.

use super::context::Context;
use crate::catalog::Harvest;
use crate::document::{Document, FieldPath, Node};
use crate::rulebook::{KindId, Mention, PathOf, Reading};
use crate::said::{Said, said};
use crate::source::FileId;

/// A field that a value names.
pub(crate) struct FieldNamed<'w> {
    pub(crate) node: Node<'w>,
    /// The kinds that may have it.
    pub(crate) kinds: Vec<KindId>,
    /// Its path, as it is written.
    pub(crate) path: String,
    /// What is wrong before it is looked for.
    pub(crate) wrong: Option<Said>,
}

impl<'w> Context<'w> {
    /// The field that a value names, if it names one.
    pub(crate) fn field_named(
        &self,
        file: FileId,
        document: &'w Document,
        harvest: &Harvest,
        mention: &Mention,
    ) -> Option<FieldNamed<'w>> {
        let ty = self.rulebook.field_type(mention.wants);
        let node = document.node(mention.at);
        match &ty.reading {
            Reading::Path(of) => self.named_by_path(file, mention, node, of),
            Reading::Link(_) => {
                let link = ty.link.as_ref().filter(|link| link.forms.iter().any(|form| form.has_path()))?;
                let target = self.view.target_of(document, harvest, mention)?;
                let written = node.text();
                let id = self.catalog.names.text(target.id);
                let path = link.forms.iter().find_map(|form| form.path_in(link.unsigned(&written), id))?.to_owned();
                let kinds = self.view.kind_of(target).into_iter().collect();
                Some(FieldNamed { node, kinds, path, wrong: None })
            }
            _ => None,
        }
    }

    fn named_by_path(&self, file: FileId, mention: &Mention, node: Node<'w>, of: &PathOf) -> Option<FieldNamed<'w>> {
        let written = node.text().into_owned();
        let Some((kind, path)) = of.parts(&written) else {
            let form = of.form_shown().unwrap_or_default();
            let wrong = Some(said!("`{written}` is not written as `{form}`", written, form));
            return Some(FieldNamed { node, kinds: Vec::new(), path: written, wrong });
        };
        let path = path.to_owned();
        let mut kinds = of.kinds.clone();
        let mut wrong = None;
        if let Some(word) = kind {
            match self.rulebook.kind_named(word).filter(|kind| kinds.is_empty() || kinds.contains(kind)) {
                Some(kind) => kinds = vec![kind],
                None => wrong = Some(said!("`{word}` is no kind whose fields can be named here", word)),
            }
        }
        if let Some(field) = &of.beside {
            kinds = self.kinds_beside(file, mention, node, field)?;
        }
        Some(FieldNamed { node, kinds, path, wrong })
    }

    /// The kinds of what a field beside a value names; none where that names nothing.
    fn kinds_beside(&self, file: FileId, mention: &Mention, node: Node<'w>, field: &FieldPath) -> Option<Vec<KindId>> {
        let (_, made) = self.catalog.definition_of(file, mention.from)?;
        let word = self.catalog.beside(node, Some(self.catalog.node(made.at())), field)?;
        let root = self.rulebook.kind(made.kind).root;
        let (_, own) = self.whose(file, mention.from, node);
        let mut above = own.split_last().map(|(above, _)| above);
        while let Some(here) = above {
            let ty = self.rulebook.type_at(root, &here.join(field), &self.catalog.names).ok();
            if let Some(ty) = ty.filter(|ty| !self.rulebook.link_kinds(*ty).is_empty()) {
                let target = self.view.named_in(&word, ty)?;
                return Some(self.view.kind_of(target).into_iter().collect());
            }
            above = here.split_last().map(|(above, _)| above);
        }
        None
    }
}
