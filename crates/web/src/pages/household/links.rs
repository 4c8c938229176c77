//! Who sees a trip: the household or one alone, and whoever has a link to it; a link can be taken back.

use askama::Template;
use axum::extract::State;
use axum::http::header::HOST;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::quantity::units::Units;
use spare_hour_planning::drive_trip::{Asked, KeptTrip};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_store::{TripLine, TripLink};
use spare_hour_wording::figures;
use spare_hour_wording::trips::Headline;

use crate::app::App;
use crate::charts::day_line::DayLine;
use crate::household::{new_token, token_hash};
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

#[derive(Template)]
#[template(path = "household/links.html")]
struct LinksPage {
    frame: Frame,
    id: i32,
    name: String,
    private: bool,
    links: Vec<TripLink>,
    /// The link that was made just now: it is shown this once.
    made: Option<String>,
}

#[derive(Template)]
#[template(path = "household/shared.html")]
struct SharedPage {
    frame: Frame,
    name: String,
    plan: Option<SharedPlan>,
}

/// What a link shows of a plan.
struct SharedPlan {
    headline: Headline,
    cost: String,
    day_line: Box<DayLine>,
    /// Name, when one is there, SoC, minutes.
    stops: Vec<[String; 4]>,
}

/// Who sees a trip.
pub(crate) async fn of_trip(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    links_page(&app, id, None).await
}

async fn links_page(app: &App, id: i32, made: Option<String>) -> Result<Response, WebError> {
    let (name, private, links) = app
        .run(move |store| {
            let all = store.trips()?;
            let line: &TripLine = all.iter().find(|line| line.id == id).ok_or(WebError::NotFound)?;
            Ok((line.name.clone(), store.is_private_trip(id)?, store.trip_links(id)?))
        })
        .await?;
    let frame = Frame::new(app, "trips", format!("Who sees {name}"));
    Ok(page(StatusCode::OK, &LinksPage { frame, id, name, private, links, made }))
}

/// Makes a link to a trip.
pub(crate) async fn make(
    State(app): State<App>,
    Path(id): Path<i32>,
    headers: HeaderMap,
) -> Result<Response, WebError> {
    let token = new_token();
    let hash = token_hash(&token);
    app.run(move |store| {
        store.trip(id)?;
        Ok(store.add_trip_link(id, &hash)?)
    })
    .await?;
    let host = headers.get(HOST).and_then(|host| host.to_str().ok()).unwrap_or("localhost");
    let scheme = if app.secure { "https" } else { "http" };
    links_page(&app, id, Some(format!("{scheme}://{host}/shared/{token}"))).await
}

/// Takes a link back.
pub(crate) async fn take_back(
    State(app): State<App>,
    Path((id, link)): Path<(i32, i32)>,
) -> Result<Response, WebError> {
    app.run(move |store| Ok(store.remove_trip_link(id, link)?)).await?;
    Ok(Redirect::to(&format!("/trips/{id}/shared")).into_response())
}

/// The trip of a link, for whoever has it.
pub(crate) async fn open(State(app): State<App>, Path(token): Path<String>) -> Result<Response, WebError> {
    let here = app.here.clone();
    let (name, plan) = app
        .run_while_waiting(move |store, stop| {
            let gone = || WebError::Missing("There is no trip under this link, or it was taken back.".into());
            let trip = store.trip_of_link(&token_hash(&token))?.ok_or_else(gone)?;
            let units = store.settings()?.units;
            let kept = KeptTrip::read(store, &here, trip, |stored, clock| Asked::own(stored, clock, &here))?;
            let currency = kept.stored.about.currency.clone();
            let shown = kept.to_plan.and_then(|to_plan| to_plan.best_plan(stop).ok());
            Ok((kept.stored.about.name, shown.map(|shown| SharedPlan::new(&shown, units, &currency))))
        })
        .await?;
    Ok(page(StatusCode::OK, &SharedPage { frame: Frame::new(&app, "", name.clone()), name, plan }))
}

impl SharedPlan {
    fn new(shown: &ShownPlan, units: Units, currency: &str) -> Self {
        let time = |minutes: f64| {
            let moment = shown.moment(minutes);
            moment.map(|at| figures::time_since(units, &shown.departure, &at)).unwrap_or_default()
        };
        let stop = |stop: &spare_hour_planner::trade::ClockStop| {
            [
                shown.trip.site(stop.site).name.clone(),
                time(stop.reached.get()),
                format!("{} → {}", figures::percent(stop.arrive), figures::percent(stop.depart)),
                figures::duration(stop.leaves - stop.reached),
            ]
        };
        Self {
            headline: Headline::new(&shown.plan, &shown.departure, units),
            cost: format!("{:.2} {currency}", shown.plan.cost),
            stops: shown.plan.stops.iter().map(stop).collect(),
            day_line: Box::new(DayLine::new(shown, units, None, None)),
        }
    }
}
