//! Values of several shapes in a game by chance: told by a word, by their shape, one or several, with names for numbers.

use super::games::Game;
use crate::dice::Dice;
use crate::document::{Draft, Format};

impl Game {
    /// Whether definitions have values of several shapes.
    pub(super) fn has_shapes(&self) -> bool {
        self.shapes && self.format != Format::Csv
    }

    /// Fields of several shapes.
    pub(super) fn fields_of_shapes(&self) -> &'static str {
        match self.has_shapes() {
            true => concat!(
                "\"home\" = { choose = \"is\", cases = { hole = \"hole\", tree = \"tree\" }, optional = true }\n",
                "\"acts[]\" = { choose = \"does\", cases = { bite = \"bite\", call = \"call\" }, optional = true }\n",
                "\"title\" = { type = \"text\", part = \"told\", optional = true }\n",
                "\"next[]\" = { type = \"text\", one = true, optional = true }\n",
                "\"level\" = { type = \"integer\", min = 1, called = { \"0\" = \"never\" }, optional = true }\n",
                "\"worth\" = { type = \"range\", split = \"-\", ends = [\"from\", \"to\"], optional = true }\n",
            ),
            false => "",
        }
    }

    /// The parts that these are made of.
    pub(super) fn parts(&self) -> &'static str {
        match self.has_shapes() {
            true => concat!(
                "[parts.hole.fields]\n\"deep\" = { type = \"integer\" }\n\"wet\" = { type = \"boolean\", default = false }\n",
                "[parts.tree.fields]\n\"sort\" = { type = \"text\" }\n",
                "[parts.bite.fields]\n\"force\" = { type = \"integer\" }\n",
                "[parts.call.fields]\n\"whom[]\" = { type = \"text\" }\n\"loud\" = { type = \"number\", default = 1 }\n",
                "[parts.told.fields]\n\"one\" = { type = \"text\" }\n\"many\" = { type = \"text\", optional = true }\n",
            ),
            false => "",
        }
    }

    /// Values of these shapes, in one definition.
    pub(super) fn with_shapes(&self, out: &mut Vec<(String, Draft)>, dice: &mut Dice) {
        let text = |text: &str| Draft::Text(text.to_owned());
        let table = |entries: &[(&str, Draft)]| {
            Draft::Table(entries.iter().map(|(key, value)| ((*key).to_owned(), value.clone())).collect())
        };
        if !self.has_shapes() {
            return;
        }
        if dice.chance(40) {
            let hole = table(&[("is", text("hole")), ("deep", Draft::integer(3))]);
            let tree = table(&[("is", text("tree")), ("sort", text("elm"))]);
            // where layers merge, what one case has would stay in the other
            let is_hole = dice.chance(50) || self.again == "merge";
            out.push(("home".to_owned(), if is_hole { hole } else { tree }));
        }
        if dice.chance(40) {
            let bite = table(&[("does", text("bite")), ("force", Draft::integer(2))]);
            let whom = Draft::List(vec![text("eel"), text("hen")]);
            let call = table(&[("does", text("call")), ("whom", whom)]);
            out.push(("acts".to_owned(), Draft::List(vec![bite, call])));
        }
        if dice.chance(40) {
            let told = table(&[("one", text("reed")), ("many", text("reeds"))]);
            out.push(("title".to_owned(), if dice.chance(50) { told } else { text("a reed") }));
        }
        if dice.chance(40) {
            let list = Draft::List(vec![text("dusk"), text("dawn")]);
            out.push(("next".to_owned(), if dice.chance(50) { list } else { text("noon") }));
        }
        if dice.chance(40) {
            out.push(("level".to_owned(), Draft::integer(if dice.chance(50) { 0 } else { 4 })));
        }
        if dice.chance(40) {
            let ends = table(&[("from", Draft::integer(2)), ("to", Draft::integer(5))]);
            let worth = match dice.roll(3) {
                0 => ends,
                1 => text("3-7"),
                _ => Draft::integer(4),
            };
            out.push(("worth".to_owned(), worth));
        }
    }
}

/// Assignments to these.
pub(super) const TO_SHAPES: [&str; 19] = [
    "home.deep=4",
    "home.sort=ash",
    "home={ is: tree, sort: oak }",
    "home.is=hole",
    "acts[0].force=5",
    "acts[1].loud=2",
    "acts[1].whom+=cow",
    "acts+={ does: bite, force: 7 }",
    "title=an eel",
    "title.one=eel",
    "title.many-",
    "title={ one: eel, many: eels }",
    "next=night",
    "next+=night",
    "next-=dusk",
    "level=never",
    "level=3",
    "worth=2-6",
    "worth[1]=9",
];
