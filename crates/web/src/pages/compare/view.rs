//! A comparison as its page shows it.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Power};
use spare_hour_core::session::compare::{Comparison, Difference};
use spare_hour_formats::clock;

use super::runs::OwnedRun;
use spare_hour_core::session::Meter;
use spare_hour_core::session::meters::by_meters;
use spare_hour_wording::figures;

/// The letter of a session in tables and charts.
pub(super) fn letter(index: usize) -> String {
    char::from(b'A' + (index % 26) as u8).to_string()
}

/// A session's line.
pub(super) struct Row {
    pub(super) letter: String,
    /// Address of its page, where it has one.
    pub(super) address: Option<String>,
    pub(super) name: String,
    pub(super) start: String,
    pub(super) minutes: String,
    pub(super) error: String,
    pub(super) stored: String,
    pub(super) power: String,
    pub(super) energy_pace: String,
    pub(super) distance_pace: String,
    pub(super) to_energy: String,
    pub(super) to_distance: String,
    pub(super) difference: String,
    pub(super) paces: String,
}

pub(super) fn rows(runs: &[OwnedRun], comparison: &Comparison, units: Units) -> Vec<Row> {
    let row = |(index, (run, row)): (usize, (&OwnedRun, &spare_hour_core::session::compare::Row))| {
        let minutes = row.window.as_ref().map(|window| window.minutes);
        let added = row.window.as_ref().and_then(|window| window.added).map(|added| units.distance.of(added));
        let per_minute = |amount: f64| minutes.map(|minutes| amount / minutes.get());
        Row {
            letter: letter(index),
            address: run.key.strip_prefix('s').map(|id| format!("/sessions/{id}")),
            name: run.name.clone(),
            start: figures::percent(run.report.analysis.timeline.start_soc()),
            minutes: minutes.map_or_else(|| "–".into(), clock),
            error: format!("±{:.0} s", 60.0 * row.error.get()),
            stored: format!("{:.1}", row.stored.get()),
            power: figures::or_dash(row.into_battery.map(Power::get), 0),
            energy_pace: figures::or_dash(per_minute(row.stored.get()), 2),
            distance_pace: figures::or_dash(added.and_then(per_minute), 1),
            to_energy: row.to_energy.map_or_else(|| "–".into(), clock),
            to_distance: row.to_distance.map_or_else(|| "–".into(), clock),
            difference: row.difference.map(|difference| difference_words(&difference)).unwrap_or_default(),
            paces: row.difference.map(|difference| pace_words(&difference, units)).unwrap_or_default(),
        }
    };
    runs.iter().zip(&comparison.rows).enumerate().map(row).collect()
}

fn difference_words(difference: &Difference) -> String {
    let minutes = figures::more_minutes(difference.minutes.get());
    if difference.tie {
        return format!("a tie ({minutes}, within the measuring error)");
    }
    format!("{minutes}, {}{:.0} %", if difference.percent < 0.0 { "−" } else { "+" }, difference.percent.abs())
}

fn pace_words(difference: &Difference, units: Units) -> String {
    let signed =
        |number: f64, decimals: usize| format!("{}{:.decimals$}", if number < 0.0 { "−" } else { "+" }, number.abs());
    let pace = difference.km_per_minute.map(|km| units.distance.of(Distance::km(km)));
    let pace = pace.map(|pace| format!(", {} {}", signed(pace, 1), figures::pace_name(units))).unwrap_or_default();
    format!("{} kWh/min{pace}", signed(difference.kwh_per_minute, 2))
}

/// A part of the window: minutes of each, and what each won or lost there.
pub(super) struct PartRow {
    pub(super) part: String,
    pub(super) minutes: Vec<(String, String)>,
}

pub(super) fn parts(comparison: &Comparison, base: usize) -> Vec<PartRow> {
    let row = |part: &spare_hour_core::session::compare::Part| {
        let chosen = part.minutes.get(base).copied().unwrap_or_default();
        let cell = |(index, minutes): (usize, &spare_hour_core::quantity::Minutes)| {
            let against = if index == base { String::new() } else { figures::more_minutes((*minutes - chosen).get()) };
            (clock(*minutes), against)
        };
        PartRow {
            part: format!("{:.0}–{:.0} %", part.from.get(), part.to.get()),
            minutes: part.minutes.iter().enumerate().map(cell).collect(),
        }
    };
    comparison.parts.iter().map(row).collect()
}

/// How far runs of one car repeat each other, in sentences.
pub(super) fn repeatability(comparison: &Comparison, name: impl Fn(usize) -> String) -> Vec<String> {
    let sentence = |group: &spare_hour_core::session::compare::Repeatability| {
        let names: Vec<String> = group.runs.iter().map(|&run| name(run)).collect();
        format!(
            "{} are runs of one car that began alike; their minutes differ by {} min.",
            names.join(" and "),
            figures::minutes(group.spread.get())
        )
    };
    comparison.repeatability.iter().map(sentence).collect()
}
/// Loss between the meters of two sessions, one by the station's and one by the car's.
pub(super) fn losses(runs: &[OwnedRun]) -> Vec<[String; 5]> {
    let [one, other] = runs else { return Vec::new() };
    let (one, other) = (&one.report.analysis, &other.report.analysis);
    let parts = match (one.meter(), other.meter()) {
        (Meter::Station, Meter::Car) => by_meters(one, Some(other)),
        (Meter::Car, Meter::Station) => by_meters(other, Some(one)),
        _ => Vec::new(),
    };
    parts.iter().map(figures::part_by_meters).collect()
}
