//! What one person alone sees, and what the household shares.

use axum::extract::{Form, State};
use axum::response::Redirect;
use serde::Deserialize;

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::WebError;

#[derive(Debug, Deserialize)]
pub(crate) struct PrivateForm {
    /// `yes` for one's own alone.
    #[serde(default)]
    private: String,
}

/// Makes a car one's own alone, or the household's.
pub(crate) async fn set_car(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<PrivateForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.set_private_car(id, form.private == "yes")?)).await?;
    Ok(Redirect::to(&format!("/cars/{id}")))
}

/// Makes a trip one's own alone, or the household's.
pub(crate) async fn set_trip(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<PrivateForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.set_private_trip(id, form.private == "yes")?)).await?;
    Ok(Redirect::to(&format!("/trips/{id}/shared")))
}
