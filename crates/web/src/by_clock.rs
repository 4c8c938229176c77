//! The plan of a trip by its clock in one line, as pages tell it whose picture is of the road alone.

use std::sync::Arc;

use spare_hour_core::quantity::units::Units;
use spare_hour_planning::drive_trip::{Asked, KeptTrip};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::{StoredTrip, TripClock};
use spare_hour_wording::figures;

use crate::app::App;
use crate::http::error::WebError;

/// A plan by the clock in one line.
pub(crate) struct ClockHeadline {
    /// Whole minutes door to door.
    pub(crate) minutes: i64,
    pub(crate) total: String,
    /// When it is there, with what, and what it costs.
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
            Ok((known.or_else(|| kept.to_plan.as_ref().and_then(weigh)), kept.stored.about.currency))
        });
        let (Some(traded), currency) = weighed.await? else { return Ok(None) };
        app.traded.put(key, Arc::clone(&traded));
        let line = traded.best().map(|plan| Self {
            minutes: plan.total.get().round() as i64,
            total: figures::duration(plan.total),
            rest: format!(
                "there {} with {}; {:.2} {currency} for charging",
                traded.moment(plan.total.get()).map(|at| at.strftime("%a %H:%M").to_string()).unwrap_or_default(),
                figures::percent(plan.arrival),
                plan.cost
            ),
        });
        Ok(line)
    }
}
