//! One change that a layer means, and which changes get in each other's way.

use rust_decimal::Decimal;

use super::cells::{same_draft, step_to};
use crate::catalog::{Address, Catalog};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::effective::{Own, Value};
use crate::rulebook::{Again, ListType, Reading, TypeId};
use crate::source::Place;

/// What happens.
#[derive(Clone, Debug)]
pub enum ChangeOp {
    /// The definition is stated to exist.
    Exists,
    /// The definition is new.
    Define(Box<Defined>),
    /// The definition is taken away.
    Delete,
    /// A value, whatever it was.
    Set(Draft),
    /// What was stated is taken back, so that the inherited or default value shows.
    Unset,
    /// A value is taken away though something states it.
    Hide,
    /// An entry is in the list.
    Join(Draft),
    /// An entry is not in the list.
    Part(Draft),
    /// Entries are at the end of a list in which the order counts.
    Append(Vec<Draft>),
    /// A number is multiplied.
    Scale(Decimal),
    /// A number is added.
    Shift(Decimal),
}

/// A new definition.
#[derive(Clone, Debug)]
pub struct Defined(pub(crate) Own);

/// One change of one definition.
#[derive(Clone, Debug)]
pub struct Change {
    /// The definition.
    pub at: Address,
    /// The value; of `Join` and `Part`, the list.
    pub path: FieldPath,
    /// What happens.
    pub op: ChangeOp,
    /// Where the layer states it; nothing where a whole copy amounts to it.
    pub stated: Option<Place>,
    /// The reason that is given.
    pub why: Option<String>,
}

impl Change {
    pub(super) fn new(at: Address, path: FieldPath, op: ChangeOp) -> Change {
        Change { at, path, op, stated: None, why: None }
    }

    /// The way to what changes: of an entry that joins or parts, to the entry.
    pub fn spot(&self, catalog: &Catalog) -> FieldPath {
        match &self.op {
            ChangeOp::Join(entry) | ChangeOp::Part(entry) => match list_at(catalog, self.at, &self.path) {
                Some((list, _)) => self.path.with(step_to(catalog, list, entry)),
                None => self.path.clone(),
            },
            _ => self.path.clone(),
        }
    }

    /// The way to the innermost entry of a list that it lies in, if it does.
    pub(super) fn entry(&self) -> Option<FieldPath> {
        let steps = self.path.steps();
        let nth = steps.iter().rposition(|step| matches!(step, Step::Match(_)))?;
        Some(FieldPath::from(steps.iter().take(nth + 1).cloned().collect::<Vec<_>>()))
    }

    /// Whether it is about a value, or something in it or around it.
    pub(super) fn touches(&self, catalog: &Catalog, path: &FieldPath) -> bool {
        !matches!(self.op, ChangeOp::Exists) && self.spot(catalog).is_on_one_way(path)
    }

    fn same_as(&self, other: &Change, catalog: &Catalog) -> bool {
        let ty = type_at(catalog, self.at, &self.path);
        match (&self.op, &other.op) {
            (ChangeOp::Exists, ChangeOp::Exists)
            | (ChangeOp::Delete, ChangeOp::Delete)
            | (ChangeOp::Unset, ChangeOp::Unset)
            | (ChangeOp::Hide, ChangeOp::Hide) => true,
            (ChangeOp::Set(a), ChangeOp::Set(b)) => same_draft(catalog, a, b, ty),
            (ChangeOp::Join(a), ChangeOp::Join(b)) => {
                let entry = list_at(catalog, self.at, &self.path).map(|(list, _)| list.entry);
                same_draft(catalog, a, b, entry)
            }
            (ChangeOp::Part(_), ChangeOp::Part(_)) => true,
            (ChangeOp::Append(a), ChangeOp::Append(b)) => {
                let entry = list_at(catalog, self.at, &self.path).map(|(list, _)| list.entry);
                a.len() == b.len() && a.iter().zip(b).all(|(a, b)| same_draft(catalog, a, b, entry))
            }
            _ => false,
        }
    }
}

/// The type of a value of a definition.
pub(super) fn type_at(catalog: &Catalog, at: Address, path: &FieldPath) -> Option<TypeId> {
    let kind = catalog.kind_of(at).unwrap_or_else(|| catalog.rulebook.kind_in(at.space));
    catalog.rulebook.type_at(catalog.rulebook.kind(kind).root, path, &catalog.names).ok()
}

/// The field that names a definition's parent, if its kind has one.
pub(super) fn parent_path(catalog: &Catalog, at: Address) -> Option<FieldPath> {
    let kind = catalog.rulebook.kind(catalog.kind_of(at)?);
    Some(FieldPath::key(catalog.names.text(kind.parent?)))
}

/// The list at a path, if its entries are told apart.
pub(super) fn list_at<'c>(catalog: &'c Catalog, at: Address, path: &FieldPath) -> Option<(&'c ListType, TypeId)> {
    let ty = type_at(catalog, at, path)?;
    match &catalog.rulebook.field_type(ty).reading {
        Reading::List(list) => Some((list, ty)),
        _ => None,
    }
}

/// Whether two definitions of the same address are one in either order: their kind merges, and what both state is the
/// same, or a list that is joined.
fn get_along(catalog: &Catalog, a: &Defined, b: &Defined) -> bool {
    let (a, b) = (&a.0, &b.0);
    let kind = catalog.rulebook.kind(a.kind);
    if a.kind != b.kind || kind.again != Again::Merge {
        return false;
    }
    merge(catalog, &a.value, &b.value, Some(kind.root))
}

fn merge(catalog: &Catalog, a: &Value, b: &Value, ty: Option<TypeId>) -> bool {
    match ty.map(|ty| &catalog.rulebook.field_type(ty).reading) {
        Some(Reading::List(list)) if list.join => true,
        Some(Reading::Table(_)) if a.shape(catalog) == Shape::Table && b.shape(catalog) == Shape::Table => {
            a.entries(catalog).into_iter().all(|(key, one)| {
                let step = FieldPath::key(catalog.names.text(key));
                let ty = ty.and_then(|ty| catalog.rulebook.type_at(ty, &step, &catalog.names).ok());
                b.get(catalog, key).is_none_or(|other| merge(catalog, &one, &other, ty))
            })
        }
        _ => same_draft(catalog, &a.draft(catalog), &b.draft(catalog), ty),
    }
}

/// Whether a change only says that an entry is there, in which the other one lies.
fn names_around(catalog: &Catalog, change: &Change, own: &FieldPath, other: &FieldPath) -> bool {
    let ChangeOp::Join(entry) = &change.op else { return false };
    let named = || list_at(catalog, change.at, &change.path).is_some_and(|(list, _)| only_named(catalog, list, entry));
    own.steps().len() < other.steps().len() && named()
}

/// Whether an entry of a list states nothing but what tells it apart.
pub(super) fn only_named(catalog: &Catalog, list: &ListType, entry: &Draft) -> bool {
    let is_key = |field: &str| list.by.iter().any(|key| catalog.names.text(*key) == field);
    matches!(entry, Draft::Table(fields) if fields.iter().all(|(field, _)| is_key(field)))
}

/// Whether the order of two changes makes no difference (SEMANTICS: contradiction).
pub fn commute(catalog: &Catalog, x: &Change, y: &Change) -> bool {
    use ChangeOp::{Append, Define, Delete, Exists, Scale, Shift};
    if x.at != y.at {
        return true;
    }
    match (&x.op, &y.op) {
        (Delete, Delete) => return true,
        (Define(a), Define(b)) => return get_along(catalog, a, b),
        (Delete | Define(_), _) | (_, Delete | Define(_)) => return false,
        (Exists, _) | (_, Exists) => return true,
        _ => {}
    }
    let (a, b) = (x.spot(catalog), y.spot(catalog));
    if !a.is_on_one_way(&b) || names_around(catalog, x, &a, &b) || names_around(catalog, y, &b, &a) {
        return true;
    }
    // what several append is there in either order, but for which comes first
    matches!((&x.op, &y.op), (Scale(_), Scale(_)) | (Shift(_), Shift(_)) | (Append(_), Append(_)))
        || (a == b && x.same_as(y, catalog))
}
