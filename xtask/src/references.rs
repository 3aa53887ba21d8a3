//! The generated parts of the docs: everything behind the mark is made from the code.

use anyhow::{Context, Result, bail};

use crate::root;

const MARK: &str = "<!-- Generated from here on by `cargo xtask references`. -->\n";

/// Writes the pages, or checks them.
pub fn references(check: bool) -> Result<()> {
    let pages = [
        ("docs/RULEBOOK.md", cognomen_core::rulebook_reference()),
        ("docs/EXPRESSIONS.md", cognomen_core::expressions_reference()),
        ("docs/FINDINGS.md", cognomen_core::findings_reference()),
        ("docs/AMENDMENTS.md", cognomen_core::amendments_reference()),
        ("docs/WORKSPACE.md", cognomen_core::workspace_reference()),
    ];
    let mut all = Vec::new();
    for (path, generated) in pages {
        let known = std::fs::read_to_string(root().join(path)).with_context(|| path.to_owned())?;
        let (before, _) = known.split_once(MARK).with_context(|| format!("{path} lacks the mark `{}`", MARK.trim()))?;
        all.push((path, format!("{before}{MARK}\n{generated}")));
    }
    let answers = serde_json::to_string_pretty(&cognomen::answers_schema())?;
    all.push(("docs/ANSWERS.schema.json", format!("{answers}\n")));
    for (path, wanted) in all {
        let file = root().join(path);
        if std::fs::read_to_string(&file).is_ok_and(|known| known == wanted) {
            continue;
        }
        if check {
            bail!("{path} is not what the code says; run `cargo xtask references`");
        }
        std::fs::write(&file, wanted)?;
        println!("wrote {path}");
    }
    Ok(())
}
