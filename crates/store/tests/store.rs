//! The store as its users meet it: what is kept is found again, and nothing is harmed on the way.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

use std::io::Cursor;

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use spare_hour_core::charging::ac_charge::{OnBoardCharger, Post};
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::driving::road::{Heading, OwnConditions, Road, RoadConditions, Stretch};
use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, DistanceUnit, TemperatureUnit, Units};
use spare_hour_core::quantity::{
    Consumption, Current, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature, Voltage,
};
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::session::{Conditions, Forecast, Meter, Reading, Session};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::{Boost, Goal, Price, Site};
use spare_hour_store::{
    MovedPoint, NewCurve, NewLiveCharge, NewSession, NewTariff, NewTrip, Settings, Store, StoreError, StoredMatching,
    StoredMembership,
};

fn car() -> KnownCar {
    KnownCar {
        distances: Distances {
            rated: Some(Distance::km(480.0)),
            constant_speed: Some((Distance::km(390.0), Speed::kmh(120.0))),
            own: Some(Consumption::kwh_per_100km(17.5)),
        },
        distance_base: DistanceBase::Own,
        on_board: Some(OnBoardCharger {
            current: Some(Current::amps(16.0)),
            loss_percent: Some(11.5),
            ..OnBoardCharger::new(3, Power::kw(11.0))
        }),
        mass: Some(Mass::kg(2050.0)),
        drag_area: Some(0.6),
        pack_voltage: Some(Profile::new(vec![(0.0, 320.0), (100.0, 400.0)]).unwrap()),
        boost: Some(Boost {
            time: Minutes::new(8.0),
            max_start: Soc::percent(50.0),
            charge_curve: Profile::constant(190.0),
        }),
        ..KnownCar::new("Test car", Energy::kwh(74.0), 9.0)
    }
}

fn moved_point() -> MovedPoint {
    MovedPoint { soc: Soc::percent(50.0), before: Power::kw(100.0), after: Power::kw(110.0) }
}

fn session(readings: usize) -> NewSession {
    let reading = |i: usize| Reading {
        elapsed: Minutes::new(i as f64 / 6.0),
        soc: Some(Soc::percent(10.0 + 80.0 * i as f64 / readings as f64)),
        power: (!i.is_multiple_of(3)).then(|| Power::kw(120.0)),
        left_out: (i == 2).then(|| "misread".to_string()),
        note: (i == 1).then(|| "it's \"hot\"; naïve".to_string()),
        ..Reading::default()
    };
    let conditions = Conditions {
        meter: Meter::Car,
        site_current: Some(Current::amps(400.0)),
        other: vec![("weather".into(), "fog".into())],
        ambient: Some(Temperature::celsius(-7.0)),
        battery: Some(Temperature::celsius(5.0)),
        preconditioned_for: Some(Minutes::new(45.0)),
        site_voltage: Some(Voltage::volts(920.0)),
        shared_cabinet: Some(false),
        car_on: Some(true),
        adapter: Some("none".into()),
        handshake: Some(Minutes::seconds(19.0)),
        failed_attempts: Some(2),
        phases: Some(3),
        joined: Some("at 91 %".into()),
        forecasts: vec![Forecast {
            at: Minutes::new(5.0),
            by: Meter::Car,
            remaining: Minutes::new(38.0),
            to: Soc::percent(80.0),
        }],
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

/// A road of which one stretch says everything, one nothing and one what it takes.
fn road() -> Road {
    let plain = Stretch::level(Distance::km(200.0));
    let full = Stretch {
        climb: Height::metres(300.0),
        descent: Height::metres(20.0),
        height: Height::metres(800.0),
        heading: Some(Heading { toward: 45.0, straight: 0.9 }),
        own: OwnConditions {
            speed: Some(Speed::kmh(90.0)),
            outside: Some(Temperature::celsius(-3.0)),
            wind: Some(Speed::kmh(20.0)),
            wind_from: Some(180.0),
            wet: Some(true),
            load: Some(Mass::kg(90.0)),
            heating: Some(Power::kw(2.0)),
        },
        ..plain
    };
    let typed = Stretch { typed: Some(Consumption::kwh_per_100km(19.0)), ..plain };
    let conditions = RoadConditions { wet: true, heating: Some(Power::kw(0.5)), ..RoadConditions::default() };
    Road { stretches: vec![full, plain, typed], conditions }
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
        details: SiteDetails {
            stalls: Some(6),
            out_of_order: Some(1),
            wait: Minutes::new(2.0),
            cabinet: Some(2),
            hours: Some("Mo-Fr 06:00-22:00".parse().unwrap()),
            connectors: vec!["4 × IEC_62196_T2_COMBO 150 kW".parse().unwrap(), "CHADEMO".parse().unwrap()],
            facilities: Some("eat".into()),
            note: Some("behind the barn".into()),
            charging: None,
        },
    };
    NewTrip {
        name: "There".into(),
        car,
        currency: "cr".into(),
        road: road(),
        sites: vec![site],
        goal: Goal {
            start: Soc::percent(90.0),
            floor: Soc::percent(10.0),
            arrival: Soc::percent(15.0),
            ceiling: Soc::percent(100.0),
            on_way: None,
            value_of_time_per_hour: None,
        },
    }
}

fn backup(store: &Store) -> String {
    let mut file = Vec::new();
    store.backup(&mut file).unwrap();
    String::from_utf8(file).unwrap()
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
            session: Some(session_id),
            measured: Some((Soc::percent(10.0), Soc::percent(90.0))),
            explained: "by the clock".into(),
            moved: vec![moved_point()],
            ..NewCurve::new(car_id, "warm", Profile::constant(100.0))
        };
        curve_id = store.add_curve_in_use(&curve).unwrap();
        trip_id = store.add_trip(&trip(car_id), None).unwrap();
    }
    let store = Store::open(directory.path()).unwrap();
    let found = store.car(car_id).unwrap();
    assert_eq!(found.about.mass, Some(Mass::kg(2050.0)));
    assert_eq!((found.about.boost, found.about.pack_voltage), (car().boost, car().pack_voltage));
    assert_eq!((found.about.distances, found.about.distance_base), (car().distances, DistanceBase::Own));
    assert_eq!(found.about.on_board, car().on_board);
    let curve = store.curve(curve_id).unwrap().about;
    assert_eq!((curve.explained.as_str(), curve.moved), ("by the clock", vec![moved_point()]));
    assert_eq!(found.curve, Some(curve_id));
    assert_eq!(store.session(session_id).unwrap().about.session, session(5_000).session);
    assert_eq!(store.curves_of(car_id).unwrap().len(), 1);
    let about = store.trip(trip_id).unwrap().about;
    assert_eq!((about.road, about.sites, about.goal), (trip(1).road, trip(1).sites, trip(1).goal));
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
    assert!(store.add_trip(&trip(99), None).is_err());
    assert!(store.trips().unwrap().is_empty());
    let curve = NewCurve::new(99, "", Profile::constant(1.0));
    assert!(store.add_curve_in_use(&curve).is_err());
}

#[test]
fn what_is_not_there_is_named() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.session(7).unwrap_err().to_string(), "there is no session 7");
    assert_eq!(store.trip(7).unwrap_err().to_string(), "there is no trip 7");
    assert_eq!(store.car(7).unwrap_err().to_string(), "there is no car 7");
    assert!(matches!(store.change_goal(7, 1, &trip(1).goal, &road().conditions), Err(StoreError::NotFound { .. })));
    let (first, second) = (store.add_car(&car()).unwrap(), store.add_car(&car()).unwrap());
    let curve = NewCurve::new(first, "x", Profile::constant(1.0));
    let curve = store.add_curve(&curve).unwrap();
    assert!(matches!(store.use_curve(second, curve), Err(StoreError::NotFound { .. })));
}

#[test]
fn a_goal_without_a_value_of_time_forgets_the_old_one() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let with = Goal { value_of_time_per_hour: Some(20.0), ..trip(car).goal };
    let id = store.add_trip(&NewTrip { goal: with, ..trip(car) }, None).unwrap();
    let cold = RoadConditions { outside: Temperature::celsius(-10.0), heating: None, ..RoadConditions::default() };
    store.change_goal(id, car, &trip(car).goal, &cold).unwrap();
    let about = store.trip(id).unwrap().about;
    assert_eq!((about.goal.value_of_time_per_hour, about.road.conditions), (None, cold));
}

#[test]
fn a_trips_road_and_sites_are_changed_and_their_tariffs_stay() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let id = store.add_trip(&trip(car), None).unwrap();
    let tariff = store.add_tariff(&NewTariff { name: "t".into(), currency: "cr".into(), ocpi: "{}".into() }).unwrap();
    store.ask_tariff(id, &["a".into()], tariff).unwrap();
    assert_eq!(store.track(id).unwrap(), None);
    let shorter = &road().stretches[1..];
    store.change_road(id, &[], Some("other")).unwrap();
    store.change_road(id, shorter, None).unwrap();
    assert_eq!(store.track(id).unwrap(), None);
    store.change_road(id, shorter, Some("track")).unwrap();
    let site = Site { name: "Renamed".into(), ..trip(car).sites[0].clone() };
    let another = Site { id: "b".into(), details: SiteDetails::default(), ..site.clone() };
    store.change_sites(id, &[another.clone(), site.clone()]).unwrap();
    store.rename_trip(id, "Back", "kr").unwrap();
    let about = store.trip(id).unwrap().about;
    assert_eq!((about.road.stretches.as_slice(), about.sites), (shorter, vec![another, site]));
    assert_eq!((about.name.as_str(), about.currency.as_str()), ("Back", "kr"));
    assert_eq!(store.track(id).unwrap().as_deref(), Some("track"));
    assert_eq!(store.tariffs_of_sites(id).unwrap(), [("a".to_string(), tariff)].into());
    store.remove_trip(id).unwrap();
    assert!(matches!(store.trip(id), Err(StoreError::NotFound { .. })) && store.trips().unwrap().is_empty());
    assert!(matches!(store.change_sites(id, &[]), Err(StoreError::NotFound { .. })));
    assert!(matches!(store.change_road(id, &[], None), Err(StoreError::NotFound { .. })));
}

#[test]
fn settings_and_a_home_are_kept_and_travel_with_everything() {
    let (directory, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.settings().unwrap(), Settings::default());
    let units = Units {
        distance: DistanceUnit::Miles,
        consumption: ConsumptionUnit::WhPerMile,
        temperature: TemperatureUnit::Fahrenheit,
        clock: ClockFace::Twelve,
    };
    let wanted = Settings { units, currency: "kr".into() };
    store.change_settings(&Settings::default()).unwrap();
    store.change_settings(&wanted).unwrap();
    assert_eq!(store.settings().unwrap(), wanted);
    let id = store.add_car(&car()).unwrap();
    let post = Post { phases: 3, voltage: Voltage::volts(230.0), current: Current::amps(16.0) };
    let home = HomePost { post, night: Minutes::new(540.0), limit: Soc::percent(80.0) };
    store.change_home(id, Some(&home)).unwrap();
    store.change_car(id, &car()).unwrap();
    assert_eq!(store.car(id).unwrap().about.home, Some(home));
    let elsewhere = Store::open(other.path()).unwrap();
    elsewhere.change_settings(&Settings::default()).unwrap();
    elsewhere.restore(Cursor::new(backup(&store))).unwrap();
    assert_eq!((elsewhere.settings().unwrap(), elsewhere.car(id).unwrap().about.home), (wanted, Some(home)));
    store.change_home(id, None).unwrap();
    assert_eq!(store.car(id).unwrap().about.home, None);
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

#[test]
fn a_database_of_the_first_version_keeps_all_it_holds() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("spare-hour.db");
    let mut raw = SqliteConnection::establish(&path.to_string_lossy()).unwrap();
    raw.batch_execute(include_str!("../migrations/2026-11-24-000001_start/up.sql")).unwrap();
    raw.batch_execute(
        "CREATE TABLE __diesel_schema_migrations (version VARCHAR(50) PRIMARY KEY NOT NULL, run_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP);
         INSERT INTO __diesel_schema_migrations (version) VALUES ('20261124000001');
         INSERT INTO cars (name, usable_kwh, rated_range_km, charge_loss_percent) VALUES ('Old', 60.5, 400, 8);
         INSERT INTO sessions (car_id, name, source_name, source_text, meter, site_kw, other)
             VALUES (1, 'First', 'first.csv', 'elapsed,soc', 'car', 150, '[[\"mood\",\"calm\"]]');
         INSERT INTO readings (session_id, position, elapsed_min, soc, power_kw) VALUES (1, 0, 0, 10, 90), (1, 1, 5.5, 20, NULL);
         INSERT INTO curves (car_id, session_id, name, points) VALUES (1, 1, 'First', '[[0,90],[100,5]]');
         UPDATE cars SET curve_id = 1;
         INSERT INTO trips (name, car_id, currency, start_soc, min_soc, arrival_soc, max_soc) VALUES ('Old trip', 1, 'cr', 90, 10, 15, 100);
         INSERT INTO trip_segments VALUES (1, 0, 120.5, 110, 19), (1, 1, 30, 80, -2);
         INSERT INTO trip_sites (trip_id, position, site, name, at_km, off_route_km, off_route_kmh, max_kw, overhead_min, per_kwh, per_min, per_session)
             VALUES (1, 0, 'a', 'A', 60, 1, 50, 150, 5, 0.5, 0, 0);",
    )
    .unwrap();
    drop(raw);
    let store = Store::open(directory.path()).unwrap();
    let found = store.car(1).unwrap();
    assert_eq!((found.about.name.as_str(), found.about.distances.rated), ("Old", Some(Distance::km(400.0))));
    assert_eq!((found.curve, found.about.distance_base), (Some(1), DistanceBase::Rated));
    let session = store.session(1).unwrap().about.session;
    assert_eq!((session.readings.len(), session.readings[1].elapsed.get()), (2, 5.5));
    assert_eq!((session.conditions.meter, session.conditions.site_power), (Meter::Car, Some(Power::kw(150.0))));
    assert_eq!(session.conditions.other, [("mood".to_string(), "calm".to_string())]);
    assert_eq!(store.curve(1).unwrap().about.power.at(0.0), 90.0);
    let trip = store.trip(1).unwrap().about;
    let segment =
        |stretch: &Stretch| (stretch.length.get(), stretch.own.speed.unwrap().get(), stretch.typed.unwrap().get());
    assert_eq!(trip.road.stretches.iter().map(segment).collect::<Vec<_>>(), [(120.5, 110.0, 19.0), (30.0, 80.0, -2.0)]);
    assert_eq!(
        (trip.road.conditions, trip.sites[0].details.clone()),
        (RoadConditions::default(), SiteDetails::default())
    );
    let line = store.sessions().unwrap().remove(0);
    assert_eq!(line.day, line.created_at[..10]);
    assert_eq!((line.readings, line.soc, line.minutes), (2, (10.0, 20.0), 5.5));
}

#[test]
fn a_database_from_before_prices_of_charges_keeps_drives_sessions_and_trips() {
    let earlier = [
        ("20261124000001", include_str!("../migrations/2026-11-24-000001_start/up.sql")),
        ("20261125000001", include_str!("../migrations/2026-11-25-000001_measure/up.sql")),
        ("20261125000002", include_str!("../migrations/2026-11-25-000002_drives/up.sql")),
        ("20261125000003", include_str!("../migrations/2026-11-25-000003_tariffs/up.sql")),
        ("20261125000004", include_str!("../migrations/2026-11-25-000004_settings/up.sql")),
        ("20261125000005", include_str!("../migrations/2026-11-25-000005_roads/up.sql")),
        ("20261125000006", include_str!("../migrations/2026-11-25-000006_month/up.sql")),
        ("20261127000001", include_str!("../migrations/2026-11-27-000001_on_way/up.sql")),
        ("20261127000002", include_str!("../migrations/2026-11-27-000002_power_without_soc/up.sql")),
    ];
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("spare-hour.db");
    let mut raw = SqliteConnection::establish(&path.to_string_lossy()).unwrap();
    raw.batch_execute(
        "CREATE TABLE __diesel_schema_migrations (version VARCHAR(50) PRIMARY KEY NOT NULL, run_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP);",
    )
    .unwrap();
    for (version, up) in earlier {
        raw.batch_execute(up).unwrap();
        raw.batch_execute(&format!("INSERT INTO __diesel_schema_migrations (version) VALUES ('{version}');")).unwrap();
    }
    raw.batch_execute(
        "INSERT INTO cars (name, usable_kwh, charge_loss_percent, ac_phases, ac_kw) VALUES ('Old', 60.5, 8, 3, 11);
         INSERT INTO drives (car_id, day, km, minutes, kwh, note) VALUES (1, '2026-05-01', 182, 101, 33.5, 'wet');
         INSERT INTO drives (car_id, km, minutes, soc_before, soc_after) VALUES (1, 20, 15, 60, 54);",
    )
    .unwrap();
    drop(raw);
    let store = Store::open(directory.path()).unwrap();
    let drives: Vec<Drive> = store.drives_of(1).unwrap().into_iter().map(|kept| kept.drive).collect();
    assert_eq!(drives.len(), 2);
    let first = drives.iter().find(|drive| drive.day.is_some()).unwrap();
    assert_eq!(
        (first.distance, first.time, first.note.as_deref()),
        (Distance::km(182.0), Some(Minutes::new(101.0)), Some("wet"))
    );
    let on_board = store.car(1).unwrap().about.on_board.unwrap();
    assert_eq!(on_board, OnBoardCharger::new(3, Power::kw(11.0)));
    let average = Drive::new(Distance::km(12_400.0), None, Used::Energy(Energy::kwh(2_207.2)));
    store.add_drives(1, std::slice::from_ref(&average)).unwrap();
    assert!(store.drives_of(1).unwrap().iter().any(|kept| kept.drive == average));
}

fn live() -> NewLiveCharge {
    NewLiveCharge {
        car: None,
        name: "Now".into(),
        conditions: vec![("site_kw".into(), "300".into())],
        nonce: "t1".into(),
    }
}

fn events(ids: &[&str]) -> Vec<(String, String)> {
    ids.iter().map(|id| ((*id).to_string(), format!("{{\"id\":\"{id}\"}}"))).collect()
}

#[test]
fn events_are_kept_once_and_in_order() {
    let directory = tempfile::tempdir().unwrap();
    let id = {
        let store = Store::open(directory.path()).unwrap();
        let id = store.begin_charge(&live()).unwrap();
        store.add_events(id, &events(&["b", "a"])).unwrap();
        store.add_events(id, &events(&["a", "c", "b", "d"])).unwrap();
        id
    };
    let store = Store::open(directory.path()).unwrap();
    let lines = store.event_lines(id, 0).unwrap();
    assert_eq!(lines, ["b", "a", "c", "d"].map(|id| format!("{{\"id\":\"{id}\"}}")));
    assert_eq!(store.event_lines(id, 3).unwrap(), lines[3..]);
    assert_eq!(store.event_count(id).unwrap(), 4);
    let token = store.meter_token(&store.charge(id).unwrap()).unwrap();
    assert_eq!((store.charge_of_token(&token).unwrap(), store.charge_of_token("t1").unwrap()), (Some(id), None));
    assert_eq!(store.open_charges().unwrap()[0].about.conditions, live().conditions);
}

#[test]
fn a_charge_becomes_one_session_however_often_it_ends() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let id = store.begin_charge(&live()).unwrap();
    let token = store.meter_token(&store.charge(id).unwrap()).unwrap();
    let became = store.end_charge(id, &session(3)).unwrap();
    assert_eq!(store.end_charge(id, &session(3)).unwrap(), became);
    assert_eq!(store.sessions().unwrap().len(), 1);
    assert!(matches!(store.add_events(id, &events(&["late"])), Err(StoreError::NotFound { .. })));
    assert!(matches!(store.forget_charge(id), Err(StoreError::NotFound { .. })));
    assert_eq!((store.charge_of_token(&token).unwrap(), store.open_charges().unwrap().len()), (None, 0));
    assert_eq!(store.charge(id).unwrap().session, Some(became));
}

#[test]
fn sessions_change_and_go_without_harm_to_curves() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let id = store.add_session(&NewSession { car: Some(car), ..session(4) }).unwrap();
    let curve = NewCurve { session: Some(id), ..NewCurve::new(car, "c", Profile::constant(9.0)) };
    let curve = store.add_curve_in_use(&curve).unwrap();
    store.change_session(id, "Renamed", &Conditions::default()).unwrap();
    store.leave_out_reading(id, 0, Some("smudged")).unwrap();
    store.leave_out_reading(id, 2, None).unwrap();
    let found = store.sessions_of(car).unwrap().remove(0).about;
    assert_eq!((found.name.as_str(), &found.session.conditions), ("Renamed", &Conditions::default()));
    let left_out: Vec<Option<&str>> = found.session.readings.iter().map(|r| r.left_out.as_deref()).collect();
    assert_eq!(left_out, [Some("smudged"), None, None, None]);
    assert!(matches!(store.leave_out_reading(id, 9, None), Err(StoreError::NotFound { .. })));
    store.remove_session(id).unwrap();
    assert!(matches!(store.session(id), Err(StoreError::NotFound { .. })));
    assert_eq!(store.curve(curve).unwrap().about.session, None);
}

#[test]
fn a_car_that_a_trip_needs_stays() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let (needed, free) = (store.add_car(&car()).unwrap(), store.add_car(&car()).unwrap());
    store.add_trip(&trip(needed), None).unwrap();
    let error = store.remove_car(needed).unwrap_err();
    assert_eq!(error.to_string(), format!("car {needed} is still needed: the trip “There” is driven with it"));
    store.remove_car(free).unwrap();
    assert_eq!(store.cars().unwrap().len(), 1);
    let changed = KnownCar { distances: Distances::default(), on_board: None, ..car() };
    store.change_car(needed, &changed).unwrap();
    let found = store.car(needed).unwrap().about;
    assert_eq!((found.distances, found.on_board, found.boost), (Distances::default(), None, car().boost));
}

#[test]
fn a_matching_is_remembered_by_its_names() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let matching = |unit: &str| StoredMatching { targets: vec![Some("soc".into()), None], time_unit: unit.into() };
    store.remember_matching("a|b", &matching("minutes")).unwrap();
    store.remember_matching("a|b", &matching("hours")).unwrap();
    assert_eq!(store.matching("a|b").unwrap(), Some(matching("hours")));
    assert_eq!(store.matching("a|c").unwrap(), None);
}

#[test]
fn drives_are_kept_in_order_of_their_days() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let bare = Drive::new(Distance::km(40.0), Minutes::new(30.0), Used::Soc(Soc::percent(80.0), Soc::percent(70.0)));
    let full = Drive {
        day: Some("2026-05-01".into()),
        used: Used::Energy(Energy::kwh(8.5)),
        outside: Some(Temperature::celsius(-7.0)),
        load: Some(Mass::kg(150.0)),
        headwind: Some(Speed::kmh(-12.0)),
        climb: Some(Height::metres(640.0)),
        descent: Some(Height::metres(310.0)),
        guess: Some(Consumption::kwh_per_100km(17.0)),
        heating: Some(Power::kw(1.2)),
        note: Some("wet".into()),
        left_out: Some("trailer".into()),
        ..bare.clone()
    };
    let earlier = Drive { day: Some("2026-04-01".into()), ..bare.clone() };
    store.add_drives(car, &[bare.clone(), full.clone(), earlier.clone()]).unwrap();
    let kept = |store: &Store| store.drives_of(car).unwrap().into_iter().map(|kept| kept.drive).collect::<Vec<_>>();
    assert_eq!(kept(&store), [earlier, full, bare]);
    let first = store.drives_of(car).unwrap()[0].id;
    store.leave_out_drive(first, Some("misread")).unwrap();
    assert_eq!(kept(&store)[0].left_out.as_deref(), Some("misread"));
    store.remove_drive(first).unwrap();
    assert_eq!(kept(&store).len(), 2);
    assert!(matches!(store.remove_drive(first), Err(StoreError::NotFound { what: "drive", .. })));
    assert!(store.add_drives(99, &kept(&store)).is_err());
    let many = vec![kept(&store)[1].clone(); 2_500];
    store.add_drives(car, &many).unwrap();
    assert_eq!(store.drives_of(car).unwrap().len(), 2_502);
}

#[test]
fn sites_ask_tariffs_and_go_back_to_their_own_prices() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let trip_id = store.add_trip(&trip(car), None).unwrap();
    let new = |name: &str| NewTariff { name: name.into(), currency: "cr".into(), ocpi: "{}".into() };
    let (usual, members) = (store.add_tariff(&new("usual")).unwrap(), store.add_tariff(&new("members")).unwrap());
    store.ask_tariff(trip_id, &["a".to_string(), "not there".to_string()], usual).unwrap();
    assert_eq!(store.tariffs_of_sites(trip_id).unwrap().get("a"), Some(&usual));
    store.ask_tariff(trip_id, &[], usual).unwrap();
    assert!(store.tariffs_of_sites(trip_id).unwrap().is_empty());
    let membership = StoredMembership {
        id: 1,
        name: "m".into(),
        monthly_fee: "4.00".into(),
        percent_off: None,
        own_tariff: Some(members),
    };
    store.add_membership(usual, &membership).unwrap();
    assert_eq!(store.memberships_of(usual).unwrap(), std::slice::from_ref(&membership));
    let both = StoredMembership { percent_off: Some("10".into()), ..membership };
    assert!(store.add_membership(usual, &both).is_err());
    store.change_tariff(usual, &new("changed")).unwrap();
    assert_eq!(store.tariff(usual).unwrap().about.name, "changed");
    store.ask_tariff(trip_id, &["a".to_string()], usual).unwrap();
    store.remove_tariff(usual).unwrap();
    assert!(store.tariffs_of_sites(trip_id).unwrap().is_empty() && store.memberships_of(usual).unwrap().is_empty());
    assert_eq!(store.trip(trip_id).unwrap().about.sites, trip(car).sites);
    assert!(matches!(store.remove_tariff(usual), Err(StoreError::NotFound { what: "tariff", .. })));
    assert!(matches!(store.remove_membership(9), Err(StoreError::NotFound { what: "membership", .. })));
}

#[test]
fn a_backup_goes_out_and_comes_back_unchanged() {
    let (full, empty) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let store = Store::open(full.path()).unwrap();
    let car = store.add_car(&car()).unwrap();
    let session = store.add_session(&NewSession { car: Some(car), ..session(700) }).unwrap();
    let curve = NewCurve {
        session: Some(session),
        moved: vec![moved_point()],
        ..NewCurve::new(car, "odd \"name\"\n'x'", Profile::constant(100.0 / 3.0))
    };
    store.add_curve_in_use(&curve).unwrap();
    let trip_id = store.add_trip(&trip(car), None).unwrap();
    let tariff = NewTariff { name: "t".into(), currency: "cr".into(), ocpi: "{\"a\": [1]}".into() };
    let tariff = store.add_tariff(&tariff).unwrap();
    store.ask_tariff(trip_id, &["a".to_string()], tariff).unwrap();
    let drive = Drive::new(Distance::km(1.0 / 3.0), Minutes::new(30.1), Used::Energy(Energy::kwh(0.1 + 0.2)));
    store.add_drives(car, &[drive]).unwrap();
    let charge = store.begin_charge(&live()).unwrap();
    store.add_events(charge, &events(&["a", "b"])).unwrap();
    let text = backup(&store);

    let other = Store::open(empty.path()).unwrap();
    other.restore(Cursor::new(&text)).unwrap();
    let again = backup(&other);
    let first_difference = text.bytes().zip(again.bytes()).position(|(a, b)| a != b);
    assert!(again == text, "they differ at {first_difference:?}");
    let found = other.session(session).unwrap();
    assert_eq!(found.about.session, store.session(session).unwrap().about.session);
    assert_eq!(other.drives_of(car).unwrap(), store.drives_of(car).unwrap());
    assert_eq!(other.car(car).unwrap().curve, store.car(car).unwrap().curve);
    assert_eq!(other.trip(trip_id).unwrap().about.road, store.trip(trip_id).unwrap().about.road);
    assert_eq!(other.tariffs_of_sites(trip_id).unwrap(), store.tariffs_of_sites(trip_id).unwrap());
    assert_eq!(other.event_lines(charge, 0).unwrap(), store.event_lines(charge, 0).unwrap());

    assert!(matches!(other.restore(Cursor::new(&text)), Err(StoreError::NotEmpty)));
    let third = tempfile::tempdir().unwrap();
    let third = Store::open(third.path()).unwrap();
    for (wrong, part) in [
        ("no json".to_string(), "it is no JSON"),
        ("{}".to_string(), "expected spare-hour/backup version 2"),
        (text.replace("\"version\":2", "\"version\":3"), "a newer version of Spare Hour wrote it: it is version 3"),
        (text.replacen("\"usable_kwh\"", "\"usable_mwh\"", 1), "cars[0].usable_mwh is no field"),
        (text.replace("\"usable_kwh\":74.0", "\"usable_kwh\":null"), "cars:"),
    ] {
        let error = third.restore(Cursor::new(&wrong)).unwrap_err().to_string();
        assert!(error.contains(part), "{error}");
        assert!(third.cars().unwrap().is_empty());
    }
}
