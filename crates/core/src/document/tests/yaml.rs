//! YAML: all styles are read, and each is edited as it is written.

use super::*;

struct Writer<'l> {
    layout: &'l Layout,
    dice: Dice,
    out: String,
    tagged: bool,
}

/// The field that holds tags.
const TAG: &str = "tag of it";

/// The field that holds what stands behind a tag and is no table.
const CONTENT: &str = "what of it";

/// The tag of a table, and what else is in it.
fn parted(value: &Draft) -> Option<(String, Draft)> {
    let Draft::Table(entries) = value else { return None };
    let (_, word) = entries.first().filter(|(key, _)| key == TAG)?;
    if let [_, (key, content)] = entries.as_slice()
        && key == CONTENT
    {
        return Some((format!("!{}", word.word()?), content.clone()));
    }
    Some((format!("!{}", word.word()?), Draft::Table(entries[1..].to_vec())))
}

/// The same with tags for some of the tables.
fn with_tags(value: &Draft, dice: &mut Dice) -> Draft {
    match value {
        Draft::List(items) => {
            let list = Draft::List(items.iter().map(|item| with_tags(item, dice)).collect());
            with_tag(list, dice)
        }
        Draft::Table(entries) => {
            let own = dice
                .roll(2)
                .then(|| (TAG.to_owned(), Draft::Text(["frost", "type:fire"][usize::from(dice.roll(2))].to_owned())));
            let rest: Vec<_> = entries.iter().map(|(key, value)| (key.clone(), with_tags(value, dice))).collect();
            Draft::Table(own.into_iter().chain(rest).collect())
        }
        scalar => with_tag(scalar.clone(), dice),
    }
}

/// Now and then a value with a tag.
fn with_tag(value: Draft, dice: &mut Dice) -> Draft {
    match dice.roll(5) {
        true => Draft::Table(vec![(TAG.to_owned(), Draft::Text("more".to_owned())), (CONTENT.to_owned(), value)]),
        false => value,
    }
}

impl Writer<'_> {
    fn quoted(&mut self, text: &str) -> String {
        if self.dice.roll(3) && !text.chars().any(char::is_control) {
            format!("'{}'", text.replace('\'', "''"))
        } else {
            format!("{text:?}").replace("\\'", "'")
        }
    }

    fn word(&mut self, text: &str) -> String {
        let safe = !text.is_empty() && text.chars().all(|c| c.is_ascii_lowercase());
        if safe && !matches!(text, "null" | "true" | "false") && !self.dice.roll(4) {
            return text.to_owned();
        }
        self.quoted(text)
    }

    fn flow(&mut self, value: &Draft) -> String {
        if let Some((tag, rest)) = parted(value).filter(|_| self.tagged) {
            return format!("{tag} {}", self.flow(&rest));
        }
        match value {
            Draft::List(items) => {
                let items: Vec<String> = items.iter().map(|item| self.flow(item)).collect();
                let trailing = if self.dice.roll(4) && !items.is_empty() { "," } else { "" };
                format!("[{}{trailing}]", items.join(", "))
            }
            Draft::Table(entries) => {
                let entries: Vec<String> = entries
                    .iter()
                    .map(|(key, value)| match value {
                        Draft::Null if self.dice.roll(2) => self.quoted(key),
                        value => format!("{}: {}", self.word(key), self.flow(value)),
                    })
                    .collect();
                format!("{{ {} }}", entries.join(" , "))
            }
            Draft::Text(text) => self.word(text),
            Draft::Null => (if self.dice.roll(2) { "~" } else { "null" }).to_owned(),
            scalar => scalar.word().unwrap(),
        }
    }

    fn nl(&mut self) {
        self.out.push_str(self.layout.line_break);
    }

    fn comment(&mut self, column: usize) {
        if self.layout.comments && self.dice.roll(3) {
            if self.dice.roll(2) {
                self.nl();
            }
            self.out.push_str(&" ".repeat(column));
            self.out.push_str("# about: 'this' [entry]");
            self.nl();
        }
    }

    fn end_line(&mut self) {
        if self.layout.comments && self.dice.roll(5) {
            self.out.push_str("  # beside");
        }
        self.nl();
    }

    /// Entries at a column; the first one stands where the writer is.
    fn block(&mut self, value: &Draft, column: usize, mut inline: bool) {
        let unit = self.layout.unit.len().clamp(2, 4);
        let pad = " ".repeat(column);
        match value {
            Draft::List(items) if !items.is_empty() => {
                for item in items {
                    if !std::mem::take(&mut inline) {
                        self.comment(column);
                        self.out.push_str(&pad);
                    }
                    self.out.push('-');
                    self.value(item, column, column + 2, true);
                }
            }
            Draft::Table(entries) if !entries.is_empty() => {
                for (key, value) in entries {
                    if !std::mem::take(&mut inline) {
                        self.comment(column);
                        self.out.push_str(&pad);
                    }
                    let key = self.word(key);
                    self.out.push_str(&format!("{key}:"));
                    let list = if matches!(value, Draft::List(_)) && self.layout.trailing { 0 } else { unit };
                    self.value(value, column, column + list, false);
                }
            }
            scalar => {
                let text = self.flow(scalar);
                self.out.push_str(&text);
                self.end_line();
            }
        }
    }

    fn value(&mut self, value: &Draft, outer: usize, column: usize, in_list: bool) {
        let nested = match value {
            Draft::List(items) => !items.is_empty(),
            Draft::Table(entries) => !entries.is_empty(),
            _ => false,
        };
        if let Some((tag, rest)) = parted(value).filter(|_| self.tagged && !self.dice.roll(3)) {
            self.out.push_str(&format!(" {tag}"));
            let entries = match &rest {
                Draft::Table(entries) => entries.len(),
                Draft::List(items) => items.len(),
                _ => 0,
            };
            if !matches!(rest, Draft::Table(_)) && (entries == 0 || self.dice.roll(3)) {
                let text = self.flow(&rest);
                self.out.push_str(&format!(" {text}"));
                return self.end_line();
            }
            if entries == 0 && self.dice.roll(2) {
                self.out.push_str(" {}");
            }
            self.end_line();
            if entries > 0 {
                self.block(&rest, column.max(outer + 1), false);
            }
            return;
        }
        if nested && !self.dice.roll(4) && !(self.tagged && parted(value).is_some()) {
            if in_list && self.dice.roll(2) {
                self.out.push(' ');
                self.block(value, column, true);
            } else {
                self.end_line();
                self.block(value, column, false);
            }
            return;
        }
        match value {
            Draft::Null if self.dice.roll(2) => self.end_line(),
            Draft::Text(text) if text.contains('a') && !text.chars().any(|c| c.is_control() || c == ' ') => {
                if self.dice.roll(2) {
                    let pad = " ".repeat(outer + 3);
                    let nl = self.layout.line_break;
                    self.out.push_str(&format!(" |-{nl}{pad}{text}{nl}"));
                } else {
                    let text = self.quoted(text);
                    self.out.push_str(&format!(" {text}"));
                    self.end_line();
                }
            }
            value => {
                let text = self.flow(value);
                self.out.push_str(&format!(" {text}"));
                self.end_line();
            }
        }
    }
}

fn yaml_text(value: &Draft, layout: &Layout, seed: u64) -> String {
    tagged_text(value, layout, seed, false)
}

fn tagged_text(value: &Draft, layout: &Layout, seed: u64, tagged: bool) -> String {
    let mut writer = Writer { layout, dice: Dice(seed), out: String::new(), tagged };
    if layout.bom {
        writer.out.push('\u{feff}');
    }
    if layout.comments {
        writer.out.push_str("# about all of it");
        writer.nl();
    }
    match parted(value).filter(|_| tagged) {
        Some((tag, rest)) => {
            writer.out.push_str(&tag);
            if matches!(&rest, Draft::Table(entries) if !entries.is_empty())
                || matches!(&rest, Draft::List(items) if !items.is_empty())
            {
                writer.end_line();
                writer.block(&rest, 0, false);
            } else {
                let text = writer.flow(&rest);
                writer.out.push_str(&format!(" {text}"));
                writer.end_line();
            }
        }
        None => writer.block(value, 0, false),
    }
    if !layout.final_break {
        writer.out.truncate(writer.out.trim_end_matches(['\r', '\n']).len());
    }
    writer.out
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn generated_texts_are_read_as_they_were_meant(value in values(true), layout in layouts(), seed: u64) {
        let text = yaml_text(&value, &layout, seed);
        prop_assert_eq!(draft(Format::Yaml, &text), value, "{}", text);
    }

    #[test]
    fn edits_give_the_intended_tree(
        value in values(true), new in values(true), layout in layouts(), pick in 0usize..1000, seed: u64,
    ) {
        let text = yaml_text(&value, &layout, seed);
        for edit in edits_of(&value, pick, &new) {
            check_edit(Format::Yaml, &text, &edit, false);
        }
    }

    #[test]
    fn tags_are_entries_and_edits_with_them_give_the_intended_tree(
        value in values(true), new in values(true), layout in layouts(), pick in 0usize..1000, seed: u64,
    ) {
        let names = Names::new();
        let notation = Notation::tagged(Tags { mark: "!".to_owned(), field: TAG.to_owned(), content: Some(CONTENT.to_owned()) });
        let mut dice = Dice(seed);
        let (value, new) = (with_tags(&value, &mut dice), with_tags(&new, &mut dice));
        let text = tagged_text(&value, &layout, seed, true);
        let document = parse(notation.clone(), &text, &names);
        prop_assert_eq!(document.faults(), &[][..], "{}", &text);
        prop_assert_eq!(sorted(&Draft::of(document.root(), &names)), sorted(&value), "{}", &text);
        let mut edits = edits_of(&value, pick, &new);
        let mut tables = Vec::new();
        all_paths(&value, &FieldPath::default(), &mut tables);
        tables.retain(|at| matches!(value.at(at), Some(Draft::Table(_))));
        if let Some(at) = tables.get(pick % tables.len().max(1)) {
            edits.push(Edit::Set { at: at.with(Step::Key(TAG.to_owned())), to: word("ice") });
        }
        for edit in edits {
            let edited = match super::super::edit(&document, std::slice::from_ref(&edit), &names) {
                Ok(edited) => edited,
                Err(EditError::NoNotation { .. } | EditError::Shape { .. } | EditError::Unusual(_)) => continue,
                Err(error) => panic!("{error}\n{edit:?}\n{text}"),
            };
            let mut wanted = value.clone();
            intended(&mut wanted, &edit);
            let again = parse(notation.clone(), &edited, &names);
            prop_assert_eq!(sorted(&Draft::of(again.root(), &names)), sorted(&wanted), "{:?}\n{}\n--- became\n{}", edit, text, edited);
        }
    }

    #[test]
    fn any_yaml_like_text_is_read_without_panic(text in "([a-c]|: |- |\n|  |\\[|\\]|\\{|\\}|, |\"|'|#|&a |\\*a|<<|\\||>|---\n|\\? |~|1|\t){0,24}") {
        read_and_edit_without_panic(&Format::Yaml.into(), &text, "new: x");
    }
}

/// Tables by their keys.
fn sorted(value: &Draft) -> Draft {
    match value {
        Draft::List(items) => Draft::List(items.iter().map(sorted).collect()),
        Draft::Table(entries) => {
            // what stands in a tag is a word
            let own = |key: &str, value: &Draft| match value {
                Draft::Number(number) if key == TAG => Draft::Text(number.json()),
                value => sorted(value),
            };
            let mut entries: Vec<_> = entries.iter().map(|(key, value)| (key.clone(), own(key, value))).collect();
            entries.sort_by(|a, b| a.0.cmp(&b.0));
            Draft::Table(entries)
        }
        scalar => scalar.clone(),
    }
}

/// Applies one edit and shows the text.
fn edited(text: &str, edits: &[Edit]) -> String {
    let names = Names::new();
    let document = parse(Format::Yaml, text, &names);
    super::edit(&document, edits, &names).unwrap_or_else(|error| error.to_string())
}

fn path(text: &str) -> FieldPath {
    FieldPath::parse(text).unwrap()
}

fn set(at: &str, to: Draft) -> Edit {
    Edit::Set { at: path(at), to }
}

fn word(text: &str) -> Draft {
    Draft::Text(text.to_owned())
}

#[test]
fn words_are_what_the_core_schema_says() {
    let cases = [
        ("12", Shape::Number),
        ("-1.5e3", Shape::Number),
        ("0x1F", Shape::Number),
        (".5", Shape::Number),
        (".inf", Shape::Number),
        ("12mm", Shape::Text),
        ("1:30", Shape::Text),
        ("no", Shape::Text),
        ("True", Shape::Boolean),
        ("~", Shape::Null),
        ("", Shape::Null),
        ("\"5\"", Shape::Text),
        ("!!str 5", Shape::Text),
        (".", Shape::Text),
        ("1e", Shape::Text),
    ];
    let names = Names::new();
    for (text, shape) in cases {
        let text = format!("a: {text}\n");
        let document = parse(Format::Yaml, &text, &names);
        assert_eq!(document.root().get_named("a", &names).map(Node::shape), Some(shape), "{text}");
    }
}

#[test]
fn several_documents_are_a_list_and_one_broken_document_hides_no_other() {
    let names = Names::new();
    let document = parse(Format::Yaml, "a: 1\n---\nb: [1\n---\nc: 3\n", &names);
    assert_eq!(document.faults().len(), 1);
    let root = Draft::of(document.root(), &names);
    assert_eq!(root.at(&path("[0].a")).and_then(Draft::word).as_deref(), Some("1"));
    assert_eq!(root.at(&path("[2].c")).and_then(Draft::word).as_deref(), Some("3"));
}

#[test]
fn faults_of_notation_are_named_in_plain_words() {
    let names = Names::new();
    let faults = |text: &str| {
        let document = parse(Format::Yaml, text, &names);
        document.faults().iter().map(|fault| fault.message.to_string()).collect::<Vec<_>>()
    };
    assert_eq!(faults("a:\n\tb: 1\n"), ["a tab stands in the indentation; YAML is indented with spaces only"]);
    assert_eq!(faults("a: 1\nb: 2\na: 3\n"), ["the key `a` stands twice in this table"]);
    assert_eq!(faults("a: *b\n"), ["no anchor `&b` stands above this alias"]);
    assert_eq!(faults("a: &b [*b]\n"), ["this alias stands inside what its anchor names, so it would never end"]);
    assert_eq!(faults("? [a]\n: 1\n"), ["a list, a table or an alias as a key is not read"]);
    let deep = format!("{}{}", "[".repeat(100_000), "]".repeat(100_000));
    assert_eq!(faults(&deep).len(), 1);
    let deep: String = (0..2000).map(|n| format!("{}a:\n", " ".repeat(n))).collect();
    assert_eq!(faults(&deep).len(), 1);
}

#[test]
fn an_edit_keeps_the_styles_around_it() {
    let text = "# eels\nname: 'Eel'  # as sold\ntags: [fish, wet]\nweight: 3\nnotes: |\n  Cold.\n  Wet.\n\ndrops:\n- what: skin\n  many: 2\n";
    let changed = edited(
        text,
        &[
            set("name", word("Smoked eel")),
            set("weight", word("no")),
            Edit::Insert { into: path("tags"), before: None, key: None, value: word("smoked") },
            Edit::Insert {
                into: path("drops"),
                before: None,
                key: None,
                value: Draft::Table(vec![("what".to_owned(), word("oil")), ("many".to_owned(), Draft::integer(1))]),
            },
            set("notes", word("Warm.\nDry.\n")),
            Edit::Rename { at: path("weight"), to: "load".to_owned() },
        ],
    );
    assert_eq!(
        changed,
        "# eels\nname: 'Smoked eel'  # as sold\ntags: [fish, wet, smoked]\nload: 'no'\nnotes: |\n  Warm.\n  Dry.\n\ndrops:\n- what: skin\n  many: 2\n- what: oil\n  many: 1\n"
    );
    let gone = edited(&changed, &[Edit::Remove { at: path("drops[0]") }, Edit::Remove { at: path("notes") }]);
    assert!(gone.ends_with("load: 'no'\n\ndrops:\n- what: oil\n  many: 1\n"), "{gone}");
}

#[test]
fn what_stands_at_an_anchor_is_not_changed_through_its_alias() {
    let text = "base: &wet\n  damp: 3\neel:\n  <<: *wet\n  many: 1\nfrog: *wet\n";
    assert_eq!(
        edited(text, &[set("frog.damp", Draft::integer(4))]),
        "`frog` stands at the anchor `&wet` in line 1, which other places use too; change it there"
    );
    assert_eq!(edited(text, &[Edit::Remove { at: path("base") }]), "the anchor `&wet` would go, and line 4 uses it");
    let changed = edited(text, &[set("frog", word("dry")), set("base.damp", Draft::integer(5))]);
    assert_eq!(changed, "base: &wet\n  damp: 5\neel:\n  <<: *wet\n  many: 1\nfrog: dry\n");
}
