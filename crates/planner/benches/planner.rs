//! The planner's speed: `cargo bench -p spare-hour-planner`. Figures are kept in docs/performance.md.

#[path = "../tests/support/mod.rs"]
mod support;

use divan::Bencher;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::quantity::Soc;

fn main() {
    divan::main();
}

/// Kilometres and sites: a day's drive, a long trip, across a continent.
const TRIPS: [(f64, usize); 4] = [(860.0, 12), (1_900.0, 40), (5_000.0, 200), (5_000.0, 400)];

#[divan::bench(args = TRIPS)]
fn plan(bencher: Bencher, (km, sites): (f64, usize)) {
    let trip = support::long_trip(support::car(), km, sites);
    bencher.bench(|| support::solve(&trip).map(|planner| planner.best().gap));
}

#[divan::bench(args = TRIPS)]
fn plan_with_boost(bencher: Bencher, (km, sites): (f64, usize)) {
    let trip = support::long_trip(support::boosted_car(), km, sites);
    bencher.bench(|| support::solve(&trip).map(|planner| planner.best().gap));
}

#[divan::bench(args = [40, 200])]
fn strategies(bencher: Bencher, sites: usize) {
    let trip = support::long_trip(support::car(), 50.0 * sites as f64, sites);
    let Ok(planner) = support::solve(&trip) else { return };
    bencher.bench(|| planner.strategies());
}

#[divan::bench]
fn charging_time_table(bencher: Bencher) {
    let car = support::car();
    bencher.bench(|| ChargingTime::new(&car.charge_curve, car.usable));
}

#[divan::bench]
fn charging_time_thousand_times(bencher: Bencher) {
    let car = support::car();
    let time = ChargingTime::new(&car.charge_curve, car.usable);
    bencher.bench(|| {
        (0..1000).map(|i| time.minutes(Soc::percent(5.0), Soc::percent(f64::from(i) / 10.0)).get()).sum::<f64>()
    });
}
