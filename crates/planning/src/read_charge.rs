//! A charge read: the session with its car, and what is read off it on a base of distances.

use std::sync::Arc;

use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::Energy;
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::TooFewReadings;
use spare_hour_store::{Car, Store, StoredSession};

use crate::PlanningError;
use crate::kept::Kept;

/// Capacity taken for a session whose car and file do not say it, kWh. Said on the page.
const UNKNOWN_KWH: f64 = 60.0;

/// A session of more readings is read anew each time: what is kept stays small.
const MOST_KEPT: usize = 20_000;

/// What was read off charges a while ago, as long as nothing that is kept in the store has changed.
#[derive(Clone, Default)]
pub struct Reports {
    kept: Arc<Kept<Arc<Report>>>,
    changes: u64,
}

impl Reports {
    /// The same, when the store has changed so often: what was read before a change is not asked again.
    #[must_use]
    pub fn as_of(&self, changes: u64) -> Self {
        Self { kept: Arc::clone(&self.kept), changes }
    }

    fn of(
        &self,
        stored: &StoredSession,
        wish: Option<DistanceBase>,
        read: impl FnOnce() -> Result<Report, TooFewReadings>,
    ) -> Result<Arc<Report>, TooFewReadings> {
        let key = format!("{} {} {wish:?}", self.changes, stored.id);
        if let Some(report) = self.kept.get(&key) {
            return Ok(report);
        }
        let report = Arc::new(read()?);
        if stored.about.session.readings.len() <= MOST_KEPT {
            self.kept.put(key, Arc::clone(&report));
        }
        Ok(report)
    }
}

/// A session with its car.
pub struct ReadCharge {
    /// The session.
    pub stored: StoredSession,
    /// Its car, where it is known.
    pub car: Option<Car>,
    /// What the car's curve in use expects, unless it was made of this session.
    expected: Option<Profile>,
}

impl ReadCharge {
    /// Reads a session with its car.
    ///
    /// # Errors
    /// When there is no such session, or the store refuses.
    pub fn new(store: &Store, id: i32) -> Result<Self, PlanningError> {
        let stored = store.session(id)?;
        let car = stored.about.car.map(|car| store.car(car)).transpose()?;
        let curve = car.as_ref().and_then(|car| car.curve).map(|curve| store.curve(curve)).transpose()?;
        let expected = curve.filter(|curve| curve.about.session != Some(id)).map(|curve| curve.about.power);
        Ok(Self { stored, car, expected })
    }

    /// What was measured.
    pub fn session(&self) -> &Session {
        &self.stored.about.session
    }

    /// What is known of how far the car goes; the file's own rated range counts more than the car's.
    pub fn distances(&self) -> Distances {
        let car = self.car.as_ref().map(|car| car.about.distances).unwrap_or_default();
        Distances { rated: self.session().conditions.rated_range.or(car.rated), ..car }
    }

    /// The usable capacity: as the session says, else the car, else a guess.
    pub fn usable(&self) -> Energy {
        let car = self.car.as_ref().map(|car| car.about.usable);
        self.session().conditions.usable.or(car).unwrap_or(Energy::kwh(UNKNOWN_KWH))
    }

    /// Whether nobody has said the usable capacity.
    pub fn usable_is_guessed(&self) -> bool {
        self.session().conditions.usable.is_none() && self.car.is_none()
    }

    /// What the session's figures rest on, with distances on the wished base, else on the car's.
    pub fn basis(&self, wish: Option<DistanceBase>) -> Basis {
        let car = self.car.as_ref().map(|car| &car.about);
        let wish = wish.or(car.map(|car| car.distance_base)).unwrap_or_default();
        let (base, range) = self.distances().or_first_known(wish, self.usable());
        // A charge from alternating current has a loss of its own.
        let of_ac = |car: &KnownCar| car.on_board.and_then(|charger| charger.loss_percent);
        let is_ac = self.session().conditions.phases.is_some();
        let loss = |car: &KnownCar| of_ac(car).filter(|_| is_ac).unwrap_or(car.charge_loss_percent);
        Basis { usable: self.usable(), range, base, loss_percent: car.map(loss) }
    }

    /// Everything that is read off the session, unless it was read a while ago.
    ///
    /// # Errors
    /// When it has too few readings.
    pub fn report(&self, reports: &Reports, wish: Option<DistanceBase>) -> Result<Arc<Report>, TooFewReadings> {
        let read = || Report::new(self.session(), self.basis(wish), self.expected.as_ref());
        reports.of(&self.stored, wish, read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::{Consumption, Distance, Speed};
    use spare_hour_formats::read_session;
    use spare_hour_store::{NewCurve, NewSession};

    fn stored(text: &str, car: Option<KnownCar>) -> (tempfile::TempDir, Store, i32) {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let car = car.map(|car| store.add_car(&car).unwrap());
        let session = read_session(text).unwrap();
        let new = NewSession { car, name: "s".into(), source_name: "s".into(), source_text: text.into(), session };
        let id = store.add_session(&new).unwrap();
        (directory, store, id)
    }

    const LINES: &str = "0:00 10 150\n4:00 30 160\n10:00 50 110\n30:00 81 40\n";

    #[test]
    fn a_session_without_a_car_says_that_its_capacity_is_a_guess() {
        let (_directory, store, id) = stored(LINES, None);
        let loaded = ReadCharge::new(&store, id).unwrap();
        assert!(loaded.usable_is_guessed());
        assert_eq!(loaded.basis(None).usable, Energy::kwh(UNKNOWN_KWH));
        let (_directory, store, id) = stored("# usable_kwh: 70\nelapsed,soc\n0:00,10\n5:00,30\n", None);
        let loaded = ReadCharge::new(&store, id).unwrap();
        assert!(!loaded.usable_is_guessed() && loaded.basis(None).range.is_none());
    }

    #[test]
    fn distances_are_on_the_base_that_is_wished_or_known() {
        let distances = Distances {
            rated: Some(Distance::km(400.0)),
            constant_speed: Some((Distance::km(320.0), Speed::kmh(120.0))),
            own: Some(Consumption::kwh_per_100km(16.0)),
        };
        let car =
            KnownCar { distances, distance_base: DistanceBase::Own, ..KnownCar::new("Tern", Energy::kwh(64.0), 8.0) };
        let (_directory, store, id) = stored(LINES, Some(car));
        let loaded = ReadCharge::new(&store, id).unwrap();
        // 64 kWh at 16 kWh/100 km are 400 km.
        let basis = loaded.basis(None);
        assert_eq!((basis.base, basis.range), (DistanceBase::Own, Some(Distance::km(400.0))));
        let basis = loaded.basis(Some(DistanceBase::ConstantSpeed));
        assert_eq!(basis.range, Some(Distance::km(320.0)));
    }

    #[test]
    fn a_session_is_not_held_against_its_own_curve() {
        let (_directory, store, id) = stored(LINES, Some(KnownCar::new("Tern", Energy::kwh(64.0), 8.0)));
        let curve = |session| NewCurve { session, ..NewCurve::new(1, "c", Profile::constant(100.0)) };
        store.add_curve_in_use(&curve(Some(id))).unwrap();
        assert!(ReadCharge::new(&store, id).unwrap().expected.is_none());
        store.add_curve_in_use(&curve(None)).unwrap();
        assert!(ReadCharge::new(&store, id).unwrap().expected.is_some());
    }
}
