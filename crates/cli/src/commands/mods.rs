//! `mods`: list, order.

use anstyle::Style;
use cognomen_core::{
    ChangeSet, Document, Draft, Edit, FieldPath, FileChange, FileId, Format, LayerId, Names, Source, Stamp,
    WORKSPACE_FILE, edit,
};

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Table, count, paint, unified, visible};
use crate::session::{Opened, Session, write};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen mods                                       in load order, with what each stands on
  cognomen mods order long-night first-steps          load them in this order
  cognomen mods order first-steps --first --dry-run   show the change only")]
pub(crate) struct ModsArgs {
    #[command(subcommand)]
    what: Option<What>,
}

#[derive(clap::Subcommand, Debug)]
enum What {
    /// List the mods in load order (also without a word)
    List,
    /// Write the order in which mods are loaded; the others keep theirs, behind the ones named
    Order {
        /// The mods' ids, first to last
        #[arg(required = true)]
        mods: Vec<String>,
        /// Put them before all others that are listed; otherwise they come last
        #[arg(long)]
        first: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

pub(crate) fn mods(args: &ModsArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    if let Some(What::Order { mods, first, dry_run }) = &args.what {
        return order(&opened, (mods, *first, *dry_run), global, session);
    }
    list(&opened, global, session);
    session.timings(global);
    Ok(Done::Well)
}

fn list(opened: &Opened, global: &Global, session: &mut Session) {
    let catalog = opened.catalog();
    let definitions = |layer| catalog.definitions().filter(|(_, definition)| definition.layer == layer).count();
    let edited = catalog.workspace().edit.as_ref().map(|(id, _)| id.as_str());
    let requires = |layer: LayerId| -> Vec<String> {
        let manifest = catalog.layer(layer).manifest.as_ref();
        manifest.map(|m| m.requires.iter().map(|(id, _)| id.clone()).collect()).unwrap_or_default()
    };
    if global.json() {
        let all: Vec<_> = catalog
            .layers()
            .map(|(id, layer)| {
                let manifest = layer.manifest.as_ref();
                serde_json::json!({
                    "id": layer.id, "name": manifest.and_then(|m| m.name.clone()),
                    "version": manifest.and_then(|m| m.version.clone()), "folder": layer.folder,
                    "definitions": definitions(id), "requires": requires(id), "edited": Some(layer.id.as_str()) == edited,
                })
            })
            .collect();
        session.json(&serde_json::json!({"format": 1, "mods": all}));
        return;
    }
    let mut table = Table::default();
    for (id, layer) in catalog.layers() {
        let manifest = layer.manifest.as_ref();
        let stands = match requires(id) {
            _ if layer.is_base() => "the game itself".to_owned(),
            required if required.is_empty() => "stands on the base".to_owned(),
            required => format!("stands on {}", required.join(", ")),
        };
        let mark = if Some(layer.id.as_str()) == edited { "edited" } else { "" };
        table.row([
            (visible(&layer.id), ID),
            (visible(manifest.and_then(|m| m.name.as_deref()).unwrap_or("")), HEAD),
            (visible(manifest.and_then(|m| m.version.as_deref()).unwrap_or("")), Style::new()),
            (count(definitions(id), "definition", "definitions"), Style::new()),
            (visible(&stands), Style::new()),
            (visible(&layer.folder), FAINT),
            (mark.to_owned(), crate::output::GOOD),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
}

fn order(
    opened: &Opened,
    (mods, first, dry_run): (&[String], bool, bool),
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    for id in mods {
        if opened.catalog().layer(opened.layer(id)?).is_base() {
            return Err(Failure::Usage("the base always loads first".to_owned()));
        }
    }
    let known = opened.catalog().layers().skip(1).map(|(_, layer)| layer.id.clone());
    let others: Vec<String> = known.filter(|id| !mods.contains(id)).collect();
    let order: Vec<String> = match first {
        true => mods.iter().cloned().chain(others).collect(),
        false => others.into_iter().chain(mods.iter().cloned()).collect(),
    };
    let bytes = opened.source.read(WORKSPACE_FILE).map_err(anyhow::Error::from)?;
    let before = String::from_utf8_lossy(&bytes).into_owned();
    let names = Names::new();
    let document = Document::parse(FileId::default(), Format::Toml, before.as_str().into(), &names);
    let value = Draft::List(order.iter().map(|id| Draft::Text(id.clone())).collect());
    let change = Edit::Set { at: FieldPath::key("order"), to: value };
    let text = edit(&document, &[change], &names).map_err(anyhow::Error::from)?;
    let path = WORKSPACE_FILE.to_owned();
    let changes = ChangeSet { files: vec![FileChange::Edit { path, seen: Stamp::of(&bytes), before, text }] };
    if dry_run {
        unified(&changes).into_iter().for_each(|line| session.say(line));
        return Ok(Done::Well);
    }
    write(&opened.root, &changes, &[WORKSPACE_FILE])?;
    let again = session.open(global)?;
    let now: Vec<String> = again.catalog().layers().map(|(_, layer)| layer.id.clone()).collect();
    if global.json() {
        session.json(&serde_json::json!({"format": 1, "order": now}));
        return Ok(Done::Well);
    }
    session.say(format!("load order: {}", now.iter().map(|id| paint(ID, id)).collect::<Vec<_>>().join(", ")));
    if now.iter().skip(1).ne(order.iter()) {
        session.remark("requirements come first all the same; `cognomen check` says which");
    }
    Ok(Done::Well)
}
