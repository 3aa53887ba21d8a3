//! `far-outside`.

use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{AMENDMENT, DefId, Target};
use crate::document::{Shape, float};
use crate::rulebook::{NumberRange, Severity, TypeId};
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "far-outside",
    severity: Severity::Note,
    since: "0.1",
    summary: "a number far outside what the game itself uses",
    finds: "A number of a mod that is more than four times the greatest, or far below the least, that the base has in the same field of the same kind. Only fields with at least eight numbers are compared.",
    matters: "Often it was left over from testing, or has a zero too many.",
    example: "\"weight\": 120      # the base has 0.1 to 9 in 58 items",
    mend: "Compare it with `cognomen spread`.",
    accept: "If it is meant: accept it with the reason.",
    run: |context, findings| {
        let catalog = context.catalog;
        if catalog.layers().count() == 1 {
            return;
        }
        let base = context.shared.ranges.get_or_init(|| ranges(context));
        for (file, harvest, document) in context.harvests().filter(|(f, ..)| !context.is_base(context.layer_of(*f))) {
            let (start, _) = catalog.starts.get(file.0 as usize).copied().unwrap_or_default();
            let left = |(ty, range): &(TypeId, NumberRange)| {
                base.get(ty).is_some_and(|base| is_left_by(base, range.least) || is_left_by(base, range.most))
            };
            // most files stay within: only the others are gone through
            let some = harvest.ranges.iter().any(left);
            for (nth, made) in harvest.definitions.iter().enumerate().filter(|_| some) {
                let definition = catalog.definition(DefId(start + crate::source::to_u32(nth)));
                let root = context.rulebook.kind(definition.kind).root;
                context.rulebook.each_typed(document.node(made.node), root, &mut |ty, node| {
                    let number = context.rulebook.field_type(ty).is_number() && node.shape() == Shape::Number;
                    let Some(value) = float(&node.text()).filter(|_| number) else { return };
                    let Some(range) = base.get(&ty).filter(|range| is_left_by(range, value)) else { return };
                    // what is refused anyway is said once
                    if context.rulebook.field_type(ty).is_beyond(value) {
                        return;
                    }
                    let (about, path) = context.whose(file, crate::source::to_u32(nth), node);
                    let finding = Finding::new(&CHECK, node.place(), said(context, ty, node.raw(), range));
                    findings.push(finding.about(about).path(Some(path)));
                });
            }
            for (nth, amendment) in harvest.amendments.iter().enumerate() {
                let Target::Of { id } = &amendment.target else { continue };
                let Some(address) = catalog.address(amendment.kind, id) else { continue };
                let mut asked =
                    amendment.ops.iter().filter(|op| base.contains_key(&op.ty)).map(|op| &op.path).peekable();
                if asked.peek().is_none() {
                    continue;
                }
                let effective = context.view.effective_at(address, asked);
                for op in &amendment.ops {
                    let Some(range) = base.get(&op.ty) else { continue };
                    let value =
                        effective.as_ref().and_then(|effective| effective.get(catalog, &op.path)?.word(catalog));
                    let Some(word) = value else { continue };
                    let beyond = |value: f64| context.rulebook.field_type(op.ty).is_beyond(value);
                    if float(&word).is_some_and(|value| is_left_by(range, value) && !beyond(value)) {
                        let node = document.node(op.value);
                        let from = AMENDMENT | crate::source::to_u32(nth);
                        let (about, path) = context.whose(file, from, node);
                        let finding = Finding::new(&CHECK, node.place(), said(context, op.ty, &word, range));
                        findings.push(finding.about(about).path(Some(path)));
                    }
                }
            }
        }
    },
};

/// The numbers of all files of the base.
fn ranges(context: &Context<'_>) -> FxHashMap<TypeId, NumberRange> {
    let mut base: FxHashMap<TypeId, NumberRange> = FxHashMap::default();
    for (file, _) in context.catalog.files().filter(|(_, file)| file.layer.is_some_and(|l| context.is_game(l))) {
        let usual = |ty: TypeId| context.rulebook.field_type(ty).demands().is_none_or(|demands| !demands.unusual);
        let all = context.catalog.harvest_of(file).into_iter().flat_map(|harvest| &harvest.ranges);
        for (ty, range) in all.filter(|(ty, _)| usual(*ty)) {
            base.entry(*ty).or_default().join(*range);
        }
    }
    base
}

fn said(context: &Context<'_>, ty: TypeId, word: &str, range: &NumberRange) -> Said {
    let field = context.rulebook.field_type(ty);
    let unit = field.unit.as_ref().map(|unit| said!(" {unit}", unit));
    let (least, most, count) = (range.least, range.most, range.count);
    said!(
        "`{field}` is {word}{unit}, far outside what the game uses: {least} to {most} in {count} places",
        field = field.pattern,
        word,
        unit,
        least,
        most,
        count
    )
}

/// Whether a number lies far outside of what the base has.
fn is_left_by(base: &NumberRange, value: f64) -> bool {
    let width = base.most - base.least;
    base.count >= 8 && width > 0.0 && ((base.most > 0.0 && value > base.most * 4.0) || value < base.least - width * 3.0)
}
