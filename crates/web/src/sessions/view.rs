//! A session as its page shows it.

use spare_hour_core::analysis::{Analysis, Basis, Window};
use spare_hour_core::curve_fit::FittedCurve;
use spare_hour_core::findings::{Severity, findings};
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_core::session::{Meter, Session};
use spare_hour_core::soc_timeline::TooFewReadings;
use spare_hour_formats::clock;

use super::charts::{Bricks, Plot, minute_bricks, power_over_soc, soc_over_minutes};
use crate::fields::Field;
use crate::say;

/// The windows that people quote.
const WINDOWS: [(f64, f64); 7] =
    [(10.0, 80.0), (20.0, 80.0), (10.0, 50.0), (15.0, 80.0), (5.0, 75.0), (0.0, 80.0), (0.0, 100.0)];

/// Everything on a session's page that is figured out.
pub(crate) struct SessionView {
    pub(crate) headline: String,
    pub(crate) facts: Vec<(&'static str, String)>,
    pub(crate) findings: Vec<FindingRow>,
    pub(crate) power: Plot,
    pub(crate) soc: Plot,
    pub(crate) bricks: Bricks,
    pub(crate) windows: Vec<WindowRow>,
    pub(crate) own: OwnWindow,
    pub(crate) slices: Vec<(String, String, String)>,
    pub(crate) readings: Vec<ReadingRow>,
    /// How many readings there are beyond those shown.
    pub(crate) more_readings: usize,
    pub(crate) has_range: bool,
}

/// A finding.
pub(crate) struct FindingRow {
    pub(crate) word: &'static str,
    pub(crate) at: String,
    pub(crate) message: String,
}

/// A window of SoC.
pub(crate) struct WindowRow {
    pub(crate) window: String,
    pub(crate) minutes: String,
    pub(crate) average: String,
    pub(crate) plug: String,
    pub(crate) c_rate: String,
    pub(crate) added: String,
    pub(crate) pace: String,
}

/// The reader's own window.
pub(crate) struct OwnWindow {
    pub(crate) from: Field,
    pub(crate) to: Field,
    pub(crate) row: Option<WindowRow>,
}

/// A reading.
pub(crate) struct ReadingRow {
    pub(crate) at: String,
    pub(crate) soc: String,
    pub(crate) kw: String,
    pub(crate) kwh: String,
    pub(crate) note: String,
}

/// Readings shown in the table.
const READINGS_SHOWN: usize = 300;

fn or_dash(number: Option<f64>, decimals: usize) -> String {
    number.map_or_else(|| "–".into(), |number| format!("{number:.decimals$}"))
}

impl SessionView {
    pub(crate) fn new(
        session: &Session,
        basis: Basis,
        from: Option<&str>,
        to: Option<&str>,
    ) -> Result<Self, TooFewReadings> {
        let analysis = Analysis::new(session, basis)?;
        let curve = FittedCurve::new(session, basis.usable)?;
        let window = |&(from, to): &(f64, f64)| analysis.window(Soc::percent(from), Soc::percent(to));
        Ok(Self {
            headline: headline(&analysis),
            facts: facts(session, &analysis, &curve),
            findings: finding_rows(session, &analysis),
            power: power_over_soc(&analysis, &curve),
            soc: soc_over_minutes(&analysis),
            bricks: minute_bricks(&analysis),
            windows: WINDOWS.iter().filter_map(window).map(|window| window_row(&window)).collect(),
            own: own_window(&analysis, from, to),
            slices: slices(&analysis),
            readings: session.readings.iter().take(READINGS_SHOWN).map(reading_row).collect(),
            more_readings: session.readings.len().saturating_sub(READINGS_SHOWN),
            has_range: basis.range.is_some(),
        })
    }
}

/// The figure that is quoted first: the widest usual window, else the whole.
fn headline(analysis: &Analysis) -> String {
    let quoted = [(10.0, 80.0), (20.0, 80.0), (40.0, 80.0)];
    let window = quoted.iter().find_map(|&(from, to)| analysis.window(Soc::percent(from), Soc::percent(to)));
    let (from, to, minutes) = match window {
        Some(window) => (window.from, window.to, window.minutes),
        None => (analysis.timeline.start_soc(), analysis.timeline.end_soc(), analysis.minutes),
    };
    format!("{} to {} in {} min", say::percent(from), say::percent(to), clock(minutes))
}

fn facts(session: &Session, analysis: &Analysis, curve: &FittedCurve) -> Vec<(&'static str, String)> {
    let conditions = &session.conditions;
    let meter = match conditions.meter {
        Meter::Station => "the station’s: what leaves the plug",
        Meter::Car => "the car’s: what enters the battery",
    };
    let (start, end) = (analysis.timeline.start_soc(), analysis.timeline.end_soc());
    let loss = analysis.loss_percent.zip(analysis.loss_percent_of_stored());
    let facts = [
        (
            "Measured",
            Some(format!(
                "{} to {} in {}, {} readings",
                say::percent(start),
                say::percent(end),
                clock(analysis.minutes),
                session.readings.len()
            )),
        ),
        ("Peak", analysis.peak.map(|(power, soc)| format!("{:.0} kW at {}", power.get(), say::percent(soc)))),
        ("Average", Some(format!("{:.0} kW", analysis.average.get()))),
        ("From the plug", analysis.plug.map(|energy| format!("{:.1} kWh", energy.get()))),
        (
            "Stored",
            Some(format!("{:.1} kWh, with {:.1} kWh usable", analysis.stored.get(), analysis.basis().usable.get())),
        ),
        (
            "Loss",
            loss.map(|(of_plug, of_stored)| {
                format!("{of_plug:.1} % of the plug’s energy, {of_stored:.1} % of what is stored")
            }),
        ),
        ("Meter", Some(meter.into())),
        ("Car", conditions.car.clone()),
        ("Software", conditions.software.clone()),
        ("Site", conditions.site_power.map(|power| format!("{:.0} kW", power.get()))),
        ("Preconditioned", conditions.preconditioned.clone()),
        ("Start", conditions.start.clone()),
        (
            "Curve and clock",
            Some(format!(
                "agree within {:.0} s between readings ({:.0} s at worst)",
                60.0 * curve.residual.get(),
                60.0 * curve.worst_residual.get()
            )),
        ),
    ];
    facts.into_iter().filter_map(|(name, value)| Some((name, value?))).collect()
}

fn finding_rows(session: &Session, analysis: &Analysis) -> Vec<FindingRow> {
    let row = |finding: spare_hour_core::findings::Finding| FindingRow {
        word: match finding.severity {
            Severity::Note => "Note",
            Severity::Warning => "Warning",
            Severity::Fault => "Fault",
        },
        at: finding.at.map(clock).unwrap_or_default(),
        message: finding.message,
    };
    findings(session, analysis).into_iter().map(row).collect()
}

fn window_row(window: &Window) -> WindowRow {
    let added = window.added.map(Distance::get);
    WindowRow {
        window: format!("{:.0}–{:.0} %", window.from.get(), window.to.get()),
        minutes: clock(window.minutes),
        average: format!("{:.0}", window.average.get()),
        plug: or_dash(window.plug.map(Energy::get), 1),
        c_rate: format!("{:.2}", window.c_rate),
        added: or_dash(added, 0),
        pace: or_dash(added.map(|km| km / window.minutes.get()), 1),
    }
}

fn own_window(analysis: &Analysis, from: Option<&str>, to: Option<&str>) -> OwnWindow {
    let (start, end) = (analysis.timeline.start_soc().get(), analysis.timeline.end_soc().get());
    let field = |typed: Option<&str>, usual: f64| Field::new(typed.map_or_else(|| say::field(usual), Into::into));
    let (mut from, mut to) = (field(from, start.ceil()), field(to, end.floor()));
    let numbers = from.required(start, end, "%").zip(to.required(start, end, "%"));
    if numbers.is_some_and(|(low, high)| high <= low) {
        to.fault = Some(format!("expected more than {}", from.text));
    }
    let window = numbers.and_then(|(from, to)| analysis.window(Soc::percent(from), Soc::percent(to)));
    OwnWindow { row: window.map(|window| window_row(&window)), from, to }
}

fn slices(analysis: &Analysis) -> Vec<(String, String, String)> {
    let slice = |slice: &spare_hour_core::analysis::Slice| {
        let points = (slice.to_soc - slice.from_soc).get();
        let unit = if points.round() == 1.0 { "point" } else { "points" };
        (
            format!("{:.0}–{:.0} min", slice.from.get(), slice.to.get()),
            format!("{} to {}, {points:.0} {unit}", say::percent(slice.from_soc), say::percent(slice.to_soc)),
            or_dash(slice.added.map(Distance::get), 0),
        )
    };
    analysis.slices.iter().map(slice).collect()
}

fn reading_row(reading: &spare_hour_core::session::Reading) -> ReadingRow {
    ReadingRow {
        at: clock(reading.elapsed),
        soc: say::field(reading.soc.get()),
        kw: or_dash(reading.power.map(spare_hour_core::quantity::Power::get), 0),
        kwh: or_dash(reading.energy.map(Energy::get), 1),
        note: reading.note.clone().unwrap_or_default(),
    }
}
