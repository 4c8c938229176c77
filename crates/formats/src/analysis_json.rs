//! Analysis JSON: everything read off one session. Fields with no data are null, never zero.

use std::collections::HashMap;
use std::io::{BufWriter, Write};

use serde::{Serialize, Serializer};
use spare_hour_core::charging::curve_band::{BandPoint, Support};
use spare_hour_core::charging::curve_features::{Step, Stretch};
use spare_hour_core::quantity::{Distance, Energy, Minutes};
use spare_hour_core::session::analysis::{Analysis, Slice, Threshold, Window};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::{Fact, Finding, Severity};
use spare_hour_core::session::forecast_check::{CheckedForecast, whose};
use spare_hour_core::session::kept_readings::Slip;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::usable_capacity::{Method, UsableCapacity};

use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::{Reading, Session};
use spare_hour_wording::findings;

use crate::number::plain;

#[derive(Serialize)]
struct AnalysisFile<'a> {
    format: &'static str,
    version: u32,
    start_soc: f64,
    end_soc: f64,
    minutes: f64,
    plug_kwh: Option<f64>,
    stored_kwh: f64,
    loss_percent: Option<f64>,
    loss_percent_of_stored: Option<f64>,
    loss_assumed: bool,
    peak_kw: Option<f64>,
    peak_soc: Option<f64>,
    average_kw: f64,
    windows: Vec<WindowFile>,
    slices: Vec<SliceFile>,
    thirds: Vec<SliceFile>,
    ladder: Vec<RungFile>,
    thresholds: Vec<ThresholdFile>,
    curve: Vec<PointFile>,
    curve_band: Vec<BandFile>,
    curve_support: Vec<SupportFile>,
    curve_residual_s: f64,
    curve_worst_residual_s: f64,
    peak_hold: Option<StretchFile>,
    longest_flat: Option<StretchFile>,
    steps: Vec<StepFile>,
    usable_capacity: Option<CapacityFile>,
    distance_base: Option<&'static str>,
    forecasts: Vec<ForecastFile>,
    findings: Findings<'a>,
    times: Option<String>,
    readings: Readings<'a>,
}

/// What is odd, written one by one: a charge may have as many findings as readings.
struct Findings<'a>(&'a [Finding]);

impl Serialize for Findings<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.iter().map(finding_file))
    }
}

/// All readings in the order of the clock, written one by one.
struct Readings<'a> {
    session: &'a Session,
    analysis: &'a Analysis,
}

impl Serialize for Readings<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let slips: HashMap<usize, &Slip> =
            self.analysis.timeline.kept().slips.iter().map(|(reading, slip)| (*reading, slip)).collect();
        let readings = &self.session.readings;
        let mut order: Vec<usize> = (0..readings.len()).collect();
        order.sort_by(|&a, &b| readings[a].elapsed.get().total_cmp(&readings[b].elapsed.get()));
        let slip = |index: usize| slips.get(&index).and_then(|slip| slip.word());
        serializer.collect_seq(order.into_iter().map(|at| reading_file(self.session, &readings[at], slip(at))))
    }
}

/// A reading as it was taken; one that is passed over says why.
#[derive(Serialize)]
struct ReadingFile<'a> {
    elapsed_s: f64,
    soc: Option<f64>,
    soc_by_range: bool,
    power_kw: Option<f64>,
    energy_kwh: Option<f64>,
    voltage_v: Option<f64>,
    current_a: Option<f64>,
    battery_c: Option<f64>,
    ambient_c: Option<f64>,
    range_km: Option<f64>,
    note: Option<&'a str>,
    left_out: Option<&'a str>,
}

#[derive(Serialize)]
struct WindowFile {
    from: f64,
    to: f64,
    minutes: f64,
    error_min: Option<f64>,
    average_kw: f64,
    plug_kwh: Option<f64>,
    c_rate: f64,
    added_km: Option<f64>,
    km_per_min: Option<f64>,
}

#[derive(Serialize)]
struct SliceFile {
    from_min: f64,
    to_min: f64,
    from_soc: f64,
    to_soc: f64,
    added_km: Option<f64>,
    km_per_min: Option<f64>,
}

#[derive(Serialize)]
struct RungFile {
    added_km: f64,
    minutes: f64,
}

#[derive(Serialize)]
struct ThresholdFile {
    kw: f64,
    below_from_soc: f64,
    below_from_min: f64,
}

#[derive(Serialize)]
struct PointFile {
    soc: f64,
    kw: f64,
}

#[derive(Serialize)]
pub(crate) struct FindingFile {
    code: &'static str,
    severity: &'static str,
    certainty: &'static str,
    decided_by: Option<&'static str>,
    at_min: Option<f64>,
    from_soc: Option<f64>,
    to_soc: Option<f64>,
    message: String,
    #[serde(flatten)]
    fact: Fact,
}

#[derive(Serialize)]
struct BandFile {
    soc: f64,
    low_kw: f64,
    high_kw: f64,
}

#[derive(Serialize)]
struct SupportFile {
    from: f64,
    to: f64,
    readings: usize,
    farthest_soc: f64,
}

#[derive(Serialize)]
struct StretchFile {
    from: f64,
    to: f64,
    minutes: f64,
    kw: f64,
}

#[derive(Serialize)]
struct StepFile {
    from_soc: f64,
    to_soc: f64,
    at_min: f64,
    from_kw: f64,
    to_kw: f64,
}

#[derive(Serialize)]
struct CapacityFile {
    kwh: f64,
    plus_minus_kwh: f64,
    method: &'static str,
}

#[derive(Serialize)]
struct ForecastFile {
    at_min: f64,
    by: &'static str,
    from_soc: f64,
    to_soc: f64,
    promised_min: f64,
    actual_min: Option<f64>,
}

/// Everything read off a session, as a text.
pub fn analysis_json(session: &Session, report: &Report) -> String {
    serde_json::to_string_pretty(&analysis_file(session, report)).unwrap_or_default()
}

/// Everything read off a session, written as it goes: of 200,000 readings it may be 100 MB.
///
/// # Errors
/// When it cannot be written.
pub fn write_analysis_json(session: &Session, report: &Report, to: &mut dyn Write) -> std::io::Result<()> {
    let mut to = BufWriter::new(to);
    serde_json::to_writer_pretty(&mut to, &analysis_file(session, report))?;
    to.flush()
}

fn analysis_file<'a>(session: &'a Session, report: &'a Report) -> AnalysisFile<'a> {
    let (analysis, curve) = (&report.analysis, &report.curve);
    AnalysisFile {
        format: "spare-hour/analysis",
        version: 1,
        start_soc: plain(analysis.timeline.start_soc().get()),
        end_soc: plain(analysis.timeline.end_soc().get()),
        minutes: plain(analysis.minutes.get()),
        plug_kwh: analysis.plug.map(|energy| plain(energy.get())),
        stored_kwh: plain(analysis.stored.get()),
        loss_percent: analysis.loss_percent.map(plain),
        loss_percent_of_stored: analysis.loss_percent_of_stored().map(plain),
        loss_assumed: analysis.loss_assumed(),
        peak_kw: analysis.peak.map(|(power, _)| plain(power.get())),
        peak_soc: analysis.peak.map(|(_, soc)| plain(soc.get())),
        average_kw: plain(analysis.average.get()),
        windows: analysis.windows.iter().map(|window| window_file(analysis, window)).collect(),
        slices: analysis.slices.iter().map(slice_file).collect(),
        thirds: analysis.thirds.iter().map(slice_file).collect(),
        ladder: analysis.ladder.iter().map(rung_file).collect(),
        thresholds: analysis.thresholds.iter().map(threshold_file).collect(),
        curve: curve.power.points().iter().map(|&(soc, kw)| PointFile { soc: plain(soc), kw: plain(kw) }).collect(),
        curve_band: report.band.iter().map(band_file).collect(),
        curve_support: report.support.iter().map(support_file).collect(),
        curve_residual_s: plain(60.0 * curve.residual.get()),
        curve_worst_residual_s: plain(60.0 * curve.worst_residual.get()),
        peak_hold: report.features.peak.map(stretch_file),
        longest_flat: report.features.flat.map(stretch_file),
        steps: report.features.steps.iter().map(step_file).collect(),
        usable_capacity: report.capacity.map(capacity_file),
        distance_base: analysis.basis().range.map(|_| base_word(analysis.basis().base)),
        forecasts: report.forecasts.iter().map(forecast_file).collect(),
        findings: Findings(&report.findings),
        times: session.conditions.other.iter().find(|(key, _)| key == "times").map(|(_, read)| read.clone()),
        readings: Readings { session, analysis },
    }
}

fn base_word(base: DistanceBase) -> &'static str {
    match base {
        DistanceBase::Rated => "rated",
        DistanceBase::ConstantSpeed => "constant-speed",
        DistanceBase::Own => "own",
    }
}

fn band_file(point: &BandPoint) -> BandFile {
    BandFile { soc: plain(point.soc.get()), low_kw: plain(point.low.get()), high_kw: plain(point.high.get()) }
}

fn support_file(part: &Support) -> SupportFile {
    SupportFile {
        from: plain(part.from.get()),
        to: plain(part.to.get()),
        readings: part.readings,
        farthest_soc: plain(part.farthest.get()),
    }
}

fn stretch_file(stretch: Stretch) -> StretchFile {
    StretchFile {
        from: plain(stretch.from.get()),
        to: plain(stretch.to.get()),
        minutes: plain(stretch.minutes.get()),
        kw: plain(stretch.power.get()),
    }
}

fn step_file(step: &Step) -> StepFile {
    StepFile {
        from_soc: plain(step.from_soc.get()),
        to_soc: plain(step.to_soc.get()),
        at_min: plain(step.at.get()),
        from_kw: plain(step.from.get()),
        to_kw: plain(step.to.get()),
    }
}

fn capacity_file(capacity: UsableCapacity) -> CapacityFile {
    CapacityFile {
        kwh: plain(capacity.energy.get()),
        plus_minus_kwh: plain(capacity.plus_minus.get()),
        method: match capacity.method {
            Method::CarMeter => "car-meter",
            Method::StationLessLoss(_) => "station-less-loss",
        },
    }
}

fn forecast_file(checked: &CheckedForecast) -> ForecastFile {
    ForecastFile {
        at_min: plain(checked.forecast.at.get()),
        by: whose(checked.forecast.by),
        from_soc: plain(checked.shown_at.get()),
        to_soc: plain(checked.forecast.to.get()),
        promised_min: plain(checked.forecast.remaining.get()),
        actual_min: checked.actual.map(|minutes| plain(minutes.get())),
    }
}

fn per_minute(added: Option<Distance>, minutes: Minutes) -> Option<f64> {
    added.map(|added| plain(added.get() / minutes.get()))
}

fn window_file(analysis: &Analysis, window: &Window) -> WindowFile {
    WindowFile {
        from: plain(window.from.get()),
        to: plain(window.to.get()),
        minutes: plain(window.minutes.get()),
        error_min: analysis.window_error(window.from, window.to).map(|error| plain(error.get())),
        average_kw: plain(window.average.get()),
        plug_kwh: window.plug.map(Energy::get).map(plain),
        c_rate: plain(window.c_rate),
        added_km: window.added.map(Distance::get).map(plain),
        km_per_min: per_minute(window.added, window.minutes),
    }
}

fn reading_file<'a>(session: &Session, reading: &'a Reading, slip: Option<&'static str>) -> ReadingFile<'a> {
    let soc = session.soc_of(reading);
    ReadingFile {
        elapsed_s: plain(60.0 * reading.elapsed.get()),
        soc: soc.map(|soc| plain(soc.get())),
        soc_by_range: reading.soc.is_none() && soc.is_some(),
        power_kw: reading.power.map(|power| plain(power.get())),
        energy_kwh: reading.energy.map(|energy| plain(energy.get())),
        voltage_v: reading.voltage.map(|voltage| plain(voltage.get())),
        current_a: reading.current.map(|current| plain(current.get())),
        battery_c: reading.battery.map(|temperature| plain(temperature.get())),
        ambient_c: reading.ambient.map(|temperature| plain(temperature.get())),
        range_km: reading.range.map(|range| plain(range.get())),
        note: reading.note.as_deref(),
        left_out: reading.left_out.as_deref().or(slip),
    }
}

fn slice_file(slice: &Slice) -> SliceFile {
    SliceFile {
        from_min: plain(slice.from.get()),
        to_min: plain(slice.to.get()),
        from_soc: plain(slice.from_soc.get()),
        to_soc: plain(slice.to_soc.get()),
        added_km: slice.added.map(Distance::get).map(plain),
        km_per_min: per_minute(slice.added, slice.to - slice.from),
    }
}

fn rung_file(&(added, minutes): &(Distance, Minutes)) -> RungFile {
    RungFile { added_km: plain(added.get()), minutes: plain(minutes.get()) }
}

fn threshold_file(threshold: &Threshold) -> ThresholdFile {
    ThresholdFile {
        kw: plain(threshold.level.get()),
        below_from_soc: plain(threshold.below_from.get()),
        below_from_min: plain(threshold.below_after.get()),
    }
}

/// A finding as a file tells it.
pub(crate) fn finding_file(finding: &Finding) -> FindingFile {
    FindingFile {
        code: finding.code(),
        severity: match finding.severity() {
            Severity::Note => "note",
            Severity::Warning => "warning",
            Severity::Fault => "fault",
        },
        certainty: finding.certainty().word(),
        decided_by: findings::would_decide(&finding.fact),
        at_min: finding.at.map(|at| plain(at.get())),
        from_soc: finding.span.map(|span| plain(span.0.get())),
        to_soc: finding.span.map(|span| plain(span.1.get())),
        message: findings::sentence(&finding.fact, Units::default()),
        fact: finding.fact.clone(),
    }
}
