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
    let ids = |pattern: &Option<Pattern>| -> Vec<(String, Place)> {
        let nodes = pattern.as_ref().map(|pattern| matching(root, &pattern.0, names)).unwrap_or_default();
        let texts = nodes.into_iter().filter(|node| node.shape() == Shape::Text);
        texts.map(|node| (node.text().into_owned(), node.place())).collect()
    };
    let id = scalar(&rule.id);
    let made_for = rule.made_for.as_ref().and_then(|path| find(root, path, names));
    let versions = made_for.into_iter().flat_map(|node| match node.shape() {
        Shape::List => node.children().collect(),
        _ => vec![node],
    });
    let versions = versions.filter(|node| matches!(node.shape(), Shape::Text | Shape::Number));
    MadeManifest {
        manifest: Manifest {
            id: id.map(|node| node.text().into_owned()).unwrap_or_default(),
            name: text(&rule.name),
            version: text(&rule.version),
            requires: ids(&rule.requires),
            after: ids(&rule.after).into_iter().map(|(id, _)| id).collect(),
            made_for: versions.map(|node| node.text().into_owned()).collect(),
            made_for_place: made_for.map(Node::place),
        },
        id_place: id.map(Node::place),
    }
}

/// The nodes that a pattern leads to. A value where a list is meant counts as its only entry.
fn matching<'d>(node: Node<'d>, steps: &[PatternStep], names: &Names) -> Vec<Node<'d>> {
    let Some((step, rest)) = steps.split_first() else { return vec![node] };
    match step {
        PatternStep::Key(key) => match node.get_named(key, names) {
            Some(next) => matching(next, rest, names),
            None => Vec::new(),
        },
        PatternStep::Entries if node.shape() != Shape::List => matching(node, rest, names),
        PatternStep::At(at) => node.children().nth(*at).map_or(Vec::new(), |child| matching(child, rest, names)),
        PatternStep::Entries | PatternStep::Values | PatternStep::Keys => {
            node.children().flat_map(|child| matching(child, rest, names)).collect()
        }
    }
}
