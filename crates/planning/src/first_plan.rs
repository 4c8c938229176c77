//! A first plan of somebody who has measured nothing: a car in three numbers, a road in words, chargers at equal distances.

use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::road::Road;
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Power, Speed};
use spare_hour_core::refused::Refused;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_core::trip::{Goal, Price, Site, Trip, TripDraft, Vehicle};
use spare_hour_formats::TripOfFile;
use spare_hour_store::{NewCurve, NewTrip, Store};

use crate::PlanningError;

/// The shape of a charge curve until one is measured: share of the most power over SoC. Common practice, no published source:
/// full power from a tenth on, falling from a third, to a trickle at the end.
const USUAL_SHAPE: [(f64, f64); 7] =
    [(0.0, 0.6), (8.0, 1.0), (35.0, 0.95), (55.0, 0.66), (80.0, 0.38), (90.0, 0.2), (100.0, 0.04)];
/// Share of the plug's energy that is not stored, %, until it is measured.
const USUAL_LOSS: f64 = 8.0;
/// Price of a kWh until one is known.
pub const ASSUMED_PRICE: f64 = 0.6;

/// What is said for a first plan.
#[derive(Clone, Debug)]
pub struct FirstPlan {
    /// What the trip is called.
    pub name: String,
    /// Usable capacity.
    pub usable: Energy,
    /// Most power that it charges with.
    pub most: Power,
    /// What it takes at the speed of the road.
    pub takes: Consumption,
    /// The road: lengths and speeds.
    pub road: Vec<(Distance, Speed)>,
    /// The chargers.
    pub sites: Vec<Site>,
}

impl FirstPlan {
    /// The curve that stands for the car's own until that is measured.
    pub fn borrowed_curve(&self) -> Profile {
        let points = USUAL_SHAPE.map(|(soc, share)| (soc, share * self.most.get()));
        Profile::new(points.to_vec()).unwrap_or_else(|_| Profile::constant(self.most.get()))
    }

    fn draft(&self) -> TripDraft {
        let segment = |&(length, speed): &(Distance, Speed)| Segment { length, speed, consumption: self.takes };
        let priced = |site: &Site| Site { price: Price { per_kwh: ASSUMED_PRICE, ..site.price }, ..site.clone() };
        TripDraft {
            name: self.name.clone(),
            vehicle: Vehicle {
                usable: self.usable,
                charge_curve: self.borrowed_curve(),
                charge_loss_percent: USUAL_LOSS,
                pack_voltage: None,
                boost: None,
            },
            route: Route::new(self.road.iter().map(segment).collect()),
            sites: self.sites.iter().map(priced).collect(),
            goal: Goal::USUAL,
        }
    }

    /// The trip, to be planned.
    ///
    /// # Errors
    /// When there cannot be such a trip.
    pub fn trip(&self) -> Result<TripOfFile, Refused> {
        let trip = Trip::new(self.draft())?;
        Ok(TripOfFile { trip, departure: None, tariffs: Vec::new(), wishes: Wishes::default(), now: None })
    }

    /// Keeps car, curve and trip; returns the trip's number.
    ///
    /// # Errors
    /// When there cannot be such a trip, or the store refuses.
    pub fn keep(&self, store: &Store, currency: &str) -> Result<i32, PlanningError> {
        let draft = Trip::new(self.draft())?.into_draft();
        let (name, currency) = (draft.name, currency.into());
        let car = store.add_car(&KnownCar::new("My car", self.usable, USUAL_LOSS))?;
        store.add_curve_in_use(&NewCurve {
            explained: format!("borrowed: a usual shape up to {:.0} kW; not measured", self.most.get()),
            ..NewCurve::new(car, "borrowed until one is measured", draft.vehicle.charge_curve)
        })?;
        let road = Road::of_segments(draft.route.segments());
        Ok(store.add_trip(&NewTrip { name, car, currency, road, sites: draft.sites, goal: draft.goal }, None)?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::{Here, StoppedClock};
    use crate::drive_trip::{Asked, KeptTrip};
    use crate::plan_trip::{Outcome, TripToPlan};
    use spare_hour_core::quantity::units::Units;
    use spare_hour_formats::{read_plain_chargers, read_plain_road};
    use spare_hour_planner::StopSign;

    fn said() -> FirstPlan {
        let road = read_plain_road("Arlen to Torvik 780 km, 120", Units::default()).unwrap();
        FirstPlan {
            sites: read_plain_chargers("every 60 km, 150 kW", Units::default(), road.length()).unwrap(),
            name: road.name,
            usable: Energy::kwh(75.0),
            most: Power::kw(150.0),
            takes: Consumption::kwh_per_100km(20.0),
            road: road.parts,
        }
    }

    fn total(file: TripOfFile) -> f64 {
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        match TripToPlan::of_file(file, &here).unwrap().plan(&StopSign::default()) {
            Outcome::Planned(planned) => planned.best().total.get(),
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn what_is_said_can_be_driven_and_what_is_kept_is_the_same() {
        let first = total(said().trip().unwrap());
        // By hand: 390 min of driving; 780 km take 156 kWh, of which 75 % of 75 are on board, so a hundred are charged: three
        // quarters of an hour at best, with its stops less than two hours.
        assert!((390.0 + 45.0..390.0 + 120.0).contains(&first), "{first}");
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let id = said().keep(&store, "cr").unwrap();
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        let kept = KeptTrip::read(&store, &here, id, |stored, clock| Asked::own(stored, clock, &here)).unwrap();
        assert_eq!(kept.stored.about.name, "Arlen to Torvik");
        let curve = kept.curve.as_ref().unwrap();
        assert!(curve.about.measured.is_none() && curve.about.explained.starts_with("borrowed"));
        let Outcome::Planned(again) = kept.to_plan.unwrap().plan(&StopSign::default()) else { panic!("no plan") };
        assert!((again.best().total.get() - first).abs() < 1e-6, "{} and {first}", again.best().total);
    }

    #[test]
    fn a_borrowed_curve_peaks_at_the_most_and_a_stronger_car_is_never_slower() {
        let mut before = f64::INFINITY;
        for most in [50.0, 100.0, 150.0, 250.0] {
            let first = FirstPlan { most: Power::kw(most), ..said() };
            let powers = (0..=100).map(|soc| first.borrowed_curve().at(f64::from(soc)));
            assert!((powers.fold(0.0, f64::max) - most).abs() < 1e-9);
            let total = total(first.trip().unwrap());
            assert!(total <= before + 1e-9, "{most} kW: {total} after {before}");
            before = total;
        }
    }
}
