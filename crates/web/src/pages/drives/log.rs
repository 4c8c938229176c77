//! The log of drives, a part at a time: each drive in words, with what the fit says of it.

use spare_hour_core::driving::consumption_fit::{ConsumptionFit, Residual};
use spare_hour_core::driving::drive_findings::drive_findings;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Consumption, Energy};
use spare_hour_store::StoredDrive;

use super::view::in_words;
use crate::layout::months::{Month, by_month, has_words};
use spare_hour_wording::{drives, figures};

/// Drives that are shown at once.
const AT_ONCE: usize = 200;

/// Which part of the log is asked for.
#[derive(Clone, Debug, Default)]
pub(super) struct Part {
    /// How many newer drives are passed over.
    pub(super) from: usize,
    /// Only drives that do not count, although nobody left them out.
    pub(super) flagged: bool,
    /// Only drives with all these words: in their day, figures or note.
    pub(super) wanted: String,
}

/// A part of the log, the newest first.
pub(super) struct LogView {
    pub(super) months: Vec<Month<DriveRow>>,
    /// Drives that are kept, that count in the fit, and that do not although nobody left them out.
    pub(super) kept: usize,
    pub(super) counted: usize,
    pub(super) flagged: usize,
    /// Drives that have the words looked for.
    pub(super) found: usize,
    pub(super) part: Part,
    /// Where the part before and the part after begin.
    pub(super) newer: Option<usize>,
    pub(super) older: Option<usize>,
}

/// A drive in the table.
pub(super) struct DriveRow {
    pub(super) id: i32,
    pub(super) day: String,
    pub(super) told: String,
    pub(super) consumption: String,
    pub(super) fitted: String,
    pub(super) off: String,
    pub(super) guess: String,
    pub(super) findings: Vec<String>,
    pub(super) left_out: Option<String>,
    /// Whether it counts in the fit.
    pub(super) counts: bool,
}

impl LogView {
    pub(super) fn new(kept: &[StoredDrive], fit: &ConsumptionFit, usable: Energy, units: Units, part: Part) -> Self {
        let mut residuals: Vec<Option<&Residual>> = vec![None; kept.len()];
        for residual in &fit.residuals {
            residuals[residual.drive] = Some(residual);
        }
        let counts = |index: usize| residuals[index].is_some_and(|residual| !residual.odd);
        let is_flagged = |&index: &usize| kept[index].drive.left_out.is_none() && !counts(index);
        let flagged: Vec<usize> = (0..kept.len()).rev().filter(is_flagged).collect();
        let mut asked: Vec<usize> = if part.flagged { flagged.clone() } else { (0..kept.len()).rev().collect() };
        asked.retain(|&index| is_wanted(&kept[index], units, &part.wanted));
        let end = part.from.saturating_add(AT_ONCE);
        let shown = asked.iter().skip(part.from).take(AT_ONCE);
        let rows = shown.map(|&index| row(&kept[index], residuals[index], usable, units)).collect();
        Self {
            months: by_month(rows, part.flagged || !part.wanted.is_empty(), |row: &DriveRow| &row.day),
            kept: kept.len(),
            counted: (0..kept.len()).filter(|&index| counts(index)).count(),
            flagged: flagged.len(),
            found: asked.len(),
            newer: (part.from > 0).then(|| part.from.saturating_sub(AT_ONCE)),
            older: (end < asked.len()).then_some(end),
            part,
        }
    }
}

/// Whether a drive has all words that are looked for.
fn is_wanted(kept: &StoredDrive, units: Units, wanted: &str) -> bool {
    let drive = &kept.drive;
    let day = drive.day.as_deref().unwrap_or_default();
    let left_out = drive.left_out.as_deref().unwrap_or_default();
    wanted.is_empty() || has_words(&format!("{day} {} {left_out}", in_words(drive, units)), wanted)
}

/// What was found of a drive.
fn findings(kept: &StoredDrive, residual: Option<&Residual>, usable: Energy, units: Units) -> Vec<String> {
    let found = drive_findings(&kept.drive, usable);
    let mut findings: Vec<String> = found.into_iter().map(|finding| drives::sentence(finding, units)).collect();
    if residual.is_some_and(|residual| residual.odd) {
        findings.insert(0, "Far off all the others, so it does not count in the fit; look at it again.".into());
    }
    findings
}

fn row(kept: &StoredDrive, residual: Option<&Residual>, usable: Energy, units: Units) -> DriveRow {
    let drive = &kept.drive;
    let takes = |energy: Energy| {
        let consumption = Consumption::kwh_per_100km(100.0 * energy.get() / drive.distance.get());
        figures::bare_consumption(units, consumption)
    };
    DriveRow {
        id: kept.id,
        day: drive.day.clone().unwrap_or_default(),
        told: in_words(drive, units),
        consumption: figures::bare_consumption(units, drive.consumption(usable)),
        fitted: residual.map_or_else(|| "–".into(), |residual| takes(residual.fitted)),
        off: residual.map_or_else(String::new, |residual| {
            let percent = 100.0 * (residual.actual.get() / residual.fitted.get() - 1.0);
            format!("{}{:.0} %", if percent < 0.0 { "−" } else { "+" }, percent.abs())
        }),
        guess: drive
            .guess
            .map_or_else(String::new, |guess| format!("the car guessed {}", figures::bare_consumption(units, guess))),
        findings: findings(kept, residual, usable, units),
        left_out: drive.left_out.clone(),
        counts: drive.left_out.is_none() && residual.is_some_and(|residual| !residual.odd),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::driving::consumption_fit::Body;
    use spare_hour_core::quantity::Mass;
    use spare_hour_core::quantity::units::DistanceUnit;
    use spare_hour_formats::read_drive_line;

    #[test]
    fn a_long_log_is_shown_in_parts_and_what_does_not_count_by_itself() {
        let line = |id: i32| match id {
            300 => "40 km 2 min 7 kWh".to_string(),
            id => format!("2026-{:02}-01 80 km 60 min 13.1 kWh 12 °C", 1 + id / 40),
        };
        let drive = |id| StoredDrive { id, drive: read_drive_line(&line(id), DistanceUnit::Kilometres).unwrap() };
        let kept: Vec<StoredDrive> = (1..=450).map(drive).collect();
        let drives: Vec<_> = kept.iter().map(|kept| kept.drive.clone()).collect();
        let usable = Energy::kwh(60.0);
        let fit = ConsumptionFit::new(&drives, usable, Body { mass: Mass::kg(1900.0), drag_area: 0.6 });
        let part = |from, flagged, wanted: &str| {
            let view =
                LogView::new(&kept, &fit, usable, Units::default(), Part { from, flagged, wanted: wanted.into() });
            let ids: Vec<i32> = view.months.iter().flat_map(|month| &month.rows).map(|row| row.id).collect();
            (view, ids)
        };
        let (first, ids) = part(0, false, "");
        assert_eq!((ids.len(), ids[0], first.newer, first.older), (200, 450, None, Some(200)));
        assert_eq!(first.months.iter().filter(|month| month.open).count(), 1);
        let (last, ids) = part(400, false, "");
        assert_eq!((ids.len(), ids[49], last.newer, last.older), (50, 1, Some(200), None));
        let (flagged, ids) = part(0, true, "");
        assert_eq!((ids.as_slice(), flagged.flagged, flagged.kept), ([300].as_slice(), 1, 450));
        assert!(part(9_000, false, "").1.is_empty());
        // By hand: the drives 80 to 119 are March's; only the one of two minutes is 40 km long.
        let (march, ids) = part(0, false, "2026-03 80 KM");
        assert_eq!((march.found, ids.len(), march.older), (40, 40, None));
        assert_eq!((part(0, false, "40 km").1, part(0, false, "snow").0.found), (vec![300], 0));
    }
}
