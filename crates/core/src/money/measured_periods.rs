//! A measured charge cut into short periods, each with its energy, as a receipt wants them.

use crate::money::receipt::Period;
use crate::quantity::{Energy, Minutes};
use crate::session::analysis::Analysis;

/// Shortest period, minutes.
const EACH: f64 = 0.5;
/// Most periods.
const MOST: f64 = 2_000.0;

/// The periods of a measured charge, out of the plug; `None` where nothing tells what left it.
pub fn measured_periods(analysis: &Analysis) -> Option<Vec<Period>> {
    let (start, length) = (analysis.timeline.start(), analysis.minutes.get());
    let count = (length / EACH).ceil().clamp(1.0, MOST);
    let edge = |index: usize| start + Minutes::new(length * index as f64 / count);
    let plug: Option<Vec<f64>> = (0..=count as usize).map(|index| Some(analysis.plug_by(edge(index))?.get())).collect();
    let period = |pair: &[f64]| Period {
        time: Minutes::new(length / count),
        energy: Energy::kwh((pair[1] - pair[0]).max(0.0)),
        current: None,
        parking: false,
    };
    Some(plug?.windows(2).map(period).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Power, Soc};
    use crate::session::analysis::Basis;
    use crate::session::distance_base::DistanceBase;
    use crate::session::{Reading, Session};

    fn analysis(kw: Option<f64>, loss_percent: Option<f64>) -> Analysis {
        let reading = |minute: f64| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(20.0 + 2.0 * minute)),
            power: kw.map(Power::kw),
            ..Reading::default()
        };
        let readings = (0..=10).map(|step| reading(3.0 * f64::from(step))).collect();
        let session = Session { readings, ..Session::default() };
        let basis = Basis { usable: Energy::kwh(60.0), range: None, base: DistanceBase::Rated, loss_percent };
        Analysis::new(&session, basis).unwrap()
    }

    #[test]
    fn they_add_up_to_what_left_the_plug() {
        // By hand: 80 kW for half an hour are 40 kWh, in sixty periods.
        let periods = measured_periods(&analysis(Some(80.0), None)).unwrap();
        let energy: f64 = periods.iter().map(|period| period.energy.get()).sum();
        let minutes: f64 = periods.iter().map(|period| period.time.get()).sum();
        assert!((energy - 40.0).abs() < 1e-9 && (minutes - 30.0).abs() < 1e-9 && periods.len() == 60, "{energy}");
        // Without a meter: 60 points of 60 kWh are 36 stored, 40 from the plug with a tenth lost.
        let by_loss: f64 =
            measured_periods(&analysis(None, Some(10.0))).unwrap().iter().map(|period| period.energy.get()).sum();
        assert!((by_loss - 40.0).abs() < 1e-9);
        assert_eq!(measured_periods(&analysis(None, None)), None);
    }
}
