//! The road drawn: its heights, and what it takes, stretch by stretch.

use spare_hour_core::driving::road::Stretch;
use spare_hour_core::driving::route::Route;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Distance, Power};

use crate::charts::{BOTTOM, Line, Plot, Scale, TOP, path, ticks, ticks_between, x_scale};

/// Most corners of a drawn line; longer roads are drawn by every so many stretches.
const MOST_CORNERS: usize = 600;

fn plot(key: &'static str, y_name: &str, length: Distance, units: Units) -> (Plot, Scale) {
    let x_name = match units.distance {
        DistanceUnit::Kilometres => "km along the road",
        DistanceUnit::Miles => "miles along the road",
    };
    let most = units.distance.of(length);
    let x = x_scale(0.0, most);
    (Plot { x_ticks: ticks(most, 8.0, &x), ..Plot::new(key, x_name, y_name) }, x)
}

/// Heights at the ends of stretches, from the mean height of the first.
pub(super) fn heights(stretches: &[Stretch], units: Units) -> Plot {
    let length = Distance::km(stretches.iter().map(|stretch| stretch.length.get()).sum());
    let (mut plot, x) = plot("heights", "m", length, units);
    let start =
        stretches.first().map_or(0.0, |first| first.height.get() - (first.climb.get() - first.descent.get()) / 2.0);
    let mut points = vec![(0.0, start)];
    let (mut at, mut height) = (0.0, start);
    for stretch in stretches {
        at += stretch.length.get();
        height += stretch.climb.get() - stretch.descent.get();
        points.push((units.distance.of(Distance::km(at)), height));
    }
    let heights = points.iter().map(|point| point.1);
    let (low, high) = heights.fold((f64::MAX, f64::MIN), |(low, high), height| (low.min(height), high.max(height)));
    let y = axis(&mut plot, low, high.max(low + 100.0));
    plot.told = format!("Heights along the road, from {low:.0} m to {high:.0} m.");
    plot.lines = vec![Line { class: "drive", path: path(thinned(&points), &x, &y), label: None }];
    plot
}

/// Power from the battery along the road: what each stretch takes of it.
pub(super) fn takes(route: &Route, units: Units) -> Plot {
    let (mut plot, x) = plot("takes", "kW from the battery", route.length(), units);
    let mut points = Vec::with_capacity(2 * route.segments().len());
    let mut at = 0.0;
    for segment in route.segments() {
        let power = Power::kw(segment.consumption.get() * segment.speed.get() / 100.0).get();
        points.push((units.distance.of(Distance::km(at)), power));
        at += segment.length.get();
        points.push((units.distance.of(Distance::km(at)), power));
    }
    let powers = points.iter().map(|point| point.1);
    let (low, high) = powers.fold((0.0_f64, 10.0_f64), |(low, high), power| (low.min(power), high.max(power)));
    let y = axis(&mut plot, low, 1.05 * high);
    plot.told = format!("Power from the battery along the road, from {low:.0} kW to {high:.0} kW.");
    plot.lines = vec![Line { class: "charge", path: path(thinned(&points), &x, &y), label: None }];
    plot
}

/// A y axis from the least, which may be below nought, to the most.
fn axis(plot: &mut Plot, low: f64, high: f64) -> Scale {
    let y = Scale::new((low, high), (BOTTOM, TOP));
    plot.y_ticks = ticks_between(low, high, 5.0, &y);
    y
}

/// Every so many points, and the last.
fn thinned(points: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let every = points.len().div_ceil(MOST_CORNERS).max(1);
    let last = points.len().saturating_sub(1);
    let kept = points.iter().enumerate().filter(|(index, _)| index % every == 0 || *index == last);
    kept.map(|(_, point)| *point).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::driving::route::Segment;
    use spare_hour_core::quantity::{Consumption, Height, Speed};

    #[test]
    fn heights_begin_where_the_first_stretch_does() {
        let up = Stretch {
            climb: Height::metres(200.0),
            height: Height::metres(600.0),
            ..Stretch::level(Distance::km(10.0))
        };
        let down = Stretch { climb: Height::metres(0.0), descent: Height::metres(300.0), ..up };
        let plot = heights(&[up, down], Units::default());
        assert_eq!(plot.told, "Heights along the road, from 400 m to 700 m.");
        assert_eq!(plot.lines[0].path.matches('L').count(), 2);
    }

    #[test]
    fn what_is_taken_is_a_power() {
        let segment = |kmh: f64, kwh: f64| Segment {
            length: Distance::km(10.0),
            speed: Speed::kmh(kmh),
            consumption: Consumption::kwh_per_100km(kwh),
        };
        // By hand: 20 kWh/100 km at 120 km/h are 24 kW; −10 at 60 are −6 kW.
        let plot = takes(&Route::new(vec![segment(120.0, 20.0), segment(60.0, -10.0)]), Units::default());
        assert_eq!(plot.told, "Power from the battery along the road, from -6 kW to 24 kW.");
    }

    #[test]
    fn a_long_road_is_drawn_by_fewer_points() {
        let points: Vec<(f64, f64)> = (0..20_000).map(|index| (f64::from(index), 0.0)).collect();
        let thin = thinned(&points);
        assert!(thin.len() <= MOST_CORNERS + 1 && thin.last() == points.last());
    }
}
