//! A trip is begun, or forgotten.

use axum::extract::State;
use axum::response::Redirect;

use crate::app::App;
use crate::begun_trip;
use crate::http::address::Path;
use crate::http::error::WebError;

/// Begins a trip as it is kept, now; one that was under way is over then.
pub(crate) async fn begin(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    begun_trip::begin(&app, id).await?;
    Ok(Redirect::to("/road"))
}

/// Forgets the trip under way with all that happened on it; the trip itself stays.
pub(crate) async fn forget(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.forget_outing(id)?)).await?;
    Ok(Redirect::to("/road"))
}
