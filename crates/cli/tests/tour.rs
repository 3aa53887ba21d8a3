//! The pages that show commands, `docs/TOUR.md` and `docs/INTENTS.md`: every command is run, and what comes back is
//! compared.
//!
//! `UPDATE_TOUR=1 cargo test -p cognomen --test tour` writes what comes back into the pages.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

mod common;

use common::Folder;

/// The words of a command line, as a shell cuts them: quotes of both sorts, no escapes.
fn words(line: &str) -> Vec<String> {
    let mut out = Vec::new();
    let mut word: Option<String> = None;
    let mut quote = None;
    for letter in line.chars() {
        match (letter, quote) {
            (_, Some(open)) if letter == open => quote = None,
            ('"' | '\'', None) => {
                quote = Some(letter);
                word.get_or_insert_default();
            }
            (' ', None) => out.extend(word.take()),
            _ => word.get_or_insert_default().push(letter),
        }
    }
    out.extend(word);
    out
}

#[test]
fn the_tour_is_true() {
    assert!(is_true("TOUR.md", &Folder::empty()) > 15);
}

#[test]
fn what_is_said_of_intents_is_true() {
    assert!(is_true("INTENTS.md", &Folder::demo()) > 5);
}

/// Runs all commands of a page; how many there are.
fn is_true(page: &str, folder: &Folder) -> usize {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(page);
    let shown = format!("docs/{page}");
    let page = std::fs::read_to_string(&path).unwrap().replace("\r\n", "\n");
    let mut below = String::new();
    let mut made = String::new();
    let mut commands = 0;
    let mut lines = page.lines();
    while let Some(line) = lines.next() {
        made.push_str(line);
        made.push('\n');
        let Some(info) = line.strip_prefix("```").filter(|info| !info.is_empty()) else { continue };
        let block: Vec<&str> = lines.by_ref().take_while(|line| *line != "```").collect();
        if let Some((_, file)) = info.split_once(' ') {
            let text: String = block.iter().map(|line| format!("{line}\n")).collect();
            folder.put(&format!("{below}{file}"), &text);
            made.push_str(&text);
        } else {
            for typed in block.iter().filter_map(|line| line.strip_prefix("$ ")) {
                made.push_str(&format!("$ {typed}\n"));
                let words = words(typed);
                match words.first().map(String::as_str) {
                    Some("cd") => below = format!("{below}{}/", words[1]),
                    Some("cognomen") => {
                        commands += 1;
                        let mut line: Vec<&str> = words.iter().skip(1).map(String::as_str).collect();
                        line.extend(["--color", "never"]);
                        let run = folder.run_in(&below, &line);
                        assert!(run.code < 2, "{typed}: {run:?}");
                        let both = format!("{}{}", run.out, run.err);
                        both.lines().for_each(|line| made.push_str(&format!("{}\n", line.trim_end())));
                    }
                    _ => panic!("what is `{typed}`?"),
                }
            }
        }
        made.push_str("```\n");
    }
    if std::env::var_os("UPDATE_TOUR").is_some() {
        std::fs::write(&path, &made).unwrap();
        return commands;
    }
    for (at, (now, then)) in made.lines().zip(page.lines()).enumerate() {
        assert_eq!(now, then, "{shown}:{}: UPDATE_TOUR=1 writes what comes back", at + 1);
    }
    assert_eq!(made.lines().count(), page.lines().count());
    commands
}
