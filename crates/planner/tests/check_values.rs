//! Figures that people in the trade would check first. Each names its source.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use spare_hour_core::charging::profile::Profile;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Voltage};
use spare_hour_core::trip::{Boost, Price, Vehicle};
use support::{car, segment, site, solve, trip};

fn soc(percent: f64) -> Soc {
    Soc::percent(percent)
}

/// A car that takes whatever the site gives.
fn hungry(usable: f64, loss: f64) -> Vehicle {
    Vehicle {
        usable: Energy::kwh(usable),
        charge_curve: Profile::constant(1_000.0),
        charge_loss_percent: loss,
        pack_voltage: None,
        boost: None,
    }
}

#[test]
fn one_c_fills_in_an_hour() {
    // Common practice, no published source: 1 C is the power that fills the usable capacity in an hour.
    let stall = Stall::new(&hungry(63.0, 0.0), &site(0, 0.0, 63.0));
    assert!((stall.minutes(soc(0.0), soc(100.0)).get() - 60.0).abs() < 1e-9);
    let stall = Stall::new(&hungry(63.0, 0.0), &site(0, 0.0, 126.0));
    assert!((stall.minutes(soc(0.0), soc(100.0)).get() - 30.0).abs() < 1e-9);
}

#[test]
fn the_cut_from_500_to_400_amperes() {
    // Common practice, no published source: 500 A at 341 to 353 V are 170.5 to 176.5 kW; after the cut to 400 A about
    // 141 kW. Full current lasts 7 to 10 minutes from wherever the charge starts below about half.
    let volts = Profile::new(vec![(0.0, 341.0), (100.0, 353.0)]).unwrap();
    let boosted = Boost { time: Minutes::new(10.0), max_start: soc(50.0), charge_curve: volts.scaled(0.5) };
    let car = Vehicle { charge_curve: volts.scaled(0.4), boost: Some(boosted), ..hungry(75.0, 0.0) };
    let stall = Stall::new(&car, &site(0, 0.0, 400.0));
    let kw = |now, minute| stall.power_at(soc(5.0), soc(now), Minutes::new(minute)).get();
    assert!((kw(0.0, 0.0) - 170.5).abs() < 1e-9 && (kw(100.0, 9.0) - 176.5).abs() < 1e-9);
    assert!((kw(100.0, 10.0) - 141.2).abs() < 1e-9);
    // The current limit of a site says the same as a curve of volts times amperes.
    let limited = Vehicle { pack_voltage: Some(volts), ..hungry(75.0, 0.0) };
    let mut at_site = site(0, 0.0, 400.0);
    at_site.max_current = Some(Current::amps(400.0));
    let by_amps = Stall::new(&limited, &at_site).minutes(soc(50.1), soc(80.0));
    assert!((by_amps.get() - stall.minutes(soc(50.1), soc(80.0)).get()).abs() < 1e-9);
}

#[test]
fn a_one_phase_car_on_a_three_phase_post() {
    // Common practice, no published source: a third, about 7 kW of 22. Arithmetic: 1 × 32 A × 230 V = 7.4 kW.
    let phase = Voltage::volts(230.0) * Current::amps(32.0);
    assert!((phase * 3.0 / Power::kw(22.0) - 1.0).abs() < 0.01);
    let hours = (Energy::kwh(60.0) * 0.7 / phase).get() / 60.0;
    assert!((hours - 5.7).abs() < 0.05, "{hours}");
}

#[test]
fn a_receipt_is_of_what_leaves_the_plug() {
    // Common practice, no published source: 29.091 kWh at 0.60 are 17.45. By hand: 26.473 stored, 9 % lost on the way.
    let points = 100.0 * 29.091 * 0.91 / 74.0;
    let mut trip = trip(car(), 100.0, vec![site(0, 0.0, 150.0)]);
    trip.sites[0].off_route = Distance::km(0.0);
    trip.sites[0].price = Price { per_kwh: 0.60, per_min: 0.0, per_session: 0.0 };
    trip.goal.start = soc(30.0);
    trip.goal.arrival = soc(30.0 + points - 100.0 * 20.0 / 74.0);
    let planner = solve(&trip).unwrap();
    let stop = &planner.best().plan.stops[0];
    assert!((stop.plug.get() - 29.091).abs() < 0.001, "{}", stop.plug);
    assert!((stop.cost - 17.45).abs() < 0.005, "{}", stop.cost);
}

#[test]
fn a_rising_floor_of_losses_costs_minutes_only_where_the_charger_limits() {
    // By hand: with 10 % loss a 100 kW site puts 90 kW into the battery; a car that takes 60 kW does not notice.
    let minutes = |limit: f64, loss: f64| {
        let car = Vehicle { charge_curve: Profile::constant(limit), ..hungry(60.0, loss) };
        Stall::new(&car, &site(0, 0.0, 100.0)).minutes(soc(20.0), soc(80.0)).get()
    };
    assert!((minutes(300.0, 10.0) - 24.0).abs() < 1e-9);
    assert!((minutes(60.0, 10.0) - 36.0).abs() < 1e-9 && (minutes(60.0, 0.0) - 36.0).abs() < 1e-9);
}

#[test]
fn range_at_a_steady_speed() {
    // Arithmetic: 55 kWh at 141 Wh/km are 390 km, whatever the car's own guess.
    let mut trip = trip(hungry(55.0, 0.0), 390.0, vec![]);
    trip.route = spare_hour_core::driving::route::Route::new(vec![segment(390.0, 90.0, 14.1)]);
    (trip.goal.start, trip.goal.arrival) = (soc(100.0), soc(0.0));
    assert!(solve(&trip).unwrap().best().plan.arrival.get() < 0.1);
    trip.route = spare_hour_core::driving::route::Route::new(vec![segment(391.0, 90.0, 14.1)]);
    assert!(solve(&trip).is_err());
}
