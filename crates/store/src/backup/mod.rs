//! Backups: all that is kept in one file of its own format and version, out and back in, numbers to their last digit.
//!
//! [`records`] is the format; what an [`earlier`] version wrote comes in through the schema of its day, which is then
//! brought up to date as the person's own file would have been. Records go out one by one and come in a hundred at a time
//! ([`reading`]), so that the largest file takes no more memory than its longest record.

mod earlier;
mod reading;
mod records;

use std::io::{BufReader, Read, Seek, Write};

use diesel::connection::DefaultLoadingMode;
use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Text};
use serde::Deserialize;
use serde_json::Value;

use crate::connection::Store;
use crate::{Result, StoreError};
use records::{Field, Holds, KINDS, Kind};

const FORMAT: &str = "spare-hour/backup";
const VERSION: u64 = 2;
/// A kind of which a store that holds nothing may have a record, which the file's then takes the place of.
const REPLACED: &str = "settings";

#[derive(QueryableByName)]
struct Json {
    #[diesel(sql_type = Text)]
    json: String,
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = BigInt)]
    count: i64,
}

fn damaged(problem: impl Into<String>) -> StoreError {
    StoreError::Damaged { what: "backup", problem: problem.into() }
}

/// What a file says of itself.
#[derive(Deserialize)]
struct Head {
    #[serde(default)]
    format: Value,
    #[serde(default)]
    version: Value,
}

impl Store {
    /// Writes all that is kept as a backup.
    ///
    /// # Errors
    /// When the database refuses, or the file cannot be written.
    pub fn backup(&self, mut file: impl Write) -> Result<()> {
        self.connection()?.transaction(|connection| write(connection, &mut file))
    }

    /// Takes a backup of this or an earlier version into a store that holds nothing; all of it or none.
    ///
    /// # Errors
    /// [`StoreError::NotEmpty`] when something is kept already; [`StoreError::Damaged`] when the file is no backup, or was
    /// written by a newer version.
    pub fn restore(&self, mut file: impl Read + Seek) -> Result<()> {
        let no_json = |error: serde_json::Error| damaged(format!("it is no JSON: {error}"));
        let head: Head = serde_json::from_reader(BufReader::new(&mut file)).map_err(no_json)?;
        file.rewind().map_err(|error| unreadable(&error))?;
        match (head.format.as_str(), head.version.as_u64()) {
            (Some(FORMAT), Some(VERSION)) => self.take_in(file),
            (Some(FORMAT), Some(newer)) if newer > VERSION => Err(damaged(format!(
                "a newer version of Spare Hour wrote it: it is version {newer}, this one reads up to {VERSION}"
            ))),
            (Some(earlier::FORMAT), Some(earlier::VERSION)) => {
                let earlier = serde_json::from_reader(BufReader::new(file)).map_err(no_json)?;
                self.take_in(&*earlier::brought_up_to_date(&earlier)?)
            }
            _ => Err(damaged(format!("expected {FORMAT} version {VERSION}, or what an earlier version wrote"))),
        }
    }

    fn take_in(&self, file: impl Read) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            // Undo would empty everything again.
            crate::undo::never(connection)?;
            read(connection, file)
        })
    }
}

fn unreadable(error: &std::io::Error) -> StoreError {
    damaged(format!("it cannot be read: {error}"))
}

/// Writes what a database of this version holds.
fn write(connection: &mut SqliteConnection, file: &mut impl Write) -> Result<()> {
    let unwritable = |error: std::io::Error| StoreError::Unwritable {
        problem: error.to_string(),
        full: error.kind() == std::io::ErrorKind::StorageFull,
    };
    write!(file, "{{\"format\":\"{FORMAT}\",\"version\":{VERSION}").map_err(unwritable)?;
    for Kind { name, table, fields } in &KINDS {
        let pairs: Vec<String> = fields.iter().map(written).collect();
        let query = diesel::sql_query(format!("SELECT json_object({}) AS json FROM {table}", pairs.join(", ")));
        write!(file, ",\"{name}\":").map_err(unwritable)?;
        let mut before = '[';
        for record in query.load_iter::<Json, DefaultLoadingMode>(connection)? {
            let record: Value = serde_json::from_str(&record?.json).map_err(|error| damaged(error.to_string()))?;
            write!(file, "{before}\n{record}").map_err(unwritable)?;
            before = ',';
        }
        write!(file, "{}]", if before == '[' { "[" } else { "\n" }).map_err(unwritable)?;
    }
    writeln!(file, "}}").and_then(|()| file.flush()).map_err(unwritable)
}

/// A field for SQLite's `json_object`, which would cut numbers to 15 digits; 17 are all there are.
fn written((name, column, holds): &Field) -> String {
    match holds {
        Holds::Plain => format!(
            "'{name}', CASE typeof(\"{column}\") WHEN 'real' THEN json(printf('%!.17g', \"{column}\")) ELSE \"{column}\" END"
        ),
        Holds::Json => format!("'{name}', json(\"{column}\")"),
    }
}

/// Takes a backup of this version into a database that holds nothing.
fn read(connection: &mut SqliteConnection, file: impl Read) -> Result<()> {
    for kind in KINDS.iter().filter(|kind| kind.name != REPLACED) {
        let query = format!("SELECT count(*) AS count FROM {}", kind.table);
        if diesel::sql_query(query).get_result::<Count>(connection)?.count > 0 {
            return Err(StoreError::NotEmpty);
        }
    }
    connection.batch_execute("PRAGMA defer_foreign_keys = ON")?;
    reading::read_records(file, |kind, fields, records| {
        if kind.name == REPLACED {
            connection.batch_execute(&format!("DELETE FROM {}", kind.table))?;
        }
        read_kind(connection, kind, fields, records)
    })
}

/// The fields of a kind that its first record has; the others take the table's defaults.
fn fields_of(kind: &'static Kind, first: &Value) -> Result<Vec<&'static Field>> {
    let first = first.as_object().ok_or_else(|| damaged(format!("{}[0] is no record", kind.name)))?;
    let known = |name: &&String| kind.fields.iter().any(|field| field.0 == name.as_str());
    if let Some(unknown) = first.keys().find(|name| !known(name)) {
        return Err(damaged(format!("{}[0].{unknown} is no field that this version knows", kind.name)));
    }
    Ok(kind.fields.iter().filter(|field| first.contains_key(field.0)).collect())
}

/// Writes records of a kind into its table.
fn read_kind(connection: &mut SqliteConnection, kind: &Kind, fields: &[&Field], records: &[Value]) -> Result<()> {
    let into: Vec<String> = fields.iter().map(|field| format!("\"{}\"", field.1)).collect();
    let from: Vec<String> = fields
        .iter()
        .map(|(name, _, holds)| match holds {
            Holds::Plain => format!("value ->> '$.{name}'"),
            // What is JSON in the file is kept as its text; nothing stays nothing.
            Holds::Json => format!("nullif(value -> '$.{name}', 'null')"),
        })
        .collect();
    let query =
        format!("INSERT INTO {} ({}) SELECT {} FROM json_each(?)", kind.table, into.join(", "), from.join(", "));
    let text = serde_json::to_string(records).map_err(|error| damaged(error.to_string()))?;
    let inserted = diesel::sql_query(query).bind::<Text, _>(text).execute(connection);
    inserted.map_err(|error| damaged(format!("{}: {error}", kind.name)))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[derive(QueryableByName)]
    struct Name {
        #[diesel(sql_type = Text)]
        name: String,
    }

    fn names(connection: &mut SqliteConnection, query: &str) -> BTreeSet<String> {
        let names: Vec<Name> = diesel::sql_query(query).load(connection).unwrap();
        names.into_iter().map(|name| name.name).collect()
    }

    #[test]
    fn no_table_and_no_column_is_forgotten() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let connection = &mut *store.connection().unwrap();
        let tables = names(
            connection,
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE '\\_\\_%' ESCAPE '\\'",
        );
        // Who comes in here, and what they keep to themselves, is of this place: it goes into copies of the database alone.
        let of_this_place = ["people", "private_cars", "private_trips", "settings_of_people", "sign_ins", "trip_links"];
        let kinds = KINDS.iter().map(|kind| kind.table).chain(of_this_place);
        assert_eq!(tables, kinds.map(Into::into).collect());
        for kind in &KINDS {
            let columns = names(connection, &format!("SELECT name FROM pragma_table_info('{}')", kind.table));
            assert_eq!(columns, kind.fields.iter().map(|field| field.1.to_string()).collect(), "{}", kind.name);
            let fields: BTreeSet<&str> = kind.fields.iter().map(|field| field.0).collect();
            assert_eq!(fields.len(), kind.fields.len(), "{}: two fields of one name", kind.name);
        }
    }
}
