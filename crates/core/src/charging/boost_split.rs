//! A charge whose power stepped down, taken as a boost and the curve beneath it.
//!
//! Up to the step the readings are the boost's; beneath it the car's own curve was not seen, and is taken to be no more
//! than the power after the step. After the step they are the curve's. The boost's own curve goes on flat.

use crate::charging::curve_fit::FittedCurve;
use crate::charging::profile::Profile;
use crate::quantity::{Minutes, Soc};
use crate::trip::Boost;

/// A boost and the curve beneath it.
#[derive(Clone, Debug)]
pub struct BoostSplit {
    /// The boost.
    pub boost: Boost,
    /// Power into the battery without it, kW over SoC.
    pub sustained: Profile,
}

/// Splits a curve at a step: `lasts` is when it came, `step` the SoC before and after it, `start` where the charge began.
/// `None` where nothing is left on one side.
pub fn split_boost(curve: &FittedCurve, lasts: Minutes, step: (Soc, Soc), start: Soc) -> Option<BoostSplit> {
    let (before, after) = (step.0.get(), step.1.get());
    let beneath = curve.power.at(after);
    let boosted: Vec<(f64, f64)> = curve.power.points().iter().copied().filter(|point| point.0 <= before).collect();
    let mut sustained = vec![(start.get(), beneath)];
    sustained.extend(curve.power.points().iter().copied().filter(|point| point.0 >= after));
    let boost = Boost { time: lasts, max_start: start, charge_curve: Profile::new(boosted).ok()? };
    Some(BoostSplit { boost, sustained: Profile::new(sustained).ok()? })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Energy, Power};
    use crate::session::{Meter, Reading, Session};

    #[test]
    fn a_step_becomes_a_boost_over_a_curve() {
        // By hand: 150 kW for ten minutes from 10 %, then 100 kW; 60 kWh, by the car's meter.
        let (mut soc, mut readings) = (10.0, Vec::new());
        for second in 0..1500_u32 {
            let kw = if second < 600 { 150.0 } else { 100.0 };
            if second % 10 == 0 {
                let (elapsed, shown) = (Minutes::seconds(f64::from(second)), Soc::percent(f64::floor(soc)));
                readings.push(Reading { elapsed, soc: Some(shown), power: Some(Power::kw(kw)), ..Reading::default() });
            }
            soc += kw / 36.0 / 60.0;
        }
        let mut session = Session { readings, ..Session::default() };
        session.conditions.meter = Meter::Car;
        let curve = FittedCurve::new(&session, Energy::kwh(60.0)).unwrap();
        let step = (Soc::percent(51.0), Soc::percent(52.5));
        let split = split_boost(&curve, Minutes::new(10.0), step, Soc::percent(10.0)).unwrap();
        assert!((split.boost.charge_curve.at(30.0) - 150.0).abs() < 4.0, "{:?}", split.boost.charge_curve.at(30.0));
        assert!((split.sustained.at(30.0) - 100.0).abs() < 4.0 && (split.sustained.at(60.0) - 100.0).abs() < 4.0);
        assert_eq!((split.boost.time, split.boost.max_start), (Minutes::new(10.0), Soc::percent(10.0)));
    }
}
