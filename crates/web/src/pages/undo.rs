//! Takes the last change back.

use axum::Form;
use axum::extract::State;
use axum::http::HeaderMap;
use axum::http::header::REFERER;
use axum::response::Redirect;
use serde::Deserialize;
use spare_hour_store::{Done, Step};

use crate::app::App;
use crate::http::error::WebError;

/// Which change is meant.
#[derive(Debug, Deserialize)]
pub(crate) struct UndoForm {
    number: u64,
}

/// Takes it back, and goes on where one was; what was added is no more, so there one goes to its list.
pub(crate) async fn take_back(
    State(app): State<App>,
    headers: HeaderMap,
    Form(form): Form<UndoForm>,
) -> Result<Redirect, WebError> {
    let step = app.last_step().filter(|step| step.number == form.number);
    let step = step.ok_or_else(gone)?;
    if !app.take_back(form.number).await? {
        return Err(gone());
    }
    let came_from = headers.get(REFERER).and_then(|from| from.to_str().ok()).and_then(path_of);
    Ok(Redirect::to(&going_to(&step, came_from)))
}

fn gone() -> WebError {
    WebError::Refused(
        "Nothing was undone: there has been another change since, or what was changed is no more as it was left."
            .into(),
    )
}

/// The path of an address of this app, without its query: what that says may have been undone.
fn path_of(address: &str) -> Option<&str> {
    let after = address.split_once("://")?.1;
    let path = &after[after.find('/')?..];
    let path = path.split(['?', '#']).next()?;
    (!path.starts_with("//")).then_some(path)
}

fn going_to(step: &Step, came_from: Option<&str>) -> String {
    let list = match step.what {
        "a charge" => "/sessions",
        "a trip" => "/trips",
        "a car" => "/cars",
        "a tariff" => "/tariffs",
        _ => came_from.unwrap_or("/"),
    };
    let there = if step.done == Done::Added { list } else { came_from.unwrap_or("/") };
    if there.is_empty() { "/".into() } else { there.into() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_goes_on_where_one_was_unless_that_is_gone() {
        let step = |done, what| Step { number: 1, done, what, by: None };
        let from = path_of("http://localhost:7878/trips/3/trade?kept=1");
        assert_eq!(from, Some("/trips/3/trade"));
        assert_eq!(going_to(&step(Done::Changed, "a trip"), from), "/trips/3/trade");
        assert_eq!(going_to(&step(Done::Added, "a trip"), from), "/trips");
        assert_eq!(going_to(&step(Done::Removed, "a drive"), None), "/");
        assert_eq!(going_to(&step(Done::Added, "a site"), from), "/trips/3/trade");
        for elsewhere in ["nowhere", "http://host", "http://host//evil.example/x"] {
            assert_eq!(path_of(elsewhere), None, "{elsewhere}");
        }
    }
}
