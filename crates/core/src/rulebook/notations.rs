//! Reads `[notations.NAME]`: a format with what is special in it.

use super::keys;
use crate::document::{Format, Node, Notation, Rows};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading};

/// One notation; none if it cannot be used.
pub(super) fn read_notation(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> Option<Notation> {
    let table = Reading::new(node, &keys::NOTATION, names, faults);
    let word = table.text("format")?;
    let Some(format) = Format::named(&word) else {
        let all = Format::ALL.map(Format::word);
        let help = match nearest(&word, all) {
            Some(near) => format!("the nearest known format is `{near}`"),
            None => format!("known are {}", all.join(", ")),
        };
        let place = table.get("format").unwrap_or(node).place();
        let message = format!("there is no format `{word}`");
        faults.push(OwnFault { place, message, help: Some(help), second: None });
        return None;
    };
    let mut notation = Notation::from(format);
    let rows = ["separator", "comment", "join", "header", "skip"];
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
        let mark = |key: &str| table.text(key).filter(|mark| !mark.is_empty());
        (made.comment, made.join) = (mark("comment"), mark("join"));
        let mut count = |key: &str, least: usize| {
            let node = table.get(key)?;
            let count = node.raw().parse::<usize>().ok().filter(|count| (least..=1000).contains(count));
            if count.is_none() {
                faults.push(own::fault(node.place(), format!("`{key}` is a number from {least} to 1000")));
            }
            count
        };
        made.header = count("header", 1).unwrap_or(1);
        made.skip = count("skip", 0).unwrap_or(0);
        notation = Notation::rows_of(made);
    } else if let Some(node) = rows.iter().find_map(|key| table.get(key)) {
        let place = own_key(node);
        let help = Some("take it out, or say `format = \"csv\"`".to_owned());
        let message = format!("`{}` says something of `csv` only", node.key_text());
        faults.push(OwnFault { place, message, help, second: None });
    }
    let marks = table.texts("block");
    match marks.as_slice() {
        [] => {}
        [(begin, _), (end, _)] if !begin.is_empty() && !end.is_empty() => notation = notation.between(begin, end),
        _ => {
            let place = table.get("block").unwrap_or(node).place();
            let mut fault = own::fault(place, "`block` takes two marks: one before the block and one behind it");
            fault.help = Some("`block = [\"--data\", \"--end\"]`".to_owned());
            faults.push(fault);
        }
    }
    Some(notation)
}

fn own_key(node: Node<'_>) -> crate::source::Place {
    crate::source::Place { file: node.document().file(), span: node.key_span() }
}
