//! Faults of sense: everything is written well, and does not go together.

use super::Class;
use super::site::{Ground, Made, Site, one};
use crate::catalog::Address;
use crate::dice::Dice;
use crate::document::{Draft, Edit, Node, Shape, find};
use crate::rulebook::Reading;

pub(super) const CLASSES: &[Class] = &[
    Class { name: "ends of a range exchanged", codes: &["range-reversed"], plant: exchanged },
    Class { name: "id within otherwise", codes: &["id-differs"], plant: other_id },
    Class { name: "group in itself", codes: &["member-circle"], plant: group_in_itself },
    Class { name: "requirement of each other", codes: &["requirement-circle"], plant: require_each_other },
    Class { name: "inherited value said again", codes: &["repeats-inherited"], plant: said_again },
    Class { name: "field of another case", codes: &["field-not-known"], plant: of_another_case },
    Class { name: "taken out and not there", codes: &["operation-without-effect"], plant: taken_out },
];

/// A range the other way about, where that says something.
fn exchanged(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let is_range = |site: &Site<'_>| {
        let written = site.ty.written.as_ref();
        written.is_some_and(|written| written.range && !written.down) && !site.of_key && site.node.len() == 2
    };
    ground.at(dice, is_range, |site, _| {
        let ends: Vec<Node<'_>> = site.node.children().collect();
        let [low, high] = ends.as_slice() else { return None };
        let number = |end: &Node<'_>| crate::document::float(&end.text());
        if low.span().end > high.span().start || number(low)? >= number(high)? {
            return None;
        }
        let mut text = site.node.document().text().to_string();
        text.replace_range(high.span().start as usize..high.span().end as usize, low.raw());
        text.replace_range(low.span().start as usize..low.span().end as usize, high.raw());
        let line = ground.line(low.place());
        ground.made(site.node.document().file(), text, (line.saturating_sub(1), ground.line(high.place())))
    })
}

/// The id that stands in a definition once more is another one.
fn other_id(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let mut all: Vec<Node<'_>> = Vec::new();
    for (_, made) in catalog.definitions_of(ground.layer).filter(|(_, made)| made.id.is_some()) {
        let node = catalog.node(made.at());
        let paths = catalog.rulebook.kind(made.kind).repeats_id.iter();
        all.extend(paths.filter_map(|path| find(node, path, &catalog.names)));
    }
    let node = one(&all, dice)?;
    let at = node.document().path_to(node.id(), &catalog.names);
    ground.edited(*node, &Edit::Set { at, to: Draft::Text(format!("{}zzq", node.text())) })
}

/// A group among its own members.
fn group_in_itself(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let takes = |site: &Site<'_>| -> Option<Address> {
        let is_group = catalog.rulebook.kind(site.definition.kind).members.is_some();
        let Reading::List(list) = &site.ty.reading else { return None };
        let entry = catalog.rulebook.field_type(list.entry);
        let Reading::Link(kinds) = &entry.reading else { return None };
        let plain = entry.link.is_none() && site.ty.written.is_none();
        let own = is_group && kinds.contains(&site.definition.kind);
        catalog.address_of(site.definition).filter(|_| plain && own)
    };
    ground.at(
        dice,
        |site| site.node.shape() == Shape::List && !site.of_key && takes(site).is_some(),
        |site, _| ground.with_entry(site, Draft::Text(catalog.names.text(takes(site)?.id).to_owned())),
    )
}

/// A mod requires one that requires it.
fn require_each_other(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let own = catalog.layer(ground.layer);
    let users = catalog.layers().filter(|(_, other)| {
        other.manifest.as_ref().is_some_and(|manifest| manifest.requires.iter().any(|(id, _)| *id == own.id))
    });
    let users: Vec<String> = users.map(|(_, other)| other.id.clone()).collect();
    let user = one(&users, dice)?;
    let file = own.manifest_file?;
    let pattern = catalog.rulebook.manifest.as_ref()?.requires.as_ref()?;
    let text = crate::author::require(catalog.document(file)?, pattern, user, catalog).ok()?;
    let mut made = ground.made(file, text, (1, u32::MAX))?;
    made.at.0 = "*".to_owned();
    Some(made)
}

/// A child says what it inherits.
fn said_again(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let (catalog, view) = (ground.catalog, ground.world.view());
    // of the base it is not said
    if catalog.layer(ground.layer).is_base() {
        return None;
    }
    let mut all = Vec::new();
    for (id, made) in catalog.definitions_of(ground.layer).filter(|(_, made)| made.parent.is_some() && !made.continues)
    {
        let [parent] = view.parents_at(id)[..] else { continue };
        let (Some(own), node) = (catalog.address_of(made), catalog.node(made.at())) else { continue };
        let (Some(above), true) = (view.effective(parent), view.kind_of(parent) == view.kind_of(own)) else { continue };
        let Reading::Table(table) = &catalog.rulebook.field_type(catalog.rulebook.kind(made.kind).root).reading else {
            continue;
        };
        for (field, ty) in &table.fields {
            let ty = catalog.rulebook.field_type(*ty);
            let single = ty.written.is_none() && matches!(ty.reading, Reading::Integer | Reading::Number);
            let Some(value) = above.value.get(catalog, *field).filter(|_| single && node.get(*field).is_none()) else {
                continue;
            };
            if view.effective(own).and_then(|own| own.value.get(catalog, *field)).is_some() {
                all.push((node, catalog.names.text(*field).to_owned(), value.draft(catalog)));
            }
        }
    }
    let (node, field, value) = one(&all, dice)?;
    let into = node.document().path_to(node.id(), &catalog.names);
    let insert = Edit::Insert { into, before: None, key: Some(field.clone()), value: value.clone() };
    let text = crate::document::edit(node.document(), &[insert], &catalog.names).ok()?;
    ground.made(node.document().file(), text, (1, u32::MAX))
}

/// A field that only another case of a table has.
fn of_another_case(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let others = |site: &Site<'_>| -> Vec<String> {
        let Reading::Choose { by, cases, .. } = &site.ty.reading else { return Vec::new() };
        let Some(word) = site.node.get(*by).map(|word| word.text().into_owned()) else { return Vec::new() };
        let field_names = |word: &String| match cases.get(&**word).map(|ty| &catalog.rulebook.field_type(*ty).reading) {
            Some(Reading::Table(table)) if !table.open => table.fields.iter().map(|(name, _)| *name).collect(),
            _ => Vec::new(),
        };
        let own = field_names(&word);
        let all = cases.keys().filter(|other| **other != *word).flat_map(field_names);
        let all = all.filter(|name| !own.contains(name)).map(|name| catalog.names.text(name).to_owned());
        if own.is_empty() { Vec::new() } else { all.collect() }
    };
    ground.at(
        dice,
        |site| !site.of_key && site.node.shape() == Shape::Table && !others(site).is_empty(),
        |site, dice| {
            let all = others(site);
            let key = one(&all, dice)?.clone();
            let into = site.node.document().path_to(site.node.id(), &catalog.names);
            let insert = Edit::Insert { into, before: None, key: Some(key), value: Draft::integer(1) };
            let text = crate::document::edit(site.node.document(), &[insert], &catalog.names).ok()?;
            let first = ground.line(site.node.place());
            let lines = u32::try_from(site.node.raw().lines().count()).ok()?;
            ground.made(site.node.document().file(), text, (first, first + lines + 1))
        },
    )
}

/// The sign that takes an entry out, with one that nothing inherits.
fn taken_out(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let minus = |site: &Site<'_>| {
        let Reading::List(list) = &site.ty.reading else { return None };
        let entry = catalog.rulebook.field_type(list.entry);
        let words = list.join && matches!(entry.reading, Reading::Any | Reading::Text);
        let written = site.ty.written.as_ref().filter(|written| words && written.split.is_empty())?;
        written.minus.first().cloned()
    };
    ground.at(
        dice,
        |site| !site.of_key && site.node.shape() == Shape::List && minus(site).is_some(),
        |site, _| ground.with_entry(site, Draft::Text(format!("{}zzq", minus(site)?))),
    )
}
