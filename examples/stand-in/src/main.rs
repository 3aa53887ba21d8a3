//! `stand-in GAME [show KIND/ID | saved FILE]`: what the game loads from its folder.

use std::path::Path;

use anyhow::{Context, Result, bail};

fn main() -> Result<()> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let Some((game, rest)) = words.split_first() else {
        bail!("stand-in GAME, stand-in GAME show KIND/ID, stand-in GAME saved FILE");
    };
    let village = stand_in::start(Path::new(game))?;
    match rest {
        [] => {
            for (name, number) in &village.loaded {
                println!("loaded {name}: {number} definitions");
            }
            for (what, why) in &village.ignored {
                println!("passed over {what}: {why}");
            }
        }
        [word, address] if word == "show" => {
            let (kind, id) = address.split_once('/').context("KIND/ID")?;
            let found = village.definition(kind, id).with_context(|| format!("there is no {kind} `{id}`"))?;
            println!("{}", serde_json::to_string_pretty(found)?);
        }
        [word, file] if word == "saved" => {
            let lost = stand_in::lost(&village, Path::new(file))?;
            for (place, kind, id) in &lost {
                println!("lost at {place}: {kind} `{id}`");
            }
            println!("{} of what was saved is lost", lost.len());
        }
        _ => bail!("stand-in GAME, stand-in GAME show KIND/ID, stand-in GAME saved FILE"),
    }
    Ok(())
}
