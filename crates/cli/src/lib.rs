//! The command line of Cognomen: one file per command in `commands`, what they print in `output`.

mod answers;
mod args;
mod commands;
mod complete;
mod named;
mod output;
mod record;
mod session;
mod tables;
mod written;

pub use answers::answers_schema;
pub use args::Args;
pub use complete::complete;
pub use session::Session;
pub use written::install_panic_hook;

use std::io::Write;

use args::Command;
use commands::Done;

/// What other programs call what our commands do: their words, and what to type here.
const BY_MEANING: [(&[&str], &str); 17] = [
    (&["search", "grep", "query", "lookup", "where"], "`cognomen find WORD` finds definitions"),
    (
        &["list", "ls"],
        "`cognomen kinds` lists the kinds, `cognomen find --kind KIND` their definitions, `cognomen mods` the mods",
    ),
    (&["view", "cat", "get", "inspect", "info", "print"], "`cognomen show ADDRESS` shows a definition whole"),
    (&["edit", "change", "update", "modify", "write"], "`cognomen set ADDRESS PATH=VALUE` changes values"),
    (&["add", "create", "make"], "`cognomen new KIND/ID` makes a definition, `cognomen mods new ID` a mod"),
    (&["cp", "clone", "duplicate", "fork"], "`cognomen copy ADDRESS ID` makes one definition out of another"),
    (
        &["remove", "rm", "drop", "del"],
        "`cognomen delete ADDRESS` takes a definition out, `cognomen set ADDRESS --unset PATH` a value",
    ),
    (
        &["mv", "refactor"],
        "`cognomen rename ADDRESS NEW` gives a definition another id, `cognomen move ADDRESS --to FILE` another file",
    ),
    (&["validate", "lint", "verify", "test", "errors"], "`cognomen check` says what is wrong"),
    (&["fix", "repair"], "`cognomen check --fix` mends what has one answer only"),
    (&["compile", "export", "pack", "package", "deploy", "install"], "`cognomen build` writes what the game reads"),
    (&["diff"], "`cognomen changes` says what a mod changes, `cognomen compare A B` sets two definitions side by side"),
    (&["status"], "`cognomen state` says where a mod stands"),
    (&["refs", "references", "uses", "usages", "deps"], "`cognomen links ADDRESS` says what uses it, and what it uses"),
    (&["conflicts", "conflict", "collisions"], "`cognomen clashes` says what goes wrong only between mods"),
    (&["revert", "rollback", "restore"], "`cognomen undo` takes the last change back, `cognomen redo` brings it again"),
    (&["stats", "balance", "histogram"], "`cognomen spread KIND.FIELD` says what comparable definitions have"),
];

/// Prints what is wrong with what was typed, or the help that was asked for; what was typed is made visible.
///
/// # Errors
/// It could not be written.
pub fn print_usage(error: &clap::Error) -> std::io::Result<()> {
    use clap::error::{ContextKind, ContextValue, ErrorKind};
    let typed = match error.get(ContextKind::InvalidSubcommand) {
        Some(ContextValue::String(word)) if error.kind() == ErrorKind::InvalidSubcommand => Some(word.as_str()),
        _ => None,
    };
    let args: Vec<String> = std::env::args().skip(1).collect();
    if let Some(ContextValue::String(word)) = error.get(ContextKind::InvalidArg)
        && error.kind() == ErrorKind::UnknownArgument
        && let Some(help) = one_address(word, &args, &error.to_string())
    {
        let error = output::paint(output::ERROR, "error");
        let text = format!("{error}: `{word}` is a word too many\n  help: {help}");
        return writeln!(anstream::stderr(), "{}", output::clean(&text));
    }
    // a word below another command is none of these
    let top = typed.is_some_and(|word| args.first().is_some_and(|first| first == word));
    let meant = typed.filter(|_| top).and_then(|word| BY_MEANING.iter().find(|(words, _)| words.contains(&word)));
    if let (Some(word), Some((_, help))) = (typed, meant) {
        let error = output::paint(output::ERROR, "error");
        let text = format!("{error}: there is no command `{word}`\n  help: {help}");
        return writeln!(anstream::stderr(), "{}", output::clean(&text));
    }
    let text = output::clean(&output::drawn(&error.render().ansi().to_string()));
    match error.use_stderr() {
        true => write!(anstream::stderr(), "{text}"),
        false => write!(anstream::stdout(), "{text}").and_then(|()| anstream::stdout().flush()),
    }
}

/// Of two words behind a command that takes one address: how they are one.
fn one_address(word: &str, args: &[String], usage: &str) -> Option<String> {
    let at = args.iter().position(|arg| arg == word)?;
    let (command, kind) = (args.first()?, args.get(at.checked_sub(1)?)?);
    let is_plain = |word: &str| !word.starts_with('-') && !word.contains('/');
    let takes = ["<ADDRESS>", "<WHAT>"].iter().any(|one| usage.contains(one));
    let one = takes && at == 2 && is_plain(word) && is_plain(kind);
    one.then(|| format!("kind and id are one word: `cognomen {command} {kind}/{word}`"))
}

/// Runs one command and gives its exit code: 0 done, 1 done with errors found, 2 wrong usage, 3 could not.
pub fn run(args: &Args, session: &mut Session) -> u8 {
    let result = match &args.command {
        Command::Demo(command) => commands::demo(command, &args.global, session),
        Command::Init(command) => commands::init(command, &args.global, session),
        Command::Mods(command) => commands::mods(command, &args.global, session),
        Command::Keep(command) => commands::keep(command, &args.global, session),
        Command::Kinds(command) => commands::kinds(command, &args.global, session),
        Command::Find(command) => commands::find(command, &args.global, session),
        Command::Show(command) => commands::show(command, &args.global, session),
        Command::Set(command) => commands::set(command, &args.global, session),
        Command::Check(command) => commands::check(command, &args.global, session),
        Command::Explain(command) => commands::explain(command, &args.global, session),
        Command::Links(command) => commands::links(command, &args.global, session),
        Command::Changes(command) => commands::changes(command, &args.global, session),
        Command::Clashes(command) => commands::clashes(command, &args.global, session),
        Command::Compare(command) => commands::compare(command, &args.global, session),
        Command::Spread(command) => commands::spread(command, &args.global, session),
        Command::Note(command) => commands::note(command, &args.global, session),
        Command::Copy(command) => commands::copy(command, &args.global, session),
        Command::Sheet(command) => commands::sheet(command, &args.global, session),
        Command::Tag(command) => commands::tag(command, &args.global, session),
        Command::Ids(command) => commands::ids(command, &args.global, session),
        Command::Paste(command) => commands::paste(command, &args.global, session),
        Command::Adopt(command) => commands::adopt(command, &args.global, session),
        Command::Capture(command) => commands::capture(command, &args.global, session),
        Command::Pack(command) => commands::pack(command, &args.global, session),
        Command::Install(command) => commands::install(command, &args.global, session),
        Command::Watch(command) => commands::watch(command, &args.global, session),
        Command::Text(command) => commands::text(command, &args.global, session),
        Command::New(command) => commands::new(command, &args.global, session),
        Command::Rename(command) => commands::rename(command, &args.global, session),
        Command::Delete(command) => commands::delete(command, &args.global, session),
        Command::Move(command) => commands::relocate(command, &args.global, session),
        Command::Redo(command) => commands::redo(command, &args.global, session),
        Command::Undo(command) => commands::undo(command, &args.global, session),
        Command::State(command) => commands::state(command, &args.global, session),
        Command::Completions(command) => commands::completions(command, &args.global, session),
        Command::Build(command) => commands::build(command, &args.global, session),
    };
    let code = match result {
        Ok(Done::Well) => 0,
        Ok(Done::WithErrors) => 1,
        Err(failure) => {
            session.fail(&failure, &args.global);
            failure.code()
        }
    };
    match session.flush() {
        Ok(()) => code,
        Err(failure) => {
            session.fail(&failure, &args.global);
            failure.code()
        }
    }
}
