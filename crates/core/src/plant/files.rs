//! Faults of files: their notation, their places, manifests, texts, the workspace and the rulebook.

use std::collections::BTreeSet;

use super::Class;
use super::site::{Ground, Made, misspelt, one};
use crate::catalog::FileRole;
use crate::dice::Dice;
use crate::document::{Document, Edit, FieldPath, Format, edit};
use crate::source::{FileId, Place};
use crate::workspace::WORKSPACE_FILE;

pub(super) const CLASSES: &[Class] = &[
    Class { name: "bracket lost", codes: BROKEN, plant: |ground, dice| lost(ground, dice, &['}', ']'], false) },
    Class { name: "opening bracket lost", codes: BROKEN, plant: |ground, dice| lost(ground, dice, &['{', '['], false) },
    Class { name: "comma lost", codes: BROKEN, plant: |ground, dice| lost(ground, dice, &[','], false) },
    Class { name: "colon lost", codes: BROKEN, plant: |ground, dice| lost(ground, dice, &[':'], false) },
    Class { name: "quotation mark lost", codes: BROKEN, plant: |ground, dice| lost(ground, dice, &['"'], true) },
    Class { name: "closing element lost", codes: BROKEN, plant: element_lost },
    Class { name: "file cut off", codes: BROKEN, plant: cut_off },
    Class { name: "bytes that are no letters", codes: BROKEN, plant: no_letters },
    Class {
        name: "remark in a strict file",
        codes: &["reader-refuses"],
        plant: |ground, dice| strict(ground, dice, "// zzq\n"),
    },
    Class {
        name: "mark before a strict file",
        codes: &["reader-refuses"],
        plant: |ground, dice| strict(ground, dice, "\u{feff}"),
    },
    Class { name: "comma too many in a strict file", codes: &["reader-refuses"], plant: comma_more },
    Class {
        name: "file in a folder nobody reads",
        codes: &["file-not-read"],
        plant: |ground, dice| {
            astray(ground, dice, &|path| path.rsplit_once('/').map(|(folder, name)| format!("{folder}qz/{name}")))
        },
    },
    Class {
        name: "file with another ending",
        codes: &["file-not-read"],
        plant: |ground, dice| {
            astray(ground, dice, &|path| {
                path.rsplit_once('.')
                    .map(|(stem, ending)| format!("{stem}.{}", if ending == "cfg" { "ini" } else { "cfg" }))
            })
        },
    },
    Class {
        name: "field of a manifest misspelt",
        codes: &["field-not-known", "manifest-fault"],
        plant: |ground, dice| manifest(ground, dice, Slip::Key),
    },
    Class {
        name: "manifest cut off",
        codes: &["file-broken", "manifest-fault"],
        plant: |ground, dice| manifest(ground, dice, Slip::Cut),
    },
    Class {
        name: "requirement misspelt",
        codes: &["requirement-lacking"],
        plant: |ground, dice| requirement(ground, dice, "q"),
    },
    Class { name: "requirement gone", codes: &["requirement-undeclared"], plant: requirement_gone },
    Class { name: "text lacking", codes: &["text-lacking"], plant: text_lacking },
    Class { name: "text with an unknown token", codes: &["token-not-filled"], plant: token },
    Class { name: "key of the rulebook misspelt", codes: &["rulebook-fault"], plant: rulebook },
    Class {
        name: "key of the workspace nobody knows",
        codes: &["workspace-fault"],
        plant: |ground, _| workspace(ground, "zzq = 1\n"),
    },
    Class {
        name: "order of a mod that is not there",
        codes: &["workspace-fault"],
        plant: |ground, _| workspace(ground, "order = [\"zzq\"]\n"),
    },
    Class { name: "definition twice in two files", codes: &["id-twice", "case-twin"], plant: twice },
    Class { name: "implied file lacking", codes: &["file-lacking"], plant: implied },
];

/// What tells that a file cannot be read.
const BROKEN: &[&str] = &["file-broken"];

fn definitions(ground: &Ground<'_>, fits: impl Fn(&Document) -> bool) -> Vec<FileId> {
    let all = ground.files(|role| matches!(role, FileRole::Definitions(_)));
    all.into_iter().filter(|(_, document)| fits(document)).map(|(file, _)| file).collect()
}

/// Whether something elsewhere needs what a file defines.
fn is_needed(ground: &Ground<'_>, file: FileId) -> bool {
    let own = ground.catalog.definitions().filter(|(_, made)| made.file == file);
    let named = own.filter_map(|(_, made)| ground.catalog.address_of(made)).any(|at| ground.is_named(at));
    named || ground.sites.iter().any(|site| site.definition.file == file && site.leads(ground))
}

/// A sign is lost, outside of texts or where a text begins.
fn lost(ground: &Ground<'_>, dice: &mut Dice, signs: &[char], quoted: bool) -> Option<Made> {
    let files = definitions(ground, |document| document.format() == Format::Json);
    (0..4).find_map(|_| {
        let file = *one(&files, dice).filter(|file| !is_needed(ground, **file))?;
        let document = ground.catalog.document(file)?;
        let (text, whole) = (document.text(), document.root().span());
        let mut within = false;
        let mut places = Vec::new();
        for (at, letter) in text.char_indices() {
            // what stands around a block is of another language
            let is_there = (whole.start as usize..whole.end as usize).contains(&at);
            if is_there && signs.contains(&letter) && (quoted || !within) {
                places.push(at);
            }
            if letter == '"' {
                within = !within;
            }
        }
        let at = *one(&places, dice)?;
        let mut new = text.to_string();
        new.remove(at);
        let span = crate::source::Span { start: u32::try_from(at).ok()?, end: u32::try_from(at).ok()? };
        let line = ground.line(Place { file, span });
        // a sign that lacks is often only noticed further on
        ground.made(file, new, (1, line + 400))
    })
}

fn element_lost(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let files = definitions(ground, |document| document.format() == Format::Xml);
    let file = *one(&files, dice).filter(|file| !is_needed(ground, **file))?;
    let text = ground.catalog.document(file)?.text().to_string();
    let all: Vec<(usize, usize)> =
        text.match_indices("</").filter_map(|(at, _)| Some((at, at + text.get(at..)?.find('>')? + 1))).collect();
    let (from, to) = *one(&all, dice)?;
    let mut new = text.clone();
    new.replace_range(from..to, "");
    ground.made(file, new, (1, u32::MAX))
}

fn cut_off(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let files = definitions(ground, |document| matches!(document.format(), Format::Json | Format::Xml));
    let file = *one(&files, dice).filter(|file| !is_needed(ground, **file))?;
    let text = ground.catalog.document(file)?.text().to_string();
    let whole = text.trim_end();
    let half = whole.chars().take(whole.chars().count() * 2 / 3).collect();
    ground.made(file, half, (1, u32::MAX))
}

fn no_letters(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let files = definitions(ground, |document| document.format() != Format::Script);
    let file = *one(&files, dice).filter(|file| !is_needed(ground, **file))?;
    let path = ground.path(file);
    let mut bytes = ground.source.read(&path).ok()?;
    let at = bytes.iter().position(u8::is_ascii_alphabetic)?;
    bytes.insert(at, 0xff);
    Some(Made { files: vec![(path.clone(), bytes)], gone: Vec::new(), at: (path, 1, u32::MAX), may_follow: &[] })
}

fn is_strict(ground: &Ground<'_>) -> bool {
    let reader = &ground.catalog.rulebook.reader;
    reader.comments == Some(false) && reader.trailing_commas == Some(false) && reader.refuses_mark(true)
}

fn strict(ground: &Ground<'_>, dice: &mut Dice, before: &str) -> Option<Made> {
    let files = definitions(ground, |document| document.format() == Format::Json);
    let file = *one(&files, dice).filter(|_| is_strict(ground))?;
    let text = ground.catalog.document(file)?.text();
    ground.made(file, format!("{before}{}", text.trim_start_matches('\u{feff}')), (1, 1))
}

fn comma_more(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let files = definitions(ground, |document| document.format() == Format::Json);
    let file = *one(&files, dice).filter(|_| is_strict(ground))?;
    let text = ground.catalog.document(file)?.text();
    let at = text.trim_end().rfind(['}', ']'])?;
    let before = text.get(..at)?.trim_end().len();
    let mut new = text.to_string();
    new.insert(before, ',');
    ground.made(file, new, (1, u32::MAX))
}

fn astray(ground: &Ground<'_>, dice: &mut Dice, to: &dyn Fn(&str) -> Option<String>) -> Option<Made> {
    let folder = format!("{}/", ground.catalog.layer(ground.layer).folder);
    let files = definitions(ground, |_| true);
    (0..6).find_map(|_| {
        let file = *one(&files, dice).filter(|file| !is_needed(ground, **file) && !ground.id.starts_with("base"))?;
        let path = ground.path(file);
        let new = format!("{folder}{}", to(path.strip_prefix(&folder)?)?);
        let bytes = ground.source.read(&path).ok()?;
        let read = ground
            .catalog
            .rulebook
            .places
            .iter()
            .any(|place| place.files.is_match(new.strip_prefix(&folder).unwrap_or("")));
        let made = Made { files: vec![(new.clone(), bytes)], gone: vec![path], at: (new, 1, 1), may_follow: &[] };
        (!read).then_some(made)
    })
}

/// What happens to a manifest.
enum Slip {
    Key,
    Cut,
}

fn manifest(ground: &Ground<'_>, dice: &mut Dice, slip: Slip) -> Option<Made> {
    let catalog = ground.catalog;
    // what others require is not taken away
    let own: Vec<_> = catalog.definitions_of(ground.layer).map(|(_, made)| made.file).collect();
    let required = catalog.layers().any(|(_, layer)| layer.ground.contains(ground.layer))
        || own.iter().any(|file| is_needed(ground, *file));
    let file = catalog.layer(ground.layer).manifest_file.filter(|_| !required)?;
    let document = catalog.document(file)?;
    match slip {
        Slip::Cut => {
            let text = document.text().to_string();
            let open = matches!(document.format(), Format::Json | Format::Xml);
            open.then(|| {
                ground.made(file, text.trim_end().chars().take(text.chars().count() / 2).collect(), (1, u32::MAX))
            })?
        }
        Slip::Key => {
            let rule = catalog.rulebook.manifest.as_ref()?;
            let id = rule.id.as_ref().map(ToString::to_string).unwrap_or_default();
            let id = id.rsplit('.').next().unwrap_or_default();
            let children: Vec<_> = document
                .root()
                .children()
                .filter(|node| node.key().is_some_and(|_| node.key_text() != id && node.is_empty()))
                .collect();
            let node = *one(&children, dice)?;
            let at = document.path_to(node.id(), &catalog.names);
            let to = misspelt(&node.key_text(), dice)?;
            ground.edited(node, &Edit::Rename { at, to })
        }
    }
}

fn requirements<'w>(ground: &Ground<'w>) -> Option<Vec<(String, Place)>> {
    // a part of a mod is required by its folder's name
    let manifest =
        ground.catalog.layer(ground.layer).manifest.as_ref().filter(|manifest| manifest.part_of.is_none())?;
    Some(manifest.requires.clone())
}

fn requirement(ground: &Ground<'_>, dice: &mut Dice, more: &str) -> Option<Made> {
    let all = requirements(ground)?;
    let (id, place) = one(&all, dice)?;
    let text = ground.catalog.document(place.file)?.text();
    let within = place.span.of(text);
    let at = place.span.start as usize + within.find(id.as_str())?;
    let mut new = text.to_string();
    new.insert_str(at + id.len(), more);
    let line = ground.line(*place);
    ground.made(place.file, new, (line, line))
}

/// What is used of the other mod is told, wherever that is.
fn requirement_gone(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let all = requirements(ground)?;
    let (other, place) = one(&all, dice)?;
    if !ground.catalog.layer_named(other).is_some_and(|other| super::names::uses(ground, other)) {
        return None;
    }
    let document = ground.catalog.document(place.file)?;
    let node = (0..document.size()).map(|at| document.node(crate::document::NodeId(u32::try_from(at).unwrap_or(0))));
    let node = node.into_iter().find(|node| node.span() == place.span && node.children().next().is_none())?;
    let at = document.path_to(node.id(), &ground.catalog.names);
    let text = edit(document, &[Edit::Remove { at }], &ground.catalog.names).ok()?;
    let mut made = ground.made(place.file, text, (1, u32::MAX))?;
    made.at.0 = "*".to_owned();
    // what the layer says of the other one's has no effect any more
    made.may_follow = &["requirement-undeclared", "target-removed"];
    Some(made)
}

fn texts(ground: &Ground<'_>) -> Vec<(FileId, FieldPath, String, Place)> {
    let catalog = ground.catalog;
    let Some(rule) = &catalog.rulebook.texts else { return Vec::new() };
    let seen = catalog.seen();
    let all = seen
        .all_texts()
        .filter(|(_, language, at)| *language == rule.main && catalog.file(at.file).layer == Some(ground.layer));
    let all = all.filter(|(_, _, at)| crate::source::sheet_in(&catalog.file(at.file).path).is_none());
    all.filter_map(|(key, _, at)| {
        let node = catalog.node(at);
        let document = catalog.document(at.file)?;
        Some((at.file, document.path_to(node.id(), &catalog.names), key.to_owned(), node.place()))
    })
    .collect()
}

/// A text goes that a definition of the layer itself needs; told at the definition.
fn text_lacking(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let all = texts(ground);
    let mut needed = Vec::new();
    for (_, made) in catalog.definitions_of(ground.layer) {
        let kind = catalog.rulebook.kind(made.kind);
        let Some(id) = made.id.filter(|_| !made.is_abstract && made.below.is_none()) else { continue };
        for text in kind.texts.iter().filter(|text| !text.optional) {
            needed.push((kind.filled(&text.template, catalog.names.text(id)), made));
        }
    }
    (0..8).find_map(|_| {
        let (file, at, key, _) = one(&all, dice)?;
        let (_, made) = needed.iter().find(|(known, _)| known == key)?;
        let said = all.iter().filter(|(_, _, other, _)| other == key).count();
        let document = catalog.document(*file)?;
        let whole = match document.format() {
            // the row with all languages
            Format::Csv => {
                at.split_last().map(|(row, _)| row).filter(|row| !row.is_empty()).unwrap_or_else(|| at.clone())
            }
            _ => at.clone(),
        };
        let text = edit(document, &[Edit::Remove { at: whole }], &catalog.names).ok().filter(|_| said == 1)?;
        let place = catalog.definition_place(made.at());
        let line = ground.line(place);
        let mut planted = ground.made(*file, text, (line, line))?;
        planted.at.0 = ground.path(made.file);
        Some(planted)
    })
}

fn token(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let token = catalog.rulebook.texts.as_ref()?.token.as_ref()?;
    let mark = ["<zzq>", "{zzq}", "%zzq%", "$zzq", "[zzq]", "@zzq@"].into_iter().find(|mark| token.is_match(mark))?;
    let view = ground.world.view();
    let mut own = BTreeSet::new();
    for at in view.standing() {
        let Some(kind) = view.kind_of(at).map(|kind| catalog.rulebook.kind(kind)) else { continue };
        own.extend(kind.texts.iter().map(|text| kind.filled(&text.template, catalog.names.text(at.id))));
    }
    let all: Vec<_> = texts(ground).into_iter().filter(|(_, _, key, _)| own.contains(key)).collect();
    let (file, _, _, place) = one(&all, dice)?;
    let text = catalog.document(*file)?.text();
    let within = place.span.of(text).trim_end_matches(['"', '\'']);
    let mut new = text.to_string();
    new.insert_str(place.span.start as usize + within.len(), &format!(" {mark}"));
    let line = ground.line(*place);
    ground.made(*file, new, (line, line))
}

fn rulebook(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let all = catalog.files().filter(|(_, file)| file.layer.is_none() && file.path.starts_with("rulebook"));
    let all: Vec<FileId> = all.map(|(id, _)| id).collect();
    let file = *one(&all, dice)?;
    let text = catalog.text(file).to_owned();
    let heads: Vec<usize> = text
        .match_indices("[kinds.")
        .filter(|(at, _)| *at == 0 || text.get(..*at).is_some_and(|t| t.ends_with('\n')))
        .map(|(at, _)| at)
        .collect();
    let heads: Vec<usize> = heads
        .into_iter()
        .filter(|at| {
            text.get(*at..).is_some_and(|t| t.lines().next().is_some_and(|line| line.matches('.').count() == 1))
        })
        .collect();
    let at = *one(&heads, dice)?;
    let end = at + text.get(at..)?.find('\n')? + 1;
    let mut new = text.clone();
    new.insert_str(end, "zzq = 1\n");
    let line = u32::try_from(text.get(..end)?.matches('\n').count()).ok()? + 1;
    let path = ground.path(file);
    Some(Made {
        files: vec![(path.clone(), new.into_bytes())],
        gone: Vec::new(),
        at: (path, line, line),
        may_follow: &[],
    })
}

fn workspace(ground: &Ground<'_>, more: &str) -> Option<Made> {
    let text = String::from_utf8(ground.source.read(WORKSPACE_FILE).ok()?).ok()?;
    let key = more.split(' ').next()?;
    if text.lines().any(|line| line.starts_with(key)) {
        return None;
    }
    let at = text.find("\n[").map_or(text.len(), |at| at + 1);
    let mut new = text.clone();
    new.insert_str(at, more);
    let line = u32::try_from(text.get(..at)?.matches('\n').count()).ok()? + 1;
    let path = WORKSPACE_FILE.to_owned();
    Some(Made {
        files: vec![(path.clone(), new.into_bytes())],
        gone: Vec::new(),
        at: (path, line, line),
        may_follow: &[],
    })
}

/// A file that is there twice, under another name.
fn twice(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let files = definitions(ground, |document| document.format() != Format::Script);
    (0..6).find_map(|_| {
        let file = *one(&files, dice)?;
        let path = ground.path(file);
        let (stem, ending) = path.rsplit_once('.')?;
        let new = format!("{stem}-zzq.{ending}");
        let below = new.strip_prefix(&format!("{}/", catalog.layer(ground.layer).folder))?;
        let same = |place: &crate::rulebook::Where| {
            place.files.is_match(below) == place.files.is_match(&catalog.file(file).relative)
        };
        let own: Vec<_> = catalog.definitions().filter(|(_, made)| made.file == file).collect();
        let one = own.len() == 1
            && own.iter().all(|(_, made)| {
                made.below.is_none()
                    && catalog.rulebook.kind(made.kind).again != crate::rulebook::Again::Variant
                    && catalog.rulebook.kind(made.kind).id_fields.len() == 1
            });
        let fits = one
            && catalog.rulebook.places.iter().all(same)
            && catalog.rulebook.places.iter().any(|place| place.files.is_match(below));
        let bytes = ground.source.read(&path).ok().filter(|_| fits)?;
        // told at either of the two
        Some(Made {
            files: vec![(new, bytes)],
            gone: Vec::new(),
            at: ("*".to_owned(), 1, u32::MAX),
            may_follow: &["copy-leftover", "value-not-unique"],
        })
    })
}

fn implied(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let mut all = Vec::new();
    for (_, made) in catalog.definitions_of(ground.layer).filter(|(_, made)| !made.is_abstract && made.below.is_none())
    {
        let Some(id) = made.id else { continue };
        for (_, template) in &catalog.rulebook.kind(made.kind).files {
            let path = format!(
                "{}/{}",
                catalog.layer(ground.layer).folder,
                catalog.rulebook.kind(made.kind).filled(template, catalog.names.text(id))
            );
            if catalog.file_named(&path).is_some() {
                all.push((path, made));
            }
        }
    }
    let (path, made) = one(&all, dice)?;
    let line = ground.line(catalog.definition_place(made.at()));
    Some(Made {
        files: Vec::new(),
        gone: vec![path.clone()],
        at: (ground.path(made.file), line, line),
        may_follow: &[],
    })
}
