//! The first page: the trip at hand, the last session, and the one next useful thing.

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_planner::StopSign;
use spare_hour_planning::clock::Here;
use spare_hour_planning::drive_trip::{Asked, SolvedTrip};
use spare_hour_planning::plan_trip::{Outcome, minute_of_day};
use spare_hour_store::{SessionLine, Store};
use spare_hour_wording::trips::{self, Headline};

use crate::app::App;
use crate::by_clock::ClockHeadline;
use crate::charts::day_line::DayLine;
use crate::first_plan::{Preview, StartForm, previewed};
use crate::forms::control::Ask;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

#[derive(Template)]
#[template(path = "home/show.html")]
struct HomePage {
    frame: Frame,
    trip: Option<TripAtHand>,
    session: Option<SessionLine>,
    next: Next,
    /// The first plan, while no trip is kept.
    first: Option<(StartForm, Preview)>,
}

struct TripAtHand {
    id: i32,
    name: String,
    car: String,
    plan: PlanAtHand,
}

/// The plan of the trip at hand.
enum PlanAtHand {
    /// A plan: its line, cost, picture, and how the strategies do beside it.
    Planned { headline: Headline, cost: String, day_line: Box<DayLine>, verdict: String },
    /// A plan whose prices, hours or wishes go by the clock.
    ByClock(ClockHeadline),
    /// There is none.
    Stranded { why: String },
    /// The car has no curve.
    NoCurve { car: i32 },
}

impl PlanAtHand {
    fn new(solved: &SolvedTrip) -> Self {
        let (units, about) = (solved.settings.units, &solved.kept.stored.about);
        match &solved.outcome {
            Some(Outcome::Planned(planned)) => {
                let (plan, leaves) = (planned.best(), minute_of_day(planned.departure()));
                let strategies = planned.strategies().iter();
                let totals = strategies.filter_map(|one| Some((one.strategy, one.plan.as_ref()?.total)));
                Self::Planned {
                    headline: Headline::new(plan, leaves, units),
                    cost: format!("{:.2} {}", planned.cost(plan), about.currency),
                    day_line: Box::new(DayLine::new(planned.trip(), plan, &[], leaves, units)),
                    verdict: trips::nearest_strategy(plan.total, totals),
                }
            }
            Some(Outcome::Infeasible(none)) => Self::Stranded { why: trips::infeasible(&none.trip, &none.leg, units) },
            Some(Outcome::Stopped) | None => Self::NoCurve { car: about.car },
        }
    }
}

/// The one next useful thing.
enum Next {
    /// Nothing is there yet.
    Begin,
    /// The trip's car has no curve, or its curve was never measured.
    BringCharge { car: i32 },
    /// A charge is being measured.
    GoOn { id: i32, name: String },
    /// The last session of the trip's car has not become a curve yet.
    UseSession { id: i32, name: String },
    /// All is there: look at what a cold day does.
    WhatIfCold { trip: i32 },
    /// There is no trip.
    BringTrip,
}

/// The first page.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    let (here, own) = (app.here.clone(), app.here.clone());
    let gathered = app.run_while_waiting(move |store, stop| gather(store, &here, stop)).await?;
    let (mut trip, session, next, needs_clock) = gathered;
    if let Some(trip) = trip.as_mut().filter(|_| needs_clock)
        && let Some(headline) =
            ClockHeadline::new(&app, trip.id, "", move |stored, clock, _| Asked::own(stored, clock, &own)).await?
    {
        trip.plan = PlanAtHand::ByClock(headline);
    }
    let first = match &trip {
        None => Some(previewed(&app, Ask::default()).await?),
        Some(_) => None,
    };
    Ok(page(StatusCode::OK, &HomePage { frame: Frame::new(&app, "", "Today"), trip, session, next, first }))
}

fn gather(
    store: &Store,
    here: &Here,
    stop: &StopSign,
) -> Result<(Option<TripAtHand>, Option<SessionLine>, Next, bool), WebError> {
    let session = store.sessions()?.into_iter().next();
    let under_way = store.open_charges()?.into_iter().next();
    let under_way = under_way.map(|charge| Next::GoOn { id: charge.id, name: charge.about.name });
    let Some(line) = store.trips()?.into_iter().next() else {
        let next = if session.is_some() { Next::BringTrip } else { Next::Begin };
        return Ok((None, session, under_way.unwrap_or(next), false));
    };
    let solved = SolvedTrip::new(store, here, line.id, |stored, clock, _| Asked::own(stored, clock, here), stop)?;
    let loaded = &solved.kept;
    let car = loaded.cars.iter().find(|car| car.id == line.car);
    let in_use = car.and_then(|car| car.curve).and_then(|id| loaded.curves.iter().find(|curve| curve.id == id));
    let measured = in_use.and_then(|curve| curve.about.measured);
    let read_already = |id: i32| loaded.curves.iter().any(|curve| curve.about.session == Some(id));
    let next = match (&session, measured) {
        (Some(last), _) if last.car == Some(line.car) && !read_already(last.id) => {
            Next::UseSession { id: last.id, name: last.name.clone() }
        }
        (_, None) => Next::BringCharge { car: line.car },
        _ => Next::WhatIfCold { trip: line.id },
    };
    let trip = TripAtHand {
        id: line.id,
        name: line.name,
        car: car.map(|car| car.about.name.clone()).unwrap_or_default(),
        plan: PlanAtHand::new(&solved),
    };
    Ok((Some(trip), session, under_way.unwrap_or(next), solved.needs_clock))
}
