//! Where writing is allowed: below one folder, in some places of it, and never where the game's own files are.

use std::path::{Component, Path, PathBuf};

use super::WriteError;
use crate::source::RelPath;

/// Where a writer may write.
#[derive(Clone, Debug, Default)]
pub struct Bounds {
    /// Folders and files below the root; empty for everything below it.
    pub allowed: Vec<String>,
    /// Folders and archives that are never written to, whatever leads there: the base.
    pub never: Vec<PathBuf>,
}

impl Bounds {
    /// Everything below the root.
    pub fn all() -> Bounds {
        Bounds::default()
    }

    /// The path on disk, if neither the path itself nor a link on the way leads out of these bounds.
    ///
    /// # Errors
    /// It does.
    pub(super) fn confined(&self, root: &Path, path: &RelPath) -> Result<PathBuf, WriteError> {
        let outside = || WriteError::Outside(path.to_string());
        let text = path.as_str();
        let below = |folder: &String| text == folder || text.strip_prefix(folder.as_str()).is_some_and(is_below);
        if !(self.allowed.is_empty() || self.allowed.iter().any(below)) {
            return Err(outside());
        }
        let target = root.join(text);
        let top = root.canonicalize().map_err(|_| outside())?;
        let real = settled(&target);
        if !real.starts_with(&top) || real == top || self.never.iter().any(|never| real.starts_with(settled(never))) {
            return Err(outside());
        }
        if target.symlink_metadata().is_ok_and(|meta| meta.file_type().is_symlink()) {
            return Err(WriteError::Link(path.to_string()));
        }
        Ok(target)
    }
}

fn is_below(rest: &str) -> bool {
    rest.starts_with('/')
}

/// A path with all links resolved, as far as it is there; what is not there yet follows as it is written, `..`
/// taken back.
pub fn settled(path: &Path) -> PathBuf {
    let full = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let mut out = PathBuf::new();
    for part in full.components() {
        match part {
            Component::ParentDir => {
                out.pop();
            }
            Component::CurDir => {}
            part => out.push(part),
        }
        if let Ok(real) = out.canonicalize() {
            out = real;
        }
    }
    out
}

/// Whether one of two settled places lies in the other, or they are the same; compared without case, since on
/// some systems that is how files are found.
pub fn entangled(one: &Path, other: &Path) -> bool {
    let lower = |path: &Path| PathBuf::from(path.to_string_lossy().to_lowercase());
    let (one, other) = (lower(one), lower(other));
    one.starts_with(&other) || other.starts_with(&one)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn confined(root: &Path, bounds: &Bounds, path: &str) -> bool {
        bounds.confined(root, &RelPath::parse(path).unwrap()).is_ok()
    }

    #[test]
    fn only_what_is_allowed_is_written_to() {
        let folder = tempfile::tempdir().unwrap();
        let bounds = Bounds { allowed: vec!["mods".to_owned(), "notes.toml".to_owned()], never: Vec::new() };
        for (path, fine) in [
            ("mods/a/x.json", true),
            ("notes.toml", true),
            ("modsx/a", false),
            ("base/x", false),
            ("notes.tomlx", false),
        ] {
            assert_eq!(confined(folder.path(), &bounds, path), fine, "{path}");
        }
    }

    #[test]
    fn the_base_is_never_written_to_even_where_the_mods_are_said_to_be_in_it() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(folder.path().join("base/goods")).unwrap();
        let bounds = Bounds { allowed: vec!["base".to_owned()], never: vec![folder.path().join("base")] };
        for path in ["base/goods/x.json", "base/m/new.json", "base"] {
            assert!(!confined(folder.path(), &bounds, path), "{path}");
        }
    }

    #[cfg(unix)]
    #[test]
    fn no_link_leads_out_or_into_the_base() {
        use std::os::unix::fs::symlink;
        let (folder, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        std::fs::create_dir_all(folder.path().join("base")).unwrap();
        std::fs::create_dir_all(folder.path().join("mods")).unwrap();
        symlink(other.path(), folder.path().join("mods/out")).unwrap();
        symlink("../base", folder.path().join("mods/game")).unwrap();
        symlink("kept.json", folder.path().join("mods/one.json")).unwrap();
        symlink("m", folder.path().join("mods/twin")).unwrap();
        std::fs::create_dir_all(folder.path().join("mods/m")).unwrap();
        let bounds = Bounds { allowed: vec!["mods".to_owned()], never: vec![folder.path().join("base")] };
        for (path, fine) in [
            ("mods/out/x.json", false),
            ("mods/out/new/x.json", false),
            ("mods/game/x.json", false),
            ("mods/one.json", false),
            ("mods/twin/x.json", true),
            ("mods/m/x.json", true),
        ] {
            assert_eq!(confined(folder.path(), &bounds, path), fine, "{path}");
        }
        assert_eq!(settled(&folder.path().join("mods/game/new/../x")), settled(&folder.path().join("base/x")));
    }
}
