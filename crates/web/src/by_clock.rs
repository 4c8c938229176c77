//! The plan of a trip by its clock in a few lines, as pages tell it whose picture is of the road alone.

use std::sync::Arc;

use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_planner::trade::{ClockPlan, ClockStop};
use spare_hour_planning::drive_trip::{Asked, KeptTrip};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::{StoredTrip, TripClock};
use spare_hour_wording::figures;

use crate::app::App;
use crate::http::error::WebError;

/// A plan by the clock in a few lines.
pub(crate) struct ClockHeadline {
    /// Whole minutes door to door.
    pub(crate) minutes: i64,
    pub(crate) total: String,
    /// When it is there, with what, and what it costs.
    pub(crate) rest: String,
    pub(crate) stops: Vec<StopLine>,
}

/// A stop in one line.
pub(crate) struct StopLine {
    /// When it is reached and left.
    pub(crate) times: String,
    pub(crate) name: String,
    /// The SoC it is reached and left with, what it costs, and the pause that is kept there.
    pub(crate) rest: String,
}

impl ClockHeadline {
    /// The plan of a trip by its clock as `ask` has it, which `question` tells from others; `None` where there is none.
    pub(crate) async fn new(
        app: &App,
        id: i32,
        question: &str,
        ask: impl FnOnce(&StoredTrip, &TripClock, Units) -> Asked + Send + 'static,
    ) -> Result<Option<Self>, WebError> {
        let key = format!("{id} line {} {} {question}", app.changes(), app.here.today());
        let (here, known) = (app.here.clone(), app.traded.get(&key));
        let weighed = app.run_while_waiting(move |store, stop| {
            let units = store.settings()?.units;
            let kept = KeptTrip::read(store, &here, id, |stored, clock| ask(stored, clock, units))?;
            let weigh = |to_plan| TradedTrip::of_plan(to_plan, false, stop).ok().map(Arc::new);
            Ok((known.or_else(|| kept.to_plan.as_ref().and_then(weigh)), kept.stored.about.currency, units))
        });
        let (Some(traded), currency, units) = weighed.await? else { return Ok(None) };
        app.traded.put(key, Arc::clone(&traded));
        Ok(traded.best().map(|plan| Self::of(&traded, plan, &currency, units)))
    }

    fn of(traded: &TradedTrip, plan: &ClockPlan, currency: &str, units: Units) -> Self {
        let there = day_and_time(traded, plan.total, units);
        let arrival = figures::percent(plan.arrival);
        Self {
            minutes: plan.total.get().round() as i64,
            total: figures::duration(plan.total),
            rest: format!("there {there} with {arrival}; {:.2} {currency} for charging", plan.cost),
            stops: plan.stops.iter().map(|stop| StopLine::new(traded, stop, currency, units)).collect(),
        }
    }
}

impl StopLine {
    fn new(traded: &TradedTrip, stop: &ClockStop, currency: &str, units: Units) -> Self {
        let pause = stop.pause.and_then(|pause| traded.pauses.get(pause));
        let (from, to) = (figures::percent(stop.arrive), figures::percent(stop.depart));
        Self {
            times: format!(
                "{} to {}",
                day_and_time(traded, stop.reached, units),
                day_and_time(traded, stop.leaves, units)
            ),
            name: traded.trade.trip.site(stop.site).name.clone(),
            rest: format!(
                "{from} to {to}, {:.2} {currency}{}",
                stop.cost,
                pause.map(|name| format!(" · {name}")).unwrap_or_default()
            ),
        }
    }
}

/// The day and time so many minutes after the trip leaves; empty where no calendar has it.
pub(crate) fn day_and_time(traded: &TradedTrip, after: Minutes, units: Units) -> String {
    traded.moment(after.get()).map(|at| figures::day_and_time(units, &at)).unwrap_or_default()
}
