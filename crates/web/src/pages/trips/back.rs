//! The way back of a trip, as one press.

use axum::extract::State;
use axum::response::Redirect;
use spare_hour_planning::way_back::make_way_back;

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::WebError;

/// Makes the way back and shows it.
pub(crate) async fn make(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    let made = app.change(move |store| Ok(make_way_back(store, id)?)).await?;
    Ok(Redirect::to(&format!("/trips/{made}")))
}
