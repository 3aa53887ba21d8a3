//! Relative paths that name the same file on every system and never lead out of the folder they are below, and
//! file names made of ids.

use std::sync::Arc;

/// A path below some folder, with forward slashes: no `..`, no root, no drive, no name that a system keeps for
/// itself, no part that ends in a dot or a space.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct RelPath(Arc<str>);

/// Why a text is no such path.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum PathFault {
    /// Nothing, or nothing between two slashes.
    #[error("a part of it is empty")]
    Empty,
    /// It leads upwards, or stays where it is.
    #[error("`{0}` in it leads elsewhere")]
    Up(String),
    /// It starts at the top of a disk.
    #[error("it starts at the top of a disk")]
    Root,
    /// A sign that file names cannot hold on every system, such as a colon or a backslash.
    #[error("a file's name cannot hold `{}` on every system", .0.escape_default())]
    Sign(char),
    /// A name that a system keeps for a device.
    #[error("`{0}` is the name of a device on Windows")]
    Device(String),
    /// A dot or a space at the end.
    #[error("`{0}` ends in a dot or a space, which Windows leaves out")]
    End(String),
    /// Longer than file names can be.
    #[error("`{0}…` is longer than a file's name can be")]
    Long(String),
}

/// The longest part of a path, in bytes: what most file systems take.
const PART_LIMIT: usize = 255;

impl RelPath {
    /// Reads a relative path.
    ///
    /// # Errors
    /// The first thing in it that does not name a file below a folder on every system.
    pub fn parse(text: &str) -> Result<RelPath, PathFault> {
        is_relative(text)?;
        Ok(RelPath(text.into()))
    }

    /// The path as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl std::fmt::Display for RelPath {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

/// Whether a text is a relative path, as [`RelPath::parse`] reads it.
///
/// # Errors
/// As [`RelPath::parse`].
pub(crate) fn is_relative(text: &str) -> Result<(), PathFault> {
    if text.starts_with('/') {
        return Err(PathFault::Root);
    }
    text.split('/').try_for_each(named)
}

/// Whether a word can be the name of a file or folder on every system.
///
/// # Errors
/// Why not.
pub(crate) fn named(word: &str) -> Result<(), PathFault> {
    if word.is_empty() {
        return Err(PathFault::Empty);
    }
    if word.chars().all(|c| c == '.') {
        return Err(PathFault::Up(word.to_owned()));
    }
    if let Some(sign) = word.chars().find(|c| !can_be_named(*c)) {
        return Err(PathFault::Sign(sign));
    }
    if word.ends_with(['.', ' ']) {
        return Err(PathFault::End(word.to_owned()));
    }
    if word.len() > PART_LIMIT {
        return Err(PathFault::Long(word.chars().take(24).collect()));
    }
    match is_device(word) {
        true => Err(PathFault::Device(word.to_owned())),
        false => Ok(()),
    }
}

/// Whether a sign can stand in a file's name on every system.
pub(crate) fn can_be_named(c: char) -> bool {
    !c.is_control() && !matches!(c, '/' | '\\' | ':' | '*' | '?' | '"' | '<' | '>' | '|')
}

/// `con`, `NUL.json`, `com1` and the like; with an ending, too.
fn is_device(word: &str) -> bool {
    let stem = word.split('.').next().unwrap_or(word).trim_end_matches(' ');
    let is = |name: &&str| stem.eq_ignore_ascii_case(name);
    if ["con", "prn", "aux", "nul", "conin$", "conout$"].iter().any(is) {
        return true;
    }
    let port = stem.split_at_checked(3).filter(|(name, _)| ["com", "lpt"].iter().any(|n| name.eq_ignore_ascii_case(n)));
    port.is_some_and(|(_, port)| {
        let mut signs = port.chars();
        matches!((signs.next(), signs.next()), (Some('0'..='9' | '¹' | '²' | '³'), None))
    })
}

/// A file name for an id that may hold anything: the id itself where it can be one, else a name that is like it.
pub(crate) fn file_name_for(id: &str) -> String {
    if named(id).is_ok() {
        return id.to_owned();
    }
    let plain: String = id.chars().map(|c| if can_be_named(c) { c } else { '-' }).take(80).collect();
    let plain = plain.trim_matches(['.', ' ', '-']);
    let name = if plain.is_empty() { "unnamed".to_owned() } else { plain.to_owned() };
    if is_device(&name) { format!("{name}-") } else { name }
}

/// A path made of an id in which slashes may lead into folders: each part a name that a file can have.
pub(crate) fn path_for(id: &str) -> String {
    match RelPath::parse(id) {
        Ok(path) => path.as_str().to_owned(),
        Err(_) => file_name_for(id),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_leads_out_or_cannot_be_named_everywhere_is_no_relative_path() {
        for good in ["a", "goods/lamps.json", "Über/eel pie.json", ".hidden/x", "console/common.txt", "a..b", "com10"]
        {
            assert_eq!(RelPath::parse(good).map(|path| path.to_string()), Ok(good.to_owned()));
        }
        for (bad, fault) in [
            ("", PathFault::Empty),
            ("a//b", PathFault::Empty),
            ("a/", PathFault::Empty),
            ("/etc/x", PathFault::Root),
            ("..", PathFault::Up("..".to_owned())),
            ("a/../b", PathFault::Up("..".to_owned())),
            ("./a", PathFault::Up(".".to_owned())),
            ("C:/x", PathFault::Sign(':')),
            ("a\\b", PathFault::Sign('\\')),
            ("a\u{1b}b", PathFault::Sign('\u{1b}')),
            ("a\0", PathFault::Sign('\0')),
            ("con", PathFault::Device("con".to_owned())),
            ("goods/NUL.json", PathFault::Device("NUL.json".to_owned())),
            ("lpt¹", PathFault::Device("lpt¹".to_owned())),
            ("eel.", PathFault::End("eel.".to_owned())),
            ("eel /x", PathFault::End("eel ".to_owned())),
        ] {
            assert_eq!(RelPath::parse(bad), Err(fault), "{bad}");
        }
        assert!(matches!(RelPath::parse(&"e".repeat(256)), Err(PathFault::Long(_))));
    }

    #[test]
    fn ids_that_cannot_name_a_file_get_a_name_that_is_like_them() {
        for (id, name) in [
            ("eel", "eel"),
            ("eel:wet", "eel-wet"),
            ("con", "con-"),
            ("eel.", "eel"),
            ("../../kept", "kept"),
            ("???", "unnamed"),
        ] {
            assert_eq!(file_name_for(id), name);
        }
        assert_eq!(path_for("boats/punt"), "boats/punt");
        assert_eq!(path_for("../punt"), "punt");
    }

    proptest! {
        #[test]
        fn every_id_gets_a_name_that_a_file_can_have(id in any::<String>()) {
            prop_assert!(RelPath::parse(&file_name_for(&id)).is_ok(), "{}", file_name_for(&id));
            prop_assert!(RelPath::parse(&path_for(&id)).is_ok());
        }
    }
}
