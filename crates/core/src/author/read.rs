//! The right side of an assignment: read by the field's type, with what the field shows afterwards.

use super::assign::{
    Assignment, AssignmentError, Assigns, Stands, by_identity, entry_takes, fits, key_fits, names_in, typed,
};
use super::set::{SetError, SetOptions};
use crate::catalog::{ALONE, Address, Catalog, LayerId, OpKind};
use crate::document::{Draft, FieldPath, Number, Step, round};
use crate::effective::{EffectiveScope, Value, View, World, same};
use crate::expression::{Expression, Outcome, to_decimal};
use crate::nearest::nearest;
use crate::rulebook::{KindId, ListShape, Reading, Rulebook, TypeId};

/// An assignment with its value read.
#[derive(Clone)]
pub(super) struct Read {
    pub(super) path: FieldPath,
    pub(super) ty: TypeId,
    pub(super) op: OpKind,
    /// The value to write under the operation.
    pub(super) value: Draft,
    /// What the field shows afterwards; none if it is taken back.
    pub(super) result: Option<Draft>,
    /// Whether it shows so already.
    pub(super) stands: bool,
}

/// Whether an entry of a keyed list has the key that a value is or holds.
pub(super) fn keyed(world: &World, ty: TypeId, item: &Draft, value: &Draft) -> bool {
    let Reading::List(list) = &world.catalog.rulebook.field_type(ty).reading else { return false };
    if list.shape != ListShape::Keyed {
        return false;
    }
    let key = |draft: &Draft| -> Vec<Option<String>> {
        list.by.iter().map(|by| draft.get(world.catalog.names.text(*by)).and_then(Draft::word)).collect()
    };
    match value {
        Draft::Table(_) => key(item) == key(value),
        word => key(item) == [word.word()],
    }
}

/// The entry of a list that names what a value names, in another form of the link, and how it does: the entry, or its
/// key.
fn named_otherwise(view: &View<'_>, ty: TypeId, items: &[Draft], value: &Draft) -> Option<(usize, Draft)> {
    let (catalog, rulebook) = (view.catalog, &view.catalog.rulebook);
    let Reading::List(list) = &rulebook.field_type(ty).reading else { return None };
    let key = match (list.shape, list.by.as_slice()) {
        (ListShape::Keyed, [by]) => Some(catalog.names.text(*by)),
        (ListShape::Keyed, _) => return None,
        _ => None,
    };
    let link = match key {
        Some(key) => rulebook.type_at(list.entry, &FieldPath::key(key), &catalog.names).ok()?,
        None => list.entry,
    };
    let targets = |draft: &Draft| match rulebook.field_type(link).reading {
        Reading::Link(_) => view.targets(&catalog.sought(&draft.word()?, link, ALONE)).first().copied(),
        _ => None,
    };
    let wanted = targets(value)?;
    let named = |item: &Draft| key.map_or(Some(item.clone()), |key| item.get(key).cloned());
    let mut all = items.iter().enumerate().filter_map(|(at, item)| Some((at, named(item)?)));
    all.find(|(_, item)| targets(item) == Some(wanted))
}

/// The type of the field that an assignment names.
pub(super) fn field_at(catalog: &Catalog, kind: KindId, assignment: &Assignment) -> Result<TypeId, AssignmentError> {
    let rulebook = &catalog.rulebook;
    let root = rulebook.kind(kind).root;
    let described = rulebook.type_at(root, &assignment.path, &catalog.names);
    described.or_else(|(table, at)| {
        let key = match assignment.path.steps().get(at) {
            Some(Step::Key(key)) => key.clone(),
            _ => assignment.path.to_string(),
        };
        let dotted = assignment.path.steps().get(at..).unwrap_or_default();
        let words: Option<Vec<&str>> =
            dotted.iter().map(|step| if let Step::Key(key) = step { Some(key.as_str()) } else { None }).collect();
        let whole = words.map(|words| words.join(".")).filter(|whole| whole.contains('.'));
        let names = |name: &str| {
            rulebook.tables_of(table).any(|t| catalog.names.get(name).is_some_and(|name| t.get(name).is_some()))
        };
        if let Some(whole) = whole.filter(|whole| names(whole)) {
            let help = format!("a name with dots stands in quotes: `\"{whole}\"=…`");
            let kind = rulebook.kind(kind).name();
            let message = format!("{} {kind} has no field `{key}`", crate::rulebook::article(kind));
            return Err(AssignmentError::new(message, Some(help)));
        }
        // as rulebooks write the keys and values of a map
        let map = key.split_once('{').and_then(|(map, rest)| Some((map, rest.strip_suffix('}')?)));
        let map = map.filter(|(map, _)| names(map));
        let reading = &rulebook.field_type(table).reading;
        let near = match reading {
            Reading::Table(table) => nearest(&key, table.fields.iter().map(|(name, _)| catalog.names.text(*name))),
            _ => None,
        };
        let help = match reading {
            _ if let Some((map, key)) = map => {
                let key = if key.is_empty() { "key" } else { key };
                Some(format!("a key of a map follows a dot: `{map}.{key}`"))
            }
            Reading::Table(_) => near
                .map(|near| format!("the nearest known field is `{near}`"))
                .or_else(|| Some(format!("`cognomen kinds {}` lists the fields", rulebook.kind(kind).name()))),
            Reading::List(list) if matches!(rulebook.field_type(list.entry).reading, Reading::Table(_)) => {
                Some(rulebook.entry_meant(list, &assignment.path, at, &catalog.names))
            }
            Reading::List(_) | Reading::Flags(_) => {
                let list = assignment.path.take(at);
                Some(format!("`{list}` is a list of words: `{list}+={key}` puts one in, `{list}-={key}` takes it out"))
            }
            _ => None,
        };
        // what tables may hold beside what is described is taken
        if let (None, Ok(any)) = (map, rulebook.type_or_any(root, &assignment.path, &catalog.names)) {
            return Ok(any);
        }
        let kind = rulebook.kind(kind).name();
        let message = format!("{} {kind} has no field `{}`", crate::rulebook::article(kind), assignment.path);
        Err(AssignmentError::new(message, help))
    })
}

/// The type of a field below tables that a word in them makes what they are; nothing where none is on the way.
///
/// # Errors
/// What the word makes of the table has no such field.
fn of_case(
    catalog: &Catalog,
    kind: KindId,
    value: &Value,
    assignment: &Assignment,
) -> Result<Option<TypeId>, AssignmentError> {
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let mut here = rulebook.kind(kind).root;
    let mut value = Some(value.clone());
    let mut chosen = false;
    for (at, step) in assignment.path.steps().iter().enumerate() {
        let one = FieldPath::from(vec![step.clone()]);
        if let Reading::Choose { by, cases, other, .. } = &rulebook.field_type(here).reading {
            let word = value.as_ref().and_then(|value| value.get(catalog, *by)?.word(catalog));
            let case = word.as_ref().and_then(|word| cases.get(word)).unwrap_or(other);
            chosen = true;
            here = *case;
            if let (Err(_), Some(word)) = (rulebook.type_at(here, &one, names), &word) {
                let above = assignment.path.take(at);
                let table = if above.is_empty() { "it".to_owned() } else { format!("`{above}`") };
                let by = names.text(*by);
                let message = format!("there is no field `{}`: {table} has `{by}` {word}", assignment.path);
                let help = match &rulebook.field_type(here).reading {
                    Reading::Table(table) => {
                        let known: Vec<&str> = table.fields.iter().map(|(name, _)| names.text(*name)).collect();
                        Some(format!("its fields are then {}", known.join(", ")))
                    }
                    _ => None,
                };
                return Err(AssignmentError::new(message, help));
            }
        }
        let Ok(next) = rulebook.type_at(here, &one, names) else { return Ok(None) };
        here = next;
        value = value.and_then(|value| value.at(catalog, &one));
    }
    Ok(chosen.then_some(here))
}

/// The value of a plain assignment, read by the field's type.
pub(super) fn typed_at(
    world: &World,
    layer: LayerId,
    kind: KindId,
    new: (Option<&str>, &Draft),
    (assignment, all): (&Assignment, &[Assignment]),
) -> Result<Draft, AssignmentError> {
    let catalog = &world.catalog;
    let ty = field_at(catalog, kind, assignment)?;
    let value = typed(catalog, &assignment.value, ty)?;
    let (id, draft) = new;
    let word = |path: &FieldPath| said_of(all, path).or_else(|| draft.at(path).and_then(Draft::word));
    let stands = Stands {
        seen: &world.with_ground(layer),
        // an id that holds in a folder begins with it
        file: id.filter(|_| catalog.rulebook.kind(kind).scoped),
        beside: &|path| around(&assignment.path, path).find_map(|path| word(&path)),
    };
    keys_fit(catalog, kind, assignment, &stands, |path| draft.at(path).is_some())?;
    fits(catalog, &value, ty, &stands)?;
    Ok(value)
}

/// What assignments say of a field in the same step.
fn said_of(all: &[Assignment], path: &FieldPath) -> Option<String> {
    let said = all.iter().find(|one| one.assigns == Assigns::Set && one.path == *path);
    said.map(|one| one.value.clone())
}

/// A path from each of the tables around a field, the innermost first.
fn around<'p>(field: &'p FieldPath, path: &'p FieldPath) -> impl Iterator<Item = FieldPath> + 'p {
    let steps = field.steps();
    let above = (0..steps.len()).rev().filter_map(|many| steps.get(..many));
    above.map(|above| FieldPath::from([above, path.steps()].concat()))
}

/// The keys of maps on the way to a field of a kind of which a rulebook says something, with its type and where each stands.
fn map_keys<'p>(catalog: &Catalog, kind: KindId, path: &'p FieldPath) -> Vec<(&'p str, TypeId, FieldPath)> {
    let (rulebook, steps) = (&catalog.rulebook, path.steps());
    let root = rulebook.kind(kind).root;
    let below = |nth: usize| FieldPath::from(steps.get(..nth).unwrap_or_default().to_vec());
    let one = |(nth, step): (usize, &'p Step)| {
        let Step::Key(key) = step else { return None };
        let above = rulebook.type_at(root, &below(nth), &catalog.names).ok()?;
        let Reading::Map { key: Some(ty), .. } = rulebook.field_type(above).reading else { return None };
        Some((key.as_str(), ty, below(nth + 1)))
    };
    steps.iter().enumerate().filter_map(one).collect()
}

/// Whether the folder in which a definition stands tells what an assignment names, so that it means something else in others.
pub(super) fn leads_from_folder(catalog: &Catalog, kind: KindId, read: &Read) -> bool {
    let rulebook = &catalog.rulebook;
    let leads = |ty: TypeId| match &rulebook.field_type(ty).reading {
        Reading::Link(_) => rulebook.any_scoped(&rulebook.link_kinds(ty)),
        Reading::File(template) => template.all().any(|one| one.before.starts_with("./")),
        _ => false,
    };
    map_keys(catalog, kind, &read.path).iter().any(|(_, ty, _)| leads(*ty))
        || names_in(catalog, &read.value, read.ty).into_iter().any(leads)
}

/// Whether the keys of maps on the way to what an assignment states fit, where they are not there already.
///
/// # Errors
/// The first that does not fit.
fn keys_fit(
    catalog: &Catalog,
    kind: KindId,
    assignment: &Assignment,
    stands: &Stands<'_>,
    is_there: impl Fn(&FieldPath) -> bool,
) -> Result<(), AssignmentError> {
    for (key, ty, at) in map_keys(catalog, kind, &assignment.path) {
        if !is_there(&at) {
            key_fits(catalog, key, ty, stands)?;
        }
    }
    Ok(())
}

/// Reads the right side by the field's type, and works out what the field shows afterwards.
pub(super) fn read(
    world: &World,
    options: &SetOptions,
    address: Address,
    assignment: &Assignment,
) -> Result<Read, SetError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let ty = field_at(catalog, options.kind, assignment)?;
    let view = world.with_ground(options.layer);
    let effective = view.effective(address);
    let value_at = |path: &FieldPath| effective.as_ref()?.get(catalog, path);
    let said = |path: &FieldPath| said_of(&options.assignments, path);
    let stands = Stands {
        seen: &view,
        file: catalog.file_of(address),
        beside: &|path| {
            around(&assignment.path, path).find_map(|path| said(&path).or_else(|| value_at(&path)?.word(catalog)))
        },
    };
    if !matches!(assignment.assigns, Assigns::Unset | Assigns::Remove) {
        keys_fit(catalog, options.kind, assignment, &stands, |path| value_at(path).is_some())?;
    }
    let now =
        effective.as_ref().and_then(|effective| effective.get(catalog, &assignment.path)).map(|v| v.draft(catalog));
    let ty = match &effective {
        Some(effective) => of_case(catalog, options.kind, &effective.value, assignment)?.unwrap_or(ty),
        None => ty,
    };
    let field = rulebook.field_type(ty);
    let (op, value, result) = match assignment.assigns {
        Assigns::Set => {
            let value = typed(catalog, &assignment.value, ty)?;
            (OpKind::Set, value.clone(), Some(value))
        }
        Assigns::Evaluate => {
            let expression = Expression::new(&assignment.value, options.kind, rulebook, &catalog.names, false);
            let expression = expression.map_err(|errors| {
                let error = errors.into_iter().next();
                AssignmentError::new(
                    error.as_ref().map_or("no expression".to_owned(), |error| error.message.to_string()),
                    error.and_then(|error| error.help).map(String::from),
                )
            })?;
            let outcome = effective.as_ref().map(|effective| expression.eval(&EffectiveScope::new(&view, effective)));
            let value = match outcome {
                Some(Outcome::Value(value)) => evaluated(&value, rulebook, ty),
                Some(Outcome::Failed(reason)) => {
                    return Err(SetError::Problem(format!("`{}`: {reason}", assignment.value)));
                }
                _ => {
                    return Err(SetError::Problem(format!("`{}` reads a field that is absent here", assignment.value)));
                }
            };
            (OpKind::Set, value.clone(), Some(value))
        }
        Assigns::Unset => (OpKind::Unset, Draft::Null, None),
        Assigns::Multiply | Assigns::Add | Assigns::Remove if field.is_number() => {
            let typed = assignment.value.trim();
            let quantity =
                || field.written.as_ref().filter(|_| assignment.assigns != Assigns::Multiply)?.quantity(typed);
            let number = Number::parse(typed)
                .or_else(quantity)
                .and_then(|number| number.decimal())
                .ok_or_else(|| AssignmentError::new(format!("`{}` is no number", assignment.value), None))?;
            let old = now.as_ref().and_then(Draft::word).and_then(|word| crate::document::decimal(&word));
            let (op, by) = match assignment.assigns {
                Assigns::Multiply => (OpKind::Multiply, number),
                Assigns::Remove => (OpKind::Shift, -number),
                _ => (OpKind::Shift, number),
            };
            let result =
                old.and_then(|old| if op == OpKind::Multiply { old.checked_mul(by) } else { old.checked_add(by) });
            let result = result.ok_or_else(|| {
                AssignmentError::new(
                    format!("`{}` has no number to start from", assignment.path),
                    Some("use `=`".to_owned()),
                )
            })?;
            let result = if matches!(field.reading, Reading::Integer) { round(result) } else { result };
            let result = Draft::Number(Number::from_decimal(result));
            fits(catalog, &result, ty, &stands)?;
            (op, Draft::Number(Number::from_decimal(by)), Some(result))
        }
        Assigns::Multiply => {
            let message = format!("`*=` is for numbers; `{}` is {}", assignment.path, rulebook.describe(ty));
            return Err(AssignmentError::new(message, None).into());
        }
        Assigns::Add | Assigns::Remove => {
            let listed = match &field.reading {
                Reading::List(list) if assignment.assigns == Assigns::Add => {
                    match by_identity(catalog, list, &assignment.value) {
                        Some(entries) => Ok(Draft::List(entries?)),
                        None => typed(catalog, &assignment.value, ty),
                    }
                }
                Reading::List(_) | Reading::Flags(_) => typed(catalog, &assignment.value, ty),
                _ => {
                    let message = format!(
                        "`+=` and `-=` are for lists and numbers; `{}` is {}",
                        assignment.path,
                        rulebook.describe(ty)
                    );
                    let any = matches!(field.reading, Reading::Any).then(|| format!("`{}=…`", assignment.path));
                    return Err(AssignmentError::new(message, any).into());
                }
            };
            // one entry may be given as it is
            let listed = match (listed, &field.reading) {
                (Ok(value), _) => value,
                (Err(_), Reading::List(list)) if assignment.assigns == Assigns::Add => {
                    Draft::List(vec![typed(catalog, &assignment.value, list.entry)?])
                }
                (Err(_), _) => {
                    let words = assignment.value.split(',').map(str::trim).filter(|word| !word.is_empty());
                    Draft::List(words.map(|word| Draft::Text(word.to_owned())).collect())
                }
            };
            let Draft::List(entries) = &listed else { return Err(SetError::Problem("a list is needed".to_owned())) };
            let mut items = match now.clone() {
                Some(Draft::List(items)) => items,
                _ => Vec::new(),
            };
            if assignment.assigns == Assigns::Add {
                items.extend(entries.iter().cloned());
                fits(catalog, &Draft::List(items.clone()), ty, &stands).map_err(|error| {
                    match (&field.reading, error) {
                        // what an entry needs besides is said with what it takes
                        (Reading::List(list), AssignmentError { message, help: None }) => {
                            AssignmentError::new(message, entry_takes(catalog, list))
                        }
                        (_, error) => error,
                    }
                })?;
                (OpKind::Add, listed, Some(Draft::List(items)))
            } else {
                let mut gone = Vec::new();
                for entry in entries {
                    let meant = items.iter().position(|item| item == entry || keyed(world, ty, item, entry));
                    let meant = meant.map(|at| (at, entry.clone()));
                    let (at, entry) = meant.or_else(|| named_otherwise(&view, ty, &items, entry)).ok_or_else(|| {
                        let known: Vec<_> = items.iter().map(Draft::short).collect();
                        let help = match known.is_empty() {
                            true => "the list is empty".to_owned(),
                            false => format!("its entries are {}", known.join(", ")),
                        };
                        let message = format!("`{}` has no entry `{}`", assignment.path, entry.short());
                        AssignmentError::new(message, Some(help))
                    })?;
                    items.remove(at);
                    gone.push(entry);
                }
                (OpKind::Remove, Draft::List(gone), Some(Draft::List(items)))
            }
        }
    };
    if op == OpKind::Set {
        fits(catalog, &value, ty, &stands)?;
    }
    let stands = now.zip(result.as_ref()).is_some_and(|(now, result)| same(&now, result, ty, rulebook, &catalog.names));
    Ok(Read { path: assignment.path.clone(), ty, op, value, result, stands })
}

/// The value of an expression, as the field takes it.
fn evaluated(value: &minijinja::Value, rulebook: &Rulebook, ty: TypeId) -> Draft {
    if let Some(number) = to_decimal(value) {
        let whole = matches!(rulebook.field_type(ty).reading, Reading::Integer);
        return Draft::Number(Number::from_decimal(if whole { round(number) } else { number }));
    }
    if value.kind() == minijinja::value::ValueKind::Bool {
        return Draft::Boolean(value.is_true());
    }
    match value.try_iter() {
        Ok(items) if value.kind() == minijinja::value::ValueKind::Seq => {
            Draft::List(items.map(|item| evaluated(&item, rulebook, ty)).collect())
        }
        _ => Draft::Text(value.to_string()),
    }
}
