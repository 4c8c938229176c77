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
            Self::Needed(_) => StatusCode::CONFLICT,
            Self::Busy => StatusCode::SERVICE_UNAVAILABLE,
            Self::Failed => StatusCode::INTERNAL_SERVER_ERROR,
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
            other => {
                tracing::error!("{other}");
                Self::Failed
            }
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
