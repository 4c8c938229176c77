//! Why a plan by the clock is as it is: each stop and each wish with the two numbers that are compared; and where there is no
//! plan, what is in the way, each with a press that takes it back.

use askama::Template;
use axum::Form;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::{Redirect, Response};
use serde::Deserialize;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::why::{WaitsFor, WhyLeave};
use spare_hour_planner::trade::{ClockPlan, NoTrade};
use spare_hour_planning::drive_trip::{KeptTrip, kept_wishes};
use spare_hour_planning::explain_trade::{Differs, Explained, OneWish, in_the_way};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::Store;
use spare_hour_wording::figures;

use super::AskedTrip;
use super::wishes::keep_wishes;
use crate::app::App;
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::error::{WebError, page};

/// The part of the page that says why.
#[derive(Template)]
#[template(path = "trips/trade_why.html")]
struct WhyPart {
    id: i32,
    stops: Vec<(String, Vec<String>)>,
    wishes: Vec<WishRow>,
    /// Where there is no plan: what is in the way.
    stuck: Vec<String>,
}

/// A wish, what it costs, and how it is taken back.
struct WishRow {
    named: String,
    costs: String,
    token: String,
}

/// Why the plan is as it is, or there is none.
pub(crate) async fn why(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let AskedTrip { question, pick, .. } = AskedTrip::new(&app, id, &ask).await?;
    let traded = question.weigh(&app, pick.is_some()).await?;
    let explain = move |_: &Store, stop: &StopSign| {
        let kept = &question.solved.kept;
        Ok(match &traded {
            Some(Ok(traded)) => explained(id, kept, traded, pick, stop),
            Some(Err(NoTrade::Infeasible)) => stuck(id, kept, stop),
            _ => None,
        })
    };
    let none = WhyPart { id, stops: Vec::new(), wishes: Vec::new(), stuck: Vec::new() };
    Ok(page(StatusCode::OK, &app.run_while_waiting(explain).await?.unwrap_or(none)))
}

fn explained(id: i32, kept: &KeptTrip, traded: &TradedTrip, pick: Option<usize>, stop: &StopSign) -> Option<WhyPart> {
    let plan = pick.map_or_else(|| traded.best(), |place| traded.trade.plans.get(place))?;
    let told = traded.explained(plan, stop).ok()?;
    let currency = &kept.stored.about.currency;
    let wishes = told.wishes.iter().map(|(one, costs)| WishRow {
        named: named(one, kept, &traded.pauses),
        costs: costs.map_or_else(
            || "without it there is no plan".into(),
            |differs| format!("costs {}", differs_by(differs, currency)),
        ),
        token: one.token(),
    });
    Some(WhyPart { id, stops: of_stops(traded, plan, &told, currency), wishes: wishes.collect(), stuck: Vec::new() })
}

/// For each stop why one stops, leaves and waits.
fn of_stops(traded: &TradedTrip, plan: &ClockPlan, told: &Explained, currency: &str) -> Vec<(String, Vec<String>)> {
    let lines = |((stop, without), why): ((&_, &Option<Differs>), &WhyLeave)| {
        let stop: &spare_hour_planner::trade::ClockStop = stop;
        let without = match without {
            Some(more) => format!("Without this site the best plan takes {}.", differs_by(*more, currency)),
            None => "Without this site there is no plan.".into(),
        };
        let lines = [Some(without), leaves(why), waits(why, currency)];
        (traded.trade.trip.site(stop.site).name.clone(), lines.into_iter().flatten().collect())
    };
    plan.stops.iter().zip(&told.without).zip(&told.leaves).map(lines).collect()
}

fn leaves(why: &WhyLeave) -> Option<String> {
    let (here, there) = (why.here?.get(), why.there?.get());
    Some(format!("The next 5 % would take {here:.1} min here, the first 5 % at the next stop take {there:.1} min."))
}

fn waits(why: &WhyLeave, currency: &str) -> Option<String> {
    Some(match why.waits? {
        WaitsFor::Opening => "It waits until the site opens, or for the hour that you wish.".into(),
        WaitsFor::Price { arriving, then } if then < arriving - 1e-9 => {
            format!(
                "It waits for a cheaper hour: {arriving:.2} {currency} a kWh on arriving, {then:.2} when it begins."
            )
        }
        WaitsFor::Price { arriving, .. } => format!(
            "It begins later, so that less of the charge falls in a dearer hour: {arriving:.2} {currency} a kWh on arriving."
        ),
    })
}

/// Minutes and money of a difference, in words.
fn differs_by(differs: Differs, currency: &str) -> String {
    let (minutes, money) = (figures::more_minutes(differs.minutes.get()), figures::more_money(differs.money, currency));
    format!("{minutes} and {money}")
}

/// What a wish is called.
fn named(one: &OneWish, kept: &KeptTrip, pauses: &[String]) -> String {
    let site = |id: &str| {
        let site = kept.stored.about.sites.iter().find(|site| site.id == id);
        site.map_or_else(|| id.to_string(), |site| site.name.clone())
    };
    match one {
        OneWish::Avoid(id) => format!("Avoid {}", site(id)),
        OneWish::Visit(id) => format!("Stop at {}", site(id)),
        OneWish::Leave(id) => format!("Leave {} with a SoC of your own", site(id)),
        OneWish::Stay(id) => format!("Stay at {}", site(id)),
        OneWish::Between(id) => format!("Charge at {} at an hour of your own", site(id)),
        OneWish::Pause(place) => pauses.get(*place).map_or_else(|| "Pause".into(), |name| format!("Pause: {name}")),
        OneWish::MostDrive => "Longest time at the wheel".into(),
        OneWish::MostStops => "Most stops".into(),
        OneWish::MostCost => "At most so much money".into(),
        OneWish::MostTime => "At most so many minutes".into(),
    }
}

/// What is in the way of a plan.
fn stuck(id: i32, kept: &KeptTrip, stop: &StopSign) -> Option<WhyPart> {
    let to_plan = kept.to_plan.as_ref()?;
    let way = in_the_way(to_plan, stop);
    if stop.is_raised() {
        return None;
    }
    let pauses: Vec<String> = to_plan.wishes.pauses.iter().map(|pause| pause.name.clone()).collect();
    let row = |one: &OneWish| WishRow {
        named: named(one, kept, &pauses),
        costs: "without it there is a plan".into(),
        token: one.token(),
    };
    let hours = way.hours.then(|| "If every site were open all day there would be a plan: leave at another hour, or correct the opening hours.".to_string());
    let together = (way.wishes.is_empty() && way.all_wishes)
        .then(|| "No single wish is in the way; together they are. Take one back and look again.".to_string());
    let road = (!way.hours && !way.all_wishes && way.wishes.is_empty()).then(|| {
        "No wish is in the way: the road itself is. The plan’s page says which leg, and what would close it."
            .to_string()
    });
    Some(WhyPart {
        id,
        stops: Vec::new(),
        wishes: way.wishes.iter().map(row).collect(),
        stuck: [hours, together, road].into_iter().flatten().collect(),
    })
}

/// A wish to be taken back.
#[derive(Debug, Deserialize)]
pub(crate) struct TakeBackForm {
    wish: String,
}

/// Takes one wish of a trip back.
pub(crate) async fn take_back(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<TakeBackForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| {
        let clock = store.trip_clock(id)?;
        let wishes: Wishes = kept_wishes(&clock, id)?;
        let one = OneWish::each(&wishes).into_iter().find(|one| one.token() == form.wish);
        let one = one.ok_or_else(|| WebError::Missing("That is no wish of this trip any more.".into()))?;
        keep_wishes(store, id, clock, &one.taken_from(&wishes))
    })
    .await?;
    Ok(Redirect::to(&format!("/trips/{id}?kept=1")))
}
