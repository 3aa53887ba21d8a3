//! `nothing-leads-there`.

use rustc_hash::FxHashSet;

use super::context::{Context, Led};
use super::finding::Finding;
use super::lost::{NAMED, Why};
use super::reach::may_name;
use super::registry::Check;
use super::words::Words;
use crate::catalog::{Address, Catalog, LayerId, LayerSet};
use crate::rulebook::{Severity, TypeId};
use crate::said::{Said, listed, one, said};

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
        if rulebook.kinds().all(|(_, kind)| kind.led_to.is_empty()) || context.looks_at_base_alone() {
            return;
        }
        let led = context.shared.led.get_or_init(|| led(catalog, context.shared.users.words()));
        let of_mods = context.definitions().filter(|(_, made)| !context.is_base(made.layer));
        for (_, definition) in of_mods {
            let kind = rulebook.kind(definition.kind);
            let new = context.view.is_new(definition);
            let Some(address) = catalog.address_of(definition).filter(|_| new) else { continue };
            if !kind.led_to.iter().any(|led| context.brings(led.from, address)) {
                continue;
            }
            let seen = |layers: &LayerSet| layers.iter().any(|layer| context.view.contains(layer));
            // a group leads to its members
            let mut ways = std::iter::once(address).chain(context.membership.groups_of(address));
            let is_parent = || {
                let mut children = context.shared.users.children(address);
                children.any(|child| context.view.contains(catalog.definition(child).layer))
            };
            if ways.any(|at| led.get(&at).is_some_and(seen))
                || is_parent()
                || is_meant(context, address, definition.layer)
                || context.causes().may_define(context.catalog, context.catalog.names.text(address.id))
                || context.causes().may_lead(context.catalog, context.catalog.names.text(address.id))
            {
                continue;
            }
            let fields: Vec<Said> = kind
                .led_to
                .iter()
                .filter(|led| context.brings(led.from, address))
                .map(|led| {
                    said!("`{field}` of {kind}", field = led.pattern, kind = one(rulebook.kind(led.kind).name()))
                })
                .collect();
            let message = said!("nothing leads to `{definition}`", definition = context.show(address));
            const SHOWN: usize = 4;
            let some: Vec<&Said> = fields.iter().take(SHOWN).collect();
            let more = if fields.len() > SHOWN { " and the like" } else { "" };
            let help = said!("it comes into the game by {fields}{more}", fields = listed(some), more);
            let place = context.definition_place(definition.at());
            findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(Some(help)));
        }
    },
};

/// Whether a reference of its mod that leads nowhere is meant to lead to a definition: then that is told.
fn is_meant(context: &Context<'_>, address: Address, layer: LayerId) -> bool {
    let types: FxHashSet<TypeId> = context.catalog.led_types_of(address.space).collect();
    let leading = context.astray.iter().filter(|astray| astray.layer == layer && types.contains(&astray.mention.wants));
    // also where a mod outside has the target: that is told, too, and what others have changes nothing here
    leading.take(NAMED).any(|astray| {
        let word = astray.word(context.catalog);
        let kinds = context.rulebook.link_kinds(astray.mention.wants);
        let lost = context.lost(&context.view, &word, &kinds);
        matches!(lost.why, Some(Why::Near(_, near)) if *near == *context.catalog.names.text(address.id))
    })
}

/// The layers in which something leads to a definition.
fn led(catalog: &Catalog, words: &Words) -> Led {
    let rulebook = &catalog.rulebook;
    let types: FxHashSet<TypeId> = rulebook.kinds().flat_map(|(kind, _)| catalog.led_types(kind)).collect();
    let mut out = Led::default();
    for (file, found) in catalog.files() {
        let (Some(harvest), Some(document), Some(layer)) =
            (catalog.harvest_of(file), catalog.document(file), found.layer)
        else {
            continue;
        };
        let leading = harvest.mentions.iter().zip(0u32..).filter(|(mention, _)| types.contains(&mention.wants));
        for (mention, nth) in leading {
            let mut all = || catalog.stacks.addresses().collect();
            let word = words.of((file, nth));
            may_name(catalog, (document, harvest, mention), word, &mut all, &mut |address| {
                out.entry(address).or_default().insert(layer);
            });
        }
    }
    out
}
