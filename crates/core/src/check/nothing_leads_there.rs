//! `nothing-leads-there`.

use rustc_hash::FxHashSet;

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::rulebook::{Severity, TypeId, article};

pub(super) static CHECK: Check = Check {
    code: "nothing-leads-there",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a new definition that nothing brings into the game",
    finds: "A definition of a mod that means something only if another one names it, as an item that no recipe gives and no trader sells, and none does.",
    matters: "Nobody will ever meet it.",
    example: "\"amber-lamp\": { ... }      # no recipe gives it, nobody sells it, nothing drops it",
    mend: "Name it in one of the fields that the finding lists.",
    accept: "If a script of the mod hands it out.",
    run: |context, findings| {
        let catalog = context.catalog;
        let rulebook = context.rulebook;
        if rulebook.kinds().all(|(_, kind)| kind.led_to.is_empty()) || catalog.layers().count() == 1 {
            return;
        }
        let types: FxHashSet<TypeId> = rulebook.kinds().flat_map(|(kind, _)| catalog.led_types(kind)).collect();
        let mut reached: FxHashSet<Address> = FxHashSet::default();
        let mut groups: Vec<Address> = Vec::new();
        for (_, harvest, document) in context.harvests() {
            for mention in harvest.mentions.iter().filter(|mention| types.contains(&mention.wants)) {
                let Some(address) = catalog.target_of(document, harvest, mention) else { continue };
                let is_group = catalog.kind_of(address).is_some_and(|kind| rulebook.kind(kind).is_group());
                if reached.insert(address) && is_group {
                    groups.push(address);
                }
            }
        }
        // a group leads to its members
        while let Some(group) = groups.pop() {
            for member in context.membership.members(group) {
                if reached.insert(*member) {
                    groups.push(*member);
                }
            }
        }
        let parents: FxHashSet<Address> = catalog
            .definitions()
            .filter_map(|(_, d)| Some(Address { space: rulebook.kind(d.kind).space, id: d.parent? }))
            .collect();
        for (_, definition) in catalog.definitions() {
            let new = definition.below.is_none() && !context.is_base(definition.layer);
            let kind = rulebook.kind(definition.kind);
            let Some(address) = catalog.address_of(definition).filter(|_| new && !kind.led_to.is_empty()) else {
                continue;
            };
            if reached.contains(&address) || parents.contains(&address) {
                continue;
            }
            let fields: Vec<String> = kind
                .led_to
                .iter()
                .map(|led| {
                    format!(
                        "`{}` of {} {}",
                        led.pattern,
                        article(rulebook.kind(led.kind).name()),
                        rulebook.kind(led.kind).name()
                    )
                })
                .collect();
            let message = format!("nothing leads to {}", context.show(address));
            const SHOWN: usize = 4;
            let some: Vec<&str> = fields.iter().take(SHOWN).map(String::as_str).collect();
            let more = if fields.len() > SHOWN { " and the like" } else { "" };
            let help = format!("it comes into the game by {}{more}", some.join(", "));
            let place = context.definition_place(definition.at());
            findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(Some(help)));
        }
    },
};
