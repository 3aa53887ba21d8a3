//! `changes`.

use std::collections::HashMap;
use std::path::Path;

use anyhow::anyhow;
use cognomen_core::{
    Against, Beside, Catalog, ChangeLine, ChangedDefinition, ChangesReport, Draft, LayerId, TextChange, World,
    changes as looked_up, nearest,
};

use super::players::with_and_without;
use super::{Done, Failure};
use crate::answers::{BesideAnswer, ChangedDefinitionAnswer, ChangesAnswer, TextChangeAnswer, ValueChange, value_of};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, Places, Table, count, folded, paint, unshown, value, visible, with_unit};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen changes long-night                        what the mod changes, adds and removes
  cognomen changes long-night --against tidegate     how two mods differ
  cognomen changes long-night --against ../long-night-1.0.zip --markdown
                                                     a changelog since an older version of the mod
  cognomen changes long-night --with tidegate        what it changes for players who have both
  cognomen changes base --against 1.1                what the game's update changed")]
pub(crate) struct ChangesArgs {
    /// The mod, or `base`; without it the mod that is edited
    layer: Option<String>,
    /// What to compare with, instead of what the mod stands on in the edition it was made for: another mod, the base
    /// that is here, a kept edition, or a folder or archive with another version of the mod or of the base
    #[arg(long, value_name = "MOD|base|EDITION|DIR|ARCHIVE")]
    against: Option<String>,
    /// What it changes for players who have these mods, too, with the parts of it that apply then; or in this mode of
    /// the game
    #[arg(long, value_name = "MODS|MODE", value_delimiter = ',', conflicts_with = "against")]
    with: Vec<String>,
    /// As Markdown, which always has all
    #[arg(long, conflicts_with = "format")]
    markdown: bool,
    /// All of it: without this, of each sort the first fifty where there are many, and long texts cut
    #[arg(long)]
    all: bool,
}

/// What is compared with, and how it is called.
enum Other {
    Layer(LayerId),
    Edition(Box<World>),
    Version(Box<World>),
}

/// The comparison that was asked for, in words.
struct Compared<'o> {
    opened: &'o Opened,
    layer: LayerId,
    /// The older edition, where the intents are taken against one.
    edition: Option<String>,
    /// The edition they should be taken against, where that cannot be done.
    lacking: Option<String>,
    /// What it is compared with, where that was said, or for which players.
    than: Option<String>,
    with: Option<String>,
    /// Whether all is told, however much it is.
    all: bool,
    report: ChangesReport,
}

pub(crate) fn changes(args: &ChangesArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open_with_editions(global)?;
    let layer = match &args.layer {
        Some(id) => opened.layer(id)?,
        None => opened.edited(global)?,
    };
    let catalog = opened.catalog();
    let is_base = catalog.layer(layer).is_base();
    let other = args.against.as_deref().map(|typed| other(&opened, layer, typed, session)).transpose()?;
    let players = match args.with.is_empty() || is_base {
        true => None,
        false => Some(with_and_without(&opened, layer, &args.with)?),
    };
    let against = match &other {
        None => match &players {
            Some((before, after)) => Against::Players(before, after),
            None => Against::Ground,
        },
        Some(Other::Layer(other)) if catalog.layer(*other).is_base() => Against::Base,
        Some(Other::Layer(other)) => Against::Mod(*other),
        Some(Other::Edition(world)) => Against::Edition(world),
        Some(Other::Version(world)) => Against::Version(world),
    };
    if is_base && !matches!(against, Against::Edition(_)) {
        let message = "the base changes only from edition to edition: `cognomen changes base --against 1.1`";
        return Err(Failure::Usage(message.to_owned()));
    }
    let report = looked_up(&opened.world, layer, against);
    let of_ground = matches!(against, Against::Ground);
    let edition = opened.world.edition_of(layer).filter(|_| of_ground).map(str::to_owned);
    let lacking = opened.world.edition_lacking(layer).filter(|_| of_ground).map(str::to_owned);
    let with = players.is_some().then(|| args.with.join(", "));
    let compared =
        Compared { opened: &opened, layer, edition, lacking, than: args.against.clone(), with, all: args.all, report };
    match (global.json(), args.markdown) {
        (true, _) => json(&compared, session),
        (_, true) => markdown(&compared, session),
        _ => human(&compared, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

/// What was typed behind `--against`.
fn other(opened: &Opened, layer: LayerId, typed: &str, session: &mut Session) -> Result<Other, Failure> {
    let catalog = opened.catalog();
    if let Some(known) = catalog.layer_named(typed) {
        return Ok(Other::Layer(known));
    }
    let world = |folders: &[String]| opened.world.with_base(&opened.source, folders).map_err(anyhow::Error::from);
    if let Some(edition) = catalog.workspace().editions.iter().find(|edition| edition.name == typed) {
        return Ok(Other::Edition(Box::new(world(&edition.base)?)));
    }
    if !session.folder().join(Path::new(typed)).exists() {
        let mods = catalog.layers().map(|(_, layer)| layer.id.as_str());
        let editions = catalog.workspace().editions.iter().map(|edition| edition.name.as_str());
        let help = match nearest(typed, mods.chain(editions)) {
            Some(near) => format!("the nearest is `{near}`"),
            None => "`cognomen mods` lists the mods, `cognomen keep --list` the editions".to_owned(),
        };
        return Err(anyhow!("there is no mod, edition, folder or archive `{}`\n  help: {help}", visible(typed)).into());
    }
    let folder = opened.place(Path::new(typed), session)?;
    if let Some((known, _)) = catalog.layers().find(|(_, known)| known.folder == folder) {
        return Ok(Other::Layer(known));
    }
    let other = match opened.world.mod_folder(&opened.source, &folder) {
        Some(_) if catalog.layer(layer).is_base() => {
            return Err(Failure::Usage(format!("`{}` is a mod; the base is compared with a base", visible(typed))));
        }
        Some(inner) => {
            let world = opened.world.with_mod(&opened.source, layer, &inner).map_err(anyhow::Error::from)?;
            Other::Version(Box::new(world))
        }
        None => Other::Edition(Box::new(world(&[folder])?)),
    };
    if let Other::Edition(read) = &other
        && !read.catalog().has_base()
    {
        let help = "it holds neither a mod's manifest nor definitions where the rulebook looks for them";
        return Err(anyhow!("nothing is read of `{}`\n  help: {help}", visible(typed)).into());
    }
    Ok(other)
}

/// The parts of a report with their words.
fn parts(report: &ChangesReport) -> [(&'static str, &[ChangedDefinition]); 4] {
    [
        ("changed", &report.changed),
        ("new", &report.added),
        ("removed", &report.removed),
        ("changed because they inherit", &report.inheriting),
    ]
}

fn sum(report: &ChangesReport) -> String {
    let values: usize = report.changed.iter().map(|one| one.lines.len()).sum();
    let mut parts = Vec::new();
    if !report.changed.is_empty() {
        let definitions = count(report.changed.len(), "definition", "definitions");
        parts.push(format!("changes {} in {definitions}", count(values, "value", "values")));
    }
    if !report.added.is_empty() {
        parts.push(format!("adds {}", count(report.added.len(), "definition", "definitions")));
    }
    if !report.removed.is_empty() {
        parts.push(format!("removes {}", count(report.removed.len(), "definition", "definitions")));
    }
    let (more, fewer) = report.beside.iter().fold((0, 0), |(more, fewer), one| (more + one.more, fewer + one.fewer));
    if more > 0 {
        parts.push(format!("puts {more} beside others"));
    }
    if fewer > 0 {
        parts.push(format!("takes {fewer} from beside others"));
    }
    let (more, other): (Vec<_>, Vec<_>) = report.texts.iter().partition(|text| text.before.is_none());
    if !other.is_empty() {
        parts.push(format!("says {} otherwise", count(other.len(), "text", "texts")));
    }
    if !more.is_empty() {
        parts.push(format!("translates {}", count(more.len(), "text", "texts")));
    }
    if parts.is_empty() {
        parts.push("changes nothing".to_owned());
    }
    if !report.inheriting.is_empty() {
        parts.push(format!("{} inherit from these", count(report.inheriting.len(), "other", "others")));
    }
    parts.join(", ")
}

/// How many there are of each kind: `recipe 2, kit 1`.
fn by_kind(catalog: &Catalog, definitions: &[ChangedDefinition]) -> String {
    let groups = definitions.chunk_by(|a, b| a.kind == b.kind);
    let group = |group: &[ChangedDefinition]| {
        let kind = group.first().map_or("", |one| catalog.rulebook().kind(one.kind).name());
        format!("{kind} {}", group.len())
    };
    groups.map(group).collect::<Vec<_>>().join(", ")
}

/// What became of a value: `40 → 55`, `+ fuel`, `- food`.
fn became(catalog: &Catalog, line: &ChangeLine) -> String {
    let field = line.ty.map(|ty| catalog.rulebook().field_type(ty));
    match (&line.before, &line.after, line.is_entry) {
        (None, Some(entry), true) => format!("+ {}", value(entry)),
        (Some(entry), _, true) => format!("- {}", value(entry)),
        // the unit once behind both, where both have it
        (Some(before), Some(after), _) => match field.and_then(|field| field.unit_of(before)) {
            Some(unit) if field.and_then(|field| field.unit_of(after)) != Some(unit) => {
                format!("{} {unit} → {}", value(before), value(after))
            }
            _ => format!("{} → {}", value(before), with_unit(field, after)),
        },
        (None, Some(after), _) => format!("nothing → {}", with_unit(field, after)),
        (Some(before), None, _) => format!("{} → nothing", value(before)),
        (None, None, _) => String::new(),
    }
}

/// Definitions that count beside others: which, and how many come and go.
fn beside(catalog: &Catalog, one: &Beside) -> (String, String) {
    let kind = catalog.rulebook().kind(one.kind).name();
    let what = match one.id {
        Some(id) => format!("{kind}/{}", catalog.names().text(id)),
        None => format!("{kind}, without an id"),
    };
    let sign = |sign: &str, many: usize| (many > 0).then(|| format!("{sign} {many}"));
    let signs: Vec<String> = [sign("+", one.more), sign("-", one.fewer)].into_iter().flatten().collect();
    (what, signs.join("  "))
}

fn human(compared: &Compared<'_>, session: &mut Session) {
    let Compared { opened, layer, report, .. } = compared;
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let id = |id: &str| paint(ID, &visible(id));
    let than = match (&compared.than, &compared.edition) {
        _ if compared.with.is_some() => format!(", with {},", id(compared.with.as_deref().unwrap_or_default())),
        (Some(other), _) => format!(", against {},", id(other)),
        (None, Some(edition)) => format!(", made for edition {},", id(edition)),
        (None, None) => String::new(),
    };
    session.say(format!("{}{than} {}", id(&catalog.layer(*layer).id), sum(report)));
    if let (Some(lacking), Some(here)) = (&compared.lacking, catalog.edition()) {
        let said =
            format!("  made for edition {}, which is not here: taken against {}", visible(lacking), visible(here));
        session.say(paint(FAINT, &said));
    }
    if report.repeated > 0 {
        let values = count(report.repeated, "value", "values");
        let so = if report.repeated == 1 { "as it is anyway" } else { "as they are anyway" };
        session.say(paint(FAINT, &format!("  and states {values} {so}")));
    }
    for (title, definitions) in parts(report).into_iter().filter(|(_, all)| !all.is_empty()) {
        session.say("");
        session.say(paint(FAINT, &format!("{title}: {}", by_kind(catalog, definitions))));
        if title == "new" || title == "removed" {
            let (shown, more) = folded(definitions, compared.all);
            let mut table = Table::default();
            for one in shown {
                let values = if title == "new" { count(one.lines.len(), "value", "values") } else { String::new() };
                let name = one.name.as_ref().map(visible).unwrap_or_default();
                table.row([(visible(&one.address(catalog)), ID), (name, HEAD), (values, FAINT)]);
            }
            table.lines("  ").into_iter().for_each(|line| session.say(line));
            unshown(more, "").into_iter().for_each(|line| session.say(line));
            continue;
        }
        // one table for all, so that the columns stand below each other
        let mut table = Table::default();
        let all = alike(catalog, definitions, title.contains("inherit") && !compared.all);
        let (shown, _) = folded(&all, compared.all);
        let more = all.iter().skip(shown.len()).map(Vec::len).sum();
        for group in shown {
            let Some(one) = group.first() else { continue };
            let name = one.name.as_ref().map(|name| format!("  {}", paint(HEAD, &visible(name)))).unwrap_or_default();
            let others = match group.len() - 1 {
                0 => String::new(),
                others => paint(FAINT, &format!(", and so {}", count(others, "other", "others"))),
            };
            table.head(format!("  {}{name}{others}", paint(ID, &visible(&one.address(catalog)))));
            let mut told: Option<&String> = None;
            for line in &one.lines {
                if let Some(why) = line.why.as_ref().filter(|why| told != Some(*why)) {
                    table.head(paint(FAINT, &format!("    {}", visible(why))));
                    told = Some(why);
                }
                let line_said = match compared.all {
                    true => became(catalog, line),
                    false => became(catalog, &cut(line)),
                };
                table.row([
                    (visible(&line.path.to_string()), HEAD),
                    (visible(&line_said), CHANGE),
                    (line.place.map(|at| places.place(at)).unwrap_or_default(), FAINT),
                ]);
            }
        }
        table.lines("    ").into_iter().for_each(|line| session.say(line));
        unshown(more, "").into_iter().for_each(|line| session.say(line));
    }
    besides(compared, session);
    texts(compared, session);
}

/// The texts that are said otherwise, and how many there are in which languages besides.
fn texts(compared: &Compared<'_>, session: &mut Session) {
    let catalog = compared.opened.catalog();
    let places = Places::new(catalog);
    for in_language in compared.report.texts.chunk_by(|a, b| a.language == b.language) {
        let language = in_language.first().map_or("", |text| text.language.as_str());
        let (more, other): (Vec<_>, Vec<_>) = in_language.iter().partition(|text| text.before.is_none());
        let more = match (more.len(), other.is_empty()) {
            (0, _) => String::new(),
            (more, true) => format!(": {more} more"),
            (more, false) => format!(": {}, and {more} more", other.len()),
        };
        session.say("");
        session.say(paint(FAINT, &format!("texts in {}{more}", visible(language))));
        let mut table = Table::default();
        let (shown, more) = folded(&other, compared.all);
        for text in shown {
            table.row([
                (visible(&text.key), HEAD),
                (visible(&said(text)), CHANGE),
                (text.place.map(|at| places.place(at)).unwrap_or_default(), FAINT),
            ]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
        unshown(more, "").into_iter().for_each(|line| session.say(line));
    }
}

/// Definitions in groups that change in the same way, where that is wanted; else each by itself.
fn alike<'c>(catalog: &Catalog, definitions: &'c [ChangedDefinition], wanted: bool) -> Vec<Vec<&'c ChangedDefinition>> {
    let mut groups: Vec<Vec<&ChangedDefinition>> = Vec::new();
    let mut known: HashMap<Vec<(String, String)>, usize> = HashMap::new();
    for one in definitions {
        let lines = one.lines.iter().filter(|_| wanted);
        let lines = lines.map(|line| (line.path.to_string(), became(catalog, line))).collect();
        let at = *known.entry(lines).or_insert(groups.len());
        match groups.get_mut(at).filter(|_| wanted) {
            Some(group) => group.push(one),
            None => groups.push(vec![one]),
        }
    }
    groups
}

/// So many letters of a text are told where it changes.
const LETTERS: usize = 80;

/// A change of long texts, of which the beginnings are told.
fn cut(line: &ChangeLine) -> ChangeLine {
    let short = |draft: &Option<Draft>| match draft {
        Some(Draft::Text(text)) if text.chars().count() > LETTERS => {
            Some(Draft::Text(format!("{}…", text.chars().take(LETTERS).collect::<String>().trim_end())))
        }
        other => other.clone(),
    };
    let (before, after) = (short(&line.before), short(&line.after));
    // where they begin alike, that tells nothing
    match before == after {
        true => line.clone(),
        false => ChangeLine { before, after, ..line.clone() },
    }
}

/// What became of a text.
fn said(text: &TextChange) -> String {
    let shown =
        |text: &Option<String>| text.as_ref().map_or("nothing".to_owned(), |text| value(&Draft::Text(text.clone())));
    format!("{} → {}", shown(&text.before), shown(&text.after))
}

fn besides(compared: &Compared<'_>, session: &mut Session) {
    let catalog = compared.opened.catalog();
    if compared.report.beside.is_empty() {
        return;
    }
    session.say("");
    session.say(paint(FAINT, "beside others, which stay as they are"));
    let mut table = Table::default();
    for one in &compared.report.beside {
        let (what, signs) = beside(catalog, one);
        table.row([(visible(&what), ID), (signs, CHANGE)]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
}

/// With a capital letter at the front.
fn capital(text: &str) -> String {
    let mut letters = text.chars();
    let first = letters.next().map(|letter| letter.to_uppercase().to_string()).unwrap_or_default();
    format!("{first}{}", letters.as_str())
}

fn markdown(compared: &Compared<'_>, session: &mut Session) {
    let Compared { opened, layer, report, .. } = compared;
    let catalog = opened.catalog();
    let found = catalog.layer(*layer);
    let version = match (&found.manifest, catalog.edition()) {
        (Some(manifest), _) => manifest.version.as_deref(),
        (None, edition) => edition,
    };
    let name = match &found.manifest {
        Some(manifest) => manifest.name.clone().unwrap_or_else(|| found.id.clone()),
        None => catalog.rulebook().game().name.clone(),
    };
    let version = version.map(|version| format!(" {version}")).unwrap_or_default();
    session.say(format!("## {}\n", visible(&format!("{name}{version}"))));
    session.say(format!("{}.", capital(&sum(report))));
    for (title, definitions) in parts(report).into_iter().filter(|(_, all)| !all.is_empty()) {
        session.say(format!("\n### {}\n", capital(title)));
        let mut kind = None;
        for one in definitions {
            if kind != Some(one.kind) {
                let space = if kind.is_some() { "\n" } else { "" };
                session.say(format!("{space}**{}**\n", catalog.rulebook().kind(one.kind).name()));
            }
            kind = Some(one.kind);
            let address = one.address(catalog);
            let name = one.name.as_ref().map_or_else(|| format!("`{address}`"), |name| format!("{name} (`{address}`)"));
            session.say(format!("- {name}"));
            for line in one.lines.iter().filter(|_| title.starts_with("changed")) {
                let why = line.why.as_ref().map(|why| format!(": {why}")).unwrap_or_default();
                session.say(format!("  - `{}` {}{why}", line.path, became(catalog, line)));
            }
        }
    }
    if !report.beside.is_empty() {
        session.say("\n### Beside others\n");
    }
    for one in &report.beside {
        let (what, signs) = beside(catalog, one);
        session.say(format!("- `{what}` {signs}"));
    }
    for in_language in report.texts.chunk_by(|a, b| a.language == b.language) {
        let language = in_language.first().map_or("", |text| text.language.as_str());
        session.say(format!("\n### Texts in {language}\n"));
        for text in in_language {
            session.say(format!("- `{}` {}", text.key, said(text)));
        }
    }
}

fn json(compared: &Compared<'_>, session: &mut Session) {
    let Compared { opened, layer, report, .. } = compared;
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let line = |line: &ChangeLine| ValueChange {
        path: line.path.to_string(),
        entry: line.is_entry,
        before: line.before.as_ref().map(value_of),
        after: line.after.as_ref().map(value_of),
        place: line.place.map(|at| places.full(at)),
        why: line.why.clone(),
    };
    let kind = |kind| catalog.rulebook().kind(kind).name().to_owned();
    let one = |one: &ChangedDefinition| ChangedDefinitionAnswer {
        address: one.address(catalog),
        kind: kind(one.kind),
        name: one.name.clone(),
        values: one.lines.iter().map(line).collect(),
    };
    let all = |definitions: &[ChangedDefinition]| definitions.iter().map(one).collect();
    let beside = |one: &Beside| BesideAnswer {
        kind: kind(one.kind),
        id: one.id.map(|id| catalog.names().text(id).to_owned()),
        more: one.more,
        fewer: one.fewer,
    };
    let text = |text: &TextChange| TextChangeAnswer {
        key: text.key.clone(),
        language: text.language.clone(),
        before: text.before.clone(),
        after: text.after.clone(),
        place: text.place.map(|at| places.full(at)),
    };
    session.json(&ChangesAnswer {
        layer: catalog.layer(*layer).id.clone(),
        against: compared.than.clone(),
        with: compared.with.clone(),
        made_for: compared.edition.as_ref().map(ToString::to_string),
        edition_lacking: compared.lacking.as_ref().map(ToString::to_string),
        changed: all(&report.changed),
        added: all(&report.added),
        removed: all(&report.removed),
        inheriting: all(&report.inheriting),
        repeated: report.repeated,
        beside: report.beside.iter().map(beside).collect(),
        texts: report.texts.iter().map(text).collect(),
    });
}
