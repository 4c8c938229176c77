//! The way back of a kept trip: the road and its climbs turned round, the sites at their places from the other end, with what they
//! ask and what is wished of them.

use spare_hour_core::driving::road::Stretch;
use spare_hour_core::quantity::Distance;
use spare_hour_core::trip::Site;
use spare_hour_store::{NewTrip, Store, TripClock};

use crate::PlanningError;

/// Most letters of a trip's name.
const MOST_NAME: usize = 80;

/// Keeps the way back of a trip as a trip of its own and returns its number. It leaves when nobody has said.
///
/// # Errors
/// When there is no such trip, or the store refuses.
pub fn make_way_back(store: &Store, id: i32) -> Result<i32, PlanningError> {
    let (about, clock) = (store.trip(id)?.about, store.trip_clock(id)?);
    let length: f64 = about.road.stretches.iter().map(|stretch| stretch.length.get()).sum();
    let mut road = about.road.clone();
    road.stretches = road.stretches.iter().rev().map(Stretch::turned_round).collect();
    let back = |site: &Site| Site { at: Distance::km((length - site.at.get()).max(0.0)), ..site.clone() };
    let name: String = format!("{}, back", about.name).chars().take(MOST_NAME).collect();
    let new = NewTrip { name, road, sites: about.sites.iter().rev().map(back).collect(), ..about };
    let made = store.add_trip(&new, None)?;
    for (site, tariff) in store.tariffs_of_sites(id)? {
        store.ask_tariff(made, &[site], tariff)?;
    }
    store.keep_trip_clock(made, &TripClock { departure: None, ..clock })?;
    Ok(made)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::read_trip;

    #[test]
    fn there_and_back_is_the_same_trip() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let trip = read_trip(include_bytes!("../../../docs/formats/trip.example.json")).unwrap();
        let there = store.add_trip_with_car(&trip, "Tern", "cr").unwrap();
        let back = make_way_back(&store, there).unwrap();
        let again = make_way_back(&store, back).unwrap();
        let [first, second, third] = [there, back, again].map(|id| store.trip(id).unwrap().about);
        let length = trip.route.length().get();
        let end = first.sites.len() - 1;
        assert!((second.sites[0].at.get() - (length - first.sites[end].at.get())).abs() < 1e-9);
        assert_eq!(second.name, format!("{}, back", first.name));
        assert_eq!(third.road, first.road);
        for (one, other) in first.sites.iter().zip(&third.sites) {
            assert!(one.id == other.id && (one.at.get() - other.at.get()).abs() < 1e-9);
        }
    }
}
