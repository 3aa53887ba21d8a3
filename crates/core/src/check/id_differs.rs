//! `id-differs`.

use super::context::{Context, has_slip};
use super::finding::Finding;
use super::registry::Check;
use crate::document::{FieldPath, Node, Shape, find};
use crate::rulebook::Severity;
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "id-differs",
    severity: Severity::Error,
    since: "0.2",
    summary: "a definition whose id stands in it once more, and differs",
    finds: "A field that repeats the id by the rulebook's word (`repeats_id`), and holds another one than the key or the file's name says.",
    matters: "The game knows the definition by one of the two, and what names the other finds nothing.",
    example: "\"eel\": { \"id\": \"ell\", … }",
    mend: "Make them the same; `cognomen rename` changes both.",
    accept: "If the game does not look at the inner one.",
    run: |context, findings| {
        for (_, definition) in context.written_by_own() {
            let kind = context.rulebook.kind(definition.kind);
            let Some(id) = definition.id.filter(|_| !kind.repeats_id.is_empty()) else { continue };
            let node = context.catalog.node(definition.at());
            if has_slip(node) {
                continue;
            }
            let (own, id) = (context.catalog.address_of(definition), context.catalog.names.text(id));
            let id = if kind.scoped { id.rsplit('/').next().unwrap_or(id) } else { id };
            for path in &kind.repeats_id {
                let other = find(node, path, &context.catalog.names).filter(|other| differs(*other, id));
                findings.extend(other.map(|other| told(context, own, (path, other), id)));
            }
        }
    },
};

fn differs(node: Node<'_>, id: &str) -> bool {
    matches!(node.shape(), Shape::Text | Shape::Number) && node.text() != id
}

fn told(
    context: &Context<'_>,
    own: Option<crate::catalog::Address>,
    (path, other): (&FieldPath, Node<'_>),
    id: &str,
) -> Finding {
    let whose =
        own.map_or_else(|| Said::from(id.to_owned()), |own| said!("`{definition}`", definition = context.show(own)));
    let message = said!("{whose} says `{value}` in `{field}`", whose, value = other.text(), field = path);
    let help = said!("the two have to be the same: `{id}`", id);
    Finding::new(&CHECK, other.place(), message).about(own).path(Some(path.clone())).help(Some(help))
}
