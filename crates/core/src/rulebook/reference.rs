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
