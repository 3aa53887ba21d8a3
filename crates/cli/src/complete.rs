//! What a shell completes: addresses, fields, words, mods and codes of the workspace that one stands in.
//!
//! The shell's script runs the program with `COGNOMEN_COMPLETE` set and the words of the line; what cannot be read then
//! completes nothing, and says nothing.

use std::ffi::OsStr;
use std::path::PathBuf;

use clap::CommandFactory;
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate};
use clap_complete::env::{CompleteEnv, Shells};
use cognomen_core::{Archives, CHECKS, Catalog, FolderSource, KindId, LayerId, World, linked_ids};

use crate::args::Args;
use crate::session::workspace_at;

const VARIABLE: &str = "COGNOMEN_COMPLETE";

/// Completes a line, where a shell asks for that, and ends the program then.
pub fn complete() {
    CompleteEnv::with_factory(command).var(VARIABLE).bin("cognomen").complete();
}

/// The script that has a shell ask.
pub(crate) fn script(shell: &str) -> Option<String> {
    let shells = Shells::builtins();
    let completer = shells.completer(shell)?;
    let mut out = Vec::new();
    completer.write_registration(VARIABLE, "cognomen", "cognomen", "cognomen", &mut out).ok()?;
    String::from_utf8(out).ok()
}

/// The command line, with what each argument can be.
fn command() -> clap::Command {
    with_words(Args::command())
}

fn with_words(command: clap::Command) -> clap::Command {
    let words = |arg: clap::Arg| match arg.get_id().as_str() {
        "address" | "addresses" | "original" | "about" | "like" | "tagged" | "first" | "second" | "what" | "mark" => {
            arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, addresses)))
        }
        "assignments" => arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, assignments))),
        "unset" | "history" | "columns" | "has" | "with" => {
            arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, fields)))
        }
        "field" => arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, fields_of_kinds))),
        "kind" => arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, kinds))),
        "layer" | "edited" => arg.add(ArgValueCompleter::new(|word: &OsStr| of_workspace(word, mods))),
        "code" => arg.add(ArgValueCompleter::new(codes)),
        _ => arg,
    };
    command.mut_args(words).mut_subcommands(with_words)
}

/// Candidates from the workspace; none where there is none.
fn of_workspace(word: &OsStr, of: fn(&World, &str) -> Vec<CompletionCandidate>) -> Vec<CompletionCandidate> {
    let Some(word) = word.to_str() else { return Vec::new() };
    opened().map(|world| of(&world, word)).unwrap_or_default()
}

fn opened() -> Option<World> {
    let told = option("--workspace").map(PathBuf::from);
    let root = workspace_at(&std::env::current_dir().ok()?, told.as_deref())?;
    World::load(&Archives::new(FolderSource::new(&root))).ok()
}

/// What stands behind an option in the line.
fn option(name: &str) -> Option<String> {
    std::env::args().skip_while(|word| word != name).nth(1)
}

fn candidate(text: impl Into<std::ffi::OsString>, help: Option<String>) -> CompletionCandidate {
    CompletionCandidate::new(text).help(help.map(Into::into))
}

/// `kind/` first, then the addresses of the kind; an id that begins so completes to its address.
fn addresses(world: &World, word: &str) -> Vec<CompletionCandidate> {
    let (catalog, view) = (world.catalog(), world.view());
    let mut out = Vec::new();
    if !word.contains('/') {
        let kinds = catalog.rulebook().kinds().map(|(_, kind)| kind.name()).filter(|name| name.starts_with(word));
        out.extend(kinds.map(|name| candidate(format!("{name}/"), None)));
        if word.is_empty() {
            return out;
        }
    }
    for address in view.addresses() {
        let shown = catalog.show_address(address);
        let id = shown.split_once('/').map_or("", |(_, id)| id);
        if shown.starts_with(word) || !word.contains('/') && id.starts_with(word) {
            out.push(candidate(shown, view.readable_name(address)));
        }
    }
    out
}

/// The kind of the definition that the line speaks of.
fn kind_meant(world: &World) -> Option<KindId> {
    let catalog = world.catalog();
    let named = option("--kind").and_then(|name| catalog.rulebook().kind_named(&name));
    named.or_else(|| std::env::args().find_map(|word| catalog.rulebook().kind_named(word.split_once('/')?.0)))
}

/// The fields of a kind, as they are typed: `list[]` and `map{}` without their marks at the end.
fn patterns(catalog: &Catalog, kind: KindId) -> Vec<(String, Option<String>)> {
    let rulebook = catalog.rulebook();
    let mut out: Vec<(String, Option<String>)> = Vec::new();
    for (_, ty) in rulebook.fields_below(rulebook.kind(kind).root()) {
        let field = rulebook.field_type(ty);
        let pattern = field.pattern().trim_end_matches("[]").trim_end_matches("{}").to_owned();
        let plain = !pattern.is_empty() && !pattern.contains(['[', '{']);
        if plain && !out.iter().any(|(known, _)| *known == pattern) {
            out.push((pattern, field.about().map(str::to_owned)));
        }
    }
    out
}

fn all_patterns(world: &World) -> Vec<(String, Option<String>)> {
    let catalog = world.catalog();
    let kinds: Vec<KindId> = match kind_meant(world) {
        Some(kind) => vec![kind],
        None => catalog.rulebook().kinds().map(|(kind, _)| kind).collect(),
    };
    let mut all: Vec<(String, Option<String>)> = kinds.into_iter().flat_map(|kind| patterns(catalog, kind)).collect();
    all.sort();
    all.dedup_by(|a, b| a.0 == b.0);
    all
}

fn fields(world: &World, word: &str) -> Vec<CompletionCandidate> {
    let all = all_patterns(world).into_iter().filter(|(pattern, _)| pattern.starts_with(word));
    all.map(|(pattern, about)| candidate(pattern, about)).collect()
}

fn fields_of_kinds(world: &World, word: &str) -> Vec<CompletionCandidate> {
    let catalog = world.catalog();
    let kinds = catalog.rulebook().kinds();
    let all = kinds.flat_map(|(kind, described)| {
        patterns(catalog, kind)
            .into_iter()
            .map(move |(pattern, about)| (format!("{}.{pattern}", described.name()), about))
    });
    all.filter(|(field, _)| field.starts_with(word)).map(|(field, about)| candidate(field, about)).collect()
}

/// A field with the sign behind it; behind that, what the field can hold.
fn assignments(world: &World, word: &str) -> Vec<CompletionCandidate> {
    // some shells take a word apart at its sign
    if let Some(path) = before_sign() {
        let all = values(world, &path, word).into_iter();
        return all.map(|value| candidate(value, None)).collect();
    }
    let Some((path, value)) = word.split_once('=') else {
        let all = all_patterns(world).into_iter().filter(|(pattern, _)| pattern.starts_with(word));
        return all.map(|(pattern, about)| candidate(format!("{pattern}="), about)).collect();
    };
    let all = values(world, path, value).into_iter();
    all.map(|known| candidate(format!("{path}={known}"), None)).collect()
}

/// What stands before the sign of an assignment, where that is a word of its own.
fn before_sign() -> Option<String> {
    let words: Vec<String> = std::env::args().skip_while(|word| word != "--").skip(1).collect();
    let at: usize = std::env::var("_CLAP_COMPLETE_INDEX").ok()?.parse().ok()?;
    (words.get(at.checked_sub(1)?)? == "=").then(|| words.get(at.checked_sub(2)?).cloned()).flatten()
}

/// What a field can hold that begins so: the words of a choice, the ids that it can name.
fn values(world: &World, path: &str, value: &str) -> Vec<String> {
    let catalog = world.catalog();
    let field = path.trim_end_matches(['+', '-', '*', ':']);
    let rulebook = catalog.rulebook();
    let Some(kind) = kind_meant(world) else { return Vec::new() };
    let edited = catalog.workspace().edit.as_ref().and_then(|(id, _)| catalog.layer_named(id));
    let edited = edited.unwrap_or(LayerId::BASE);
    let mut words: Vec<String> = Vec::new();
    for (_, ty) in rulebook.fields_below(rulebook.kind(kind).root()) {
        let pattern = rulebook.field_type(ty).pattern().trim_end_matches("[]");
        if pattern == field {
            words.extend(rulebook.field_type(ty).words().iter().cloned());
            words.extend(linked_ids(catalog, edited, ty));
        }
    }
    words.retain(|known| known.starts_with(value));
    words.sort();
    words.dedup();
    words
}

fn kinds(world: &World, word: &str) -> Vec<CompletionCandidate> {
    let kinds = world.catalog().rulebook().kinds().filter(|(_, kind)| kind.name().starts_with(word));
    kinds.map(|(_, kind)| candidate(kind.name(), kind.about().map(str::to_owned))).collect()
}

fn mods(world: &World, word: &str) -> Vec<CompletionCandidate> {
    let all = world.catalog().layers().filter(|(_, layer)| layer.id.starts_with(word));
    all.map(|(_, layer)| candidate(layer.id.clone(), None)).collect()
}

fn codes(word: &OsStr) -> Vec<CompletionCandidate> {
    let Some(word) = word.to_str() else { return Vec::new() };
    let all = CHECKS.iter().filter(|check| check.code.starts_with(word));
    all.map(|check| candidate(check.code, Some(check.summary.to_owned()))).collect()
}
