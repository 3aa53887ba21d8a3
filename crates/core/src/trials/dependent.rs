//! Fields by chance that depend on each other: some exist for one sort only, some exclude each other, two are the ends of a
//! range.

use super::games::Game;
use crate::catalog::Address;
use crate::dice::Dice;
use crate::document::Draft;
use crate::effective::World;

/// Assignments that move what others depend on, or are moved by it.
pub(super) const LINES: [&str; 12] = [
    "cut=long",
    "cut=plain",
    "cut-",
    "deep=4",
    "deep-",
    "flat=2",
    "flat-",
    "hue=red",
    "hue-",
    "dye=weld",
    "least=3",
    "most=9",
];

impl Game {
    /// The fields, and what a kind demands of them.
    pub(super) fn dependent_fields(&self, kind: &str) -> (String, String) {
        if !self.depends {
            return (String::new(), String::new());
        }
        let fields = concat!(
            "\"cut\" = { type = \"choice\", words = [\"plain\", \"long\"], default = \"plain\" }\n",
            "\"deep\" = { type = \"integer\", only = { cut = \"long\" } }\n",
            "\"flat\" = { type = \"integer\", optional = true, only = { cut = \"plain\" } }\n",
            "\"hue\" = { type = \"text\", optional = true }\n\"dye\" = { type = \"text\", optional = true }\n",
            "\"least\" = { type = \"integer\", default = 1 }\n\"most\" = { type = \"integer\", default = 5 }\n",
        );
        let group = |says: &str| format!("[[kinds.{kind}.groups]]\n{says}\n");
        let groups = group("at_most_one = [\"hue\", \"dye\"]") + &group("range = [\"least\", \"most\"]");
        (fields.to_owned(), groups)
    }

    /// What a definition says of them.
    pub(super) fn with_dependent(&self, out: &mut Vec<(String, Draft)>, dice: &mut Dice) {
        if self.depends && dice.chance(50) {
            out.push(("flat".to_owned(), Draft::integer(3)));
        }
        if self.depends && dice.chance(40) {
            out.push(("hue".to_owned(), Draft::Text("ochre".to_owned())));
        }
    }
}

/// What does not go together in a definition, in the words that are told.
pub(super) fn amiss(world: &World, address: Address) -> Vec<String> {
    let catalog = world.catalog();
    let Some(effective) = world.view().effective(address) else { return Vec::new() };
    let mut out = Vec::new();
    for table in effective.tables(catalog) {
        for (path, _, amiss) in effective.of_another_sort(catalog, &table) {
            out.push(amiss.said(catalog, address, &table, &path).to_string());
        }
        for group in catalog.rulebook().kind(effective.kind).groups.iter().filter(|group| table.is_of(group)) {
            out.extend(
                table.amiss(catalog, group).map(|amiss| amiss.said(catalog, address, &table, &table.path).to_string()),
            );
        }
    }
    out
}
