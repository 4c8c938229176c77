//! `spare-hour analyse`: a session as JSON or as tables for people.

use std::fmt::Write;
use std::path::PathBuf;

use clap::Args;
use spare_hour_core::analysis::{Analysis, Basis};
use spare_hour_core::curve_fit::FittedCurve;
use spare_hour_core::findings::{Finding, findings};
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_formats::{analysis_json, clock, read_session_csv};

use crate::{Failure, print, read_file};

/// Everything that can be read off one measured charge.
#[derive(Args)]
pub(crate) struct Analyse {
    /// The session, as CSV.
    session: PathBuf,
    /// Usable capacity of the battery, kWh.
    #[arg(long, value_parser = number(0.1, 2_000.0))]
    usable_kwh: f64,
    /// The range that distances are figured with, km.
    #[arg(long, value_parser = number(1.0, 10_000.0))]
    range_km: Option<f64>,
    /// Loss in % of the plug's energy, where the meter does not tell it.
    #[arg(long, value_parser = number(0.0, 90.0))]
    loss_percent: Option<f64>,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

/// Reads a number within limits.
fn number(low: f64, high: f64) -> impl Fn(&str) -> Result<f64, String> + Clone {
    move |text| match text.parse::<f64>() {
        Ok(number) if number >= low && number <= high => Ok(number),
        _ => Err(format!("expected a number from {low} to {high}")),
    }
}

impl Analyse {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let file = self.session.display();
        let session =
            read_session_csv(&read_file(&self.session)?).map_err(|error| Failure::Input(format!("{file}: {error}")))?;
        let basis = Basis {
            usable: Energy::kwh(self.usable_kwh),
            range: self.range_km.map(Distance::km).or(session.conditions.rated_range),
            loss_percent: self.loss_percent,
        };
        let too_few = |error| Failure::Input(format!("{file}: {error}"));
        let analysis = Analysis::new(&session, basis).map_err(too_few)?;
        let curve = FittedCurve::new(&session, basis.usable).map_err(too_few)?;
        let found = findings(&session, &analysis);
        let text = if self.json { analysis_json(&analysis, &curve, &found) } else { tables(&analysis, &curve, &found) };
        print(&text);
        Ok(())
    }
}

/// A number or a dash.
fn or_dash(number: Option<f64>, decimals: usize) -> String {
    number.map_or_else(|| "–".into(), |number| format!("{number:.decimals$}"))
}

fn tables(analysis: &Analysis, curve: &FittedCurve, findings: &[Finding]) -> String {
    let mut text = summary(analysis, curve);
    text.push_str("\nWindow       min    avg kW  plug kWh  C-rate  km added  km/min\n");
    let steps = |from: f64, to: f64| (to - from - 10.0).abs() < 1e-9 || to - from >= 30.0;
    for window in analysis.windows.iter().filter(|window| steps(window.from.get(), window.to.get())) {
        let added = window.added.map(Distance::get);
        let _ = writeln!(
            text,
            "{:>3.0}–{:<3.0}  {:>8} {:>9.1} {:>9} {:>7.2} {:>9} {:>7}",
            window.from.get(),
            window.to.get(),
            clock(window.minutes),
            window.average.get(),
            or_dash(window.plug.map(Energy::get), 1),
            window.c_rate,
            or_dash(added, 0),
            or_dash(added.map(|km| km / window.minutes.get()), 1),
        );
    }
    text.push_str("\nSlice          SoC          km added\n");
    for slice in &analysis.slices {
        let _ = writeln!(
            text,
            "{:>3.0}–{:<5.1} min  {:>4.1}–{:<5.1} % {:>9}",
            slice.from.get(),
            slice.to.get(),
            slice.from_soc.get(),
            slice.to_soc.get(),
            or_dash(slice.added.map(Distance::get), 0),
        );
    }
    for (added, minutes) in &analysis.ladder {
        let _ = writeln!(text, "{:>5.0} km added after {}", added.get(), clock(*minutes));
    }
    for threshold in &analysis.thresholds {
        let (level, soc) = (threshold.level.get(), threshold.below_from.get());
        let _ = writeln!(text, "below {level:.0} kW for good from {soc:.0} %, {}", clock(threshold.below_after));
    }
    for finding in findings {
        let _ = writeln!(text, "! {}: {}", finding.code, finding.message);
    }
    text
}

fn summary(analysis: &Analysis, curve: &FittedCurve) -> String {
    let percent = |soc: Soc| format!("{:.0} %", soc.get());
    let mut text = format!(
        "{} to {} in {}: {:.1} kWh stored, {} kWh from the plug, loss {} % of the plug's ({} % of stored)\n",
        percent(analysis.timeline.start_soc()),
        percent(analysis.timeline.end_soc()),
        clock(analysis.minutes),
        analysis.stored.get(),
        or_dash(analysis.plug.map(Energy::get), 1),
        or_dash(analysis.loss_percent, 1),
        or_dash(analysis.loss_percent_of_stored(), 1),
    );
    if let Some((power, soc)) = analysis.peak {
        let _ = writeln!(text, "Peak {power:.0} at {}, average {:.1}", percent(soc), analysis.average);
    }
    let (rms, worst) = (60.0 * curve.residual.get(), 60.0 * curve.worst_residual.get());
    let _ =
        writeln!(text, "The fitted curve keeps the clock within {rms:.1} s (at worst {worst:.1} s) between readings");
    text
}
