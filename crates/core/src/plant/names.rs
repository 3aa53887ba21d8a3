//! Faults of what names something: references, parents, words, files, ids.

use super::Class;
use super::site::{Ground, Made, Site, misspelt, one, other_case};
use crate::catalog::{Address, Amendment, LayerId, Target};
use crate::dice::Dice;
use crate::document::{Edit, Shape};
use crate::rulebook::{ANY_FOLDER, KindId, Reading, Severity};

pub(super) const CLASSES: &[Class] = &[
    Class {
        name: "reference misspelt",
        codes: &["leads-nowhere"],
        plant: |ground, dice| link(ground, dice, &misspelt),
    },
    Class {
        name: "reference in other letters",
        codes: &["leads-nowhere"],
        plant: |ground, dice| link(ground, dice, &|word, _| other_case(word)),
    },
    Class {
        name: "reference to nothing at all",
        codes: &["leads-nowhere"],
        plant: |ground, dice| link(ground, dice, &|_, _| Some("zzq-zzq-zzq".to_owned())),
    },
    Class {
        name: "reference with an ending",
        codes: &["leads-nowhere", "name-with-ending"],
        plant: |ground, dice| link(ground, dice, &|word, _| Some(format!("{word}.json"))),
    },
    Class {
        name: "reference with its kind",
        codes: &["leads-nowhere", "name-with-ending"],
        plant: |ground, dice| link(ground, dice, &|word, _| Some(format!("zzq/{word}"))),
    },
    Class { name: "reference to another kind", codes: &["leads-nowhere"], plant: another_kind },
    Class { name: "reference in a key misspelt", codes: &["leads-nowhere"], plant: link_of_key },
    Class {
        name: "parent misspelt",
        codes: &["parent-lacking"],
        plant: |ground, dice| parent(ground, dice, &|_, word, dice| misspelt(word, dice)),
    },
    Class {
        name: "parent in other letters",
        codes: &["parent-lacking"],
        plant: |ground, dice| parent(ground, dice, &|_, word, _| other_case(word)),
    },
    Class {
        name: "parent of itself",
        codes: &["parent-circle", "parent-lacking"],
        plant: |ground, dice| parent(ground, dice, &|own, _, _| Some(own.to_owned())),
    },
    Class { name: "word that nothing declares", codes: &["word-not-known"], plant: word },
    Class { name: "file misspelt", codes: &["file-lacking"], plant: |ground, dice| file(ground, dice, &misspelt) },
    Class {
        name: "file in other letters",
        codes: &["file-case"],
        plant: |ground, dice| file(ground, dice, &|word, _| other_case(word)),
    },
    Class { name: "file with its ending", codes: &["name-with-ending", "file-lacking"], plant: file_with_ending },
    Class { name: "key of a text misspelt", codes: &["text-lacking"], plant: key_of_text },
];

/// Whether a word that is written somewhere else would be understood there.
fn leads(ground: &Ground<'_>, kinds: &[KindId], word: &str) -> bool {
    kinds.iter().any(|kind| ground.catalog.address(*kind, word).is_some_and(|at| ground.catalog.stacks.has(at)))
}

/// The kinds that a site names, if it is told when nothing is there.
fn kinds<'s>(site: &'s Site<'_>) -> Option<&'s [KindId]> {
    let Reading::Link(kinds) = &site.ty.reading else { return None };
    let told = site.ty.link.as_ref().is_none_or(|link| link.lacking == Some(Severity::Error) && link.forms.is_empty());
    told.then_some(kinds.as_slice())
}

fn link(ground: &Ground<'_>, dice: &mut Dice, slip: &dyn Fn(&str, &mut Dice) -> Option<String>) -> Option<Made> {
    ground.at(
        dice,
        |site| kinds(site).is_some() && !site.of_key && site.node.shape() == Shape::Text,
        |site, dice| {
            let word = site.word();
            let to = slip(&word, dice)?;
            let fits = leads(ground, kinds(site)?, &word) && !leads(ground, kinds(site)?, &to) && alone(ground, site);
            fits.then(|| ground.rewritten(site, &word, &to)).flatten()
        },
    )
}

/// Whether nothing hangs on this reference: what it leads to is led to otherwise, and no group loses a member.
fn alone(ground: &Ground<'_>, site: &Site<'_>) -> bool {
    let Some(kinds) = kinds(site) else { return false };
    let word = site.word();
    let targets: Vec<Address> = kinds.iter().filter_map(|kind| ground.catalog.address(*kind, &word)).collect();
    let led = targets.iter().any(|at| {
        ground.world.view().kind_of(*at).is_some_and(|kind| !ground.catalog.rulebook.kind(kind).led_to.is_empty())
    });
    let groups = kinds.iter().any(|kind| ground.catalog.rulebook.kind(*kind).is_group());
    !led && !groups
}

fn another_kind(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let catalog = ground.catalog;
    let all: Vec<Address> = ground.world.view().standing();
    ground.at(
        dice,
        |site| kinds(site).is_some() && !site.of_key && site.node.shape() == Shape::Text,
        |site, dice| {
            let word = site.word();
            let own = kinds(site)?;
            let other = one(&all, dice)?;
            let id = catalog.names.text(other.id);
            let fits = leads(ground, own, &word) && !leads(ground, own, id) && alone(ground, site);
            fits.then(|| ground.rewritten(site, &word, id)).flatten()
        },
    )
}

fn link_of_key(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| kinds(site).is_some() && site.of_key,
        |site, dice| {
            let word = site.word();
            let to = misspelt(&word, dice)?;
            let fits = leads(ground, kinds(site)?, &word) && !leads(ground, kinds(site)?, &to) && alone(ground, site);
            let at = site.node.document().path_to(site.node.id(), &ground.catalog.names);
            let rename = Edit::Rename { at, to: site.node.key_text().replacen(&word, &to, 1) };
            fits.then(|| ground.edited(site.node, &rename)).flatten()
        },
    )
}

/// Whether a layer names what only another one defines.
pub(super) fn uses(ground: &Ground<'_>, other: LayerId) -> bool {
    let catalog = ground.catalog;
    let only = |at: Address| {
        let mut layers = catalog.stack(at).map(|(_, made)| made.layer).peekable();
        layers.peek().is_some() && layers.all(|layer| layer == other)
    };
    let named = |kind: KindId, word: &str| catalog.address(kind, word).is_some_and(only);
    let linked = |site: &Site<'_>| kinds(site).is_some_and(|all| all.iter().any(|kind| named(*kind, &site.word())));
    let amended = |amendment: &Amendment| match &amendment.target {
        Target::Of { id } => named(amendment.kind, id),
        Target::Which { .. } => false,
    };
    ground.sites.iter().any(linked) || catalog.amendments_of(ground.layer).any(|(_, amendment)| amended(amendment))
}

fn parent(
    ground: &Ground<'_>,
    dice: &mut Dice,
    slip: &dyn Fn(&str, &str, &mut Dice) -> Option<String>,
) -> Option<Made> {
    let names = &ground.catalog.names;
    let fits = |site: &Site<'_>| {
        let kind = ground.catalog.rulebook.kind(site.definition.kind);
        let plain = !kind.parent_by_path && site.ty.written.is_none() && site.node.shape() == Shape::Text;
        matches!(site.ty.reading, Reading::Parent(_)) && plain && site.definition.id.is_some()
    };
    ground.at(dice, fits, |site, dice| {
        let own = site.definition.id.map(|id| names.text(id))?;
        let word = site.word();
        let kind = ground.catalog.rulebook.kind(site.definition.kind);
        let there =
            |id: &str| names.get(id).is_some_and(|id| ground.catalog.stacks.has(Address { space: kind.space, id }));
        let to = slip(own, &word, dice)?;
        // what has heirs of its own takes them along
        let heirs = ground.catalog.address_of(site.definition).is_some_and(|at| ground.is_named(at));
        let good = there(&word) && (to == own || !there(&to)) && !heirs && word != own;
        good.then(|| ground.rewritten(site, &word, &to)).flatten()
    })
}

fn word(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let fits = |site: &Site<'_>| match &site.ty.reading {
        Reading::Word { of, declares: false } => {
            let vocabulary = ground.catalog.rulebook.vocabulary(*of);
            vocabulary.lacking.is_some() && vocabulary.plain().count() == vocabulary.listed.len()
        }
        _ => false,
    };
    ground.at(
        dice,
        |site| fits(site) && site.ty.written.is_none() && site.node.is_empty(),
        |site, _| ground.rewritten(site, &site.word(), "zzq-zzq"),
    )
}

fn is_file(ground: &Ground<'_>, site: &Site<'_>) -> bool {
    let Reading::File(template) = &site.ty.reading else { return false };
    let silent = site.ty.link.is_some() || site.ty.written.is_some() || template.before.contains(ANY_FOLDER);
    !silent && site.node.shape() == Shape::Text && !site.word().is_empty() && ground.catalog.rulebook.file_case
}

fn file(ground: &Ground<'_>, dice: &mut Dice, slip: &dyn Fn(&str, &mut Dice) -> Option<String>) -> Option<Made> {
    ground.at(
        dice,
        |site| is_file(ground, site),
        |site, dice| {
            let word = site.word();
            // the file's own name, without its ending
            let from = word.rfind('/').map_or(0, |at| at + 1);
            let to = word.rfind('.').filter(|at| *at > from).unwrap_or(word.len());
            let name = word.get(from..to)?;
            let new = slip(name, dice)?;
            ground.rewritten(site, &word, &format!("{}{new}{}", word.get(..from)?, word.get(to..)?))
        },
    )
}

fn file_with_ending(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    ground.at(
        dice,
        |site| is_file(ground, site),
        |site, _| {
            let Reading::File(template) = &site.ty.reading else { return None };
            let word = site.word();
            template
                .after
                .starts_with('.')
                .then(|| ground.rewritten(site, &word, &format!("{word}{}", template.after)))?
        },
    )
}

fn key_of_text(ground: &Ground<'_>, dice: &mut Dice) -> Option<Made> {
    let main = ground.catalog.rulebook.texts.as_ref().map(|rule| rule.main.clone())?;
    let fits = |site: &Site<'_>| matches!(site.ty.reading, Reading::Key(_)) && site.ty.link.is_none();
    ground.at(
        dice,
        |site| fits(site) && site.node.shape() == Shape::Text,
        |site, _| {
            let Reading::Key(template) = &site.ty.reading else { return None };
            let word = site.word();
            let said = ground.catalog.seen().texts(&template.fill(&word)).any(|(language, _)| language == main);
            said.then(|| ground.rewritten(site, &word, &format!("{word}-zzq"))).flatten()
        },
    )
}
