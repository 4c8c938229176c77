//! Copies of the database: on request, back again, and by themselves while the server runs: of each of the last seven days and of each of
//! the last four weeks the last one is kept.

use std::path::{Path, PathBuf};
use std::time::Duration;

use anyhow::{Context, bail};
use clap::Args;
use jiff::civil::Date;
use spare_hour_planning::clock::Here;
use spare_hour_store::{FILE, copy_database, damage_of};

use crate::directory::{Claimed, data_directory};

/// Where copies are kept, in the directory of the data.
pub(crate) const COPIES: &str = "copies";
/// Days and weeks of which copies are kept.
const DAYS: usize = 7;
const WEEKS: usize = 4;
/// The first copy waits until the start is over.
const FIRST: Duration = Duration::from_secs(20);
/// How often it is looked whether today has its copy.
const EVERY: Duration = Duration::from_mins(30);

/// Copy the database into a file, whole, while a server may be using it.
#[derive(Args)]
pub(crate) struct Backup {
    /// The copy to write; it must not be there yet.
    file: PathBuf,
    /// Directory of the data.
    #[arg(long)]
    data: Option<PathBuf>,
}

/// Put a copy of the database in the place of what is kept; that is set aside first.
#[derive(Args)]
pub(crate) struct Restore {
    /// The copy to put back.
    file: PathBuf,
    /// Directory of the data; made if need be.
    #[arg(long)]
    data: Option<PathBuf>,
}

fn directory(named: Option<&PathBuf>) -> anyhow::Result<PathBuf> {
    named.cloned().map_or_else(data_directory, Ok)
}

impl Backup {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = directory(self.data.as_ref())?;
        copy_database(&directory, &self.file)?;
        crate::directory::keep_private(&self.file);
        crate::print(&format!("{} holds all of {}.", self.file.display(), directory.display()));
        Ok(())
    }
}

impl Restore {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = directory(self.data.as_ref())?;
        if let Some(damage) = damage_of(&self.file)? {
            bail!("{}: is damaged ({damage}), so nothing was changed", self.file.display());
        }
        let claimed = Claimed::new(&directory)?;
        let set_aside = set_aside(claimed.path())?;
        let place = claimed.path().join(FILE);
        std::fs::copy(&self.file, &place).with_context(|| format!("cannot write {}", place.display()))?;
        crate::directory::keep_private(&place);
        crate::print(&match set_aside {
            Some(aside) => {
                format!("{} is in its place; what was there is {}.", self.file.display(), aside.display())
            }
            None => format!("{} is in {}.", self.file.display(), directory.display()),
        });
        Ok(())
    }
}

/// Sets the database of a directory aside, whole, under a name that is free.
fn set_aside(directory: &Path) -> anyhow::Result<Option<PathBuf>> {
    if !directory.join(FILE).exists() {
        return Ok(None);
    }
    let name = |number: u32| directory.join(format!("spare-hour-set-aside-{number}.db"));
    let free = (1..10_000).map(name).find(|path| !path.exists()).context("too much was set aside; remove some")?;
    copy_database(directory, &free)?;
    for file in [FILE.to_string(), format!("{FILE}-wal"), format!("{FILE}-shm")] {
        let path = directory.join(file);
        if path.exists() {
            std::fs::remove_file(&path).with_context(|| format!("cannot remove {}", path.display()))?;
        }
    }
    Ok(Some(free))
}

/// Copies the database each day while the server runs.
pub(crate) fn keep_copies(directory: PathBuf, here: Here) {
    let looks = move || {
        std::thread::sleep(FIRST);
        loop {
            if let Err(error) = copy_of_the_day(&directory, here.today()) {
                tracing::error!("the copy of the day: {error:#}");
            }
            std::thread::sleep(EVERY);
        }
    };
    if let Err(error) = std::thread::Builder::new().name("copies".into()).spawn(looks) {
        tracing::error!("no copies are kept: {error}");
    }
}

/// Makes today's copy where there is none yet, and removes those that are too old.
fn copy_of_the_day(directory: &Path, today: Date) -> anyhow::Result<()> {
    let copies = directory.join(COPIES);
    std::fs::create_dir_all(&copies).with_context(|| format!("{} cannot be made", copies.display()))?;
    crate::directory::keep_private(&copies);
    let copy = copies.join(format!("{today}.db"));
    if copy.exists() {
        return Ok(());
    }
    // A copy that was cut off is none: it gets its name when it is whole.
    let part = copies.join("unfinished");
    if part.exists() {
        std::fs::remove_file(&part)?;
    }
    copy_database(directory, &part)?;
    crate::directory::keep_private(&part);
    std::fs::rename(&part, &copy)?;
    let dated = |entry: std::fs::DirEntry| entry.file_name().to_str()?.strip_suffix(".db")?.parse::<Date>().ok();
    let mut days: Vec<Date> = std::fs::read_dir(&copies)?.flatten().filter_map(dated).collect();
    days.sort();
    for day in too_old(&days) {
        std::fs::remove_file(copies.join(format!("{day}.db")))?;
    }
    Ok(())
}

/// Of rising days those whose copies are no longer kept: of the last seven days all are kept, and of four weeks the last of each.
fn too_old(days: &[Date]) -> Vec<Date> {
    let recent = days.len().saturating_sub(DAYS);
    let week = |day: &Date| (day.iso_week_date().year(), day.iso_week_date().week());
    let mut weeks: Vec<(i16, i8)> = days.iter().map(week).collect();
    weeks.dedup();
    let kept_weeks = &weeks[weeks.len().saturating_sub(WEEKS)..];
    let is_last_of_week = |index: usize| days.get(index + 1).is_none_or(|next| week(next) != week(&days[index]));
    let keeps = |index: usize| kept_weeks.contains(&week(&days[index])) && is_last_of_week(index);
    (0..recent).filter(|&index| !keeps(index)).map(|index| days[index]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::ToSpan;
    use spare_hour_store::Store;

    #[test]
    fn seven_days_and_four_weeks_are_kept() {
        // 2026-11-02 is a Monday. By hand: after forty days the last seven are kept, and before them the Sundays of the weeks
        // that are among the last four.
        let first: Date = "2026-11-02".parse().unwrap();
        let mut kept: Vec<Date> = Vec::new();
        for day in 0..40 {
            kept.push(first.checked_add(day.days()).unwrap());
            for old in too_old(&kept) {
                kept.retain(|day| *day != old);
            }
        }
        let told: Vec<String> = kept.iter().map(ToString::to_string).collect();
        let by_hand = ["2026-11-22", "2026-11-29", "2026-12-05", "2026-12-06"];
        assert_eq!(told[..4], by_hand, "{told:?}");
        assert_eq!((told.len(), told.last().unwrap().as_str()), (9, "2026-12-11"));
    }

    #[test]
    fn a_copy_is_made_while_the_store_is_open_and_put_back() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        spare_hour::demo_data::fill(&store).unwrap();
        let trips = store.trips().unwrap().len();
        copy_of_the_day(directory.path(), "2026-11-27".parse().unwrap()).unwrap();
        copy_of_the_day(directory.path(), "2026-11-27".parse().unwrap()).unwrap();
        let copy = directory.path().join(COPIES).join("2026-11-27.db");
        assert_eq!(damage_of(&copy).unwrap(), None);
        store.remove_trip(store.trips().unwrap()[0].id).unwrap();
        drop(store);
        Restore { file: copy, data: Some(directory.path().into()) }.run().unwrap();
        let store = Store::open(directory.path()).unwrap();
        assert_eq!(store.trips().unwrap().len(), trips);
        assert!(directory.path().join("spare-hour-set-aside-1.db").exists());
    }

    #[test]
    fn what_is_no_copy_changes_nothing() {
        let directory = tempfile::tempdir().unwrap();
        let wrong = directory.path().join("notes.txt");
        std::fs::write(&wrong, "no database").unwrap();
        let refused = Restore { file: wrong, data: Some(directory.path().into()) }.run().unwrap_err().to_string();
        assert!(refused.contains("notes.txt"), "{refused}");
        let backup = Backup { file: directory.path().join("b.db"), data: Some(directory.path().into()) };
        assert!(backup.run().unwrap_err().to_string().contains("is not there"));
    }
}
