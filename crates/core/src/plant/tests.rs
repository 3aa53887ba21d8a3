//! Faults planted into all examples: each is told where it is, to whom it belongs, and nothing else is.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use rayon::prelude::*;

use super::{Bed, classes};
use crate::source::{Archives, FolderSource};

const EXAMPLES: [&str; 5] = ["kilnyard", "mulepost", "peatlight", "sporehall", "wrackline"];

/// `COGNOMEN_CLASS` chooses one class, `COGNOMEN_SHOW` prints the files.
#[test]
fn planted_faults_are_told_where_they_are_and_nothing_else_is() {
    let seeds = crate::trials::seeds(300);
    let count = seeds.end - seeds.start;
    let class = std::env::var("COGNOMEN_CLASS").ok();
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples");
    let sources = EXAMPLES.map(|name| Archives::new(FolderSource::new(&folder.join(name))));
    let fields: Vec<Bed<'_>> = sources.iter().map(|source| Bed::new(source).unwrap()).collect();
    let planted = seeds.into_par_iter().filter_map(|seed| {
        let at = usize::try_from(seed).unwrap() % fields.len();
        fields[at].plant(seed, class.as_deref()).map(|planted| (seed, EXAMPLES[at], planted))
    });
    let planted: Vec<_> = planted.collect();
    if std::env::var("COGNOMEN_SHOW").is_ok() {
        for (.., planted) in &planted {
            for (path, bytes) in &planted.files {
                eprintln!("=== {path}\n{}", String::from_utf8_lossy(bytes));
            }
        }
    }
    let wrong = planted.iter().filter(|(.., planted)| !planted.is_well());
    let mut by_class: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (seed, example, planted) in wrong {
        let what = planted.outcome();
        let (path, first, last) = &planted.at;
        let also = planted.also.iter().take(4).map(|line| format!("\n      {line}")).collect::<String>();
        let line = format!("  {seed} {example} {}: {what} at {path}:{first}-{last}{also}", planted.layer);
        by_class.entry(planted.class).or_default().push(line);
    }
    let report: Vec<String> = by_class.iter().map(|(class, all)| format!("{class}\n{}", all.join("\n"))).collect();
    let kinds: BTreeSet<&str> = planted.iter().map(|(.., planted)| planted.class).collect();
    assert!(
        report.is_empty(),
        "{} of {}, {} classes\n{}",
        by_class.values().flatten().count(),
        planted.len(),
        kinds.len(),
        report.join("\n")
    );
    assert!(class.is_some() || planted.len() as u64 > count * 9 / 10, "only {} were planted", planted.len());
    assert!(class.is_some() || count < 300 || kinds.len() >= 60, "only {} classes: {kinds:?}", kinds.len());
}

#[test]
fn every_class_has_a_place_somewhere() {
    let names: BTreeSet<&str> = classes().map(|class| class.name).collect();
    assert_eq!(names.len(), classes().count(), "two classes have one name");
    assert!(names.len() >= 60, "{}", names.len());
}
