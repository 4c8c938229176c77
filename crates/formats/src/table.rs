//! Lists as tables: CSV with a header row, or a JSON array of objects, by the same column names. Each list says its columns; this
//! reads and writes them, and says where something is wrong.

use std::collections::HashMap;

use csv::{ReaderBuilder, Writer};
use serde_json::{Map, Value};

use spare_hour_core::refused::Bounds;

use crate::number::parse_number;
use crate::session_csv::separator;
use crate::{FormatError, Place, text_of};

/// Longest text of a cell, characters.
const MOST_TEXT: usize = 4_000;

/// What a column holds.
#[derive(Clone, Copy)]
pub(crate) enum Kind {
    /// A number of a unit, within limits.
    Number { unit: &'static str, low: f64, high: f64 },
    /// A text.
    Text,
    /// yes or no; true or false in JSON.
    YesNo,
}

/// A column of a list.
#[derive(Clone, Copy)]
pub(crate) struct Column {
    pub(crate) name: &'static str,
    pub(crate) kind: Kind,
}

pub(crate) const fn number(name: &'static str, unit: &'static str, low: f64, high: f64) -> Column {
    Column { name, kind: Kind::Number { unit, low, high } }
}

/// A column of numbers within the bounds that the rules set.
pub(crate) const fn bounded(name: &'static str, bounds: Bounds) -> Column {
    number(name, bounds.unit, bounds.low, bounds.high)
}

pub(crate) const fn text(name: &'static str) -> Column {
    Column { name, kind: Kind::Text }
}

pub(crate) const fn yes_no(name: &'static str) -> Column {
    Column { name, kind: Kind::YesNo }
}

/// What stands in a row under a column.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Cell {
    Number(f64),
    Text(String),
    YesNo(bool),
}

/// A row that was read: its cells that are not empty, and where it stood.
pub(crate) struct Row {
    cells: HashMap<&'static str, Cell>,
    place: Place,
}

impl Row {
    pub(crate) fn number(&self, name: &str) -> Option<f64> {
        if let Some(Cell::Number(number)) = self.cells.get(name) { Some(*number) } else { None }
    }

    pub(crate) fn text(&self, name: &str) -> Option<String> {
        if let Some(Cell::Text(text)) = self.cells.get(name) { Some(text.clone()) } else { None }
    }

    pub(crate) fn yes_no(&self, name: &str) -> Option<bool> {
        if let Some(Cell::YesNo(yes)) = self.cells.get(name) { Some(*yes) } else { None }
    }

    /// A number that has to be there.
    pub(crate) fn needed(&self, column: &Column) -> Result<f64, FormatError> {
        let Kind::Number { unit, low, high } = column.kind else {
            return Err(self.wrong(format!("{} is no number", column.name)));
        };
        self.number(column.name)
            .ok_or_else(|| self.wrong(format!("{} is empty; expected {low} to {high} {unit}", column.name)))
    }

    /// A problem with this row.
    pub(crate) fn wrong(&self, problem: impl Into<String>) -> FormatError {
        FormatError { place: self.place.clone(), problem: problem.into() }
    }
}

/// Reads a list: a JSON array where the text begins like one, else CSV. Unknown columns are passed over. Of each group in `needed`
/// one column has to be there.
pub(crate) fn read_table(
    bytes: &[u8],
    columns: &'static [Column],
    needed: &[&[&str]],
    most: usize,
) -> Result<Vec<Row>, FormatError> {
    let text = text_of(bytes)?;
    let rows =
        if text.trim_start().starts_with('[') { json_rows(text, columns)? } else { csv_rows(text, columns, needed)? };
    match rows.get(most) {
        Some(row) => Err(row.wrong(format!("is one row too many; expected at most {most}"))),
        None if rows.is_empty() => Err(FormatError::file("has no rows; expected a header and a row for each")),
        None => Ok(rows),
    }
}

fn csv_rows(text: &str, columns: &'static [Column], needed: &[&[&str]]) -> Result<Vec<Row>, FormatError> {
    let mut reader =
        ReaderBuilder::new().delimiter(separator(text)).flexible(true).has_headers(false).from_reader(text.as_bytes());
    let mut records = reader.records();
    let Some(Ok(header)) = records.next() else {
        return Err(FormatError::file("the file is empty; expected a header row with column names"));
    };
    let header: Vec<String> = header.iter().map(|name| name.trim().to_lowercase()).collect();
    for group in needed {
        if !group.iter().any(|name| header.iter().any(|found| found == name)) {
            let names: Vec<&str> = columns.iter().map(|column| column.name).collect();
            let problem = format!("has no column {}; columns are {}", group.join(" or "), names.join(", "));
            return Err(FormatError::line(1, problem));
        }
    }
    let mut rows = Vec::new();
    for record in records {
        let record = record.map_err(|error| FormatError::file(format!("cannot be read as CSV: {error}")))?;
        if record.iter().all(|field| field.trim().is_empty()) {
            continue;
        }
        let line = record.position().map_or(0, |at| at.line() as usize);
        let mut cells = HashMap::new();
        for (name, field) in header.iter().zip(record.iter()) {
            let Some(column) = columns.iter().find(|column| column.name == name) else { continue };
            let cell =
                cell_of_text(column, as_it_was(field.trim())).map_err(|problem| FormatError::line(line, problem))?;
            cells.extend(cell.map(|cell| (column.name, cell)));
        }
        rows.push(Row { cells, place: Place::Line(line) });
    }
    Ok(rows)
}

fn json_rows(text: &str, columns: &'static [Column]) -> Result<Vec<Row>, FormatError> {
    let objects: Vec<Map<String, Value>> = serde_json::from_str(text)
        .map_err(|error| FormatError::line(error.line(), format!("is no JSON array of objects: {error}")))?;
    let row = |(index, object): (usize, &Map<String, Value>)| {
        let mut cells = HashMap::new();
        for column in columns {
            let Some(value) = object.get(column.name).filter(|value| !value.is_null()) else { continue };
            let path = format!("[{index}].{}", column.name);
            let cell = match (column.kind, value) {
                (Kind::YesNo, Value::Bool(yes)) => Some(Cell::YesNo(*yes)),
                (Kind::Number { .. }, Value::Number(number)) => cell_of_text(column, &number.to_string())
                    .map_err(|problem| FormatError::path(path.clone(), problem))?,
                (_, Value::String(said)) => {
                    cell_of_text(column, said.trim()).map_err(|problem| FormatError::path(path.clone(), problem))?
                }
                _ => return Err(FormatError::path(path, "is of another kind than expected")),
            };
            cells.extend(cell.map(|cell| (column.name, cell)));
        }
        Ok(Row { cells, place: Place::Path(format!("[{index}]")) })
    };
    objects.iter().enumerate().map(row).collect()
}

/// A cell; `None` when it is empty.
fn cell_of_text(column: &Column, said: &str) -> Result<Option<Cell>, String> {
    let name = column.name;
    if said.is_empty() {
        return Ok(None);
    }
    match column.kind {
        Kind::Number { unit, low, high } => {
            match parse_number(said, unit).filter(|number| (low..=high).contains(number)) {
                Some(number) => Ok(Some(Cell::Number(number))),
                None => Err(format!("{name} is \"{said}\"; expected {low} to {high} {unit}").trim_end().into()),
            }
        }
        Kind::Text if said.chars().count() > MOST_TEXT => {
            Err(format!("{name} is longer than {MOST_TEXT} characters; expected a shorter text"))
        }
        Kind::Text => Ok(Some(Cell::Text(said.into()))),
        Kind::YesNo => match said.to_lowercase().as_str() {
            "yes" | "true" | "1" => Ok(Some(Cell::YesNo(true))),
            "no" | "false" | "0" => Ok(Some(Cell::YesNo(false))),
            _ => Err(format!("{name} is \"{said}\"; expected yes or no")),
        },
    }
}

/// Names that a list tells its things apart by: a second of a name becomes `name (2)`.
pub(crate) fn told_apart<'n>(names: impl Iterator<Item = &'n str>) -> Vec<String> {
    let mut taken: Vec<String> = Vec::new();
    for name in names {
        let numbered = (2..).map(|number| format!("{name} ({number})"));
        let free = std::iter::once(name.to_string()).chain(numbered).find(|name| !taken.contains(name));
        taken.extend(free);
    }
    taken
}

/// A text that no spreadsheet takes for a formula: one that begins like one has an apostrophe before it, as OWASP's page on CSV injection
/// advises (from memory).
pub(crate) fn defused(text: &str) -> String {
    if begins_like_a_formula(text) { format!("'{text}") } else { text.to_string() }
}

/// A text as it was before [`defused`].
pub(crate) fn as_it_was(text: &str) -> &str {
    text.strip_prefix('\'').filter(|rest| begins_like_a_formula(rest)).unwrap_or(text)
}

fn begins_like_a_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// A row to write: a cell for each column, in their order.
pub(crate) type NewRow = Vec<Option<Cell>>;

pub(crate) fn of_number(number: Option<f64>) -> Option<Cell> {
    number.map(Cell::Number)
}

pub(crate) fn of_text(text: Option<String>) -> Option<Cell> {
    text.map(Cell::Text)
}

/// The list as CSV.
pub(crate) fn table_csv(columns: &[Column], rows: &[NewRow]) -> String {
    let mut writer = Writer::from_writer(Vec::new());
    let said = |cell: &Option<Cell>| match cell {
        None => String::new(),
        Some(Cell::Number(number)) => number.to_string(),
        Some(Cell::Text(text)) => defused(text),
        Some(Cell::YesNo(yes)) => if *yes { "yes" } else { "no" }.into(),
    };
    // Writing to memory cannot fail; a row that did would be missing, not wrong.
    let _ = writer.write_record(columns.iter().map(|column| column.name));
    for row in rows {
        let _ = writer.write_record(row.iter().map(said));
    }
    String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()).into_owned()
}

/// The list as a JSON array of objects; what is not known is null.
pub(crate) fn table_json(columns: &[Column], rows: &[NewRow]) -> String {
    let value = |cell: &Option<Cell>| match cell {
        None => Value::Null,
        Some(Cell::Number(number)) => Value::from(*number),
        Some(Cell::Text(text)) => Value::from(text.clone()),
        Some(Cell::YesNo(yes)) => Value::from(*yes),
    };
    let object = |row: &NewRow| -> Value {
        columns
            .iter()
            .zip(row)
            .map(|(column, cell)| (column.name.to_string(), value(cell)))
            .collect::<Map<_, _>>()
            .into()
    };
    let array: Vec<Value> = rows.iter().map(object).collect();
    serde_json::to_string_pretty(&array).unwrap_or_default()
}

/// A list in one of the two formats that lists are written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ListFormat {
    /// Comma-separated values with a header row.
    Csv,
    /// A JSON array of objects.
    Json,
}

impl ListFormat {
    pub(crate) fn write(self, columns: &[Column], rows: &[NewRow]) -> String {
        match self {
            Self::Csv => table_csv(columns, rows),
            Self::Json => table_json(columns, rows),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const COLUMNS: [Column; 4] = [text("name"), number("km", "km", 0.0, 100.0), yes_no("wet"), text("note")];

    fn read(text: &str) -> Result<Vec<Row>, FormatError> {
        read_table(text.as_bytes(), &COLUMNS, &[&["km"]], 3)
    }

    #[test]
    fn both_formats_hold_the_same() {
        let rows = vec![
            vec![of_text(Some("7".into())), of_number(Some(0.1)), Some(Cell::YesNo(true)), None],
            vec![None, of_number(Some(99.5)), None, of_text(Some("a, \"b\"; c".into()))],
            vec![of_text(Some("=1+1".into())), None, None, of_text(Some("'quoted".into()))],
        ];
        for format in [ListFormat::Csv, ListFormat::Json] {
            let again = read(&format.write(&COLUMNS, &rows)).unwrap();
            let told: Vec<NewRow> = again
                .iter()
                .map(|row| COLUMNS.iter().map(|column| row.cells.get(column.name).cloned()).collect())
                .collect();
            assert_eq!(told, rows, "{format:?}");
        }
        assert_eq!(read("KM;Name;more\n3,5 km;x;y\n\n").unwrap()[0].number("km"), Some(3.5));
    }

    #[test]
    fn names_that_repeat_are_told_apart() {
        assert_eq!(told_apart(["a", "b", "a", "a (2)", "a"].into_iter()), ["a", "b", "a (2)", "a (2) (2)", "a (3)"]);
    }

    #[test]
    fn names_the_place_and_what_is_expected() {
        for (text, place, part) in [
            ("", "", "the file is empty"),
            ("name\nx\n", "line 1", "has no column km"),
            ("km\n", "", "has no rows"),
            ("km\n1\nfar\n", "line 3", "km is \"far\"; expected 0 to 100 km"),
            ("km,wet\n1,perhaps\n", "line 2", "expected yes or no"),
            ("km\n1\n2\n3\n4\n", "line 5", "one row too many; expected at most 3"),
            ("[{\"km\": 1}, {\"km\": 900}]", "[1].km", "expected 0 to 100 km"),
            ("[{\"km\": true}]", "[0].km", "another kind"),
            ("[{\"km\": 1}", "line 1", "no JSON array"),
            ("[]", "", "has no rows"),
        ] {
            let error = read(text).err().unwrap().to_string();
            assert!(error.starts_with(place) && error.contains(part), "{text}: {error}");
        }
        let row = &read("km,name\n,x\n").unwrap()[0];
        assert_eq!(row.needed(&COLUMNS[1]).unwrap_err().to_string(), "line 2: km is empty; expected 0 to 100 km");
    }
}
