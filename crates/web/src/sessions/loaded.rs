//! A session with its car, and what is read off it on a base of distances.

use spare_hour_core::analysis::Basis;
use spare_hour_core::distance_base::{DistanceBase, Distances};
use spare_hour_core::profile::Profile;
use spare_hour_core::quantity::Energy;
use spare_hour_core::report::Report;
use spare_hour_core::session::Session;
use spare_hour_core::soc_timeline::TooFewReadings;
use spare_hour_store::{Car, Store, StoredSession};

use crate::error::WebError;

/// Capacity taken for a session whose car and file do not say it, kWh. Said on the page.
const UNKNOWN_KWH: f64 = 60.0;

/// A session with its car.
pub(crate) struct Loaded {
    pub(crate) stored: StoredSession,
    pub(crate) car: Option<Car>,
    /// What the car's curve in use expects, unless it was made of this session.
    expected: Option<Profile>,
}

impl Loaded {
    pub(crate) fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        let stored = store.session(id)?;
        let car = stored.about.car.map(|car| store.car(car)).transpose()?;
        let curve = car.as_ref().and_then(|car| car.curve).map(|curve| store.curve(curve)).transpose()?;
        let expected = curve.filter(|curve| curve.about.session != Some(id)).map(|curve| curve.about.power);
        Ok(Self { stored, car, expected })
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
                Some((_, speed)) => format!("at {:.0} km/h", speed.get()),
                None => "at a constant speed".into(),
            },
            DistanceBase::Own => match distances.own {
                Some(own) => format!("own {:.1} kWh/100 km", own.get()),
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
