//! Which language a text file is in, by its name.

/// The part of a path that `{language}` stands for.
pub(crate) fn language_in(pattern: &str, path: &str) -> Option<String> {
    let segments: Vec<&str> = pattern.split('/').collect();
    let nth = segments.iter().position(|segment| segment.contains("{language}"))?;
    let (before, after) = segments.get(nth)?.split_once("{language}")?;
    let parts: Vec<&str> = path.split('/').collect();
    let language = |part: &&str| {
        let language = part.strip_prefix(before)?.strip_suffix(after)?;
        (!language.is_empty()).then(|| language.to_owned())
    };
    // which part of the path it is, as far as the pattern fixes it
    let many = |segments: Option<&[&str]>| segments.is_some_and(|some| some.contains(&"**"));
    match (many(segments.get(..nth)), many(segments.get(nth + 1..))) {
        (false, _) => parts.get(nth).and_then(language),
        (true, false) => parts.len().checked_sub(segments.len() - nth).and_then(|at| parts.get(at)).and_then(language),
        (true, true) => parts.iter().find_map(language),
    }
}

#[cfg(test)]
mod tests {
    use super::language_in;

    #[test]
    fn a_language_stands_where_the_pattern_has_it() {
        for (pattern, path, language) in [
            ("texts/{language}.csv", "texts/fr.csv", Some("fr")),
            ("texts/{language}/*.csv", "texts/fr/goods.csv", Some("fr")),
            ("texts/{language}/**/*.csv", "texts/fr/a/b.csv", Some("fr")),
            ("**/lang/{language}.json", "a/lang/fr.json", Some("fr")),
            ("**/{language}/names.json", "lang/en/names.json", Some("en")),
            ("**/text_{language}/**", "a/text_fr/b/c.json", Some("fr")),
            ("texts/*.csv", "texts/fr.csv", None),
        ] {
            assert_eq!(language_in(pattern, path).as_deref(), language, "{pattern}");
        }
    }
}
