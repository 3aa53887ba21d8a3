//! `completions`.

use clap_complete::Shell;

use super::{Done, Failure};
use crate::args::Global;
use crate::complete::script;
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen completions bash > ~/.local/share/bash-completion/completions/cognomen
  cognomen completions fish > ~/.config/fish/completions/cognomen.fish
  cognomen completions powershell >> $PROFILE

Addresses, fields, words, mods and codes are completed from the workspace that one stands in.")]
pub(crate) struct CompletionsArgs {
    /// The shell
    shell: Shell,
}

pub(crate) fn completions(args: &CompletionsArgs, _: &Global, session: &mut Session) -> Result<Done, Failure> {
    let shell = args.shell.to_string();
    let script = script(&shell).ok_or_else(|| anyhow::anyhow!("nothing is known of the shell `{shell}`"))?;
    session.say(script.trim_end());
    Ok(Done::Well)
}
