//! Tables of other people's making: a spreadsheet (XLSX) or a text table whose columns have their own names. A matching
//! says which column is what; it is guessed from the names and can be changed and kept.

use spare_hour_core::session::{MOST_READINGS, Session};

use crate::number::parse_number;
use crate::session_csv::{read_session_csv, separator};
use crate::workbook::{SheetRows, find_sheet};
use crate::{FormatError, Place, text_of};

/// Most columns of a table.
const MOST_COLUMNS: usize = 200;
/// Rows at the top in which the header is looked for.
const HEADER_WITHIN: usize = 20;

/// What a column can be: a name of session CSV, or nothing.
pub const TARGETS: [&str; 11] = [
    "elapsed",
    "at",
    "soc",
    "power_kw",
    "energy_kwh",
    "voltage_v",
    "current_a",
    "battery_c",
    "ambient_c",
    "range_km",
    "note",
];

/// Words in a column's name that say what it is; the first that fits counts.
const WORDS: [(&str, &[&str]); 11] = [
    ("at", &["timestamp", "date", "utc"]),
    ("elapsed", &["elapsed", "time", "clock", "minute", "min", "second", "sec", "duration"]),
    ("soc", &["soc", "charge state", "state of charge", "percent", "battery %", "level", "%"]),
    ("energy_kwh", &["kwh", "energy"]),
    ("power_kw", &["kw", "power"]),
    ("battery_c", &["pack temp", "battery temp", "cell temp", "battery_c", "pack °c"]),
    ("ambient_c", &["ambient", "outside", "air", "temp", "°c"]),
    ("voltage_v", &["volt", "[v]", "(v)", "u "]),
    ("current_a", &["amp", "current", "[a]", "(a)"]),
    ("range_km", &["range", "km"]),
    ("note", &["note", "comment", "remark"]),
];

/// In what numbers of a time column are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TimeUnit {
    /// Seconds, or clock times.
    #[default]
    Seconds,
    /// Minutes with decimals.
    Minutes,
    /// Hours with decimals.
    Hours,
}

/// Which column of a table is what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Matching {
    /// For each column one of [`TARGETS`], or nothing.
    pub columns: Vec<Option<&'static str>>,
    /// In what its times are.
    pub time_unit: TimeUnit,
}

/// A table with a header row.
#[derive(Clone, Debug, PartialEq)]
pub struct Sheet {
    /// Names of the columns.
    pub names: Vec<String>,
    /// The rows below, each cell as text.
    pub rows: Vec<Vec<String>>,
    /// Row of the header, counted from 1.
    header_row: usize,
}

impl Sheet {
    /// Reads the first sheet of an XLSX file that has a header.
    ///
    /// # Errors
    /// When it is no such file, or has no row with at least two names.
    pub fn read_xlsx(bytes: &[u8]) -> Result<Self, FormatError> {
        let found = find_sheet(bytes, |SheetRows { above, rows }| Self::of_rows(rows, above))?;
        found.ok_or_else(|| {
            FormatError::file("has no sheet with a header row; expected column names above the readings")
        })
    }

    /// Reads a text table: the separator is the one of its first row.
    ///
    /// # Errors
    /// When it is no text, or has no header.
    pub fn read_text(bytes: &[u8]) -> Result<Self, FormatError> {
        let text = text_of(bytes)?;
        let skipped =
            text.lines().take_while(|line| line.trim().is_empty() || line.trim_start().starts_with('#')).count();
        let table: String = text.lines().skip(skipped).flat_map(|line| [line, "\n"]).collect();
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(separator(&table))
            .flexible(true)
            .has_headers(false)
            .from_reader(table.as_bytes());
        let rows = reader.records().filter_map(Result::ok).map(|record| record.iter().map(Into::into).collect());
        Self::of_rows(rows.collect(), skipped)
            .ok_or_else(|| FormatError::file("has no header row; expected column names above the readings"))
    }

    /// Finds the header: the first row with at least two cells that hold no numbers, above a row with numbers.
    fn of_rows(rows: Vec<Vec<String>>, offset: usize) -> Option<Self> {
        let is_number = |cell: &String| cell.chars().any(|c| c.is_ascii_digit());
        let words = |row: &Vec<String>| row.iter().filter(|cell| !cell.trim().is_empty() && !is_number(cell)).count();
        let numbers = |row: &Vec<String>| row.iter().filter(|cell| is_number(cell)).count();
        let header = (0..rows.len().min(HEADER_WITHIN))
            .find(|&index| words(&rows[index]) >= 2 && rows.get(index + 1).is_some_and(|next| numbers(next) >= 2))?;
        let mut rows = rows.into_iter().skip(header);
        let names: Vec<String> = rows.next()?.into_iter().take(MOST_COLUMNS).collect();
        Some(Self { names, rows: rows.take(MOST_READINGS).collect(), header_row: offset + header + 1 })
    }

    /// The table's names in one text, by which a matching is remembered.
    pub fn signature(&self) -> String {
        let names: Vec<String> = self.names.iter().map(|name| name.trim().to_lowercase()).collect();
        names.join("\u{1f}")
    }

    /// The table as CSV, for those who keep it.
    pub fn to_csv(&self) -> String {
        let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
        // Writing to memory cannot fail.
        let _ = writer.write_record(&self.names);
        for row in &self.rows {
            let _ = writer.write_record(row);
        }
        String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()).into_owned()
    }

    /// The matching that the names suggest; each target is given once.
    pub fn guess(&self) -> Matching {
        let mut columns: Vec<Option<&'static str>> = vec![None; self.names.len()];
        for (target, words) in WORDS {
            let fits = |index: &usize| {
                let name = self.names[*index].trim().to_lowercase();
                columns[*index].is_none() && (name == target || words.iter().any(|word| name.contains(word)))
            };
            if let Some(index) = (0..self.names.len()).find(fits) {
                columns[index] = Some(target);
            }
        }
        let at = |target: &str| columns.iter().position(|column| *column == Some(target));
        if let (Some(clock), Some(_)) = (at("at"), at("elapsed")) {
            // One time is enough, and the elapsed one says when current began.
            columns[clock] = None;
        }
        let time = columns.iter().position(|column| *column == Some("elapsed"));
        let time_unit = time.map_or(TimeUnit::Seconds, |index| unit_of(&self.names[index].to_lowercase()));
        Matching { columns, time_unit }
    }

    /// The session that the table holds.
    ///
    /// # Errors
    /// The first row that cannot be read; a matching without SoC or time.
    pub fn session(&self, matching: &Matching) -> Result<Session, FormatError> {
        let picked: Vec<(usize, &'static str)> =
            matching.columns.iter().enumerate().filter_map(|(index, column)| Some((index, (*column)?))).collect();
        let mut writer = csv::Writer::from_writer(Vec::new());
        let _ = writer.write_record(picked.iter().map(|column| column.1));
        for row in &self.rows {
            let cell = |&(index, target): &(usize, &'static str)| {
                let text = row.get(index).map_or("", |cell| cell.trim());
                if target == "elapsed" { in_seconds(text, matching.time_unit) } else { text.to_string() }
            };
            let _ = writer.write_record(picked.iter().map(cell));
        }
        read_session_csv(&writer.into_inner().unwrap_or_default()).map_err(|error| self.placed(error))
    }

    /// The same error with the row of this table.
    fn placed(&self, error: FormatError) -> FormatError {
        match error.place {
            Place::Line(line) => FormatError::line(line + self.header_row - 1, error.problem),
            _ => error,
        }
    }
}

fn unit_of(name: &str) -> TimeUnit {
    if name.contains("hour") || name.ends_with("(h)") || name.ends_with("[h]") {
        TimeUnit::Hours
    } else if name.contains("min") {
        TimeUnit::Minutes
    } else {
        TimeUnit::Seconds
    }
}

/// A number of minutes or hours in seconds; clock times stay as they are.
fn in_seconds(text: &str, unit: TimeUnit) -> String {
    let factor = match unit {
        TimeUnit::Seconds => return text.into(),
        TimeUnit::Minutes => 60.0,
        TimeUnit::Hours => 3600.0,
    };
    let name = if unit == TimeUnit::Minutes { "min" } else { "h" };
    parse_number(text, name).map_or_else(|| text.into(), |number| (number * factor).to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::{Power, Soc};

    const TABLE: &str = "\nZeit [min]\tLadestand %\tLeistung kW\tComment\n0,0\t10\t120,5\t\n2,5\t20\t150\twindy\n";

    #[test]
    fn guesses_and_reads_a_table_of_others() {
        let sheet = Sheet::read_text(TABLE.as_bytes()).unwrap();
        let matching = sheet.guess();
        assert_eq!(matching.columns, [Some("elapsed"), Some("soc"), Some("power_kw"), Some("note")]);
        assert_eq!(matching.time_unit, TimeUnit::Minutes);
        let session = sheet.session(&matching).unwrap();
        assert_eq!(session.readings[1].elapsed.get(), 2.5);
        assert_eq!(
            (session.readings[0].power, session.readings[1].soc),
            (Some(Power::kw(120.5)), Some(Soc::percent(20.0)))
        );
        assert_eq!(session.readings[1].note.as_deref(), Some("windy"));
    }

    #[test]
    fn one_time_is_enough_and_a_better_matching_wins() {
        let sheet =
            Sheet::read_text(b"timestamp,t sec,foo,SoC\n2026-05-01T12:00:00,0,7,10\n2026-05-01T12:01:00,60,8,12\n")
                .unwrap();
        assert_eq!(sheet.guess().columns, [None, Some("elapsed"), None, Some("soc")]);
        let by_hand =
            Matching { columns: vec![Some("at"), None, Some("power_kw"), Some("soc")], ..Matching::default() };
        let session = sheet.session(&by_hand).unwrap();
        assert_eq!((session.readings[1].elapsed.get(), session.readings[1].power), (1.0, Some(Power::kw(8.0))));
    }

    #[test]
    fn names_the_row_of_the_table() {
        let sheet = Sheet::read_text(b"# made by hand\ntime,soc\n0,10\n60,x1\n").unwrap();
        assert_eq!(
            sheet.session(&sheet.guess()).unwrap_err().to_string(),
            "line 4: soc is \"x1\"; expected 0 to 100 %"
        );
        let without = Matching { columns: vec![None, Some("soc")], ..Matching::default() };
        assert!(sheet.session(&without).unwrap_err().to_string().contains("neither a column elapsed nor at"));
        assert!(Sheet::read_text(b"1,2\n3,4\n").is_err());
        assert!(Sheet::read_xlsx(b"PK nothing").unwrap_err().to_string().contains("cannot be read as XLSX"));
    }
}
