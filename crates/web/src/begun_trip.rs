//! A trip is begun: its plan becomes the one under way.

use spare_hour_core::quantity::Distance;
use spare_hour_core::trip::road_log::{Happened, Place, RoadEvent};
use spare_hour_formats::write_road_event;
use spare_hour_planning::drive_trip::{Asked, KeptTrip};
use spare_hour_planning::on_the_road::begun;
use spare_hour_store::NewOuting;
use uuid::Uuid;

use crate::app::App;
use crate::http::error::WebError;

/// Begins a trip as it is kept, now; one that was under way is over then.
pub(crate) async fn begin(app: &App, id: i32) -> Result<(), WebError> {
    let here = app.here.clone();
    let now = here.now();
    let planned = app
        .run_while_waiting(move |store, stop| {
            let kept = KeptTrip::read(store, &here, id, |stored, clock| Asked::own(stored, clock, &here))?;
            let about = kept.stored.about.clone();
            let mut to_plan = kept.to_plan.ok_or_else(|| {
                WebError::Refused("The trip’s car has no charge curve, so there is no plan to begin with.".into())
            })?;
            to_plan.departure = now.to_zoned_datetime(to_plan.departure.time_zone().clone());
            let start = to_plan.trip.goal.start;
            let shown = to_plan.best_plan(stop).map_err(|_| {
                WebError::Refused("Nothing was begun: leaving now, the trip cannot be driven with all that is wished. Its page says why.".into())
            })?;
            Ok((about, begun(&shown), start))
        })
        .await?;
    let (about, plan, start) = planned;
    let what = Happened::Here(Place::Km(Distance::km(0.0)), start);
    let event = RoadEvent { id: Uuid::new_v4().to_string(), at_ms: now.as_millisecond(), what };
    app.change(move |store| {
        let new =
            NewOuting { trip: id, car: Some(about.car), name: about.name, currency: about.currency, plan: plan.text() };
        let outing = store.begin_outing(&new)?;
        Ok(store.add_outing_events(outing, &[(event.id.clone(), write_road_event(&event))])?)
    })
    .await
}
