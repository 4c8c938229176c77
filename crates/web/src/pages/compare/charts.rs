//! The pictures of a comparison: power over SoC; SoC, kWh and distance over minutes; bricks on one scale.

use spare_hour_core::quantity::Soc;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::session::compare::Comparison;

use super::runs::OwnedRun;
use super::view::letter;
use crate::charts::bricks::minute_bricks;
use crate::charts::{Line, Plot, Scale, path, ticks, x_scale, y_scale};

/// The looks of the lines: each its own dash too, so that colour does not carry meaning alone.
const LOOKS: [&str; 8] =
    ["series-1", "series-2", "series-3", "series-4", "series-5", "series-6", "series-7", "series-8"];
/// A charge that lasts more than so many times the middle one is cut off at the edge, so that it does not crush the others.
const CUT_AT: f64 = 3.0;
/// Points of a line drawn at most.
const MOST_POINTS: usize = 300;
/// Width of all bricks in the drawing's units.
const BRICKS_WIDTH: f64 = 1120.0;
const BRICKS_LEFT: f64 = 24.0;

/// A session's line in its own values.
type Points = Vec<(f64, f64)>;

/// A kind of chart: its name, axes, and the points of a session.
struct Kind {
    key: &'static str,
    x_name: &'static str,
    y_name: &'static str,
    told: &'static str,
    points: fn(&OwnedRun, Soc, Units) -> Points,
}

impl Kind {
    /// The name of its upright axis.
    fn y_name(&self, units: Units) -> &'static str {
        match (self.key, units.distance) {
            ("distance", DistanceUnit::Miles) => "mi added",
            _ => self.y_name,
        }
    }
}

const KINDS: [Kind; 4] = [
    Kind {
        key: "power",
        x_name: "SoC, %",
        y_name: "kW into the battery",
        told: "Power into the battery over state of charge",
        points: power,
    },
    Kind { key: "soc", x_name: "minutes", y_name: "SoC, %", told: "State of charge over minutes", points: soc },
    Kind { key: "energy", x_name: "minutes", y_name: "kWh stored", told: "Energy stored over minutes", points: energy },
    Kind {
        key: "distance",
        x_name: "minutes",
        y_name: "km added",
        told: "Distance added over minutes",
        points: distance,
    },
];

fn power(run: &OwnedRun, _: Soc, _: Units) -> Points {
    let (from, to) = run.report.curve.measured;
    let points = run.report.curve.power.points().iter();
    points.copied().filter(|point| point.0 >= from.get() && point.0 <= to.get()).collect()
}

/// SoC over the minutes since the window began.
fn soc(run: &OwnedRun, from: Soc, _: Units) -> Points {
    let timeline = &run.report.analysis.timeline;
    let Some(start) = timeline.minute_at(from) else {
        return Vec::new();
    };
    let later = timeline.moments().iter().filter(|moment| moment.soc > from.get());
    let points: Points = later.map(|moment| (moment.minute - start.get(), moment.soc)).collect();
    let every = points.len().div_ceil(MOST_POINTS).max(1);
    let last = points.last().copied();
    let thinned = points.into_iter().step_by(every);
    std::iter::once((0.0, from.get())).chain(thinned).chain(last).collect()
}

fn energy(run: &OwnedRun, from: Soc, units: Units) -> Points {
    let usable = run.report.analysis.basis().usable.get();
    soc(run, from, units).into_iter().map(|(minute, soc)| (minute, (soc - from.get()) / 100.0 * usable)).collect()
}

fn distance(run: &OwnedRun, from: Soc, units: Units) -> Points {
    let Some(range) = run.report.analysis.basis().range else {
        return Vec::new();
    };
    let range = units.distance.of(range);
    soc(run, from, units).into_iter().map(|(minute, soc)| (minute, (soc - from.get()) / 100.0 * range)).collect()
}

/// Where minutes begin: the window's start, else the highest start.
fn begin(comparison: &Comparison) -> Soc {
    comparison.window.or(comparison.common).map_or(Soc::percent(0.0), |window| window.0)
}

/// The charts that there is something to draw on.
pub(super) fn plots(runs: &[OwnedRun], comparison: &Comparison, units: Units) -> Vec<Plot> {
    KINDS.iter().filter_map(|kind| plot(kind, runs, begin(comparison), units)).collect()
}

fn plot(kind: &Kind, runs: &[OwnedRun], from: Soc, units: Units) -> Option<Plot> {
    let series: Vec<Points> = runs.iter().map(|run| (kind.points)(run, from, units)).collect();
    let ends = series.iter().filter_map(|points| points.last()).map(|point| point.0);
    let most_x = if kind.key == "power" { 100.0 } else { usual_length(ends.collect()) };
    let series: Vec<Points> =
        series.into_iter().map(|points| points.into_iter().filter(|point| point.0 <= most_x).collect()).collect();
    let all = || series.iter().flatten();
    let most_y = all().map(|point| point.1).fold(0.0, f64::max) * 1.06;
    if most_y <= 0.0 || most_x <= 0.0 {
        return None;
    }
    let (x, y) = (x_scale(0.0, most_x), y_scale(most_y));
    let line = |(index, points): (usize, &Points)| Line {
        class: LOOKS[index % LOOKS.len()],
        path: path(points.iter().copied(), &x, &y),
        label: points.last().map(|&end| label(index, end, &x, &y)),
    };
    Some(Plot {
        told: format!("{} of {} sessions.", kind.told, runs.len()),
        lines: series.iter().enumerate().map(line).collect(),
        x_ticks: ticks(most_x, 6.0, &x),
        y_ticks: ticks(most_y, 5.0, &y),
        ..Plot::new(kind.key, kind.x_name, kind.y_name(units))
    })
}

/// The longest of some lengths, but no more than a few times the middle one.
fn usual_length(mut lengths: Vec<f64>) -> f64 {
    lengths.sort_by(f64::total_cmp);
    let Some((&longest, &middle)) = lengths.last().zip(lengths.get((lengths.len().max(1) - 1) / 2)) else { return 0.0 };
    longest.min(CUT_AT * middle)
}

/// A letter beside the end of a line, a little apart from its neighbours.
fn label(index: usize, end: (f64, f64), x: &Scale, y: &Scale) -> (f64, f64, String) {
    (x.at(end.0) + 5.0 + 9.0 * (index % 3) as f64, y.at(end.1) + 4.0, letter(index))
}

/// One session's bricks, on the scale of the longest.
pub(super) struct BrickRow {
    pub(super) letter: String,
    pub(super) bricks: Vec<(f64, f64, usize, String)>,
    pub(super) told: String,
}

/// Bricks of every session on one scale of minutes.
pub(super) fn bricks(runs: &[OwnedRun], units: Units) -> Vec<BrickRow> {
    let longest = usual_length(runs.iter().map(|run| run.report.analysis.minutes.get()).collect()).max(1.0);
    let paces: Vec<_> = runs.iter().map(|run| minute_bricks(&run.report.analysis, units)).collect();
    let all = paces.iter().flat_map(|bricks| &bricks.bricks);
    let fastest = all.filter_map(|brick| brick.rate.parse::<f64>().ok()).fold(0.0, f64::max);
    let row = |(index, run): (usize, &OwnedRun)| {
        let scale = run.report.analysis.minutes.get() / longest;
        let own = &paces[index];
        let (left, width) =
            (own.bricks.first().map_or(0.0, |brick| brick.x), own.bricks.iter().map(|b| b.width).sum::<f64>());
        let place = |x: f64| BRICKS_LEFT + (x - left) / width * BRICKS_WIDTH * scale;
        let brick = |brick: &crate::charts::bricks::Brick| {
            let rate: f64 = brick.rate.parse().unwrap_or_default();
            let shade = (5.0 * rate / fastest).ceil().clamp(1.0, 5.0) as usize;
            (place(brick.x), brick.width / width * BRICKS_WIDTH * scale, shade, brick.told.clone())
        };
        let within = |brick: &(f64, f64, usize, String)| brick.0 < BRICKS_LEFT + BRICKS_WIDTH;
        let cut = |mut brick: (f64, f64, usize, String)| {
            brick.1 = brick.1.min(BRICKS_LEFT + BRICKS_WIDTH - brick.0);
            brick
        };
        BrickRow {
            letter: letter(index),
            bricks: own.bricks.iter().map(brick).filter(within).map(cut).collect(),
            told: format!("{}: {:.0} minutes", run.name, run.report.analysis.minutes.get()),
        }
    };
    runs.iter().enumerate().map(row).collect()
}

/// The numbers behind a chart: one row for each point of each session.
pub(super) fn table(runs: &[OwnedRun], comparison: &Comparison, name: &str) -> Option<String> {
    let kind = KINDS.iter().find(|kind| kind.key == name)?;
    let mut text = format!("session,{},{}\n", kind.x_name.replace(", ", "_"), kind.y_name.replace(", ", "_"));
    for run in runs {
        for (x, y) in (kind.points)(run, begin(comparison), Units::default()) {
            text.push_str(&format!("\"{}\",{x:.4},{y:.4}\n", run.name.replace('"', "\"\"")));
        }
    }
    Some(text)
}
