//! Backups of version 1, `spare-hour/everything`: every row of every table as it was then, with the changes that the tables
//! had been through.
//!
//! Such a file is put into a database of its day (the changes that it names, and no later ones), which is then brought up to
//! date by the changes that came since, and written anew.

use std::collections::HashSet;

use diesel::connection::SimpleConnection;
use diesel::migration::{Migration, MigrationSource};
use diesel::prelude::*;
use diesel::sql_types::Text;
use diesel::sqlite::Sqlite;
use diesel_migrations::MigrationHarness;
use serde_json::Value;

use super::damaged;
use crate::connection::MIGRATIONS;
use crate::{Result, StoreError};

pub(super) const FORMAT: &str = "spare-hour/everything";
pub(super) const VERSION: u64 = 1;

/// The tables that a file may hold, those that others refer to first.
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

#[derive(QueryableByName)]
struct Name {
    #[diesel(sql_type = Text)]
    name: String,
}

/// What the file holds as a backup of this version.
pub(super) fn brought_up_to_date(file: &Value) -> Result<Vec<u8>> {
    let mut connection =
        SqliteConnection::establish(":memory:").map_err(|error| damaged(format!("no database for it: {error}")))?;
    migrate_to_its_day(&mut connection, file)?;
    connection.batch_execute("PRAGMA foreign_keys = OFF")?;
    for table in TABLES {
        take(&mut connection, table, &file["tables"][table])?;
    }
    let later = connection.run_pending_migrations(MIGRATIONS).map(|_| ());
    later.map_err(|error| damaged(format!("it cannot be brought up to date: {error}")))?;
    let mut text = Vec::new();
    super::write(&mut connection, &mut text)?;
    Ok(text)
}

/// Brings an empty database to where the file's was.
fn migrate_to_its_day(connection: &mut SqliteConnection, file: &Value) -> Result<()> {
    let changes = file["changes"].as_array().ok_or_else(|| damaged("it does not name its changes"))?;
    let mut changes: HashSet<&str> = changes.iter().filter_map(Value::as_str).collect();
    let known: Vec<Box<dyn Migration<Sqlite>>> = MIGRATIONS.migrations().map_err(|error| damaged(error.to_string()))?;
    // The table of migrations is made with the first.
    connection.pending_migrations(MIGRATIONS).map_err(|error| damaged(error.to_string()))?;
    for migration in known {
        if changes.remove(migration.name().version().to_string().as_str()) {
            let done = connection.run_migration(&*migration).map(|_| ());
            done.map_err(|error| damaged(format!("{}: {error}", migration.name())))?;
        }
    }
    match changes.into_iter().min() {
        Some(change) => {
            Err(damaged(format!("a newer version of Spare Hour wrote it (it knows the change \"{change}\")")))
        }
        None => Ok(()),
    }
}

/// Writes the rows of a table.
fn take(connection: &mut SqliteConnection, table: &str, rows: &Value) -> Result<()> {
    let Some(first) = rows.as_array().and_then(|rows| rows.first()).and_then(Value::as_object) else {
        return Ok(());
    };
    let columns: Vec<Name> =
        diesel::sql_query(format!("SELECT name FROM pragma_table_info('{table}')")).load(connection)?;
    let known: Vec<String> =
        columns.into_iter().map(|column| column.name).filter(|name| first.contains_key(name)).collect();
    let into: Vec<String> = known.iter().map(|name| format!("\"{name}\"")).collect();
    let from: Vec<String> = known.iter().map(|name| format!("value ->> '$.{name}'")).collect();
    // A new database may have a row of settings already.
    let query = format!("REPLACE INTO {table} ({}) SELECT {} FROM json_each(?)", into.join(", "), from.join(", "));
    diesel::sql_query(query)
        .bind::<Text, _>(rows.to_string())
        .execute(connection)
        .map_err(|error| StoreError::Damaged { what: "backup", problem: format!("{table}: {error}") })?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Store;
    use diesel::sql_types::{BigInt, Integer, Nullable};
    use std::path::Path;

    #[derive(QueryableByName)]
    struct Column {
        #[diesel(sql_type = Text)]
        name: String,
        #[diesel(sql_type = Text)]
        kind: String,
        #[diesel(sql_type = Integer)]
        needed: i32,
        #[diesel(sql_type = Nullable<Text>)]
        usual: Option<String>,
    }

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

    fn known() -> Vec<Box<dyn Migration<Sqlite>>> {
        MIGRATIONS.migrations().unwrap()
    }

    fn tables(connection: &mut SqliteConnection) -> Vec<&'static str> {
        let there = |table: &&str| {
            let query = format!("SELECT count(*) AS count FROM sqlite_master WHERE name = '{table}'");
            diesel::sql_query(query).get_result::<Count>(connection).unwrap().count > 0
        };
        TABLES.into_iter().filter(there).collect()
    }

    /// A value that a column could hold.
    fn value(column: &Column) -> String {
        match (column.name.as_str(), column.kind.as_str()) {
            ("points", _) => "'[[10.0,100.0]]'".into(),
            ("moved", _) => "'[[10.0,100.0,90.0]]'".into(),
            ("other" | "forecasts" | "conditions" | "targets", _) => "'[]'".into(),
            ("pack_voltage", _) => "'[[0.0,320.0]]'".into(),
            ("boost" | "curve_id" | "own_tariff_id" | "opening_hours" | "note", _) => "NULL".into(),
            ("distance_base", _) => "'rated'".into(),
            ("ocpi", _) => "'{}'".into(),
            ("meter", _) => "'station'".into(),
            ("distance", "TEXT") => "'km'".into(),
            (_, "TEXT") => format!("'{} of old'", column.name),
            (_, "DOUBLE") => "10.123456789012345".into(),
            _ => "1".into(),
        }
    }

    /// A database as it was after so many changes, with a row in each of its tables.
    fn of_old(path: &str, changes: usize) -> SqliteConnection {
        let mut connection = SqliteConnection::establish(path).unwrap();
        connection.pending_migrations(MIGRATIONS).unwrap();
        for migration in known().iter().take(changes) {
            connection.run_migration(&**migration).unwrap();
        }
        connection.batch_execute("PRAGMA foreign_keys = OFF").unwrap();
        for table in tables(&mut connection) {
            let query = format!(
                "SELECT name, type AS kind, \"notnull\" AS needed, dflt_value AS usual FROM pragma_table_info('{table}')"
            );
            let columns: Vec<Column> = diesel::sql_query(query).load(&mut connection).unwrap();
            // Every other column that may be empty or usual is left so.
            let filled = |(index, column): &(usize, &Column)| {
                index % 2 == 0
                    || (column.needed != 0 && column.usual.is_none())
                    || ["id", "kwh"].contains(&column.name.as_str())
            };
            let filled: Vec<&Column> = columns.iter().enumerate().filter(filled).map(|column| column.1).collect();
            let names: Vec<String> = filled.iter().map(|column| format!("\"{}\"", column.name)).collect();
            let values: Vec<String> = filled.iter().map(|column| value(column)).collect();
            let insert = format!("REPLACE INTO {table} ({}) VALUES ({})", names.join(", "), values.join(", "));
            diesel::sql_query(insert).execute(&mut connection).unwrap();
        }
        connection
    }

    /// The file that a program of that day wrote: every row of every table.
    fn file_of(connection: &mut SqliteConnection, changes: usize) -> Value {
        let mut file = serde_json::json!({ "format": FORMAT, "version": VERSION, "tables": {} });
        let names = known().iter().take(changes).map(|change| change.name().version().to_string()).collect::<Vec<_>>();
        file["changes"] = names.into();
        for table in tables(connection) {
            let columns: Vec<Name> =
                diesel::sql_query(format!("SELECT name FROM pragma_table_info('{table}')")).load(connection).unwrap();
            let pairs: Vec<String> = columns.iter().map(|column| format!("'{0}', \"{0}\"", column.name)).collect();
            let query = format!("SELECT json_group_array(json_object({})) AS json FROM {table}", pairs.join(", "));
            let rows: Json = diesel::sql_query(query).get_result(connection).unwrap();
            file["tables"][table] = serde_json::from_str(&rows.json).unwrap();
        }
        file
    }

    fn counts(connection: &mut SqliteConnection, tables: &[&str]) -> Vec<i64> {
        let count = |table: &&str| {
            let query = format!("SELECT count(*) AS count FROM {table}");
            diesel::sql_query(query).get_result::<Count>(connection).unwrap().count
        };
        tables.iter().map(count).collect()
    }

    #[test]
    fn a_file_of_every_earlier_day_comes_in() {
        for changes in 1..=known().len() {
            let mut old = of_old(":memory:", changes);
            let (file, filled) = (file_of(&mut old, changes), tables(&mut old));
            let directory = tempfile::tempdir().unwrap();
            let store = Store::open(directory.path()).unwrap();
            store
                .restore(std::io::Cursor::new(file.to_string()))
                .unwrap_or_else(|error| panic!("after {changes} changes: {error}"));
            let connection = &mut *store.connection().unwrap();
            assert_eq!(counts(connection, &filled), vec![1; filled.len()], "after {changes} changes");
        }
    }

    #[test]
    fn a_newer_file_is_refused() {
        let mut old = of_old(":memory:", 1);
        let mut file = file_of(&mut old, 1);
        file["changes"] = serde_json::json!(["20261124000001", "29990101000000"]);
        let error = brought_up_to_date(&file).unwrap_err().to_string();
        assert!(error.contains("it knows the change \"29990101000000\""), "{error}");
    }

    /// The copies beside a database.
    fn copies(directory: &Path) -> Vec<String> {
        let names =
            std::fs::read_dir(directory).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
        let mut copies: Vec<String> = names.filter(|name| name.starts_with("spare-hour-before-")).collect();
        copies.sort();
        copies
    }

    #[test]
    fn a_database_of_every_earlier_day_is_copied_and_brought_up_to_date() {
        for changes in 1..known().len() {
            let directory = tempfile::tempdir().unwrap();
            let path = directory.path().join("spare-hour.db");
            let filled = tables(&mut of_old(path.to_str().unwrap(), changes));
            let store = Store::open(directory.path()).unwrap();
            let connection = &mut *store.connection().unwrap();
            assert_eq!(counts(connection, &filled), vec![1; filled.len()], "after {changes} changes");
            let copies = copies(directory.path());
            assert_eq!(copies, [format!("spare-hour-before-{}.db", known()[changes].name().version())]);
            let copy = directory.path().join(&copies[0]);
            let mut copy = SqliteConnection::establish(copy.to_str().unwrap()).unwrap();
            assert_eq!(counts(&mut copy, &filled), vec![1; filled.len()]);
            assert_eq!(copy.pending_migrations(MIGRATIONS).unwrap().len(), known().len() - changes);
        }
    }

    #[test]
    fn a_database_that_is_up_to_date_is_not_copied() {
        let directory = tempfile::tempdir().unwrap();
        drop(Store::open(directory.path()).unwrap());
        drop(Store::open(directory.path()).unwrap());
        assert!(copies(directory.path()).is_empty());
    }
}
