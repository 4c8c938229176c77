//! The first plan: a car in three numbers, a road in words, chargers at equal distances, and the plan beside them while they are
//! typed.

use askama::Template;
use axum::Form;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};

use crate::app::App;
use crate::first_plan::{Preview, StartForm, previewed};
use crate::forms::control::Ask;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

#[derive(Template)]
#[template(path = "start/show.html")]
struct StartPage {
    frame: Frame,
    form: StartForm,
    preview: Preview,
}

/// The form with its plan.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let (form, preview) = previewed(&app, ask).await?;
    Ok(page(StatusCode::OK, &StartPage { frame: Frame::new(&app, "", "A first plan"), form, preview }))
}

/// The plan alone, while somebody types.
pub(crate) async fn preview(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let (_, preview) = previewed(&app, ask).await?;
    Ok(page(StatusCode::OK, &preview))
}

/// Keeps the car and the trip of a form.
pub(crate) async fn keep(State(app): State<App>, Form(ask): Form<Ask>) -> Result<Response, WebError> {
    let said = ask.clone();
    let kept = app
        .change(move |store| {
            let settings = store.settings()?;
            let read = StartForm::new(&said, settings.units).read(settings.units);
            Ok(match read {
                Ok(said) => Some(said.keep(store, &settings.currency)?),
                Err(_) => None,
            })
        })
        .await?;
    if let Some(id) = kept {
        return Ok(Redirect::to(&format!("/trips/{id}")).into_response());
    }
    let (form, preview) = previewed(&app, ask).await?;
    let shown = StartPage { frame: Frame::new(&app, "", "A first plan"), form, preview };
    Ok(page(StatusCode::UNPROCESSABLE_ENTITY, &shown))
}
