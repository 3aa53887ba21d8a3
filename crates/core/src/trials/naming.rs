//! What definitions of a game by chance say of others, and how they name them.

use super::games::{Game, IDS, Named};
use crate::dice::Dice;
use crate::document::{Draft, Format};

impl Game {
    /// Fields that name other definitions: one id, a packed list, entries with more than the id, the keys of a map.
    pub(super) fn fields_that_name(&self) -> String {
        let form = match self.form {
            "" => String::new(),
            "@{id}" => ", form = \"@{id}\"".to_owned(),
            form => format!(", form = [\"{{id}}\", \"{form}\"]"),
        };
        let near = format!("\"near\" = {{ link = \"good\"{form}, optional = true }}\n");
        let mix = concat!(
            "\"mix\" = { split = \",\", list = \"set\", optional = true }\n",
            "\"mix[]\" = { type = \"tuple\", split = \"*\" }\n",
            "\"mix[][0]\" = { link = \"good\" }\n\"mix[][1]\" = { type = \"integer\" }\n",
        );
        let deep = match self.format {
            Format::Csv => String::new(),
            _ => concat!(
                "\"gives[]\" = { list = \"keyed\", by = \"what\", optional = true }\n",
                "\"gives[].what\" = { link = \"good\" }\n\"gives[].many\" = { type = \"integer\", default = 1 }\n",
                "\"steps[]\" = { optional = true }\n\"steps[].with\" = { link = \"good\" }\n",
                "\"steps[].long\" = { type = \"integer\", optional = true }\n",
            )
            .to_owned(),
        };
        let feeds = match self.keys_can_be_ids() {
            true => "\"feeds{key}\" = { link = \"good\" }\n\"feeds{}\" = { type = \"integer\", optional = true }\n",
            false => "",
        };
        format!("{near}{mix}{deep}{feeds}")
    }

    /// Whether the keys of a map can be ids: there are maps, and keys may have the signs of ids.
    pub(super) fn keys_can_be_ids(&self) -> bool {
        let odd = matches!(self.named, Named::Path | Named::Template | Named::Owned);
        match self.format {
            Format::Csv => false,
            Format::Xml | Format::Described => !odd,
            _ => true,
        }
    }

    /// An id as it is written where another definition names it.
    pub(super) fn written(&self, word: &str) -> String {
        self.bare(&self.id(word))
    }

    /// An id without the folder in which it holds.
    pub(super) fn bare(&self, id: &str) -> String {
        if self.scoped { id.trim_start_matches("data/").to_owned() } else { id.to_owned() }
    }

    /// What names other definitions, in one of these.
    pub(super) fn names_others(&self, out: &mut Vec<(String, Draft)>, dice: &mut Dice) {
        let text = |text: String| Draft::Text(text);
        let other = |dice: &mut Dice| self.written(dice.of(&IDS));
        if dice.chance(40) {
            let other = other(dice);
            let bare = self.form != "@{id}" && dice.chance(50);
            let near = match self.form {
                "@{id}" => format!("@{other}"),
                "{id}@*" if !bare => format!("{other}@fen"),
                _ => other,
            };
            out.push(("near".to_owned(), text(near)));
        }
        if dice.chance(40) {
            let mix = [self.written("peat"), self.written("alder")];
            out.push(("mix".to_owned(), text(format!("{}*2,{}*1", mix[0], mix[1]))));
        }
        if self.format != Format::Csv && dice.chance(40) {
            let entry = |what: String| Draft::Table(vec![("what".to_owned(), text(what))]);
            let gives = vec![entry(self.written("reed")), entry(self.written("alder"))];
            out.push(("gives".to_owned(), Draft::List(gives)));
        }
        if self.format != Format::Csv && dice.chance(30) {
            let step = |with: String, long: i64| {
                let long = (long > 0).then(|| ("long".to_owned(), Draft::integer(long)));
                Draft::Table([("with".to_owned(), text(with))].into_iter().chain(long).collect())
            };
            let steps = vec![step(other(dice), 2), step(other(dice), 0)];
            out.push(("steps".to_owned(), Draft::List(steps)));
        }
        if self.keys_can_be_ids() && dice.chance(40) {
            out.push(("feeds".to_owned(), Draft::Table(vec![(other(dice), Draft::integer(3))])));
        }
    }
}
