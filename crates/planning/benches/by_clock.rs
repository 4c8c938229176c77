//! A trip by its clock over the number of sites and of tariffs, its best plan and its whole trade: `cargo bench -p
//! spare-hour-planning`. Figures are kept in docs/performance.md.

use divan::Bencher;
use serde_json::{Value, json};
use spare_hour_formats::{TripOfFile, read_trip_with_wishes};
use spare_hour_planner::StopSign;
use spare_hour_planning::clock::Here;
use spare_hour_planning::trade_trip::TradedTrip;

fn main() {
    divan::main();
}

const KM_BETWEEN: f64 = 34.0;

/// Sites and tariffs.
const TRIPS: [(usize, usize); 6] = [(10, 5), (20, 1), (20, 5), (20, 10), (40, 1), (40, 5)];

#[divan::bench(args = TRIPS, sample_count = 10)]
fn best_plan(bencher: Bencher, (sites, tariffs): (usize, usize)) {
    let (file, here) = (trip(sites, tariffs), Here::of_this_machine());
    bencher.bench_local(|| {
        TradedTrip::of_file(&file, &here, false, &StopSign::default()).map(|traded| traded.trade.plans.len())
    });
}

#[divan::bench(args = TRIPS, sample_count = 3, sample_size = 1)]
fn whole_trade(bencher: Bencher, (sites, tariffs): (usize, usize)) {
    let (file, here) = (trip(sites, tariffs), Here::of_this_machine());
    bencher.bench_local(|| {
        TradedTrip::of_file(&file, &here, true, &StopSign::default()).map(|traded| traded.trade.plans.len())
    });
}

/// An invented trip: a site each 34 km, a third of them closed at night, prices by the hour of so many tariffs.
fn trip(sites: usize, tariffs: usize) -> TripOfFile {
    let mut random = fastrand::Rng::with_seed(7);
    let all: Vec<Value> = (0..sites).map(|index| site(index, tariffs, &mut random)).collect();
    let file = json!({
        "format": "spare-hour/trip", "version": 2, "departure": "2026-12-18T14:30", "time_zone": "Europe/Lisbon",
        "tariffs": (0..tariffs).map(tariff).collect::<Vec<_>>(),
        "vehicle": {"usable_kwh": 74, "charge_loss_percent": 7, "charge_curve": [
            {"soc": 0, "kw": 90}, {"soc": 10, "kw": 180}, {"soc": 50, "kw": 130}, {"soc": 80, "kw": 60}, {"soc": 100, "kw": 5}
        ]},
        "route": {"segments": [{"km": KM_BETWEEN * (sites + 1) as f64, "kmh": 115, "kwh_per_100km": 21}]},
        "sites": all,
        "goal": {"start_soc": 90, "min_soc": 10, "arrival_soc": 15, "max_soc": 100},
    });
    read_trip_with_wishes(file.to_string().as_bytes()).expect("the invented trip reads")
}

fn site(index: usize, tariffs: usize, random: &mut fastrand::Rng) -> Value {
    let hours = if index.is_multiple_of(3) { "Mo-Su 06:00-22:00" } else { "24/7" };
    let power = [50, 150, 300][random.usize(0..3)];
    json!({
        "id": format!("s{index}"), "at_km": KM_BETWEEN * (index + 1) as f64, "overhead_min": random.u32(3..9),
        "max_kw": power, "tariff": format!("t{}", random.usize(0..tariffs)),
        "opening_hours": hours,
    })
}

/// A tariff with a night price; each is a little dearer than the one before.
fn tariff(index: usize) -> Value {
    let energy = |price: f64| json!([{"type": "ENERGY", "price": price, "step_size": 1}]);
    let (day, night) = (0.5 + 0.04 * index as f64, 0.35 + 0.03 * index as f64);
    json!({"country_code": "XX", "party_id": "INV", "id": format!("t{index}"), "currency": "EUR",
        "last_updated": "2026-01-01T00:00:00Z", "elements": [
        {"price_components": energy(night), "restrictions": {"start_time": "21:00", "end_time": "07:00"}},
        {"price_components": energy(day)},
    ]})
}
