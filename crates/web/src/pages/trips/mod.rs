//! Trips: the plan of each, and what changes it.

mod ask;
mod back;
mod files;
mod hours;
mod link;
mod map;
mod new;
mod places;
mod plan_view;
mod road;
mod road_chart;
mod road_form;
mod site_form;
mod sites;
mod stop_cards;
mod strategies;
mod take_along;
mod trade;
mod trade_why;
mod weather;
mod wishes;

use std::sync::Arc;

use askama::Template;
use axum::extract::{Form, Query, State};
use axum::http::StatusCode;
use axum::response::{Redirect, Response};
use serde::Deserialize;
use spare_hour_core::quantity::Distance;
use spare_hour_planner::StopSign;
use spare_hour_planning::copy_trip::copy_trip;
use spare_hour_planning::drive_trip::{KeptTrip, SolvedTrip, fit_for, kept_wishes};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::{Curve, Settings, Store, StoredTrip, TripClock, TripLine};
use spare_hour_wording::{figures, trips as words};

use crate::app::{App, off_thread};
use crate::begun_trip;
use crate::forms::car_choice;
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::household::who;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use crate::shown_trip::{Answer, Question};

use ask::Controls;
pub(crate) use back::make as make_way_back;
pub(crate) use files::{example, import, list_file as list_of_trip, plan_file, trip_file};
pub(crate) use hours::show as show_hours;
pub(crate) use link::{keep as keep_link, open as open_link, show as show_link};
pub(crate) use map::show as show_map;
pub(crate) use new::{form as new_form, make};
use plan_view::{Outcome, PlanView};
pub(crate) use road::{change as change_road, lines as road_lines, show as show_road};
pub(crate) use sites::{change as change_site, import as import_sites, remove as remove_site, show as show_sites};
pub(crate) use strategies::show as show_strategies;
pub(crate) use take_along::take as take_along;
pub(crate) use trade::{moved as show_trade, prove as prove_trade, prove_best, whole as whole_trade};
pub(crate) use trade_why::{take_back, why as why_trade};
use wishes::WishForm;
pub(crate) use wishes::{keep as keep_wishes, touch as touch_stop};

/// What an address asks beside the trip itself: which of its plans is shown, and how.
const BESIDE: [&str; 8] = ["leave", "pick", "whole", "kept", "against", "ten_to", "half", "power_floor"];

/// A trip as an address asks for it: the solved trip, and the controls with the departures that the driver has fixed.
pub(crate) struct AskedTrip {
    pub(crate) question: Question,
    pub(crate) controls: Controls,
    /// Which plan of the trade is shown, where it is not the best.
    pub(crate) pick: Option<usize>,
}

impl AskedTrip {
    /// The trip that an address asks for: solved anew, or asked again if it was solved a while ago.
    async fn new(app: &App, id: i32, ask: &Ask) -> Result<Self, WebError> {
        let person = who().map(|person| person.id).unwrap_or_default();
        let key = format!("{id} {} {person} {} {}", app.changes(), app.here.today(), ask.without_all(&BESIDE));
        let solved = match app.solved.get(&key) {
            Some(solved) => solved,
            None => Self::solve(app, id, ask.clone(), key.clone()).await?,
        };
        let controls =
            Controls::new(ask, &solved.kept.stored, &solved.kept.clock, solved.settings.units, app.here.today());
        let pick = ask.get("pick").and_then(|pick| pick.parse().ok());
        Ok(Self { question: Question { solved, key }, controls, pick })
    }

    async fn solve(app: &App, id: i32, ask: Ask, key: String) -> Result<Arc<SolvedTrip>, WebError> {
        let here = app.here.clone();
        let solve = move |store: &Store, stop: &StopSign| {
            let asked = |stored: &StoredTrip, clock: &TripClock, settings: &Settings| {
                Controls::new(&ask, stored, clock, settings.units, here.today()).asked()
            };
            Ok(Arc::new(SolvedTrip::new(store, &here, id, asked, stop)?))
        };
        let solved = app.run_while_waiting(solve).await?;
        if !solved.is_stopped() {
            app.solved.put(key, Arc::clone(&solved));
        }
        Ok(solved)
    }

    fn solved(&self) -> &SolvedTrip {
        &self.question.solved
    }

    /// What it comes to.
    async fn answer(&self, app: &App) -> Result<Answer, WebError> {
        self.question.answer(app, self.controls.held(), self.pick).await
    }

    /// The plan that is shown; refused where there is none.
    async fn shown(&self, app: &App) -> Result<(ShownPlan, Option<Arc<TradedTrip>>), WebError> {
        match self.answer(app).await? {
            Answer::Plan(shown, traded) => Ok((*shown, traded)),
            _ => Err(WebError::Refused("There is no plan: the trip cannot be driven as it stands.".into())),
        }
    }

    /// The plan that this one is compared with, where there is one.
    async fn other(&self, app: &App, id: i32) -> Result<Option<ShownPlan>, WebError> {
        if self.controls.against.is_empty() {
            return Ok(None);
        }
        let other = AskedTrip::new(app, id, &Ask::of_query(&self.controls.against)).await?;
        Ok(match other.answer(app).await? {
            Answer::Plan(shown, _) => Some(*shown),
            _ => None,
        })
    }

    /// All that is shown of it.
    async fn view(self, app: &App, id: i32, whole: bool) -> Result<(Self, PlanView), WebError> {
        let (answer, other) = (self.answer(app).await?, self.other(app, id).await?);
        off_thread(move || {
            let view = PlanView::new(&self, &answer, other.as_ref(), whole);
            (self, view)
        })
        .await
    }
}

#[derive(Template)]
#[template(path = "trips/list.html")]
struct ListPage {
    frame: Frame,
    /// Each with the name of its car and its length.
    trips: Vec<(TripLine, String, String)>,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "trips/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    controls: Controls,
    /// What one press sets: words, names and values, whether it is set so.
    presets: Vec<(String, String, bool)>,
    /// Cars and curves by number and name, and which is chosen.
    cars: Vec<(i32, String, bool)>,
    curves: Vec<(i32, String, bool)>,
    /// The curve that is planned with, where none was asked for.
    curve_by_weather: Option<String>,
    weather_told: String,
    kept: bool,
    /// What else the address asks, for the parts that come after.
    query: String,
    form: WishForm,
    /// Whether its road has a track, and so a map.
    has_track: bool,
    /// Whether it can be shared within a household.
    guarded: bool,
    /// How near plans came so far.
    near: Option<String>,
    view: PlanView,
}

#[derive(Template)]
#[template(path = "trips/plan.html")]
struct PlanPart {
    view: PlanView,
}

/// The list of trips.
pub(crate) async fn list(State(app): State<App>) -> Result<Response, WebError> {
    list_page(&app, None).await
}

async fn list_page(app: &App, fault: Option<String>) -> Result<Response, WebError> {
    let trips = app.run(|store| named(store, store.trips()?)).await?;
    let status = if fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    Ok(page(status, &ListPage { frame: Frame::new(app, "trips", "Trips"), trips, fault }))
}

/// Trips with the names of their cars and their lengths.
fn named(store: &Store, trips: Vec<TripLine>) -> Result<Vec<(TripLine, String, String)>, WebError> {
    let (cars, units) = (store.cars()?, store.settings()?.units);
    let name = |id| cars.iter().find(|car| car.id == id).map(|car| car.about.name.clone()).unwrap_or_default();
    let told = |trip: TripLine| (name(trip.car), figures::distance(units, Distance::km(trip.km)), trip);
    Ok(trips.into_iter().map(told).map(|(car, length, trip)| (trip, car, length)).collect())
}

/// One trip with its plan.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let (AskedTrip { question, controls, .. }, view) = asked.view(&app, id, true).await?;
    let SolvedTrip { kept: trip, settings, .. } = &*question.solved;
    let about = &trip.stored.about;
    let asks_money = trip.to_plan.as_ref().is_none_or(|to_plan| to_plan.prices.ask_money(&to_plan.trip));
    let controls = if asks_money { controls } else { controls.without_money() };
    let curve = |curve: &Curve| {
        (curve.id, format!("{}, version {}", curve.about.name, curve.id), Some(curve.id) == controls.curve)
    };
    let wishes = kept_wishes(&trip.clock, id)?;
    let near = question.solved.near.map(|near| words::near(near.minutes, near.points, near.trips));
    let shown = ShowPage {
        frame: Frame::new(&app, "trips", about.name.clone()),
        id,
        name: about.name.clone(),
        cars: car_choice::options(&trip.cars, Some(controls.car)),
        curves: trip.curves.iter().map(curve).collect(),
        curve_by_weather: controls
            .curve
            .is_none()
            .then(|| trip.curve.as_ref().map(|curve| curve.about.name.clone()))
            .flatten(),
        weather_told: controls.weather.in_words(settings.units),
        kept: ask.kept(),
        query: ask.without_all(&["kept", "whole"]),
        form: WishForm::of(&trip.clock, &wishes, &about.sites, &memberships(trip), settings.units.clock),
        has_track: trip.stored.has_track,
        near,
        guarded: app.guarded,
        presets: controls.presets(settings.units),
        controls,
        view,
    };
    Ok(page(StatusCode::OK, &shown))
}

/// Names of the memberships that count at a trip's sites.
fn memberships(trip: &KeptTrip) -> Vec<String> {
    let members = trip.to_plan.iter().flat_map(|to_plan| to_plan.prices.memberships());
    let mut members: Vec<String> = members.map(|membership| membership.name.clone()).collect();
    members.sort();
    members.dedup();
    members
}

/// The plan alone, for the page's script.
pub(crate) async fn plan(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (_, view) = AskedTrip::new(&app, id, &ask).await?.view(&app, id, false).await?;
    Ok(page(StatusCode::OK, &PlanPart { view }))
}

/// Keeps the controls as the trip's own, and begins it where that is asked.
pub(crate) async fn keep(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(ask): Form<Ask>,
) -> Result<Redirect, WebError> {
    let (here, begins) = (app.here.clone(), ask.get("begin").is_some());
    let query = app
        .change(move |store| {
            let (stored, units) = (store.trip(id)?, store.settings()?.units);
            let clock = store.trip_clock(id)?;
            let controls = Controls::new(&ask, &stored, &clock, units, here.today());
            if controls.faults().next().is_some() {
                return Err(WebError::Refused("Some of the numbers do not work, so nothing was kept.".into()));
            }
            keep_weather(store, &stored, &controls)?;
            store.change_goal(id, controls.car, &controls.goal(), &controls.weather.conditions)?;
            if let Some(departure) = controls.other_departure() {
                let time_zone = clock.time_zone.or_else(|| here.zone().iana_name().map(Into::into));
                store.keep_trip_clock(id, &TripClock { departure: Some(departure), time_zone, ..clock })?;
            }
            Ok(controls.address_with(&controls.leave, None))
        })
        .await?;
    if begins {
        begun_trip::begin(&app, id).await?;
        return Ok(Redirect::to("/road"));
    }
    Ok(Redirect::to(&format!("/trips/{id}?{query}&kept=1")))
}

/// Makes what was typed of a road that of other weather, before that becomes the trip's own.
fn keep_weather(store: &Store, stored: &StoredTrip, controls: &Controls) -> Result<(), WebError> {
    let (road, asked) = (&stored.about.road, &controls.weather.conditions);
    if road.conditions == *asked || road.stretches.iter().all(|stretch| stretch.typed.is_none()) {
        return Ok(());
    }
    let fit = fit_for(store, &store.car(controls.car)?, road, asked)?;
    let track = store.track(stored.id)?;
    Ok(store.change_road(stored.id, &road.under(&fit, asked).stretches, track.as_deref())?)
}

/// A trip's name, and the currency of its prices, which stays where it is not asked.
#[derive(Debug, Deserialize)]
pub(crate) struct NameForm {
    #[serde(default)]
    name: String,
    currency: Option<String>,
}

/// Calls a trip something else.
pub(crate) async fn rename(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<NameForm>,
) -> Result<Redirect, WebError> {
    let refused = || WebError::Refused("Expected a name of 1 to 80 characters, and a currency of 1 to 8.".into());
    let name = Field::new(form.name).words(80).ok_or_else(refused)?;
    let asked = form.currency.map(|currency| Field::new(currency).words(8).ok_or_else(refused)).transpose()?;
    let page = if asked.is_some() { "/road" } else { "" };
    app.change(move |store| {
        let currency = asked.map_or_else(|| store.trip(id).map(|trip| trip.about.currency), Ok)?;
        Ok(store.rename_trip(id, &name, &currency)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/trips/{id}{page}")))
}

/// Keeps a copy of a trip, and shows it.
pub(crate) async fn copy(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    let made = app.change(move |store| Ok(copy_trip(store, id)?)).await?;
    Ok(Redirect::to(&format!("/trips/{made}")))
}

/// Removes a trip.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_trip(id)?)).await?;
    Ok(Redirect::to("/trips"))
}
