//! The texts of one mod, language by language: what is written, what is lacking, what has fallen behind.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalog::{Address, Catalog, FileRole, LayerId};
use crate::document::NodeRef;
use crate::effective::{View, World};
use crate::rulebook::{Reading, TextsRule};
use crate::source::Place;

/// The name of the file with what translations were made of, beside the workspace file.
pub const TRANSLATIONS_FILE: &str = "translations.csv";

/// What a translation was made of, by language and key: the original and the translation as they were then. The original of
/// a stub is empty: nobody has translated it.
pub type Originals = BTreeMap<(String, String), (String, String)>;

/// Where a text stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum TextState {
    /// It is written, and nothing speaks against it.
    Written,
    /// Nobody wrote it.
    Lacking,
    /// It is a stub: the original, put there to be translated.
    Stub,
    /// The original has changed since; what it was then.
    Older(String),
    /// It does not have the same tokens as the original: those that it lacks, and those that it has beside.
    Tokens(Vec<String>, Vec<String>),
}

/// One text of a mod in one language.
#[derive(Clone, Debug)]
pub struct TextRow {
    /// The key.
    pub key: String,
    /// The definition that it belongs to by its id, and its role there.
    pub of: Option<(Address, String)>,
    /// The text in the main language. Where the key itself is translated, the key.
    pub original: Option<String>,
    /// The text.
    pub text: Option<String>,
    /// Where it stands.
    pub place: Option<Place>,
    /// What there is to say of it.
    pub state: TextState,
    /// A text that belongs to the definition, but may be left out.
    pub optional: bool,
}

/// The texts of a mod in one language, sorted by key.
#[derive(Clone, Debug)]
pub struct LanguageTexts {
    /// The language.
    pub language: String,
    /// Whether it is the one that all others are made of.
    pub main: bool,
    /// The texts, those included that are lacking.
    pub rows: Vec<TextRow>,
}

/// All texts of a mod.
#[derive(Clone, Debug)]
pub struct ModTexts {
    /// The main language.
    pub main: String,
    /// The main language first, then all that the mod or what it stands on is written in, by name.
    pub languages: Vec<LanguageTexts>,
    /// Keys of the mod that no definition's id and no field leads to, with their places.
    pub unused: Vec<(String, Place)>,
}

/// The last text of a key in a language that says something.
fn last(view: &View<'_>, key: &str, language: &str) -> Option<(String, NodeRef)> {
    let catalog = view.catalog;
    let all = view.texts(key).filter(|(known, _)| *known == language);
    let said = all.map(|(_, at)| (catalog.node(at).text().into_owned(), at)).filter(|(text, _)| !text.is_empty());
    said.last()
}

/// Looks through the texts of a mod as they are read on its ground. Nothing where the rulebook knows of no texts.
pub fn mod_texts(world: &World, layer: LayerId, originals: &Originals) -> Option<ModTexts> {
    let catalog = &world.catalog;
    let rule = catalog.rulebook.texts.as_ref()?;
    let view = world.with_ground(layer);
    let ground = world.ground(layer);
    let translated = view.holds_originals(&rule.main);
    let used = Used::new(world, &view, layer);
    let own: Vec<(&str, &str, NodeRef)> =
        view.all_texts().filter(|(_, _, at)| catalog.file(at.file).layer == Some(layer)).collect();
    let in_main = |key: &str| match translated {
        true => Some(key.rsplit('\u{4}').next().unwrap_or(key).to_owned()),
        false => last(&view, key, &rule.main).map(|(text, _)| text),
    };
    let mut keys: BTreeSet<&str> = own.iter().map(|(key, ..)| *key).collect();
    // what the mod's own definitions are called by, unless somebody below wrote it
    let below = |key: &str| last(&ground, key, &rule.main).is_some();
    keys.extend(used.wanted.iter().map(String::as_str).filter(|key| translated || !below(key)));
    let mut languages: BTreeSet<&str> = view.all_texts().map(|(_, language, _)| language).collect();
    languages.remove(rule.main.as_str());
    let mut named: Vec<&str> = Vec::new();
    if !translated {
        named.push(&rule.main);
    }
    named.extend(languages);
    let row = |key: &str, language: &str| -> Option<TextRow> {
        let is_main = language == rule.main;
        let found = last(&view, key, language);
        let original = in_main(key);
        let of = used.of.get(key).map(|(address, role, _)| (*address, role.clone()));
        let optional = used.of.get(key).is_some_and(|(_, _, optional)| *optional);
        // what is not said in the main language is not there to be translated
        if found.is_none() && ((!is_main && original.is_none()) || (is_main && !used.wanted.contains(key))) {
            return None;
        }
        let state = match (&found, &original) {
            (None, _) => TextState::Lacking,
            (Some(_), _) if is_main => TextState::Written,
            (Some((text, _)), Some(original)) => state(rule, originals, (language, key), original, text),
            (Some(_), None) => TextState::Written,
        };
        let place = found.as_ref().map(|(_, at)| catalog.node(*at).place());
        Some(TextRow { key: key.to_owned(), of, original, text: found.map(|(t, _)| t), place, state, optional })
    };
    let languages = named.into_iter().map(|language| LanguageTexts {
        language: language.to_owned(),
        main: language == rule.main,
        rows: keys.iter().filter_map(|key| row(key, language)).collect(),
    });
    let languages = languages.collect();
    let mut unused: BTreeMap<&str, Place> = BTreeMap::new();
    for (key, _, at) in &own {
        // what a lower layer says already is said anew, whoever names it there
        if !used.all.contains(*key) && ground.texts(key).next().is_none() {
            unused.entry(key).or_insert_with(|| catalog.node(*at).place());
        }
    }
    let unused = unused.into_iter().map(|(key, place)| (key.to_owned(), place)).collect();
    Some(ModTexts { main: rule.main.clone(), languages, unused })
}

fn state(rule: &TextsRule, originals: &Originals, at: (&str, &str), original: &str, text: &str) -> TextState {
    let known = originals.get(&(at.0.to_owned(), at.1.to_owned()));
    // who changed the translation since has looked at it
    if let Some((then, _)) = known.filter(|(_, made)| made == text) {
        if then.is_empty() {
            return TextState::Stub;
        }
        if then != original {
            return TextState::Older(then.clone());
        }
    }
    let (wanted, has) = (tokens(rule, original), tokens(rule, text));
    let lacking: Vec<String> = wanted.difference(&has).cloned().collect();
    let more: Vec<String> = has.difference(&wanted).cloned().collect();
    match lacking.is_empty() && more.is_empty() {
        true => TextState::Written,
        false => TextState::Tokens(lacking, more),
    }
}

/// The tokens of a text, as they are written.
fn tokens(rule: &TextsRule, text: &str) -> BTreeSet<String> {
    let all = rule.token.iter().flat_map(|token| token.find_iter(text));
    all.map(|found| found.as_str().to_owned()).collect()
}

/// What leads to texts.
struct Used {
    /// Every key that a definition's id or a field leads to.
    all: BTreeSet<String>,
    /// The keys that players would see of what the mod itself defines.
    wanted: BTreeSet<String>,
    /// Whose text a key is by an id, its role, and whether it may be left out.
    of: BTreeMap<String, (Address, String, bool)>,
}

impl Used {
    fn new(world: &World, view: &View<'_>, layer: LayerId) -> Used {
        let catalog = &world.catalog;
        let mut used = Used { all: BTreeSet::new(), wanted: BTreeSet::new(), of: BTreeMap::new() };
        for (_, definition) in view.definitions() {
            let kind = catalog.rulebook.kind(definition.kind);
            let Some(address) = catalog.address_of(definition).filter(|_| !kind.texts.is_empty()) else { continue };
            let own = definition.layer == layer && view.is_new(definition) && !definition.is_abstract;
            for text in &kind.texts {
                let key = kind.filled(&text.template, catalog.names.text(address.id));
                if own && !text.optional {
                    used.wanted.insert(key.clone());
                }
                if definition.layer == layer {
                    used.of.insert(key.clone(), (address, text.role.clone(), text.optional));
                }
                used.all.insert(key);
            }
        }
        for (file, known) in catalog.files() {
            let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { continue };
            if !known.layer.is_some_and(|layer| view.contains(layer)) || matches!(known.role, FileRole::Texts(_)) {
                continue;
            }
            for mention in &harvest.mentions {
                let Reading::Key(template) = &catalog.rulebook.field_type(mention.wants).reading else { continue };
                let keys = catalog.keys_named(document, harvest, mention).into_iter().map(|word| template.fill(&word));
                for key in keys {
                    if known.layer == Some(layer) {
                        used.wanted.insert(key.clone());
                    }
                    used.all.insert(key);
                }
            }
        }
        used
    }
}

/// The address and role that a text's key belongs to, as people name it.
///
/// # Errors
/// Its kind has no such text; what it has instead.
pub fn text_key(catalog: &Catalog, address: Address, role: Option<&str>) -> Result<String, String> {
    let shown = catalog.show_address(address);
    let Some((_, definition)) = catalog.stack(address).last() else { return Err(format!("there is no `{shown}`")) };
    let kind = catalog.rulebook.kind(definition.kind);
    let roles: Vec<&str> = kind.texts.iter().map(|text| text.role.as_str()).collect();
    let all = roles.join(", ");
    let wanted = match (role, roles.as_slice()) {
        (Some(role), _) => role,
        (None, []) => {
            let label = kind
                .label
                .as_ref()
                .map(|field| format!("\n  help: its name stands in the definition: `cognomen set {shown} {field}=…`"));
            let message = format!("a {} has no texts by its id{}", kind.name(), label.unwrap_or_default());
            return Err(message);
        }
        (None, roles) => roles.iter().find(|role| **role == "name").or(roles.first()).copied().unwrap_or("name"),
    };
    kind.text_key(wanted, catalog.names.text(address.id)).ok_or_else(|| {
        let near = crate::nearest::nearest(wanted, roles.iter().copied());
        let near = near.map_or(format!("it has {all}"), |near| format!("the nearest is `{near}`"));
        format!("a {} has no text `{wanted}`\n  help: {near}", kind.name())
    })
}
