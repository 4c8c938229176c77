//! A copy of a kept trip: its road and track, its sites with what they ask, its departure and what is wished.

use spare_hour_store::{NewTrip, Store};

use crate::PlanningError;

/// Most letters of a trip's name.
const MOST_NAME: usize = 80;

/// Keeps a copy of a trip as a trip of its own and returns its number.
///
/// # Errors
/// When there is no such trip, or the store refuses.
pub fn copy_trip(store: &Store, id: i32) -> Result<i32, PlanningError> {
    let (about, clock, track) = (store.trip(id)?.about, store.trip_clock(id)?, store.track(id)?);
    let name = format!("{}, copy", about.name).chars().take(MOST_NAME).collect();
    let made = store.add_trip(&NewTrip { name, ..about }, track.as_deref())?;
    for (site, tariff) in store.tariffs_of_sites(id)? {
        store.ask_tariff(made, &[site], tariff)?;
    }
    store.keep_trip_clock(made, &clock)?;
    Ok(made)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::read_trip;
    use spare_hour_store::TripClock;

    #[test]
    fn a_copy_is_the_same_trip_under_another_name() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let trip = read_trip(include_bytes!("../../../docs/formats/trip.example.json")).unwrap();
        let first = store.add_trip_with_car(&trip, "Tern", "cr").unwrap();
        let clock = TripClock { departure: Some("2026-12-18T07:30".into()), ..TripClock::default() };
        store.keep_trip_clock(first, &clock).unwrap();
        let second = copy_trip(&store, first).unwrap();
        let [one, two] = [first, second].map(|id| store.trip(id).unwrap().about);
        assert_eq!(two.name, format!("{}, copy", one.name));
        assert_eq!((&two.sites, &two.goal, two.car), (&one.sites, &one.goal, one.car));
        assert_eq!(store.trip_clock(second).unwrap().departure, clock.departure);
        assert!(copy_trip(&store, 99).is_err());
    }
}
