//! What can be typed.

use std::path::PathBuf;

use clap::{Parser, Subcommand, ValueEnum};

use crate::commands::{
    AdoptArgs, BuildArgs, CaptureArgs, ChangesArgs, CheckArgs, ClashesArgs, CompareArgs, CompletionsArgs, CopyArgs,
    DeleteArgs, DemoArgs, ExplainArgs, FindArgs, IdsArgs, InitArgs, InstallArgs, KeepArgs, KindsArgs, LinksArgs,
    ModsArgs, MoveArgs, NewArgs, NoteArgs, PackArgs, PasteArgs, RedoArgs, RenameArgs, SetArgs, SheetArgs, ShowArgs,
    SpreadArgs, StateArgs, TagArgs, TextArgs, UndoArgs, WatchArgs,
};

/// What the game would do with your data, you learn at your desk.
#[derive(Parser, Debug)]
#[command(name = "cognomen", version, about, long_about = None, max_term_width = 100)]
#[command(after_help = "First time here? `cognomen demo` writes a small game and walks through everything.")]
pub struct Args {
    #[command(flatten)]
    pub(crate) global: Global,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Options of every command.
#[derive(clap::Args, Debug, Clone)]
pub(crate) struct Global {
    /// The workspace; without it, the nearest folder upwards with a cognomen.toml
    #[arg(long, global = true, value_name = "DIR", help_heading = "Everywhere")]
    pub(crate) workspace: Option<PathBuf>,
    /// The mod that is meant; without it, the one that cognomen.toml names under `edit`
    #[arg(long = "mod", global = true, value_name = "ID", help_heading = "Everywhere")]
    pub(crate) edited: Option<String>,
    /// How the answer is written
    #[arg(long, global = true, value_enum, default_value_t = Form::Human, help_heading = "Everywhere")]
    pub(crate) format: Form,
    /// Whether colours are used
    #[arg(long, global = true, value_enum, default_value_t = Color::Auto, help_heading = "Everywhere")]
    pub(crate) color: Color,
    /// Say less
    #[arg(short, long, global = true, help_heading = "Everywhere")]
    pub(crate) quiet: bool,
    /// Say more: how long each stage took
    #[arg(short, long, global = true, help_heading = "Everywhere")]
    pub(crate) verbose: bool,
}

impl Args {
    /// Whether colours are wanted.
    pub fn color_choice(&self) -> anstream::ColorChoice {
        self.global.color_choice()
    }
}

impl Global {
    fn color_choice(&self) -> anstream::ColorChoice {
        match self.color {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::Always,
            Color::Never => anstream::ColorChoice::Never,
        }
    }

    /// ` --mod ID`, where it was typed: for what is suggested next.
    pub(crate) fn of_mod(&self) -> String {
        self.edited.as_ref().map_or(String::new(), |id| format!(" --mod {}", crate::output::visible(id)))
    }

    pub(crate) fn json(&self) -> bool {
        self.format == Form::Json
    }
}

/// How an answer is written.
#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Form {
    /// For people
    Human,
    /// For programs: one object with `"format": 1`
    Json,
}

/// Whether colours are used.
#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Color {
    /// Where a person reads
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// Write the demo workspace and walk through the whole loop in it
    Demo(DemoArgs),
    /// Start a workspace: point at the game's data, a rulebook and a folder of mods
    Init(InitArgs),
    /// List the mods; start or rename one; change their order
    Mods(ModsArgs),
    /// Where a mod stands: edited, checked, built, and what comes next
    State(StateArgs),
    /// What kinds of definition the game has, and their fields
    Kinds(KindsArgs),
    /// Find definitions by words, numbers or conditions
    Find(FindArgs),
    /// See a definition whole: each value, where it comes from, what it replaced
    Show(ShowArgs),
    /// What uses a definition, field, word, file or text, and what it uses
    Links(LinksArgs),
    /// Two definitions side by side, differences first
    Compare(CompareArgs),
    /// What a mod changes, in the terms of the game
    Changes(ChangesArgs),
    /// What goes wrong only between mods
    Clashes(ClashesArgs),
    /// Keep an edition of the base, so that mods made for it are understood after an update
    Keep(KeepArgs),
    /// What comparable definitions have in a field, and where one stands among them
    Spread(SpreadArgs),
    /// Own remarks on definitions and fields
    Note(NoteArgs),
    /// Groups: who belongs to which, who comes and goes, what is the same elsewhere
    Tag(TagArgs),
    /// Texts that players see: what is lacking, to a translator and back
    Text(TextArgs),
    /// Make a definition
    New(NewArgs),
    /// Make a definition out of another one
    Copy(CopyArgs),
    /// Put a fragment in the game's own notation where it belongs
    Paste(PasteArgs),
    /// Lines that the game wrote to a log become entries of lists
    Capture(CaptureArgs),
    /// Make an edited copy of the base changes of the mod
    Adopt(AdoptArgs),
    /// Change values of a definition, or of many at once
    Set(SetArgs),
    /// Give a definition another id, everywhere in the mod
    Rename(RenameArgs),
    /// Move definitions to another file of the mod
    Move(MoveArgs),
    /// Take definitions out of the mod, with what belongs to them
    Delete(DeleteArgs),
    /// Free numbers, and what others claim
    Ids(IdsArgs),
    /// A kind as a table for a spreadsheet, and back
    Sheet(SheetArgs),
    /// Take changes back, step by step
    Undo(UndoArgs),
    /// Bring again what was taken back
    Redo(RedoArgs),
    /// Say what is wrong, with file and line
    Check(CheckArgs),
    /// Explain a finding's code at length
    Explain(ExplainArgs),
    /// Write what the game reads for a mod
    Build(BuildArgs),
    /// Pack what is built, to be handed out
    Pack(PackArgs),
    /// Put what is built into the game, and enable it there
    Install(InstallArgs),
    /// Check, build and install again whenever a file changes
    Watch(WatchArgs),
    /// Write the completions of a shell
    Completions(CompletionsArgs),
}
