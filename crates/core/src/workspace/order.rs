//! The load order: requirements first, then the workspace's own order, then ids.

use std::collections::BTreeMap;

use crate::source::Place;

/// A mod that is to be put into order.
#[derive(Debug)]
pub(crate) struct Orderable {
    pub(crate) id: String,
    pub(crate) requires: Vec<(String, Place)>,
    pub(crate) after: Vec<String>,
}

/// What is wrong with requirements or order.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum OrderFault {
    /// A requirement that is not there.
    Lacking { by: usize, id: String, place: Place },
    /// Mods that require each other; each with the place of its requirement of the next one.
    Circle { mods: Vec<(usize, Place)> },
    /// The workspace's order puts a mod before one that it requires.
    Contradicts { first: String, second: String, place: Place },
}

/// The mods (by position in `mods`) in load order, and what is wrong.
pub(crate) fn load_order(mods: &[Orderable], wanted: &[(String, Place)]) -> (Vec<usize>, Vec<OrderFault>) {
    let mut faults = Vec::new();
    let at: BTreeMap<&str, usize> = mods.iter().enumerate().map(|(at, m)| (m.id.as_str(), at)).collect();
    let rank = |id: &str| wanted.iter().position(|(listed, _)| listed == id).unwrap_or(wanted.len());
    let mut waits: Vec<Vec<(usize, Place)>> = Vec::new();
    for (by, item) in mods.iter().enumerate() {
        let mut before = Vec::new();
        for (id, place) in &item.requires {
            match at.get(id.as_str()) {
                Some(required) => before.push((*required, *place)),
                None => faults.push(OrderFault::Lacking { by, id: id.clone(), place: *place }),
            }
        }
        waits.push(before);
    }
    for item in mods {
        let own = rank(&item.id);
        for (id, _) in &item.requires {
            let required = rank(id);
            if let Some((_, place)) = wanted.get(own)
                && required < wanted.len()
                && own < required
            {
                faults.push(OrderFault::Contradicts { first: item.id.clone(), second: id.clone(), place: *place });
            }
        }
    }
    let mut order: Vec<usize> = Vec::new();
    let mut left: Vec<usize> = (0..mods.len()).collect();
    left.sort_by_key(|m| mods.get(*m).map(|item| (rank(&item.id), item.id.clone())));
    while !left.is_empty() {
        let required = |m: &usize| waits.get(*m).is_none_or(|w| w.iter().all(|(r, _)| !left.contains(r)));
        let after = |m: &usize| {
            mods.get(*m).is_none_or(|item| {
                item.after.iter().all(|id| at.get(id.as_str()).is_none_or(|other| !left.contains(other) || other == m))
            })
        };
        let next = left.iter().position(|m| required(m) && after(m)).or_else(|| left.iter().position(required));
        let next = next.unwrap_or_else(|| {
            let circle = circle_in(&left, &waits);
            let first = circle.first().map(|(m, _)| *m);
            faults.push(OrderFault::Circle { mods: circle });
            left.iter().position(|m| Some(*m) == first).unwrap_or(0)
        });
        order.push(left.remove(next));
    }
    (order, faults)
}

/// A circle among mods that all wait for one of each other, beginning with the first of them by order.
fn circle_in(left: &[usize], waits: &[Vec<(usize, Place)>]) -> Vec<(usize, Place)> {
    let mut path: Vec<(usize, Place)> = Vec::new();
    let mut here = left.first().copied().unwrap_or(0);
    loop {
        let next = waits.get(here).and_then(|w| w.iter().find(|(r, _)| left.contains(r)).copied());
        let Some((required, place)) = next else { return path };
        path.push((here, place));
        if let Some(start) = path.iter().position(|(m, _)| *m == required) {
            let mut circle = path.split_off(start);
            let least = circle.iter().enumerate().min_by_key(|(_, (m, _))| left.iter().position(|l| l == m));
            let least = least.map_or(0, |(at, _)| at);
            circle.rotate_left(least);
            return circle;
        }
        here = required;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{FileId, Span};

    fn place(at: u32) -> Place {
        Place { file: FileId(0), span: Span { start: at, end: at + 1 } }
    }

    fn order(mods: &[(&str, &[&str], &[&str])], wanted: &[&str]) -> (Vec<String>, Vec<OrderFault>) {
        let mods: Vec<Orderable> = mods
            .iter()
            .map(|(id, requires, after)| Orderable {
                id: (*id).to_owned(),
                requires: requires.iter().map(|id| ((*id).to_owned(), place(7))).collect(),
                after: after.iter().map(|id| (*id).to_owned()).collect(),
            })
            .collect();
        let wanted: Vec<_> = wanted.iter().map(|id| ((*id).to_owned(), place(3))).collect();
        let (order, faults) = load_order(&mods, &wanted);
        (order.into_iter().map(|at| mods[at].id.clone()).collect(), faults)
    }

    #[test]
    fn requirements_come_before_the_wanted_order_and_that_before_ids() {
        let mods: &[(&str, &[&str], &[&str])] =
            &[("eel", &["reed"], &[]), ("bog", &[], &[]), ("reed", &[], &[]), ("ash", &[], &["bog"])];
        assert_eq!(order(mods, &[]).0, ["bog", "ash", "reed", "eel"]);
        assert_eq!(order(mods, &["reed", "ash"]).0, ["reed", "bog", "ash", "eel"]);
        let (got, faults) = order(mods, &["eel", "reed"]);
        assert_eq!(got, ["reed", "eel", "bog", "ash"]);
        assert!(matches!(&faults[..], [OrderFault::Contradicts { first, .. }] if first == "eel"));
    }

    #[test]
    fn what_is_lacking_or_in_a_circle_is_said_once_and_an_order_is_found_all_the_same() {
        let (got, faults) = order(&[("a", &["b"], &[]), ("b", &["c"], &[]), ("c", &["b", "gone"], &[])], &[]);
        assert_eq!(got.len(), 3);
        assert!(matches!(&faults[0], OrderFault::Lacking { by: 2, id, .. } if id == "gone"));
        assert!(matches!(&faults[1], OrderFault::Circle { mods } if mods.len() == 2));
        assert_eq!(faults.len(), 2);
        // `after` in a circle gives way
        assert_eq!(order(&[("a", &[], &["b"]), ("b", &[], &["a"])], &[]).0, ["a", "b"]);
    }
}
