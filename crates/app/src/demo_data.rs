//! The demo data: an invented country's roads, cars and prices.

use anyhow::Context;
use spare_hour_core::charging::ac_charge::{OnBoardCharger, Post};
use spare_hour_core::charging::curve_fit::FittedCurve;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::driving::road::{Road, RoadConditions, Stretch};
use spare_hour_core::driving::track::{Track, TrackPoint};
use spare_hour_core::quantity::{
    Consumption, Current, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature, Voltage,
};
use spare_hour_core::session::distance_base::Distances;
use spare_hour_core::trip::{Goal, Trip};
use spare_hour_formats::{
    read_drives, read_road, read_session, read_sites, read_tariffs, read_trip, read_trip_file, write_tariff,
    write_track,
};
use spare_hour_planning::keep_trip::keep_trip;
use spare_hour_store::{NewCurve, NewSession, NewTariff, NewTrip, Store, StoredMembership};

/// What every page of the demo says of its data.
pub const NOTICE: &str = "demo data: invented places, cars and prices";
const TRIP: &str = include_str!("../demo/tamsby-ferrow-quay.json");
/// A day and a half: a lunch, a night beside a one-phase car's post, prices by hour, sites that close.
const TWO_DAYS: &str = include_str!("../demo/two-days-to-saltern.json");
/// Name, file name and text of each session; the first is the one that plans use.
const SESSIONS: [(&str, &str, &str); 3] = [
    ("Avel 74, warm, full", "avel-warm-full.csv", include_str!("../demo/avel-warm-full.csv")),
    ("Avel 74, cold, −7 °C", "avel-cold.csv", include_str!("../demo/avel-cold.csv")),
    ("Avel 74, warm, from 40 %", "avel-from-40.csv", include_str!("../demo/avel-from-40.csv")),
];
/// The road over a pass, and the sites along it.
const PASS_ROAD: &str = include_str!("../demo/aldern-road.csv");
const PASS_SITES: &str = include_str!("../demo/aldern-sites.csv");
/// What two networks ask.
const TARIFFS: &str = include_str!("../demo/tariffs.json");
/// A year of the first car's drives.
const DRIVES: &str = include_str!("../demo/avel-drives.csv");
/// A night of the second car at a post: name, file name and text.
const NIGHT: (&str, &str, &str) =
    ("Brae 58, a night at a 22 kW post", "brae-ac.csv", include_str!("../demo/brae-ac.csv"));
/// The second car: a lower peak that it holds for long. Power into the battery, kW over SoC.
const BRAE_CURVE: [(f64, f64); 7] =
    [(0.0, 70.0), (5.0, 108.0), (60.0, 112.0), (75.0, 96.0), (85.0, 60.0), (95.0, 22.0), (100.0, 3.0)];

/// Writes the demo data into an empty store.
///
/// # Errors
/// When the store refuses.
pub fn fill(store: &Store) -> anyhow::Result<()> {
    let trip = read_trip(TRIP.as_bytes())?;
    let avel = store.add_car(&KnownCar {
        distances: Distances {
            rated: Some(Distance::km(455.0)),
            constant_speed: Some((Distance::km(362.0), Speed::kmh(120.0))),
            own: Some(Consumption::kwh_per_100km(18.4)),
        },
        on_board: Some(OnBoardCharger { loss_percent: Some(11.0), ..OnBoardCharger::new(3, Power::kw(11.0)) }),
        mass: Some(Mass::kg(1970.0)),
        drag_area: Some(0.60),
        pack_voltage: trip.vehicle.pack_voltage.clone(),
        home: Some(HomePost {
            post: Post { phases: 1, voltage: Voltage::volts(230.0), current: Current::amps(16.0) },
            night: Minutes::new(540.0),
            limit: Soc::percent(80.0),
        }),
        ..KnownCar::new("Avel 74", trip.vehicle.usable, trip.vehicle.charge_loss_percent)
    })?;
    let mut in_use = None;
    for (name, file, text) in SESSIONS {
        let curve = add_session(store, avel, trip.vehicle.usable, [name, file, text])?;
        in_use.get_or_insert(curve);
    }
    if let Some(curve) = in_use {
        store.use_curve(avel, curve)?;
    }
    store.add_drives(avel, &read_drives(DRIVES.as_bytes())?)?;
    let brae = add_brae(store)?;
    let trip_id = store.add_trip(&demo_trip(&trip, avel), None)?;
    add_tariffs(store, trip_id, &trip)?;
    let pass = pass_trip(&trip, avel)?;
    store.add_trip(&pass, pass_track(&pass.road.stretches).as_ref().map(write_track).as_deref())?;
    keep_trip(store, read_trip_file(TWO_DAYS.as_bytes())?, Some(brae), "cr")?;
    Ok(())
}

fn add_session(store: &Store, car: i32, usable: Energy, [name, file, text]: [&str; 3]) -> anyhow::Result<i32> {
    let new = new_session(car, [name, file, text])?;
    let curve = FittedCurve::new(&new.session, usable)?;
    let id = store.add_session(&new)?;
    let new = NewCurve {
        session: Some(id),
        measured: Some(curve.measured),
        explained: "fitted to this session alone: shape by its powers, height by its clock".into(),
        ..NewCurve::new(car, name, curve.power)
    };
    Ok(store.add_curve(&new)?)
}

/// Two networks' tariffs; the first is asked at its sites of the trip, and has a membership.
fn add_tariffs(store: &Store, trip_id: i32, trip: &Trip) -> anyhow::Result<()> {
    let mut ids = Vec::new();
    for tariff in read_tariffs(TARIFFS.as_bytes())? {
        let ocpi = write_tariff(&tariff, &tariff.name);
        ids.push(store.add_tariff(&NewTariff { name: tariff.name, currency: tariff.currency, ocpi })?);
    }
    let network = ids.first().context("the demo has tariffs")?;
    let of_network = trip.sites.iter().filter(|site| site.name.ends_with("Ostrel"));
    let sites: Vec<String> = of_network.map(|site| site.id.clone()).collect();
    store.ask_tariff(trip_id, &sites, *network)?;
    store.add_membership(
        *network,
        &StoredMembership {
            id: 0,
            name: "Ostrel Regular".into(),
            monthly_fee: "6".into(),
            percent_off: Some("20".into()),
            own_tariff: None,
        },
    )?;
    Ok(())
}

fn new_session(car: i32, [name, file, text]: [&str; 3]) -> anyhow::Result<NewSession> {
    let session = read_session(text).map_err(|errors| anyhow::anyhow!("{file}: {errors:?}"))?;
    let (name, source_name, source_text) = (name.into(), file.into(), text.into());
    Ok(NewSession { car: Some(car), name, source_name, source_text, session })
}

fn add_brae(store: &Store) -> anyhow::Result<i32> {
    let brae = store.add_car(&KnownCar {
        distances: Distances { rated: Some(Distance::km(385.0)), ..Distances::default() },
        on_board: Some(OnBoardCharger { loss_percent: Some(10.0), ..OnBoardCharger::new(1, Power::kw(7.4)) }),
        pack_voltage: Some(Profile::new(vec![(0.0, 560.0), (100.0, 690.0)])?),
        ..KnownCar::new("Brae 58", Energy::kwh(58.0), 7.0)
    })?;
    let curve = NewCurve::new(brae, "typed from a magazine’s table", Profile::new(BRAE_CURVE.to_vec())?);
    store.add_curve_in_use(&NewCurve { explained: "typed from a table, not measured".into(), ..curve })?;
    store.add_session(&new_session(brae, [NIGHT.0, NIGHT.1, NIGHT.2])?)?;
    Ok(brae)
}

fn demo_trip(trip: &Trip, car: i32) -> NewTrip {
    NewTrip {
        name: trip.name.clone(),
        car,
        currency: "cr".into(),
        road: Road::of_segments(trip.route.segments()),
        sites: trip.sites.clone(),
        goal: trip.goal,
    }
}

/// A winter's day over a pass, on a road whose consumption follows from its slopes and the weather.
fn pass_trip(like: &Trip, car: i32) -> anyhow::Result<NewTrip> {
    let conditions = RoadConditions {
        outside: Temperature::celsius(-4.0),
        wind: Speed::kmh(25.0),
        wind_from: 60.0,
        load: Mass::kg(140.0),
        ..RoadConditions::default()
    };
    Ok(NewTrip {
        name: "Over the Aldern in winter".into(),
        car,
        currency: "cr".into(),
        road: Road { stretches: read_road(PASS_ROAD.as_bytes())?, conditions },
        sites: read_sites(PASS_SITES.as_bytes())?,
        goal: Goal { start: Soc::percent(60.0), arrival: Soc::percent(25.0), ..like.goal },
    })
}

/// An invented track of the pass, somewhere at sea: a kilometre at a time where its stretches lead, winding a little.
fn pass_track(stretches: &[Stretch]) -> Option<Track> {
    let (mut latitude, mut longitude) = (41.0_f64, -32.0_f64);
    let mut height = stretches.first()?.height.get();
    let mut points = Vec::new();
    let mut walked = 0.0_f64;
    for stretch in stretches {
        let steps = stretch.length.get().round().max(1.0);
        let (step, rise) = (stretch.length.get() / steps, (stretch.climb.get() - stretch.descent.get()) / steps);
        for _ in 0..steps as usize {
            let point = TrackPoint { latitude, longitude, height: Some(Height::metres(height)), time: None };
            points.push(point);
            let toward = stretch.heading.map_or(0.0, |heading| heading.toward) + 35.0 * (walked / 7.0).sin();
            // A degree of latitude is 111.195 km on a sphere of 6,371 km.
            latitude += step * toward.to_radians().cos() / 111.195;
            longitude += step * toward.to_radians().sin() / (111.195 * latitude.to_radians().cos());
            (height, walked) = (height + rise, walked + step);
        }
    }
    points.push(TrackPoint { latitude, longitude, height: Some(Height::metres(height)), time: None });
    Track::new(points)
}
