//! Plants faults into a clean workspace and says which of them are told, where they are and nothing else.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use cognomen_core::{Archives, Bed, FolderSource, Planted, classes};

/// `cargo xtask plant`.
#[derive(clap::Args)]
pub struct PlantArgs {
    /// The folder of a workspace; its mods with findings of their own are left alone.
    #[arg(required_unless_present = "classes")]
    workspace: Option<PathBuf>,
    /// The seed of the first fault.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// How many faults, one at a time.
    #[arg(long, default_value_t = 100)]
    count: u64,
    /// Only faults of this class.
    #[arg(long)]
    class: Option<String>,
    /// Writes the workspace with the first fault into a new folder, to be looked at.
    #[arg(long, value_name = "DIR")]
    keep: Option<PathBuf>,
    /// Lists the classes.
    #[arg(long)]
    classes: bool,
}

/// Plants, tries, and sums up by class.
pub fn plant(args: &PlantArgs) -> Result<()> {
    let (Some(workspace), false) = (&args.workspace, args.classes) else {
        classes().for_each(|class| println!("{}", class.name));
        return Ok(());
    };
    if let Some(class) = &args.class
        && !classes().any(|known| known.name == class)
    {
        bail!("there is no class `{class}`; `--classes` lists them");
    }
    let source = Archives::new(FolderSource::new(workspace));
    let bed = Bed::new(&source)?;
    let mut by_class: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    for seed in args.seed..args.seed + args.count {
        let Some(planted) = bed.plant(seed, args.class.as_deref()) else { continue };
        if let Some(folder) = &args.keep {
            keep(workspace, folder, &planted)?;
            print(seed, &planted);
            return Ok(());
        }
        let (all, well) = by_class.entry(planted.class).or_default();
        *all += 1;
        *well += usize::from(planted.is_well());
        if !planted.is_well() {
            print(seed, &planted);
        }
    }
    let (mut all, mut well) = (0, 0);
    for (class, (planted, told)) in &by_class {
        println!("{told:>5} of {planted:>4}  {class}");
        (all, well) = (all + planted, well + told);
    }
    println!("{well} of {all} told where they are, to whom they belong, and nothing else; {} classes", by_class.len());
    if by_class.is_empty() {
        bail!("there was no place for any of them");
    }
    Ok(())
}

fn print(seed: u64, planted: &Planted) {
    let (path, first, last) = &planted.at;
    let told = planted.outcome();
    let lines = if first == last { first.to_string() } else { format!("{first}-{last}") };
    println!("seed {seed}: {} in {}: {told} at {path}:{lines}", planted.class, planted.layer);
    planted.also.iter().take(6).for_each(|also| println!("    {also}"));
}

/// Copies a workspace, with the files that a fault changed.
fn keep(workspace: &Path, folder: &Path, planted: &Planted) -> Result<()> {
    if folder.exists() {
        bail!("`{}` is there already", folder.display());
    }
    for entry in walkdir::WalkDir::new(workspace) {
        let entry = entry?;
        let to = folder.join(entry.path().strip_prefix(workspace)?);
        match entry.file_type().is_dir() {
            true => std::fs::create_dir_all(&to)?,
            false => drop(std::fs::copy(entry.path(), &to)?),
        }
    }
    for path in &planted.gone {
        std::fs::remove_file(folder.join(path)).with_context(|| path.clone())?;
    }
    for (path, bytes) in &planted.files {
        let to = folder.join(path);
        std::fs::create_dir_all(to.parent().unwrap_or(folder))?;
        std::fs::write(&to, bytes).with_context(|| path.clone())?;
    }
    Ok(())
}
