//! Backups: all that is kept in one file of its own format and version, out and back in, numbers to their last digit.
//!
//! [`records`] is the format; what an [`earlier`] version wrote comes in through the schema of its day, which is then
//! brought up to date as the person's own file would have been.

mod earlier;
mod records;

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Text};
use serde_json::{Map, Value};

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

impl Store {
    /// All that is kept, as a backup.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn backup(&self) -> Result<String> {
        self.connection()?.transaction(write)
    }

    /// Takes a backup of this or an earlier version into a store that holds nothing; all of it or none.
    ///
    /// # Errors
    /// [`StoreError::NotEmpty`] when something is kept already; [`StoreError::Damaged`] when the text is no backup, or was
    /// written by a newer version.
    pub fn restore(&self, text: &str) -> Result<()> {
        let file: Value = serde_json::from_str(text).map_err(|error| damaged(format!("it is no JSON: {error}")))?;
        let file = match (file["format"].as_str(), file["version"].as_u64()) {
            (Some(FORMAT), Some(VERSION)) => file,
            (Some(FORMAT), Some(newer)) if newer > VERSION => {
                return Err(damaged(format!(
                    "a newer version of Spare Hour wrote it: it is version {newer}, this one reads up to {VERSION}"
                )));
            }
            (Some(earlier::FORMAT), Some(earlier::VERSION)) => earlier::brought_up_to_date(&file)?,
            _ => return Err(damaged(format!("expected {FORMAT} version {VERSION}, or what an earlier version wrote"))),
        };
        self.connection()?.all_or_nothing(|connection| {
            // Undo would empty everything again.
            crate::undo::never(connection)?;
            read(connection, &file)
        })
    }
}

/// Writes what a database of this version holds.
fn write(connection: &mut SqliteConnection) -> Result<String> {
    let mut file = Map::new();
    file.insert("format".into(), FORMAT.into());
    file.insert("version".into(), VERSION.into());
    for Kind { name, table, fields } in &KINDS {
        let pairs: Vec<String> = fields.iter().map(written).collect();
        let query = format!("SELECT json_group_array(json_object({})) AS json FROM {table}", pairs.join(", "));
        let rows: Json = diesel::sql_query(query).get_result(connection)?;
        let rows: Value = serde_json::from_str(&rows.json).map_err(|error| damaged(error.to_string()))?;
        file.insert((*name).into(), rows);
    }
    serde_json::to_string(&file).map_err(|error| damaged(error.to_string()))
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
fn read(connection: &mut SqliteConnection, file: &Value) -> Result<()> {
    for kind in KINDS.iter().filter(|kind| kind.name != REPLACED) {
        let query = format!("SELECT count(*) AS count FROM {}", kind.table);
        if diesel::sql_query(query).get_result::<Count>(connection)?.count > 0 {
            return Err(StoreError::NotEmpty);
        }
    }
    connection.batch_execute("PRAGMA defer_foreign_keys = ON")?;
    for kind in &KINDS {
        let Some(records) = file[kind.name].as_array().filter(|records| !records.is_empty()) else { continue };
        if kind.name == REPLACED {
            connection.batch_execute(&format!("DELETE FROM {}", kind.table))?;
        }
        read_kind(connection, kind, records)?;
    }
    Ok(())
}

/// Writes the records of a kind into its table. Fields that the first record lacks take the table's defaults.
fn read_kind(connection: &mut SqliteConnection, kind: &Kind, records: &[Value]) -> Result<()> {
    let first = records[0].as_object().ok_or_else(|| damaged(format!("{}[0] is no record", kind.name)))?;
    let known = |name: &&String| kind.fields.iter().any(|field| field.0 == name.as_str());
    if let Some(unknown) = first.keys().find(|name| !known(name)) {
        return Err(damaged(format!("{}[0].{unknown} is no field that this version knows", kind.name)));
    }
    let fields: Vec<&Field> = kind.fields.iter().filter(|field| first.contains_key(field.0)).collect();
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
