//! Open formats in and out of Spare Hour's core. Each module is one format; docs/formats describes them for people.
//!
//! Readers are strict about meaning and forgiving about spelling. What they refuse they refuse with a [`FormatError`]
//! that names the place, what is wrong and what is expected. Nothing here panics on any input.

mod advice_json;
mod analysis_json;
mod begun_plan;
mod car_list;
mod conditions;
mod drive_line;
mod drive_list;
mod event_lines;
mod json_lists;
mod ledger_list;
mod now_json;
mod number;
mod ocpi_tariff;
mod place_list;
mod plain_lines;
mod plan_along;
mod plan_json;
mod road_events;
mod road_line;
mod road_list;
mod session_csv;
mod session_json;
mod session_xlsx;
mod sheet;
mod site_list;
mod summary_list;
mod table;
mod tariff_list;
mod track_file;
mod trade_json;
mod trip_json;
mod trip_link;
mod trip_wishes;
mod typed;
mod words;
mod workbook;

use std::fmt;

use spare_hour_core::refused::Refused;
use spare_hour_wording::refused;
use thiserror::Error;

pub use advice_json::advice_json;
pub use analysis_json::{analysis_json, write_analysis_json};
pub use begun_plan::{BegunPlace, BegunPlan, BegunStop};
pub use car_list::{ListedCurve, read_cars, read_curves, read_points, write_cars, write_curves, write_points};
pub use conditions::{condition_pairs, note_condition};
pub use drive_line::read_drive_line;
pub use drive_list::{read_drives, write_drives};
pub use event_lines::{MOST_LINES, read_event_line, write_event_line};
pub use json_lists::{NamedSession, is_json_list, read_session_list, read_trips, write_session_list};
pub use ledger_list::{LedgerSheet, write_ledger_workbook, write_table};
pub use number::{clock, parse_clock};
pub use ocpi_tariff::{read_tariffs, write_tariff};
pub use place_list::{ChargingPlace, read_places};
pub use plain_lines::{PLACEHOLDER, PlainRoad, chargers_example, read_plain_chargers, read_plain_road, road_example};
pub use plan_along::{PlanAlong, StopAlong, plan_calendar, plan_geojson, plan_gpx, plan_list, plan_workbook};
pub use plan_json::{PlanReport, StopReport, StrategyReport, infeasible_json, plan_json};
pub use road_events::{read_road_event, write_road_event};
pub use road_line::{read_road_line, read_road_lines, write_road_line};
pub use road_list::{read_road, write_road};
pub use session_csv::{read_session_csv, write_session_csv};
pub use session_json::{read_session_json, write_session_json};
pub use session_xlsx::write_session_xlsx;
pub use sheet::{Matching, Sheet, TARGETS, TimeUnit};
pub use site_list::{connectors, is_site_list, read_sites, write_sites};
pub use summary_list::{ListedSession, ListedTrip, write_session_summary, write_trip_summary};
pub use table::ListFormat;
pub use tariff_list::{read_tariff_table, write_tariff_table};
pub use track_file::{read_track, write_track};
pub use trade_json::{TradeReport, trade_json};
pub use trip_json::{Beside, TripOfFile, read_trip, read_trip_file, read_trip_with_wishes, write_trip};
pub use trip_link::{read_trip_link, trip_digits, trip_link};
pub use trip_wishes::{read_wishes, write_wishes};
pub use typed::{
    Hints, ReadTimes, TimesAs, TypedLine, TypedText, conditions_of, read_session_lines, read_typed, typed_text,
};

use spare_hour_core::session::Session;

/// Largest file that is read, in bytes.
pub const MOST_BYTES: usize = 10_000_000;

/// Where in a file something is wrong.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Place {
    /// The file as a whole.
    File,
    /// A line, counted from 1.
    Line(usize),
    /// A place in JSON, such as `sites[2].max_kw`.
    Path(String),
}

/// What is wrong with a file: the place, the problem and what is expected.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub struct FormatError {
    /// Where.
    pub place: Place,
    /// What is wrong and what is expected.
    pub problem: String,
}

impl fmt::Display for FormatError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.place {
            Place::File => write!(f, "{}", self.problem),
            Place::Line(line) => write!(f, "line {line}: {}", self.problem),
            Place::Path(path) => write!(f, "{path}: {}", self.problem),
        }
    }
}

impl FormatError {
    fn file(problem: impl Into<String>) -> Self {
        Self { place: Place::File, problem: problem.into() }
    }

    fn line(line: usize, problem: impl Into<String>) -> Self {
        Self { place: Place::Line(line), problem: problem.into() }
    }

    /// What the rules refuse, at its path within the file.
    fn refused(place: &str, error: &Refused) -> Self {
        Self::path(format!("{place}{}", error.field), refused::fault(&error.fault))
    }

    fn path(path: impl Into<String>, problem: impl Into<String>) -> Self {
        Self { place: Place::Path(path.into()), problem: problem.into() }
    }
}

/// Reads a session from text: JSON where it begins like one, a session CSV where a header names the columns, else lines as
/// typed at the stall.
///
/// # Errors
/// All lines that are wrong for typed lines, the first place for the others.
pub fn read_session(text: &str) -> Result<Session, Vec<FormatError>> {
    read_session_with(text, Hints::default())
}

/// Reads a session from text as [`read_session`] does, with what is known beside typed lines.
///
/// # Errors
/// As [`read_session`].
pub fn read_session_with(text: &str, hints: Hints) -> Result<Session, Vec<FormatError>> {
    let first = text.lines().find(|line| !line.trim().is_empty() && !line.trim_start().starts_with('#'));
    match first {
        Some(line) if line.trim_start().starts_with('{') => {
            read_session_json(text.as_bytes()).map_err(|error| vec![error])
        }
        Some(line) if names_columns(line) => read_session_csv(text.as_bytes()).map_err(|error| vec![error]),
        _ => read_typed(text, hints),
    }
}

/// Whether a line is the header of a table of readings: names, soc or range among them, and no word that is a number.
fn names_columns(line: &str) -> bool {
    let lower = line.to_lowercase();
    let mut words = lower.split([',', ';', '\t', ' ', ':']);
    let is_number = |word: &str| word.starts_with(|c: char| c.is_ascii_digit());
    (lower.contains("soc") || lower.contains("range_km")) && !words.any(is_number)
}

/// The text of a file within the size limit, without a byte order mark.
fn text_of(bytes: &[u8]) -> Result<&str, FormatError> {
    if bytes.len() > MOST_BYTES {
        let found = bytes.len();
        return Err(FormatError::file(format!("the file has {found} bytes; expected at most {MOST_BYTES}")));
    }
    let text = std::str::from_utf8(bytes).map_err(|error| {
        let line = bytes[..error.valid_up_to()].split(|&byte| byte == b'\n').count();
        FormatError::line(line, "holds bytes that are not UTF-8; expected a text file in UTF-8")
    })?;
    Ok(text.strip_prefix('\u{feff}').unwrap_or(text))
}
