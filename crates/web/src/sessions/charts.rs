//! The pictures of a session: power over SoC, the minute bricks, SoC over minutes.

use spare_hour_core::analysis::Analysis;
use spare_hour_core::curve_fit::FittedCurve;
use spare_hour_core::quantity::Soc;

use crate::chart::{Scale, Tick, path, ticks};
use crate::say;

/// Points of readings drawn at most; of more, every so many-th.
const MOST_POINTS: usize = 400;
/// Width of a brick, %.
const BRICK: f64 = 5.0;
/// Shades of the bricks.
const SHADES: f64 = 5.0;

const LEFT: f64 = 46.0;
const RIGHT: f64 = 578.0;
const TOP: f64 = 26.0;
const BOTTOM: f64 = 256.0;

/// A chart with two axes.
#[derive(Clone, Debug)]
pub(crate) struct Plot {
    pub(crate) told: String,
    pub(crate) x_ticks: Vec<Tick>,
    pub(crate) y_ticks: Vec<Tick>,
    pub(crate) points: Vec<(f64, f64)>,
    pub(crate) line: String,
    pub(crate) assumed: Vec<String>,
    pub(crate) left: f64,
    pub(crate) right: f64,
    pub(crate) top: f64,
    pub(crate) bottom: f64,
}

fn plot(told: String, x_ticks: Vec<Tick>, y_ticks: Vec<Tick>) -> Plot {
    let (points, line, assumed) = (Vec::new(), String::new(), Vec::new());
    Plot { told, x_ticks, y_ticks, points, line, assumed, left: LEFT, right: RIGHT, top: TOP, bottom: BOTTOM }
}

/// Every so many-th, so that at most [`MOST_POINTS`] are left.
fn thinned<T>(items: impl ExactSizeIterator<Item = T>) -> impl Iterator<Item = T> {
    let every = items.len().div_ceil(MOST_POINTS).max(1);
    items.step_by(every)
}

/// Power over SoC: the readings as shown, and the curve into the battery.
pub(crate) fn power_over_soc(analysis: &Analysis, curve: &FittedCurve) -> Plot {
    let moments = analysis.timeline.moments();
    let shown = moments.iter().filter_map(|moment| moment.kw).fold(0.0, f64::max);
    let most = 1.06 * shown.max(curve.peak().get());
    let x = Scale::new((0.0, 100.0), (LEFT, RIGHT));
    let y = Scale::new((0.0, most), (BOTTOM, TOP));
    let (from, to) = (curve.measured.0.get(), curve.measured.1.get());
    let points = curve.power.points();
    let measured = points.iter().copied().filter(|point| point.0 >= from && point.0 <= to);
    let mut assumed = vec![path([(0.0, curve.power.at(0.0)), (from, curve.power.at(0.0))], &x, &y)];
    if let (Some(&last), Some(&before)) = (points.last(), points.iter().rev().nth(1))
        && to < 100.0
    {
        assumed.push(path([before, last], &x, &y));
    }
    let told = format!(
        "Power over state of charge, from {} to {}, at most {:.0} kW.",
        say::percent(curve.measured.0),
        say::percent(curve.measured.1),
        shown
    );
    Plot {
        points: thinned(moments.iter()).filter_map(|moment| Some((x.at(moment.soc), y.at(moment.kw?)))).collect(),
        line: path(measured, &x, &y),
        assumed,
        ..plot(told, ticks(100.0, 5.0, &x), ticks(most, 5.0, &y))
    }
}

/// SoC over minutes, the curve travellers understand.
pub(crate) fn soc_over_minutes(analysis: &Analysis) -> Plot {
    let start = analysis.timeline.start().get();
    let length = analysis.minutes.get();
    let x = Scale::new((0.0, length), (LEFT, RIGHT));
    let y = Scale::new((0.0, 100.0), (BOTTOM, TOP));
    let moments = || thinned(analysis.timeline.moments().iter()).map(|moment| (moment.minute - start, moment.soc));
    let told = format!(
        "State of charge over minutes: from {} to {} in {length:.0} minutes.",
        say::percent(analysis.timeline.start_soc()),
        say::percent(analysis.timeline.end_soc()),
    );
    let end = (length, analysis.timeline.end_soc().get());
    Plot { line: path(moments().chain([end]), &x, &y), ..plot(told, ticks(length, 6.0, &x), ticks(100.0, 4.0, &y)) }
}

/// One brick: 5 % of charge, as wide as the minutes that it takes.
#[derive(Clone, Debug)]
pub(crate) struct Brick {
    pub(crate) x: f64,
    pub(crate) width: f64,
    pub(crate) shade: usize,
    pub(crate) label: Option<String>,
    pub(crate) told: String,
    pub(crate) from: String,
    pub(crate) to: String,
    pub(crate) minutes: String,
    pub(crate) rate: String,
}

/// The minute bricks.
#[derive(Clone, Debug)]
pub(crate) struct Bricks {
    pub(crate) bricks: Vec<Brick>,
    pub(crate) ticks: Vec<Tick>,
    /// What the shade tells: distance or percent a minute.
    pub(crate) unit: &'static str,
}

const BRICKS_LEFT: f64 = 8.0;
const BRICKS_RIGHT: f64 = 1192.0;

/// The bricks of a session, shaded by distance (or percent, where no range is known) gained a minute.
pub(crate) fn minute_bricks(analysis: &Analysis) -> Bricks {
    let start = analysis.timeline.start().get();
    let (from, to) = (analysis.timeline.start_soc().get(), analysis.timeline.end_soc().get());
    let mut edges = vec![from];
    edges.extend((1..20).map(|i| BRICK * f64::from(i)).filter(|&edge| edge > from + 0.5 && edge < to - 0.5));
    edges.push(to);
    let minute = |soc: f64| analysis.timeline.minute_at(Soc::percent(soc)).map_or(0.0, |minute| minute.get() - start);
    let length = minute(to);
    let x = Scale::new((0.0, length), (BRICKS_LEFT, BRICKS_RIGHT));
    let (per_point, unit) = match analysis.basis().range {
        Some(range) => (range.get() / 100.0, "km/min"),
        None => (1.0, "%/min"),
    };
    let rate = |pair: &[f64]| (pair[1] - pair[0]) * per_point / (minute(pair[1]) - minute(pair[0]));
    let fastest = edges.windows(2).map(rate).fold(0.0, f64::max);
    let bricks = edges.windows(2).map(|pair| {
        let (begin, end) = (minute(pair[0]), minute(pair[1]));
        brick(pair, [x.at(begin), x.at(end)], end - begin, rate(pair), (fastest, unit))
    });
    Bricks { bricks: bricks.collect(), ticks: ticks(length, 10.0, &x), unit }
}

fn brick(soc: &[f64], x: [f64; 2], minutes: f64, rate: f64, (fastest, unit): (f64, &str)) -> Brick {
    let width = x[1] - x[0];
    let (from, to, took) = (format!("{:.0}", soc[0]), format!("{:.0}", soc[1]), say::minutes(minutes));
    Brick {
        x: x[0],
        width,
        shade: (SHADES * rate / fastest).ceil().clamp(1.0, SHADES) as usize,
        label: (width > 34.0 || soc[1] % 20.0 == 0.0).then(|| to.clone()),
        told: format!("{from} to {to} %: {took} min, {rate:.1} {unit}"),
        from,
        to,
        minutes: took,
        rate: format!("{rate:.1}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::analysis::Basis;
    use spare_hour_core::quantity::{Distance, Energy};
    use spare_hour_core::session::Session;

    fn session() -> Session {
        spare_hour_formats::read_session("0:00 12 150\n4:00 30 160\n10:00 50 110\n30:00 81 40\n").unwrap()
    }

    fn analysis(range: Option<f64>) -> Analysis {
        let basis = Basis { usable: Energy::kwh(70.0), range: range.map(Distance::km), loss_percent: None };
        Analysis::new(&session(), basis).unwrap()
    }

    #[test]
    fn bricks_are_as_wide_as_their_minutes() {
        let bricks = minute_bricks(&analysis(Some(400.0)));
        let per_minute = (BRICKS_RIGHT - BRICKS_LEFT) / 30.0;
        for brick in &bricks.bricks {
            let minutes: f64 = brick.minutes.parse().unwrap();
            assert!((brick.width / per_minute - minutes).abs() < 0.06, "{}", brick.told);
        }
        let whole: f64 = bricks.bricks.iter().map(|brick| brick.width).sum();
        assert!((whole - (BRICKS_RIGHT - BRICKS_LEFT)).abs() < 0.5);
        assert_eq!((bricks.unit, bricks.bricks[0].from.as_str(), bricks.bricks[0].to.as_str()), ("km/min", "12", "15"));
        assert!(bricks.bricks[1].shade > bricks.bricks.last().unwrap().shade);
        assert_eq!(minute_bricks(&analysis(None)).unit, "%/min");
    }

    #[test]
    fn what_was_not_measured_is_dashed() {
        let session = session();
        let curve = FittedCurve::new(&session, Energy::kwh(70.0)).unwrap();
        let plot = power_over_soc(&analysis(None), &curve);
        assert_eq!(plot.assumed.len(), 2);
        assert_eq!(plot.points.len(), session.readings.len());
        assert!(plot.told.contains("from 12 % to 81 %, at most 160 kW"), "{}", plot.told);
    }
}
