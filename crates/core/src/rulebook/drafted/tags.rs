//! Tags of YAML that say what sort of thing a table is.

use crate::document::{Format, Tags};

/// The tags of tables and lists in texts of YAML, with a field for them that nothing in these has.
pub(super) fn tags_in(texts: &[(String, Option<Format>, String)]) -> Option<Tags> {
    let yaml = || texts.iter().filter(|(_, known, _)| *known == Some(Format::Yaml)).map(|(.., text)| text.as_str());
    let is_tag = |line: &str| {
        let line = line.trim_start_matches(|c: char| c.is_whitespace() || c == '-');
        let value = line.split_once(": ").map_or(line, |(_, value)| value);
        let tag = value.trim_start_matches(['[', ' ']).strip_prefix('!');
        tag.is_some_and(|tag| tag.starts_with(|c: char| c.is_ascii_alphabetic()))
    };
    yaml().flat_map(str::lines).find(|line| is_tag(line))?;
    let is_free = |field: &&str| !yaml().any(|text| text.contains(&format!("{field}:")));
    let field = ["sort", "does", "tag"].into_iter().find(is_free)?;
    Some(Tags { mark: "!".to_owned(), field: field.to_owned(), content: None })
}

pub(super) fn tagged_name(tags: &Tags) -> String {
    format!("tagged-{}", tags.field)
}
