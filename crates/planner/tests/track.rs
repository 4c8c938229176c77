//! A track over a pass: energy against physics by hand, and a planner that does not run out below the summit.

#![allow(missing_docs, clippy::unwrap_used)]

use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::consumption_fit::{Body, ConsumptionFit};
use spare_hour_core::driving::road::RoadConditions;
use spare_hour_core::driving::route::Route;
use spare_hour_core::driving::track::{Track, TrackPoint};
use spare_hour_core::driving::track_stretches::track_stretches;
use spare_hour_core::quantity::{Distance, Energy, Height, Mass, Minutes, Soc, Speed, Temperature};
use spare_hour_core::trip::{Goal, Trip, TripDraft, Vehicle};
use spare_hour_planner::Planner;

/// North for so many km, over a summit in the middle, a point every 50 m with noise of ±3 m in height.
fn pass(km: f64, summit: f64) -> Track {
    let count = (km / 0.05) as usize;
    let point = |index: usize| {
        let share = index as f64 / count as f64;
        let noise = 6.0 * ((index * 7919 % 104_729) as f64 / 104_729.0 - 0.5);
        TrackPoint {
            latitude: 46.0 + share * km / 111.195,
            longitude: 8.0,
            height: Some(Height::metres(500.0 + summit * (1.0 - (2.0 * share - 1.0).abs()) + noise)),
            time: None,
        }
    };
    Track::new((0..=count).map(point).collect()).unwrap()
}

fn car() -> ConsumptionFit {
    ConsumptionFit::new(&[], Energy::kwh(60.0), Body { mass: Mass::kg(1920.0), drag_area: 0.62 })
}

fn conditions(wind: f64, wind_from: f64, wet: bool) -> RoadConditions {
    RoadConditions {
        speed: Speed::kmh(60.0),
        outside: Temperature::celsius(18.0),
        wind: Speed::kmh(wind),
        wind_from,
        headwind: Speed::kmh(0.0),
        wet,
        load: Mass::kg(0.0),
        heating: None,
    }
}

fn route(track: &Track, conditions: &RoadConditions) -> Route {
    Route::new(track_stretches(track).iter().map(|stretch| stretch.segment(&car(), conditions, conditions)).collect())
}

fn energy(track: &Track, conditions: &RoadConditions) -> (f64, f64) {
    let route = route(track, conditions);
    let half = Distance::km(track.length().get() / 2.0);
    (route.net(Distance::km(0.0), half).get(), route.net(half, track.length()).get())
}

#[test]
fn energy_up_and_down_is_physics_within_one_percent() {
    let (up, down) = energy(&pass(40.0, 1_200.0), &conditions(0.0, 0.0, false));
    // By hand: 2,000 kg up 1,200 m are 23.536 MJ = 6.538 kWh, over 0.9 = 7.264; down it gives back 0.65 of them = 4.250. The
    // level road: drag ½·ρ·(0.62/0.88)·16.667² and rolling (0.01/0.88)·2000·9.80665 over 20 km. At 1,100 m, the mean height, pressure is
    // 101325·(1 − 0.0065·1100/288.15)^5.2559 = 88,790 Pa and ρ = 88790/(287.053·291.15) = 1.0624: (103.9 + 222.9) N · 20 km
    // = 1.816 kWh; half a kW for 20 min = 0.167.
    let level = 1.816 + 0.167;
    assert!((up / (level + 7.264) - 1.0).abs() < 0.01, "{up} for {}", level + 7.264);
    assert!((down / (level - 4.250) - 1.0).abs() < 0.02, "{down} for {}", level - 4.250);
}

#[test]
fn wind_counts_by_its_direction_and_wet_roads_cost() {
    let road = pass(40.0, 0.0);
    let whole = |wind, from, wet| {
        let (there, back) = energy(&road, &conditions(wind, from, wet));
        there + back
    };
    let still = whole(0.0, 0.0, false);
    // The road runs north: wind from the north is against it, from the east beside it.
    assert!(whole(30.0, 0.0, false) > 1.2 * still && whole(30.0, 180.0, false) < 0.9 * still);
    assert!((whole(30.0, 90.0, false) / still - 1.0).abs() < 1e-6);
    // By hand: rolling is 222.9 N over 40 km = 2.477 kWh, 12 % of it 0.297.
    assert!((whole(0.0, 0.0, true) - still - 0.297).abs() < 0.01);
}

#[test]
fn the_planner_refuses_to_run_out_below_the_summit() {
    let road = pass(40.0, 1_200.0);
    let vehicle = Vehicle {
        usable: Energy::kwh(60.0),
        charge_curve: Profile::constant(100.0),
        charge_loss_percent: 8.0,
        pack_voltage: None,
        boost: None,
    };
    assert!(
        ChargingTime::new(&vehicle.charge_curve, vehicle.usable).minutes(Soc::percent(0.0), Soc::percent(50.0))
            > Minutes::new(0.0)
    );
    let draft = |start: f64| TripDraft {
        name: "Pass".into(),
        vehicle: vehicle.clone(),
        route: route(&road, &conditions(0.0, 0.0, false)),
        sites: Vec::new(),
        goal: Goal {
            start: Soc::percent(start),
            floor: Soc::percent(0.0),
            arrival: Soc::percent(0.0),
            ceiling: Soc::percent(100.0),
            on_way: None,
            value_of_time_per_hour: None,
        },
    };
    let trip = |start: f64| Trip::new(draft(start)).unwrap();
    // By hand: 9.33 kWh to the summit are 15.5 % of the battery, 2.2 come back; net it is 7.1 kWh, 11.9 %.
    assert!(Planner::new(trip(14.5)).is_err());
    let planner = Planner::new(trip(16.5)).unwrap();
    assert!(planner.best().plan.arrival.get() > 3.5 && planner.best().plan.stops.is_empty());
}
