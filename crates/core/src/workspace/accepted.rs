//! `accepted.toml`: known findings that stay silent, each with the reason.

use crate::document::{Document, Draft, Edit, FieldPath, Format, Shape, edit};
use crate::names::Names;
use crate::own::{self, Key, OwnFault, Reading, Table, Takes};
use crate::source::{FileId, Place};

/// The name of the file, beside the workspace file.
pub const ACCEPTED_FILE: &str = "accepted.toml";

static TOP: Table = Table {
    path: "accepted.toml",
    about: "Findings that are known and accepted, beside `cognomen.toml`. `cognomen check --accept` writes them; by hand they can be shortened or given better reasons. A finding is accepted if all that an entry states is so. One that no longer occurs is a finding itself.",
    keys: &[
        Key { name: "accepted", takes: Takes::Integer, needed: false, about: "The number of this format: 1." },
        Key { name: "accept", takes: Takes::Tables, needed: false, about: "The accepted findings." },
    ],
    example: "accepted = 1\n\n[[accept]]\ncode = \"file-lacking\"\nfile = \"mods/long-night/goods/wicks.json\"\nof = \"item/long-wick\"\nwhy = \"the picture is still being painted\"\n",
};

static ACCEPT: Table = Table {
    path: "accept",
    about: "",
    keys: &[
        Key { name: "code", takes: Takes::Text, needed: true, about: "The finding's code." },
        Key { name: "file", takes: Takes::Text, needed: false, about: "Its file, below the workspace." },
        Key { name: "of", takes: Takes::Text, needed: false, about: "The address of the definition it is about." },
        Key { name: "path", takes: Takes::Text, needed: false, about: "The field it is about." },
        Key { name: "message", takes: Takes::Text, needed: false, about: "What it says." },
        Key { name: "why", takes: Takes::Text, needed: false, about: "The reason." },
    ],
    example: "",
};

/// One accepted finding. What is not stated may be anything.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Acceptance {
    /// The finding's code.
    pub code: String,
    /// Its file.
    pub file: Option<String>,
    /// The address of the definition it is about.
    pub of: Option<String>,
    /// The field it is about.
    pub path: Option<String>,
    /// What it says.
    pub message: Option<String>,
    /// The reason.
    pub why: Option<String>,
}

/// Reads the accepted findings, each with the place where it is stated.
pub(crate) fn read_accepted(
    document: &Document,
    names: &Names,
    faults: &mut Vec<OwnFault>,
) -> Vec<(Acceptance, Place)> {
    faults.extend(own::syntax(document));
    if document.is_broken() || !own::format_number(document, "accepted", names, faults) {
        return Vec::new();
    }
    let top = Reading::new(document.root(), &TOP, names, faults);
    let list = top.get("accept").filter(|node| node.shape() == Shape::List);
    let mut out = Vec::new();
    for node in list.into_iter().flat_map(|list| list.children()).filter(|node| node.shape() == Shape::Table) {
        let table = Reading::new(node, &ACCEPT, names, faults);
        let Some(code) = table.text("code") else { continue };
        let place = table.get("code").unwrap_or(node).place();
        let (file, of, path) = (table.text("file"), table.text("of"), table.text("path"));
        let (message, why) = (table.text("message"), table.text("why"));
        out.push((Acceptance { code, file, of, path, message, why }, place));
    }
    out
}

/// The file's text with further accepted findings.
///
/// # Errors
/// The file is broken, in words.
pub fn accept(before: Option<&str>, more: &[Acceptance]) -> Result<String, String> {
    let names = Names::new();
    let text = before.unwrap_or("accepted = 1\n");
    let document = Document::parse(FileId::default(), Format::Toml, text.into(), &names);
    if document.is_broken() {
        return Err(format!("{ACCEPTED_FILE} cannot be read; `cognomen check` says where"));
    }
    // entries of their own are put at the end; thousands of them in one go
    if let Some(before) = before.filter(|_| text.contains("[[accept]]"))
        && let Ok(new) = accept(None, more)
        && let Some((_, entries)) = new.split_once("[[accept]]")
    {
        let break_ = if before.contains("\r\n") { "\r\n" } else { "\n" };
        let entries = format!("[[accept]]{entries}").replace('\n', break_);
        let text = format!("{}{break_}{break_}{entries}", before.trim_end());
        if is_read_as(&text, more, &names) {
            return Ok(text);
        }
    }
    let list = FieldPath::key("accept");
    let tables: Vec<Draft> = more.iter().map(draft).collect();
    let edits: Vec<Edit> = match crate::document::find(document.root(), &list, &names) {
        Some(_) => tables
            .into_iter()
            .map(|value| Edit::Insert { into: list.clone(), before: None, key: None, value })
            .collect(),
        None => {
            let key = Some("accept".to_owned());
            vec![Edit::Insert { into: FieldPath::default(), before: None, key, value: Draft::List(tables) }]
        }
    };
    let text = edit(&document, &edits, &names).map_err(|error| error.to_string())?;
    // what is about to be said is what will be read
    match is_read_as(&text, more, &names) {
        true => Ok(text),
        false => Err(format!("what is accepted would not be read as it is from {ACCEPTED_FILE}")),
    }
}

/// Whether the last entries of a file are read as these.
fn is_read_as(text: &str, more: &[Acceptance], names: &Names) -> bool {
    let again = Document::parse(FileId::default(), Format::Toml, text.into(), names);
    let read = read_accepted(&again, names, &mut Vec::new());
    let new = read.len().checked_sub(more.len()).and_then(|at| read.get(at..)).unwrap_or_default();
    !again.is_broken() && new.iter().map(|(accepted, _)| accepted).eq(more)
}

fn draft(acceptance: &Acceptance) -> Draft {
    let Acceptance { code, file, of, path, message, why } = acceptance;
    let all = [("file", file), ("of", of), ("path", path), ("message", message), ("why", why)];
    let code = ("code".to_owned(), Draft::Text(code.clone()));
    let said = all.into_iter().filter_map(|(key, value)| Some((key.to_owned(), Draft::Text(value.clone()?))));
    Draft::Table(std::iter::once(code).chain(said).collect())
}

/// The keys of the file, as Markdown.
pub(super) fn reference() -> String {
    own::reference(&[&TOP, &ACCEPT])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accepted_findings_are_added_to_what_stands_there() {
        let one =
            Acceptance { code: "file-lacking".to_owned(), of: Some("item/x".to_owned()), ..Acceptance::default() };
        let first = accept(None, std::slice::from_ref(&one)).unwrap();
        assert_eq!(first, "accepted = 1\n\n[[accept]]\ncode = \"file-lacking\"\nof = \"item/x\"\n");
        let two = Acceptance { why: Some("known".to_owned()), ..one.clone() };
        let text = accept(Some(&format!("# ours\n{first}")), std::slice::from_ref(&two)).unwrap();
        assert!(text.starts_with("# ours\naccepted = 1\n"), "{text}");
        let names = Names::new();
        let document = Document::parse(FileId::default(), Format::Toml, text.as_str().into(), &names);
        let mut faults = Vec::new();
        let read: Vec<Acceptance> = read_accepted(&document, &names, &mut faults).into_iter().map(|(a, _)| a).collect();
        assert_eq!((read, faults), (vec![one, two], Vec::new()));
        assert!(accept(Some("accepted = "), &[]).is_err());
    }
}
