//! The best hour to leave: what the best plan takes and costs for each hour of a span, by the clock.

use jiff::ZonedDateTime;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::Trade;

use crate::clock::after;
use crate::plan_trip::TripToPlan;

/// What leaving at some hour comes to.
#[derive(Clone, Debug)]
pub struct Leaving {
    /// When.
    pub at: ZonedDateTime,
    /// Minutes and money of the best plan; `None` where there is none.
    pub plan: Option<(f64, f64)>,
}

/// The best plan of a trip for each of so many departures, so many minutes apart, the first when it leaves itself. A coarse search:
/// minutes within about one of the best.
pub fn hours(to_plan: &TripToPlan, count: usize, apart: f64, stop: &StopSign) -> Vec<Leaving> {
    let (mut asked, _) = to_plan.by_clock();
    let value = to_plan.trip.goal.value_of_time_per_hour;
    let mut leavings = Vec::new();
    for index in 0..count {
        let Some(at) = after(&to_plan.departure, apart * index as f64).filter(|_| !stop.is_raised()) else { break };
        asked.departure = at.clone();
        let found = Trade::coarse_best(&asked, value, stop).ok();
        leavings.push(Leaving { at, plan: found.map(|plan| (plan.total.get(), plan.cost)) });
    }
    leavings
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::{Here, StoppedClock};
    use spare_hour_formats::read_trip_with_wishes;

    /// The example trip with a price by hour at every site, leaving at six in the morning.
    fn to_plan() -> TripToPlan {
        let example = include_str!("../../../docs/formats/trip.example.json");
        let mut file: serde_json::Value = serde_json::from_str(example).unwrap();
        file["version"] = 2.into();
        file["departure"] = "2026-12-18T06:00".into();
        file["tariffs"] = serde_json::json!([{"id": "t", "currency": "cr", "elements": [
            {"price_components": [{"type": "ENERGY", "price": 0.2, "step_size": 1}],
             "restrictions": {"start_time": "20:00", "end_time": "05:00"}},
            {"price_components": [{"type": "ENERGY", "price": 0.8, "step_size": 1}]}]}]);
        for site in file["sites"].as_array_mut().unwrap() {
            site["tariff"] = "t".into();
        }
        let file = read_trip_with_wishes(file.to_string().as_bytes()).unwrap();
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        TripToPlan::of_file(file, &here).unwrap()
    }

    #[test]
    fn the_night_is_cheaper_and_minutes_stay() {
        let leavings = hours(&to_plan(), 8, 120.0, &StopSign::default());
        let plans: Vec<(f64, f64)> = leavings.iter().map(|leaving| leaving.plan.unwrap()).collect();
        assert_eq!((leavings.len(), leavings[1].at.hour()), (8, 8));
        let minutes = plans.iter().map(|plan| plan.0);
        let spread = minutes.clone().fold(0.0, f64::max) - minutes.fold(f64::INFINITY, f64::min);
        // Prices do not slow anybody who counts time alone: hours differ by what the coarse grid leaves.
        assert!(spread < 2.0, "{plans:?}");
        let least = plans.iter().map(|plan| plan.1).fold(f64::INFINITY, f64::min);
        assert!(least < 0.5 * plans[0].1 && plans[7].1 == least, "{plans:?}");
    }
}
