//! The first page: the trip at hand, the last session, and the one next useful thing.

use std::sync::Arc;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_planner::StopSign;
use spare_hour_planning::clock::Here;
use spare_hour_planning::drive_trip::{Asked, SolvedTrip};
use spare_hour_planning::plan_trip::Outcome;
use spare_hour_store::{SessionLine, Store};
use spare_hour_wording::trips::{self, Headline};

use crate::app::{App, off_thread};
use crate::charts::day_line::DayLine;
use crate::first_plan::{Preview, StartForm, previewed};
use crate::forms::control::Ask;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use crate::shown_trip::{Answer, Question};

#[derive(Template)]
#[template(path = "home/show.html")]
struct HomePage {
    frame: Frame,
    /// The trip that is under way.
    on_the_road: Option<String>,
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
    /// There is none: why.
    Stranded { why: String },
    /// The car has no curve.
    NoCurve { car: i32 },
}

impl PlanAtHand {
    fn new(solved: &SolvedTrip, answer: &Answer) -> Self {
        let (units, about) = (solved.settings.units, &solved.kept.stored.about);
        match (answer, &solved.outcome) {
            (Answer::Plan(shown, traded), _) => {
                let strategies = match traded {
                    Some(traded) => traded.strategies.clone(),
                    None => solved.planned().map(|planned| planned.strategies_with_costs()).unwrap_or_default(),
                };
                let totals = strategies.iter().filter_map(|(strategy, plan)| Some((*strategy, plan.as_ref()?.total)));
                Self::Planned {
                    headline: Headline::new(&shown.plan, &shown.departure, units),
                    cost: format!("{:.2} {}", shown.plan.cost, about.currency),
                    day_line: Box::new(DayLine::new(shown, units, None, None)),
                    verdict: trips::nearest_strategy(shown.plan.total, totals),
                }
            }
            (Answer::Stranded, Some(Outcome::Infeasible(none))) => {
                Self::Stranded { why: trips::infeasible(&none.trip, &none.leg, units) }
            }
            (Answer::NoCurve, _) => Self::NoCurve { car: about.car },
            _ => Self::Stranded { why: "The road can be driven, but not with all that is wished.".into() },
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
    let here = app.here.clone();
    let (at_hand, session, next) = app.run_while_waiting(move |store, stop| gather(store, &here, stop)).await?;
    let trip = match at_hand {
        Some(solved) => Some(at_hand_now(&app, solved).await?),
        None => None,
    };
    let first = match &trip {
        None => Some(previewed(&app, Ask::default()).await?),
        Some(_) => None,
    };
    let under_way = app.run(|store| Ok(store.under_way()?)).await?;
    let on_the_road = under_way.map(|outing| outing.about.name);
    let frame = Frame::new(&app, "", "Today");
    Ok(page(StatusCode::OK, &HomePage { frame, on_the_road, trip, session, next, first }))
}

/// The trip at hand with its plan.
async fn at_hand_now(app: &App, solved: Arc<SolvedTrip>) -> Result<TripAtHand, WebError> {
    let (id, car) = (solved.kept.stored.id, solved.kept.stored.about.car);
    let key = format!("{id} own {} {}", app.changes(), app.here.today());
    let answer = Question { solved: Arc::clone(&solved), key }.answer(app, Vec::new(), None).await?;
    let car = solved.kept.cars.iter().find(|one| one.id == car).map(|car| car.about.name.clone());
    let plan = off_thread({
        let solved = Arc::clone(&solved);
        move || PlanAtHand::new(&solved, &answer)
    });
    let name = solved.kept.stored.about.name.clone();
    Ok(TripAtHand { id, name, car: car.unwrap_or_default(), plan: plan.await? })
}

/// The trip at hand, the last session, and what is useful next.
type Gathered = (Option<Arc<SolvedTrip>>, Option<SessionLine>, Next);

fn gather(store: &Store, here: &Here, stop: &StopSign) -> Result<Gathered, WebError> {
    let session = store.sessions()?.into_iter().next();
    let under_way = store.open_charges()?.into_iter().next();
    let under_way = under_way.map(|charge| Next::GoOn { id: charge.id, name: charge.about.name });
    let Some(line) = store.trips()?.into_iter().next() else {
        let next = if session.is_some() { Next::BringTrip } else { Next::Begin };
        return Ok((None, session, under_way.unwrap_or(next)));
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
    Ok((Some(Arc::new(solved)), session, under_way.unwrap_or(next)))
}
