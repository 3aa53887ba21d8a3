//! `member-circle`.

use rustc_hash::FxHashSet;

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::effective::Membership;
use crate::rulebook::Severity;
use crate::said::{chain, said};

pub(super) static CHECK: Check = Check {
    code: "member-circle",
    severity: Severity::Error,
    since: "0.1",
    summary: "groups that contain each other in a circle",
    finds: "A group, like a tag, that is a member of itself, perhaps through others.",
    matters: "The game goes round until it stops, or drops the groups.",
    example: "\"fuel\": { \"members\": [\"slow-fuel\"] }, \"slow-fuel\": { \"members\": [\"fuel\"] }",
    mend: "Take one of the memberships out.",
    accept: "Never.",
    run: |context, findings| {
        if context.rulebook.kinds().all(|(_, kind)| kind.members.is_none()) {
            return;
        }
        let membership = &context.membership;
        let mut told: FxHashSet<Address> = FxHashSet::default();
        // by name: how words are numbered depends on which thread met them first
        let mut groups: Vec<Address> = membership.all().into_iter().map(|(group, _)| group).collect();
        groups.retain(|group| context.reaches_group(*group));
        groups.sort_by_cached_key(|group| context.show(*group));
        for group in groups {
            if told.contains(&group) {
                continue;
            }
            let Some(mut circle) = circle(membership, group) else { continue };
            let first =
                circle.iter().enumerate().min_by_key(|(_, group)| context.show(**group)).map_or(0, |(at, _)| at);
            circle.rotate_left(first);
            told.extend(circle.iter().copied());
            let all = circle.iter().chain(circle.first()).map(|group| context.show(*group));
            let message = said!("groups contain each other in a circle: `{circle}`", circle = chain(all));
            let links = circle.iter().zip(circle.iter().cycle().skip(1));
            let mut places: Vec<_> = links.filter_map(|(group, member)| membership.place(*group, *member)).collect();
            places.sort_unstable_by_key(|(place, _)| std::cmp::Reverse(*place));
            let Some((place, _)) = places.first().copied() else { continue };
            let mut finding = Finding::new(&CHECK, place, message).about(circle.first().copied());
            for (place, _) in places.into_iter().skip(1) {
                finding = finding.related(place, "and this");
            }
            findings.push(finding.help(Some("take one of these memberships out")));
        }
    },
};

/// The way from a group through its members back to itself.
fn circle(membership: &Membership, group: Address) -> Option<Vec<Address>> {
    let mut seen: FxHashSet<Address> = FxHashSet::default();
    let mut ways: Vec<Vec<Address>> = vec![vec![group]];
    while let Some(way) = ways.pop() {
        for member in membership.members(*way.last()?) {
            if *member == group {
                return Some(way);
            }
            if seen.insert(*member) {
                let mut longer = way.clone();
                longer.push(*member);
                ways.push(longer);
            }
        }
    }
    None
}
