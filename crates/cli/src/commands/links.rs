//! `links`.

use std::collections::{BTreeMap, BTreeSet};

use anstyle::Style;
use cognomen_core::{
    Catalog, End, KindId, Link, LinkHow, LinksReport, Subject, links as links_of, nearest_subject, subject,
};

use super::{Done, Failure};
use crate::answers::{LinkAnswer, LinksAnswer};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Places, Table, count, folded, paint, place, unshown, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen links item/peat-brick           what it uses, and what uses it, through tags too
  cognomen links tag/fuel                  who belongs to it, and who asks for it
  cognomen links tag/fuel --kind recipe    of these, the recipes
  cognomen links item.burn_minutes         who states this field
  cognomen links winter                    where this word of a choice stands
  cognomen links art/icons/eel.png         who shows this picture
  cognomen links item.eel.name             whose text this is")]
pub(crate) struct LinksArgs {
    /// A definition (kind/id), a field (kind.field), a word of a choice, a file, or the key of a text
    what: String,
    /// Only what uses it
    #[arg(long)]
    used_by: bool,
    /// Only what it uses
    #[arg(long, conflicts_with = "used_by")]
    uses: bool,
    /// Only links with definitions of this kind
    #[arg(long, value_name = "KIND")]
    kind: Option<String>,
    /// All of them: without this, where there are many, how many of each sort and the first fifty
    #[arg(long)]
    all: bool,
}

pub(crate) fn links(args: &LinksArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let asked = match opened.address(&args.what) {
        Ok(address) => Subject::Definition(address),
        Err(failure) => subject(catalog, &args.what).ok_or_else(|| match nearest_subject(catalog, &args.what) {
            Some(near) => {
                let what = visible(&args.what);
                anyhow::anyhow!("there is no `{what}`\n  help: the nearest known one is `{near}`").into()
            }
            // what looks like a file is none
            None if args.what.contains('.') => {
                let what = visible(&args.what);
                let name = what.rsplit('/').next().unwrap_or(&what);
                let stem = visible(name.split('.').next().unwrap_or(name));
                let none = format!("there is no file, text, field or definition `{what}`");
                anyhow::anyhow!("{none}\n  help: `cognomen find {stem}` looks everywhere").into()
            }
            None => failure,
        })?,
    };
    let start = std::time::Instant::now();
    let mut report = links_of(&opened.world, &asked);
    session.stage("links", start.elapsed());
    if let Some(kind) = args.kind.as_deref().map(|name| opened.kind(name)).transpose()? {
        let of_kind = |link: &Link| kind_of(catalog, &link.end) == Some(kind);
        report.uses.retain(of_kind);
        report.used_by.retain(of_kind);
    }
    if args.used_by {
        report.uses.clear();
    }
    if args.uses {
        report.used_by.clear();
    }
    match global.json() {
        true => json(catalog, &args.what, &report, session),
        false => human(&opened, &asked, &report, args, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

fn end_words(catalog: &Catalog, end: &End) -> String {
    match end {
        End::Definition(address) => visible(&catalog.show_address(*address)),
        End::Nameless(kind) => format!("a {} without id", catalog.rulebook().kind(*kind).name()),
        End::File(path) => visible(path),
        End::Text(key, language) => format!("{} ({language})", visible(key)),
    }
}

/// The kind of the definition that a link leads to, or comes from.
fn kind_of(catalog: &Catalog, end: &End) -> Option<KindId> {
    match end {
        End::Definition(address) => catalog.kind_of(*address),
        End::Nameless(kind) => Some(*kind),
        End::File(_) | End::Text(..) => None,
    }
}

fn how_words(catalog: &Catalog, link: &Link) -> String {
    match &link.how {
        LinkHow::Names => String::new(),
        LinkHow::Inherits => "inherits".to_owned(),
        LinkHow::Amends => "amends it".to_owned(),
        LinkHow::Through(group) => format!("through {}", catalog.show_address(*group)),
        LinkHow::Member => "has it as a member".to_owned(),
        LinkHow::Implies => "by its id".to_owned(),
        LinkHow::States(value) => visible(value),
        LinkHow::Reads(what, text) => format!("{what} `{}`", visible(text)),
    }
}

fn json(catalog: &Catalog, what: &str, report: &LinksReport, session: &mut Session) {
    let places = Places::new(catalog);
    let all = |links: &[Link]| -> Vec<LinkAnswer> {
        links
            .iter()
            .map(|link| {
                let (kind, how) = match &link.how {
                    LinkHow::Names => ("names", None),
                    LinkHow::Inherits => ("inherits", None),
                    LinkHow::Amends => ("amends", None),
                    LinkHow::Through(group) => ("through", Some(catalog.show_address(*group))),
                    LinkHow::Member => ("member", None),
                    LinkHow::Implies => ("implies", None),
                    LinkHow::States(value) => ("states", Some(value.clone())),
                    LinkHow::Reads(_, text) => ("reads", Some(text.clone())),
                };
                LinkAnswer {
                    end: end_words(catalog, &link.end),
                    how: kind,
                    what: how,
                    path: link.path.as_ref().map(ToString::to_string),
                    layer: catalog.layer(link.layer).id.clone(),
                    place: link.place.map(|at| places.full(at)),
                }
            })
            .collect()
    };
    let (uses, used_by) = (all(&report.uses), all(&report.used_by));
    session.json(&LinksAnswer { of: what.to_owned(), uses, used_by });
}

fn human(opened: &Opened, asked: &Subject, report: &LinksReport, args: &LinksArgs, session: &mut Session) {
    let catalog = opened.catalog();
    let mut head = match asked {
        Subject::Definition(address) => {
            let name =
                opened.world.view().readable_name(*address).map(|name| format!("  {}", paint(HEAD, &visible(&name))));
            format!("{}{}", paint(ID, &visible(&catalog.show_address(*address))), name.unwrap_or_default())
        }
        Subject::Field(kind, pattern) => {
            format!("the field {}", paint(ID, &format!("{}.{pattern}", catalog.rulebook().kind(*kind).name())))
        }
        Subject::Word(word) => format!("the word {}", paint(ID, &visible(word))),
        Subject::File(path) => format!("the file {}", paint(ID, &visible(path))),
        Subject::Text(key) => format!("the text {}", paint(ID, &visible(key))),
    };
    let uses = !matches!(asked, Subject::Field(..) | Subject::Word(_) | Subject::File(_)) && !args.used_by;
    let (there, by) = (count(report.uses.len(), "thing", "things"), count(report.used_by.len(), "place", "places"));
    match (uses, args.uses) {
        (true, false) => head.push_str(&format!(": uses {there}, used in {by}")),
        (true, true) => head.push_str(&format!(": uses {there}")),
        (false, _) => head.push_str(&format!(": used in {by}")),
    }
    session.say(head);
    if let Subject::Definition(address) = asked
        && let Some(note) = catalog.note_on(*address)
    {
        session.say(paint(FAINT, &format!("  your note: {}", visible(note))));
    }
    for (title, links) in [("uses", &report.uses), ("used by", &report.used_by)] {
        if links.is_empty() {
            continue;
        }
        session.say("");
        session.say(paint(HEAD, title));
        let (shown, more) = folded(links, args.all);
        if more > 0 {
            summed_up(catalog, links).lines("  ").into_iter().for_each(|line| session.say(line));
            session.say("");
        }
        let mut table = Table::default();
        for link in shown {
            let layer = catalog.layer(link.layer);
            table.row([
                (end_words(catalog, &link.end), ID),
                (link.path.as_ref().map(|path| visible(&path.to_string())).unwrap_or_default(), Style::new()),
                (how_words(catalog, link), Style::new()),
                (link.place.map(|at| place(catalog, at)).unwrap_or_default(), FAINT),
                (if layer.is_base() { String::new() } else { layer.id.clone() }, FAINT),
            ]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
        let kinds: BTreeSet<_> = links.iter().map(|link| kind_of(catalog, &link.end)).collect();
        let one = if kinds.len() > 1 { "`--kind KIND` shows those of one kind, " } else { "" };
        unshown(more, one).into_iter().for_each(|line| session.say(line));
    }
}

/// How many links there are of each sort, the most first: what is at the other end, in which field, in which way.
fn summed_up(catalog: &Catalog, links: &[Link]) -> Table {
    let mut sorts: BTreeMap<(String, String, String), usize> = BTreeMap::new();
    for link in links {
        let end = match (kind_of(catalog, &link.end), &link.end) {
            (Some(kind), _) => catalog.rulebook().kind(kind).name(),
            (None, End::Text(..)) => "texts",
            (None, _) => "files",
        };
        // what a field holds, and what an expression says, differ from one to the next
        let how = match &link.how {
            LinkHow::States(_) => String::new(),
            LinkHow::Reads(what, _) => (*what).to_string(),
            _ => how_words(catalog, link),
        };
        let path = link.path.as_ref().map(|path| visible(&path.of_any_entry())).unwrap_or_default();
        *sorts.entry((visible(end), path, how)).or_default() += 1;
    }
    let mut sorts: Vec<_> = sorts.into_iter().collect();
    sorts.sort_by_key(|(_, number)| std::cmp::Reverse(*number));
    let mut table = Table::default();
    for ((end, path, how), number) in sorts {
        table.row([(number.to_string(), HEAD), (end, ID), (path, Style::new()), (how, Style::new())]);
    }
    table
}
