//! What a mod says of itself.

use crate::document::{Document, FieldPath, Node, Shape, find};
use crate::names::Names;
use crate::rulebook::{ManifestRule, Pattern, PatternStep};
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
    /// Mods that cannot be loaded together with this one, with the places where they are named.
    pub excludes: Vec<(String, Place)>,
    /// Of a part that applies only where another mod is loaded: whose it is, and that mod.
    pub part_of: Option<(String, String)>,
    /// The versions of the game that it was made for.
    pub made_for: Vec<String>,
    /// Where they stand.
    pub made_for_place: Option<Place>,
}

/// A manifest and where its id stands.
#[derive(Debug)]
pub(crate) struct MadeManifest {
    pub(crate) manifest: Manifest,
    pub(crate) id_place: Option<Place>,
}

/// Reads a manifest as the rulebook says.
pub(crate) fn read_manifest(document: &Document, rule: &ManifestRule, names: &Names) -> MadeManifest {
    let root = document.root();
    let scalar = |path: &FieldPath| {
        find(root, path, names).filter(|node| !matches!(node.shape(), Shape::List | Shape::Table | Shape::Broken))
    };
    let text = |path: &Option<FieldPath>| path.as_ref().and_then(scalar).map(|node| node.text().into_owned());
    let entries = |pattern: &Option<Pattern>| -> Vec<Entry> {
        let mut out = Vec::new();
        if let Some(pattern) = pattern {
            matching(root, &pattern.0, names, &mut Vec::new(), &mut out);
        }
        out
    };
    let stated = entries(&rule.requires_version);
    let mut versions: Vec<(String, String, Place)> = Vec::new();
    let mut ids = |pattern: &Option<Pattern>| -> Vec<(String, Place)> {
        let all = entries(pattern).into_iter().map(|entry| {
            let (id, version) = match &rule.requires_as {
                Some((between, behind)) => cut(&entry.text, between, behind),
                None => (entry.text.as_str(), None),
            };
            let beside = stated.iter().find(|version| version.way == entry.way);
            let version = version.map(|text| (text.to_owned(), entry.place));
            let version = version.or_else(|| beside.map(|beside| (beside.text.clone(), beside.place)));
            if let Some((text, place)) = version.filter(|(text, _)| !matches!(text.trim(), "" | "*")) {
                versions.push((id.to_owned(), text, place));
            }
            (id.to_owned(), entry.place)
        });
        all.collect()
    };
    let (requires, after) = (ids(&rule.requires), ids(&rule.after));
    let excludes = ids(&rule.excludes);
    // a version beside what is excluded says which versions are
    let excluded = |id: &String| excludes.iter().any(|(other, _)| other == id);
    let (ranges, versions): (Vec<_>, Vec<_>) = versions.into_iter().partition(|(id, ..)| excluded(id));
    let id = scalar(&rule.id);
    let made_for = rule.made_for.as_ref().and_then(|path| find(root, path, names));
    let editions = made_for.into_iter().flat_map(|node| match node.shape() {
        Shape::List => node.children().collect(),
        _ => vec![node],
    });
    let editions = editions.filter(|node| matches!(node.shape(), Shape::Text | Shape::Number));
    MadeManifest {
        manifest: Manifest {
            id: id.map(|node| node.text().into_owned()).unwrap_or_default(),
            name: text(&rule.name),
            version: text(&rule.version),
            requires,
            after: after.into_iter().map(|(id, _)| id).collect(),
            versions,
            excludes: excludes.into_iter().filter(|(id, _)| !ranges.iter().any(|(other, ..)| other == id)).collect(),
            part_of: None,
            made_for: editions.map(|node| node.text().into_owned()).collect(),
            made_for_place: made_for.map(Node::place),
        },
        id_place: id.map(Node::place),
    }
}

/// A text that a pattern leads to.
struct Entry {
    /// Which entries of lists and maps lead there: what belongs to one entry has the same.
    way: Vec<usize>,
    text: String,
    place: Place,
}

/// The id and the version in one text.
fn cut<'t>(text: &'t str, between: &str, behind: &str) -> (&'t str, Option<&'t str>) {
    let whole = text.strip_suffix(behind).unwrap_or(text);
    match whole.split_once(between) {
        Some((id, version)) if !id.is_empty() => (id.trim(), Some(version.trim())),
        _ => (text.trim(), None),
    }
}

/// The texts that a pattern leads to. A value where a list is meant counts as its only entry.
fn matching(node: Node<'_>, steps: &[PatternStep], names: &Names, way: &mut Vec<usize>, out: &mut Vec<Entry>) {
    let Some((step, rest)) = steps.split_first() else {
        if matches!(node.shape(), Shape::Text | Shape::Number) {
            out.push(Entry { way: way.clone(), text: node.text().into_owned(), place: node.place() });
        }
        return;
    };
    match step {
        PatternStep::Key(key) => {
            if let Some(next) = node.get_named(key, names) {
                matching(next, rest, names, way, out);
            }
        }
        PatternStep::Entries if node.shape() != Shape::List => {
            way.push(0);
            matching(node, rest, names, way, out);
            way.pop();
        }
        PatternStep::At(at) => {
            if let Some(child) = node.children().nth(*at) {
                matching(child, rest, names, way, out);
            }
        }
        PatternStep::Entries | PatternStep::Values => {
            for (nth, child) in node.children().enumerate() {
                way.push(nth);
                matching(child, rest, names, way, out);
                way.pop();
            }
        }
        PatternStep::Keys => {
            for (nth, child) in node.children().enumerate() {
                let text = child.key().map_or("", |key| names.text(key)).to_owned();
                let place = Place { file: child.document().file(), span: child.key_span() };
                out.push(Entry { way: [way.as_slice(), &[nth]].concat(), text, place });
            }
        }
    }
}
