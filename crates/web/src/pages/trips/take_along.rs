//! A trip's plan to take along: its stops as a list, in the calendar, as places for a navigation.

use axum::extract::{Query, State};
use axum::response::Response;
use spare_hour_core::driving::track::Track;
use spare_hour_formats::{ListFormat, PlanAlong, plan_calendar, plan_geojson, plan_gpx, plan_list, read_track};
use spare_hour_planning::plan_trip::Outcome;
use spare_hour_planning::take_along::{Whose, by_clock, by_road};

use super::AskedTrip;
use super::trade::{Weighed, weighed};
use crate::app::{App, off_thread};
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::download::download;
use crate::http::error::WebError;

/// How a plan is taken along.
const KINDS: [&str; 4] = ["calendar.ics", "stops.csv", "stops.gpx", "stops.geojson"];

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

/// The plan that is shown: by the clock where the trip goes by it, else by the road.
async fn shown(app: &App, id: i32, ask: Ask) -> Result<PlanAlong, WebError> {
    let pick: Option<usize> = ask.get("pick").and_then(|pick| pick.parse().ok());
    let asked = AskedTrip::new(app, id, ask.clone()).await?;
    let about = &asked.solved.kept.stored.about;
    let whose = Whose { id, name: about.name.clone(), currency: about.currency.clone() };
    // A departure that is held is held in the plan by the road.
    let by_its_clock = asked.solved.needs_clock && asked.controls.leave.is_empty();
    let along = if by_its_clock || pick.is_some() {
        let Weighed { traded, .. } = weighed(app, id, &ask, pick.is_some()).await?;
        traded.and_then(Result::ok).and_then(|traded| {
            let plan = pick.map_or_else(|| traded.best(), |place| traded.trade.plans.get(place))?;
            by_clock(whose, &traded, plan)
        })
    } else {
        off_thread(move || {
            let Some(Outcome::Planned(planned)) = &asked.solved.outcome else { return None };
            let fixed = asked.controls.fixed(planned.trip());
            by_road(whose, planned, &planned.with_departures(&fixed).plan)
        })
        .await?
    };
    along.ok_or_else(|| {
        WebError::Refused("There is no plan to take along: the trip cannot be driven as it stands.".into())
    })
}
