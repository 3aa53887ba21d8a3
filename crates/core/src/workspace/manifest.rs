//! What a mod says of itself.

use crate::document::{Document, FieldPath, Node, Shape, find};
use crate::names::Names;
use crate::rulebook::{Condition, ManifestRule, Pattern};
use crate::source::Place;

/// A mod's manifest, as far as Cognomen uses it.
#[derive(Clone, Debug, Default)]
pub struct Manifest {
    /// The mod's id.
    pub id: String,
    /// The name that players see.
    pub name: Option<String>,
    /// The mod's version.
    pub version: Option<String>,
    /// Mods that this one stands on, with the places where they are named.
    pub requires: Vec<(String, Place)>,
    /// Mods that load before this one if they are there.
    pub after: Vec<String>,
    /// Versions that are required of mods: the mod, what is required, and where it stands.
    pub versions: Vec<(String, String, Place)>,
    /// Mods that cannot be loaded together with this one.
    pub excludes: Vec<NamedMod>,
    /// Of a part that applies only under a condition: whose it is, and the condition.
    pub part_of: Option<(String, Condition)>,
    /// The versions of the game that it was made for.
    pub made_for: Vec<String>,
    /// Where they stand.
    pub made_for_place: Option<Place>,
}

/// A mod that a manifest names.
#[derive(Clone, Debug)]
pub struct NamedMod {
    /// Its id.
    pub id: String,
    /// Where it is named.
    pub place: Place,
    /// The versions that are meant, and where they are said; all where nothing is.
    pub version: Option<(String, Place)>,
}

/// A manifest and where its id stands.
#[derive(Debug)]
pub(crate) struct MadeManifest {
    pub(crate) manifest: Manifest,
    pub(crate) id_place: Option<Place>,
}

impl MadeManifest {
    /// Of a mod that has no manifest: the name of its folder is all that is said of it.
    pub(crate) fn of_folder(name: &str) -> MadeManifest {
        MadeManifest { manifest: Manifest { id: name.to_owned(), ..Manifest::default() }, id_place: None }
    }
}

/// Reads a manifest as the rulebook says. `folder` is the name of the folder that it stands in.
pub(crate) fn read_manifest(document: &Document, rule: &ManifestRule, folder: &str, names: &Names) -> MadeManifest {
    let root = document.root();
    let scalar = |path: &FieldPath| {
        find(root, path, names).filter(|node| !matches!(node.shape(), Shape::List | Shape::Table | Shape::Broken))
    };
    let text = |path: &Option<FieldPath>| path.as_ref().and_then(scalar).map(|node| node.text().into_owned());
    let reached = |pattern: &Option<Pattern>| {
        let all = pattern.iter().flat_map(|pattern| pattern.reached(root, names));
        all.filter_map(|reached| Some((reached.text(names)?, reached))).collect::<Vec<_>>()
    };
    let stated = reached(&rule.requires_version);
    let mods = |pattern: &Option<Pattern>| -> Vec<NamedMod> {
        let all = reached(pattern).into_iter().map(|(text, entry)| {
            let (id, version) = match &rule.requires_as {
                Some((between, behind)) => cut(&text, between, behind),
                None => (text.as_str(), None),
            };
            let beside = stated.iter().find(|(_, version)| version.entries == entry.entries);
            let beside = beside.map(|(text, version)| (text.as_str(), version.place()));
            let version = version.map(|version| (version, entry.place())).or(beside);
            let version = version.filter(|(text, _)| !matches!(text.trim(), "" | "*"));
            let version = version.map(|(text, place)| (text.to_owned(), place));
            NamedMod { id: id.to_owned(), place: entry.place(), version }
        });
        all.collect()
    };
    let (requires, after) = (mods(&rule.requires), mods(&rule.after));
    let wanted = requires.iter().chain(&after).filter_map(|named| {
        let (version, place) = named.version.clone()?;
        Some((named.id.clone(), version, place))
    });
    let versions = wanted.collect();
    let id = rule.id.as_ref().and_then(scalar);
    let by_folder = || rule.id.is_none().then(|| folder.to_owned());
    let made_for = rule.made_for.as_ref().and_then(|path| find(root, path, names));
    let editions = made_for.into_iter().flat_map(|node| match node.shape() {
        Shape::List => node.children().collect(),
        _ => vec![node],
    });
    let editions = editions.filter(|node| matches!(node.shape(), Shape::Text | Shape::Number));
    MadeManifest {
        manifest: Manifest {
            id: id.map(|node| node.text().into_owned()).or_else(by_folder).unwrap_or_default(),
            name: text(&rule.name),
            version: text(&rule.version),
            requires: requires.into_iter().map(|named| (named.id, named.place)).collect(),
            after: after.into_iter().map(|named| named.id).collect(),
            versions,
            excludes: mods(&rule.excludes),
            part_of: None,
            made_for: editions.map(|node| node.text().into_owned()).collect(),
            made_for_place: made_for.map(Node::place),
        },
        id_place: id.map(Node::place),
    }
}

/// The id and the version in one text.
fn cut<'t>(text: &'t str, between: &str, behind: &str) -> (&'t str, Option<&'t str>) {
    let whole = text.strip_suffix(behind).unwrap_or(text);
    match whole.split_once(between) {
        Some((id, version)) if !id.is_empty() => (id.trim(), Some(version.trim())),
        _ => (text.trim(), None),
    }
}
