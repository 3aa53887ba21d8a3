//! Faults of values and fields.

use super::Class;
use super::site::{Ground, Made, Site, misspelt, one, other_case};
use crate::dice::Dice;
use crate::document::{Document, Draft, Edit, Shape};
use crate::rulebook::{Again, Reading};

pub(super) const CLASSES: &[Class] = &[
    Class { name: "number too large", codes: &["out-of-range"], plant: |ground, dice| beyond(ground, dice, true) },
    Class { name: "number too small", codes: &["out-of-range"], plant: |ground, dice| beyond(ground, dice, false) },
    Class { name: "part of a whole number", codes: &["type-mismatch"], plant: fraction },
    Class {
        name: "word for a number",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_number, || text("many")),
    },
    Class { name: "text for a number", codes: WRONG, plant: number_as_text },
    Class { name: "list for a number", codes: WRONG, plant: |ground, dice| instead(ground, dice, is_number, list) },
    Class { name: "table for a number", codes: WRONG, plant: |ground, dice| instead(ground, dice, is_number, table) },
    Class {
        name: "truth for a number",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_number, || Draft::Boolean(true)),
    },
    Class {
        name: "nothing for a number",
        codes: &["type-mismatch", "field-lacking"],
        plant: |ground, dice| {
            instead(
                ground,
                dice,
                |site| site.is_number() && !site.ty.optional && site.ty.default.is_none(),
                || Draft::Null,
            )
        },
    },
    Class { name: "list for a text", codes: WRONG, plant: |ground, dice| instead(ground, dice, is_text, list) },
    Class { name: "table for a text", codes: WRONG, plant: |ground, dice| instead(ground, dice, is_text, table) },
    Class {
        name: "word for a truth",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_truth, || text("perhaps")),
    },
    Class {
        name: "number for a truth",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_truth, || Draft::integer(2)),
    },
    Class {
        name: "text for a list",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_list, || text("zzq")),
    },
    Class {
        name: "number for a list",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_list, || Draft::integer(3)),
    },
    Class {
        name: "text for a table",
        codes: WRONG,
        plant: |ground, dice| instead(ground, dice, is_table, || text("zzq")),
    },
    Class { name: "list for a table", codes: WRONG, plant: |ground, dice| instead(ground, dice, is_table, list) },
    Class { name: "choice misspelt", codes: &["not-a-choice"], plant: |ground, dice| choice(ground, dice, &misspelt) },
    Class {
        name: "choice in other letters",
        codes: &["not-a-choice"],
        plant: |ground, dice| choice(ground, dice, &|word, _| other_case(word)),
    },
    Class {
        name: "choice left empty",
        codes: &["not-a-choice", "type-mismatch"],
        plant: |ground, dice| instead(ground, dice, |site| matches!(site.ty.reading, Reading::Choice(_)), || text("")),
    },
    Class { name: "flag misspelt", codes: &["not-a-choice"], plant: flag },
    Class { name: "text out of form", codes: &["text-malformed", "type-mismatch", "out-of-range"], plant: out_of_form },
    Class { name: "too few entries", codes: &["count-out-of-bounds"], plant: too_few },
    Class { name: "entry twice", codes: &["entry-twice"], plant: entry_twice },
    Class { name: "word of a full set lacking", codes: &["set-incomplete"], plant: set_incomplete },
    Class {
        name: "formula with an unknown name",
        codes: &["formula-broken"],
        plant: |ground, dice| formula(ground, dice, " + zzq"),
    },
    Class {
        name: "formula left open",
        codes: &["formula-broken"],
        plant: |ground, dice| formula(ground, dice, " * ("),
    },
    Class {
        name: "formula dividing by nothing",
        codes: &["formula-broken"],
        plant: |ground, dice| formula(ground, dice, " / 0"),
    },
    Class { name: "field misspelt", codes: &["field-not-known"], plant: |ground, dice| field(ground, dice, &misspelt) },
    Class {
        name: "field in other letters",
        codes: &["field-not-known"],
        plant: |ground, dice| field(ground, dice, &|word, _| other_case(word)),
    },
    Class { name: "field nobody knows", codes: &["field-not-known"], plant: field_more },
    Class { name: "field lacking", codes: &["field-lacking"], plant: |ground, dice| lacking(ground, dice, true) },
    Class {
        name: "field in a table lacking",
        codes: &["field-lacking"],
        plant: |ground, dice| lacking(ground, dice, false),
    },
    Class { name: "key twice", codes: &["key-twice"], plant: key_twice },
    Class { name: "one value for two", codes: &["value-not-unique"], plant: unique },
];

/// What tells that a value is of another shape or type.
const WRONG: &[&str] = &["type-mismatch", "shape-mismatch"];

fn text(word: &str) -> Draft {
    Draft::Text(word.to_owned())
}

fn list() -> Draft {
    Draft::List(vec![Draft::List(vec![Draft::integer(1)])])
}

fn table() -> Draft {
    Draft::Table(vec![("zzq".to_owned(), Draft::integer(1))])
}

fn is_number(site: &Site<'_>) -> bool {
    site.is_number()
}

fn is_text(site: &Site<'_>) -> bool {
    matches!(site.ty.reading, Reading::Text)
}

fn is_truth(site: &Site<'_>) -> bool {
    matches!(site.ty.reading, Reading::Boolean)
}

fn is_list(site: &Site<'_>) -> bool {
    // elsewhere a single value is a list of one
    matches!(site.ty.reading, Reading::List(_)) && site.node.shape() == Shape::List && is_exact(site)
}

fn is_table(site: &Site<'_>) -> bool {
    matches!(site.ty.reading, Reading::Table(_)) && site.node.shape() == Shape::Table && site.node.key().is_some()
}

/// Whether the format means what is quoted as a text, and a single value as no list.
fn is_exact(site: &Site<'_>) -> bool {
    matches!(site.node.document().format(), crate::document::Format::Json | crate::document::Format::Toml)
}

/// A value of another sort, where the format tells sorts apart.
fn instead(ground: &Ground<'_>, dice: &mut Dice, fits: impl Fn(&Site<'_>) -> bool, to: fn() -> Draft) -> Option<Made> {
    ground.at(dice, |site| site.is_typed() && fits(site) && !site.leads(ground), |site, _| ground.set(site, to()))
}

fn beyond(ground: &Ground<'_>, dice: &mut Dice, above: bool) -> Option<Made> {
    let limit =
        |site: &Site<'_>| if above { site.ty.max.as_ref() } else { site.ty.min.as_ref() }.map(|limit| limit.value);
    ground.at(
        dice,
        |site| {
            site.is_number()
                && limit(site).is_some()
                && ground.catalog.rulebook.kind(site.definition.kind).rules.is_empty()
        },
        |site, _| {
            let limit = limit(site)?;
            let to = if above { limit.floor() + 1.0 } else { limit.ceil() - 1.0 };
            // a number with a meaning of its own may lie outside
            if site.ty.called_at(to).is_some() {
                return None;
            }
            ground.rewritten(site, &site.word(), &format!("{to}"))
        },
    )
}

fn fraction(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let whole = |site: &Site<'_>| site.is_number() && matches!(site.ty.reading, Reading::Integer);
    ground.at(
        dice,
        |site| whole(site) && site.word().bytes().all(|b| b.is_ascii_digit()),
        |site, _| ground.rewritten(site, &site.word(), &format!("{}.5", site.word())),
    )
}

fn number_as_text(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| site.is_typed() && site.is_number() && is_exact(site) && site.node.shape() == Shape::Number,
        |site, _| ground.set(site, Draft::Text(site.word())),
    )
}

fn choice(ground: &Ground<'_>, dice: &mut Dice, slip: &dyn Fn(&str, &mut Dice) -> Option<String>) -> Option<Made> {
    let words = |site: &Site<'_>| match &site.ty.reading {
        Reading::Choice(words) => Some(words.set.clone()),
        _ => None,
    };
    ground.at(
        dice,
        |site| words(site).is_some(),
        |site, dice| {
            let word = site.word();
            let to = slip(&word, dice).filter(|to| words(site).is_some_and(|words| !words.contains(to)))?;
            ground.rewritten(site, &word, &to)
        },
    )
}

fn flag(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| matches!(site.ty.reading, Reading::Flags(_)),
        |site, dice| {
            let children: Vec<_> = site.node.children().collect();
            let node = *one(&children, dice)?;
            let word = node.text().into_owned();
            let to = misspelt(&word, dice)?;
            ground.rewritten(&Site { node, ..*site }, &word, &to)
        },
    )
}

fn out_of_form(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let formed = |site: &Site<'_>| site.ty.more.as_ref().is_some_and(|more| more.form.is_some() && !more.unique);
    ground.at(
        dice,
        |site| formed(site) && is_text(site),
        |site, _| {
            let to = format!("~{}~", site.word());
            let form = site.ty.more.as_ref()?.form.as_ref()?;
            (!form.fits(&to)).then(|| ground.rewritten(site, &site.word(), &to)).flatten()
        },
    )
}

fn too_few(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let least = |site: &Site<'_>| site.ty.more.as_ref().and_then(|more| more.min_count).filter(|least| *least > 0);
    ground.at(
        dice,
        |site| is_list(site) && site.ty.written.is_none() && least(site).is_some() && !site.leads(ground),
        |site, _| ground.set(site, Draft::List(Vec::new())),
    )
}

fn entry_twice(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let set = |site: &Site<'_>| match &site.ty.reading {
        Reading::List(list) => list.shape != crate::rulebook::ListShape::Sequence && site.ty.written.is_none(),
        _ => false,
    };
    ground.at(
        dice,
        |site| is_list(site) && set(site),
        |site, _| {
            let names = &ground.catalog.names;
            // an entry that says how it joins, or that counts for nothing, is no entry
            let first = site.node.children().next()?;
            let value = Some(Draft::of(first, names)).filter(|value| *value != Draft::Null)?;
            let into = site.node.document().path_to(site.node.id(), names);
            let mut made = ground.edited(first, &Edit::Insert { into, before: Some(1), key: None, value })?;
            // told at either of the two
            made.at.2 += 40;
            Some(made)
        },
    )
}

fn set_incomplete(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let complete = |site: &Site<'_>| site.ty.more.as_ref().is_some_and(|more| more.complete);
    ground.at(
        dice,
        |site| complete(site) && site.ty.written.is_none() && site.node.len() > 1,
        |site, dice| {
            let children: Vec<_> = site.node.children().collect();
            let node = *one(&children, dice)?;
            let mut made = ground.without(&Site { node, ..*site })?;
            made.at.1 = ground.key_line(site.node).min(made.at.1);
            Some(made)
        },
    )
}

fn formula(ground: &Ground<'_>, dice: &mut Dice, more: &str) -> Option<Made> {
    ground.at(
        dice,
        |site| matches!(site.ty.reading, Reading::Formula { .. }) && site.node.shape() == Shape::Text,
        |site, _| ground.rewritten(site, &site.word(), &format!("{}{more}", site.word())),
    )
}

fn field(ground: &Ground<'_>, dice: &mut Dice, slip: &dyn Fn(&str, &mut Dice) -> Option<String>) -> Option<Made> {
    ground.at(
        dice,
        |site| is_field(ground, site),
        |site, dice| {
            let key = site.node.key_text();
            let to = slip(&key, dice).filter(|to| !is_known(ground, site, to))?;
            let at = site.node.document().path_to(site.node.id(), &ground.catalog.names);
            ground.edited(site.node, &Edit::Rename { at, to })
        },
    )
}

/// Whether it is a field with a name of its own, in a table that takes no others.
fn is_field(ground: &Ground<'_>, site: &Site<'_>) -> bool {
    let in_table = |open: bool| site.node.parent().is_some_and(|parent| parent.shape() == Shape::Table) && !open;
    let above = ground
        .sites
        .iter()
        .find(|other| !other.of_key && site.node.parent().is_some_and(|p| p.at() == other.node.at()));
    let reading = match above {
        Some(above) => Some(&above.ty.reading),
        None if site.node.parent().is_some_and(|parent| parent.id() == site.definition.node) => {
            let root = ground.catalog.rulebook.kind(site.definition.kind).root;
            Some(&ground.catalog.rulebook.field_type(root).reading)
        }
        None => None,
    };
    let closed = matches!(reading, Some(Reading::Table(table)) if in_table(table.open));
    closed && !site.of_key && site.node.key().is_some()
}

fn is_known(ground: &Ground<'_>, site: &Site<'_>, key: &str) -> bool {
    let rulebook = &ground.catalog.rulebook;
    rulebook.reader.comment_keys.iter().any(|known| known.contains('*'))
        || site.node.parent().is_none_or(|parent| parent.get_named(key, &ground.catalog.names).is_some())
}

fn field_more(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| is_field(ground, site) && site.is_typed(),
        |site, _| {
            let parent = site.node.parent()?;
            let into = parent.document().path_to(parent.id(), &ground.catalog.names);
            let nth = parent.children().position(|child| child.id() == site.node.id());
            let insert =
                Edit::Insert { into, before: nth, key: Some("zzq_wrong".to_owned()), value: Draft::integer(1) };
            let mut made = ground.edited(site.node, &insert)?;
            made.at.2 += 1;
            Some(made)
        },
    )
}

fn lacking(ground: &Ground<'_>, dice: &mut Dice, at_top: bool) -> Option<Made> {
    let alone = |site: &Site<'_>| {
        let made = site.definition;
        made.parent.is_none() && made.below.is_none() && !made.is_abstract
    };
    let needed = |site: &Site<'_>| {
        let top = site.node.parent().is_some_and(|parent| parent.id() == site.definition.node);
        !site.ty.optional && site.ty.default.is_none() && top == at_top
    };
    let rule = |site: &Site<'_>| {
        let more = site.ty.more.as_ref();
        more.is_none_or(|more| more.only.is_none() && more.retired.is_none())
    };
    ground.at(
        dice,
        |site| is_field(ground, site) && alone(site) && needed(site) && rule(site),
        |site, _| {
            let scalar = !matches!(site.ty.reading, Reading::List(_) | Reading::Map { .. } | Reading::Table(_));
            scalar.then(|| ground.without(site)).flatten()
        },
    )
}

fn key_twice(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| is_field(ground, site) && site.node.document().format() == crate::document::Format::Json,
        |site, _| {
            let text = site.node.document().text();
            let (from, to) = (site.node.key_span().start as usize, site.node.span().end as usize);
            let piece = text.get(from..to)?;
            let mut new = text.to_string();
            new.insert_str(from, &format!("{piece}, "));
            let line = ground.key_line(site.node);
            let lines = u32::try_from(piece.lines().count()).ok()?;
            // the key alone stands twice, and nothing else is wrong
            let document = site.node.document();
            let names = &ground.catalog.names;
            let read = Document::parse(document.file(), document.notation().clone(), new.as_str().into(), names);
            if read.faults().len() != 1 {
                return None;
            }
            ground.made(site.node.document().file(), new, (line, line + lines))
        },
    )
}

fn unique(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let unique = |site: &Site<'_>| site.ty.more.as_ref().is_some_and(|more| more.unique);
    ground.at(
        dice,
        |site| unique(site) && ground.catalog.rulebook.kind(site.definition.kind).again != Again::Variant,
        |site, _| {
            let same = |other: &&Site<'_>| {
                other.ty.pattern == site.ty.pattern
                    && other.word() != site.word()
                    && other.definition.kind == site.definition.kind
            };
            let other = ground.sites.iter().filter(|other| unique(other)).find(same)?;
            let mut made = ground.rewritten(site, &site.word(), &other.word())?;
            // of two that are the same, either may be told
            if ground.path(site.definition.file) == ground.path(other.definition.file) {
                let line = ground.line(other.node.place());
                made.at = (made.at.0, made.at.1.min(line), made.at.2.max(line));
                return Some(made);
            }
            None
        },
    )
}
