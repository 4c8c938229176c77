//! The directory of the data: whose it is, and that one process at a time uses it.
//!
//! A demo's directory has a mark in it, so that a demo never mistakes a person's data for its own. What is served as one's
//! own loses the mark: from then on it is data, whatever it began as.

use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use directories::ProjectDirs;

/// Names of the database's files.
const DATABASE: [&str; 3] = ["spare-hour.db", "spare-hour.db-wal", "spare-hour.db-shm"];
const LOCK: &str = "spare-hour.lock";
const MARK: &str = "spare-hour.demo";
const MARK_SAYS: &str = "This directory holds the demo of Spare Hour. `spare-hour demo --fresh` empties it.\n";

/// A directory that no other process of Spare Hour uses while this lives.
pub(crate) struct Claimed {
    path: PathBuf,
    /// Let go by the system however the process ends.
    _lock: File,
}

impl Claimed {
    /// Makes the directory if need be and claims it.
    ///
    /// # Errors
    /// When it cannot be written to, or another process uses it.
    pub(crate) fn new(path: &Path) -> anyhow::Result<Self> {
        let is_new = !path.exists();
        std::fs::create_dir_all(path).with_context(|| format!("{}: cannot be made", path.display()))?;
        // One that was there before may be shared on purpose.
        if is_new {
            keep_private(path);
        }
        let file = path.join(LOCK);
        let lock = File::create(&file).with_context(|| format!("{}: cannot be written", file.display()))?;
        match lock.try_lock() {
            Ok(()) => Ok(Self { path: path.into(), _lock: lock }),
            Err(TryLockError::WouldBlock) => bail!(
                "{} is in use by another Spare Hour; stop that one, or choose another directory with --data",
                path.display()
            ),
            Err(TryLockError::Error(error)) => {
                Err(error).with_context(|| format!("{}: cannot be locked", file.display()))
            }
        }
    }

    /// The directory.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    fn has_data(&self) -> bool {
        self.path.join(DATABASE[0]).exists()
    }

    fn is_marked(&self) -> bool {
        self.path.join(MARK).exists()
    }

    /// Makes sure that the directory is a demo's: it is marked as one, or empty and marked now.
    ///
    /// # Errors
    /// When it holds data that are not a demo's, which are left as they are.
    pub(crate) fn for_demo(&self) -> anyhow::Result<()> {
        if self.has_data() && !self.is_marked() {
            bail!(
                "{} holds data that are no demo's, and they were left as they are; \
                 choose another directory with --data, or look at these with `spare-hour serve --data`",
                self.path.display()
            );
        }
        let mark = self.path.join(MARK);
        std::fs::write(&mark, MARK_SAYS).with_context(|| format!("{}: cannot be written", mark.display()))
    }

    /// Removes the database of a demo, and nothing else of the directory.
    pub(crate) fn forget_demo(&self) -> anyhow::Result<()> {
        self.for_demo()?;
        for file in DATABASE.map(|name| self.path.join(name)) {
            if file.exists() {
                std::fs::remove_file(&file).with_context(|| format!("cannot remove {}", file.display()))?;
            }
        }
        Ok(())
    }

    /// Makes the directory a person's own: says whether it was a demo's before.
    pub(crate) fn for_own_data(&self) -> anyhow::Result<bool> {
        let mark = self.path.join(MARK);
        if !self.is_marked() {
            return Ok(false);
        }
        std::fs::remove_file(&mark).with_context(|| format!("cannot remove {}", mark.display()))?;
        Ok(true)
    }
}

/// Lets nobody but this user into a file or directory, where the system knows users. What cannot be changed stays: it may be on a
/// file system of another kind.
pub(crate) fn keep_private(path: &Path) {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = if path.is_dir() { 0o700 } else { 0o600 };
        if let Err(error) = std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)) {
            tracing::warn!("{} stays as open as it is: {error}", path.display());
        }
    }
    #[cfg(not(unix))]
    let _ = path;
}

/// Where data is kept unless told otherwise.
pub(crate) fn data_directory() -> anyhow::Result<PathBuf> {
    let directories = ProjectDirs::from("", "", "spare-hour").context("no home directory; name one with --data")?;
    Ok(directories.data_dir().to_path_buf())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A directory with a database of some kind in it.
    fn filled() -> tempfile::TempDir {
        let directory = tempfile::tempdir().unwrap();
        std::fs::write(directory.path().join(DATABASE[0]), "a year of charges").unwrap();
        directory
    }

    #[test]
    fn a_demo_empties_only_what_is_marked_as_a_demo() {
        let directory = filled();
        let claimed = Claimed::new(directory.path()).unwrap();
        let refused = claimed.forget_demo().unwrap_err().to_string();
        assert!(refused.contains("no demo's"), "{refused}");
        assert_eq!(std::fs::read_to_string(directory.path().join(DATABASE[0])).unwrap(), "a year of charges");

        let empty = tempfile::tempdir().unwrap();
        let claimed = Claimed::new(empty.path()).unwrap();
        claimed.for_demo().unwrap();
        std::fs::write(empty.path().join(DATABASE[0]), "invented").unwrap();
        std::fs::write(empty.path().join("notes.txt"), "mine").unwrap();
        claimed.forget_demo().unwrap();
        assert!(!claimed.has_data() && empty.path().join("notes.txt").exists());
    }

    #[test]
    fn what_was_served_as_ones_own_is_no_demo_any_more() {
        let directory = tempfile::tempdir().unwrap();
        let claimed = Claimed::new(directory.path()).unwrap();
        claimed.for_demo().unwrap();
        std::fs::write(directory.path().join(DATABASE[0]), "mine by now").unwrap();
        assert!(claimed.for_own_data().unwrap());
        assert!(!claimed.for_own_data().unwrap());
        assert!(claimed.for_demo().is_err());
    }

    #[test]
    fn one_process_at_a_time() {
        let directory = filled();
        let claimed = Claimed::new(directory.path()).unwrap();
        let refused = Claimed::new(directory.path()).err().unwrap().to_string();
        assert!(refused.contains("in use by another Spare Hour"), "{refused}");
        drop(claimed);
        Claimed::new(directory.path()).unwrap();
    }
}
