//! The map of a trip, where its road has a track: a part of its page that comes after the plan.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_formats::read_track;

use super::AskedTrip;
use crate::app::App;
use crate::charts::map::Map;
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::error::{WebError, page};

#[derive(Template)]
#[template(path = "charts/map.html")]
struct MapPart {
    map: Map,
}

/// The map of the plan that is shown.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let (shown, _) = asked.shown(&app).await?;
    let (solved, weather) = (asked.question.solved, asked.controls.weather.conditions);
    let map = app
        .run(move |store| {
            let text = store.track(id)?.ok_or(WebError::NotFound)?;
            let track = read_track(text.as_bytes()).map_err(|error| WebError::Refused(error.to_string()))?;
            Ok(Map::new(&track, &shown, &weather, solved.settings.units))
        })
        .await?;
    Ok(page(StatusCode::OK, &MapPart { map }))
}
