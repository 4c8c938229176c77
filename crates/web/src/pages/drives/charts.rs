//! Consumption over speed and over temperature: the fit with the interval of a drive, and the drives as points.

use spare_hour_core::driving::consumption_fit::ConsumptionFit;
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::driving::drive_findings::counts;
use spare_hour_core::quantity::units::{ConsumptionUnit, DistanceUnit, TemperatureUnit, Units};
use spare_hour_core::quantity::{Consumption, Energy, Mass, Speed, Temperature};

use crate::charts::{Line, Plot, Scale, Tick, path, ticks, x_scale, y_scale};
use spare_hour_wording::figures;

/// Speeds and temperatures that are drawn.
const SPEEDS: (f64, f64) = (20.0, 150.0);
const TEMPERATURES: (f64, f64) = (-20.0, 40.0);
/// Points of a curve.
const POINTS: usize = 40;
/// Most drives that are drawn; of longer logs every so many.
const MOST_POINTS: usize = 1_000;
/// Most consumption that is drawn, kWh/100 km.
const MOST: f64 = 60.0;
/// The least that is drawn where more is better.
const LEAST: f64 = 6.0;

/// Consumption at one x: middle, low, high.
type Curve = Vec<(f64, [f64; 3])>;

pub(super) fn over_speed(
    fit: &ConsumptionFit,
    drives: &[Drive],
    usable: Energy,
    outside: Temperature,
    units: Units,
) -> Plot {
    let at = |kmh: f64| fit.predict(Speed::kmh(kmh), outside, Some(Speed::kmh(0.0)), Mass::kg(0.0));
    let points = drives.iter().filter(|drive| counts(drive, usable));
    let points = points.filter_map(|drive| Some((drive.speed()?.get(), drive.consumption(usable).get())));
    let axis = |kmh: f64| units.distance.of_speed(Speed::kmh(kmh));
    let points = points.map(|point| (axis(point.0), tell(units, point.1))).collect();
    let curve = curve(SPEEDS, |x| {
        let said = at(x);
        [said.middle.get(), said.low.get(), said.high.get()]
    });
    let curve = curve.into_iter().map(|(x, said)| (axis(x), said.map(|kwh| tell(units, kwh)))).collect();
    let (degrees, count) = (figures::temperature(units, outside), drives.len());
    let told = format!("Consumption over speed at {degrees}, with {count} drives.");
    let name = match units.distance {
        DistanceUnit::Kilometres => "mean speed, km/h",
        DistanceUnit::Miles => "mean speed, mph",
    };
    let range = (axis(SPEEDS.0), axis(SPEEDS.1));
    Plot { told, ..plot("speed", (name, units.consumption), range, &curve, points) }
}

pub(super) fn over_temperature(
    fit: &ConsumptionFit,
    drives: &[Drive],
    usable: Energy,
    speed: Speed,
    units: Units,
) -> Plot {
    let at = |celsius: f64| fit.predict(speed, Temperature::celsius(celsius), Some(Speed::kmh(0.0)), Mass::kg(0.0));
    let points = drives.iter().filter(|drive| counts(drive, usable));
    let axis = |celsius: f64| units.temperature.of(Temperature::celsius(celsius));
    let point = |drive: &Drive| Some((axis(drive.outside?.get()), tell(units, drive.consumption(usable).get())));
    let points = points.filter_map(point).collect();
    let curve = curve(TEMPERATURES, |x| {
        let said = at(x);
        [said.middle.get(), said.low.get(), said.high.get()]
    });
    let curve = curve.into_iter().map(|(x, said)| (axis(x), said.map(|kwh| tell(units, kwh)))).collect();
    let told =
        format!("Consumption over temperature at {}, with {} drives.", figures::speed(units, speed), drives.len());
    let name = match units.temperature {
        TemperatureUnit::Celsius => "outside, °C",
        TemperatureUnit::Fahrenheit => "outside, °F",
    };
    let range = (axis(TEMPERATURES.0), axis(TEMPERATURES.1));
    Plot { told, ..plot("temperature", (name, units.consumption), range, &curve, points) }
}

/// A consumption in kWh/100 km as it is told.
fn tell(units: Units, kwh: f64) -> f64 {
    units.consumption.of(Consumption::kwh_per_100km(kwh))
}

fn curve((from, to): (f64, f64), at: impl Fn(f64) -> [f64; 3]) -> Curve {
    (0..=POINTS).map(|index| from + (to - from) * index as f64 / POINTS as f64).map(|x| (x, at(x))).collect()
}

fn plot(
    key: &'static str,
    (x_name, unit): (&'static str, ConsumptionUnit),
    range: (f64, f64),
    curve: &Curve,
    points: Vec<(f64, f64)>,
) -> Plot {
    let ends = curve.iter().flat_map(|point| point.1);
    let highest = ends.chain(points.iter().map(|point| point.1)).filter(|y| y.is_finite()).fold(0.0, f64::max);
    let cap = unit.of(Consumption::kwh_per_100km(if unit.is_reciprocal() { LEAST } else { MOST }));
    let most = (1.06 * highest).min(cap);
    let (x, y) = (x_scale(range.0, range.1), y_scale(most));
    let line = |which: usize| curve.iter().map(move |point| (point.0, point.1[which].min(most)));
    let every = points.len().div_ceil(MOST_POINTS).max(1);
    let inside = |point: &(f64, f64)| point.0 >= range.0 && point.0 <= range.1 && point.1 >= 0.0 && point.1 <= most;
    Plot {
        lines: vec![Line { class: "curve", path: path(line(0), &x, &y), label: None }],
        band: path(line(2).chain(line(1).collect::<Vec<_>>().into_iter().rev()), &x, &y),
        points: points.into_iter().step_by(every).filter(inside).map(|point| (x.at(point.0), y.at(point.1))).collect(),
        x_ticks: ticks_between(range, &x),
        y_ticks: ticks(most, 5.0, &y),
        ..Plot::new(key, x_name, unit.name())
    }
}

/// Ticks at every round ten or twenty of a range.
fn ticks_between((from, to): (f64, f64), scale: &Scale) -> Vec<Tick> {
    let step = if to - from > 100.0 { 20.0 } else { 10.0 };
    let count = ((to - from) / step) as usize;
    let first = (from / step).ceil() * step;
    let values = (0..=count).map(|index| first + step * index as f64).filter(|&value| value <= to);
    values.map(|value| Tick { at: scale.at(value), label: format!("{value:.0}") }).collect()
}
