//! `derived-stale`.

use std::collections::BTreeMap;

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::effective::derived;
use crate::rulebook::{DerivedRule, Severity};
use crate::said::{listed, said};
use crate::source::{Place, Span};

pub(super) static CHECK: Check = Check {
    code: "derived-stale",
    severity: Severity::Error,
    since: "0.1",
    summary: "a file that follows from definitions, and is out of date",
    finds: "An index or list that a mod ships by hand, and that lacks what the mod defines, or names what it does not.",
    matters: "What is not listed is not loaded, in most games; what is listed and not there can stop them.",
    example: "goods/index.txt      # long-wick is not in it",
    mend: "Leave it to the build, or write it anew: `cognomen check --fix` and `cognomen build` write it complete.",
    accept: "If the game does not need it.",
    run: |context, findings| {
        let catalog = context.catalog;
        if context.rulebook.derived.is_empty() {
            return;
        }
        for (layer, found) in catalog.layers().filter(|(_, layer)| !layer.is_base()) {
            // what follows is worked out only for those that ship such a file
            let shipped = catalog.files().any(|(id, file)| {
                let is_such = |rule: &DerivedRule| rule.files.is_match(&file.relative);
                file.layer == Some(layer) && context.is_own(id) && context.rulebook.derived.iter().any(is_such)
            });
            if !shipped || !context.view.contains(layer) {
                continue;
            }
            for wanted in derived(context.world, layer) {
                let Some(file) = catalog.file_named(&format!("{}/{}", found.folder, wanted.path)) else { continue };
                if let (Some(rule), true) = (context.rulebook.derived.get(wanted.rule), context.is_own(file)) {
                    let text = catalog.text(file);
                    findings.extend(stale(context, file, text, &wanted, rule.stale.as_deref()));
                }
            }
        }
    },
};

/// So many are told by name.
const SHOWN: usize = 4;

fn stale(
    context: &Context<'_>,
    file: crate::source::FileId,
    text: &str,
    wanted: &crate::effective::Derived,
    game: Option<&str>,
) -> Option<Finding> {
    let plain = |line: &str| line.trim().trim_end_matches(',').to_owned();
    let mut left: BTreeMap<String, usize> = BTreeMap::new();
    for line in wanted.text.lines().map(plain).filter(|line| !line.is_empty()) {
        *left.entry(line).or_default() += 1;
    }
    let mut odd: Vec<(String, Place)> = Vec::new();
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let said = plain(line);
        match left.get_mut(&said) {
            _ if said.is_empty() || said.starts_with('#') => {}
            Some(number) if *number > 0 => *number -= 1,
            _ => {
                let from = start + line.find(|c: char| !c.is_whitespace()).unwrap_or(0);
                odd.push((said, Place { file, span: Span::new(from, from + line.trim().len()) }));
            }
        }
        start += line.len();
    }
    let lacking: Vec<&(String, crate::catalog::Address)> =
        wanted.lines.iter().filter(|(line, _)| left.get(&plain(line)).is_some_and(|number| *number > 0)).collect();
    if lacking.is_empty() && odd.is_empty() {
        return None;
    }
    let more = |all: usize| (all > SHOWN).then(|| said!(" and {more} more", more = all - SHOWN));
    let mut parts = Vec::new();
    if !lacking.is_empty() {
        parts.push(said!(
            "lacks `{lacking}`{more}",
            lacking = listed(lacking.iter().take(SHOWN).map(|(_, at)| context.show(*at))),
            more = more(lacking.len())
        ));
    }
    if !odd.is_empty() {
        parts.push(said!(
            "has `{odd}`{more}, which does not belong there",
            odd = listed(odd.iter().take(SHOWN).map(|(line, _)| line)),
            more = more(odd.len())
        ));
    }
    let place = odd.first().map_or(Place { file, span: Span::default() }, |(_, place)| *place);
    let about = lacking.first().map(|(_, at)| *at);
    let message = match parts.as_slice() {
        [one, other] => said!("`{file}` is out of date: it {one}, and {other}", file = wanted.path, one, other),
        _ => said!("`{file}` is out of date: it {one}", file = wanted.path, one = parts.first()),
    };
    let mut finding = Finding::new(&CHECK, place, message).about(about);
    finding.game = game.map(str::to_owned);
    let text = match text.contains("\r\n") {
        true => wanted.text.replace('\n', "\r\n"),
        false => wanted.text.clone(),
    };
    let help = "`cognomen build` writes it complete; or take it out, and leave it to the build".to_owned();
    Some(finding.help(Some(help)).mend(Some(Mend::Whole { file, text })))
}
