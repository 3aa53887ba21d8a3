//! `requirement-undeclared`.

use rustc_hash::FxHashSet;

use super::context::{Astray, Context};
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::Shape;
use crate::effective::ProblemKind;
use crate::nearest::nearest;
use crate::rulebook::{Condition, Severity};
use crate::said::said;
use crate::source::Place;
use crate::workspace::WORKSPACE_FILE;

pub(super) static CHECK: Check = Check {
    code: "requirement-undeclared",
    severity: Severity::Error,
    since: "0.1",
    summary: "something of a mod that the manifest does not require",
    finds: "A reference, parent or amendment whose target is defined only by mods that this mod does not stand on; a kind, field or word that such a mod brings along in its supplement of the rulebook.",
    matters: "It works here and breaks for everybody who does not have that mod, or has it in another order.",
    example: "\"takes\": [ { \"what\": \"long-wick\" } ]      # long-wick is from the mod long-night",
    mend: "Add the mod to the requirements in the manifest, or do without its definition.",
    accept: "Never; say `after` and do without if the other mod is optional.",
    run: |context, findings| {
        let catalog = context.catalog;
        for astray in
            context.astray.iter().filter(|astray| context.own.contains(astray.layer) && !context.is_game(astray.layer))
        {
            let Some(address) = astray.outside else { continue };
            let (about, path) = context.whose(astray.file, astray.mention.from, astray.node);
            let place = astray.place(context);
            let found = old_name(context, astray, place, address);
            let found = found.or_else(|| finding(context, place, astray.layer, address));
            findings.extend(found.map(|found| found.about(about).path(Some(path))));
        }
        let all = catalog.seen();
        let own = context.definitions().filter(|(_, made)| context.own.contains(made.layer));
        let named = own.filter(|(_, made)| made.parent.is_some() && !context.is_game(made.layer));
        for (definition, address) in
            named.flat_map(|(id, definition)| all.parents_at(id).into_iter().map(move |parent| (definition, parent)))
        {
            if definition.id == Some(address.id) {
                continue;
            }
            let kind = context.rulebook.kind(definition.kind);
            if all.stands(address) && !context.view.stands(context.view.current(address)) {
                let node = kind.parent.and_then(|key| catalog.node(definition.at()).get(key));
                let place = node.map_or_else(|| context.definition_place(definition.at()), |node| node.place());
                let about = catalog.address_of(definition);
                findings.extend(finding(context, place, definition.layer, address).map(|f| f.about(about)));
            }
        }
        if !context.rulebook.supplements.is_empty() {
            supplements(context, findings);
        }
        for problem in context.problems() {
            let (ProblemKind::OutsideGround, Some(address)) = (&problem.what, problem.address) else { continue };
            let Some((amendment, at)) = catalog.amendment(problem.amendment) else { continue };
            findings.extend(finding(context, amendment.target_place, at.layer, address));
        }
    },
};

/// What mods bring along, used by layers that do not stand on them.
fn supplements(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    for (file, harvest, document) in context.harvests() {
        let layer = context.layer_of(file);
        let own = &catalog.layer(layer).id;
        for (from, at, supplement) in &harvest.brought {
            let Some(id) = context.rulebook.brought_by(*supplement) else { continue };
            let stands = |other: LayerId| catalog.layer(other).id == *id;
            if own == id || catalog.layer(layer).ground.iter().any(stands) || is_meant(catalog, layer, id) {
                continue;
            }
            let node = document.node(*at);
            let (about, path) = context.whose(file, *from, node);
            let whole = path.is_empty();
            let what = match about {
                Some(address) if whole => said!("the kind of `{definition}`", definition = context.show(address)),
                _ if whole => "this kind".into(),
                _ if node.shape() == Shape::Number => {
                    said!("a limit that allows {value} for `{field}`", value = node.raw(), field = path)
                }
                _ => said!("what `{field}` states", field = path),
            };
            let message =
                said!("{what} is brought by the mod `{other}`, which `{own}` does not require", what, other = id, own);
            let help = match context.is_game(layer) {
                true => "the base stands on no mod".into(),
                false => said!("require `{other}`, or do without it", other = id),
            };
            let place = if whole { context.definition_place(node.at()) } else { node.place() };
            let mend = (!context.is_game(layer)).then(|| Mend::Require { layer, other: id.to_owned() });
            let finding = Finding::new(&CHECK, place, message).about(about).path(Some(path));
            findings.push(finding.help(Some(help)).mend(mend));
        }
    }
}

/// An old name of what is there, that only a mod outside of the ground keeps.
fn old_name(context: &Context<'_>, astray: &Astray<'_>, place: Place, address: Address) -> Option<Finding> {
    let catalog = context.catalog;
    if !context.view.stands(address) {
        return None;
    }
    let word = astray.word(catalog);
    let id = catalog.names.get(&word)?;
    let (layer, _) = catalog.renamed.get(&Address { space: address.space, id })?.last()?;
    let (other, own) = (&catalog.layer(*layer).id, &catalog.layer(astray.layer).id);
    let shown = context.show(address);
    let message = said!(
        "`{word}` is `{definition}` only with the mod `{other}`, which `{own}` does not require",
        word,
        definition = shown,
        other,
        own
    );
    let id = catalog.names.text(address.id);
    let finding = Finding::new(&CHECK, place, message).help(Some(said!("write `{nearest}`", nearest = id)));
    Some(finding.mend(astray.written(context, &word, id)))
}

/// Whether a requirement that is not here is meant to be this mod: then that is told.
pub(super) fn is_meant(catalog: &Catalog, layer: LayerId, other: &str) -> bool {
    let Some(manifest) = &catalog.layer(layer).manifest else { return false };
    let known = || catalog.layers().filter(|(_, found)| !found.is_base()).map(|(_, found)| found.id.as_str());
    let lacking = manifest.requires.iter().filter(|(id, _)| catalog.layer_named(id).is_none());
    // of short ids one letter more or less is near enough, since something of that mod is used
    let close = |id: &str| strsim::damerau_levenshtein(id, other) <= 1;
    lacking.into_iter().any(|(id, _)| nearest(id, known()) == Some(other) || close(id))
}

/// The mods that use what others define and do not require these, as findings tell: each with the other's id.
pub(super) fn undeclared(findings: &[Finding]) -> FxHashSet<(LayerId, String)> {
    let told = findings.iter().filter(|finding| finding.code == CHECK.code);
    let lacking = told.filter_map(|finding| match finding.mend.as_deref()? {
        Mend::Require { layer, other } => Some((*layer, other.clone())),
        _ => None,
    });
    lacking.collect()
}

fn finding(context: &Context<'_>, place: Place, layer: LayerId, address: Address) -> Option<Finding> {
    let catalog = context.catalog;
    let (_, definition) = catalog.seen().first(address)?;
    let other = &catalog.layer(definition.layer).id;
    if is_meant(catalog, layer, other) {
        return None;
    }
    let own = &catalog.layer(layer).id;
    let layer = catalog.owner_of(layer);
    let manifest = catalog.layer(layer).manifest_file.map(|file| catalog.file(file).path.clone());
    let folder = context.rulebook.manifest.as_ref().and_then(|rule| rule.parts.folder(&Condition::With(other.clone())));
    // of a mod that may be there or not, what needs it has a place of its own
    let may_be = catalog.layer(layer).manifest.as_ref().is_some_and(|manifest| manifest.after.contains(other));
    let rule = context.rulebook.manifest.as_ref();
    let manifest = manifest.filter(|_| rule.is_some_and(|rule| rule.requires.is_some()));
    let require = match &manifest {
        Some(manifest) => said!("add `{other}` to the requirements in {file}", other, file = manifest),
        None => said!(
            "if that is meant, say so under `stands_on` in {file}: `{own} = [\"{other}\"]`",
            file = WORKSPACE_FILE,
            own,
            other
        ),
    };
    let help = match folder {
        Some(folder) if may_be => said!(
            "`{other}` may be lacking: put this into the folder `{folder}`, which applies only with it, or require it",
            other,
            folder
        ),
        Some(folder) => said!("{require}, or put this into the folder `{folder}`", require, folder),
        None => require,
    };
    let message = said!(
        "`{definition}` is from the mod `{other}`, which `{own}` does not require",
        definition = context.show(address),
        other,
        own
    );
    Some(
        Finding::new(&CHECK, place, message)
            .help(Some(help))
            .mend(Some(Mend::Require { layer, other: other.clone() }))
            .related(context.definition_place(definition.at()), "defined here"),
    )
}
