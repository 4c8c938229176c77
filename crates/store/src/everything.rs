//! Everything in one file, out and back in unchanged: every row of every table as JSON, numbers to their last digit.
//!
//! Rows are read and written through SQLite's own JSON functions, by the columns that the tables have. A file of an older
//! version lacks some columns, which then take their defaults; one that knows changes this version does not is refused.

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sql_types::Text;
use serde_json::{Map, Value};

use crate::connection::{Store, applied_changes};
use crate::{Result, StoreError};

const FORMAT: &str = "spare-hour/everything";
/// All tables, those that others refer to first.
const TABLES: [&str; 14] = [
    "cars",
    "curves",
    "sessions",
    "readings",
    "tariffs",
    "memberships",
    "trips",
    "trip_segments",
    "trip_sites",
    "drives",
    "live_charges",
    "live_events",
    "column_matchings",
    "settings",
];
/// A table of which a store that holds nothing may have a row, which the file's then takes the place of.
const REPLACED: &str = "settings";

#[derive(QueryableByName)]
struct Name {
    #[diesel(sql_type = Text)]
    name: String,
}

#[derive(QueryableByName)]
struct Json {
    #[diesel(sql_type = Text)]
    json: String,
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    count: i64,
}

fn columns(connection: &mut SqliteConnection, table: &str) -> Result<Vec<String>> {
    let names: Vec<Name> =
        diesel::sql_query(format!("SELECT name FROM pragma_table_info('{table}')")).load(connection)?;
    Ok(names.into_iter().map(|column| column.name).collect())
}

fn damaged(problem: impl Into<String>) -> StoreError {
    StoreError::Damaged { what: "file of everything", problem: problem.into() }
}

impl Store {
    /// Everything that is kept, as JSON.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn everything(&self) -> Result<String> {
        self.connection()?.transaction(|connection| {
            let mut tables = Map::new();
            for table in TABLES {
                let columns = columns(connection, table)?;
                // SQLite's JSON would cut numbers to 15 digits; 17 are all there are.
                let pair = |column: &String| {
                    format!("'{column}', CASE typeof(\"{column}\") WHEN 'real' THEN json(printf('%!.17g', \"{column}\")) ELSE \"{column}\" END")
                };
                let pairs: Vec<String> = columns.iter().map(pair).collect();
                let query = format!("SELECT json_group_array(json_object({})) AS json FROM {table}", pairs.join(", "));
                let rows: Json = diesel::sql_query(query).get_result(connection)?;
                let rows: Value = serde_json::from_str(&rows.json).map_err(|error| damaged(error.to_string()))?;
                tables.insert(table.into(), rows);
            }
            let changes = applied_changes(connection)?;
            let file = serde_json::json!({ "format": FORMAT, "version": 1, "changes": changes, "tables": tables });
            Ok(file.to_string())
        })
    }

    /// Takes a file of everything into a store that holds nothing; all of it or none.
    ///
    /// # Errors
    /// [`StoreError::NotEmpty`] when something is kept already; [`StoreError::Damaged`] when the text is no such file, or
    /// was written by a newer version.
    pub fn take_everything(&self, text: &str) -> Result<()> {
        let file: Value = serde_json::from_str(text).map_err(|error| damaged(format!("it is no JSON: {error}")))?;
        if file["format"] != FORMAT || file["version"] != 1 {
            return Err(damaged(format!("expected {FORMAT} version 1")));
        }
        self.connection()?.all_or_nothing(|connection| {
            let known = applied_changes(connection)?;
            let changes = file["changes"].as_array().cloned().unwrap_or_default();
            let newer = changes.iter().filter_map(Value::as_str).find(|change| !known.iter().any(|own| own == change));
            if let Some(change) = newer {
                return Err(damaged(format!(
                    "a newer version of Spare Hour wrote it (it knows the change \"{change}\")"
                )));
            }
            for table in TABLES.into_iter().filter(|table| *table != REPLACED) {
                let rows: Count =
                    diesel::sql_query(format!("SELECT count(*) AS count FROM {table}")).get_result(connection)?;
                if rows.count > 0 {
                    return Err(StoreError::NotEmpty);
                }
            }
            connection.batch_execute("PRAGMA defer_foreign_keys = ON")?;
            if file["tables"][REPLACED].as_array().is_some_and(|rows| !rows.is_empty()) {
                connection.batch_execute(&format!("DELETE FROM {REPLACED}"))?;
            }
            for table in TABLES {
                take(connection, table, &file["tables"][table])?;
            }
            Ok(())
        })
    }
}

/// Writes the rows of a table.
fn take(connection: &mut SqliteConnection, table: &str, rows: &Value) -> Result<()> {
    let Some(first) = rows.as_array().and_then(|rows| rows.first()).and_then(Value::as_object) else {
        return Ok(());
    };
    let known: Vec<String> = columns(connection, table)?.into_iter().filter(|name| first.contains_key(name)).collect();
    let into: Vec<String> = known.iter().map(|name| format!("\"{name}\"")).collect();
    let from: Vec<String> = known.iter().map(|name| format!("value ->> '$.{name}'")).collect();
    let query = format!("INSERT INTO {table} ({}) SELECT {} FROM json_each(?)", into.join(", "), from.join(", "));
    diesel::sql_query(query)
        .bind::<Text, _>(rows.to_string())
        .execute(connection)
        .map_err(|error| damaged(format!("{table}: {error}")))?;
    Ok(())
}
