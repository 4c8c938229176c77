//! A trip's plan to take along: its stops as a list, in the calendar, as places for a navigation.

use axum::extract::{Query, State};
use axum::response::Response;
use spare_hour_core::driving::track::Track;
use spare_hour_formats::{
    ListFormat, PlanAlong, plan_calendar, plan_geojson, plan_gpx, plan_list, plan_workbook, read_track,
};
use spare_hour_planning::take_along::{Whose, along};

use super::AskedTrip;
use crate::app::App;
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::download::{XLSX, download};
use crate::http::error::WebError;

/// How a plan is taken along.
const KINDS: [&str; 5] = ["calendar.ics", "stops.csv", "stops.xlsx", "stops.gpx", "stops.geojson"];

/// The plan that is shown, taken along in one of the ways.
pub(crate) async fn take(
    State(app): State<App>,
    Path((id, kind)): Path<(i32, String)>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    if !KINDS.contains(&kind.as_str()) {
        return Err(WebError::Missing(format!("A plan is taken along as one of {}.", KINDS.join(", "))));
    }
    let plan = shown(&app, id, ask).await?;
    let now = app.here.now();
    if kind == "stops.xlsx" {
        let refused = |error| WebError::Refused(format!("The workbook cannot be written: {error}."));
        return Ok(download(&format!("plan-{id}.xlsx"), XLSX, plan_workbook(&plan).map_err(refused)?));
    }
    let (mime, text) = match kind.as_str() {
        "calendar.ics" => ("text/calendar", plan_calendar(&plan, now)),
        "stops.csv" => ("text/csv", plan_list(&plan, ListFormat::Csv)),
        "stops.gpx" => ("application/gpx+xml", in_places(&app, plan, gpx).await?),
        _ => ("application/geo+json", in_places(&app, plan, |plan, track| Ok(plan_geojson(plan, track))).await?),
    };
    let ending = kind.rsplit('.').next().unwrap_or_default();
    Ok(download(&format!("plan-{id}.{ending}"), mime, text))
}

fn gpx(plan: &PlanAlong, track: &Track) -> Result<String, WebError> {
    plan_gpx(plan, track).map_err(|error| WebError::Refused(format!("The places cannot be written: {error}.")))
}

/// A plan's stops as places on the trip's track.
async fn in_places(
    app: &App,
    plan: PlanAlong,
    write: impl FnOnce(&PlanAlong, &Track) -> Result<String, WebError> + Send + 'static,
) -> Result<String, WebError> {
    app.run(move |store| {
        let track = store.track(plan.id)?.ok_or_else(|| {
            WebError::Refused("This trip’s road has no track, so nobody knows where its stops lie on the map. Bring a track on the page of its road.".into())
        })?;
        let track = read_track(track.as_bytes()).map_err(|error| WebError::Refused(error.to_string()))?;
        write(&plan, &track)
    })
    .await
}

/// The plan that is shown.
async fn shown(app: &App, id: i32, ask: Ask) -> Result<PlanAlong, WebError> {
    let asked = AskedTrip::new(app, id, &ask).await?;
    let about = &asked.solved().kept.stored.about;
    let whose = Whose { id, name: about.name.clone(), currency: about.currency.clone() };
    let (shown, _) = asked.shown(app).await?;
    along(whose, &shown)
        .ok_or_else(|| WebError::Refused("The hours of this plan are out of any calendar’s reach.".into()))
}
