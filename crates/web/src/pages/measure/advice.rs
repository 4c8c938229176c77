//! At the stall, while a charge is measured: leave now, or wait? With a trip under way for that trip, else for a road ahead.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Power};
use spare_hour_planner::{Advice, StopSign};
use spare_hour_planning::advise::{RoadAhead, advise, without_a_trip};
use spare_hour_planning::clock::Here;
use spare_hour_planning::drive_trip::vehicle;
use spare_hour_planning::on_the_road::{OnTheRoad, session_of};
use spare_hour_store::Store;
use spare_hour_wording::{advice, figures};

use crate::app::App;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};

/// What is asked of a road ahead, where no trip is under way.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct AheadAsk {
    #[serde(default)]
    km: String,
    #[serde(default)]
    kw: String,
}

#[derive(Template)]
#[template(path = "measure/advice.html")]
struct AdviceView {
    headline: String,
    why: String,
    lines: Vec<String>,
    leave_at: Option<i64>,
    /// When to be told of the fee of standing on, and in which words.
    idle: Option<(i64, String)>,
    /// The road ahead that it rests on; none where a trip is under way.
    ahead: Option<(String, String)>,
    distance: &'static str,
}

/// The advice; nothing while there is none to give.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<AheadAsk>,
) -> Result<Response, WebError> {
    let (units, here) = (app.units().await?, app.here.clone());
    let found = app.run_while_waiting(move |store, stop| found(store, &here, id, &ask, units, stop)).await?;
    Ok(match found {
        Some(view) => page(StatusCode::OK, &view),
        None => StatusCode::NO_CONTENT.into_response(),
    })
}

fn found(
    store: &Store,
    here: &Here,
    id: i32,
    ask: &AheadAsk,
    units: Units,
    stop: &StopSign,
) -> Result<Option<AdviceView>, WebError> {
    if let Some(on) = OnTheRoad::read(store, here, stop)?.filter(|on| on.charge == Some(id)) {
        return Ok(on.advice.map(|told| AdviceView::new(&told, units, &on.outing.about.currency, None)));
    }
    let charge = store.charge(id)?;
    let Some(car) = charge.about.car.map(|car| store.car(car)).transpose()? else { return Ok(None) };
    let Some(curve) = car.curve.map(|curve| store.curve(curve)).transpose()? else { return Ok(None) };
    let (session, last) = session_of(store, &charge)?;
    let currency = store.settings()?.currency;
    let usual = RoadAhead::USUAL;
    let length = Field::new(ask.km.clone()).distance(units, 10.0, 3_000.0).unwrap_or(usual.length);
    let next = Field::new(ask.kw.clone()).number(3.0, 1_000.0, "kW").map_or(usual.next, Power::kw);
    let road = RoadAhead {
        length,
        next,
        here: session.conditions.site_power.unwrap_or(usual.here),
        consumption: car.about.distances.own.unwrap_or(usual.consumption),
    };
    let at = last.unwrap_or_else(|| here.now()).to_zoned_datetime(here.zone().clone());
    let Ok((to_plan, now)) = without_a_trip(vehicle(&car.about, curve.about.power), road, &at) else { return Ok(None) };
    let told = advise(to_plan, &now, &session, stop).ok();
    Ok(told.map(|told| AdviceView::new(&told, units, &currency, Some((length, next)))))
}

impl AdviceView {
    fn new(told: &Advice, units: Units, currency: &str, ahead: Option<(Distance, Power)>) -> Self {
        let mut lines = vec![advice::pace(told)];
        lines.extend(advice::odd(told, units));
        if let Some((_, name)) = &told.next {
            lines.push(format!("Next: {name}, reached with {}", figures::percent(told.next_arrive)));
        }
        lines.extend(told.cost.map(|cost| format!("So far: {cost:.2} {currency}")));
        lines.extend(advice::ahead(told, units, currency));
        Self {
            headline: advice::headline(told),
            why: advice::why(told),
            lines,
            leave_at: told.leave_at.as_ref().filter(|_| told.stay).map(|at| at.timestamp().as_millisecond()),
            idle: told.idle.as_ref().map(|idle| (idle.alarm_ms(), advice::idle_is_near(idle, currency))),
            ahead: ahead.map(|(km, kw)| (figures::field(units.distance.of(km).round()), figures::field(kw.get()))),
            distance: units.distance.name(),
        }
    }
}
