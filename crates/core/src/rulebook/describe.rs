//! Types in words, as messages, `kinds` and questions say them.

use super::demands::Demands;
use super::types::{FieldType, ListShape, Reading, Rulebook, TypeId, Words};
use crate::said::{Said, one, said};

impl Rulebook {
    /// A type in words: `a whole number from 0 to 900`, `an id of good`.
    pub fn describe(&self, id: TypeId) -> String {
        let ty = self.field_type(id);
        let range = || match (&ty.min, &ty.max) {
            (Some(min), Some(max)) => format!(" from {} to {}", min.number, max.number),
            (Some(min), None) => format!(" of at least {}", min.number),
            (None, Some(max)) => format!(" of at most {}", max.number),
            (None, None) => String::new(),
        };
        let listed = |words: &Words| words.listed.join(", ");
        let more = self.demanded(ty);
        let range_of = |places: &[TypeId]| {
            let ends = places.first().map_or_else(String::new, |end| self.describe(*end));
            format!("a range: from and to, each {ends}")
        };
        let is_range = ty.written.as_ref().is_some_and(|written| written.range);
        let described = match &ty.reading {
            Reading::Tuple { places, .. } if is_range => range_of(places),
            Reading::Any => "any value".to_owned(),
            Reading::Integer => format!("a whole number{}", range()),
            Reading::Number => format!("a number{}", range()),
            Reading::Boolean => "true or false".to_owned(),
            Reading::Text => "a text".to_owned(),
            Reading::Word { of, declares: true } => format!("a word, which makes it a {}", self.vocabulary(*of).name),
            Reading::Word { of, .. } => format!("a {}", self.vocabulary(*of).name),
            Reading::Choice(words) => format!("one of {}", listed(words)),
            Reading::Flags(words) => format!("a list of words out of {}", listed(words)),
            Reading::Link(kinds) => {
                let kinds: Vec<_> = kinds.iter().map(|kind| self.kind(*kind).name()).collect();
                format!("the id of {} {}", article(kinds.first().unwrap_or(&"")), kinds.join(" or "))
            }
            Reading::Parent(kind) => {
                let kinds: Vec<&str> =
                    self.parent_kinds(*kind).into_iter().map(|kind| self.kind(kind).name()).collect();
                let kinds = kinds.join(" or ");
                format!("the id of {} {kinds} to inherit from", article(&kinds))
            }
            Reading::File(template) => {
                let what = if template.names_folder() { "folder" } else { "file" };
                let picture = self.field_type(id).demands().and_then(|demands| demands.picture.as_ref());
                let size = picture.map_or_else(String::new, |picture| format!(", {}", picture.words()));
                format!("a {what} at {}{size}", template.fill("*"))
            }
            Reading::Path(of) => {
                let kinds: Vec<&str> = of.kinds.iter().map(|kind| self.kind(*kind).name()).collect();
                let whose = match &of.beside {
                    Some(field) => format!("what `{field}` names"),
                    None => format!("{} {}", article(kinds.first().unwrap_or(&"")), kinds.join(" or ")),
                };
                let form = of.form_shown().map_or_else(String::new, |form| format!(", as `{form}`"));
                format!("the path of a field of {whose}{form}")
            }
            Reading::Key(template) if template.fill("*") == "*" => "the key of a text".to_owned(),
            Reading::Key(template) => format!("the key of a text, as `{}`", template.fill("*")),
            Reading::List(list) => {
                let entry = self.describe(list.entry);
                let shape = match list.shape {
                    ListShape::Set => " (a set)",
                    ListShape::Keyed => " (keyed)",
                    ListShape::Bag => " (a bag)",
                    ListShape::Sequence => "",
                };
                format!("a list{shape}, each {entry}")
            }
            Reading::Formula { over: Some(kind), .. } => {
                format!("a formula over the fields of {}", self.kind(*kind).name())
            }
            Reading::Formula { .. } => "a formula".to_owned(),
            Reading::Tuple { places, needed } => {
                let all: Vec<String> = places.iter().map(|place| self.describe(*place)).collect();
                let most = all.len();
                let count = if *needed == most { most.to_string() } else { format!("{needed} to {most}") };
                format!("a list of {count} values: {}", all.join(", "))
            }
            Reading::Table(_) => "a table".to_owned(),
            Reading::Choose { cases, .. } => {
                let mut words: Vec<&str> = cases.keys().map(String::as_str).collect();
                words.sort_unstable();
                format!("a table of one of the sorts {}", words.join(", "))
            }
            Reading::Either { single, .. } => format!("{} or a table", self.describe(*single)),
            Reading::Map { value, .. } => format!("a map, each value {}", self.describe(*value)),
        };
        format!("{described}{more}{}", ty.written.as_ref().map_or_else(String::new, |written| written.words()))
    }

    /// What is demanded beyond the type, in words behind it.
    fn demanded(&self, ty: &FieldType) -> String {
        let Some(demands) = ty.demands() else { return String::new() };
        let mut out = String::new();
        let between = |least: Option<usize>, most: Option<usize>| {
            (least.is_some() || most.is_some()).then(|| Demands::count_words(least, most))
        };
        if let Some(count) = between(demands.min_count, demands.max_count) {
            out.push_str(&format!(", {count} of them"));
        }
        if let Some(length) = between(demands.min_length, demands.max_length) {
            out.push_str(&format!(" of {length} letters"));
        }
        if let Some(form) = &demands.form {
            out.push_str(&format!(" like `{}`", form.source));
        }
        match (&demands.safe_min, &demands.safe_max) {
            (Some(min), Some(max)) => out.push_str(&format!(", reliable from {} to {}", min.number, max.number)),
            (Some(min), None) => out.push_str(&format!(", reliable from {}", min.number)),
            (None, Some(max)) => out.push_str(&format!(", reliable up to {}", max.number)),
            (None, None) => {}
        }
        let called = demands.called.iter().map(|(number, name)| format!("{} is {name}", number.number));
        let called = called.collect::<Vec<_>>().join(", ");
        if !called.is_empty() {
            out.push_str(&format!(" ({called})"));
        }
        if demands.complete {
            out.push_str(", every word");
        }
        if demands.unique {
            out.push_str(", unlike all others");
        }
        if let Some(target) = &demands.target {
            out.push_str(&format!(" whose {target}"));
        }
        if let Some(only) = &demands.only {
            out.push_str(&format!(", only where {only}"));
        }
        if let Some(instead) = &demands.retired {
            out.push_str(&format!(" (retired: {instead})"));
        }
        out
    }
}

/// What helps where an id of one kind stands in which that of another is needed.
pub(crate) fn of_another_kind(id: &str, kind: &str, needed: &str) -> Said {
    said!("`{word}` is {kind}; here the id of {wanted} is needed", word = id, kind = one(kind), wanted = one(needed))
}

/// `a` or `an`.
pub(crate) fn article(word: &str) -> &'static str {
    let spoken_with_y = ["uni", "use", "eu"].iter().any(|start| word.starts_with(start));
    if word.starts_with(['a', 'e', 'i', 'o', 'u']) && !spoken_with_y { "an" } else { "a" }
}
