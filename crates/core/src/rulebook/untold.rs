//! What a table may hold of which nothing says yet which case it is: the word that tells it may be inherited, or stand in
//! a lower layer.

use rustc_hash::FxHashMap;

use super::load::Loader;
use super::types::{FieldType, Reading, TableType, TypeId};
use crate::names::Sym;

impl Loader<'_> {
    /// Gives each type that is one of several cases a table of what all share, and of what all cases that have a field
    /// read in the same way.
    pub(super) fn untold(&mut self) {
        for at in 0..self.rulebook.types.len() {
            let Some(Reading::Choose { cases, other, .. }) = self.rulebook.types.get(at).map(|ty| &ty.reading) else {
                continue;
            };
            let Reading::Table(shared) = &self.rulebook.field_type(*other).reading else { continue };
            let mut words: Vec<(&String, &TypeId)> = cases.iter().collect();
            words.sort_unstable();
            let mut fields = shared.fields.clone();
            let mut known: FxHashMap<Sym, Vec<TypeId>> = FxHashMap::default();
            for (_, case) in words {
                let Reading::Table(table) = &self.rulebook.field_type(*case).reading else { continue };
                for (key, ty) in table.fields.iter().filter(|(key, _)| shared.get(*key).is_none()) {
                    known.entry(*key).or_default().push(*ty);
                    if !fields.iter().any(|(known, _)| known == key) {
                        fields.push((*key, *ty));
                    }
                }
            }
            let types = &self.rulebook;
            fields.retain(|(key, ty)| {
                let all = known.get(key).into_iter().flatten();
                all.into_iter().all(|other| alike(types.field_type(*ty), types.field_type(*other), *ty == *other))
            });
            let index = fields.iter().zip(0u32..).map(|((key, _), nth)| (*key, nth)).collect();
            // the shared ones come first
            let needed_behind = shared.needed_behind.clone();
            let table =
                TableType { fields, index, needed: shared.needed, needed_behind, open: shared.open, partial: true };
            let pattern = self.rulebook.types.get(at).map(|ty| ty.pattern.clone()).unwrap_or_default();
            let made = TypeId(crate::source::to_u32(self.rulebook.types.len()));
            self.rulebook.types.push(FieldType { pattern, ..FieldType::plain(Reading::Table(table)) });
            if let Some(Reading::Choose { untold, .. }) = self.rulebook.types.get_mut(at).map(|ty| &mut ty.reading) {
                *untold = made;
            }
        }
    }
}

/// Whether a field is read in the same way in two cases.
fn alike(a: &FieldType, b: &FieldType, one: bool) -> bool {
    let plain = |ty: &FieldType| ty.written.is_none() && ty.link.is_none();
    one || plain(a)
        && plain(b)
        && matches!(
            (&a.reading, &b.reading),
            (Reading::Integer, Reading::Integer)
                | (Reading::Number, Reading::Number)
                | (Reading::Boolean, Reading::Boolean)
                | (Reading::Text, Reading::Text)
        )
}
