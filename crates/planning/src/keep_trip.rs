//! A trip of a file is kept: with its car or another, the tariffs that its sites ask, and what is wished of it.

use spare_hour_core::driving::road::Road;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_formats::{TripOfFile, write_tariff, write_wishes};
use spare_hour_store::{NewTariff, NewTrip, Store, TripClock};

use crate::PlanningError;
use crate::tariffs;

/// Keeps a trip, driven by a car that is kept or, without one, by the car that it brings; returns its number.
///
/// # Errors
/// When there is no such car, or the store refuses.
pub fn keep_trip(store: &Store, file: TripOfFile, car: Option<i32>, currency: &str) -> Result<i32, PlanningError> {
    let TripOfFile { trip, departure, tariffs, wishes, .. } = file;
    let mut draft = trip.into_draft();
    if draft.name.trim().is_empty() {
        draft.name = "A trip".into();
    }
    let id = match car {
        None => store.add_trip_with_car(&draft, &format!("Car of “{}”", draft.name), currency)?,
        Some(car) => {
            let road = Road::of_segments(draft.route.segments());
            let (name, currency) = (draft.name, currency.into());
            store.add_trip(&NewTrip { name, car, currency, road, sites: draft.sites, goal: draft.goal }, None)?
        }
    };
    keep_tariffs(store, id, &tariffs)?;
    let said = !wishes.is_empty() || wishes.sites.values().any(|site| !site.has.is_empty());
    let clock = TripClock {
        departure: departure.as_ref().map(|at| at.strftime("%Y-%m-%dT%H:%M").to_string()),
        time_zone: departure.as_ref().and_then(|at| at.time_zone().iana_name()).map(Into::into),
        wishes: said.then(|| write_wishes(&wishes)),
    };
    store.keep_trip_clock(id, &clock)?;
    Ok(id)
}

/// Keeps each tariff once, unless it is kept already, and says which of a trip's sites ask it.
fn keep_tariffs(store: &Store, trip: i32, asked: &[(String, Tariff)]) -> Result<(), PlanningError> {
    let mut kept: Vec<(&Tariff, Vec<String>)> = Vec::new();
    for (site, tariff) in asked {
        match kept.iter_mut().find(|known| known.0 == tariff) {
            Some(known) => known.1.push(site.clone()),
            None => kept.push((tariff, vec![site.clone()])),
        }
    }
    let known: Vec<(i32, Tariff)> =
        store.tariffs()?.iter().filter_map(|stored| Some((stored.id, tariffs::read(stored).ok()?))).collect();
    for (tariff, sites) in kept {
        let id = if let Some((id, _)) = known.iter().find(|(_, other)| other == tariff) {
            *id
        } else {
            let (name, currency) = (tariff.name.clone(), tariff.currency.clone());
            store.add_tariff(&NewTariff { name, currency, ocpi: write_tariff(tariff, &tariff.name) })?
        };
        store.ask_tariff(trip, &sites, id)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::{Here, StoppedClock};
    use crate::drive_trip::{Asked, KeptTrip};
    use spare_hour_formats::read_trip_file;

    #[test]
    fn a_trip_with_wishes_goes_in_and_comes_out() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let file = read_trip_file(include_bytes!("../../app/demo/two-days-to-saltern.json")).unwrap();
        let id = keep_trip(&store, file.clone(), None, "cr").unwrap();
        assert_eq!(store.tariffs().unwrap().len(), 2);
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        let kept = KeptTrip::read(&store, &here, id, |stored, clock| Asked::own(stored, clock, &here)).unwrap();
        let written = read_trip_file(kept.to_plan.unwrap().to_file().as_bytes()).unwrap();
        assert_eq!(written.departure, file.departure);
        assert_eq!(write_wishes(&written.wishes), write_wishes(&file.wishes));
        let priced = |file: &TripOfFile| file.tariffs.iter().map(|(site, _)| site.clone()).collect::<Vec<_>>();
        assert_eq!(priced(&written), priced(&file));
    }
}
