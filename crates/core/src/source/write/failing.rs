//! A disk that fails when told, to try what writing does then.

use std::io;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use super::{Disk, RealDisk};

/// A disk that fails at one of its operations, or from it on, as if the process had ended there.
#[derive(Debug)]
pub struct FailingDisk {
    left: AtomicUsize,
    for_good: bool,
}

impl FailingDisk {
    /// Fails at operation `nth`, counted from 1; `for_good`: after so many, at each.
    pub fn at(nth: usize, for_good: bool) -> Arc<FailingDisk> {
        Arc::new(FailingDisk { left: AtomicUsize::new(nth), for_good })
    }

    fn tried<T>(&self, work: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        let left = self.left.load(Ordering::Relaxed);
        let fails = if self.for_good { left == 0 } else { left == 1 };
        if left > 0 {
            self.left.store(left - 1, Ordering::Relaxed);
        }
        if fails { Err(io::Error::other("the disk is full")) } else { work() }
    }

    /// Whether it has come to fail.
    pub fn failed(&self) -> bool {
        self.left.load(Ordering::Relaxed) == 0
    }
}

impl Disk for FailingDisk {
    fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.tried(|| RealDisk.make_folder(path))
    }
    fn write_new(&self, path: &Path, bytes: &[u8], like: Option<&Path>, lasting: bool) -> io::Result<()> {
        let (nothing, half) = (self.left.load(Ordering::Relaxed), bytes.len() / 2);
        self.tried(|| RealDisk.write_new(path, bytes, like, lasting)).inspect_err(|_| {
            // a file that is cut off in the middle
            if nothing <= 1 && self.for_good && !path.exists() {
                let _ = std::fs::write(path, bytes.get(..half).unwrap_or_default());
            }
        })
    }
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.tried(|| RealDisk.rename(from, to))
    }
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.tried(|| RealDisk.rename_new(from, to))
    }
    fn remove(&self, path: &Path) -> io::Result<()> {
        self.tried(|| RealDisk.remove(path))
    }
    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.tried(|| RealDisk.remove_folder(path))
    }
}
