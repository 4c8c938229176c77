//! What can be compared: sessions, and curves of cars, which are charged in the head from end to end.

use std::sync::Arc;

use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::quantity::{Power, Soc};
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::compare::Run;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::{Conditions, Meter, Reading, Session};
use spare_hour_planning::read_charge::{ReadCharge, Reports};
use spare_hour_store::{Car, Curve, Store};

use crate::http::error::WebError;

/// Something that may be compared, in the list.
pub(super) struct Choice {
    pub(super) key: String,
    pub(super) name: String,
    pub(super) chosen: bool,
}

/// A session or a curve with what is read off it.
pub(super) struct OwnedRun {
    /// As in addresses: `s3`, `c2`.
    pub(super) key: String,
    pub(super) name: String,
    pub(super) session: Session,
    pub(super) report: Arc<Report>,
    car: Option<i32>,
    boosted: bool,
}

/// All sessions, newest first, then all curves.
pub(super) fn choices(store: &Store, chosen: &[String]) -> Result<Vec<Choice>, WebError> {
    let choice = |key: String, name: String| Choice { chosen: chosen.contains(&key), key, name };
    let mut choices: Vec<Choice> =
        store.sessions()?.into_iter().map(|line| choice(format!("s{}", line.id), line.name)).collect();
    for car in store.cars()? {
        for curve in store.curves_of(car.id)? {
            let name = format!("curve of {}: {}", car.about.name, curve.about.name);
            choices.push(choice(format!("c{}", curve.id), name));
        }
    }
    Ok(choices)
}

impl OwnedRun {
    pub(super) fn new(
        store: &Store,
        key: &str,
        wish: Option<DistanceBase>,
        reports: &Reports,
    ) -> Result<Self, WebError> {
        let (kind, number) = key.split_at(1);
        let id: i32 = number.parse().map_err(|_| WebError::NotFound)?;
        if kind == "c" {
            let curve = store.curve(id)?;
            let car = store.car(curve.about.car)?;
            return Self::of_curve(key, &curve, &car, wish);
        }
        let loaded = ReadCharge::new(store, id)?;
        let refuse = |error: spare_hour_core::session::soc_timeline::TooFewReadings| {
            WebError::Refused(format!("“{}” cannot be compared: {error}.", loaded.stored.about.name))
        };
        let report = loaded.report(reports, wish).map_err(refuse)?;
        let boosted = loaded.car.as_ref().is_some_and(|car| car.about.boost.is_some());
        let about = loaded.stored.about;
        Ok(Self { key: key.into(), name: about.name, session: about.session, report, car: about.car, boosted })
    }

    fn of_curve(key: &str, curve: &Curve, car: &Car, wish: Option<DistanceBase>) -> Result<Self, WebError> {
        let session = charged(curve, car);
        let usable = car.about.usable;
        let (base, range) = car.about.distances.or_first_known(wish.unwrap_or(car.about.distance_base), usable);
        let basis = Basis { usable, range, base, loss_percent: Some(car.about.charge_loss_percent) };
        let report = Report::new(&session, basis, None).map_err(|error| WebError::Refused(error.to_string()))?;
        let report = Arc::new(report);
        let name = format!("curve of {}: {}", car.about.name, curve.about.name);
        Ok(Self { key: key.into(), name, session, report, car: None, boosted: false })
    }

    pub(super) fn run(&self) -> Run<'_> {
        Run { name: &self.name, car: self.car, boosted: self.boosted, session: &self.session, report: &self.report }
    }
}

/// A charge along a curve: a reading every half percent, by the car's meter, over what was measured or else from 0 to 99 %.
fn charged(curve: &Curve, car: &Car) -> Session {
    let time = ChargingTime::new(&curve.about.power, car.about.usable);
    let (from, to) = curve.about.measured.unwrap_or((Soc::percent(0.0), Soc::percent(99.0)));
    let steps = ((to - from).get() * 2.0).ceil().max(1.0) as usize;
    let reading = |step: usize| {
        let soc = from + (to - from) * (step as f64 / steps as f64);
        Reading {
            elapsed: time.minutes(from, soc),
            soc: Some(soc),
            power: Some(Power::kw(curve.about.power.at(soc.get()))),
            ..Reading::default()
        }
    };
    let conditions = Conditions { meter: Meter::Car, ..Conditions::default() };
    Session { readings: (0..=steps).map(reading).collect(), conditions }
}
