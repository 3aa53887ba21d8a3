//! `tag`.

use anstyle::Style;
use anyhow::anyhow;
use cognomen_core::{
    Address, Alike, Belonging, ChangeSet, FileChange, InsteadReport, Join, LayerId, ManyOptions, Single, all_groups,
    group_instead, groups_around, join_group, new_group, set_many, twins,
};

use super::copy::refused;
use super::{Done, Failure, check_next, not_selected};
use crate::answers::{
    BelongingAnswer, GroupAnswer, GroupsAnswer, SingleAnswer, TagAnswer, TaggedAnswer, TwinAnswer, TwinsAnswer,
};
use crate::args::Global;
use crate::output::{FAINT, GOOD, HEAD, ID, Places, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(args_conflicts_with_subcommands = true)]
#[command(after_help = "Examples:
  cognomen tag                                        all groups, and how many belong to each
  cognomen tag tag/fuel                               who belongs to it, and by which way
  cognomen tag item/eel                               to what it belongs
  cognomen tag add tag/fuel item/long-wick item/tallow
  cognomen find --where \"burn_minutes > 60\" | cognomen tag add tag/fuel -
  cognomen tag remove tag/fuel item/long-wick
  cognomen tag twins item/salt-pike                   the same thing in other mods
  cognomen tag instead tag/cordage item/rope --twins  a group of it and its twins, made if it is not there, in its place
  cognomen tag instead tag/salted item/salt-pike      the group wherever the mod names the one, and where it still stands alone

A group is a definition whose kind has `members` in the rulebook, or one that others name in a field with `joins`.
Who comes or goes is said so that another mod can do the same for the same group.")]
pub(crate) struct TagArgs {
    #[command(subcommand)]
    what: Option<What>,
    /// A group, or what may belong to one
    about: Option<String>,
}

#[derive(clap::Subcommand, Debug)]
enum What {
    /// Put definitions into a group
    Add(Members),
    /// Take definitions out of a group
    Remove(Members),
    /// Find the same thing in other layers, by name and id
    Twins {
        /// The definition
        about: String,
    },
    /// Let a group take the place of one of its members wherever the mod names that
    Instead {
        /// The group
        group: String,
        /// The member
        member: String,
        /// First put it and its twins into the group, which is made if it is not there
        #[arg(long)]
        twins: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

#[derive(clap::Args, Debug)]
struct Members {
    /// The group
    group: String,
    /// The definitions; `-` for those that come in, one a line
    #[arg(required = true)]
    members: Vec<String>,
    /// The reason, kept with amendments
    #[arg(long, value_name = "TEXT")]
    why: Option<String>,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn tag(args: &TagArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    match (&args.what, &args.about) {
        (None, None) => all(global, session),
        (None, Some(about)) => around(about, global, session),
        (Some(What::Add(members)), _) => join(Join::In, members, global, session),
        (Some(What::Remove(members)), _) => join(Join::Out, members, global, session),
        (Some(What::Twins { about }), _) => alike(about, global, session),
        (Some(What::Instead { group, member, twins, dry_run }), _) => {
            instead((group, member), *twins, *dry_run, global, session)
        }
    }
}

/// The mod that is looked from: the one that is edited, else the highest.
fn seen_from(opened: &Opened, global: &Global) -> LayerId {
    let last = || opened.catalog().layers().last().map(|(layer, _)| layer);
    opened.edited(global).ok().or_else(last).unwrap_or(LayerId::BASE)
}

fn all(global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let layer = seen_from(&opened, global);
    let groups = all_groups(&opened.world, layer);
    if global.json() {
        let one = |(group, members): &(Address, usize)| GroupAnswer {
            group: catalog.show_address(*group),
            members: *members,
        };
        session.json(&GroupsAnswer { groups: groups.iter().map(one).collect() });
        return Ok(Done::Well);
    }
    if groups.is_empty() {
        session.say("there are no groups: no kind's `members` and no field with `joins` names anything");
        return Ok(Done::Well);
    }
    let mut table = Table::default().right(&[2]);
    for (group, members) in groups {
        let name = opened.world.view().readable_name(group).unwrap_or_default();
        table.row([
            (visible(&catalog.show_address(group)), ID),
            (visible(&name), FAINT),
            (members.to_string(), Style::new()),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    Ok(Done::Well)
}

fn around(about: &str, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let address = opened.address(about)?;
    let report = groups_around(&opened.world, seen_from(&opened, global), address);
    let places = Places::new(catalog);
    let shown = catalog.show_address(address);
    if global.json() {
        let one = |one: &Belonging| BelongingAnswer {
            address: catalog.show_address(one.other),
            through: one.through.iter().map(|at| catalog.show_address(*at)).collect(),
            place: one.place.map(|place| places.place(place)),
            by_member: one.by_member,
        };
        session.json(&TagAnswer {
            address: shown,
            groups: report.groups.iter().map(one).collect(),
            members: report.members.iter().map(one).collect(),
        });
        return Ok(Done::Well);
    }
    let list = |title: String, all: &[Belonging], session: &mut Session| {
        if all.is_empty() {
            return;
        }
        let mut table = Table::default();
        table.head(paint(HEAD, &title));
        for one in all {
            let name = opened.world.view().readable_name(one.other).unwrap_or_default();
            let through: Vec<String> = one.through.iter().map(|at| catalog.show_address(*at)).collect();
            let through =
                if through.is_empty() { String::new() } else { format!("through {}", visible(&through.join(", "))) };
            let place = one.place.map_or(String::new(), |place| places.place(place));
            table.row([
                (visible(&catalog.show_address(one.other)), ID),
                (visible(&name), FAINT),
                (through, Style::new()),
                (place, FAINT),
            ]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    };
    list(format!("{} belongs to", visible(&shown)), &report.groups, session);
    list(
        format!("{} belong to {}", count(report.members.len(), "definition", "definitions"), visible(&shown)),
        &report.members,
        session,
    );
    if report.groups.is_empty() && report.members.is_empty() {
        session.say(format!("{} belongs to no group, and nothing belongs to it", visible(&shown)));
    }
    Ok(Done::Well)
}

/// Carries a planned change of several definitions out; whether anything is changed.
fn carry_out(
    opened: &mut Opened,
    options: &ManyOptions,
    what: &str,
    dry_run: bool,
) -> Result<cognomen_core::ChangeSet, Failure> {
    if options.selection.addresses.is_empty() {
        return Ok(cognomen_core::ChangeSet::default());
    }
    let report = set_many(&mut opened.world, options).map_err(not_selected)?;
    opened.carry_out(&report.changes, what, dry_run)?;
    Ok(report.changes)
}

fn join(join: Join, args: &Members, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let Members { group, members, why, dry_run } = args;
    let dry_run = *dry_run;
    let word = if join == Join::In { "add" } else { "remove" };
    let what = format!("tag {word} {group} {}", members.join(" "));
    let mut opened = session.open_for(global, &what, dry_run)?;
    let layer = opened.edited(global)?;
    let at = opened.address(group)?;
    let mut all = Vec::new();
    for text in members {
        match text.as_str() {
            "-" => all.extend(opened.addresses_from_input()?),
            text => all.push(opened.address(text)?),
        }
    }
    let mut options = join_group(&opened.world, layer, at, &all, join).map_err(refused)?;
    options.why.clone_from(why);
    let changes = carry_out(&mut opened, &options, &what, dry_run)?;
    let said = groups_around(&opened.world, layer, at).members;
    let belongs = |member: &Address| said.iter().any(|one| one.other == *member && one.through.is_empty());
    let catalog = opened.catalog();
    if let Some(odd) = all.iter().find(|member| belongs(member) != (join == Join::In)) {
        return Err(anyhow!("`{}` would not have changed its place", catalog.show_address(*odd)).into());
    }
    let shown = catalog.show_address(at);
    let places = Places::new(catalog);
    if global.json() {
        session.json(&TaggedAnswer {
            group: shown,
            members: all.iter().map(|member| catalog.show_address(*member)).collect(),
            files: changes.files.iter().map(|change| change.path().to_owned()).collect(),
            left: Vec::new(),
            dry: dry(&changes, dry_run),
        });
        return Ok(Done::Well);
    }
    if dry_run {
        say_dry(&changes, session);
        return Ok(Done::Well);
    }
    let word = match (changes.files.is_empty(), join) {
        (true, Join::In) => "belongs already to",
        (true, Join::Out) => "does not belong to",
        (false, Join::In) => "now belongs to",
        (false, Join::Out) => "no longer belongs to",
    };
    for member in &all {
        let known = said.iter().find(|one| one.other == *member);
        let place = match known.map(|one| one.through.last()) {
            Some(None) => known.and_then(|one| one.place).map(|place| format!("  {}", places.place(place))),
            Some(Some(group)) => Some(format!(", but still through {}", catalog.show_address(*group))),
            None => None,
        };
        let place = place.unwrap_or_default();
        let line = format!(
            "{} {word} {}{}",
            paint(ID, &visible(&catalog.show_address(*member))),
            visible(&shown),
            paint(FAINT, &place)
        );
        session.say(line);
    }
    written(&changes, session);
    if !changes.files.is_empty() {
        check_next(&opened, layer, session);
    }
    Ok(Done::Well)
}

fn written(changes: &cognomen_core::ChangeSet, session: &mut Session) {
    let paths: Vec<&str> = changes.files.iter().map(FileChange::path).collect();
    match paths.is_empty() {
        true => session.remark("nothing was written"),
        false => session.written(&paths),
    }
}

fn alike(about: &str, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let address = opened.address(about)?;
    let all = twins(&opened.world, address);
    let shown = catalog.show_address(address);
    let layers = |at: Address| {
        let all: Vec<&str> = catalog.stack(at).map(|(_, made)| catalog.layer(made.layer).id.as_str()).collect();
        all.join(", ")
    };
    let word = |why: &Alike| match why {
        Alike::Name => "name",
        Alike::Id => "id",
        Alike::Groups => "groups",
    };
    if global.json() {
        let one = |twin: &cognomen_core::Twin| TwinAnswer {
            address: catalog.show_address(twin.address),
            alike: twin.why.iter().map(|why| word(why).to_owned()).collect(),
            groups: twin.shared.iter().map(|at| catalog.show_address(*at)).collect(),
        };
        session.json(&TwinsAnswer { address: shown, twins: all.iter().map(one).collect() });
        return Ok(Done::Well);
    }
    if all.is_empty() {
        session.say(format!("nothing in another layer is called like {}", visible(&shown)));
        return Ok(Done::Well);
    }
    let mut table = Table::default();
    for twin in &all {
        let name = opened.world.view().readable_name(twin.address).unwrap_or_default();
        let why: Vec<&str> = twin.why.iter().map(word).collect();
        let why = format!("the same {}", why.join(" and "));
        table.row([
            (visible(&catalog.show_address(twin.address)), ID),
            (visible(&name), FAINT),
            (visible(&layers(twin.address)), Style::new()),
            (why, Style::new()),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    let Some(first) = all.first().filter(|_| !global.quiet) else { return Ok(Done::Well) };
    session.say("");
    match first.shared.first() {
        Some(group) => {
            let group = catalog.show_address(*group);
            session.say(format!("both belong to {}: it can stand for either", visible(&group)));
            session.say(paint(FAINT, &format!("next: cognomen tag instead {} {}", visible(&group), visible(&shown))));
        }
        None => {
            session.say("no group has both; one that takes them stands for either wherever groups are taken");
            let next = format!("next: cognomen tag instead GROUP {} --twins", visible(&shown));
            session.say(paint(FAINT, &next));
        }
    }
    Ok(Done::Well)
}

/// Puts a definition and those of other layers that may be the same thing into a group, which is made if it is not
/// there; what that changes, and those that the mod does not stand on.
fn with_twins(
    opened: &mut Opened,
    layer: LayerId,
    group: &str,
    one: Address,
) -> Result<(ChangeSet, Vec<Address>), Failure> {
    let all: Vec<Address> = twins(&opened.world, one).into_iter().map(|twin| twin.address).collect();
    let ground = |at: &Address| cognomen_core::show(&opened.world.with_ground(layer), *at).is_some();
    let (mut here, outside): (Vec<Address>, Vec<Address>) = all.into_iter().partition(ground);
    here.insert(0, one);
    let known = opened.address(group);
    if let (Err(_), Some((kind, id))) = (&known, group.split_once('/')) {
        let kind = opened.kind(kind)?;
        return Ok((new_group(&mut opened.world, layer, (kind, id), &here).map_err(refused)?, outside));
    }
    let options = join_group(&opened.world, layer, known?, &here, Join::In).map_err(refused)?;
    if options.selection.addresses.is_empty() {
        return Ok((ChangeSet::default(), outside));
    }
    Ok((set_many(&mut opened.world, &options).map_err(not_selected)?.changes, outside))
}

fn instead(
    (group, member): (&str, &str),
    with: bool,
    dry_run: bool,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let what = format!("tag instead {group} {member}");
    let mut opened = session.open_for(global, &what, dry_run)?;
    let layer = opened.edited(global)?;
    let one = opened.address(member)?;
    let (first, outside) = match with {
        true => with_twins(&mut opened, layer, group, one)?,
        false => Default::default(),
    };
    let at = opened.address(group)?;
    let shown = opened.catalog().show_address(at);
    let belongs = groups_around(&opened.world, layer, at).members.iter().any(|known| known.other == one);
    if !belongs {
        let one = visible(&opened.catalog().show_address(one));
        let (message, help) = (
            format!("`{one}` does not belong to `{}`", visible(&shown)),
            format!("`cognomen tag add {} {one}`", visible(&shown)),
        );
        return Err(anyhow!("{message}\n  help: {help}").into());
    }
    let report = group_instead(&mut opened.world, layer, at, one).map_err(refused)?;
    let InsteadReport { changes, put, left } = report;
    let changes = first.then(changes);
    opened.carry_out(&changes, &what, dry_run)?;
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let why = |single: &Single| match single.takes_group {
        true => format!("of {}", catalog.layer(single.layer).id),
        false => "takes no group".to_owned(),
    };
    if global.json() {
        let single = |single: &Single| SingleAnswer {
            address: catalog.show_address(single.of),
            path: single.path.to_string(),
            place: single.place.map(|place| places.place(place)),
            takes_group: single.takes_group,
        };
        session.json(&TaggedAnswer {
            group: shown,
            members: vec![catalog.show_address(one)],
            files: changes.files.iter().map(|change| change.path().to_owned()).collect(),
            left: left.iter().map(single).collect(),
            dry: dry(&changes, dry_run),
        });
        return Ok(Done::Well);
    }
    if dry_run {
        say_dry(&changes, session);
    }
    if with {
        let members = groups_around(&opened.world, layer, at).members;
        let members: Vec<String> = members.iter().map(|known| catalog.show_address(known.other)).collect();
        session.say(format!("{}: {}", paint(ID, &visible(&shown)), visible(&members.join(", "))));
    }
    for other in &outside {
        let owner = catalog.stack(*other).last().map_or("", |(_, made)| catalog.layer(made.layer).id.as_str());
        let other = visible(&catalog.show_address(*other));
        session.say(format!("left out: {other}, of {}, which the mod does not require", visible(owner)));
    }
    for (address, path, word) in &put {
        let address = paint(ID, &visible(&catalog.show_address(*address)));
        session.say(format!("{address} {}: {}", visible(&path.to_string()), paint(GOOD, &visible(word))));
    }
    if !left.is_empty() {
        session.say(format!("{} still stands alone:", visible(&catalog.show_address(one))));
        let mut table = Table::default();
        for single in &left {
            let place = single.place.map_or(String::new(), |place| places.place(place));
            table.row([
                (visible(&catalog.show_address(single.of)), ID),
                (visible(&single.path.to_string()), Style::new()),
                (why(single), FAINT),
                (place, FAINT),
            ]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
    if !dry_run {
        written(&changes, session);
        if !changes.files.is_empty() {
            check_next(&opened, layer, session);
        }
    }
    Ok(Done::Well)
}
