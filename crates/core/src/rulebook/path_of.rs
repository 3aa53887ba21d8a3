//! `path_of`: values that name a field, of a kind or of the definition that a field beside them names.

use rustc_hash::FxHashMap;

use super::link::unknown_kind;
use super::pattern::Pattern;
use super::types::{KindId, Rulebook, TypeId};
use crate::document::FieldPath;
use crate::names::Names;
use crate::nearest::{Near, near};
use crate::own::{self, OwnFault, Reading};
use crate::said::{Said, one, said};

/// What a value that names a field is a path in.
#[derive(Clone, Debug, Default)]
pub(crate) struct PathOf {
    /// Definitions of these kinds.
    pub(crate) kinds: Vec<KindId>,
    /// The definition that this field beside it names.
    pub(crate) beside: Option<FieldPath>,
    /// What stands before the kind, between kind and path, and behind the path, where the value holds both.
    form: Option<[String; 3]>,
}

impl PathOf {
    /// Reads what a field's table says of it; nothing if it says nothing.
    pub(super) fn read(
        table: &Reading<'_, '_>,
        kinds: &FxHashMap<String, KindId>,
        faults: &mut Vec<OwnFault>,
    ) -> Option<PathOf> {
        let mut out = PathOf::default();
        for (word, node) in table.texts("path_of") {
            if let Some(field) = word.strip_prefix('{').and_then(|rest| rest.strip_suffix('}')) {
                match FieldPath::parse(field) {
                    Ok(path) => out.beside = Some(path),
                    Err(error) => faults.push(own::fault(node.place(), error.to_string())),
                }
                continue;
            }
            match kinds.get(&word) {
                Some(kind) => out.kinds.push(*kind),
                None => faults.push(unknown_kind(&word, kinds, node.place())),
            }
        }
        if table.get("path_of").is_some()
            && let Some(form) = table.text("form")
        {
            let parts = form.split_once("{kind}").and_then(|(before, rest)| {
                let (between, after) = rest.split_once("{path}")?;
                Some([before.to_owned(), between.to_owned(), after.to_owned()])
            });
            if parts.is_none() {
                let message = "beside `path_of`, `form` holds `{kind}` and then `{path}`, as `{kind}.{path}`";
                faults.extend(table.get("form").map(|node| own::fault(node.place(), message)));
            }
            out.form = parts;
        }
        (!out.kinds.is_empty() || out.beside.is_some()).then_some(out)
    }

    /// The kind's word and the path that a value holds; only the path where no form is said. None where the value is not
    /// of the form.
    pub(crate) fn parts<'t>(&self, text: &'t str) -> Option<(Option<&'t str>, &'t str)> {
        let Some([before, between, after]) = &self.form else { return Some((None, text)) };
        let within = text.strip_prefix(before.as_str())?.strip_suffix(after.as_str())?;
        let (kind, path) = within.split_once(between.as_str())?;
        Some((Some(kind), path))
    }

    /// The form, for a person.
    pub(crate) fn form_shown(&self) -> Option<String> {
        self.form.as_ref().map(|[before, between, after]| format!("{before}{{kind}}{between}{{path}}{after}"))
    }
}

/// That a value names no field: what is wrong, and the nearest right path, where there is one that is near.
pub(crate) struct NoField<'r> {
    pub(crate) message: Said,
    pub(crate) near: Option<Near<'r>>,
    /// The kind that is meant.
    kind: String,
}

impl NoField<'_> {
    pub(crate) fn help(&self) -> Said {
        match &self.near {
            Some(near) => said!("the nearest known field is `{nearest}`", nearest = near.word),
            None => said!("`cognomen kinds {kind}` lists the fields", kind = self.kind),
        }
    }
}

impl Rulebook {
    /// The type of the field at a path, or a pattern of paths, in one of these kinds.
    pub(crate) fn field_called(&self, kinds: &[KindId], path: &str, names: &Names) -> Option<(KindId, TypeId)> {
        kinds.iter().find_map(|kind| {
            let root = self.kind(*kind).root;
            let as_path = || self.type_at(root, &FieldPath::parse(path).ok()?, names).ok();
            let as_pattern = || self.type_below(root, &Pattern::parse(path).ok()?, names);
            as_path().or_else(as_pattern).map(|ty| (*kind, ty))
        })
    }

    /// What is wrong with a path that leads to no field of these kinds; nothing where it leads to one, or where one of
    /// them may have others than the rulebook describes.
    pub(crate) fn no_field_called(&self, kinds: &[KindId], path: &str, names: &Names) -> Option<NoField<'_>> {
        if kinds.iter().any(|kind| self.is_open(*kind)) || self.field_called(kinds, path, names).is_some() {
            return None;
        }
        let words: Vec<&str> = kinds.iter().map(|kind| self.kind(*kind).name()).collect();
        let message = said!("{kind} has no field `{field}`", kind = one(&words.join(" or ")), field = path);
        let fields = kinds.iter().flat_map(|kind| self.fields_below(self.kind(*kind).root));
        let fields: Vec<&str> = fields.map(|(_, ty)| self.field_type(ty).pattern()).collect();
        Some(NoField { message, near: near(path, fields.iter().copied()), kind: (*words.first()?).to_owned() })
    }
}
