//! The store as its users meet it: what is kept is found again, and nothing is harmed on the way.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use spare_hour_core::profile::Profile;
use spare_hour_core::quantity::{Consumption, Current, Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::route::Segment;
use spare_hour_core::session::{Conditions, Meter, Reading, Session};
use spare_hour_core::trip::{Boost, Goal, Price, Site};
use spare_hour_store::{NewCar, NewCurve, NewSession, NewTrip, Store, StoreError};

fn car() -> NewCar {
    NewCar {
        name: "Test car".into(),
        usable: Energy::kwh(74.0),
        rated_range: Some(Distance::km(480.0)),
        charge_loss_percent: 9.0,
        pack_voltage: Some(Profile::new(vec![(0.0, 320.0), (100.0, 400.0)]).unwrap()),
        boost: Some(Boost {
            time: Minutes::new(8.0),
            max_start: Soc::percent(50.0),
            charge_curve: Profile::constant(190.0),
        }),
    }
}

fn session(readings: usize) -> NewSession {
    let reading = |i: usize| Reading {
        elapsed: Minutes::new(i as f64 / 6.0),
        soc: Soc::percent(10.0 + 80.0 * i as f64 / readings as f64),
        power: (!i.is_multiple_of(3)).then(|| Power::kw(120.0)),
        note: (i == 1).then(|| "it's \"hot\"; naïve".to_string()),
        ..Reading::default()
    };
    let conditions = Conditions {
        meter: Meter::Car,
        site_current: Some(Current::amps(400.0)),
        other: vec![("weather".into(), "fog".into())],
        ..Conditions::default()
    };
    NewSession {
        car: None,
        name: "Full charge".into(),
        source_name: "full.csv".into(),
        source_text: "elapsed,soc\n".into(),
        session: Session { readings: (0..readings).map(reading).collect(), conditions },
    }
}

fn trip(car: i32) -> NewTrip {
    let site = Site {
        id: "a".into(),
        name: "A".into(),
        at: Distance::km(80.0),
        off_route: Distance::km(1.0),
        off_route_speed: Speed::kmh(50.0),
        max_power: Power::kw(150.0),
        max_current: None,
        overhead: Minutes::new(5.0),
        price: Price { per_kwh: 0.5, per_min: 0.1, per_session: 1.0 },
    };
    let segment = Segment {
        length: Distance::km(200.0),
        speed: Speed::kmh(110.0),
        consumption: Consumption::kwh_per_100km(19.0),
    };
    NewTrip {
        name: "There".into(),
        car,
        currency: "cr".into(),
        segments: vec![segment; 3],
        sites: vec![site],
        goal: Goal {
            start: Soc::percent(90.0),
            floor: Soc::percent(10.0),
            arrival: Soc::percent(15.0),
            ceiling: Soc::percent(100.0),
            value_of_time_per_hour: None,
        },
    }
}

#[test]
fn a_second_start_finds_everything_again() {
    let directory = tempfile::tempdir().unwrap();
    let (car_id, session_id, trip_id, curve_id);
    {
        let store = Store::open(directory.path()).unwrap();
        car_id = store.add_car(&car()).unwrap();
        session_id = store.add_session(&NewSession { car: Some(car_id), ..session(5_000) }).unwrap();
        let curve = NewCurve {
            car: car_id,
            session: Some(session_id),
            name: "warm".into(),
            power: Profile::constant(100.0),
            measured: Some((Soc::percent(10.0), Soc::percent(90.0))),
        };
        curve_id = store.add_curve_in_use(&curve).unwrap();
        trip_id = store.add_trip(&trip(car_id)).unwrap();
    }
    let store = Store::open(directory.path()).unwrap();
    let found = store.car(car_id).unwrap();
    assert_eq!((found.about.boost, found.about.pack_voltage), (car().boost, car().pack_voltage));
    assert_eq!(found.curve, Some(curve_id));
    assert_eq!(store.session(session_id).unwrap().about.session, session(5_000).session);
    assert_eq!(store.curves_of(car_id).unwrap().len(), 1);
    let about = store.trip(trip_id).unwrap().about;
    assert_eq!((about.segments, about.sites, about.goal), (trip(1).segments, trip(1).sites, trip(1).goal));
    let line = store.sessions().unwrap().remove(0);
    assert_eq!((line.readings, line.soc.0), (5_000, 10.0));
    let line = store.trips().unwrap().remove(0);
    assert_eq!((line.km, line.sites), (600.0, 1));
}

#[test]
fn a_file_of_a_newer_version_is_refused_and_unharmed() {
    let directory = tempfile::tempdir().unwrap();
    let path = Store::open(directory.path()).unwrap().path().to_path_buf();
    let mut raw = SqliteConnection::establish(&path.to_string_lossy()).unwrap();
    raw.batch_execute(
        "INSERT INTO __diesel_schema_migrations (version) VALUES ('2999-01-01-000000'); PRAGMA wal_checkpoint(TRUNCATE);",
    )
    .unwrap();
    drop(raw);
    let before = std::fs::read(&path).unwrap();
    let Err(error) = Store::open(directory.path()) else { panic!("a newer file was opened") };
    assert!(matches!(error, StoreError::Newer { .. }), "{error}");
    assert!(error.to_string().contains("newer version of Spare Hour"), "{error}");
    assert_eq!(std::fs::read(&path).unwrap(), before);
}

#[test]
fn what_is_no_database_is_refused_and_unharmed() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("spare-hour.db");
    std::fs::write(&path, "my notes, nothing else, and quite a lot of them".repeat(40)).unwrap();
    let before = std::fs::read(&path).unwrap();
    assert!(matches!(Store::open(directory.path()), Err(StoreError::Unusable { .. })));
    assert_eq!(std::fs::read(&path).unwrap(), before);
    let file = directory.path().join("spare-hour.db").join("below a file");
    assert!(matches!(Store::open(&file), Err(StoreError::Unusable { .. })));
}

#[test]
fn settings_hold_on_every_connection() {
    #[derive(QueryableByName)]
    struct Setting {
        #[diesel(sql_type = diesel::sql_types::Text)]
        journal_mode: String,
    }
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let mut raw = SqliteConnection::establish(&store.path().to_string_lossy()).unwrap();
    let mode: Setting = diesel::sql_query("PRAGMA journal_mode").get_result(&mut raw).unwrap();
    assert_eq!(mode.journal_mode, "wal");
    // Foreign keys are on: a curve of no car and a trip of no car are refused, and nothing of the trip stays.
    assert!(store.add_trip(&trip(99)).is_err());
    assert!(store.trips().unwrap().is_empty());
    let curve = NewCurve { car: 99, session: None, name: String::new(), power: Profile::constant(1.0), measured: None };
    assert!(store.add_curve_in_use(&curve).is_err());
}

#[test]
fn what_is_not_there_is_named() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.session(7).unwrap_err().to_string(), "there is no session 7");
    assert_eq!(store.trip(7).unwrap_err().to_string(), "there is no trip 7");
    assert_eq!(store.car(7).unwrap_err().to_string(), "there is no car 7");
    assert!(matches!(store.change_goal(7, 1, &trip(1).goal), Err(StoreError::NotFound { .. })));
    let (first, second) = (store.add_car(&car()).unwrap(), store.add_car(&car()).unwrap());
    let curve = NewCurve { car: first, session: None, name: "x".into(), power: Profile::constant(1.0), measured: None };
    let curve = store.add_curve(&curve).unwrap();
    assert!(matches!(store.use_curve(second, curve), Err(StoreError::NotFound { .. })));
}

#[test]
fn a_goal_without_a_value_of_time_forgets_the_old_one() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let with = Goal { value_of_time_per_hour: Some(20.0), ..trip(car).goal };
    let id = store.add_trip(&NewTrip { goal: with, ..trip(car) }).unwrap();
    store.change_goal(id, car, &trip(car).goal).unwrap();
    assert_eq!(store.trip(id).unwrap().about.goal.value_of_time_per_hour, None);
}

#[test]
fn many_write_at_once_and_none_is_lost() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let writers: Vec<_> = (0..8)
        .map(|_| {
            let store = store.clone();
            std::thread::spawn(move || (0..5).map(|_| store.add_session(&session(300)).unwrap()).collect::<Vec<i32>>())
        })
        .collect();
    let mut ids: Vec<i32> = writers.into_iter().flat_map(|writer| writer.join().unwrap()).collect();
    ids.sort_unstable();
    ids.dedup();
    assert_eq!(ids.len(), 40);
    assert!(store.sessions().unwrap().iter().all(|line| line.readings == 300));
}

#[test]
fn the_longest_session_is_kept_whole() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let long = session(spare_hour_core::session::MOST_READINGS);
    let id = store.add_session(&long).unwrap();
    assert_eq!(store.session(id).unwrap().about.session.readings, long.session.readings);
}
