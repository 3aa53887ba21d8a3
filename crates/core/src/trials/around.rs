//! What stands around the definitions of a game by chance: the texts that players see, and groups of definitions.

use super::games::{Cut, Game, Named};
use crate::dice::Dice;
use crate::document::{Draft, Format, Notation, Step, whole};
use crate::names::Names;

/// Where a game keeps the texts that players see.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Texts {
    Nowhere,
    /// A file for each language, with lines of key and text.
    Lines(Format),
    /// The same in tables that stand in each other.
    Nested(Format),
    /// Rows with a column for each language.
    Columns,
    /// Rows of key and text, in a file for each language.
    Rows,
}

impl Texts {
    pub(super) fn roll(dice: &mut Dice) -> Texts {
        match dice.roll(10) {
            8 => Texts::Nested([Format::Json, Format::Toml, Format::Yaml][dice.roll(3) as usize]),
            0 => Texts::Lines(Format::Json),
            1 => Texts::Lines(Format::Toml),
            2 => Texts::Lines(Format::Yaml),
            3 => Texts::Columns,
            4 => Texts::Rows,
            _ => Texts::Nowhere,
        }
    }
}

impl Game {
    /// What the rulebook says of texts.
    pub(super) fn texts_rule(&self) -> String {
        match self.texts {
            Texts::Nowhere => String::new(),
            Texts::Lines(one) => {
                format!("[texts]\nfiles = \"words/{{language}}.{}\"\nmain = \"en\"\n", ending(one))
            }
            Texts::Nested(one) => {
                format!("[texts]\nfiles = \"words/{{language}}.{}\"\nnested = \".\"\nmain = \"en\"\n", ending(one))
            }
            Texts::Columns => "[texts]\nfiles = \"words/*.csv\"\nkey = \"key\"\nmain = \"en\"\n".to_owned(),
            Texts::Rows => {
                "[texts]\nfiles = \"words/{language}/*.csv\"\nkey = \"key\"\ntext = \"said\"\nmain = \"en\"\n"
                    .to_owned()
            }
        }
    }

    /// Which texts a good has.
    pub(super) fn texts_of_goods(&self) -> &'static str {
        match self.texts {
            Texts::Nowhere => "",
            _ => "texts = { name = \"good.{id}.name\", more = { key = \"good.{id}.more\", optional = true } }\n",
        }
    }

    /// The field that names a definition's own text.
    pub(super) fn calling_field(&self) -> String {
        match (self.texts, self.calls) {
            (Texts::Nowhere, _) | (_, "") => String::new(),
            (_, form) => format!("\"called\" = {{ text = \"good.*.name\", form = \"{form}\", optional = true }}\n"),
        }
    }

    /// What a definition says in it.
    pub(super) fn called(&self, word: &str, dice: &mut Dice) -> Option<(String, Draft)> {
        let says = !self.calling_field().is_empty() && dice.chance(50);
        says.then(|| ("called".to_owned(), Draft::Text(self.calls.replace("{id}", &self.id(word)))))
    }

    /// The texts of some definitions, in files below a layer's folder.
    pub(super) fn texts_for(&self, ids: &[String], file: &str, dice: &mut Dice) -> Vec<(String, String)> {
        let mut all: Vec<(String, &str, String)> = Vec::new();
        for id in ids {
            all.push((format!("good.{id}.name"), "en", format!("The {id}")));
            if dice.chance(50) {
                all.push((format!("good.{id}.name"), "fr", format!("Le {id}, vert")));
            }
            if dice.chance(30) {
                all.push((format!("good.{id}.more"), "en", format!("Good {id}: \"dry\"")));
            }
        }
        let names = Names::default();
        let text = |text: &str| Draft::Text(text.to_owned());
        let of = |wanted: &str| -> Vec<(String, String)> {
            all.iter().filter(|(_, of, _)| *of == wanted).map(|(key, _, text)| (key.clone(), text.clone())).collect()
        };
        let mut out = Vec::new();
        match self.texts {
            Texts::Nowhere => {}
            Texts::Lines(format) => {
                for language in ["en", "fr"] {
                    let lines = of(language).into_iter().map(|(key, said)| (key, Draft::Text(said))).collect();
                    let path = format!("words/{language}.{}", ending(format));
                    out.push((path, whole(&Notation::from(format), &[], &Draft::Table(lines), &names).unwrap()));
                }
            }
            Texts::Nested(format) => {
                for language in ["en", "fr"] {
                    let mut draft = Draft::Table(Vec::new());
                    for (key, said) in of(language) {
                        let way: Vec<Step> = key.split('.').map(|word| Step::Key(word.to_owned())).collect();
                        draft.put_at(&way, Draft::Text(said));
                    }
                    let path = format!("words/{language}.{}", ending(format));
                    let text = whole(&Notation::from(format), &[], &draft, &names).unwrap();
                    out.extend((draft != Draft::Table(Vec::new())).then_some((path, text)));
                }
            }
            Texts::Rows => {
                for language in ["en", "fr"] {
                    let row = |(key, said): (String, String)| {
                        Draft::Table(vec![("key".to_owned(), Draft::Text(key)), ("said".to_owned(), Draft::Text(said))])
                    };
                    let rows = of(language).into_iter().map(row).collect();
                    let path = format!("words/{language}/{file}.csv");
                    out.push((path, whole(&Notation::from(Format::Csv), &[], &Draft::List(rows), &names).unwrap()));
                }
            }
            Texts::Columns => {
                let row = |(key, said): (String, String)| {
                    let other = all.iter().find(|(known, of, _)| *known == key && *of == "fr");
                    let other = other.map_or(Draft::Null, |(.., said)| text(said));
                    let cells = [("key", Draft::Text(key)), ("en", Draft::Text(said)), ("fr", other)];
                    Draft::Table(cells.map(|(name, value)| (name.to_owned(), value)).to_vec())
                };
                let rows = of("en").into_iter().map(row).collect();
                let path = format!("words/{file}.csv");
                out.push((path, whole(&Notation::from(Format::Csv), &[], &Draft::List(rows), &names).unwrap()));
            }
        }
        out.retain(|(_, text)| !text.trim().is_empty());
        out
    }

    /// What the rulebook says of groups, written as the goods are.
    pub(super) fn groups_rule(&self) -> String {
        if !self.groups {
            return String::new();
        }
        let ending = self.group_ending();
        let (cut, id, who) = match self.group_format() {
            Format::Xml => ("herds.herd[]", "@id", ""),
            Format::Csv => ("[]", "id", ", split = \" \""),
            Format::Described => ("herd[]", "id", ""),
            Format::Toml => ("{}", "key", ""),
            _ => ("herds[]", "id", ""),
        };
        let notation = if self.group_format() == Format::Described { "notation = \"head\"\n" } else { "" };
        let id_field = if id == "key" { String::new() } else { format!("name = \"{id}\"\n") };
        let again = if self.groups_merge { "merge" } else { "replace" };
        format!(
            "[[where]]\nfiles = \"herds/*.{ending}\"\ncut = \"{cut}\"\n{notation}kind = \"herd\"\n\
             [kinds.herd]\n{id_field}again = \"{again}\"\nmembers = \"who[]\"\n[kinds.herd.fields]\n\
             \"who\" = {{ list = \"set\", join = true, optional = true{who} }}\n\
             \"who[]\" = {{ link = [\"good\", \"herd\"] }}\n"
        )
    }

    /// The field by which a good joins a group itself.
    pub(super) fn joining(&self) -> &'static str {
        match (self.groups, self.format) {
            (false, _) => "",
            (true, _) if self.bare => "",
            (true, Format::Csv) => {
                "\"herds\" = { list = \"set\", split = \" \", optional = true }\n\"herds[]\" = { link = \"herd\", joins = true }\n"
            }
            (true, _) => {
                "\"herds\" = { list = \"set\", join = true, optional = true }\n\"herds[]\" = { link = \"herd\", joins = true }\n"
            }
        }
    }

    fn group_format(&self) -> Format {
        // rows without a header, and blocks in other texts, are the goods' alone
        if self.bare || self.cut == Cut::Block { Format::Json } else { self.format }
    }

    fn group_ending(&self) -> &'static str {
        ending(self.group_format())
    }

    /// Groups of the base: one with some goods, one that holds this one.
    pub(super) fn herds(&self, dice: &mut Dice) -> Vec<(String, String)> {
        if !self.groups {
            return Vec::new();
        }
        let text = |text: &str| Draft::Text(text.to_owned());
        let members: Vec<String> =
            super::games::IDS.iter().filter(|_| dice.chance(60)).map(|word| self.written(word)).collect();
        let list = |words: &[String]| match self.group_format() {
            Format::Csv => Draft::Text(words.join(" ")),
            _ => Draft::List(words.iter().map(|word| text(word)).collect()),
        };
        let id = if self.group_format() == Format::Xml { "@id" } else { "id" };
        let one = |name: &str, words: &[String]| {
            let mut entries = vec![(id.to_owned(), text(name))];
            if !words.is_empty() {
                entries.push(("who".to_owned(), list(words)));
            }
            Draft::Table(entries)
        };
        let all = vec![one("wet", &members), one("all", &["wet".to_owned()])];
        let table = |key: &str, inner: Draft| Draft::Table(vec![(key.to_owned(), inner)]);
        let (notation, draft) = match self.group_format() {
            Format::Csv => (Notation::from(Format::Csv), Draft::List(all)),
            Format::Xml => (Notation::from(Format::Xml), table("herds", table("herd", Draft::List(all)))),
            Format::Described => (self.notation(), table("herd", Draft::List(all))),
            Format::Toml => {
                let keyed = |draft: Draft| {
                    let Draft::Table(mut entries) = draft else { return (String::new(), Draft::Null) };
                    let (_, id) = entries.remove(0);
                    (id.word().unwrap_or_default(), Draft::Table(entries))
                };
                (Notation::from(Format::Toml), Draft::Table(all.into_iter().map(keyed).collect()))
            }
            format => (Notation::from(format), table("herds", Draft::List(all))),
        };
        let text = whole(&notation, &[], &draft, &Names::default()).unwrap();
        vec![(format!("herds/all.{}", self.group_ending()), text)]
    }

    /// Whether ids can stand in lists of other files, and in the lines of the format.
    pub(super) fn can_be_grouped(&self) -> bool {
        !self.scoped && (self.format != Format::Described || !matches!(self.named, Named::Template | Named::Owned))
    }
}

pub(super) fn ending(format: Format) -> &'static str {
    match format {
        Format::Json => "json",
        Format::Yaml => "yaml",
        Format::Toml => "toml",
        Format::Xml => "xml",
        Format::Described => "txt",
        _ => "csv",
    }
}
