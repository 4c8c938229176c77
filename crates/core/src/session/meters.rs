//! Both meters beside each other: what left the plug against what entered the battery, and the loss over power.
//!
//! By parts of ten points of SoC, each with its mean power at the plug: loss = 1 − stored / plug, in % of the plug's energy.
//! What is stored is told by the car's meter where there is such a session of the same charge, else by points and capacity,
//! which is exact as a whole but not for a part: a display's percent need not be alike everywhere.

use crate::quantity::{Energy, Minutes, Power, Soc};
use crate::session::Meter;
use crate::session::analysis::Analysis;

/// Points of a part.
const PART: f64 = 10.0;

/// A part of a charge by both meters.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PartByMeters {
    /// Where it begins.
    pub from: Soc,
    /// Where it ends.
    pub to: Soc,
    /// What left the plug.
    pub plug: Energy,
    /// What entered the battery.
    pub stored: Energy,
    /// Mean power at the plug.
    pub power: Power,
}

impl PartByMeters {
    /// Loss in % of the plug's energy.
    pub fn loss_percent(&self) -> f64 {
        100.0 * (1.0 - self.stored / self.plug)
    }
}

/// The parts of a charge that a station metered, held against the car's meter of the same charge, where there is one, else against
/// points and capacity. Empty where nothing metered the plug, and where `car` is no reading of a car's meter.
pub fn by_meters(station: &Analysis, car: Option<&Analysis>) -> Vec<PartByMeters> {
    if station.meter() != Meter::Station || station.metered().is_none() || car.is_some_and(|car| !is_of_car(car)) {
        return Vec::new();
    }
    let bounds = |analysis: &Analysis| (analysis.timeline.start_soc().get(), analysis.timeline.end_soc().get());
    let (low, high) = car.map_or((0.0, 100.0), bounds);
    let (first, last) = bounds(station);
    let (first, last) = ((first.max(low) / PART).ceil() as i32, (last.min(high) / PART).floor() as i32);
    let part = |tens: i32| {
        let (from, to) = (Soc::percent(PART * f64::from(tens)), Soc::percent(PART * f64::from(tens + 1)));
        let between =
            |analysis: &Analysis| Some((analysis.timeline.minute_at(from)?, analysis.timeline.minute_at(to)?));
        let metered = |analysis: &Analysis| {
            let (begin, end) = between(analysis)?;
            Some(Energy::kwh(analysis.metered_by(end)?.get() - analysis.metered_by(begin)?.get()))
        };
        let (begin, end): (Minutes, Minutes) = between(station)?;
        let plug = metered(station).filter(|plug| plug.get() > 0.0)?;
        let stored = match car {
            Some(car) => metered(car)?,
            None => station.basis().usable * (PART / 100.0),
        };
        Some(PartByMeters { from, to, plug, stored, power: plug / (end - begin) })
    };
    (first..last).filter_map(part).collect()
}

fn is_of_car(analysis: &Analysis) -> bool {
    analysis.meter() == Meter::Car && analysis.metered().is_some()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::analysis::Basis;
    use crate::session::distance_base::DistanceBase;
    use crate::session::{Conditions, Reading, Session};

    /// A charge of 60 kWh at 90 kW into the battery up to 50 %, 36 kW above; a meter that shows so many times that.
    fn metered(meter: Meter, shown: fn(f64) -> f64) -> Analysis {
        let mut readings = Vec::new();
        let (mut minute, mut kwh) = (0.0, 0.0);
        for soc in 10..=80 {
            let kw = if soc < 50 { 90.0 } else { 36.0 };
            readings.push(Reading {
                elapsed: Minutes::new(minute),
                soc: Some(Soc::percent(f64::from(soc))),
                power: Some(Power::kw(shown(kw))),
                energy: Some(Energy::kwh(kwh)),
                ..Reading::default()
            });
            minute += 0.6 / kw * 60.0;
            kwh += 0.6 * shown(kw) / kw;
        }
        let session = Session { readings, conditions: Conditions { meter, ..Conditions::default() } };
        let basis =
            Basis { usable: Energy::kwh(60.0), range: None, base: DistanceBase::Rated, loss_percent: Some(8.0) };
        Analysis::new(&session, basis).unwrap()
    }

    #[test]
    fn the_loss_at_each_power_by_hand() {
        // The station gives a tenth more than 90 kW and a twentieth more than 36: losses of 9.09 and 4.76 % of the plug's.
        let station = metered(Meter::Station, |kw| if kw > 50.0 { 1.1 * kw } else { 1.05 * kw });
        let car = metered(Meter::Car, |kw| kw);
        for parts in [by_meters(&station, Some(&car)), by_meters(&station, None)] {
            let losses: Vec<f64> = parts.iter().map(PartByMeters::loss_percent).collect();
            assert_eq!(parts.len(), 7);
            assert!(losses[..4].iter().all(|loss| (loss - 100.0 / 11.0).abs() < 0.05), "{losses:?}");
            assert!(losses[4..].iter().all(|loss| (loss - 100.0 / 21.0).abs() < 0.05), "{losses:?}");
            assert!((parts[0].power.get() - 99.0).abs() < 0.1 && (parts[6].power.get() - 37.8).abs() < 0.1);
        }
        assert!(by_meters(&car, None).is_empty() && by_meters(&station, Some(&station)).is_empty());
    }
}
