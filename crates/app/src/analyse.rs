//! `spare-hour analyse`: a session as JSON or as tables for people.

use std::fmt::Write;
use std::io::Write as _;
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Consumption, Distance, Energy, Minutes, Soc, Speed};
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::{Analysis, Basis, Slice};
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::usable_capacity::Method;
use spare_hour_formats::{Hints, TimesAs, clock, read_session_csv, read_session_with, write_analysis_json};
use spare_hour_wording::findings;

use crate::{Failure, print, read_file, read_input};

/// Everything that can be read off one measured charge.
#[derive(Args)]
pub(crate) struct Analyse {
    /// The session, as CSV; typed lines where its name ends in `.txt`, or is `-` for standard input.
    session: PathBuf,
    /// Usable capacity of the battery, kWh.
    #[arg(long, value_parser = number(0.1, 2_000.0))]
    usable_kwh: f64,
    /// The rated range, km. Distances are figured with it, else with the file's, else with the next two.
    #[arg(long, value_parser = number(1.0, 10_000.0))]
    range_km: Option<f64>,
    /// The range in a test at a constant speed, km.
    #[arg(long, value_parser = number(1.0, 10_000.0), requires = "test_kmh")]
    test_range_km: Option<f64>,
    /// The speed of that test, km/h.
    #[arg(long, value_parser = number(10.0, 300.0), requires = "test_range_km")]
    test_kmh: Option<f64>,
    /// Your own consumption at the battery, kWh/100 km.
    #[arg(long, value_parser = number(1.0, 200.0))]
    own_kwh_per_100km: Option<f64>,
    /// Which of them distances are figured with.
    #[arg(long, value_enum, default_value_t)]
    distance: Base,
    /// Loss in % of the plug's energy, where the meter does not tell it.
    #[arg(long, value_parser = number(0.0, 90.0))]
    loss_percent: Option<f64>,
    /// How the times of typed lines are read, where they do not tell by themselves.
    #[arg(long, value_enum)]
    times: Option<Times>,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

/// How times are read.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum Times {
    /// 4:30 is four minutes and a half; a number alone is seconds.
    MinutesAndSeconds,
    /// 4:30 is four minutes and a half; a number alone is minutes.
    Minutes,
    /// 4:30 is half past four.
    TimeOfDay,
}

impl From<Times> for TimesAs {
    fn from(times: Times) -> Self {
        match times {
            Times::MinutesAndSeconds => Self::MinutesAndSeconds,
            Times::Minutes => Self::Minutes,
            Times::TimeOfDay => Self::TimeOfDay,
        }
    }
}

/// A base of distances.
#[derive(Clone, Copy, Debug, Default, ValueEnum)]
enum Base {
    /// The rated range.
    #[default]
    Rated,
    /// The test at a constant speed.
    ConstantSpeed,
    /// The own consumption.
    Own,
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
        let mut session = self.read()?;
        session.conditions.rated_range = session.conditions.rated_range.or(self.range_km.map(Distance::km));
        let basis = self.basis(session.conditions.rated_range);
        let report = Report::new(&session, basis, None).map_err(|error| Failure::Input(format!("{file}: {error}")))?;
        if self.json {
            // Who reads it may have gone, as with every other print.
            let mut out = std::io::stdout().lock();
            let _ = write_analysis_json(&session, &report, &mut out).and_then(|()| writeln!(out));
        } else {
            print(&tables(&session, &report));
        }
        Ok(())
    }

    /// The session: typed lines where the name ends in `.txt` or is `-`, else CSV.
    fn read(&self) -> Result<Session, Failure> {
        let file = self.session.display();
        let from_input = self.session.as_os_str() == "-";
        if !from_input && self.session.extension().is_none_or(|end| !end.eq_ignore_ascii_case("txt")) {
            let read = read_session_csv(&read_file(&self.session)?);
            return read.map_err(|error| Failure::Input(format!("{file}: {error}")));
        }
        let bytes = if from_input { read_input()? } else { read_file(&self.session)? };
        let text = String::from_utf8(bytes).map_err(|_| {
            Failure::Input(format!("{file}: holds bytes that are not UTF-8; expected typed lines in UTF-8"))
        })?;
        let hints = Hints { times: self.times.map(Into::into), usable: Some(Energy::kwh(self.usable_kwh)) };
        read_session_with(&text, hints).map_err(|faults| {
            let said: Vec<String> = faults.iter().map(|fault| format!("{file}: {fault}")).collect();
            Failure::Input(said.join("\n"))
        })
    }

    /// What the figures rest on; `rated` is the file's own rated range.
    fn basis(&self, rated: Option<Distance>) -> Basis {
        let test = self.test_range_km.zip(self.test_kmh);
        let distances = Distances {
            rated: self.range_km.map(Distance::km).or(rated),
            constant_speed: test.map(|(km, kmh)| (Distance::km(km), Speed::kmh(kmh))),
            own: self.own_kwh_per_100km.map(Consumption::kwh_per_100km),
        };
        let wish = match self.distance {
            Base::Rated => DistanceBase::Rated,
            Base::ConstantSpeed => DistanceBase::ConstantSpeed,
            Base::Own => DistanceBase::Own,
        };
        let usable = Energy::kwh(self.usable_kwh);
        let (base, range) = distances.or_first_known(wish, usable);
        Basis { usable, range, base, loss_percent: self.loss_percent }
    }
}

/// A number or a dash.
fn or_dash(number: Option<f64>, decimals: usize) -> String {
    number.map_or_else(|| "–".into(), |number| format!("{number:.decimals$}"))
}

fn tables(session: &Session, report: &Report) -> String {
    let analysis = &report.analysis;
    let base = match analysis.basis().base {
        DistanceBase::Rated => "rated range",
        DistanceBase::ConstantSpeed => "constant-speed test",
        DistanceBase::Own => "own consumption",
    };
    let mut text = summary(report);
    if let Some((_, times)) = session.conditions.other.iter().find(|(key, _)| key == "times") {
        let _ = writeln!(text, "Times {times}");
    }
    if analysis.basis().range.is_some() {
        let _ = writeln!(text, "Distances: {base}");
    }
    text.push_str(&windows(analysis));
    text.push_str(&grid(analysis));
    text.push_str("\nSlice          SoC          km added\n");
    text.extend(analysis.slices.iter().chain(&analysis.thirds).map(slice_line));
    for (added, minutes) in &analysis.ladder {
        let _ = writeln!(text, "{:>5.0} km added after {}", added.get(), clock(*minutes));
    }
    for threshold in &analysis.thresholds {
        let (level, soc) = (threshold.level.get(), threshold.below_from.get());
        let _ = writeln!(text, "below {level:.0} kW for good from {soc:.0} %, {}", clock(threshold.below_after));
    }
    text.push_str(&curve(report));
    for finding in &report.findings {
        let _ = writeln!(text, "! {}: {}", finding.code(), findings::sentence(&finding.fact, Units::default()));
    }
    text
}

fn windows(analysis: &Analysis) -> String {
    let mut text = String::from("\nWindow       min    ± s    avg kW  plug kWh  C-rate  km added  km/min\n");
    let steps = |from: f64, to: f64| (to - from - 10.0).abs() < 1e-9 || to - from >= 30.0;
    for window in analysis.windows.iter().filter(|window| steps(window.from.get(), window.to.get())) {
        let added = window.added.map(Distance::get);
        let error = analysis.window_error(window.from, window.to).unwrap_or_default();
        let _ = writeln!(
            text,
            "{:>3.0}–{:<3.0}  {:>8} {:>6.0} {:>9.1} {:>9} {:>7.2} {:>9} {:>7}",
            window.from.get(),
            window.to.get(),
            clock(window.minutes),
            60.0 * error.get(),
            window.average.get(),
            or_dash(window.plug.map(Energy::get), 1),
            window.c_rate,
            or_dash(added, 0),
            or_dash(added.map(|km| km / window.minutes.get()), 1),
        );
    }
    text
}

/// Minutes from each round start, down, to each round end, across.
fn grid(analysis: &Analysis) -> String {
    let tens = |from: u32| (from..=100).step_by(10).map(|soc| Soc::percent(f64::from(soc)));
    let mut text = String::from("\nfrom\\to");
    text.extend(tens(10).map(|end| format!("{:>7.0}", end.get())));
    text.push('\n');
    for start in tens(0).take(10) {
        let cells: Vec<Option<Minutes>> =
            tens(10).map(|end| analysis.window(start, end).map(|window| window.minutes)).collect();
        if cells.iter().any(Option::is_some) {
            let _ = write!(text, "{:>7.0}", start.get());
            text.extend(cells.iter().map(|minutes| format!("{:>7}", minutes.map(clock).unwrap_or_default())));
            text.push('\n');
        }
    }
    text
}

fn slice_line(slice: &Slice) -> String {
    format!(
        "{:>4.1}–{:<5.1} min {:>4.1}–{:<5.1} % {:>9}\n",
        slice.from.get(),
        slice.to.get(),
        slice.from_soc.get(),
        slice.to_soc.get(),
        or_dash(slice.added.map(Distance::get), 0),
    )
}

/// The shape of the curve, how sure it is, capacity and forecasts.
fn curve(report: &Report) -> String {
    let mut text = String::new();
    if let Some(flat) = report.features.flat {
        let (from, to) = (flat.from.get(), flat.to.get());
        let _ = writeln!(text, "longest flat part: {from:.0} to {to:.0} %, about {:.0} kW", flat.power.get());
    }
    for step in &report.features.steps {
        let (from, to) = (step.from.get(), step.to.get());
        let _ = writeln!(text, "step: {from:.0} to {to:.0} kW at {:.0} %, {}", step.to_soc.get(), clock(step.at));
    }
    for point in report.band.iter().filter(|point| point.soc.get() % 10.0 == 0.0) {
        let kw = report.curve.power.at(point.soc.get());
        let (low, high) = (point.low.get(), point.high.get());
        let _ = writeln!(text, "curve at {:>3.0} %: {kw:.0} kW ({low:.0} to {high:.0})", point.soc.get());
    }
    if let Some(capacity) = report.capacity {
        let how = match capacity.method {
            Method::CarMeter => "by the car's meter".to_string(),
            Method::StationLessLoss(loss) => format!("by the station's meter less {loss:.0} % loss"),
        };
        let (kwh, more) = (capacity.energy.get(), capacity.plus_minus.get());
        let _ = writeln!(text, "usable capacity: {kwh:.1} ± {more:.1} kWh {how}");
    }
    for check in &report.forecasts {
        let actual = check.actual.map_or_else(|| "not reached".into(), clock);
        let (to, said) = (check.forecast.to.get(), check.forecast.remaining.get());
        let _ =
            writeln!(text, "foretold at {}: {said:.0} min to {to:.0} %; it took {actual}", clock(check.forecast.at));
    }
    text
}

fn summary(report: &Report) -> String {
    let (analysis, curve) = (&report.analysis, &report.curve);
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
