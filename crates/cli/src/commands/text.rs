//! `text`.

mod kept;
mod list;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use anstyle::Style;
use anyhow::anyhow;
use cognomen_core::{
    ChangeSet, Document, Draft, Edit, FieldPath, FileChange, FileId, Format, LanguageTexts, LayerId, ModTexts, Names,
    NewText, TRANSLATIONS_FILE, TextRow, TextState, edit, mod_texts, nearest, readable, say_texts, text_key,
};

use self::kept::Kept;
use self::list::list;
use super::copy::refused;
use super::{Done, Failure};
use crate::answers::{TextSaid, TextsOut, TextsSaid};
use crate::args::Global;
use crate::output::{FAINT, GOOD, ID, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};
use crate::tables::{Cell, Column, Sheet, bytes_of, ending, put, read, why};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen text                                          each language: how far it is, what is to be done
  cognomen text list --language fr                       what is to be done in one
  cognomen text set item/eel \"Smoked eel\"                its name in the main language
  cognomen text set item/eel \"Anguille\" --language fr
  cognomen text set item/eel \"From the weir.\" --role about
  cognomen text stubs --language fr                      all that is lacking, to be translated in place
  cognomen text out fr.po --language fr                  for a translator; also .csv, .tsv, .xlsx
  cognomen text in fr.po --language fr                   and back: only what differs is changed
  cognomen text done --language fr                       all translations fit their originals as they are now

What each translation was made of is kept in translations.csv beside cognomen.toml, so that `text` can say which
originals have changed since. Nothing of that goes into the game's files.")]
pub(crate) struct TextArgs {
    #[command(subcommand)]
    what: Option<What>,
}

#[derive(clap::Subcommand, Debug)]
enum What {
    /// What is to be done: lacking, older than the original, stubs, other tokens, unused
    List {
        /// One language only
        #[arg(long, value_name = "LANGUAGE")]
        language: Option<String>,
        /// Every text, also those that are well
        #[arg(long)]
        all: bool,
    },
    /// Say one text
    Set {
        /// The definition (kind/id), or the text's key
        about: String,
        /// The text
        text: String,
        /// The language; without it, the main one
        #[arg(long, value_name = "LANGUAGE")]
        language: Option<String>,
        /// Which of the definition's texts; without it, its name
        #[arg(long)]
        role: Option<String>,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Put what is lacking into the mod's files: names made of ids, originals to be translated
    Stubs {
        /// The language; without it, the main one
        #[arg(long, value_name = "LANGUAGE")]
        language: Option<String>,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Say that translations fit their originals as these are now
    Done {
        /// The language
        #[arg(long, value_name = "LANGUAGE")]
        language: String,
        /// Definitions or keys; without them, all
        about: Vec<String>,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Write a language as a table or catalogue for a translator
    Out {
        /// The file: .po, .csv, .tsv or .xlsx
        file: PathBuf,
        /// The language
        #[arg(long, value_name = "LANGUAGE")]
        language: String,
        /// Only what is to be done
        #[arg(long)]
        todo: bool,
        /// Write over a file that is there
        #[arg(long)]
        replace: bool,
    },
    /// Take a translator's file back: what differs is changed, empty texts change nothing
    In {
        /// The file
        file: PathBuf,
        /// The language
        #[arg(long, value_name = "LANGUAGE")]
        language: String,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

pub(crate) fn text(args: &TextArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    match &args.what {
        None => list(None, false, true, global, session),
        Some(What::List { language, all }) => list(language.as_deref(), *all, false, global, session),
        Some(What::Set { about, text, language, role, dry_run }) => {
            let mut work = Work::open(global, session, &format!("text set {about}"), *dry_run)?;
            let key = work.key(about, role.as_deref())?;
            let language = work.language(language.as_deref())?;
            work.say(&[(key, language, text.clone())], &BTreeMap::new(), session)
        }
        Some(What::Stubs { language, dry_run }) => {
            let mut work = Work::open(global, session, "text stubs", *dry_run)?;
            let language = work.language(language.as_deref())?;
            let stubs = work.stubs(&language);
            if stubs.is_empty() {
                session.say(format!("nothing is lacking in `{}`", visible(&language)));
                return Ok(Done::Well);
            }
            let untouched = stubs.iter().map(|(key, ..)| (key.clone(), String::new())).collect();
            work.say(&stubs, &untouched, session)
        }
        Some(What::Done { language, about, dry_run }) => {
            let mut work = Work::open(global, session, "text done", *dry_run)?;
            work.done(language, about, session)
        }
        Some(What::Out { file, language, todo, replace }) => out(file, language, (*todo, *replace), global, session),
        Some(What::In { file, language, dry_run }) => {
            let what = format!("text in {}", file.display());
            let mut work = Work::open(global, session, &what, *dry_run)?;
            let language = work.language(Some(language))?;
            let (texts, made_of) = work.read(&session.folder().join(file), &language, session)?;
            if texts.is_empty() {
                session.say(format!("all texts of `{}` stand so already", visible(&language)));
                return Ok(Done::Well);
            }
            work.say(&texts, &made_of, session)
        }
    }
}

/// A mod's texts, and where they are to be written.
struct Work<'g> {
    opened: Opened,
    global: &'g Global,
    layer: LayerId,
    kept: Kept,
    texts: ModTexts,
    what: String,
    dry_run: bool,
}

impl<'g> Work<'g> {
    fn open(global: &'g Global, session: &mut Session, what: &str, dry_run: bool) -> Result<Work<'g>, Failure> {
        let opened = session.open_for(global, what, dry_run)?;
        let layer = opened.edited(global)?;
        let kept = Kept::read(&opened)?;
        let texts = texts(&opened, layer, &kept)?;
        Ok(Work { opened, global, layer, kept, texts, what: what.to_owned(), dry_run })
    }

    /// The key that is meant by an address or by itself.
    fn key(&self, about: &str, role: Option<&str>) -> Result<String, Failure> {
        // also one that only a lower layer says, which the mod may say otherwise
        let there = self.opened.world.with_ground(self.layer).text_keys();
        let own = || self.texts.languages.iter().flat_map(|one| &one.rows).map(|row| row.key.as_str());
        let known = there.binary_search(&about).is_ok() || own().any(|key| key == about);
        if role.is_none() && known {
            return Ok(about.to_owned());
        }
        match self.opened.address(about) {
            Ok(address) => Ok(text_key(self.opened.catalog(), address, role).map_err(|message| anyhow!(message))?),
            // a key that nobody has yet, of a form that is no address
            Err(failure) if about.contains('/') || role.is_some() => Err(failure),
            Err(_) => {
                let help = match nearest(about, own().chain(there.iter().copied())) {
                    Some(near) => format!("the nearest key is `{}`", visible(near)),
                    None => "`cognomen text list --all` lists the keys".to_owned(),
                };
                let message = format!("`{}` is no definition and no key of a text", visible(about));
                Err(anyhow!("{message}\n  help: {help}").into())
            }
        }
    }

    /// A language as typed. A new one is welcome where a known one is not nearly the same.
    fn language(&self, typed: Option<&str>) -> Result<String, Failure> {
        let Some(typed) = typed else { return Ok(self.texts.main.clone()) };
        let fits = !typed.is_empty() && typed.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '_'));
        if fits {
            return Ok(typed.to_owned());
        }
        Err(Failure::Usage(format!("`{}` is no language: as in `fr` or `pt-br`", visible(typed))))
    }

    /// The texts that are lacking in a language, with what is put there for a person to change.
    fn stubs(&self, language: &str) -> Vec<NewText> {
        let main = language == self.texts.main;
        let there: BTreeSet<&str> =
            rows(&self.texts, language).filter(|row| row.text.is_some()).map(|row| row.key.as_str()).collect();
        let names = self.opened.catalog();
        let of_main = self.texts.languages.first().into_iter().flat_map(|one| &one.rows);
        let lacking = of_main.filter(|row| !there.contains(row.key.as_str()));
        let stub = |row: &TextRow| {
            let text = match (&row.original, main) {
                (Some(original), _) => original.clone(),
                (None, true) => match &row.of {
                    Some((address, _)) => {
                        let id = names.id_of(*address);
                        readable(id.rsplit('/').next().unwrap_or(id))
                    }
                    None => readable(&row.key),
                },
                (None, false) => return None,
            };
            Some((row.key.clone(), language.to_owned(), text))
        };
        lacking.filter_map(stub).collect()
    }

    /// Writes texts, and what they were made of.
    fn say(
        &mut self,
        texts: &[NewText],
        made_of: &BTreeMap<String, String>,
        session: &mut Session,
    ) -> Result<Done, Failure> {
        let said = say_texts(&mut self.opened.world, self.layer, texts).map_err(refused)?;
        let own = self.opened.catalog().layer(self.layer).id.clone();
        let mut changes = said.changes;
        let main = self.texts.main.clone();
        for (key, language, _, text) in said.rows.iter().filter(|(_, language, ..)| *language != main) {
            let row = self.texts.languages.iter().flat_map(|one| &one.rows).find(|row| row.key == *key);
            let now = row.and_then(|row| row.original.clone());
            if let Some(original) = made_of.get(key).cloned().or(now) {
                self.kept.keep(&own, language, key, (&original, text));
            }
        }
        changes.files.extend(self.kept.change()?);
        self.opened.carry_out(&changes, &self.what, self.dry_run)?;
        if self.global.json() {
            let one = |(key, language, before, after): &(String, String, Option<String>, String)| TextSaid {
                key: key.clone(),
                language: language.clone(),
                before: before.clone(),
                after: after.clone(),
            };
            session.json(&TextsSaid {
                texts: said.rows.iter().map(one).collect(),
                files: changes.files.iter().map(|change| change.path().to_owned()).collect(),
                dry: dry(&changes, self.dry_run),
            });
            return Ok(Done::Well);
        }
        let begun: BTreeSet<&str> = said.rows.iter().map(|(_, language, ..)| language.as_str()).collect();
        for language in
            begun.into_iter().filter(|language| self.texts.languages.iter().all(|one| one.language != *language))
        {
            session.remark(format!("`{}` is new: nothing was written in it so far", visible(language)));
        }
        if self.dry_run {
            say_dry(&changes, session);
            return Ok(Done::Well);
        }
        const SHOWN: usize = 20;
        let moved: Vec<_> = said.rows.iter().filter(|(_, _, before, after)| before.as_ref() != Some(after)).collect();
        let mut table = Table::default();
        for (key, language, before, after) in moved.iter().take(SHOWN) {
            let change = match before {
                Some(before) => format!("{} → {}", visible(before), visible(after)),
                None => visible(after),
            };
            table.row([(visible(&shown_key(key)), ID), (visible(language), FAINT), (change, Style::new())]);
        }
        table.lines("").into_iter().for_each(|line| session.say(line));
        if moved.len() > SHOWN {
            session.say(format!("and {} more", moved.len() - SHOWN));
        }
        let files: Vec<&str> =
            changes.files.iter().map(FileChange::path).filter(|path| *path != TRANSLATIONS_FILE).collect();
        match files.is_empty() {
            true => session.remark("it stands so already; nothing was written"),
            false => session.written(&files),
        }
        Ok(Done::Well)
    }

    fn done(&mut self, language: &str, about: &[String], session: &mut Session) -> Result<Done, Failure> {
        known_language(&self.texts, language)?;
        let keys = about.iter().map(|about| self.key(about, None)).collect::<Result<BTreeSet<_>, _>>()?;
        let own = self.opened.catalog().layer(self.layer).id.clone();
        let mut number = 0;
        for row in rows(&self.texts, language).filter(|row| keys.is_empty() || keys.contains(&row.key)) {
            if let (Some(original), Some(text)) = (&row.original, &row.text) {
                self.kept.keep(&own, language, &row.key, (original, text));
                number += 1;
            }
        }
        if let Some(key) =
            keys.iter().find(|key| !rows(&self.texts, language).any(|row| row.key == **key && row.text.is_some()))
        {
            return Err(anyhow!("`{}` is not written in `{}`", visible(key), visible(language)).into());
        }
        let changes = ChangeSet::from(self.kept.change()?.into_iter().collect::<Vec<_>>());
        self.opened.carry_out(&changes, &self.what, self.dry_run)?;
        if self.global.json() {
            let files = changes.files.iter().map(|change| change.path().to_owned()).collect();
            session.json(&TextsSaid { texts: Vec::new(), files, dry: dry(&changes, self.dry_run) });
        } else if self.dry_run {
            say_dry(&changes, session);
        } else {
            let number = count(number, "translation fits", "translations fit");
            session.say(format!("{} in `{}`", paint(GOOD, &number), visible(language)));
        }
        Ok(Done::Well)
    }

    /// The texts of a translator's file that differ, and what they were made of where the file says it.
    fn read(
        &self,
        file: &Path,
        language: &str,
        session: &mut Session,
    ) -> Result<(Vec<NewText>, BTreeMap<String, String>), Failure> {
        let shown = visible(&file.display().to_string());
        // key, original, text
        let all: Vec<(String, Option<String>, String)> = match ending(file).as_str() {
            "po" => catalogue(file, &shown)?,
            _ => {
                let table = read(file)?;
                let column = |name: &str| table.column(name);
                let Some(key) = column("key") else {
                    return Err(anyhow!(
                        "{shown} has no column `key`\n  help: `cognomen text out` writes such a table"
                    )
                    .into());
                };
                let Some(text) = column(language) else {
                    let near = table.nearest(language).map_or(String::new(), |near| format!("; {near}"));
                    return Err(anyhow!("{shown} has no column `{}`{near}", visible(language)).into());
                };
                let original = column(&self.texts.main).filter(|_| language != self.texts.main);
                let cell = |row: &Vec<String>, at: usize| row.get(at).cloned().unwrap_or_default();
                let one = |row: &Vec<String>| (cell(row, key), original.map(|at| cell(row, at)), cell(row, text));
                table.rows.iter().map(one).collect()
            }
        };
        let known: BTreeMap<&str, &TextRow> =
            self.texts.languages.iter().flat_map(|one| &one.rows).map(|row| (row.key.as_str(), row)).collect();
        let now: BTreeMap<&str, &TextRow> = rows(&self.texts, language).map(|row| (row.key.as_str(), row)).collect();
        let (mut texts, mut made_of, mut odd) = (Vec::new(), BTreeMap::new(), Vec::new());
        for (key, original, text) in all {
            if text.is_empty() {
                continue;
            }
            let Some(row) = known.get(key.as_str()) else {
                odd.push(key);
                continue;
            };
            let moved = original.as_ref().filter(|then| row.original.as_ref().is_some_and(|now| now != *then));
            if let (Some(then), Some(now)) = (moved, &row.original) {
                let key = visible(&shown_key(&key));
                session.remark(format!(
                    "{key}: the original was \"{}\" and is \"{}\" now",
                    visible(then),
                    visible(now)
                ));
            }
            if let Some(original) = original.filter(|original| !original.is_empty()) {
                made_of.insert(key.clone(), original);
            }
            if now.get(key.as_str()).and_then(|row| row.text.as_ref()) != Some(&text) {
                texts.push((key, language.to_owned(), text));
            }
        }
        for key in odd.iter().take(8) {
            session.remark(format!("`{}` is no key of the mod; left out", visible(&shown_key(key))));
        }
        if odd.len() > 8 {
            session.remark(format!("and {} more keys that are left out", odd.len() - 8));
        }
        Ok((texts, made_of))
    }
}

/// The texts of a gettext catalogue: key, original, text.
fn catalogue(file: &Path, shown: &str) -> Result<Vec<(String, Option<String>, String)>, Failure> {
    let text = std::fs::read_to_string(file).map_err(|error| anyhow!("cannot read {shown}: {}", why(&error)))?;
    let names = Names::new();
    let document = Document::parse(FileId::default(), Format::Po, text.into(), &names);
    if let Some(fault) = document.faults().first() {
        let line = document.text().get(..fault.span.start as usize).unwrap_or("").matches('\n').count() + 1;
        return Err(anyhow!("{shown}:{line}: {}", fault.message).into());
    }
    let one = |node: cognomen_core::Node<'_>| {
        let key = node.key().map_or("", |key| names.text(key));
        let text = node.text().into_owned();
        match key.split_once('\u{4}') {
            Some((key, original)) => (key.to_owned(), Some(original.to_owned()), text),
            None => (key.to_owned(), None, text),
        }
    };
    Ok(document.root().children().map(one).collect())
}

/// A key as it is shown: of a catalogue's context and text only the text.
fn shown_key(key: &str) -> String {
    key.replace('\u{4}', ": ")
}

fn texts(opened: &Opened, layer: LayerId, kept: &Kept) -> Result<ModTexts, Failure> {
    let own = &opened.catalog().layer(layer).id;
    mod_texts(&opened.world, layer, &kept.of(own))
        .ok_or_else(|| anyhow!("the rulebook does not say where texts stand\n  help: its table `[texts]` does").into())
}

fn rows<'t>(texts: &'t ModTexts, language: &str) -> impl Iterator<Item = &'t TextRow> {
    texts.languages.iter().filter(move |one| one.language == language).flat_map(|one| &one.rows)
}

fn known_language<'t>(texts: &'t ModTexts, language: &str) -> Result<&'t LanguageTexts, Failure> {
    texts.languages.iter().find(|one| one.language == language).ok_or_else(|| {
        let all: Vec<&str> = texts.languages.iter().map(|one| one.language.as_str()).collect();
        let help = match nearest(language, all.iter().copied()) {
            Some(near) => format!("the nearest is `{near}`"),
            None => format!("`cognomen text stubs --language {}` begins it", visible(language)),
        };
        anyhow!("nothing is written in `{}` yet; there is {}\n  help: {help}", visible(language), all.join(", ")).into()
    })
}

fn todo(row: &TextRow) -> bool {
    row.state != TextState::Written
}

fn out(
    file: &Path,
    language: &str,
    (only, replace): (bool, bool),
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = opened.edited(global)?;
    let texts = texts(&opened, layer, &Kept::read(&opened)?)?;
    let main = language == texts.main;
    let there: BTreeMap<&str, &TextRow> = rows(&texts, language).map(|row| (row.key.as_str(), row)).collect();
    // a language that nobody has begun has all originals to be translated
    let all: Vec<(&TextRow, Option<&TextRow>)> = match there.is_empty() {
        true => rows(&texts, &texts.main).map(|row| (row, None)).collect(),
        false => there.values().map(|row| (*row, Some(*row))).collect(),
    };
    let wanted: Vec<_> = all.into_iter().filter(|(_, row)| !only || row.is_none_or(todo)).collect();
    let said = |row: Option<&TextRow>| row.and_then(|row| row.text.clone()).unwrap_or_default();
    let bytes = if ending(file) == "po" {
        let names = Names::new();
        let head = format!(
            "msgid \"\"\nmsgstr \"\"\n\"Language: {language}\\n\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n"
        );
        let empty = Document::parse(FileId::default(), Format::Po, head.into(), &names);
        let set = |(row, text): &(&TextRow, Option<&TextRow>)| {
            let original = row.original.clone().unwrap_or_default();
            let key = if row.key.contains('\u{4}') { row.key.clone() } else { format!("{}\u{4}{original}", row.key) };
            Edit::Set { at: FieldPath::key(&key), to: Draft::Text(said(*text)) }
        };
        let edits: Vec<Edit> = wanted.iter().filter(|(row, _)| row.original.is_some()).map(set).collect();
        edit(&empty, &edits, &names).map_err(anyhow::Error::from)?.into_bytes()
    } else {
        let fixed = |name: &str| Column { name: name.to_owned(), fixed: true, ..Column::default() };
        let mut columns = vec![fixed("key")];
        if !main {
            columns.push(fixed(&texts.main));
        }
        columns.push(Column { name: language.to_owned(), ..Column::default() });
        let row = |(row, text): &(&TextRow, Option<&TextRow>)| {
            let cell = |text: String| if text.is_empty() { Cell::Empty } else { Cell::Text(text) };
            let mut cells = vec![cell(row.key.clone())];
            if !main {
                cells.push(cell(row.original.clone().unwrap_or_default()));
            }
            cells.push(cell(said(*text)));
            cells
        };
        bytes_of(&Sheet { name: language.to_owned(), columns, rows: wanted.iter().map(row).collect() }, file)?
    };
    put((session.folder(), file), &bytes, replace, &opened.bases())?;
    let shown = file.to_string_lossy().replace('\\', "/");
    if global.json() {
        session.json(&TextsOut { file: shown, language: language.to_owned(), texts: wanted.len() });
        return Ok(Done::Well);
    }
    let open = wanted.iter().filter(|(_, text)| said(*text).is_empty()).count();
    session.say(format!(
        "{}: {}, {open} of them empty",
        paint(ID, &visible(&shown)),
        count(wanted.len(), "text", "texts")
    ));
    if !global.quiet {
        session.say(paint(
            FAINT,
            &format!("back: cognomen text in {} --language {language}{}", visible(&shown), global.of_mod()),
        ));
    }
    Ok(Done::Well)
}
