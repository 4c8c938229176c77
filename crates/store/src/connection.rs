//! The file: opened, checked, brought up to date, and shared out as a pool of connections.

use std::path::{Path, PathBuf};
use std::time::Duration;

use diesel::connection::SimpleConnection;
use diesel::migration::{Migration, MigrationSource};
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel::sqlite::Sqlite;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

use crate::{Result, StoreError};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
const FILE: &str = "spare-hour.db";
const CONNECTIONS: u32 = 4;

type Manager = ConnectionManager<SqliteConnection>;

/// The store. Clones share one pool.
#[derive(Clone)]
pub struct Store {
    pool: Pool<Manager>,
    path: PathBuf,
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
        let pool = Pool::builder()
            .max_size(CONNECTIONS)
            .connection_timeout(Duration::from_secs(10))
            .connection_customizer(Box::new(Settings))
            .build(Manager::new(path.to_string_lossy()))
            .map_err(|error| unusable(&path, error.to_string()))?;
        let store = Self { pool, path };
        let migrated = store.connection()?.run_pending_migrations(MIGRATIONS).map(|_| ());
        migrated.map_err(|error| unusable(&store.path, format!("cannot be brought up to date: {error}")))?;
        Ok(store)
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    pub(crate) fn connection(&self) -> Result<PooledConnection<Manager>> {
        Ok(self.pool.get()?)
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
