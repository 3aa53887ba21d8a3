//! Tags of YAML that say what sort of thing a table is.

use crate::document::{Format, Tags};

/// The tags of tables and lists in texts of YAML, with a field for them that nothing in these has.
pub(super) fn tags_in(texts: &[(String, Option<Format>, String)]) -> Option<Tags> {
    let yaml = || texts.iter().filter(|(_, known, _)| *known == Some(Format::Yaml)).map(|(.., text)| text.as_str());
    yaml().flat_map(str::lines).find_map(tag_on)?;
    let is_free = |field: &&str| !yaml().any(|text| text.contains(&format!("{field}:")));
    let field = ["sort", "does", "tag"].into_iter().find(is_free)?;
    Some(Tags { mark: "!".to_owned(), field: field.to_owned(), content: None })
}

/// The first tag on a line of YAML, where its value begins, and the byte at which it stands.
pub(crate) fn tag_on(line: &str) -> Option<(usize, &str)> {
    let entry = line.trim_start_matches(|c: char| c.is_whitespace() || c == '-');
    let begins = |text: &str| text.trim_start_matches(['[', ' ']).starts_with('!');
    let value = if begins(entry) { entry } else { entry.split_once(": ").map_or(entry, |(_, value)| value) };
    let value = value.trim_start_matches(['[', ' ']);
    let tag = value.split(|c: char| c.is_whitespace() || matches!(c, ',' | ']' | '}')).next()?;
    let name = tag.strip_prefix('!')?;
    name.starts_with(|c: char| c.is_ascii_alphabetic()).then_some((line.len() - value.len(), tag))
}

pub(super) fn tagged_name(tags: &Tags) -> String {
    format!("tagged-{}", tags.field)
}
