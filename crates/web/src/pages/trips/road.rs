//! The road of a trip: its stretches as lines that can be typed anew, its heights, and what it takes.

use askama::Template;
use axum::extract::{Form, Multipart, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::driving::road::{Road, Stretch};
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Minutes};
use spare_hour_core::trip::Site;
use spare_hour_formats::{read_road_line, read_track, write_road_line, write_track};
use spare_hour_planning::drive_trip::fit_for;
use spare_hour_store::{Store, StoredTrip};

use super::road_chart::{heights, takes};
use super::road_form::{brought, examples};
use crate::app::{App, off_thread};
use crate::forms::seen::{mark, must_be_as_seen};
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::http::upload::read_upload;
use crate::layout::Frame;
use spare_hour_wording::figures;

/// How much the length of a road may differ from its track's, share.
const SAME_ROAD: f64 = 0.01;
/// Most lines that are told as they are understood.
const LINES_SHOWN: usize = 400;

#[derive(Template)]
#[template(path = "trips/road.html")]
struct RoadPage {
    frame: Frame,
    id: i32,
    name: String,
    currency: String,
    text: String,
    /// How the road was when the form was shown.
    seen: String,
    /// Lines that could be typed.
    examples: Vec<String>,
    faults: Vec<String>,
    /// Length, climb, hours and energy of the road, in words.
    told: String,
    /// Whether the road came from a track.
    track: bool,
    /// Whether the weather changes nothing.
    typed: bool,
    charts: Vec<(&'static str, String)>,
}

/// Typed stretches as they are understood.
#[derive(Template)]
#[template(path = "drives/lines.html")]
struct LinesView {
    lines: Vec<(usize, Result<String, String>)>,
}

#[derive(Debug, Deserialize)]
pub(crate) struct LinesForm {
    #[serde(default)]
    text: String,
}

/// The road of a trip.
pub(crate) async fn show(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    road_page(&app, id, None, Vec::new()).await
}

async fn road_page(app: &App, id: i32, typed: Option<String>, faults: Vec<String>) -> Result<Response, WebError> {
    let frame = Frame::new(app, "trips", "The road");
    let status = if faults.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let shown = app.run(move |store| RoadPage::new(store, frame, id, typed, faults)).await?;
    Ok(page(status, &shown))
}

impl RoadPage {
    fn new(store: &Store, frame: Frame, id: i32, typed: Option<String>, faults: Vec<String>) -> Result<Self, WebError> {
        let (stored, units) = (store.trip(id)?, store.settings()?.units);
        let track = store.track(id)?.is_some();
        let (road, route) = driven(store, &stored)?;
        let lines: Vec<String> = road.stretches.iter().map(|stretch| write_road_line(stretch, units)).collect();
        let climbs = road.stretches.iter().any(|stretch| stretch.climb.get() + stretch.descent.get() > 0.0);
        let mut charts = vec![("What it takes", takes(&route, units).to_string())];
        if climbs {
            charts.insert(0, ("Heights", heights(&road.stretches, units).to_string()));
        }
        let about = stored.about;
        Ok(Self {
            frame: Frame { title: format!("The road of {}", about.name), ..frame },
            id,
            name: about.name,
            currency: about.currency,
            text: typed.unwrap_or_else(|| lines.join("\n")),
            seen: mark(&road.stretches),
            examples: examples(units),
            faults,
            told: told(&about.road.stretches, &route, units),
            track,
            typed: about.road.is_typed(),
            charts,
        })
    }
}

/// The road of a trip, and its segments as its car drives them under its conditions.
fn driven(store: &Store, stored: &StoredTrip) -> Result<(Road, Route), WebError> {
    let road = stored.about.road.clone();
    let fit = fit_for(store, &store.car(stored.about.car)?, &road, &road.conditions)?;
    let route = road.route(&fit, &road.conditions);
    Ok((road, route))
}

/// A road in a sentence.
fn told(stretches: &[Stretch], route: &Route, units: Units) -> String {
    let hours = |segment: &Segment| segment.length.get() / segment.speed.get();
    let minutes = Minutes::new(60.0 * route.segments().iter().map(hours).sum::<f64>());
    let energy: f64 =
        route.segments().iter().map(|segment| segment.consumption.get() * segment.length.get() / 100.0).sum();
    let sum = |of: fn(&Stretch) -> f64| stretches.iter().map(of).sum::<f64>();
    let (climb, descent) = (sum(|stretch| stretch.climb.get()), sum(|stretch| stretch.descent.get()));
    let slopes =
        if climb + descent > 0.0 { format!(", {climb:.0} m up and {descent:.0} m down") } else { String::new() };
    let (length, count) = (figures::distance(units, route.length()), stretches.len());
    let stretches = if count == 1 { "1 stretch".to_string() } else { format!("{count} stretches") };
    format!("{length} in {stretches}{slopes}: {} of driving, {energy:.1} kWh.", figures::duration(minutes))
}

/// Typed stretches as they are understood, while they are typed.
pub(crate) async fn lines(State(app): State<App>, Form(form): Form<LinesForm>) -> Result<Response, WebError> {
    let units = app.units().await?;
    let lines = off_thread(move || {
        let told = |stretch: Stretch| write_road_line(&stretch, units);
        let lines = form.text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()).take(LINES_SHOWN);
        lines.map(|(index, line)| (index + 1, read_road_line(line, units).map(told))).collect()
    });
    Ok(page(StatusCode::OK, &LinesView { lines: lines.await? }))
}

/// Puts another road in the place of a trip's.
pub(crate) async fn change(State(app): State<App>, Path(id): Path<i32>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let (typed, seen) = (upload.field("text"), upload.field("seen"));
    let units = app.units().await?;
    let road = match off_thread(move || brought(&upload, units)).await? {
        Ok(road) => road,
        Err(faults) => return road_page(&app, id, Some(typed), faults).await,
    };
    let kept = app
        .change(move |store| {
            let stored = store.trip(id)?;
            must_be_as_seen(&seen, &stored.about.road.stretches)?;
            let length = Distance::km(road.stretches.iter().map(|stretch| stretch.length.get()).sum());
            if let Some(site) = stored.about.sites.iter().find(|site| site.at.get() > length.get() + 1e-6) {
                return Ok(Err(beyond(site, length, store.settings()?.units)));
            }
            let track = match &road.track {
                Some(track) => Some(write_track(track)),
                None => kept_track(store, id, length)?,
            };
            store.change_road(id, &road.stretches, track.as_deref())?;
            Ok(Ok(()))
        })
        .await?;
    match kept {
        Ok(()) => Ok(Redirect::to(&format!("/trips/{id}/road")).into_response()),
        Err(fault) => road_page(&app, id, Some(typed), vec![fault]).await,
    }
}

/// The track that a trip has, for a road of a length that was typed anew: another length is another road.
fn kept_track(store: &Store, id: i32, length: Distance) -> Result<Option<String>, WebError> {
    let lies_on = |text: &String| {
        let track = read_track(text.as_bytes()).ok();
        track.is_some_and(|track| (track.length().get() / length.get() - 1.0).abs() <= SAME_ROAD)
    };
    Ok(store.track(id)?.filter(lies_on))
}

/// That a road would end before one of its sites.
fn beyond(site: &Site, length: Distance, units: Units) -> String {
    let (at, end) = (figures::distance(units, site.at), figures::distance(units, length));
    format!("{} lies at {at}, and this road ends at {end}: move or remove the site first.", site.name)
}
