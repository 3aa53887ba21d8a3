//! Reads `[notations.NAME]`: a format with what is special in it.

use super::keys;
use crate::document::{Format, Marks, Node, Notation, Records, Rows, Tags};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading};
use crate::said::{listed, said};

/// One notation; none if it cannot be used.
pub(super) fn read_notation(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> Option<Notation> {
    let table = Reading::new(node, &keys::NOTATION, names, faults);
    let word = table.text("format")?;
    let Some(format) = Format::named(&word) else {
        let all = Format::ALL.map(Format::word);
        let help = match nearest(&word, all) {
            Some(near) => said!("the nearest known format is `{nearest}`", nearest = near),
            None => said!("known are {known}", known = listed(all)),
        };
        let place = table.get("format").unwrap_or(node).place();
        let message = said!("there is no format `{word}`", word);
        faults.push(own::fault(place, message).help(Some(help)));
        return None;
    };
    let mut notation = Notation::from(format);
    let of_rows = ["separator", "header", "skip", "columns", "rows"];
    let of_lines = [
        "assign", "section", "named", "braces", "include", "any_case", "bare", "repeats", "headings", "closing",
        "indents", "long",
    ];
    let of_both = ["comment", "join"];
    let mut strange = Vec::new();
    if format != Format::Csv {
        strange.extend(of_rows.map(|key| (key, "csv")));
    }
    if format != Format::Described {
        strange.extend(of_lines.map(|key| (key, "described")));
    }
    if !matches!(format, Format::Csv | Format::Described) {
        strange.extend(of_both.map(|key| (key, "csv` and `described")));
    }
    if format != Format::Records {
        strange.push(("record", "records"));
    }
    if format != Format::Yaml {
        strange.extend(["tags", "tag", "content"].map(|key| (key, "yaml")));
    }
    for (key, of) in strange {
        if let Some(node) = table.get(key) {
            let place = crate::source::Place { file: node.document().file(), span: node.key_span() };
            faults.push(own::fault(place, said!("`{key}` says something of `{of}` only", key, of)));
        }
    }
    let comments: Vec<String> =
        table.texts("comment").into_iter().map(|(mark, _)| mark).filter(|mark| !mark.is_empty()).collect();
    let mark = |key: &str| table.text(key).filter(|mark| !mark.is_empty());
    if format == Format::Csv {
        let mut made = Rows::PLAIN;
        if let Some(separator) = table.text("separator") {
            match separator.as_bytes() {
                [byte] if byte.is_ascii() && !matches!(byte, b'"' | b'\r' | b'\n') => made.separator = *byte,
                _ => {
                    let place = table.get("separator").unwrap_or(node).place();
                    let message = "`separator` is one character of ASCII, and neither a quote nor a line break";
                    faults.push(own::fault(place, message));
                }
            }
        }
        (made.comment, made.join) = (comments.into_iter().next(), mark("join"));
        let mut count = |key: &str, least: usize| {
            let node = table.get(key)?;
            let count = node.raw().parse::<usize>().ok().filter(|count| (least..=1000).contains(count));
            if count.is_none() {
                faults.push(own::fault(node.place(), said!("`{key}` is a number from {least} to 1000", key, least)));
            }
            count
        };
        made.header = count("header", 1).unwrap_or(1);
        made.skip = count("skip", 0).unwrap_or(0);
        made.columns = table.texts("columns").into_iter().map(|(name, _)| name).collect();
        made.rows = mark("rows");
        let whole = made.columns.iter().rev().skip(1).all(|name| !name.ends_with("[]"));
        if let Some(node) = table.get("columns").filter(|_| !whole) {
            faults.push(own::fault(node.place(), "only the last column can take all cells that are left"));
        }
        if let Some(node) = table.get("header").filter(|_| made.is_bare()) {
            faults.push(own::fault(node.place(), "with `columns` or `rows` no row holds the names of the columns"));
        }
        notation = Notation::rows_of(made);
    } else if format == Format::Described {
        let mut made = Marks::plain();
        if let Some(assign) = mark("assign") {
            made.assign = if assign.trim().is_empty() { " ".to_owned() } else { assign.trim().to_owned() };
        }
        if table.get("comment").is_some() {
            for (mark, node) in table.texts("comment").into_iter().filter(|(mark, _)| ENDS.contains(&mark.trim())) {
                let fault = own::fault(node.place(), said!("`{mark}` ends comments, and begins none", mark));
                faults.push(fault.help(Some("what stands before and behind is one text: `comment = [\"/* */\"]`")));
            }
            // `/* */`: what stands before and behind one
            let (blocks, lines): (Vec<_>, Vec<_>) =
                comments.into_iter().partition(|mark| mark.trim().contains(char::is_whitespace));
            made.blocks =
                blocks.iter().filter_map(|mark| mark.trim().split_once(char::is_whitespace)).map(pair).collect();
            made.comments = lines;
        }
        let section = table.texts("section");
        match section.as_slice() {
            [] => {}
            [(open, _), (close, _)] if !open.is_empty() || !close.is_empty() => {
                made.section = Some((open.clone(), close.clone()));
            }
            _ => {
                let place = table.get("section").unwrap_or(node).place();
                faults.push(
                    own::fault(place, "`section` takes two marks: one before the name and one behind it")
                        .help(Some("`section = [\"[\", \"]\"]`")),
                );
            }
        }
        if made.section.as_ref().is_some_and(|(open, _)| open.is_empty()) {
            let place = table.get("section").unwrap_or(node).place();
            faults.push(own::fault(place, "a mark must stand before the name of a section"));
            made.section = None;
        }
        let closing = table.texts("closing");
        match closing.as_slice() {
            [] => {}
            [(open, _), (close, _)] if !open.is_empty() && made.section.is_some() => {
                made.closing = Some((open.clone(), close.clone()));
            }
            _ => {
                let place = table.get("closing").unwrap_or(node).place();
                faults.push(
                    own::fault(place, "`closing` takes two marks, around the name of the `section` that ends")
                        .help(Some("`section = [\"[\", \"]\"]` and `closing = [\"[/\", \"]\"]`")),
                );
            }
        }
        made.indents = table.boolean("indents");
        if let Some(node) =
            table.get("indents").filter(|_| made.indents && (made.section.is_some() || table.boolean("braces")))
        {
            faults.push(own::fault(node.place(), "what `indents` says is said by `section` or `braces` otherwise"));
            made.indents = false;
        }
        (made.named, made.join, made.include) = (mark("named"), mark("join"), mark("include"));
        (made.braces, made.any_case) = (table.boolean("braces"), table.boolean("any_case"));
        (made.bare, made.long) = (table.boolean("bare"), table.boolean("long"));
        made.headings = headings(&table, node, &made, faults);
        match table.text("repeats").as_deref() {
            None | Some("list") => {}
            Some("last") => made.last = true,
            Some(word) => {
                let place = table.get("repeats").unwrap_or(node).place();
                faults.push(own::fault(place, said!("`repeats` is `list` or `last`, not `{word}`", word)));
            }
        }
        notation = Notation::described(made);
    }
    if format == Format::Yaml {
        match (mark("tags"), mark("tag")) {
            (Some(field), begin) => {
                let begin = begin.unwrap_or_else(|| "!".to_owned());
                if begin.starts_with('!') {
                    notation = Notation::tagged(Tags { mark: begin, field, content: mark("content") });
                } else {
                    let place = table.get("tag").unwrap_or(node).place();
                    faults.push(own::fault(place, "a tag of YAML begins with `!`, so `tag` does, too"));
                }
            }
            (None, _) if table.get("content").is_some() || table.get("tag").is_some() => {
                let key = if table.get("tag").is_some() { "tag" } else { "content" };
                let place = table.get(key).unwrap_or(node).place();
                faults.push(
                    own::fault(place, said!("`{key}` needs `tags`: the field that holds a tag", key))
                        .help(Some("`tags = \"type\"`")),
                );
            }
            (None, _) => {}
        }
    }
    if format == Format::Records {
        notation = Notation::records(records(&table, node, faults));
    }
    let marks = table.texts("block");
    match marks.as_slice() {
        [] => {}
        [(begin, _), (end, _)] if !begin.is_empty() && !end.is_empty() => notation = notation.between(begin, end),
        _ => {
            let place = table.get("block").unwrap_or(node).place();
            faults.push(
                own::fault(place, "`block` takes two marks: one before the block and one behind it")
                    .help(Some("`block = [\"--data\", \"--end\"]`")),
            );
        }
    }
    Some(notation)
}

/// The marks around a table under headings.
fn headings(
    table: &Reading<'_, '_>,
    node: Node<'_>,
    made: &Marks,
    faults: &mut Vec<OwnFault>,
) -> Option<(String, String)> {
    let texts = table.texts("headings");
    let place = table.get("headings").unwrap_or(node).place();
    let message = match texts.as_slice() {
        [] => return None,
        [(open, _), (close, _)] if !open.is_empty() && !close.is_empty() => {
            if made.braces && open == "{" {
                "what `{` holds is said by `braces`: tables under headings need other marks, or no `braces`"
            } else if made.indents {
                "where lines that are further in belong to the one above, no rows can stand below headings"
            } else if made.join.is_none() {
                "`headings` needs `join`: what stands between the cells of a row"
            } else {
                return Some((open.clone(), close.clone()));
            }
        }
        _ => "`headings` takes two marks: one before the first row and one behind the last",
    };
    faults.push(own::fault(place, message).help(Some("`headings = [\"{\", \"}\"]` and `join = \", \"`")));
    None
}

/// The patterns that find records: each with named groups, which are the fields.
fn records(table: &Reading<'_, '_>, node: Node<'_>, faults: &mut Vec<OwnFault>) -> Records {
    let mut all = Vec::new();
    let help = Some("`record = 'INSERT INTO goods VALUES \\((?<id>\\d+), \"(?<name>[^\"]*)\"\\)'`".to_owned());
    for (source, node) in table.texts("record") {
        let regex = regex::RegexBuilder::new(&source).multi_line(true).size_limit(1 << 20).build();
        let message = match regex {
            Ok(regex) if regex.capture_names().flatten().next().is_some() => {
                all.push(regex);
                continue;
            }
            Ok(_) => "a record's fields are groups with names: `(?<id>…)`".to_owned(),
            Err(error) => {
                format!("`{source}` is no pattern: {}", error.to_string().lines().last().unwrap_or("").trim())
            }
        };
        faults.push(own::fault(node.place(), message).help(help.clone()));
    }
    if table.get("record").is_none() {
        let message = "`records` needs `record`: the patterns that find them".to_owned();
        faults.push(own::fault(node.place(), message).help(help));
    }
    Records(all)
}

/// What stands for a notation that cannot be used; nothing is said of what it reads.
pub(super) fn some_notation() -> Notation {
    Notation::described(Marks::plain())
}

/// How the files of a place are written, if it says so.
pub(super) fn notation_named(
    table: &Reading<'_, '_>,
    described: &[(String, Notation)],
    faults: &mut Vec<OwnFault>,
) -> Option<Notation> {
    let word = table.text("notation")?;
    let known = described.iter().find(|(name, _)| *name == word).map(|(_, notation)| notation.clone());
    let plain = Format::named(&word).filter(|format| !format.is_described()).map(Notation::from);
    if let Some(notation) = known.or(plain) {
        return Some(notation);
    }
    let formats = Format::ALL.into_iter().filter(|format| !format.is_described());
    let mut all: Vec<&str> = described.iter().map(|(name, _)| name.as_str()).collect();
    for format in formats {
        all.push(format.word());
    }
    let help = match nearest(&word, all.iter().copied()) {
        Some(near) => said!("the nearest known notation is `{nearest}`", nearest = near),
        None => said!("known are {known}; others are described under `[notations.{word}]`", known = listed(all), word),
    };
    let place = table.get("notation")?.place();
    faults.push(own::fault(place, said!("there is no notation `{word}`", word)).help(Some(help)));
    None
}

/// What ends comments in one language or another.
const ENDS: [&str; 5] = ["*/", "-->", "*)", "#>", "]]"];

fn pair((open, close): (&str, &str)) -> (String, String) {
    (open.to_owned(), close.trim().to_owned())
}
