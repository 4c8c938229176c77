//! Charging times and small trips against SciPy: `reference/make_reference.py` says how its figures were made.

#![allow(missing_docs, clippy::unwrap_used)]

use std::sync::Arc;

use serde_json::{Value, json};
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::Soc;
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_formats::read_trip;
use spare_hour_planner::trade::{ClockPlan, Trade, TradeTrip};
use spare_hour_planner::{Planner, StopSign};

fn reference() -> Value {
    serde_json::from_str(include_str!("reference/reference.json")).unwrap()
}

fn trip(value: &Value) -> Trip {
    read_trip(value.to_string().as_bytes()).unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn charging_times_agree_with_quadrature() {
    // SciPy 1.14.1, scipy.integrate.quad.
    let reference = reference();
    let charges = reference["charges"].as_array().unwrap();
    assert_eq!(charges.len(), 24);
    for charge in charges {
        let trip = trip(&json!({
            "format": "spare-hour/trip", "version": 1, "vehicle": charge["vehicle"], "sites": [charge["site"]],
            "route": {"segments": [{"km": 20.0, "kmh": 100.0, "kwh_per_100km": 20.0}]},
            "goal": {"start_soc": 90, "min_soc": 10, "arrival_soc": 10, "max_soc": 100},
        }));
        let soc = |name: &str| Soc::percent(charge[name].as_f64().unwrap());
        let ours = Stall::new(&trip.vehicle, &trip.sites[0]).minutes(soc("from"), soc("to")).get();
        let theirs = charge["minutes"].as_f64().unwrap();
        assert!((ours - theirs).abs() < 1e-5, "{ours} against {theirs} for {charge}");
    }
}

#[test]
fn small_trips_agree_with_a_mixed_integer_program() {
    // SciPy 1.14.1, scipy.optimize.milp (HiGHS); its charging times are interpolated every 2 %.
    let reference = reference();
    let trips = reference["trips"].as_array().unwrap();
    assert_eq!(trips.len(), 8);
    for known in trips {
        let trip = trip(&known["trip"]);
        let planner = Planner::new(trip.clone()).unwrap_or_else(|leg| panic!("{}: {leg:?}", trip.name));
        let (ours, theirs) = (planner.goal_of(&planner.best().plan), known["best_goal_min"].as_f64().unwrap());
        assert!((ours - theirs).abs() < 0.1, "{}: {ours} against {theirs}", trip.name);
        assert!(planner.best().gap.get() < 0.05, "{}: gap {}", trip.name, planner.best().gap);
    }
}

#[test]
fn the_trade_touches_what_a_mixed_integer_program_finds_at_each_value_of_an_hour() {
    // SciPy 1.14.1, scipy.optimize.milp (HiGHS): the least of minutes and money's worth of them, on the curve's table in steps
    // of 2 %, whose chords lie above the curve: it may be a quarter of a minute too high.
    let mut compared = 0;
    for known in reference()["trips"].as_array().unwrap() {
        let trip = trip(&known["trip"]);
        let departure =
            jiff::civil::date(2026, 12, 18).at(8, 0, 0, 0).to_zoned_datetime(jiff::tz::TimeZone::UTC).unwrap();
        let name = trip.name.clone();
        let asked = TradeTrip { trip: Arc::new(trip), departure, tariffs: Vec::new(), wishes: Wishes::default() };
        let trade = Trade::new(&asked, None, &StopSign::default()).unwrap();
        for point in known["by_value"].as_array().unwrap() {
            let [value, theirs] = ["value", "goal_min"].map(|field| point[field].as_f64().unwrap());
            let of = |plan: &ClockPlan| plan.total.get() + 60.0 * plan.cost / value;
            let whole = trade.plans.iter().map(of).fold(f64::INFINITY, f64::min);
            let near = Trade::near_best(&asked, Some(value), &StopSign::default()).unwrap();
            let near = near.plans.iter().map(of).fold(f64::INFINITY, f64::min);
            // A point of the trade may be a tolerance away in money, which is worth 60 / value minutes.
            for (ours, away) in [(whole, 0.1 + 0.6 / value), (near, 0.1)] {
                let within = theirs - 0.25..=theirs + away;
                assert!(within.contains(&ours), "{name} at {value}: {ours} against {theirs}");
            }
            compared += 1;
        }
    }
    assert_eq!(compared, 32);
}
