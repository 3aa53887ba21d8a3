//! The reference page of the rulebook, made from the descriptions that the loader reads by.

use super::keys::TABLES;

/// The reference as Markdown.
pub fn rulebook_reference() -> String {
    let mut out = String::new();
    for table in TABLES {
        out.push_str(&format!("## `{}`\n\n{}\n\n", table.path, table.about));
        if !table.keys.is_empty() {
            out.push_str("| key | takes | meaning |\n|---|---|---|\n");
            for key in table.keys {
                let needed = if key.needed { " (needed)" } else { "" };
                out.push_str(&format!(
                    "| `{}` | {}{needed} | {} |\n",
                    key.name,
                    key.takes.words(),
                    key.about.replace('|', "\\|")
                ));
            }
            out.push('\n');
        }
        out.push_str(&format!("```toml\n{}```\n\n", table.example));
    }
    out.truncate(out.trim_end().len());
    out.push('\n');
    out
}

#[cfg(test)]
mod tests {
    use super::TABLES;
    use crate::own::Table;
    use crate::own::guesses::{GUESSES, OTHER_SHAPES};

    fn table(path: &str) -> &'static Table {
        TABLES.into_iter().find(|table| table.path == path).unwrap_or_else(|| panic!("no table {path}"))
    }

    #[test]
    fn what_is_tried_is_no_key_and_the_help_names_keys_that_are() {
        let keys: Vec<&str> = TABLES.iter().flat_map(|table| table.keys).map(|key| key.name).collect();
        for (of, tried, help) in GUESSES {
            for path in *of {
                let both = table(path).keys.iter().find(|key| tried.contains(&key.name));
                assert!(both.is_none(), "{path} has a key {}", both.map_or("", |key| key.name));
            }
            let named = help.split('`').skip(1).step_by(2);
            let words = named.filter(|word| word.chars().all(|c| c.is_ascii_lowercase() || c == '_'));
            let unknown: Vec<&str> = words.filter(|word| !keys.contains(word)).collect();
            assert!(unknown.is_empty(), "{help}: {unknown:?}");
        }
    }

    #[test]
    fn what_is_tried_in_another_shape_is_a_key() {
        for (of, tried, _) in OTHER_SHAPES {
            assert!(table(of).keys.iter().any(|key| key.name == *tried), "{of}: {tried}");
        }
    }
}
