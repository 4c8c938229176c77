//! Taking changes back, held against a dump of the whole file as SQLite itself quotes it: after each change taken back the file is
//! what it was before it, to the last digit.

#![allow(missing_docs, clippy::unwrap_used)]

use diesel::prelude::*;
use diesel::sql_types::Text;
use fastrand::Rng;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::road::{Road, RoadConditions, Stretch};
use spare_hour_core::quantity::{Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::session::{Conditions, Reading, Session};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::{Goal, Price, Site};
use spare_hour_store::{
    Done, NewCurve, NewLiveCharge, NewSession, NewTariff, NewTrip, Store, StoreError, StoredMembership, TripClock,
};

#[derive(QueryableByName)]
struct Line {
    #[diesel(sql_type = Text)]
    line: String,
}

/// Every row of every table of the file, as SQLite quotes it, but for its own counters of numbers given out, which only grow.
fn dump(store: &Store) -> Vec<String> {
    let mut connection = SqliteConnection::establish(&store.path().to_string_lossy()).unwrap();
    let mut lines = |sql: String| -> Vec<String> {
        diesel::sql_query(sql).load::<Line>(&mut connection).unwrap().into_iter().map(|line| line.line).collect()
    };
    let tables = lines(
        "SELECT name AS line FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name".into(),
    );
    let mut all = Vec::new();
    for table in tables {
        let columns = lines(format!("SELECT name AS line FROM pragma_table_info('{table}')"));
        let quoted: Vec<String> = columns.iter().map(|column| format!("quote({column})")).collect();
        let rows = lines(format!("SELECT {} AS line FROM {table} ORDER BY 1", quoted.join(" || ' ' || ")));
        all.extend(rows.into_iter().map(|row| format!("{table}: {row}")));
    }
    all
}

fn session(rng: &mut Rng) -> NewSession {
    let reading = |at: usize| Reading {
        elapsed: Minutes::new(at as f64 / 3.0),
        soc: Some(Soc::percent(10.0 + at as f64 * 0.7)),
        power: Some(Power::kw(120.0 - at as f64 / 7.0)),
        ..Reading::default()
    };
    NewSession {
        car: None,
        name: format!("A charge’s “name”; it's {}", rng.u32(0..1000)),
        source_name: "a.csv".into(),
        source_text: "elapsed,soc\n'quoted' \u{0}?".replace('\u{0}', ""),
        session: Session { readings: (0..rng.usize(2..40)).map(reading).collect(), conditions: Conditions::default() },
    }
}

fn trip(car: i32, rng: &mut Rng) -> NewTrip {
    let shift = rng.f64();
    let site = |index: usize| Site {
        id: format!("s{index}"),
        name: format!("Site {index}"),
        at: Distance::km(50.0 * (index + 1) as f64 + shift),
        off_route: Distance::km(0.1),
        off_route_speed: Speed::kmh(50.0),
        max_power: Power::kw(150.0),
        max_current: None,
        overhead: Minutes::new(5.0),
        price: Price { per_kwh: 0.1 + 0.2, per_min: 0.0, per_session: 0.0 },
        details: SiteDetails::default(),
    };
    NewTrip {
        name: "There".into(),
        car,
        currency: "cr".into(),
        road: Road {
            stretches: vec![Stretch::level(Distance::km(1.0 / 3.0)); 3],
            conditions: RoadConditions::default(),
        },
        sites: (0..rng.usize(0..5)).map(site).collect(),
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

fn any<T: Copy>(rng: &mut Rng, of: &[T]) -> Option<T> {
    if of.is_empty() { None } else { Some(of[rng.usize(0..of.len())]) }
}

fn done<T>(_: T) {}

/// One change of somebody's data by chance; what it does may be nothing.
fn change(store: &Store, rng: &mut Rng) -> Result<(), StoreError> {
    let cars: Vec<i32> = store.cars()?.iter().map(|car| car.id).collect();
    let trips: Vec<i32> = store.trips()?.iter().map(|trip| trip.id).collect();
    let sessions: Vec<i32> = store.sessions()?.iter().map(|session| session.id).collect();
    let tariffs: Vec<i32> = store.tariffs()?.iter().map(|tariff| tariff.id).collect();
    let (car, at, charge, tariff) = (any(rng, &cars), any(rng, &trips), any(rng, &sessions), any(rng, &tariffs));
    match rng.u32(0..15) {
        0 => done(store.add_car(&KnownCar::new(format!("Car {}", rng.u32(0..99)), Energy::kwh(60.0), 8.0))?),
        1 => done(store.add_session(&NewSession { car, ..session(rng) })?),
        2 => done(car.map(|car| store.add_trip(&trip(car, rng), Some("{}"))).transpose()?),
        3 => done(charge.map(|id| store.remove_session(id)).transpose()?),
        4 => done(at.map(|id| store.remove_trip(id)).transpose()?),
        5 => done(car.map(|id| store.remove_car(id)).transpose().ok()),
        6 => done(at.map(|id| store.change_sites(id, &trip(0, rng).sites)).transpose()?),
        7 => done(at.map(|id| store.rename_trip(id, &format!("It's {}", rng.u32(0..99)), "cr")).transpose()?),
        8 => {
            let ocpi = format!("{{\"id\": \"{}\"}}", rng.u32(0..99));
            done(store.add_tariff(&NewTariff { name: "A tariff".into(), currency: "cr".into(), ocpi })?);
        }
        9 => done(tariff.map(|id| store.remove_tariff(id)).transpose()?),
        10 => {
            if let (Some(at), Some(tariff)) = (at, tariff) {
                let sites: Vec<String> = store.trip(at)?.about.sites.iter().map(|site| site.id.clone()).collect();
                store.ask_tariff(at, &sites, tariff)?;
            }
        }
        11 => done(charge.map(|id| store.leave_out_reading(id, 1, Some("misread"))).transpose()?),
        12 => {
            if let Some(car) = car {
                let curve = NewCurve { session: charge, ..NewCurve::new(car, "c", Profile::constant(1.0 / 3.0)) };
                store.add_curve_in_use(&curve)?;
            }
        }
        13 => {
            let clock = TripClock { departure: Some("2026-12-18T07:30".into()), ..TripClock::default() };
            done(at.map(|id| store.keep_trip_clock(id, &clock)).transpose()?);
        }
        _ => {
            let own_tariff = any(rng, &tariffs).filter(|_| rng.bool());
            let own = StoredMembership {
                id: 0,
                name: "Club".into(),
                monthly_fee: "6".into(),
                percent_off: own_tariff.is_none().then(|| "20".into()),
                own_tariff,
            };
            done(tariff.map(|id| store.add_membership(id, &own)).transpose()?);
        }
    }
    Ok(())
}

#[test]
fn whatever_was_done_is_taken_back_to_the_last_digit() {
    let mut taken = 0;
    for seed in 0..6 {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let mut rng = Rng::with_seed(seed);
        // A start that is not taken back: more changes than steps are kept.
        for _ in 0..20 {
            store.transaction(|store| change(store, &mut rng)).unwrap();
        }
        let mut states = vec![dump(&store)];
        let mut numbers = Vec::new();
        while numbers.len() < 28 {
            let before = store.last_step().map(|step| step.number);
            store.transaction(|store| change(store, &mut rng)).unwrap();
            let step = store.last_step();
            let state = dump(&store);
            // What changed nothing is no step, and what changed something is one.
            let noted = step.as_ref().map(|step| step.number) != before;
            assert!(noted || &state == states.last().unwrap(), "seed {seed}: a change is no step");
            if noted {
                numbers.push(step.unwrap().number);
                states.push(state);
            }
        }
        for number in numbers.into_iter().rev() {
            states.pop();
            assert!(store.take_back(number).unwrap(), "seed {seed}: step {number}");
            let (now, then) = (dump(&store), states.last().unwrap());
            let other =
                |a: &[String], b: &[String]| a.iter().filter(|line| !b.contains(line)).cloned().collect::<Vec<_>>();
            assert_eq!((other(&now, then), other(then, &now)), (vec![], vec![]), "seed {seed}: step {number}");
            taken += 1;
        }
    }
    assert_eq!(taken, 6 * 28);
}

#[test]
fn a_step_is_named_and_only_the_last_is_taken_back() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let mut rng = Rng::with_seed(7);
    let add = |store: &Store| store.add_car(&KnownCar::new("A car", Energy::kwh(60.0), 8.0));
    let car = store.transaction(add).unwrap();
    let first = store.last_step().unwrap();
    assert_eq!((first.done, first.what), (Done::Added, "a car"));
    let id = store.transaction(|store| store.add_trip(&trip(car, &mut rng), None)).unwrap();
    store.transaction(|store| store.rename_trip(id, "Elsewhere", "cr")).unwrap();
    let renamed = store.last_step().unwrap();
    assert_eq!((renamed.done, renamed.what), (Done::Changed, "a trip"));
    store.transaction(|store| store.remove_trip(id)).unwrap();
    let removed = store.last_step().unwrap();
    assert_eq!((removed.done, removed.what), (Done::Removed, "a trip"));
    // Not the last one; a number that is none; twice the same.
    assert!(!store.take_back(renamed.number).unwrap() && !store.take_back(99).unwrap());
    assert!(store.take_back(removed.number).unwrap() && !store.take_back(removed.number).unwrap());
    assert_eq!(store.trip(id).unwrap().about.name, "Elsewhere");
    // What failed is no step.
    let failed: Result<(), StoreError> = store.transaction(|store| {
        store.rename_trip(id, "Nowhere", "cr")?;
        store.remove_trip(id + 1)
    });
    assert!(failed.is_err() && store.last_step() == Some(renamed));
}

#[test]
fn what_somebody_else_changed_since_is_not_overwritten() {
    let directory = tempfile::tempdir().unwrap();
    let (store, other) = (Store::open(directory.path()).unwrap(), Store::open(directory.path()).unwrap());
    let mut rng = Rng::with_seed(8);
    let car = store.transaction(|store| store.add_car(&KnownCar::new("A car", Energy::kwh(60.0), 8.0))).unwrap();
    let added = store.last_step().unwrap();
    // Another process makes a trip with it: the car is needed now.
    let id = other.add_trip(&trip(car, &mut rng), None).unwrap();
    let before = dump(&store);
    assert!(!store.take_back(added.number).unwrap());
    assert_eq!(dump(&store), before);
    other.remove_trip(id).unwrap();
    assert!(store.take_back(added.number).unwrap() && store.cars().unwrap().is_empty());
    // A trip is removed here, its car there: the trip cannot come back, and the store goes on.
    let car = store.transaction(|store| store.add_car(&KnownCar::new("Another", Energy::kwh(60.0), 8.0))).unwrap();
    let id = store.transaction(|store| store.add_trip(&trip(car, &mut rng), None)).unwrap();
    store.transaction(|store| store.remove_trip(id)).unwrap();
    let removed = store.last_step().unwrap();
    other.remove_car(car).unwrap();
    let before = dump(&store);
    assert!(!store.take_back(removed.number).unwrap());
    assert_eq!(dump(&store), before);
    store.transaction(|store| store.add_car(&KnownCar::new("A third", Energy::kwh(60.0), 8.0))).unwrap();
    assert_eq!(other.cars().unwrap().len(), 1);
}

#[test]
fn nobody_takes_back_what_somebody_else_did() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let (one, other) = (store.seen_by(1), store.seen_by(2));
    let add = |store: &Store, name: &str| {
        store.transaction(|store| store.add_car(&KnownCar::new(name, Energy::kwh(60.0), 8.0))).unwrap()
    };
    add(&one, "Mine");
    let mine = one.last_step().unwrap();
    assert_eq!((other.last_step(), store.last_step()), (None, None));
    let before = dump(&store);
    assert!(!other.take_back(mine.number).unwrap() && !store.take_back(mine.number).unwrap());
    assert_eq!(dump(&store), before);
    // Once the other has changed something, too, theirs is the last, and mine is offered no more.
    add(&other, "Theirs");
    assert_eq!(one.last_step(), None);
    assert!(!one.take_back(mine.number).unwrap());
    assert!(other.take_back(other.last_step().unwrap().number).unwrap());
    assert_eq!(one.last_step(), Some(mine.clone()));
    assert!(one.take_back(mine.number).unwrap() && store.cars().unwrap().is_empty());
}

#[test]
fn what_a_charge_under_way_was_told_is_never_taken_back() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let mut rng = Rng::with_seed(9);
    let new = NewLiveCharge { car: None, name: "c".into(), conditions: Vec::new(), nonce: "t".into() };
    let charge = store.transaction(|store| store.begin_charge(&new)).unwrap();
    store.transaction(|store| store.add_events(charge, &[("a".into(), "1".into())])).unwrap();
    assert_eq!(store.last_step(), None);
    store.transaction(|store| store.end_charge(charge, &session(&mut rng))).unwrap();
    assert_eq!(store.last_step(), None);
    assert_eq!((store.event_count(charge).unwrap(), store.sessions().unwrap().len()), (1, 1));
}

#[test]
fn thirty_changes_are_kept_and_the_oldest_go() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    for index in 0..40 {
        store.transaction(|store| store.add_car(&KnownCar::new(format!("{index}"), Energy::kwh(60.0), 8.0))).unwrap();
    }
    let mut undone = 0;
    while let Some(step) = store.last_step() {
        assert!(store.take_back(step.number).unwrap());
        undone += 1;
    }
    let left: Vec<String> = store.cars().unwrap().into_iter().map(|car| car.about.name).collect();
    assert_eq!((undone, left.len()), (30, 10));
    assert!((0..10).all(|index| left.contains(&index.to_string())), "{left:?}");
    // After a restart nothing is offered.
    assert_eq!(Store::open(directory.path()).unwrap().last_step(), None);
}
