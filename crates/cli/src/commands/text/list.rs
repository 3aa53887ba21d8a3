//! Where the texts of a mod stand, language by language.

use anstyle::Style;
use cognomen_core::{LanguageTexts, TextRow, TextState};

use super::kept::Kept;
use super::{known_language, shown_key, texts, todo};
use crate::answers::{LanguageAnswer, TextRowAnswer, TextsAnswer, TextsUnused};
use crate::args::Global;
use crate::commands::{Done, Failure};
use crate::output::{CHANGE, FAINT, GOOD, HEAD, ID, Places, Table, count, paint, visible};
use crate::session::{Opened, Session};

pub(super) fn list(
    language: Option<&str>,
    all: bool,
    brief: bool,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = opened.edited(global)?;
    let texts = texts(&opened, layer, &Kept::read(&opened)?)?;
    if let Some(language) = language {
        known_language(&texts, language)?;
    }
    let chosen = || texts.languages.iter().filter(|one| language.is_none_or(|language| one.language == language));
    let places = Places::new(opened.catalog());
    let own = opened.catalog().layer(layer).id.clone();
    if global.json() {
        let row = |row: &TextRow| TextRowAnswer {
            key: row.key.clone(),
            address: row.of.as_ref().map(|(address, _)| opened.catalog().show_address(*address)),
            role: row.of.as_ref().map(|(_, role)| role.clone()),
            original: row.original.clone(),
            text: row.text.clone(),
            state: word(&row.state).to_owned(),
            was: if let TextState::Older(then) = &row.state { Some(then.clone()) } else { None },
        };
        let one = |one: &LanguageTexts| LanguageAnswer {
            language: one.language.clone(),
            main: one.main,
            texts: one.rows.iter().filter(|row| all || todo(row)).map(row).collect(),
            written: one.rows.iter().filter(|row| row.text.is_some()).count(),
            of: one.rows.len(),
        };
        session.json(&TextsAnswer {
            layer: own,
            languages: chosen().map(one).collect(),
            unused: texts
                .unused
                .iter()
                .map(|(key, place)| TextsUnused { key: key.clone(), place: places.place(*place) })
                .collect(),
        });
        return Ok(Done::Well);
    }
    let mut table = Table::default().right(&[1]);
    for one in chosen() {
        let many = |wanted: &str| one.rows.iter().filter(|row| word(&row.state) == wanted).count();
        let parts = [
            ("lacking", "lacking"),
            ("older", "older than the original"),
            ("stub", "still to be translated"),
            ("tokens", "with other tokens"),
        ];
        let parts: Vec<String> = parts
            .iter()
            .filter(|(word, _)| many(word) > 0)
            .map(|(word, said)| format!("{} {said}", many(word)))
            .collect();
        let written = one.rows.iter().filter(|row| row.text.is_some()).count();
        let style = if parts.is_empty() { GOOD } else { CHANGE };
        let said = if parts.is_empty() { "nothing to do".to_owned() } else { parts.join(", ") };
        table.row([
            (visible(&one.language), HEAD),
            (format!("{written} of {}", one.rows.len()), Style::new()),
            (said, style),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    if !brief {
        for one in chosen() {
            details(&opened, one, all, session);
        }
    }
    if !texts.unused.is_empty() && language.is_none_or(|language| language == texts.main) {
        session.say("");
        session
            .say(format!("{} that no definition or field of it leads to:", count(texts.unused.len(), "text", "texts")));
        let shown = if brief { 5 } else { usize::MAX };
        let mut table = Table::default();
        for (key, place) in texts.unused.iter().take(shown) {
            table.row([(visible(&shown_key(key)), ID), (places.place(*place), FAINT)]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
        if texts.unused.len() > shown {
            session.say(format!("  and {} more", texts.unused.len() - shown));
        }
    }
    let open: Vec<&LanguageTexts> = chosen().filter(|one| one.rows.iter().any(todo)).collect();
    if let Some(one) = open.first().filter(|_| brief && !global.quiet) {
        session.say("");
        session.say(paint(FAINT, &format!("next: cognomen text list --language {}{}", one.language, global.of_mod())));
    }
    Ok(Done::Well)
}

/// What is to be done in a language.
fn details(opened: &Opened, one: &LanguageTexts, all: bool, session: &mut Session) {
    let rows: Vec<&TextRow> = one.rows.iter().filter(|row| all || todo(row)).collect();
    if rows.is_empty() {
        return;
    }
    session.say("");
    let mut table = Table::default();
    table.head(paint(HEAD, &visible(&one.language)));
    for row in rows {
        let quoted =
            |text: &Option<String>| text.as_ref().map_or(String::new(), |text| format!("\"{}\"", visible(text)));
        let said = match &row.state {
            TextState::Written => quoted(&row.text),
            TextState::Lacking => match (&row.original, one.main) {
                (Some(original), false) => format!("lacking: \"{}\"", visible(original)),
                _ => "lacking".to_owned(),
            },
            TextState::Stub => format!("a stub: {}", quoted(&row.text)),
            TextState::Older(then) => {
                format!(
                    "{}: the original was \"{}\" and is {}",
                    quoted(&row.text),
                    visible(then),
                    quoted(&row.original)
                )
            }
            TextState::Tokens(lacking, more) => {
                let part = |word: &str, all: &[String]| {
                    (!all.is_empty()).then(|| format!("{word} {}", visible(&all.join(" "))))
                };
                let parts: Vec<String> = part("lacks", lacking).into_iter().chain(part("has beside", more)).collect();
                format!("{}: {} of {}", quoted(&row.text), parts.join(", "), quoted(&row.original))
            }
        };
        let whose = row
            .of
            .as_ref()
            .map_or(String::new(), |(address, role)| format!("{} {role}", opened.catalog().show_address(*address)));
        table.row([(visible(&shown_key(&row.key)), ID), (visible(&whose), FAINT), (said, Style::new())]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
}

fn word(state: &TextState) -> &'static str {
    match state {
        TextState::Written => "written",
        TextState::Lacking => "lacking",
        TextState::Stub => "stub",
        TextState::Older(_) => "older",
        TextState::Tokens(..) => "tokens",
    }
}
