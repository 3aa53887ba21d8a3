//! Effective values worked out a second time, in the plainest way: on random collections, in every set of layers, both
//! have to say the same. Nothing of the real views is used here: definitions are laid over each other as they were
//! thrown, parents first.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::World;
use crate::catalog::LayerSet;
use crate::document::Draft;
use crate::source::MemorySource;

const IDS: [&str; 4] = ["a", "b", "c", "d"];

/// The value of a field.
#[derive(Clone, PartialEq, Debug)]
enum Field {
    Number(i64),
    Table(BTreeMap<&'static str, i64>),
    Words(Vec<&'static str>),
    /// By what tells the entries apart.
    Entries(BTreeMap<&'static str, BTreeMap<&'static str, i64>>),
}

/// What a definition states, and its parent.
#[derive(Clone, PartialEq, Debug, Default)]
struct Stated {
    fields: BTreeMap<&'static str, Field>,
    like: Option<usize>,
}

/// The kinds, what a repeated id means in each, and when parents bind.
const KINDS: [(&str, &str, &str); 4] =
    [("m", "merge", "late"), ("r", "replace", "late"), ("v", "merge", "early"), ("w", "replace", "early")];

/// The definitions of one layer, by kind and id.
type Layer = BTreeMap<(usize, usize), Stated>;

fn fields() -> impl Strategy<Value = BTreeMap<&'static str, Field>> {
    let words = || prop::collection::btree_set(prop::sample::select(vec!["wet", "dry", "old"]), 1..3);
    let entry = prop::collection::btree_map(prop::sample::select(vec!["x", "y"]), 0i64..9, 0..3);
    let entries = || prop::collection::btree_map(prop::sample::select(vec!["reed", "peat"]), entry.clone(), 1..3);
    let one = prop_oneof![
        (0i64..9).prop_map(|number| ("n", Field::Number(number))),
        (0i64..9).prop_map(|number| ("k", Field::Number(number))),
        prop::collection::btree_map(prop::sample::select(vec!["p", "q"]), 0i64..9, 1..3)
            .prop_map(|table| ("t", Field::Table(table))),
        words().prop_map(|words| ("s", Field::Words(words.into_iter().collect()))),
        words().prop_map(|words| ("u", Field::Words(words.into_iter().collect()))),
        entries().prop_map(|entries| ("d", Field::Entries(entries))),
        entries().prop_map(|entries| ("e", Field::Entries(entries))),
    ];
    prop::collection::vec(one, 0..5).prop_map(|all| all.into_iter().collect())
}

fn layers() -> impl Strategy<Value = Vec<Layer>> {
    let stated = (fields(), prop::option::of(0usize..4)).prop_map(|(fields, like)| Stated { fields, like });
    let layer = prop::collection::btree_map((0usize..4, 0usize..4), stated, 0..9).prop_map(|mut layer| {
        // parents are earlier ids, so that there are no circles; its own continues what lies below
        for ((_, id), stated) in &mut layer {
            stated.like = stated.like.filter(|like| like <= id);
        }
        layer
    });
    prop::collection::vec(layer, 1..4)
}

/// One statement over another one. Lists of `u` and `e` are joined.
fn over(lower: &mut BTreeMap<&'static str, Field>, upper: &BTreeMap<&'static str, Field>) {
    for (name, field) in upper {
        match (lower.get_mut(name), field) {
            (Some(Field::Table(below)), Field::Table(above)) => below.extend(above),
            (Some(Field::Words(below)), Field::Words(above)) if *name == "u" => {
                let new: Vec<_> = above.iter().filter(|word| !below.contains(word)).copied().collect();
                below.extend(new);
            }
            (Some(Field::Entries(below)), Field::Entries(above)) if *name == "e" => {
                for (key, entry) in above {
                    below.entry(key).or_default().extend(entry);
                }
            }
            _ => drop(lower.insert(name, field.clone())),
        }
    }
}

/// What a definition states itself, all layers that are looked at together; none where nothing defines it.
fn own(layers: &[&Layer], at: (usize, usize)) -> Option<Stated> {
    let mut out: Option<Stated> = None;
    for stated in layers.iter().filter_map(|layer| layer.get(&at)) {
        let continues = stated.like == Some(at.1);
        let merges = KINDS[at.0].1 == "merge";
        out = match out {
            Some(mut below) if merges || continues => {
                over(&mut below.fields, &stated.fields);
                below.like = if continues { below.like } else { stated.like.or(below.like) };
                Some(below)
            }
            _ => Some(stated.clone()),
        };
    }
    out
}

/// What a definition shows.
fn shown(layers: &[&Layer], at: (usize, usize)) -> Option<BTreeMap<&'static str, Field>> {
    let own = own(layers, at)?;
    // parents that bind early are what they were with the layer that states the child last
    let last = layers.iter().rposition(|layer| layer.contains_key(&at)).filter(|_| KINDS[at.0].2 == "early");
    let known = last.map_or(layers, |last| &layers[..=last]);
    let parent = own.like.filter(|like| *like != at.1).and_then(|like| shown(known, (at.0, like)));
    let mut out = parent.unwrap_or_default();
    over(&mut out, &own.fields);
    Some(out)
}

fn table(entries: &BTreeMap<&'static str, i64>) -> Draft {
    Draft::Table(entries.iter().map(|(key, number)| ((*key).to_owned(), Draft::integer(*number))).collect())
}

fn draft(fields: &BTreeMap<&'static str, Field>) -> Draft {
    let value = |field: &Field| match field {
        Field::Number(number) => Draft::integer(*number),
        Field::Table(entries) => table(entries),
        Field::Words(words) => Draft::List(words.iter().map(|word| Draft::Text((*word).to_owned())).collect()),
        Field::Entries(entries) => Draft::List(
            entries
                .iter()
                .map(|(key, entry)| {
                    let mut out = vec![("of".to_owned(), Draft::Text((*key).to_owned()))];
                    out.extend(entry.iter().map(|(key, number)| ((*key).to_owned(), Draft::integer(*number))));
                    Draft::Table(out)
                })
                .collect(),
        ),
    };
    Draft::Table(fields.iter().map(|(name, field)| ((*name).to_owned(), value(field))).collect())
}

/// Keys and entries in one order, without the parent.
fn plain(draft: &Draft) -> String {
    match draft {
        Draft::Table(entries) => {
            let said = entries.iter().filter(|(key, _)| key != "like");
            let all: BTreeMap<&String, String> = said.map(|(key, value)| (key, plain(value))).collect();
            format!("{all:?}")
        }
        Draft::List(items) => {
            let mut items: Vec<String> = items.iter().map(plain).collect();
            items.sort();
            format!("{items:?}")
        }
        other => other.short(),
    }
}

fn source(layers: &[Layer]) -> MemorySource {
    let fields = "\"n\" = { type = \"integer\", optional = true }\n\"k\" = { type = \"integer\", optional = true }\n\
        \"t.p\" = { type = \"integer\", optional = true }\n\"t.q\" = { type = \"integer\", optional = true }\n\
        \"s[]\" = { type = \"text\", list = \"set\", optional = true }\n\
        \"u[]\" = { type = \"text\", list = \"set\", join = true, optional = true }\n\
        \"d[]\" = { list = \"keyed\", by = \"of\", optional = true }\n\"d[].of\" = { type = \"text\" }\n\
        \"d[].x\" = { type = \"integer\", optional = true }\n\"d[].y\" = { type = \"integer\", optional = true }\n\
        \"e[]\" = { list = \"keyed\", by = \"of\", join = true, optional = true }\n\"e[].of\" = { type = \"text\" }\n\
        \"e[].x\" = { type = \"integer\", optional = true }\n\"e[].y\" = { type = \"integer\", optional = true }\n";
    let mut rulebook =
        "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nrequires = \"needs[]\"\n".to_owned();
    for (kind, again, binds) in KINDS {
        rulebook += &format!("[[where]]\nfiles = \"{kind}.json\"\ncut = \"{{}}\"\nkind = \"{kind}\"\n");
        rulebook += &format!(
            "[kinds.{kind}]\nparent = \"like\"\nagain = \"{again}\"\nbinds = \"{binds}\"\n[kinds.{kind}.fields]\n{fields}"
        );
    }
    let mut source = MemorySource::default();
    source.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
    source.put("rulebook.toml", rulebook);
    for (nth, layer) in layers.iter().enumerate() {
        let folder = if nth == 0 { "base".to_owned() } else { format!("mods/l{nth}") };
        if nth > 0 {
            let needs: Vec<String> = (1..nth).map(|below| format!("\"l{below}\"")).collect();
            source.put(&format!("{folder}/mod.toml"), format!("id = \"l{nth}\"\nneeds = [{}]\n", needs.join(", ")));
        }
        for (kind, (name, ..)) in KINDS.into_iter().enumerate() {
            let of_kind = layer.iter().filter(|((of, _), _)| *of == kind);
            let definitions = of_kind.map(|((_, id), stated)| {
                let mut out = draft(&stated.fields);
                if let (Draft::Table(entries), Some(like)) = (&mut out, stated.like) {
                    entries.push(("like".to_owned(), Draft::Text(IDS[like].to_owned())));
                }
                (IDS[*id].to_owned(), out)
            });
            let all = Draft::Table(definitions.collect());
            source.put(&format!("{folder}/{name}.json"), crate::document::json_line(&all));
        }
    }
    source
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn views_show_what_the_plainest_way_shows(layers in layers(), chosen in any::<u8>()) {
        let source = source(&layers);
        let world = World::load(&source).unwrap();
        let catalog = world.catalog();
        for mask in [u8::MAX, chosen] {
            // the base is always there
            let is_in = |nth: usize| nth == 0 || mask & (1 << nth) != 0;
            let set: LayerSet = catalog.layers().map(|(id, _)| id).filter(|id| is_in(id.0 as usize)).collect();
            let seen: Vec<&Layer> = layers.iter().enumerate().filter(|(nth, _)| is_in(*nth)).map(|(_, layer)| layer).collect();
            let view = world.view().of(set);
            for (kind, (name, ..)) in KINDS.into_iter().enumerate() {
                let of = catalog.rulebook().kind_named(name).unwrap();
                for (id, word) in IDS.into_iter().enumerate() {
                    let real = catalog.address(of, word).and_then(|at| view.effective(at));
                    let real = real.map(|effective| plain(&effective.value.draft(catalog)));
                    let wanted = shown(&seen, (kind, id)).map(|fields| plain(&draft(&fields)));
                    prop_assert_eq!(real, wanted, "{}/{} in {:b}\n{:#?}", name, word, mask, layers);
                }
            }
        }
    }
}
