//! The minute bricks: each 5 % of charge is a brick as wide as the minutes that it takes, shaded by distance gained a minute.

use askama::Template;
use spare_hour_core::quantity::Soc;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::analysis::Analysis;
use spare_hour_wording::figures;

use crate::charts::{Scale, Tick, ticks};

/// Width of a brick, %.
const BRICK: f64 = 5.0;
/// Shades of the bricks.
const SHADES: f64 = 5.0;

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
#[derive(Clone, Debug, Template)]
#[template(path = "charts/bricks.html")]
pub(crate) struct Bricks {
    pub(crate) bricks: Vec<Brick>,
    pub(crate) ticks: Vec<Tick>,
    /// What the shade tells: distance or percent a minute.
    pub(crate) unit: &'static str,
}

const BRICKS_LEFT: f64 = 8.0;
const BRICKS_RIGHT: f64 = 1192.0;

/// The bricks of a session, shaded by distance (or percent, where no range is known) gained a minute.
pub(crate) fn minute_bricks(analysis: &Analysis, units: Units) -> Bricks {
    let start = analysis.timeline.start().get();
    let (from, to) = (analysis.timeline.start_soc().get(), analysis.timeline.end_soc().get());
    let mut edges = vec![from];
    edges.extend((1..20).map(|i| BRICK * f64::from(i)).filter(|&edge| edge > from + 0.5 && edge < to - 0.5));
    edges.push(to);
    let minute = |soc: f64| analysis.timeline.minute_at(Soc::percent(soc)).map_or(0.0, |minute| minute.get() - start);
    let length = minute(to);
    let x = Scale::new((0.0, length), (BRICKS_LEFT, BRICKS_RIGHT));
    let (per_point, unit) = match analysis.basis().range {
        Some(range) => (units.distance.of(range) / 100.0, figures::pace_name(units)),
        None => (1.0, "%/min"),
    };
    let rate = |pair: &[f64]| (pair[1] - pair[0]) * per_point / (minute(pair[1]) - minute(pair[0]));
    let fastest = edges.windows(2).map(rate).fold(0.0, f64::max);
    let bricks = edges.windows(2).map(|pair| {
        let (begin, end) = (minute(pair[0]), minute(pair[1]));
        brick(pair, [x.at(begin), x.at(end)], end - begin, rate(pair), (fastest, unit))
    });
    // The axis has its name at the right end.
    let ticks = ticks(length, 10.0, &x).into_iter().filter(|tick| tick.at < BRICKS_RIGHT - 50.0);
    Bricks { bricks: bricks.collect(), ticks: ticks.collect(), unit }
}

fn brick(soc: &[f64], x: [f64; 2], minutes: f64, rate: f64, (fastest, unit): (f64, &str)) -> Brick {
    let width = x[1] - x[0];
    let (from, to, took) = (format!("{:.0}", soc[0]), format!("{:.0}", soc[1]), figures::minutes(minutes));
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
    use spare_hour_core::quantity::{Distance, Energy};
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;
    use spare_hour_core::session::report::Report;

    fn report(text: &str, range: Option<f64>) -> Report {
        let session = spare_hour_formats::read_session(text).unwrap();
        let basis = Basis {
            usable: Energy::kwh(70.0),
            range: range.map(Distance::km),
            base: DistanceBase::Rated,
            loss_percent: None,
        };
        Report::new(&session, basis, None).unwrap()
    }

    const LINES: &str = "0:00 12 150\n4:00 30 160\n10:00 50 110\n30:00 81 40\n";

    #[test]
    fn bricks_are_as_wide_as_their_minutes() {
        let bricks = minute_bricks(&report(LINES, Some(400.0)).analysis, Units::default());
        let per_minute = (BRICKS_RIGHT - BRICKS_LEFT) / 30.0;
        for brick in &bricks.bricks {
            let minutes: f64 = brick.minutes.parse().unwrap();
            assert!((brick.width / per_minute - minutes).abs() < 0.06, "{}", brick.told);
        }
        let whole: f64 = bricks.bricks.iter().map(|brick| brick.width).sum();
        assert!((whole - (BRICKS_RIGHT - BRICKS_LEFT)).abs() < 0.5);
        assert_eq!((bricks.unit, bricks.bricks[0].from.as_str(), bricks.bricks[0].to.as_str()), ("km/min", "12", "15"));
        assert!(bricks.bricks[1].shade > bricks.bricks.last().unwrap().shade);
        assert_eq!(minute_bricks(&report(LINES, None).analysis, Units::default()).unit, "%/min");
    }
}
