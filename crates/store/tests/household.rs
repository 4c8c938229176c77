//! People, codes, signed-in browsers and what is one person's alone, over a file of their own.

#![allow(missing_docs, clippy::unwrap_used)]

use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::driving::road::Road;
use spare_hour_core::driving::route::Segment;
use spare_hour_core::quantity::{Consumption, Distance, Energy, Speed};
use spare_hour_core::trip::Goal;
use spare_hour_store::{NewTrip, Role, Store, StoreError, Thing};

fn store() -> (tempfile::TempDir, Store) {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    (directory, store)
}

/// Two trips, each with a car of its own.
fn two_trips(store: &Store) -> [i32; 2] {
    ["Tern", "Heron"].map(|name| {
        let car = store.add_car(&KnownCar::new(name, Energy::kwh(60.0), 8.0)).unwrap();
        let consumption = Consumption::kwh_per_100km(18.0);
        let road = Road::of_segments(&[Segment { length: Distance::km(300.0), speed: Speed::kmh(110.0), consumption }]);
        let (name, currency) = (name.to_string(), "cr".to_string());
        store.add_trip(&NewTrip { name, car, currency, road, sites: Vec::new(), goal: Goal::USUAL }, None).unwrap()
    })
}

#[test]
fn a_code_holds_once_and_for_its_time() {
    let (_directory, store) = store();
    let id = store.add_person("Ada", Role::Owner).unwrap();
    assert!(matches!(store.add_person("ADA", Role::Guest), Err(StoreError::Refused(_))));
    store.set_code(id, "hash", 1_000).unwrap();
    assert_eq!(store.person_of_code("hash", 999).unwrap().map(|person| person.id), Some(id));
    assert!(
        store.person_of_code("hash", 1_000).unwrap().is_none() && store.person_of_code("other", 0).unwrap().is_none()
    );
    store.set_password(id, "phc").unwrap();
    assert!(store.person_of_code("hash", 0).unwrap().is_none());
    let (person, hash) = store.person_named("aDa").unwrap().unwrap();
    // A new password signs out everywhere.
    assert_eq!((person.epoch, hash.as_deref(), person.has_password), (1, Some("phc"), true));
    store.sign_out_everywhere(id).unwrap();
    assert_eq!(store.person(id).unwrap().unwrap().epoch, 2);
    // A household keeps an owner.
    assert!(matches!(store.set_role(id, Role::Member), Err(StoreError::Needed { .. })));
    assert!(matches!(store.remove_person(id), Err(StoreError::Needed { .. })));
    assert_eq!(store.people().unwrap()[0].role, Role::Owner);
}

#[test]
fn a_browser_is_known_until_its_time_is_over() {
    let (_directory, store) = store();
    store.keep_sign_in("a", "{}", 100, 0).unwrap();
    assert_eq!(store.sign_in("a", 99).unwrap(), Some(("{}".to_string(), 100)));
    assert_eq!(store.sign_in("a", 100).unwrap(), None);
    store.keep_sign_in("b", "{}", 300, 200).unwrap();
    assert_eq!(store.sign_in("a", 50).unwrap(), None);
    store.forget_sign_in("b").unwrap();
    assert_eq!(store.sign_in("b", 250).unwrap(), None);
}

#[test]
fn what_is_ones_own_is_not_there_for_others_and_comes_back_as_it_was() {
    let (_directory, store) = store();
    let [ada, bo] = ["Ada", "Bo"].map(|name| store.add_person(name, Role::Owner).unwrap());
    let [first, second] = two_trips(&store);
    let (mine, theirs) = (store.seen_by(ada), store.seen_by(bo));
    let car = store.trip(first).unwrap().about.car;
    mine.set_private_car(car, true).unwrap();
    mine.set_private_trip(second, true).unwrap();
    assert!(theirs.trips().unwrap().is_empty() && theirs.cars().unwrap().len() == 1);
    assert_eq!((mine.trips().unwrap().len(), store.trips().unwrap().len()), (2, 2));
    for thing in [Thing::Car(car), Thing::Trip(first), Thing::Trip(second)] {
        assert_eq!((theirs.is_hidden(thing).unwrap(), mine.is_hidden(thing).unwrap()), (true, false), "{thing:?}");
    }
    assert!(matches!(theirs.trip(first), Err(StoreError::NotFound { .. })));
    // Nobody takes what is another's, or adds to it.
    assert!(matches!(theirs.add_drives(car, &[]), Err(StoreError::NotFound { .. })));
    let about = NewTrip { name: "Theirs".into(), ..mine.trip(first).unwrap().about };
    assert!(matches!(theirs.add_trip(&about, None), Err(StoreError::NotFound { .. })));
    assert!(matches!(theirs.set_private_trip(second, false), Err(StoreError::NotFound { .. })));
    // Removed and taken back, it is as private as it was.
    store.transaction(|store| store.remove_trip(second)).unwrap();
    let step = store.last_step().unwrap().number;
    assert!(store.take_back(step).unwrap());
    assert!(theirs.is_hidden(Thing::Trip(second)).unwrap() && mine.trips().unwrap().len() == 2);
    // What was one person's is the household's once they are removed.
    store.remove_person(ada).unwrap();
    assert_eq!(theirs.trips().unwrap().len(), 2);
}

#[test]
fn each_reads_and_writes_in_their_own_units() {
    let (_directory, store) = store();
    let ada = store.add_person("Ada", Role::Owner).unwrap();
    let mut settings = store.settings().unwrap();
    settings.currency = "all".into();
    store.change_settings(&settings).unwrap();
    assert_eq!(store.seen_by(ada).settings().unwrap().currency, "all");
    settings.currency = "own".into();
    store.seen_by(ada).change_settings(&settings).unwrap();
    assert_eq!(
        (store.seen_by(ada).settings().unwrap().currency, store.settings().unwrap().currency),
        ("own".into(), "all".into())
    );
}
