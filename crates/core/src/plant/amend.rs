//! Faults in amendments: a new file of them, with one that is no good.

use super::Class;
use super::site::{Ground, Made, Site, one};
use crate::dice::Dice;
use crate::document::FieldPath;
use crate::rulebook::Reading;

pub(super) const CLASSES: &[Class] = &[
    Class {
        name: "amendment of nothing",
        codes: &["amends-nothing"],
        plant: |ground, dice| {
            let (kind, _, path, value) = target_with(ground, dice, number)?;
            amended(ground, &format!("of = \"{kind}/zzq-zzq\"\nset = {{ \"{path}\" = {value} }}\n"), (4, 4))
        },
    },
    Class {
        name: "amendment of a kind nobody knows",
        codes: &["amendment-fault"],
        plant: |ground, dice| {
            let (_, id, path) = target(ground, dice, |_| true)?;
            amended(ground, &format!("of = \"zzq-zzq/{id}\"\nset = {{ \"{path}\" = 1 }}\n"), (4, 4))
        },
    },
    Class {
        name: "amendment of a field nobody knows",
        codes: &["field-not-known"],
        plant: |ground, dice| {
            let (kind, id, _) = target(ground, dice, |_| true)?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ zzq = 1 }}\n"), (5, 5))
        },
    },
    Class {
        name: "amendment with a value of another sort",
        codes: &["type-mismatch", "shape-mismatch"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, number)?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = [\"zzq\"] }}\n"), (5, 5))
        },
    },
    Class {
        name: "amendment beyond the limit",
        codes: &["out-of-range"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, |site| {
                site.is_number() && site.ty.max.is_some() && matches!(site.ty.reading, Reading::Integer)
            })?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = 99999999 }}\n"), (5, 5))
        },
    },
    Class {
        name: "factor beyond the limit",
        codes: &["out-of-range"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, |site| {
                let value = crate::document::float(&site.node.text()).unwrap_or(0.0);
                site.is_number()
                    && value > 0.0
                    && site.ty.max.as_ref().is_some_and(|max| value * 9e6 > max.value)
                    && matches!(site.ty.reading, Reading::Integer)
            })?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nmultiply = {{ \"{path}\" = 9000000 }}\n"), (5, 5))
        },
    },
    Class {
        name: "amendment with a word that is no choice",
        codes: &["not-a-choice"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, |site| {
                matches!(site.ty.reading, Reading::Choice(_)) && site.ty.written.is_none() && site.is_typed()
            })?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = \"zzq\" }}\n"), (5, 5))
        },
    },
    Class {
        name: "amendment with a reference to nothing",
        codes: &["leads-nowhere"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, |site| {
                matches!(site.ty.reading, Reading::Link(_))
                    && site.ty.link.is_none()
                    && site.node.key().is_some()
                    && site.node.is_empty()
                    && !site.of_key
            })?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = \"zzq-zzq\" }}\n"), (5, 5))
        },
    },
    Class {
        name: "amendment that takes away what is needed",
        codes: &["field-lacking", "cannot-be-built"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, |site| {
                site.is_number()
                    && !site.ty.optional
                    && site.ty.default.is_none()
                    && site.definition.parent.is_none()
                    && is_top(site)
            })?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nunset = [\"{path}\"]\n"), (4, 5))
        },
    },
    Class {
        name: "amendment without effect",
        codes: &["amendment-without-effect"],
        plant: |ground, dice| {
            let (kind, id, path, text) =
                target_with(ground, dice, |site| site.is_number() && site.is_typed() && is_top(site))?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = {text} }}\n"), (4, 5))
        },
    },
    Class {
        name: "condition with a field nobody knows",
        codes: &["amendment-fault"],
        plant: |ground, dice| {
            let (kind, _, path, value) = target_with(ground, dice, number)?;
            amended(
                ground,
                &format!("which = {{ kind = \"{kind}\", if = \"zzq > 1\" }}\nset = {{ \"{path}\" = {value} }}\n"),
                (4, 4),
            )
        },
    },
    Class {
        name: "condition that is no expression",
        codes: &["amendment-fault"],
        plant: |ground, dice| {
            let (kind, _, path, value) = target_with(ground, dice, number)?;
            amended(
                ground,
                &format!("which = {{ kind = \"{kind}\", if = \"1 +\" }}\nset = {{ \"{path}\" = {value} }}\n"),
                (4, 4),
            )
        },
    },
    Class {
        name: "condition that holds for nothing",
        codes: &["amends-nothing"],
        plant: |ground, dice| {
            let (kind, _, path, value) =
                target_with(ground, dice, |site| site.is_number() && is_top(site) && plain(site))?;
            let word = path.clone();
            amended(
                ground,
                &format!(
                    "which = {{ kind = \"{kind}\", if = \"{word} > 99999999\" }}\nset = {{ \"{path}\" = {value} }}\n"
                ),
                (4, 4),
            )
        },
    },
    Class {
        name: "operation nobody knows",
        codes: &["amendment-fault"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, number)?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nsett = {{ \"{path}\" = 1 }}\n"), (4, 5))
        },
    },
    Class {
        name: "amendments that cannot be read",
        codes: &["file-broken"],
        plant: |ground, dice| {
            let (kind, id, path) = target(ground, dice, number)?;
            amended(ground, &format!("of = \"{kind}/{id}\"\nset = {{ \"{path}\" = 1\n"), (4, 7))
        },
    },
];

fn number(site: &Site<'_>) -> bool {
    site.is_number()
}

fn is_top(site: &Site<'_>) -> bool {
    site.node.parent().is_some_and(|parent| parent.id() == site.definition.node)
}

fn plain(site: &Site<'_>) -> bool {
    site.node.key_text().bytes().all(|b| b.is_ascii_lowercase() || b == b'_')
}

/// Kind, id and path of a value of the base that fits, as an amendment names them.
fn target(ground: &Ground<'_>, dice: &mut Dice, fits: impl Fn(&Site<'_>) -> bool) -> Option<(String, String, String)> {
    target_with(ground, dice, fits).map(|(kind, id, path, _)| (kind, id, path))
}

/// The same with what is written there.
fn target_with(
    ground: &Ground<'_>,
    dice: &mut Dice,
    fits: impl Fn(&Site<'_>) -> bool,
) -> Option<(String, String, String, String)> {
    let catalog = ground.catalog;
    if catalog.layer(ground.layer).is_base() {
        return None;
    }
    let sites = super::site::of_layer(ground.world, crate::catalog::LayerId::BASE);
    // nobody else changes it, it stands by itself, and the way to it goes through tables alone
    let good = |site: &&Site<'_>| {
        let made = site.definition;
        let alone = catalog.address_of(made).is_some_and(|at| {
            catalog.stack(at).count() == 1 && ground.world.builds.of(at).is_empty() && !ground.is_parent(at)
        });
        alone
            && made.parent.is_none()
            && !made.is_abstract
            && fits(site)
            && catalog.rulebook.kind(made.kind).rules.is_empty()
    };
    let all: Vec<&Site<'_>> = sites.iter().filter(good).collect();
    (0..8).find_map(|_| {
        let site = one(&all, dice)?;
        let made = site.definition;
        let document = site.node.document();
        let whole = document.path_to(site.node.id(), &catalog.names);
        let above = document.path_to(made.node, &catalog.names);
        let path: FieldPath = whole.skip(above.steps().len());
        let keys = path.leading_keys() == path && path.steps().len() == 1;
        let id = catalog.names.text(made.id?);
        let kind = catalog.rulebook.kind(made.kind).name().to_owned();
        keys.then(|| (kind, id.to_owned(), path.to_string(), site.word()))
    })
}

fn amended(ground: &Ground<'_>, body: &str, lines: (u32, u32)) -> Option<Made> {
    let path = format!("{}/amendments/zzq.toml", ground.catalog.layer(ground.layer).folder);
    let text = format!("amendments = 1\n\n[[amend]]\n{body}");
    Some(Made {
        files: vec![(path.clone(), text.into_bytes())],
        gone: Vec::new(),
        at: (path, lines.0, lines.1),
        may_follow: &[],
    })
}
