//! A session with its car, and what is read off it on a base of distances.

use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::Energy;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::TooFewReadings;
use spare_hour_store::{Car, Store, StoredSession};

use crate::error::WebError;
use crate::say;

/// Capacity taken for a session whose car and file do not say it, kWh. Said on the page.
const UNKNOWN_KWH: f64 = 60.0;

/// A session with its car.
pub(crate) struct Loaded {
    pub(crate) stored: StoredSession,
    pub(crate) car: Option<Car>,
    /// The units that it is told in.
    pub(crate) units: Units,
    /// What the car's curve in use expects, unless it was made of this session.
    expected: Option<Profile>,
}

impl Loaded {
    pub(crate) fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        let stored = store.session(id)?;
        let car = stored.about.car.map(|car| store.car(car)).transpose()?;
        let curve = car.as_ref().and_then(|car| car.curve).map(|curve| store.curve(curve)).transpose()?;
        let expected = curve.filter(|curve| curve.about.session != Some(id)).map(|curve| curve.about.power);
        Ok(Self { stored, car, units: store.settings()?.units, expected })
    }

    pub(crate) fn session(&self) -> &Session {
        &self.stored.about.session
    }

    /// What is known of how far the car goes; the file's own rated range counts more than the car's.
    pub(crate) fn distances(&self) -> Distances {
        let car = self.car.as_ref().map(|car| car.about.distances).unwrap_or_default();
        Distances { rated: self.session().conditions.rated_range.or(car.rated), ..car }
    }

    fn usable(&self) -> Energy {
        let car = self.car.as_ref().map(|car| car.about.usable);
        self.session().conditions.usable.or(car).unwrap_or(Energy::kwh(UNKNOWN_KWH))
    }

    /// Whether nobody has said the usable capacity.
    pub(crate) fn usable_is_guessed(&self) -> bool {
        self.session().conditions.usable.is_none() && self.car.is_none()
    }

    /// What the session's figures rest on, with distances on the wished base, else on the car's.
    pub(crate) fn basis(&self, wish: Option<DistanceBase>) -> Basis {
        let car = self.car.as_ref().map(|car| &car.about);
        let wish = wish.or(car.map(|car| car.distance_base)).unwrap_or_default();
        let (base, range) = self.distances().or_first_known(wish, self.usable());
        Basis { usable: self.usable(), range, base, loss_percent: car.map(|car| car.charge_loss_percent) }
    }

    /// Everything that is read off the session.
    pub(crate) fn report(&self, wish: Option<DistanceBase>) -> Result<Report, TooFewReadings> {
        Report::new(self.session(), self.basis(wish), self.expected.as_ref())
    }

    /// A base of distances in words.
    pub(crate) fn base_name(&self, base: DistanceBase) -> String {
        let distances = self.distances();
        match base {
            DistanceBase::Rated => "rated range".into(),
            DistanceBase::ConstantSpeed => match distances.constant_speed {
                Some((_, speed)) => format!("at {}", say::speed(self.units, speed)),
                None => "at a constant speed".into(),
            },
            DistanceBase::Own => match distances.own {
                Some(own) => format!("own {}", say::consumption(self.units, own)),
                None => "own consumption".into(),
            },
        }
    }

    /// The bases that are known: word for addresses, name, whether it is the one in use.
    pub(crate) fn bases(&self, used: DistanceBase) -> Vec<(&'static str, String, bool)> {
        let known = |base: &DistanceBase| self.distances().range(*base, self.usable()).is_some();
        DistanceBase::ALL
            .into_iter()
            .filter(known)
            .map(|base| (base_word(base), self.base_name(base), base == used))
            .collect()
    }
}

/// A base of distances as addresses and forms name it.
pub(crate) fn base_word(base: DistanceBase) -> &'static str {
    match base {
        DistanceBase::Rated => "rated",
        DistanceBase::ConstantSpeed => "constant-speed",
        DistanceBase::Own => "own",
    }
}

/// The base that a word names.
pub(crate) fn parse_base(word: Option<&str>) -> Option<DistanceBase> {
    DistanceBase::ALL.into_iter().find(|base| word == Some(base_word(*base)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::known_car::KnownCar;
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
        let loaded = Loaded::new(&store, id).unwrap();
        assert!(loaded.usable_is_guessed() && loaded.bases(DistanceBase::Rated).is_empty());
        assert_eq!(loaded.basis(None).usable, Energy::kwh(UNKNOWN_KWH));
        let (_directory, store, id) = stored("# usable_kwh: 70\nelapsed,soc\n0:00,10\n5:00,30\n", None);
        let loaded = Loaded::new(&store, id).unwrap();
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
        let loaded = Loaded::new(&store, id).unwrap();
        // 64 kWh at 16 kWh/100 km are 400 km.
        let basis = loaded.basis(None);
        assert_eq!((basis.base, basis.range), (DistanceBase::Own, Some(Distance::km(400.0))));
        let basis = loaded.basis(parse_base(Some("constant-speed")));
        assert_eq!(basis.range, Some(Distance::km(320.0)));
        let names: Vec<String> = loaded.bases(DistanceBase::Own).into_iter().map(|base| base.1).collect();
        assert_eq!(names, ["rated range", "at 120 km/h", "own 16.0 kWh/100 km"]);
        assert_eq!(parse_base(Some("crow")), None);
    }

    #[test]
    fn a_session_is_not_held_against_its_own_curve() {
        let (_directory, store, id) = stored(LINES, Some(KnownCar::new("Tern", Energy::kwh(64.0), 8.0)));
        let curve = |session| NewCurve { session, ..NewCurve::new(1, "c", Profile::constant(100.0)) };
        store.add_curve_in_use(&curve(Some(id))).unwrap();
        assert!(Loaded::new(&store, id).unwrap().expected.is_none());
        store.add_curve_in_use(&curve(None)).unwrap();
        assert!(Loaded::new(&store, id).unwrap().expected.is_some());
    }
}
