//! Writes a workspace of realistic shape and any size, for measuring.
//!
//! About 26 nodes and 670 bytes a definition, six kinds, parents to depth 4, tags, references, and mods
//! that redefine, add and amend.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};

/// `cargo xtask generate`.
#[derive(clap::Args)]
pub struct GenerateArgs {
    /// Definitions in all layers together.
    #[arg(long, default_value_t = 100_000)]
    definitions: usize,
    /// Layers, the base included.
    #[arg(long, default_value_t = 3)]
    layers: usize,
    /// So many definitions of the base are changed by the mods together: a third of these are written anew, whole,
    /// the others amended. Without it, mods bring definitions of their own as well.
    #[arg(long, default_value_t = 0)]
    overrides: usize,
    /// Expression rules on every definition of the largest kind.
    #[arg(long, default_value_t = 0)]
    rules: usize,
    /// Whether a third of the definitions use packed lists, quantities, decorated links and several parents.
    #[arg(long)]
    notations: bool,
    /// The folder to write into; it must be empty or new.
    #[arg(long)]
    out: PathBuf,
}

/// A small generator of numbers, so that the same arguments give the same bytes.
struct Dice {
    state: u64,
    /// Whether a third of the definitions are written in other notations.
    notations: bool,
}

impl Dice {
    fn roll(&mut self, below: usize) -> usize {
        self.state ^= self.state << 13;
        self.state ^= self.state >> 7;
        self.state ^= self.state << 17;
        (self.state % below.max(1) as u64) as usize
    }
}

const PER_FILE: usize = 60;

/// Writes the workspace and says what it holds.
pub fn generate(args: &GenerateArgs) -> Result<()> {
    if args.out.read_dir().is_ok_and(|mut entries| entries.next().is_some()) {
        bail!("{} is not empty", args.out.display());
    }
    if args.layers == 0 || args.definitions < args.layers * 10 {
        bail!("at least one layer, and ten definitions a layer");
    }
    let mut dice = Dice { state: 0x9e37_79b9_7f4a_7c15, notations: args.notations };
    let mods = args.layers - 1;
    // what a mod writes and amends, and every which of what it writes is one of the base's
    let (in_mod, amended, share, in_base) = match args.overrides {
        0 => {
            let in_mod = (args.definitions / 5).checked_div(mods).unwrap_or(0);
            (in_mod, in_mod / 10, 3, args.definitions - in_mod * mods)
        }
        all => {
            let each = all.checked_div(mods).unwrap_or(0);
            (each / 3, each - each / 3, 1, args.definitions)
        }
    };
    let tags = (in_base / 50).max(5);
    put(&args.out, "rulebook/rulebook.toml", &rulebook(args.rules, args.notations))?;
    let order: Vec<String> = (1..=mods).map(|at| format!("\"mod-{at}\"")).collect();
    let workspace = format!(
        "cognomen = 1\nrulebook = \"rulebook\"\nbase = \"base\"\nmods = \"mods\"\norder = [{}]\n{}",
        order.join(", "),
        if mods > 0 { "edit = \"mod-1\"\n" } else { "" }
    );
    put(&args.out, "cognomen.toml", &workspace)?;
    let mut bytes = 0;
    let mut tag_file = String::from("{\n");
    for tag in 0..tags {
        let comma = if tag + 1 < tags { "," } else { "" };
        writeln!(tag_file, "  \"tag-{tag}\": {{ \"about\": \"things of sort {tag}\" }}{comma}")?;
    }
    tag_file.push_str("}\n");
    bytes += put(&args.out, "base/tags/all.json", &tag_file)?;
    let wares = in_base - tags;
    for start in (0..wares).step_by(PER_FILE) {
        let ids: Vec<usize> = (start..(start + PER_FILE).min(wares)).collect();
        let path = format!("base/wares/{:03}/{:05}.json", start / (PER_FILE * 100), start / PER_FILE);
        bytes += put(&args.out, &path, &file(&ids, "ware", wares, tags, &mut dice, None))?;
    }
    for at in 1..=mods {
        let id = format!("mod-{at}");
        put(&args.out, &format!("mods/{id}/mod.toml"), &format!("id = \"{id}\"\ntitle = \"Mod {at}\"\n"))?;
        for start in (0..in_mod).step_by(PER_FILE) {
            let ids: Vec<usize> = (start..(start + PER_FILE).min(in_mod)).collect();
            let path = format!("mods/{id}/wares/{:05}.json", start / PER_FILE);
            let text = file(&ids, &format!("m{at}"), wares, tags, &mut dice, Some(share));
            bytes += put(&args.out, &path, &text)?;
        }
        let mut amendments = String::from("amendments = 1\n");
        for _ in 0..amended {
            let ware = dice.roll(wares);
            write!(
                amendments,
                "\n[[amend]]\nof = \"ware/ware-{ware}\"\nset = {{ worth = {} }}\nadd = {{ tags = [\"tag-{}\"] }}\nmultiply = {{ bulk = 1.5 }}\n",
                dice.roll(900),
                dice.roll(tags)
            )?;
        }
        put(&args.out, &format!("mods/{id}/amendments/all.toml"), &amendments)?;
    }
    println!(
        "{} definitions{} in {} layers, {:.1} MB of JSON, in {}",
        args.definitions,
        if args.overrides > 0 { format!(" and {} overrides", args.overrides) } else { String::new() },
        args.layers,
        bytes as f64 / 1e6,
        args.out.display()
    );
    Ok(())
}

fn put(out: &Path, path: &str, text: &str) -> Result<usize> {
    let path = out.join(path);
    std::fs::create_dir_all(path.parent().context("a file has a folder")?)?;
    std::fs::write(&path, text).with_context(|| path.display().to_string())?;
    Ok(text.len())
}

fn file(ids: &[usize], prefix: &str, wares: usize, tags: usize, dice: &mut Dice, redefine: Option<usize>) -> String {
    let mut out = String::from("{\n");
    for (nth, id) in ids.iter().enumerate() {
        let name = match redefine {
            Some(share) if nth % share == 0 => format!("ware-{}", dice.roll(wares)),
            _ => format!("{prefix}-{id}"),
        };
        // the first of each group of five is the root of a chain of parents four deep
        let parent = match (redefine, id % 5) {
            (None, depth @ 1..=4) if dice.roll(3) > 0 => Some(format!("{prefix}-{}", id - id % 5 + depth - 1)),
            _ => None,
        };
        definition(&mut out, &name, parent, wares, tags, dice);
        out.push_str(if nth + 1 < ids.len() { ",\n" } else { "\n" });
    }
    out.push_str("}\n");
    out
}

/// Lines of the rulebook, and what stands there where values are written in other notations.
const NOTATIONS: [(&str, &str); 4] = [
    ("parent = \"based_on\"", "parent = \"based_on[]\""),
    (
        "\"tags[]\" = { link = \"tag\", list = \"bag\" }",
        "\"tags\" = { split = \" \", list = \"bag\" }\n\"tags[]\" = { link = \"tag\", form = [\"{id}\", \"#{id}\"] }",
    ),
    (
        "\"bulk\" = { type = \"number\", min = 0, max = 10000 }",
        "\"bulk\" = { type = \"number\", min = 0, max = 10000, unit = \"load\", units = { load = 1, cart = 12 } }",
    ),
    (
        "\"wet\" = { type = \"boolean\" }",
        "\"wet\" = { type = \"boolean\", yes = [\"1\"], no = [\"0\"] }\n\"cost\" = { split = \",\", optional = true }\n\"cost[]\" = { type = \"tuple\", split = \"*\" }\n\"cost[][0]\" = { link = \"ware\" }\n\"cost[][1]\" = { type = \"integer\" }",
    ),
];

fn definition(out: &mut String, name: &str, parent: Option<String>, wares: usize, tags: usize, dice: &mut Dice) {
    let other = dice.notations && dice.roll(3) == 0;
    let based = parent.map(|parent| match other {
        true => format!("    \"based_on\": [\"{parent}\", \"ware-{}\"],\n", dice.roll(wares) / 5 * 5),
        false => format!("    \"based_on\": \"{parent}\",\n"),
    });
    let based = based.unwrap_or_default();
    let bulk = format!("{}.{}", 1 + dice.roll(20), dice.roll(9));
    let marks = (dice.roll(tags), dice.roll(tags));
    let wet = dice.roll(2);
    let (bulk, marks, wet) = match other {
        true => (
            format!("\"{bulk} cart 2load\""),
            format!("\"tag-{} #tag-{}\"", marks.0, marks.1),
            format!("\"{wet}\",\n    \"cost\": \"ware-{}*3, ware-{}*1\"", dice.roll(wares), dice.roll(wares)),
        ),
        false => (bulk, format!("[\"tag-{}\", \"tag-{}\"]", marks.0, marks.1), (wet == 0).to_string()),
    };
    let _ = write!(
        out,
        "  \"{name}\": {{\n{based}    \"about\": \"A ware out of the fen, kept dry under the eaves and sold by the load, number {}\",\n    \"worth\": {},\n    \"bulk\": {bulk},\n    \"sort\": \"{}\",\n    \"tags\": {marks},\n    \"smell\": {{ \"strength\": {}, \"kind\": \"{}\" }},\n    \"wet\": {wet},\n    \"made_of\": [\n      {{ \"what\": \"ware-{}\", \"amount\": {} }},\n      {{ \"what\": \"ware-{}\", \"amount\": {} }}\n    ],\n    \"burn_minutes\": {},\n    \"keeps_days\": {},\n    \"sold_at\": [\"market\", \"{}\"],\n    \"remark\": \"counted in the year {} by the reeve of the dyke, before the first frost of that winter, and written into the long book that lies in the mill\"\n  }}",
        dice.roll(100_000),
        dice.roll(900),
        ["fuel", "food", "craft", "tool"][dice.roll(4)],
        dice.roll(9),
        ["sour", "sweet", "smoky"][dice.roll(3)],
        dice.roll(wares),
        1 + dice.roll(9),
        dice.roll(wares),
        1 + dice.roll(9),
        dice.roll(240),
        dice.roll(365),
        ["ferry", "mill", "inn"][dice.roll(3)],
        1200 + dice.roll(300),
    );
}

fn rulebook(rules: usize, notations: bool) -> String {
    let mut out = String::from(
        r#"rulebook = 1

[game]
name = "Measure"

[manifest]
file = "mod.toml"
id = "id"
name = "title"
requires = "needs[]"

[[where]]
files = "wares/**/*.json"
cut = "{}"
kind = "ware"

[[where]]
files = "tags/*.json"
cut = "{}"
kind = "tag"

[kinds.tag]
name = "key"

[kinds.tag.fields]
"about" = { type = "text" }

[kinds.ware]
name = "key"
parent = "based_on"
again = "merge"

[kinds.ware.fields]
"about" = { type = "text" }
"worth" = { type = "integer", min = 0, max = 5000 }
"bulk" = { type = "number", min = 0, max = 10000 }
"sort" = { type = "choice", words = ["fuel", "food", "craft", "tool"] }
"tags[]" = { link = "tag", list = "bag" }
"smell.strength" = { type = "integer", min = 0, max = 10 }
"smell.kind" = { type = "choice", words = ["sour", "sweet", "smoky"] }
"wet" = { type = "boolean" }
"made_of[].what" = { link = ["ware", "tag"] }
"made_of[].amount" = { type = "integer", min = 1, default = 1 }
"burn_minutes" = { type = "integer", min = 0, optional = true }
"keeps_days" = { type = "integer", min = 0, max = 400, default = 30 }
"sold_at" = { type = "flags", words = ["market", "ferry", "mill", "inn"] }
"remark" = { type = "text", optional = true }
"#,
    );
    if notations {
        for (plain, notation) in NOTATIONS {
            out = out.replace(plain, notation);
        }
    }
    for nth in 0..rules {
        let _ = write!(
            out,
            "\n[[kinds.ware.rules]]\ncode = \"rule-{nth}\"\nrequire = \"worth <= 5000 + {nth} and bulk > 0\"\nmessage = \"rule {nth}\"\n"
        );
    }
    out
}
