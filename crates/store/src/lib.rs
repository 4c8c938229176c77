//! Where Spare Hour keeps what it is told: one SQLite file, through Diesel.
//!
//! The file is opened with write-ahead logging, foreign keys, a busy timeout and `synchronous = FULL`, so that what a
//! call has returned from survives a power cut. Migrations ship with the program and run when the file is opened; a
//! file that a newer version has changed is refused before anything is written to it. All calls block: keep them off
//! the threads of an async runtime.

mod backup;
mod cars;
mod connection;
mod curves;
mod drives;
mod household;
mod live;
mod matchings;
mod meter_key;
mod outings;
mod private;
mod profile_json;
mod road_rows;
mod schema;
mod session_rows;
mod sessions;
mod settings;
mod site_rows;
mod tariffs;
mod trips;
mod undo;

use std::path::PathBuf;

use spare_hour_core::refused::Refused;
use thiserror::Error;

pub use cars::Car;
pub use connection::{FILE, Store, copy_database, damage_of};
pub use curves::{Curve, MovedPoint, NewCurve};
pub use drives::StoredDrive;
pub use household::{Person, Role, TripLink};
pub use live::{NewLiveCharge, StoredLiveCharge};
pub use matchings::StoredMatching;
pub use outings::{NewOuting, Outing};
pub use private::Thing;
pub use sessions::{NewSession, SessionLine, StoredSession};
pub use settings::Settings;
pub use tariffs::{NewTariff, StoredMembership, StoredTariff};
pub use trips::{NewTrip, StoredTrip, TripClock, TripLine};
pub use undo::{Done, Step};

/// Why the store could not do what it was asked.
#[derive(Debug, Error)]
pub enum StoreError {
    /// There is nothing under that number.
    #[error("there is no {what} {id}")]
    NotFound {
        /// Car, curve, session or trip.
        what: &'static str,
        /// The number asked for.
        id: i32,
    },
    /// The file was changed by a newer version of the program.
    #[error(
        "{path} was written by a newer version of Spare Hour (it knows the change \"{migration}\", this version does not). \
         It has not been touched; start the newer version, or use another directory"
    )]
    Newer {
        /// The file.
        path: PathBuf,
        /// The first change that this version does not know.
        migration: String,
    },
    /// The directory or the file cannot be used.
    #[error("{path}: {problem}")]
    Unusable {
        /// The directory or file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// A file that was to be written cannot be.
    #[error("it cannot be written: {problem}")]
    Unwritable {
        /// What is wrong.
        problem: String,
        /// Whether the disk is full.
        full: bool,
    },
    /// It is still needed by something else.
    #[error("{what} {id} is still needed: {by}")]
    Needed {
        /// Car, curve, session or trip.
        what: &'static str,
        /// Its number.
        id: i32,
        /// What needs it.
        by: String,
    },
    /// What was to be kept cannot be: a field with its value and bounds.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// Something is kept already where everything was to be taken in.
    #[error("something is kept here already; a backup can only be taken into an empty directory (another --data)")]
    NotEmpty,
    /// What is to be taken back is no more as it was left.
    #[error("it has been changed since")]
    NotAsItWas,
    /// SQLite refused.
    #[error("the database refused: {0}")]
    Database(#[from] diesel::result::Error),
    /// No connection was free in time.
    #[error("the database is busy: {0}")]
    Busy(#[from] diesel::r2d2::PoolError),
    /// A value in the database is not what this program writes there.
    #[error("the database holds a {what} that cannot be read: {problem}")]
    Damaged {
        /// What it should be.
        what: &'static str,
        /// What is wrong.
        problem: String,
    },
}

/// The result of a call to the store.
pub type Result<T> = std::result::Result<T, StoreError>;
