//! The few things that a writer does to a disk, so that tests can let each of them fail.

use std::io::{self, Write};
use std::path::Path;

/// What a writer does to a disk.
pub trait Disk: Send + Sync {
    /// Makes one folder.
    ///
    /// # Errors
    /// As the system says.
    fn make_folder(&self, path: &Path) -> io::Result<()>;

    /// Writes a file that is not there yet, with the rights of another where one is named.
    ///
    /// # Errors
    /// As the system says; it is there.
    fn write_new(&self, path: &Path, bytes: &[u8], like: Option<&Path>, lasting: bool) -> io::Result<()>;

    /// Puts a file or folder in another place, over what is there.
    ///
    /// # Errors
    /// As the system says.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Puts a file in another place where nothing is.
    ///
    /// # Errors
    /// As the system says; something is there.
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Takes a file away.
    ///
    /// # Errors
    /// As the system says.
    fn remove(&self, path: &Path) -> io::Result<()>;

    /// Takes an empty folder away.
    ///
    /// # Errors
    /// As the system says.
    fn remove_folder(&self, path: &Path) -> io::Result<()>;

    /// Lets what was renamed in a folder last through a power cut, where a system has to be asked for that.
    fn settle(&self, _folder: &Path) {}
}

/// The disk of the system.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealDisk;

impl Disk for RealDisk {
    fn make_folder(&self, path: &Path) -> io::Result<()> {
        match std::fs::create_dir(path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists && path.is_dir() => Ok(()),
            other => other,
        }
    }

    fn write_new(&self, path: &Path, bytes: &[u8], like: Option<&Path>, lasting: bool) -> io::Result<()> {
        let mut file = std::fs::File::create_new(path)?;
        file.write_all(bytes)?;
        if let Some(known) = like.and_then(|like| std::fs::metadata(like).ok()) {
            file.set_permissions(known.permissions())?;
        }
        if lasting { file.sync_all() } else { Ok(()) }
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        std::fs::rename(from, to)
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        let path = tempfile::TempPath::try_from_path(from)?;
        let Err(failed) = path.persist_noclobber(to) else { return Ok(()) };
        // what could not be put there stays where it was
        let _ = failed.path.keep();
        // some file systems know neither such a rename nor hard links
        if failed.error.kind() != io::ErrorKind::AlreadyExists && to.symlink_metadata().is_err() {
            return std::fs::rename(from, to);
        }
        Err(failed.error)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_file(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_dir(path)
    }

    #[cfg(unix)]
    fn settle(&self, folder: &Path) {
        // not all file systems can, and those that cannot need no asking
        let _ = std::fs::File::open(folder).and_then(|folder| folder.sync_all());
    }
}
