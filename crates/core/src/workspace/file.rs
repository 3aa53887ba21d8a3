//! `cognomen.toml`: where the rulebook, the base and the mods are.

use super::edition::Edition;
use crate::document::{Document, Node, Shape};
use crate::names::Names;
use crate::own::{self, Key, OwnFault, Reading, Table, Takes};
use crate::said::said;
use crate::source::{Place, file_named};

/// The name of the workspace file.
pub const WORKSPACE_FILE: &str = "cognomen.toml";

static CLAIMS: Table = Table {
    path: "claims",
    about: "Tables in which a community keeps who has claimed which numbers, ids and themes. `cognomen ids` keeps clear of them, `cognomen ids --claims` compares them with the mod.",
    keys: &[
        Key { name: "file", takes: Takes::Text, needed: true, about: "The table: `.csv`, `.tsv` or `.xlsx`." },
        Key {
            name: "kind",
            takes: Takes::Text,
            needed: true,
            about: "What is claimed: a kind, or a field of one whose numbers are claimed, as `stock.shelf`.",
        },
        Key {
            name: "number",
            takes: Takes::Text,
            needed: false,
            about: "The column with the number, or the first of several.",
        },
        Key { name: "to", takes: Takes::Text, needed: false, about: "The column with the last of several numbers." },
        Key { name: "id", takes: Takes::Text, needed: false, about: "The column with an id." },
        Key {
            name: "by",
            takes: Takes::Text,
            needed: false,
            about: "The column that says whose it is: a mod's id or name.",
        },
        Key { name: "about", takes: Takes::Text, needed: false, about: "The column that says what it is for." },
    ],
    example: "[[claims]]\nfile = \"claims.csv\"\nkind = \"stock.shelf\"\nnumber = \"Shelf\"\nby = \"Mod\"\nabout = \"Theme\"\n",
};

static TOP: Table = Table {
    path: "cognomen.toml",
    about: "The workspace: one game, its base data and the mods. It is looked for in the current folder and the folders above it. Paths are relative to it, with forward slashes.",
    keys: &[
        Key { name: "cognomen", takes: Takes::Integer, needed: false, about: "The number of this format: 1." },
        Key {
            name: "rulebook",
            takes: Takes::Text,
            needed: true,
            about: "The rulebook: a TOML file, or a folder of them.",
        },
        Key {
            name: "base",
            takes: Takes::Texts,
            needed: true,
            about: "The folder with the game's own definitions, or a zip archive of them; several where the game comes in parts, the one that is loaded first at the front. It is never written to.",
        },
        Key {
            name: "mods",
            takes: Takes::Text,
            needed: true,
            about: "The folder in which each mod has its folder or its zip archive. Archives are read as they are.",
        },
        Key {
            name: "game",
            takes: Takes::Texts,
            needed: false,
            about: "The folder of the game itself, or several: where `cognomen install` puts mods, at the places that the rulebook describes. Nothing else in it is written to.",
        },
        Key {
            name: "order",
            takes: Takes::Texts,
            needed: false,
            about: "Ids of mods in load order. Requirements come first all the same; mods that are not listed load last, by id.",
        },
        Key {
            name: "alternatives",
            takes: Takes::Any,
            needed: false,
            about: "Lists of mods of which players load only one: `[[\"lean-winter\", \"mild-winter\"]]`. They are not held against each other; each is looked at in an order of its own.",
        },
        Key {
            name: "stands_on",
            takes: Takes::Table,
            needed: false,
            about: "What the game's manifests cannot say: the mods that each mod stands on, `{ wick-winter = [\"long-night\"] }`. They load before it, and it may use and change what they define.",
        },
        Key { name: "edit", takes: Takes::Text, needed: false, about: "The id of the mod that is being edited." },
        Key {
            name: "edition",
            takes: Takes::Text,
            needed: false,
            about: "The version of the base that is here. Without it, the one that the rulebook was written for.",
        },
        Key {
            name: "claims",
            takes: Takes::Tables,
            needed: false,
            about: "Tables of what others claim: numbers, ids, themes. See below.",
        },
        Key {
            name: "editions",
            takes: Takes::Table,
            needed: false,
            about: "Older editions of the base: under each version a folder or a zip archive, or several where the game comes in parts. `cognomen keep` makes one. What a mod means is taken against the edition it was made for.",
        },
    ],
    example: "cognomen = 1\nrulebook = \"rulebook\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"long-night\", \"first-steps\"]\nedit = \"first-steps\"\nedition = \"1.2\"\n\n[editions]\n\"1.1\" = \"editions/1.1.zip\"\n",
};

/// The content of a workspace file.
#[derive(Clone, Debug, Default)]
pub struct WorkspaceFile {
    /// The rulebook's file or folder.
    pub rulebook: String,
    /// The folders or archives of the base, the lowest first.
    pub base: Vec<String>,
    /// The folder of the mods.
    pub mods: String,
    /// Where it is named.
    pub mods_place: Place,
    /// The folders of the game, into which mods are installed.
    pub game: Vec<String>,
    /// Mods in load order, with the places where they are named.
    pub order: Vec<(String, Place)>,
    /// Mods of which only one is loaded, with the places where they are named.
    pub alternatives: Vec<Vec<(String, Place)>>,
    /// What mods stand on beside what their manifests say.
    pub stands_on: Vec<StandsOn>,
    /// The mod being edited.
    pub edit: Option<(String, Place)>,
    /// The version of the base, where the file says it.
    pub edition: Option<String>,
    /// Older editions of the base that are kept.
    pub editions: Vec<Edition>,
    /// Tables of what others claim.
    pub claims: Vec<Claims>,
}

/// What a mod stands on.
#[derive(Clone, Debug)]
pub struct StandsOn {
    /// The mod, and where it is named.
    pub mod_id: (String, Place),
    /// The mods that it stands on, and where they are named.
    pub others: Vec<(String, Place)>,
}

/// A table of what others claim, and what its columns are.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Claims {
    /// The file, below the workspace.
    pub file: String,
    /// A kind, or a field of one.
    pub kind: String,
    /// The column with the number, or the first of several.
    pub number: Option<String>,
    /// The column with the last of several.
    pub to: Option<String>,
    /// The column with the id.
    pub id: Option<String>,
    /// The column that says whose it is.
    pub by: Option<String>,
    /// The column that says what it is for.
    pub about: Option<String>,
}

/// Reads a workspace file; what is missing is empty and a fault.
pub fn read_workspace_file(document: &Document, names: &Names, faults: &mut Vec<OwnFault>) -> WorkspaceFile {
    faults.extend(own::syntax(document));
    if document.is_broken() || !own::format_number(document, "cognomen", names, faults) {
        return WorkspaceFile::default();
    }
    let table = Reading::new(document.root(), &TOP, names, faults);
    let mut paths = |key: &str, texts: Vec<(String, Node<'_>)>| {
        let mut folder = |(text, node): (String, Node<'_>)| {
            if text.contains('\\') {
                faults.push(own::fault(node.place(), "paths are written with forward slashes").help(Some(said!(
                    "`{key} = \"{replace}\"`",
                    key,
                    replace = text.replace('\\', "/")
                ))));
            }
            text.trim_end_matches('/').trim_start_matches("./").to_owned()
        };
        texts.into_iter().map(&mut folder).filter(|path| !path.is_empty()).collect::<Vec<String>>()
    };
    let mut editions = Vec::new();
    for child in table.get("editions").filter(|node| node.shape() == Shape::Table).into_iter().flat_map(Node::children)
    {
        let Some(name) = child.key().map(|key| names.text(key).to_owned()) else { continue };
        let base = paths(&format!("\"{name}\""), own::texts(child));
        let place = Place { file: document.file(), span: child.key_span() };
        editions.push(Edition { name, base, place });
    }
    let mut folders = |key: &str| paths(key, table.texts(key));
    let one_of = |list: Node<'_>| own::texts(list).into_iter().map(|(id, node)| (id, node.place())).collect();
    let stated = table.get("alternatives");
    // one list of mods is as good as a list of one
    let alternatives: Vec<Vec<(String, Place)>> = match stated {
        Some(list) if list.children().any(|entry| entry.shape() == Shape::List) => {
            list.children().map(one_of).collect()
        }
        Some(list) => vec![one_of(list)],
        None => Vec::new(),
    };
    let of_mod = |entry: Node<'_>| {
        let place = Place { file: document.file(), span: entry.key_span() };
        let id = entry.key().map_or("", |key| names.text(key)).to_owned();
        StandsOn { mod_id: (id, place), others: one_of(entry) }
    };
    let stands_on = table.get("stands_on").into_iter().flat_map(Node::children).map(of_mod).collect();
    let one = |folders: Vec<String>| folders.into_iter().next().unwrap_or_default();
    let mut workspace = WorkspaceFile {
        rulebook: one(folders("rulebook")),
        base: folders("base"),
        game: folders("game"),
        mods: one(folders("mods")),
        mods_place: table.get("mods").map(Node::place).unwrap_or_default(),
        order: table.texts("order").into_iter().map(|(id, node)| (id, node.place())).collect(),
        alternatives,
        stands_on,
        edit: table.get("edit").and_then(|node| Some((table.text("edit")?, node.place()))),
        edition: table.text("edition"),
        editions,
        claims: Vec::new(),
    };
    let listed = table.get("claims").map(|list| list.children().collect::<Vec<_>>()).unwrap_or_default();
    for node in listed.into_iter().filter(|node| node.shape() == Shape::Table) {
        let claims = Reading::new(node, &CLAIMS, names, faults);
        workspace.claims.push(Claims {
            file: claims.text("file").unwrap_or_default(),
            kind: claims.text("kind").unwrap_or_default(),
            number: claims.text("number"),
            to: claims.text("to"),
            id: claims.text("id"),
            by: claims.text("by"),
            about: claims.text("about"),
        });
    }
    for edition in workspace.editions.iter().filter(|edition| edition.base.is_empty()) {
        faults.push(
            own::fault(edition.place, said!("the edition `{name}` names no folder or archive", name = edition.name))
                .help(Some(said!("`\"{name}\" = \"editions/{name}.zip\"`", name = edition.name))),
        );
    }
    faults.extend(out_of_place(&workspace));
    workspace
}

/// What a workspace file names that cannot be so: mods in the base, editions that cannot name a file.
fn out_of_place(workspace: &WorkspaceFile) -> Vec<OwnFault> {
    let mut faults = Vec::new();
    let parts = |path: &str| -> Vec<String> {
        let parts = path.split('/').filter(|part| !matches!(*part, "" | "."));
        parts.map(str::to_lowercase).collect()
    };
    let mods = parts(&workspace.mods);
    for base in &workspace.base {
        let base_parts = parts(base);
        if mods.starts_with(&base_parts) || base_parts.starts_with(&mods) && !mods.is_empty() {
            let message = said!(
                "the mods' folder `{mods}` and the base `{base}` lie in each other; the base is never written to",
                mods = workspace.mods,
                base
            );
            faults.push(own::fault(workspace.mods_place, message).help(Some("give the mods a folder of their own")));
        }
    }
    for edition in &workspace.editions {
        if let Err(reason) = file_named(&edition.name) {
            let message =
                said!("the edition `{name}` cannot name a file on every system: {reason}", name = edition.name, reason);
            faults.push(own::fault(edition.place, message));
        }
    }
    faults
}

/// The keys of the workspace file, as Markdown.
pub fn workspace_reference() -> String {
    let others = [super::accepted::reference(), super::notes::reference()];
    format!("{}\n{}", own::reference(&[&TOP, &CLAIMS]), others.join("\n"))
}
