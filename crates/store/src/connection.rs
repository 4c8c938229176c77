//! The file: opened, checked, brought up to date, and shared out as a pool of connections.

use std::ops::{Deref, DerefMut};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use diesel::connection::{AnsiTransactionManager, SimpleConnection, TransactionManager};
use diesel::migration::{Migration, MigrationSource};
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel::sql_types::Text;
use diesel::sqlite::Sqlite;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

use crate::undo::{self, Steps};
use crate::{Result, StoreError};

pub(crate) const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
/// Name of the database's file.
pub const FILE: &str = "spare-hour.db";
const CONNECTIONS: u32 = 4;

type Manager = ConnectionManager<SqliteConnection>;

/// The store. Clones share one pool.
#[derive(Clone)]
pub struct Store {
    pool: Pool<Manager>,
    path: PathBuf,
    /// What may be taken back.
    pub(crate) steps: Arc<Mutex<Steps>>,
    /// Within [`Store::transaction`]: the connection that every call uses.
    pinned: Option<Arc<Mutex<PooledConnection<Manager>>>>,
    /// Who looks, where what is another's alone is not theirs to see.
    pub(crate) viewer: Option<i32>,
}

/// A connection for one call: of its own, or the one of the transaction that it is part of.
pub(crate) enum Connected<'s> {
    Own(PooledConnection<Manager>),
    Pinned(MutexGuard<'s, PooledConnection<Manager>>),
}

impl Deref for Connected<'_> {
    type Target = SqliteConnection;

    fn deref(&self) -> &SqliteConnection {
        match self {
            Self::Own(connection) => connection,
            Self::Pinned(connection) => connection,
        }
    }
}

impl DerefMut for Connected<'_> {
    fn deref_mut(&mut self) -> &mut SqliteConnection {
        match self {
            Self::Own(connection) => connection,
            Self::Pinned(connection) => connection,
        }
    }
}

impl Connected<'_> {
    /// Runs `work` whole or not at all. The lock on the file is taken at once, so that what `work` reads stays so until it
    /// has written; within a transaction it is a part of that.
    pub(crate) fn all_or_nothing<T>(&mut self, work: impl FnOnce(&mut SqliteConnection) -> Result<T>) -> Result<T> {
        match self {
            Self::Own(connection) => connection.immediate_transaction(work),
            Self::Pinned(connection) => (***connection).transaction(work),
        }
    }
}

impl Store {
    /// Opens the store in a directory, which is made if need be, and brings it up to date.
    ///
    /// # Errors
    /// [`StoreError::Newer`] when a newer version has changed the file, which is then left as it was;
    /// [`StoreError::Unusable`] when the directory or file cannot be used.
    pub fn open(directory: &Path) -> Result<Self> {
        let unusable = |path: &Path, problem: String| StoreError::Unusable { path: path.into(), problem };
        std::fs::create_dir_all(directory).map_err(|error| unusable(directory, error.to_string()))?;
        let path = directory.join(FILE);
        if path.exists() {
            refuse_newer(&path)?;
        }
        if path.exists() {
            copy_before_changes(&path)?;
        }
        let pool = Pool::builder()
            .max_size(CONNECTIONS)
            // A file on this machine does not go away between two calls: asking it each time would double small reads.
            .test_on_check_out(false)
            .connection_timeout(Duration::from_secs(10))
            .connection_customizer(Box::new(Settings))
            .build(Manager::new(path.to_string_lossy()))
            .map_err(|error| unusable(&path, error.to_string()))?;
        let store = Self { pool, path, steps: Arc::default(), pinned: None, viewer: None };
        let migrated = store.connection()?.run_pending_migrations(MIGRATIONS).map(|_| ());
        migrated.map_err(|error| unusable(&store.path, format!("cannot be brought up to date: {error}")))?;
        Ok(store)
    }

    /// Whether the database answers, and may be written to.
    ///
    /// # Errors
    /// When it does not.
    pub fn check(&self) -> Result<()> {
        self.transaction(|store| {
            store.connection()?.batch_execute("SELECT count(*) FROM __diesel_schema_migrations")?;
            Ok(())
        })
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    pub(crate) fn connection(&self) -> Result<Connected<'_>> {
        Ok(match &self.pinned {
            Some(pinned) => Connected::Pinned(pinned.lock().unwrap_or_else(PoisonError::into_inner)),
            None => Connected::Own(self.pool.get()?),
        })
    }

    /// Reads, decides and writes as one: nobody else writes between the first call on the store that `work` is given and
    /// its last, and when it fails nothing of it is kept. A transaction within a transaction is a part of it.
    ///
    /// # Errors
    /// What `work` returns, and [`StoreError`] when the database refuses.
    pub fn transaction<T, E: From<StoreError>>(
        &self,
        work: impl FnOnce(&Self) -> std::result::Result<T, E>,
    ) -> std::result::Result<T, E> {
        self.whole(work, true)
    }

    /// The same, but what it does cannot be taken back: it takes something back itself.
    pub(crate) fn without_notes<T, E: From<StoreError>>(
        &self,
        work: impl FnOnce(&Self) -> std::result::Result<T, E>,
    ) -> std::result::Result<T, E> {
        self.whole(work, false)
    }

    fn whole<T, E: From<StoreError>>(
        &self,
        work: impl FnOnce(&Self) -> std::result::Result<T, E>,
        note: bool,
    ) -> std::result::Result<T, E> {
        if self.pinned.is_some() {
            return work(self);
        }
        let pinned = self.begun()?;
        let done = work(&pinned);
        pinned.ended(done.is_ok(), note)?;
        done
    }

    /// The store over a connection that is in the middle of a transaction.
    fn begun(&self) -> Result<Self> {
        let mut connection = self.pool.get()?;
        AnsiTransactionManager::begin_transaction_sql(&mut *connection, "BEGIN IMMEDIATE")?;
        if let Err(error) = undo::begin(&mut connection) {
            AnsiTransactionManager::rollback_transaction(&mut *connection)?;
            return Err(error);
        }
        Ok(Self { pinned: Some(Arc::new(Mutex::new(connection))), ..self.clone() })
    }

    /// Ends the transaction, and keeps what was written in it or not, with a note of how to take it back.
    fn ended(self, keep: bool, note: bool) -> Result<()> {
        let connection = &mut *self.connection()?;
        if keep {
            let noted = if note { undo::noted(connection)? } else { None };
            AnsiTransactionManager::commit_transaction(connection)?;
            if let Some((done, what, sql)) = noted {
                let mut steps = self.steps.lock().unwrap_or_else(PoisonError::into_inner);
                steps.add(self.viewer, (done, what), sql);
            }
        } else {
            AnsiTransactionManager::rollback_transaction(connection)?;
        }
        Ok(())
    }
}

/// Settings of every connection.
#[derive(Debug)]
struct Settings;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Settings {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> std::result::Result<(), diesel::r2d2::Error> {
        connection
            .batch_execute(
                "PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;",
            )
            .map_err(diesel::r2d2::Error::QueryError)
    }
}

diesel::table! {
    __diesel_schema_migrations (version) {
        version -> Text,
    }
}

/// The changes that a database has been through, oldest first.
pub(crate) fn applied_changes(connection: &mut SqliteConnection) -> Result<Vec<String>> {
    let versions = __diesel_schema_migrations::table
        .select(__diesel_schema_migrations::version)
        .order(__diesel_schema_migrations::version);
    Ok(versions.load(connection)?)
}

/// Copies the database of a directory into a file that is not there yet, whole and consistent, whether or not a server uses it (SQLite's
/// own `VACUUM INTO`).
///
/// # Errors
/// [`StoreError::Unusable`] when there is no database, or the copy cannot be written.
pub fn copy_database(directory: &Path, copy: &Path) -> Result<()> {
    let path = directory.join(FILE);
    let unusable = |path: &Path, problem: String| StoreError::Unusable { path: path.into(), problem };
    if !path.exists() {
        return Err(unusable(&path, "is not there".into()));
    }
    if copy.exists() {
        return Err(unusable(copy, "is there already; it is left as it is".into()));
    }
    let mut connection =
        SqliteConnection::establish(&path.to_string_lossy()).map_err(|error| unusable(&path, error.to_string()))?;
    connection.batch_execute("PRAGMA busy_timeout = 10000").map_err(|error| unusable(&path, error.to_string()))?;
    let copied = diesel::sql_query("VACUUM INTO ?").bind::<Text, _>(copy.to_string_lossy()).execute(&mut connection);
    copied.map_err(|error| unusable(copy, format!("cannot be written: {error}")))?;
    Ok(())
}

/// What SQLite says of a database's file: nothing where it is whole.
///
/// # Errors
/// [`StoreError::Unusable`] when it is no database, [`StoreError::Newer`] when a newer version changed it.
pub fn damage_of(path: &Path) -> Result<Option<String>> {
    let unusable = |problem: String| StoreError::Unusable { path: path.into(), problem };
    if !path.exists() {
        return Err(unusable("is not there".into()));
    }
    refuse_newer(path)?;
    let mut connection =
        SqliteConnection::establish(&path.to_string_lossy()).map_err(|error| unusable(error.to_string()))?;
    let said: Vec<Said> = diesel::sql_query("SELECT integrity_check AS said FROM pragma_integrity_check")
        .load(&mut connection)
        .map_err(|error| unusable(error.to_string()))?;
    applied_changes(&mut connection).map_err(|_| unusable("is no database of Spare Hour".into()))?;
    let said: Vec<String> = said.into_iter().map(|one| one.said).collect();
    Ok((said != ["ok"]).then(|| said.join("; ")))
}

#[derive(QueryableByName)]
struct Said {
    #[diesel(sql_type = Text)]
    said: String,
}

/// Copies the file beside itself, unless it is up to date: a change that goes wrong, or that is regretted, can be taken back.
fn copy_before_changes(path: &Path) -> Result<()> {
    let unusable = |problem: String| StoreError::Unusable { path: path.into(), problem };
    let mut connection =
        SqliteConnection::establish(&path.to_string_lossy()).map_err(|error| unusable(error.to_string()))?;
    connection.batch_execute("PRAGMA busy_timeout = 5000").map_err(|error| unusable(error.to_string()))?;
    if applied_changes(&mut connection).is_err() {
        // Nothing was ever written to it.
        return Ok(());
    }
    let pending = connection.pending_migrations(MIGRATIONS).map_err(|error| unusable(error.to_string()))?;
    let Some(first) = pending.first() else { return Ok(()) };
    let name = |number: usize| match number {
        1 => format!("spare-hour-before-{}.db", first.name().version()),
        _ => format!("spare-hour-before-{}-{number}.db", first.name().version()),
    };
    let free = (1..1_000).map(|number| path.with_file_name(name(number))).find(|copy| !copy.exists());
    let copy = free.ok_or_else(|| unusable("there are too many copies of it; remove some".into()))?;
    diesel::sql_query("VACUUM INTO ?")
        .bind::<Text, _>(copy.to_string_lossy())
        .execute(&mut connection)
        .map_err(|error| unusable(format!("cannot be copied to {} before it is changed: {error}", copy.display())))?;
    Ok(())
}

/// Refuses a file with changes that this version does not know, looking through a connection that cannot write.
fn refuse_newer(path: &Path) -> Result<()> {
    let unusable = |problem: String| StoreError::Unusable { path: path.into(), problem };
    let address =
        format!("file:{}?mode=ro", path.to_string_lossy().replace('%', "%25").replace('?', "%3f").replace('#', "%23"));
    let mut connection = SqliteConnection::establish(&address).map_err(|error| unusable(error.to_string()))?;
    let tables: i64 = diesel::dsl::sql::<diesel::sql_types::BigInt>(
        "SELECT count(*) FROM sqlite_master WHERE name = '__diesel_schema_migrations'",
    )
    .get_result(&mut connection)
    .map_err(|error| unusable(format!("is not a database of Spare Hour: {error}")))?;
    if tables == 0 {
        return Ok(());
    }
    let applied = applied_changes(&mut connection)?;
    let known: Vec<Box<dyn Migration<Sqlite>>> =
        MIGRATIONS.migrations().map_err(|error| unusable(error.to_string()))?;
    let known: Vec<String> = known.iter().map(|migration| migration.name().version().to_string()).collect();
    match applied.into_iter().find(|version| !known.contains(version)) {
        Some(migration) => Err(StoreError::Newer { path: path.into(), migration }),
        None => Ok(()),
    }
}
