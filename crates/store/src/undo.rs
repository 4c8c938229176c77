//! Taking back: what would put each change as it was is noted while it is made, and run backwards when it is taken back.
//!
//! Each connection that changes something has triggers of its own on every table that a person fills in; they note the statement
//! that takes a row's change back (SQLite's documentation describes the technique under "Automatic Undo/Redo"). The notes of one
//! transaction are one step. They live in memory: after a restart nothing is offered. What a charge under way has been told is
//! never taken back.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::result::DatabaseErrorKind::{CheckViolation, ForeignKeyViolation, NotNullViolation, UniqueViolation};
use diesel::result::Error;
use diesel::sql_types::{Integer, Text};

use crate::{Result, Store, StoreError};

/// Tables that a person fills in, and what one of their rows is called; what comes first names a step.
const TABLES: [(&str, &str); 15] = [
    ("sessions", "a charge"),
    ("trips", "a trip"),
    ("cars", "a car"),
    ("tariffs", "a tariff"),
    ("memberships", "a membership"),
    ("drives", "a drive"),
    ("curves", "a curve"),
    ("trip_sites", "a site"),
    ("trip_segments", "the road"),
    ("readings", "a reading"),
    ("settings", "the settings"),
    ("column_matchings", "how columns are read"),
    ("settings_of_people", "the settings"),
    ("private_cars", "who sees a car"),
    ("private_trips", "who sees a trip"),
];
/// Rows of this table come with their charge and only so: they go with it when that is taken back.
const NEVER_ADDED_ALONE: &str = "readings";
/// What was told by a charge under way: a step that touches it is never taken back.
const UNDER_WAY: [&str; 4] = ["live_charges", "live_events", "outings", "outing_events"];
/// Steps that are kept at most, and their size together.
const MOST_STEPS: usize = 30;
const MOST_BYTES: usize = 64 << 20;
/// Rows of one step beyond which it is not kept.
const MOST_ROWS: i64 = 300_000;

/// What was done to the rows that a step is named after.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Done {
    /// There are more.
    Added,
    /// They are others.
    Changed,
    /// There are fewer.
    Removed,
}

/// A change that may be taken back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// Its number, which only grows.
    pub number: u64,
    /// What was done,
    pub done: Done,
    /// and to what, such as "a trip".
    pub what: &'static str,
    /// Who did it, where somebody is signed in.
    pub by: Option<i32>,
}

/// The last steps.
#[derive(Debug, Default)]
pub(crate) struct Steps {
    next: u64,
    last: VecDeque<(Step, Vec<String>)>,
}

/// A noted statement.
#[derive(QueryableByName)]
struct Note {
    #[diesel(sql_type = Text)]
    name: String,
    #[diesel(sql_type = Text)]
    sql: String,
}

/// A column, and its place in the primary key; 0 where it is none.
#[derive(QueryableByName)]
struct ColumnInfo {
    #[diesel(sql_type = Text)]
    name: String,
    #[diesel(sql_type = Integer)]
    pk: i32,
}

/// What a row belongs to.
#[derive(QueryableByName)]
struct Parent {
    #[diesel(sql_type = Text)]
    parent: String,
    #[diesel(sql_type = Text)]
    via: String,
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    count: i64,
}

/// Begins to note what is changed over a connection.
pub(crate) fn begin(connection: &mut SqliteConnection) -> Result<()> {
    connection.batch_execute(
        "CREATE TEMP TABLE IF NOT EXISTS undo_note (at INTEGER PRIMARY KEY, name TEXT NOT NULL, sql TEXT NOT NULL);
         CREATE TEMP TABLE IF NOT EXISTS undo_new (name TEXT NOT NULL, id NOT NULL, PRIMARY KEY (name, id)) WITHOUT ROWID;
         DELETE FROM undo_note; DELETE FROM undo_new;",
    )?;
    let noted = diesel::sql_query("SELECT count(*) AS count FROM sqlite_temp_master WHERE type = 'trigger'");
    if noted.get_result::<Count>(connection)?.count > 0 {
        return Ok(());
    }
    for (table, _) in TABLES {
        let triggers = triggers(connection, table)?;
        connection.batch_execute(&triggers)?;
    }
    for table in UNDER_WAY {
        for (name, event) in [("i", "INSERT"), ("u", "UPDATE"), ("d", "DELETE")] {
            connection.batch_execute(&format!(
                "CREATE TEMP TRIGGER undo_{table}_{name} AFTER {event} ON main.{table}
                 BEGIN INSERT INTO undo_note (name, sql) VALUES ('{table}', ''); END;"
            ))?;
        }
    }
    Ok(())
}

/// The triggers that note how each change of a table is taken back.
fn triggers(connection: &mut SqliteConnection, table: &str) -> Result<String> {
    let columns: Vec<ColumnInfo> =
        diesel::sql_query(format!("SELECT name, pk FROM pragma_table_info('{table}')")).load(connection)?;
    let parents: Vec<Parent> = diesel::sql_query(format!(
        "SELECT \"table\" AS parent, \"from\" AS via FROM pragma_foreign_key_list('{table}') WHERE on_delete = 'CASCADE'"
    ))
    .load(connection)?;
    let keys: Vec<&ColumnInfo> = columns.iter().filter(|column| column.pk > 0).collect();
    let row = |whose: &str| {
        let is = |key: &&ColumnInfo| format!("'{0} IS ', quote({whose}.{0})", key.name);
        keys.iter().map(is).collect::<Vec<_>>().join(", ' AND ', ")
    };
    // Put together at once: a text of megabytes would be copied again for every column after it.
    let note = |pieces: String| format!("INSERT INTO undo_note (name, sql) VALUES ('{table}', concat({pieces}));");
    let names = columns.iter().map(|column| column.name.as_str()).collect::<Vec<_>>();
    let olds = names.iter().map(|name| format!("quote(old.{name})")).collect::<Vec<_>>().join(", ', ', ");
    let sets = names.iter().map(|name| format!("'{name} = ', quote(old.{name})")).collect::<Vec<_>>();
    // What comes with a row that is new goes with it.
    let new = |parent: &Parent| {
        format!("NOT EXISTS (SELECT 1 FROM undo_new WHERE name = '{}' AND id = new.{})", parent.parent, parent.via)
    };
    let unless = match parents.iter().map(new).collect::<Vec<_>>() {
        of if of.is_empty() => String::new(),
        of => format!("WHEN {}", of.join(" AND ")),
    };
    let remember = match keys[..] {
        [key] => format!("INSERT OR IGNORE INTO undo_new (name, id) VALUES ('{table}', new.{});", key.name),
        _ => String::new(),
    };
    let inserted = if table == NEVER_ADDED_ALONE {
        String::new()
    } else {
        let added = note(format!("'DELETE FROM {table} WHERE ', {}", row("new")));
        format!(
            "CREATE TEMP TRIGGER undo_{table}_i AFTER INSERT ON main.{table} {unless} BEGIN {added} {remember} END;"
        )
    };
    Ok(format!(
        "{inserted}
         CREATE TEMP TRIGGER undo_{table}_u AFTER UPDATE ON main.{table} BEGIN {changed} END;
         CREATE TEMP TRIGGER undo_{table}_d AFTER DELETE ON main.{table} BEGIN {removed} END;",
        changed = note(format!("'UPDATE {table} SET ', {}, ' WHERE ', {}", sets.join(", ', ', "), row("new"))),
        removed = note(format!("'INSERT INTO {table} ({}) VALUES (', {olds}, ')'", names.join(", "))),
    ))
}

/// Makes what is done over a connection no step that can be taken back.
pub(crate) fn never(connection: &mut SqliteConnection) -> Result<()> {
    connection.batch_execute(
        "CREATE TEMP TABLE IF NOT EXISTS undo_note (at INTEGER PRIMARY KEY, name TEXT NOT NULL, sql TEXT NOT NULL);
         INSERT INTO undo_note (name, sql) VALUES ('live_events', '');",
    )?;
    Ok(())
}

/// The notes of the transaction that ends, latest first; `None` where there is nothing to take back, or too much.
pub(crate) fn noted(connection: &mut SqliteConnection) -> Result<Option<(Done, &'static str, Vec<String>)>> {
    let count = diesel::sql_query("SELECT count(*) AS count FROM undo_note").get_result::<Count>(connection)?.count;
    if count == 0 || count > MOST_ROWS {
        return Ok(None);
    }
    let notes: Vec<Note> = diesel::sql_query("SELECT name, sql FROM undo_note ORDER BY at DESC").load(connection)?;
    if notes.iter().any(|note| UNDER_WAY.contains(&note.name.as_str())) {
        return Ok(None);
    }
    let named = TABLES.iter().find_map(|(table, what)| {
        let of: Vec<&Note> = notes.iter().filter(|note| note.name == *table).collect();
        let begins = |word: &str| of.iter().filter(|note| note.sql.starts_with(word)).count();
        let (removed, added) = (begins("INSERT"), begins("DELETE"));
        let done = match added.cmp(&removed) {
            std::cmp::Ordering::Greater => Done::Added,
            std::cmp::Ordering::Less => Done::Removed,
            std::cmp::Ordering::Equal => Done::Changed,
        };
        (!of.is_empty()).then_some((done, *what))
    });
    Ok(named.map(|(done, what)| (done, what, notes.into_iter().map(|note| note.sql).collect())))
}

impl Steps {
    /// Keeps a step; the oldest go.
    pub(crate) fn add(&mut self, by: Option<i32>, (done, what): (Done, &'static str), sql: Vec<String>) {
        self.next += 1;
        self.last.push_back((Step { number: self.next, done, what, by }, sql));
        let bytes = |sql: &Vec<String>| sql.iter().map(String::len).sum::<usize>();
        while self.last.len() > MOST_STEPS || self.last.iter().map(|(_, sql)| bytes(sql)).sum::<usize>() > MOST_BYTES {
            self.last.pop_front();
        }
    }
}

fn locked(steps: &Arc<Mutex<Steps>>) -> MutexGuard<'_, Steps> {
    steps.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Store {
    /// The last change, if it can be taken back and is its viewer's own: nobody takes back what somebody else did.
    pub fn last_step(&self) -> Option<Step> {
        locked(&self.steps).last.back().map(|(step, _)| step).filter(|step| step.by == self.viewer).cloned()
    }

    /// Takes the last change back, all of it or nothing; `false` where it is another than the one that is meant, or somebody
    /// else's, or what it changed is no more as it left it.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    pub fn take_back(&self, number: u64) -> Result<bool> {
        let is_meant = |(step, _): &&(Step, Vec<String>)| step.number == number && step.by == self.viewer;
        let Some((_, sql)) = locked(&self.steps).last.back().filter(is_meant).cloned() else {
            return Ok(false);
        };
        let taken = self.without_notes(|store| {
            let connection = &mut *store.connection()?;
            connection.batch_execute("PRAGMA defer_foreign_keys = ON")?;
            let mut all = true;
            for statement in &sql {
                all &= diesel::sql_query(statement.as_str()).execute(connection)? == 1;
            }
            let orphans = diesel::sql_query("SELECT count(*) AS count FROM pragma_foreign_key_check");
            if all && orphans.get_result::<Count>(connection)?.count == 0 {
                Ok(())
            } else {
                Err(StoreError::NotAsItWas)
            }
        });
        match taken {
            Ok(()) => {
                let mut steps = locked(&self.steps);
                steps.last.retain(|(step, _)| step.number != number);
                Ok(true)
            }
            // What is kept now does not let a row be as it was.
            Err(
                StoreError::NotAsItWas
                | StoreError::Database(Error::DatabaseError(
                    CheckViolation | ForeignKeyViolation | NotNullViolation | UniqueViolation,
                    _,
                )),
            ) => Ok(false),
            Err(error) => Err(error),
        }
    }
}
