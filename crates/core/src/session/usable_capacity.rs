//! Usable capacity from a session: E = stored / (Δs/100), in kWh, with what the display's whole percents leave open.
//!
//! Stored is what the car's meter counted, or the station's times (1 − loss/100) with a loss known from elsewhere: one
//! session cannot tell both. Each end of Δs is uniform within one step of the display, so Δs has a standard deviation of
//! step/√6, less for readings at ticks; the interval given is twice that. A counter cut to whole steps hides half a step on
//! average where it began at nought, whole kilowatts up to half of one. A loss that is a guess counts with ±3 points.

use crate::quantity::Energy;
use crate::session::Meter;
use crate::session::analysis::Analysis;

/// How sure the loss of a station's session is, percentage points either way.
const LOSS_UNSURE: f64 = 3.0;
/// Least SoC gained that a capacity is estimated from, points.
const FEWEST_POINTS: f64 = 20.0;

/// How a capacity was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Method {
    /// By the car's own meter.
    CarMeter,
    /// By the station's meter less a loss in %, known from elsewhere.
    StationLessLoss(f64),
}

/// An estimate of usable capacity.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UsableCapacity {
    /// The estimate.
    pub energy: Energy,
    /// Half the interval that it lies in, about 19 times in 20.
    pub plus_minus: Energy,
    /// How it was found.
    pub method: Method,
}

impl UsableCapacity {
    /// The capacity that a session implies; `None` where no meter covers it, the loss is not known, or it is shorter
    /// than 20 points.
    pub fn new(analysis: &Analysis) -> Option<Self> {
        let points = (analysis.timeline.end_soc() - analysis.timeline.start_soc()).get();
        let (metered, cut) = (analysis.metered()?.get(), hidden_by_counter(analysis));
        let metered = metered + cut / 2.0;
        if points < FEWEST_POINTS || metered <= 0.0 {
            return None;
        }
        let (method, stored, unsure) = match analysis.meter() {
            Meter::Car => (Method::CarMeter, metered, 0.0),
            Meter::Station => {
                let loss = analysis.basis().loss_percent?;
                (Method::StationLessLoss(loss), metered * (1.0 - loss / 100.0), LOSS_UNSURE / (100.0 - loss))
            }
        };
        let energy = 100.0 * stored / points;
        let by_display = 2.0 * analysis.timeline.gain_unsure() / points;
        let by_meter = (cut / 2.0).hypot(hidden_by_power(analysis)) / metered;
        let share = by_display.hypot(unsure).hypot(by_meter);
        Some(Self { energy: Energy::kwh(energy), plus_minus: Energy::kwh(energy * share), method })
    }
}

/// The step of a counter that began at nought and is cut to whole steps: what it hides at the end, kWh. Where it began
/// with something, the two ends hide alike.
fn hidden_by_counter(analysis: &Analysis) -> f64 {
    let counts: Vec<f64> = analysis.timeline.moments().iter().filter_map(|moment| moment.kwh).collect();
    let Some(&first) = counts.first() else { return 0.0 };
    let shown_in = |step: f64| counts.iter().all(|kwh| ((kwh / step).round() * step - kwh).abs() < 1e-6);
    let step = [1.0, 0.1, 0.01].into_iter().find(|&step| shown_in(step)).unwrap_or(0.0);
    // A few counts may be whole by chance.
    if first.abs() < 1e-9 && counts.len() >= 5 { step } else { 0.0 }
}

/// What whole kilowatts may hide where there is no counter: half of one, all the time, kWh.
fn hidden_by_power(analysis: &Analysis) -> f64 {
    let moments = analysis.timeline.moments();
    let whole = moments.iter().filter_map(|moment| moment.kw).all(|kw| kw.fract() == 0.0);
    let counted = moments.iter().any(|moment| moment.kwh.is_some());
    if whole && !counted { 0.5 * analysis.minutes.get() / 60.0 } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Minutes, Soc};
    use crate::session::analysis::Basis;
    use crate::session::distance_base::DistanceBase;
    use crate::session::{Conditions, Reading, Session};

    fn estimate(meter: Meter, loss_percent: Option<f64>, counted: f64, to: f64) -> Option<UsableCapacity> {
        let reading = |minute: f64, soc: f64, kwh: f64| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            energy: Some(Energy::kwh(kwh)),
            ..Reading::default()
        };
        let readings = vec![reading(0.0, 10.0, 0.0), reading(40.0, to, counted)];
        let session = Session { readings, conditions: Conditions { meter, ..Conditions::default() } };
        let basis = Basis { usable: Energy::kwh(60.0), range: None, base: DistanceBase::Rated, loss_percent };
        UsableCapacity::new(&Analysis::new(&session, basis).unwrap())
    }

    #[test]
    fn by_either_meter() {
        // By hand: 44.1 kWh for 70 points are 63 kWh; 2/√6/70 of that is 0.735 kWh.
        let by_car = estimate(Meter::Car, None, 44.1, 80.0).unwrap();
        assert!((by_car.energy.get() - 63.0).abs() < 1e-9 && (by_car.plus_minus.get() - 0.7348).abs() < 1e-3);
        let by_station = estimate(Meter::Station, Some(10.0), 49.0, 80.0).unwrap();
        assert!((by_station.energy.get() - 63.0).abs() < 1e-9 && by_station.plus_minus.get() > 2.0);
        assert_eq!(by_station.method, Method::StationLessLoss(10.0));
    }

    #[test]
    fn says_nothing_where_it_cannot() {
        assert_eq!(estimate(Meter::Station, None, 49.0, 80.0), None);
        assert_eq!(estimate(Meter::Car, None, 10.0, 25.0), None);
    }
}
