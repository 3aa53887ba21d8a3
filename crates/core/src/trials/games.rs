//! Games by chance: how their files are cut, how kinds and ids are told, what the same id means again, and how values
//! are written.
//! Long because a game is rolled, described and written in one place, which have to agree.

use super::around::{Texts, ending};
use super::by_hand::{bound, texts_of};
use super::load;
use crate::dice::Dice;
use crate::document::{Draft, Format, Marks, Notation, Rows, Step, whole};
use crate::names::Names;
use crate::rulebook::Severity;
use crate::source::MemorySource;

/// How definitions lie in files.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Cut {
    /// Entries of a list in the file.
    List,
    /// Values of a table in the file.
    Table,
    /// The file is one.
    Whole,
    /// The file is one, between marks in another text.
    Block,
}

/// How the kind of a definition is told.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Told {
    /// By where it stands.
    Place,
    /// By a word in a field.
    Field,
    /// By the folder.
    Folder,
    /// By a test of its place.
    Test,
}

/// How it gets its id.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Named {
    Key,
    Field,
    Stem,
    Path,
    Template,
    /// By words of the file's path, in capital letters.
    Made,
    /// By the mod's id and what else would name it.
    Owned,
}

/// A game's notation.
#[derive(Clone, Debug)]
pub(super) struct Game {
    pub(super) format: Format,
    pub(super) cut: Cut,
    pub(super) told: Told,
    pub(super) named: Named,
    pub(super) again: &'static str,
    pub(super) shadows: bool,
    pub(super) parent: bool,
    pub(super) units: bool,
    pub(super) packed: bool,
    pub(super) marks: bool,
    pub(super) joined: bool,
    pub(super) words: bool,
    pub(super) operations: bool,
    /// Whether all definitions of a mod are read from one file alone.
    pub(super) one_file: bool,
    /// Which lines a described notation has.
    pub(super) lines: u64,
    /// Whether ids hold within a folder, of which the base has two with the same ids.
    pub(super) scoped: bool,
    /// Whether a definition can take away what lies below it.
    pub(super) removes: bool,
    /// Whether some of what stands in files counts for nothing.
    pub(super) inert: bool,
    /// Whether no row holds the names of the columns.
    pub(super) bare: bool,
    /// Whether a field holds the id once more.
    pub(super) repeats: bool,
    /// Whether an element has a text of its own beside others.
    pub(super) told_within: bool,
    /// Whether values have several shapes.
    pub(super) shapes: bool,
    /// Whether definitions name others.
    pub(super) uses: bool,
    /// How ids are written where one names another.
    pub(super) form: &'static str,
    /// Where the texts are that players see.
    pub(super) texts: Texts,
    /// Whether there are groups of goods.
    pub(super) groups: bool,
    /// Whether what several layers say of a group comes together.
    pub(super) groups_merge: bool,
    /// Whether a mod's id is the name of its folder.
    pub(super) by_folder: bool,
    /// Whether what several values in one text say has names, by the first of which it is told apart.
    pub(super) placed: bool,
    /// Whether fields depend on each other.
    pub(super) depends: bool,
    /// How a field names a definition's own text, if one does.
    pub(super) calls: &'static str,
    /// Whether rows stand in a sheet of a workbook.
    pub(super) book: bool,
}

/// The columns of rows without a header.
const COLUMNS: [&str; 14] =
    ["id", "fam", "var", "sort", "off", "own", "like", "gone", "called", "pay", "says", "wet", "near", "mix"];

/// The ids of a game's base.
pub(super) const IDS: [&str; 4] = ["peat", "reed", "sedge", "alder"];

/// The mod in which a word names a definition.
fn owner_of(word: &str) -> &'static str {
    match word {
        "heath" => "fen",
        _ if IDS.contains(&word) || word == "bog" => "base",
        _ => "yard",
    }
}

impl Game {
    pub(super) fn roll(dice: &mut Dice) -> Game {
        let pick = |dice: &mut Dice, many: u64| dice.roll(many);
        let format = match pick(dice, 6) {
            5 => Format::Described,
            0 => Format::Json,
            1 => Format::Yaml,
            2 => Format::Toml,
            3 => Format::Xml,
            _ => Format::Csv,
        };
        let cut = match (format, pick(dice, 4)) {
            // rows are entries of a list
            (Format::Csv | Format::Described, _) => Cut::List,
            (Format::Xml, 0..=1) => Cut::List,
            (Format::Xml, 2) | (_, 2) => Cut::Whole,
            (Format::Toml, _) => Cut::Table,
            (_, 3) => Cut::Block,
            (_, 0) => Cut::List,
            _ => Cut::Table,
        };
        let one_a_file = matches!(cut, Cut::Whole | Cut::Block);
        let named = match (cut, pick(dice, 4)) {
            (Cut::Table, 0..=2) => Named::Key,
            (Cut::Whole | Cut::Block, 0) => Named::Stem,
            (Cut::Whole | Cut::Block, 1) => Named::Path,
            (Cut::Whole | Cut::Block, 2) => Named::Made,
            (Cut::List, 3) => Named::Template,
            _ => Named::Field,
        };
        let told = match pick(dice, 4) {
            0 => Told::Field,
            1 if one_a_file => Told::Folder,
            2 => Told::Test,
            _ => Told::Place,
        };
        let again = ["merge", "replace", "replace", "variant"][pick(dice, 4) as usize];
        let shadows = again == "replace" && dice.chance(25);
        let bare = format == Format::Csv && dice.chance(50);
        let one_file = !one_a_file && told != Told::Folder && dice.chance(25);
        let mut game = Game {
            format,
            cut,
            told,
            named,
            again: if shadows { "replace" } else { again },
            shadows,
            parent: dice.chance(50),
            units: dice.chance(40),
            packed: format == Format::Csv && !bare || dice.chance(40),
            marks: dice.chance(40),
            joined: dice.chance(50),
            words: dice.chance(40),
            operations: format != Format::Csv && dice.chance(30),
            scoped: told != Told::Folder && named != Named::Path && !one_file && dice.chance(25),
            one_file,
            lines: pick(dice, 3),
            removes: dice.chance(30),
            inert: dice.chance(25),
            bare,
            repeats: matches!(named, Named::Key | Named::Stem) && dice.chance(40),
            told_within: format == Format::Xml && dice.chance(30),
            shapes: dice.chance(50),
            uses: dice.chance(60),
            form: dice.of(&["", "@{id}", "{id}@*"]),
            texts: Texts::roll(dice),
            groups: dice.chance(40),
            groups_merge: dice.chance(50),
            by_folder: dice.chance(25),
            placed: dice.chance(50),
            depends: format != Format::Csv && dice.chance(40),
            calls: dice.of(&["", "", "{id}", "@{id}"]),
            book: false,
        };
        game.groups &= game.can_be_grouped();
        let plain = matches!(game.named, Named::Key | Named::Field | Named::Stem) && !game.repeats;
        if plain && !game.shadows && !game.scoped && dice.chance(20) {
            game.named = Named::Owned;
        }
        // a workbook is a folder of its sheets
        game.book = game.format == Format::Csv && !game.scoped && dice.chance(40);
        game
    }

    pub(super) fn rulebook(&self) -> String {
        let ending = self.ending();
        let (cut, block) = match (self.cut, self.format) {
            (Cut::List, Format::Xml) => ("cut = \"goods.good[]\"\n", false),
            (Cut::List, Format::Csv) => ("cut = \"[]\"\n", false),
            (Cut::List, Format::Described) => ("cut = \"good[]\"\n", false),
            (Cut::List, _) => ("cut = \"goods[]\"\n", false),
            (Cut::Table, Format::Toml) => ("cut = \"{}\"\n", false),
            (Cut::Table, _) => ("cut = \"goods{}\"\n", false),
            (Cut::Whole | Cut::Block, Format::Xml) => ("cut = \"good\"\n", self.cut == Cut::Block),
            (Cut::Whole, _) => ("", false),
            (Cut::Block, _) => ("", true),
        };
        let notation =
            if block || self.bare || self.format == Format::Described { "notation = \"head\"\n" } else { "" };
        let told = match self.told {
            Told::Place => "kind = \"good\"\n",
            Told::Field => "which = \"sort\"\nwords = { g = \"good\", w = \"ware\" }\n",
            Told::Folder => "which = \"folder\"\nwords = { goods = \"good\", wares = \"ware\" }\n",
            Told::Test => "kind = \"good\"\nif = { sort = \"g\" }\n",
        };
        let shadows = if self.shadows { "shadows = true\n" } else { "" };
        let head = match block {
            true => format!("[notations.head]\nformat = \"{}\"\nblock = [\"/*=\", \"=*/\"]\n", self.format_word()),
            false if self.format == Format::Described => {
                let marks = match self.lines {
                    0 => "section = [\"[\", \"]\"]\nclosing = [\"[/\", \"]\"]\n",
                    1 => "braces = true\nnamed = \"id\"\n",
                    _ => "assign = \" \"\nindents = true\nnamed = \"id\"\n",
                };
                format!("[notations.head]\nformat = \"described\"\n{marks}")
            }
            false if self.bare => {
                let columns: Vec<String> = self.columns().iter().map(|name| format!("\"{name}\"")).collect();
                format!("[notations.head]\nformat = \"csv\"\ncolumns = [{}]\n", columns.join(", "))
            }
            false => String::new(),
        };
        let named = match self.named {
            Named::Key => String::new(),
            Named::Field => format!("name = \"{}\"\n", self.id_field()),
            Named::Stem => "name = \"stem\"\n".to_owned(),
            Named::Path => "name = \"path\"\n".to_owned(),
            Named::Template => "name = \"{fam}:{var}\"\n".to_owned(),
            Named::Made => "name = \"{folder}_{stem|upper}\"\n".to_owned(),
            Named::Owned => format!("name = \"{{mod}}:{{{}}}\"\n", self.own_word()),
        };
        let parent = if self.parent { "parent = \"like\"\n" } else { "" };
        let removes = if self.removes { "removes = { gone = \"yes\" }\n" } else { "" };
        let repeats = if self.repeats { "repeats_id = \"own\"\n" } else { "" };
        let scope = if self.scoped { "scope = \"folder\"\n" } else { "" };
        let operations = match self.operations {
            true => "changed_by = { under = { more = \"shift\", times = \"multiply\", without = \"remove\" } }\n",
            false => "",
        };
        let kind = |name: &str| {
            let texts = if name == "good" { self.texts_of_goods() } else { "" };
            let (dependent, groups) = self.dependent_fields(name);
            format!(
                "[kinds.{name}]\n{named}{repeats}{scope}{parent}{removes}{texts}again = \"{}\"\n{operations}[kinds.{name}.fields]\n{}{dependent}{groups}",
                self.again,
                self.fields(name)
            )
        };
        let files = match self.one_file {
            true => format!("data/all.{ending}"),
            false => format!("data/**/*.{ending}"),
        };
        let two = matches!(self.told, Told::Field | Told::Folder);
        let id = if self.by_folder { "folder" } else { "id" };
        let inert = if self.inert { "[reader]\ninert = { off = \"true\" }\n" } else { "" };
        format!(
            "rulebook = 1\n{inert}[manifest]\nfile = \"mod.toml\"\nid = \"{id}\"\nrequires = \"needs[]\"\n{head}[[where]]\nfiles = \"{files}\"\n\
             {cut}{notation}{told}{shadows}{}{}{}{}{}",
            self.groups_rule(),
            self.texts_rule(),
            self.parts(),
            kind("good"),
            if two { kind("ware") } else { String::new() }
        )
    }

    fn fields(&self, kind: &str) -> String {
        let units = if self.units { ", units = { lot = 1, load = 12 }, unit = \"lot\"" } else { "" };
        let packed = if self.packed { "split = \" \", " } else { "" };
        let marks = if self.marks && self.joined { ", minus = \"-\"" } else { "" };
        let join = if self.joined { "join = true, " } else { "" };
        let words = if self.words { ", yes = [\"aye\"], no = [\"nay\"]" } else { "" };
        let nested = match self.format {
            Format::Csv => "",
            _ => {
                "\"hull.length\" = { type = \"number\", optional = true }\n\"hull.of\" = { type = \"text\", optional = true }\n"
            }
        };
        let keyed = match self.format {
            Format::Csv => String::new(),
            _ => format!(
                "\"holds[]\" = {{ {join}list = \"keyed\", by = \"what\", optional = true }}\n\"holds[].what\" = {{ type = \"text\" }}\n\"holds[].many\" = {{ type = \"integer\", default = 1 }}\n"
            ),
        };
        let wants = match (self.format, self.placed) {
            (Format::Csv, _) => String::new(),
            (_, true) => format!(
                "\"wants[]\" = {{ {join}list = \"keyed\", by = \"what\", split = \",\", places = [\"what\", \"many\"], optional = true }}\n\"wants[].what\" = {{ type = \"text\" }}\n\"wants[].many\" = {{ type = \"integer\" }}\n"
            ),
            (_, false) => concat!(
                "\"wants[]\" = { type = \"tuple\", split = \",\", optional = true }\n",
                "\"wants[][0]\" = { type = \"text\" }\n\"wants[][1]\" = { type = \"integer\" }\n",
            )
            .to_owned(),
        };
        let more = match self.format {
            Format::Csv => "",
            _ => concat!(
                "\"span\" = { type = \"range\", ends = [\"least\", \"most\"], optional = true }\n",
                "\"at\" = { type = \"tuple\", optional = true }\n\"at[0]\" = { type = \"integer\" }\n",
                "\"at[1]\" = { type = \"integer\" }\n\"costs{}\" = { type = \"integer\", optional = true }\n",
                "\"note\" = { type = \"text\", none = [\"-\"], optional = true }\n",
            ),
        };
        let sort = match self.told {
            Told::Field | Told::Test => "\"sort\" = { type = \"text\" }\n",
            _ => "",
        };
        let template = match self.named {
            Named::Template => "\"fam\" = { type = \"text\" }\n\"var\" = { type = \"text\" }\n",
            _ => "",
        };
        let within = if self.told_within { "\"#text\" = { type = \"text\", optional = true }\n" } else { "" };
        let gone = if self.removes { "\"gone\" = { type = \"text\", optional = true }\n" } else { "" };
        let uses = if self.uses { self.fields_that_name() } else { String::new() };
        let calls = self.calling_field();
        let parent = match self.parent {
            true => format!("\"like\" = {{ link = \"{kind}\", optional = true }}\n"),
            false => String::new(),
        };
        format!(
            "{sort}{template}{parent}{gone}{within}\"pay\" = {{ type = \"integer\", min = 0, max = 1000, optional = true{units} }}\n\
             \"says\" = {{ type = \"text\", optional = true }}\n\"wet\" = {{ type = \"boolean\", optional = true{words} }}\n\
             \"marks\" = {{ {packed}{join}list = \"set\", optional = true }}\n\"marks[]\" = {{ type = \"text\"{marks} }}\n\
             {nested}{keyed}{more}{wants}{uses}{calls}{}{}",
            self.joining(),
            self.fields_of_shapes()
        )
    }

    fn format_word(&self) -> &'static str {
        ending(self.format)
    }

    pub(super) fn ending(&self) -> &'static str {
        match self.cut {
            Cut::Block => "txt",
            _ if self.book => "xlsx/Goods",
            _ => self.format_word(),
        }
    }

    /// The columns of its rows; the last takes the marks one by one where these are not packed.
    fn columns(&self) -> Vec<String> {
        let last = if self.packed { "marks" } else { "marks[]" };
        COLUMNS.iter().copied().chain([last]).map(str::to_owned).collect()
    }

    fn id_field(&self) -> &'static str {
        if self.format == Format::Xml { "@id" } else { "id" }
    }

    /// The id under which a definition is known.
    pub(super) fn id(&self, word: &str) -> String {
        match self.named {
            Named::Made => {
                let folder = if self.told == Told::Folder { "goods" } else { "data" };
                format!("{}{folder}_{}", if self.scoped { "data/" } else { "" }, word.to_uppercase())
            }
            Named::Owned => format!("{}:{word}", owner_of(word)),
            Named::Template if self.scoped => format!("data/{word}:a"),
            Named::Template => format!("{word}:a"),
            _ if self.scoped => format!("data/{word}"),
            Named::Path => self.path(word).rsplit_once('.').map(|(path, _)| path.to_owned()).unwrap_or_default(),
            _ => word.to_owned(),
        }
    }

    /// What names a definition besides the mod that it is in.
    fn own_word(&self) -> &'static str {
        match self.cut {
            Cut::List => self.id_field(),
            Cut::Table => "key",
            Cut::Whole | Cut::Block => "stem",
        }
    }

    pub(super) fn path(&self, word: &str) -> String {
        let folder = if self.told == Told::Folder { "data/goods" } else { "data" };
        match self.cut {
            Cut::Whole | Cut::Block => format!("{folder}/{word}.{}", self.ending()),
            _ => format!("{folder}/all.{}", self.ending()),
        }
    }

    /// A definition by chance, as the game writes it.
    pub(super) fn definition(&self, word: &str, dice: &mut Dice) -> Draft {
        let text = |text: &str| Draft::Text(text.to_owned());
        let mut out: Vec<(String, Draft)> = Vec::new();
        if self.named == Named::Field || self.named == Named::Owned && self.cut == Cut::List {
            out.push((self.id_field().to_owned(), text(word)));
        }
        if self.named == Named::Template {
            out.extend([("fam".to_owned(), text(word)), ("var".to_owned(), text("a"))]);
        }
        if matches!(self.told, Told::Field | Told::Test) {
            out.push(("sort".to_owned(), text("g")));
        }
        if self.repeats {
            out.push(("own".to_owned(), text(word)));
        }
        out.extend(self.called(word, dice));
        if self.told_within && dice.chance(50) {
            out.push(("#text".to_owned(), text("by hand")));
        }
        if dice.chance(80) {
            let number = i64::try_from(dice.roll(40)).unwrap_or_default();
            let load = self.units && dice.chance(50);
            out.push(("pay".to_owned(), if load { text(&format!("{number} load")) } else { Draft::integer(number) }));
        }
        if dice.chance(50) {
            out.push(("says".to_owned(), text(dice.of(&["so it is", "no", "12", "true", "a, b & c", "x: y"]))));
        }
        if dice.chance(50) {
            let yes = dice.chance(50);
            let word = if yes { "aye" } else { "nay" };
            out.push(("wet".to_owned(), if self.words { text(word) } else { Draft::Boolean(yes) }));
        }
        if dice.chance(70) {
            let all: Vec<&str> = ["old", "bent", "dry"].into_iter().filter(|_| dice.chance(60)).collect();
            if !all.is_empty() {
                let list = Draft::List(all.iter().map(|word| text(word)).collect());
                out.push(("marks".to_owned(), if self.packed { text(&all.join(" ")) } else { list }));
            }
        }
        if self.format != Format::Csv {
            if dice.chance(50) {
                let length = Draft::integer(i64::try_from(dice.roll(9)).unwrap_or_default());
                out.push((
                    "hull".to_owned(),
                    Draft::Table(vec![("length".to_owned(), length), ("of".to_owned(), text("oak"))]),
                ));
            }
            if dice.chance(50) {
                let entry = |what: &str, many: Option<i64>| {
                    let mut entry = vec![("what".to_owned(), text(what))];
                    entry.extend(many.map(|many| ("many".to_owned(), Draft::integer(many))));
                    Draft::Table(entry)
                };
                let many = dice.chance(50).then_some(3);
                let mut holds = vec![entry("salt", many), entry("wool", None)];
                if self.inert && dice.chance(50) {
                    let mut off = entry("tar", Some(2));
                    off.lay_in(&[Step::Key("off".to_owned())], text("true"), false);
                    holds.insert(dice.roll(3) as usize, off);
                }
                out.push(("holds".to_owned(), Draft::List(holds)));
            }
            let table = |keys: [&str; 2]| {
                Draft::Table(keys.iter().zip([1, 4]).map(|(key, n)| ((*key).to_owned(), Draft::integer(n))).collect())
            };
            if dice.chance(40) {
                out.push(("span".to_owned(), table(["least", "most"])));
            }
            if dice.chance(40) {
                out.push(("costs".to_owned(), table(["ash", "oak"])));
            }
            if dice.chance(40) {
                out.push(("at".to_owned(), Draft::List(vec![Draft::integer(2), Draft::integer(5)])));
            }
            if dice.chance(30) {
                out.push(("note".to_owned(), text(dice.of(&["-", "dear"]))));
            }
            if dice.chance(30) {
                let entries = ["ash,3", "elm,1"].into_iter().filter(|_| dice.chance(70)).map(text);
                out.push(("wants".to_owned(), Draft::List(entries.collect())));
            }
        }
        self.with_shapes(&mut out, dice);
        self.with_dependent(&mut out, dice);
        if self.uses {
            self.names_others(&mut out, dice);
        }
        Draft::Table(out)
    }

    /// A mod between the base and the one that is edited: one more definition, and often another of the base's.
    fn between(&self, base: &[(String, Draft)], dice: &mut Dice) -> Vec<(String, String)> {
        let mut made = vec![("heath".to_owned(), self.definition("heath", dice))];
        if dice.chance(60) {
            made.push(("reed".to_owned(), self.definition("reed", dice)));
        }
        // a file that hides a lower one has all that the game needs of that
        if self.shadows && !matches!(self.cut, Cut::Whole | Cut::Block) {
            let others = base.iter().filter(|(word, _)| !made.iter().any(|(known, _)| known == word));
            let others: Vec<_> = others.cloned().collect();
            made.extend(others);
        }
        let files = self.files(&made);
        let apart = |(path, text): (String, String)| {
            let path = if self.shadows || self.one_file { path } else { path.replace("/all.", "/fen.") };
            (path, text)
        };
        files.into_iter().map(apart).collect()
    }

    /// Files of the base, of a mod, and of one with nothing in it.
    pub(super) fn source(&self, dice: &mut Dice) -> MemorySource {
        self.source_and_base(dice).0
    }

    /// Also what the base's first folder holds, in order.
    pub(super) fn source_and_base(&self, dice: &mut Dice) -> (MemorySource, Vec<(String, Draft)>) {
        let mut source = MemorySource::default();
        source.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
        source.put("rulebook.toml", self.rulebook());
        let manifest = |id: &str| if self.by_folder { String::new() } else { format!("id = \"{id}\"\n") };
        source.put("mods/yard/mod.toml", manifest("yard"));
        let made: Vec<(String, Draft)> =
            IDS.iter().map(|word| ((*word).to_owned(), self.definition(word, dice))).collect();
        let mut in_base = made.clone();
        if self.inert {
            let mut off = self.definition("bog", dice);
            off.lay_in(&[Step::Key("off".to_owned())], Draft::Text("true".to_owned()), false);
            in_base.insert(dice.roll(4) as usize, ("bog".to_owned(), off));
        }
        for (path, text) in self.files(&in_base) {
            source.put(&format!("base/{path}"), text);
        }
        if self.scoped {
            let far: Vec<(String, Draft)> =
                IDS.iter().map(|word| ((*word).to_owned(), self.definition(word, dice))).collect();
            for (path, text) in self.files(&far) {
                source.put(&format!("base/{}", path.replace("data/", "data/far/")), text);
            }
        }
        let mut ids: Vec<String> = IDS.iter().chain(&["bog"]).map(|word| self.id(word)).collect();
        if self.scoped {
            ids.extend(
                IDS.iter().map(|word| self.id(word).replace("data/", "data/far/").replace("far/data_", "far/far_")),
            );
        }
        for (path, text) in self.texts_for(&ids, "base", dice).into_iter().chain(self.herds(dice)) {
            source.put(&format!("base/{path}"), text);
        }
        if dice.chance(50) {
            source.put("mods/fen/mod.toml", manifest("fen"));
            source.put("mods/yard/mod.toml", manifest("yard") + "needs = [\"fen\"]\n");
            let texts = self.texts_for(&[self.id("heath")], "fen", dice);
            for (path, text) in self.between(&made, dice).into_iter().chain(texts) {
                source.put(&format!("mods/fen/{path}"), text);
            }
        }
        (bound(source), in_base)
    }

    /// How its files are written.
    pub(super) fn notation(&self) -> Notation {
        let marks = |open: &str, close: &str| Some((open.to_owned(), close.to_owned()));
        let named = Some("id".to_owned());
        match (self.format, self.lines) {
            (Format::Described, 0) => {
                Notation::described(Marks { section: marks("[", "]"), closing: marks("[/", "]"), ..Marks::plain() })
            }
            (Format::Described, 1) => Notation::described(Marks { braces: true, named, ..Marks::plain() }),
            (Format::Described, _) => {
                Notation::described(Marks { assign: " ".to_owned(), indents: true, named, ..Marks::plain() })
            }
            (Format::Csv, _) if self.bare => Notation::rows_of(Rows { columns: self.columns(), ..Rows::PLAIN }),
            (format, _) => Notation::from(format),
        }
    }

    /// Definitions in files as the game cuts them.
    pub(super) fn files(&self, made: &[(String, Draft)]) -> Vec<(String, String)> {
        let names = Names::default();
        let notation = self.notation();
        let text = |draft: &Draft| whole(&notation, &[], draft, &names).unwrap();
        let around = |text: String| match self.cut {
            Cut::Block => format!("// made by hand\n/*={text}=*/\nfunction start() {{}}\n"),
            _ => text,
        };
        let table = |key: &str, inner: Draft| Draft::Table(vec![(key.to_owned(), inner)]);
        match self.cut {
            Cut::Whole | Cut::Block => {
                let one = |(word, draft): &(String, Draft)| {
                    let draft = if self.format == Format::Xml { table("good", draft.clone()) } else { draft.clone() };
                    (self.path(word), around(text(&draft)))
                };
                made.iter().map(one).collect()
            }
            Cut::List => {
                let list = Draft::List(made.iter().map(|(_, draft)| draft.clone()).collect());
                let inner = match self.format {
                    Format::Csv => list,
                    Format::Described => table("good", list),
                    Format::Xml => table("goods", table("good", list)),
                    _ => table("goods", list),
                };
                vec![(self.path(""), text(&inner))]
            }
            Cut::Table => {
                let inner = Draft::Table(made.to_vec());
                let whole = if self.format == Format::Toml { inner } else { table("goods", inner) };
                vec![(self.path(""), text(&whole))]
            }
        }
    }
}

/// All files, for messages of trials.
pub(super) fn shown_files(source: &MemorySource) -> String {
    let files = texts_of(source).into_iter().filter(|(path, _)| path != "cognomen.toml");
    let text = |(path, bytes): (String, Vec<u8>)| format!("=== {path}\n{}", String::from_utf8_lossy(&bytes));
    files.map(text).collect()
}

/// Every game by chance is clean.
#[test]
fn games_by_chance_are_clean() {
    for seed in 1..200u64 {
        let mut dice = Dice::seeded(seed);
        let game = Game::roll(&mut dice);
        let source = game.source(&mut dice);
        let world = load(&source).unwrap();
        let told = crate::check::check(&world).into_iter().filter(|finding| finding.severity == Severity::Error);
        let told: Vec<String> = told.map(|finding| format!("{}: {}", finding.code, finding.message)).collect();
        assert_eq!(told, Vec::<String>::new(), "{seed} {game:?}\n{}", shown_files(&source));
        let there = IDS.iter().all(|word| {
            let catalog = world.catalog();
            let kind = catalog.rulebook().kind_named("good").unwrap();
            catalog.address(kind, &game.id(word)).is_some_and(|at| world.view().stands(at))
        });
        assert!(there, "{seed} {game:?}\n{}", shown_files(&source));
    }
}
