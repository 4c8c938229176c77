//! What can go wrong in answering, and the page that says so.

use std::any::Any;

use askama::Template;
use axum::http::StatusCode;
use axum::http::header::RETRY_AFTER;
use axum::response::{Html, IntoResponse, Response};
use spare_hour_planning::PlanningError;
use spare_hour_store::StoreError;
use spare_hour_wording::refused as refused_words;
use thiserror::Error;

use crate::http::told::COME_AGAIN;

/// Why a request was not answered as asked.
#[derive(Debug, Error)]
pub(crate) enum WebError {
    #[error("There is nothing at this address.")]
    NotFound,
    #[error("{0}")]
    Missing(String),
    #[error("This form was sent by a page of another site, so it was not taken.")]
    CrossSite,
    #[error(
        "This server does not answer to that name. It answers to localhost, to addresses in digits, and to names that were given with --name."
    )]
    OtherHost,
    #[error("{0}")]
    Forbidden(String),
    #[error(
        "This was changed meanwhile, by another page or somebody else, so nothing of yours was saved. Go back: what you typed is \
         still there. Open the page anew beside it, see what changed, and save again there."
    )]
    ChangedMeanwhile,
    #[error(
        "The disk of the server is full, and nothing was changed. Free some space; the copies in its directory may be moved away."
    )]
    DiskFull,
    #[error(
        "The database cannot be written to, and nothing was changed. Whoever runs the server sees with `spare-hour doctor` why."
    )]
    ReadOnly,
    #[error(
        "The database is damaged. Stop the server and put a copy back: `spare-hour restore` with the newest file of the directory \
         “copies”. What is there now is set aside, not lost."
    )]
    Damaged,
    #[error("{0}")]
    Refused(String),
    #[error("{0}")]
    Needed(String),
    #[error("The server has too much to do just now, and nothing was changed. Try again in a few seconds.")]
    Busy,
    #[error("Something went wrong here, and nothing was changed. The server's log says more.")]
    Failed,
}

impl WebError {
    fn status(&self) -> StatusCode {
        match self {
            Self::NotFound | Self::Missing(_) => StatusCode::NOT_FOUND,
            Self::CrossSite | Self::OtherHost | Self::Forbidden(_) => StatusCode::FORBIDDEN,
            Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Needed(_) | Self::ChangedMeanwhile => StatusCode::CONFLICT,
            Self::Busy => StatusCode::SERVICE_UNAVAILABLE,
            Self::DiskFull => StatusCode::INSUFFICIENT_STORAGE,
            Self::ReadOnly | Self::Damaged | Self::Failed => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }
}

impl From<StoreError> for WebError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotFound { .. } => Self::Missing(format!("{}.", capital(&error.to_string()))),
            StoreError::Refused(refused) => {
                Self::Refused(format!("This cannot be kept: {}.", refused_words::sentence(&refused)))
            }
            StoreError::Needed { .. } => Self::Needed(format!("{}.", capital(&error.to_string()))),
            StoreError::Unwritable { full: true, .. } => Self::DiskFull,
            other => {
                tracing::error!("{other}");
                Self::of_database(&other.to_string())
            }
        }
    }
}

impl WebError {
    /// What ails a file of the server's.
    #[expect(clippy::needless_pass_by_value, reason = "handed to `map_err`")]
    pub(crate) fn of_file(error: std::io::Error) -> Self {
        tracing::error!("{error}");
        if error.kind() == std::io::ErrorKind::StorageFull { Self::DiskFull } else { Self::Failed }
    }

    /// What ails the database, by the words of SQLite (its documentation: "Result and Error Codes").
    fn of_database(said: &str) -> Self {
        let says = |words: &str| said.contains(words);
        if says("database or disk is full") {
            Self::DiskFull
        } else if says("database is locked") || says("database table is locked") || says("database is busy") {
            Self::Busy
        } else if says("readonly database") || says("unable to open database file") {
            Self::ReadOnly
        } else if says("malformed") || says("file is not a database") || says("disk I/O error") {
            Self::Damaged
        } else {
            Self::Failed
        }
    }
}

impl From<PlanningError> for WebError {
    fn from(error: PlanningError) -> Self {
        match error {
            PlanningError::Store(error) => error.into(),
            PlanningError::NoSuchCar => Self::Missing("There is no such car.".into()),
            PlanningError::Refused(refused) => {
                Self::Refused(format!("This cannot be planned: {}.", refused_words::sentence(&refused)))
            }
            PlanningError::Unreadable { .. } => {
                tracing::error!("{error}");
                Self::Refused(format!("{}. Mend or remove it, and this page comes back.", capital(&error.to_string())))
            }
        }
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

#[derive(Template)]
#[template(path = "layout/error.html")]
struct ErrorPage {
    status: u16,
    message: String,
}

impl IntoResponse for WebError {
    fn into_response(self) -> Response {
        let mut response = error_page(self.status(), self.to_string());
        if matches!(self, Self::Busy) {
            response.headers_mut().insert(RETRY_AFTER, COME_AGAIN);
        }
        response
    }
}

/// The page that says what went wrong.
pub(crate) fn error_page(status: StatusCode, message: String) -> Response {
    page(status, &ErrorPage { status: status.as_u16(), message })
}

/// A filled template as an answer.
pub(crate) fn page(status: StatusCode, template: &impl Template) -> Response {
    match template.render() {
        Ok(html) => (status, Html(html)).into_response(),
        Err(error) => {
            tracing::error!("a template failed: {error}");
            StatusCode::INTERNAL_SERVER_ERROR.into_response()
        }
    }
}

/// The answer for addresses that are no page.
pub(crate) async fn not_found() -> WebError {
    WebError::NotFound
}

/// The answer when a handler panicked: a page, and the reason in the log.
#[expect(clippy::needless_pass_by_value, reason = "tower-http hands the reason over")]
pub(crate) fn panicked(reason: Box<dyn Any + Send + 'static>) -> Response {
    let said =
        reason.downcast_ref::<&str>().map(ToString::to_string).or_else(|| reason.downcast_ref::<String>().cloned());
    tracing::error!("a handler panicked: {}", said.unwrap_or_default());
    WebError::Failed.into_response()
}

#[cfg(test)]
mod tests {
    use super::*;
    use diesel::connection::SimpleConnection;
    use diesel::prelude::*;

    #[test]
    fn what_ails_the_database_is_said_as_sqlite_itself_says_it() {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("a.db");
        let open = || SqliteConnection::establish(path.to_str().unwrap()).unwrap();
        let told = |result: QueryResult<()>| WebError::of_database(&result.unwrap_err().to_string());
        let mut one = open();
        one.batch_execute("CREATE TABLE t (x); PRAGMA max_page_count = 2;").unwrap();
        let full = one.batch_execute("INSERT INTO t VALUES (zeroblob(100000));");
        assert!(matches!(told(full), WebError::DiskFull));
        one.batch_execute("BEGIN IMMEDIATE;").unwrap();
        assert!(matches!(told(open().batch_execute("BEGIN IMMEDIATE;")), WebError::Busy));
        one.batch_execute("ROLLBACK; PRAGMA query_only = ON;").unwrap();
        assert!(matches!(told(one.batch_execute("INSERT INTO t VALUES (1);")), WebError::ReadOnly));
        drop(one);
        let mut bytes = std::fs::read(&path).unwrap();
        bytes[100..].fill(0xa5);
        std::fs::write(&path, bytes).unwrap();
        assert!(matches!(told(open().batch_execute("SELECT * FROM t;")), WebError::Damaged));
        assert!(matches!(WebError::of_database("no such table: t"), WebError::Failed));
    }
}
