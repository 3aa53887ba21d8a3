//! What would take all memory, or never end, is a finding at its place.

use super::check;
use crate::effective::World;
use crate::source::MemorySource;

fn found(rulebook: &str) -> Vec<(String, String)> {
    let source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", rulebook),
        ("base/goods/all.json", "{\"salt\": {\"size\": 1}}"),
    ]);
    let world = World::load(&source).unwrap();
    check(&world).into_iter().map(|finding| (finding.code.into_owned(), finding.message.to_string())).collect()
}

const HEAD: &str = "rulebook = 1\n[[where]]\nfiles = \"goods/*.json\"\ncut = \"{}\"\nkind = \"good\"\n";

#[test]
fn an_expression_has_an_end() {
    let rule = |text: &str| {
        let fields = "[kinds.good.fields]\n\"size\" = { type = \"integer\" }\n";
        found(&format!("{HEAD}{fields}[[kinds.good.rules]]\nrequire = \"{text}\"\nmessage = \"too large\"\n"))
    };
    for text in [
        format!("size < 1{}", "+1".repeat(3000)),
        format!("{}size < 2{}", "(".repeat(3000), ")".repeat(3000)),
        format!("{}(size < 2)", "not ".repeat(3000)),
    ] {
        let found = rule(&text);
        assert_eq!(found.len(), 1, "{found:?}");
        let (code, message) = &found[0];
        assert!(code == "rulebook-fault" && message.contains("an expression may be made of 400"), "{message}");
    }
    // what is allowed is calculated, on any thread
    assert_eq!(rule(&format!("size < 1{}", "+1".repeat(190))), []);
    assert_eq!(rule(&format!("{}size < 2{}", "(".repeat(40), ")".repeat(40))), []);
}

#[test]
fn parts_have_an_end() {
    let mut text = format!(
        "{HEAD}[kinds.good.fields]\n\"size\" = {{ type = \"integer\" }}\n\"p\" = {{ part = \"p0\", optional = true }}\n"
    );
    for nth in 0..40 {
        text.push_str(&format!(
            "[parts.p{nth}.fields]\na = {{ part = \"p{0}\" }}\nb = {{ part = \"p{0}\" }}\n",
            nth + 1
        ));
    }
    text.push_str("[parts.p40.fields]\na = { type = \"text\" }\n");
    let found = found(&text);
    let bounded = found.iter().filter(|(code, message)| {
        code == "rulebook-fault" && message.contains("parts come to more than 200000 fields")
    });
    assert_eq!(bounded.count(), 1, "{found:?}");
}
