//! The last step of loading: what is said by path is checked against the compiled types.

use super::load::Loader;
use super::naming::NameFrom;
use super::test::{Test, Wanted};
use super::types::{KindId, Reading, SpaceId, TypeId};
use crate::document::{FieldPath, Step};
use crate::nearest::nearest;
use crate::own;
use crate::said::{listed, said};
use crate::source::Place;

impl Loader<'_> {
    /// Entries of a list have no keys: where a kind is found only in lists, `key` is the field that is called so.
    fn columns_called_key(&mut self) {
        let field = FieldPath::key("key");
        for at in 0..self.rulebook.kinds.len() {
            let Ok(id) = u16::try_from(at).map(KindId) else { return };
            let mut of_kind = self.rulebook.places.iter().filter(|place| place.which.has(id)).peekable();
            let in_lists = of_kind.peek().is_some()
                && of_kind.all(|place| place.cut.0.last() == Some(&super::pattern::PatternStep::Entries));
            let Some(kind) = self.rulebook.kinds.get_mut(at) else { return };
            if in_lists && kind.name_from == [NameFrom::Key] {
                kind.name_from = vec![NameFrom::Field(field.clone())];
                self.imply_text(id, &field, false);
            }
        }
    }

    /// Resolves tests, groups, members and led-by fields, whose faults are found here.
    pub(super) fn settle(&mut self) {
        self.untold();
        self.columns_called_key();
        let by_path = self.rulebook.kinds.iter().filter(|kind| kind.name_from.contains(&NameFrom::Path));
        let by_path: Vec<SpaceId> = by_path.map(|kind| kind.space).collect();
        let spaces: Vec<SpaceId> = self.rulebook.kinds.iter().map(|kind| kind.space).collect();
        for kind in &mut self.rulebook.kinds {
            let fields = kind.name_from.iter().filter_map(|from| match from {
                NameFrom::Field(path) => match path.steps() {
                    [Step::Key(key)] => Some(self.names.intern(key)),
                    _ => None,
                },
                _ => None,
            });
            kind.id_fields = fields.collect();
            kind.parent_by_path = by_path.contains(&kind.space);
            kind.shared = spaces.iter().filter(|space| **space == kind.space).count() > 1;
        }
        let roots = self.rulebook.kinds.iter().map(|kind| kind.root);
        let roots: Vec<TypeId> = roots.chain(self.rulebook.manifest.as_ref().map(|rule| rule.root)).collect();
        for root in roots {
            let below = self.rulebook.fields_below(root);
            if below.iter().any(|(_, ty)| self.rulebook.field_type(*ty).written.is_some()) {
                self.rulebook.reads.insert(root);
            }
        }
        for at in 0..self.rulebook.kinds.len() {
            let Ok(id) = u16::try_from(at).map(KindId) else { return };
            let root = self.rulebook.kind(id).root;
            let tested = self.tests_below(root, root);
            let Some(kind) = self.rulebook.kinds.get_mut(at) else { return };
            kind.tested = tested;
            let mut retired = kind.retired.take();
            if let Some(test) = &mut retired {
                self.test(test, root, root);
            }
            if let Some(kind) = self.rulebook.kinds.get_mut(at) {
                kind.retired = retired;
            }
            self.groups(id);
            self.members(id);
            self.led_fields(id);
        }
    }

    /// Resolves the tests of all fields below a type; the names on the paths by which fields exist or not.
    fn tests_below(&mut self, ty: TypeId, root: TypeId) -> Vec<String> {
        let mut tested = Vec::new();
        for (table, field) in self.rulebook.fields_below(ty) {
            let Some(more) = self.rulebook.types.get_mut(field.0 as usize).and_then(|ty| ty.more.as_mut()) else {
                continue;
            };
            let (mut only, mut target) = (more.only.take(), more.target.take());
            if let Some(test) = &mut only {
                tested.extend(test.0.iter().flat_map(|part| part.path.keys()).map(str::to_owned));
                self.test(test, table, root);
            }
            if let Some(test) = &mut target {
                self.target(test, field);
            }
            if let Some(more) = self.rulebook.types.get_mut(field.0 as usize).and_then(|ty| ty.more.as_mut()) {
                (more.only, more.target) = (only, target);
            }
        }
        tested.sort();
        tested.dedup();
        tested
    }

    /// Looks the paths of a test up: first in the table, then in the definition.
    fn test(&mut self, test: &mut Test, table: TypeId, root: TypeId) {
        for part in &mut test.0 {
            let here = self.rulebook.type_at(table, &part.path, self.names);
            let found = here.or_else(|_| {
                part.of_whole = true;
                self.rulebook.type_at(root, &part.path, self.names)
            });
            match found {
                Ok(ty) => self.words_of(ty, &part.wanted, part.place),
                Err(_) => self.no_field(&part.path, root, part.place),
            }
        }
    }

    /// The words that a test asks for must be possible.
    fn words_of(&mut self, ty: TypeId, wanted: &Wanted, place: Place) {
        let rulebook = &self.rulebook;
        let words = match &rulebook.field_type(ty).reading {
            Reading::Choice(words) | Reading::Flags(words) => words,
            Reading::List(list) => match &rulebook.field_type(list.entry).reading {
                Reading::Choice(words) => words,
                _ => return,
            },
            _ => return,
        };
        let Wanted::OneOf(asked) = wanted else { return };
        for word in asked.iter().filter(|word| !words.set.contains(*word)) {
            let help = match nearest(word, words.listed.iter().map(String::as_str)) {
                Some(near) => said!("the nearest allowed word is `{nearest}`", nearest = near),
                None => said!("allowed are {allowed}", allowed = listed(&words.listed)),
            };
            let message = said!("`{word}` never stands there", word);
            self.faults.push(own::fault(place, message).help(Some(help)));
        }
    }

    /// A target's test is about one of the kinds that the link names.
    fn target(&mut self, test: &mut Test, field: TypeId) {
        let kinds = self.rulebook.link_kinds(field);
        for part in &test.0 {
            let roots = kinds.iter().map(|kind| self.rulebook.kind(*kind).root);
            let mut known = roots.filter_map(|root| self.rulebook.type_at(root, &part.path, self.names).ok());
            match (known.next(), kinds.first()) {
                (Some(ty), _) => self.words_of(ty, &part.wanted, part.place),
                (None, Some(kind)) => self.no_field(&part.path, self.rulebook.kind(*kind).root, part.place),
                (None, None) => {}
            }
        }
    }

    fn groups(&mut self, id: KindId) {
        let root = self.rulebook.kind(id).root;
        for group in self.rulebook.kind(id).groups.clone() {
            let Some(table) = self.rulebook.type_below(root, &group.of, self.names) else {
                let message = said!("`of`: there is no field `{of}`", of = group.of);
                self.faults.push(own::fault(group.place, message));
                continue;
            };
            for path in &group.fields {
                if self.rulebook.type_at(table, path, self.names).is_err() {
                    self.no_field(path, table, group.place);
                }
            }
        }
    }

    fn members(&mut self, id: KindId) {
        let kind = self.rulebook.kind(id);
        let Some(members) = kind.members.clone() else { return };
        let (root, place) = (kind.root, self.kind_place(id));
        let link = self.rulebook.type_below(root, &members.field, self.names);
        if link.is_none_or(|ty| self.rulebook.link_kinds(ty).is_empty()) {
            let message = said!("`members`: `{field}` is no field with `link`", field = members.field);
            self.faults.push(own::fault(place, message));
        }
        if let Some(path) = &members.are
            && self.rulebook.type_at(root, path, self.names).is_err()
        {
            self.no_field(path, root, place);
        }
    }

    fn led_fields(&mut self, id: KindId) {
        let place = self.kind_place(id);
        for led in self.rulebook.kind(id).led_to.clone() {
            let root = self.rulebook.kind(led.kind).root;
            let fields = self.rulebook.fields_below(root);
            let patterns: Vec<&str> = fields.iter().map(|(_, ty)| self.rulebook.field_type(*ty).pattern()).collect();
            if !patterns.contains(&led.pattern.as_str()) {
                let kind = self.rulebook.kind(led.kind).name();
                let help = nearest(&led.pattern, patterns)
                    .map(|near| said!("the nearest known is `{kind}.{nearest}`", kind, nearest = near));
                let message = said!("`led_to`: {kind} has no field `{field}`", kind, field = led.pattern);
                self.faults.push(own::fault(place, message).help(help));
            }
        }
    }

    fn no_field(&mut self, path: &FieldPath, below: TypeId, place: Place) {
        let patterns = self.rulebook.fields_below(below).into_iter().map(|(_, ty)| self.rulebook.field_type(ty));
        let patterns: Vec<String> = patterns.map(|ty| ty.pattern().to_owned()).collect();
        let help = nearest(&path.to_string(), patterns.iter().map(String::as_str))
            .map(|near| said!("the nearest known field is `{nearest}`", nearest = near));
        let message = said!("there is no field `{field}`", field = path);
        self.faults.push(own::fault(place, message).help(help));
    }
}
