//! The command line of Cognomen: one file per command in `commands`, what they print in `output`.

mod answers;
mod args;
mod commands;
mod output;
mod record;
mod session;

pub use answers::answers_schema;
pub use args::Args;
pub use session::{Session, install_panic_hook};

use args::Command;
use commands::Done;

/// Prints what is wrong with what was typed, or the help that was asked for; what was typed is made visible.
pub fn print_usage(error: &clap::Error) {
    let text = output::clean(&output::drawn(&error.render().ansi().to_string()));
    match error.use_stderr() {
        true => anstream::eprint!("{text}"),
        false => anstream::print!("{text}"),
    }
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
        Command::New(command) => commands::new(command, &args.global, session),
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
    session.flush();
    code
}
