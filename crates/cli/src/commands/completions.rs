//! `completions`.

use clap::CommandFactory;
use clap_complete::Shell;

use super::{Done, Failure};
use crate::args::{Args, Global};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen completions bash > ~/.local/share/bash-completion/completions/cognomen
  cognomen completions powershell >> $PROFILE")]
pub(crate) struct CompletionsArgs {
    /// The shell
    shell: Shell,
}

pub(crate) fn completions(args: &CompletionsArgs, _: &Global, session: &mut Session) -> Result<Done, Failure> {
    let mut out = Vec::new();
    clap_complete::generate(args.shell, &mut Args::command(), "cognomen", &mut out);
    session.say(String::from_utf8_lossy(&out).trim_end());
    Ok(Done::Well)
}
