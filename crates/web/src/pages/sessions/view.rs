//! A session as its page shows it.

use spare_hour_core::charging::ac_charge::{added_an_hour, minutes_to};
use spare_hour_core::charging::curve_features::Stretch;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Distance, Energy, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::analysis::{Analysis, Slice, Window};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::across::{Agreed, decided_by};
use spare_hour_core::session::findings::{Certainty, Fact as Odd, Finding, Severity};
use spare_hour_core::session::forecast_check::{CheckedForecast, whose};
use spare_hour_core::session::meters::by_meters;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::TooFewReadings;
use spare_hour_core::session::usable_capacity::{Method, UsableCapacity};
use spare_hour_core::session::{Meter, Reading};
use spare_hour_formats::clock;

use super::charts::{letter, power_over_soc, soc_over_minutes};
use super::loaded::Loaded;
use super::own_window::{Asked, OwnWindow};
use super::shown_findings::shown;
use crate::charts::Plot;
use crate::charts::bricks::{Bricks, minute_bricks};
use crate::forms::distance_base::{base_name, bases, parse_base};
use spare_hour_wording::{figures, findings};

/// The windows that people quote.
const WINDOWS: [(f64, f64); 7] =
    [(10.0, 80.0), (20.0, 80.0), (10.0, 50.0), (15.0, 80.0), (5.0, 75.0), (0.0, 80.0), (0.0, 100.0)];
/// A rung of the ladder, in km or miles.
const RUNG: f64 = 50.0;
/// Slices shown; a night at a post has more.
const SLICES_SHOWN: usize = 14;
/// Readings shown in the table.
const READINGS_SHOWN: usize = 300;

/// A name and what stands under it.
pub(crate) type Fact = (&'static str, String);

/// Everything on a session's page that is figured out.
pub(crate) struct SessionView {
    pub(crate) headline: String,
    pub(crate) facts: Vec<Fact>,
    pub(crate) noted: Vec<Fact>,
    pub(crate) findings: Vec<FindingRow>,
    /// How many findings there are beyond those shown.
    pub(crate) more_findings: usize,
    /// What several charges of the car tell together, this one among them.
    pub(crate) agreed: Vec<String>,
    pub(crate) power: Plot,
    pub(crate) soc: Plot,
    pub(crate) bricks: Bricks,
    pub(crate) windows: Vec<WindowRow>,
    pub(crate) own: OwnWindow,
    /// Distance that the reader's own window adds on every base that is known, side by side.
    pub(crate) distances: Vec<(String, String)>,
    pub(crate) slices: Vec<SliceRow>,
    /// How many slices there are beyond those shown.
    pub(crate) more_slices: usize,
    pub(crate) thirds: Vec<SliceRow>,
    /// Distance in km and in miles, with the minutes until each is added.
    pub(crate) ladders: Vec<(&'static str, Vec<(String, String)>)>,
    pub(crate) shape: Vec<Fact>,
    pub(crate) thresholds: Vec<(String, String, String)>,
    pub(crate) support: Vec<(String, String, String)>,
    /// Loss over power: part, power, plug, stored, loss.
    pub(crate) losses: Vec<[String; 5]>,
    pub(crate) forecasts: Vec<ForecastRow>,
    /// What an AC charge adds.
    pub(crate) ac: Vec<Fact>,
    pub(crate) readings: Vec<ReadingRow>,
    /// How many readings there are beyond those shown.
    pub(crate) more_readings: usize,
    /// The units that it is told in.
    pub(crate) units: Units,
    /// The base of distances, in words; `None` when none is known.
    pub(crate) base: Option<String>,
    pub(crate) bases: Vec<(&'static str, String, bool)>,
}

/// A finding.
pub(crate) struct FindingRow {
    pub(crate) letter: String,
    pub(crate) word: &'static str,
    pub(crate) at: String,
    pub(crate) message: String,
    /// How sure it is, where it is not certain.
    pub(crate) certainty: Option<&'static str>,
    /// What would decide it.
    pub(crate) decided_by: Option<&'static str>,
    /// Whether it may be a boost, to be kept as one.
    pub(crate) may_be_boost: bool,
}

/// A window of SoC.
pub(crate) struct WindowRow {
    pub(crate) window: String,
    pub(crate) minutes: String,
    /// How far the minutes may be off.
    pub(crate) error: String,
    pub(crate) average: String,
    pub(crate) plug: String,
    pub(crate) c_rate: String,
    pub(crate) added: String,
    pub(crate) pace: String,
}

/// A slice of time.
pub(crate) struct SliceRow {
    pub(crate) minutes: String,
    pub(crate) soc: String,
    pub(crate) added: String,
    pub(crate) pace: String,
}

/// A forecast and what came of it.
pub(crate) struct ForecastRow {
    pub(crate) told: String,
    pub(crate) outcome: String,
}

/// A reading.
pub(crate) struct ReadingRow {
    pub(crate) position: usize,
    pub(crate) at: String,
    pub(crate) soc: String,
    pub(crate) kw: String,
    pub(crate) kwh: String,
    pub(crate) battery: String,
    pub(crate) note: String,
    pub(crate) left_out: Option<String>,
}

impl SessionView {
    /// Slices and thirds with their titles.
    pub(crate) fn slice_tables(&self) -> Vec<(&'static str, &[SliceRow])> {
        vec![("Every ten minutes", &self.slices), ("Thirds", &self.thirds)]
    }

    pub(crate) fn new(
        loaded: &Loaded,
        asked: &Asked,
        agreed: &[Agreed],
        base: Option<&str>,
    ) -> Result<Self, TooFewReadings> {
        let report = loaded.report(parse_base(base))?;
        let (session, analysis, units) = (loaded.session(), &report.analysis, loaded.units);
        let window = |&(from, to): &(f64, f64)| analysis.window(Soc::percent(from), Soc::percent(to));
        let used = analysis.basis().base;
        let own = OwnWindow::new(analysis, asked, units);
        let shown = shown(&report);
        Ok(Self {
            headline: headline(analysis),
            facts: facts(loaded, &report),
            noted: noted(loaded),
            more_findings: report.findings.len() - shown.len(),
            findings: shown.into_iter().map(|pair| finding_row(pair, units, agreed)).collect(),
            agreed: agreed.iter().map(findings::agreed).collect(),
            power: power_over_soc(&report, units),
            soc: soc_over_minutes(&report),
            bricks: minute_bricks(analysis, units),
            windows: WINDOWS.iter().filter_map(window).map(|window| window_row(analysis, &window, units)).collect(),
            distances: distances(loaded, &own),
            own,
            slices: analysis.slices.iter().take(SLICES_SHOWN).map(|slice| slice_row(slice, units)).collect(),
            more_slices: analysis.slices.len().saturating_sub(SLICES_SHOWN),
            thirds: analysis.thirds.iter().map(|slice| slice_row(slice, units)).collect(),
            ladders: ladders(analysis, units),
            shape: shape(&report),
            thresholds: analysis.thresholds.iter().map(threshold_row).collect(),
            losses: by_meters(analysis, None).iter().map(figures::part_by_meters).collect(),
            support: report.support.iter().map(support_row).collect(),
            forecasts: report.forecasts.iter().map(forecast_row).collect(),
            ac: ac(loaded, analysis),
            readings: session
                .readings
                .iter()
                .take(READINGS_SHOWN)
                .enumerate()
                .map(|pair| reading_row(pair, units))
                .collect(),
            more_readings: session.readings.len().saturating_sub(READINGS_SHOWN),
            units,
            base: analysis.basis().range.map(|_| base_name(loaded, used, units)),
            bases: bases(loaded, used, units),
        })
    }
}

/// Distance that a window adds on every base that is known.
fn distances(loaded: &Loaded, own: &OwnWindow) -> Vec<(String, String)> {
    let Some(points) = own.points else { return Vec::new() };
    let on = |base: DistanceBase| {
        let range = loaded.distances().range(base, loaded.usable())?;
        let added = range * (points.get() / 100.0);
        Some((base_name(loaded, base, loaded.units), figures::distance(loaded.units, added)))
    };
    DistanceBase::ALL.into_iter().filter_map(on).collect()
}

/// The figure that is quoted first: the widest usual window, else the whole.
fn headline(analysis: &Analysis) -> String {
    let quoted = [(10.0, 80.0), (20.0, 80.0), (40.0, 80.0)];
    let window = quoted.iter().find_map(|&(from, to)| analysis.window(Soc::percent(from), Soc::percent(to)));
    let (from, to, minutes) = match window {
        Some(window) => (window.from, window.to, window.minutes),
        None => (analysis.timeline.start_soc(), analysis.timeline.end_soc(), analysis.minutes),
    };
    format!("{} to {} in {} min", figures::percent(from), figures::percent(to), clock(minutes))
}

fn known(facts: impl IntoIterator<Item = (&'static str, Option<String>)>) -> Vec<Fact> {
    facts.into_iter().filter_map(|(name, value)| Some((name, value?))).collect()
}

fn facts(loaded: &Loaded, report: &Report) -> Vec<Fact> {
    let (analysis, curve) = (&report.analysis, &report.curve);
    let (start, end) = (figures::percent(analysis.timeline.start_soc()), figures::percent(analysis.timeline.end_soc()));
    let loss = analysis.loss_percent.zip(analysis.loss_percent_of_stored());
    let guessed = if loaded.usable_is_guessed() { " (a guess: nobody has said it)" } else { "" };
    let (rms, worst) = (60.0 * curve.residual.get(), 60.0 * curve.worst_residual.get());
    known([
        (
            "Measured",
            Some(format!(
                "{start} to {end} in {}, {} readings",
                clock(analysis.minutes),
                loaded.session().readings.len()
            )),
        ),
        ("Average", Some(format!("{:.0} kW", analysis.average.get()))),
        ("From the plug", analysis.plug.map(|energy| format!("{:.1} kWh", energy.get()))),
        (
            "Stored",
            Some(format!(
                "{:.1} kWh, with {:.1} kWh usable{guessed}",
                analysis.stored.get(),
                analysis.basis().usable.get()
            )),
        ),
        (
            "Loss",
            loss.map(|(of_plug, of_stored)| {
                format!("{of_plug:.1} % of the plug’s energy, {of_stored:.1} % of what is stored")
            }),
        ),
        ("Usable capacity", report.capacity.map(|capacity| capacity_words(&capacity))),
        ("Curve and clock", Some(format!("agree within {rms:.0} s between readings ({worst:.0} s at worst)"))),
    ])
}

fn capacity_words(capacity: &UsableCapacity) -> String {
    let how = match capacity.method {
        Method::CarMeter => "by the car’s meter over the points gained".to_string(),
        Method::StationLessLoss(loss) => format!("by the station’s meter less the car’s usual loss of {loss:.0} %"),
    };
    format!("{:.1} ± {:.1} kWh, {how}", capacity.energy.get(), capacity.plus_minus.get())
}

fn noted(loaded: &Loaded) -> Vec<Fact> {
    let conditions = &loaded.session().conditions;
    let meter = match conditions.meter {
        Meter::Station => "the station’s: what leaves the plug",
        Meter::Car => "the car’s: what enters the battery",
    };
    let yes = |yes: bool| if yes { "yes" } else { "no" }.to_string();
    let degrees = |temperature: Temperature| figures::temperature(loaded.units, temperature);
    let site: Vec<String> = [
        conditions.site_power.map(|power| format!("{:.0} kW", power.get())),
        conditions.site_current.map(|current| format!("{:.0} A", current.get())),
        conditions.site_voltage.map(|voltage| format!("{:.0} V", voltage.get())),
    ]
    .into_iter()
    .flatten()
    .collect();
    let preconditioned = match (&conditions.preconditioned, conditions.preconditioned_for) {
        (Some(how), Some(minutes)) => Some(format!("{how}, {:.0} min", minutes.get())),
        (how, minutes) => how.clone().or(minutes.map(|minutes| format!("{:.0} min", minutes.get()))),
    };
    known([
        ("Day", conditions.day.clone()),
        ("Meter", Some(meter.into())),
        ("Car", conditions.car.clone()),
        ("Software", conditions.software.clone()),
        ("Site", Some(site.join(", ")).filter(|site| !site.is_empty())),
        ("Shared cabinet", conditions.shared_cabinet.map(yes)),
        ("Air", conditions.ambient.map(degrees)),
        ("Pack at the start", loaded.session().battery_at_start().map(degrees)),
        ("Preconditioned", preconditioned),
        ("Car on", conditions.car_on.map(yes)),
        ("Adapter", conditions.adapter.clone()),
        ("Handshake", conditions.handshake.map(|handshake| format!("{:.0} s", 60.0 * handshake.get()))),
        ("Failed attempts", conditions.failed_attempts.map(|failed| failed.to_string())),
        ("Phases", conditions.phases.map(|phases| format!("{phases} (AC)"))),
        ("Start", conditions.start.clone()),
        ("Began", conditions.began.map(|began| loaded.units.clock.time(began.get().round() as u32 % 1440))),
        ("Paid", conditions.paid.map(|paid| format!("{paid:.2}"))),
        ("Joined", conditions.joined.clone()),
    ])
}

fn finding_row((index, finding): (usize, &Finding), units: Units, agreed: &[Agreed]) -> FindingRow {
    let decided = decided_by(finding, agreed).is_some();
    FindingRow {
        letter: letter(index),
        word: match finding.severity() {
            Severity::Note => "Note",
            Severity::Warning => "Warning",
            Severity::Fault => "Fault",
        },
        at: finding.at.map(clock).unwrap_or_default(),
        message: findings::sentence(&finding.fact, units),
        certainty: Some(finding.certainty())
            .filter(|sure| !decided && *sure != Certainty::Certain)
            .map(Certainty::word),
        decided_by: if decided {
            Some("Other charges of this car decide it, below.")
        } else {
            findings::would_decide(&finding.fact)
        },
        may_be_boost: matches!(finding.fact, Odd::BoostOver { .. }),
    }
}

pub(super) fn window_row(analysis: &Analysis, window: &Window, units: Units) -> WindowRow {
    let added = window.added.map(|added| units.distance.of(added));
    let error = analysis.window_error(window.from, window.to).unwrap_or_default();
    WindowRow {
        window: format!("{:.0}–{:.0} %", window.from.get(), window.to.get()),
        minutes: clock(window.minutes),
        error: format!("±{:.0} s", 60.0 * error.get()),
        average: format!("{:.0}", window.average.get()),
        plug: figures::or_dash(window.plug.map(Energy::get), 1),
        c_rate: format!("{:.2}", window.c_rate),
        added: figures::or_dash(added, 0),
        pace: figures::or_dash(added.map(|added| added / window.minutes.get()), 1),
    }
}

fn slice_row(slice: &Slice, units: Units) -> SliceRow {
    let points = (slice.to_soc - slice.from_soc).get();
    let unit = if points.round() == 1.0 { "point" } else { "points" };
    let added = slice.added.map(|added| units.distance.of(added));
    SliceRow {
        minutes: format!("{:.0}–{:.0} min", slice.from.get(), slice.to.get()),
        soc: format!("{} to {}, {points:.0} {unit}", figures::percent(slice.from_soc), figures::percent(slice.to_soc)),
        added: figures::or_dash(added, 0),
        pace: figures::or_dash(added.map(|added| added / (slice.to - slice.from).get()), 1),
    }
}

/// Ladders in both units of distance, the person's first.
fn ladders(analysis: &Analysis, units: Units) -> Vec<(&'static str, Vec<(String, String)>)> {
    let ladder = |unit: DistanceUnit| {
        let rungs = analysis.ladder(unit.distance(RUNG));
        let rung = |(distance, minutes): &(Distance, _)| (format!("{:.0}", unit.of(*distance)), clock(*minutes));
        (unit.name(), rungs.iter().map(rung).collect::<Vec<_>>())
    };
    let mut kinds = DistanceUnit::ALL;
    kinds.sort_by_key(|unit| *unit != units.distance);
    kinds.map(ladder).into_iter().filter(|ladder| !ladder.1.is_empty()).collect()
}

fn shape(report: &Report) -> Vec<Fact> {
    let range =
        |stretch: &Stretch| format!("from {} to {}", figures::percent(stretch.from), figures::percent(stretch.to));
    let peak = report.analysis.peak.zip(report.features.peak).map(|((power, soc), held)| {
        let minutes = figures::minutes(held.minutes.get());
        format!(
            "{:.0} kW at {}; within 5 % of it for {minutes} min, {}",
            power.get(),
            figures::percent(soc),
            range(&held)
        )
    });
    let flat = report.features.flat.map(|flat| {
        let minutes = figures::minutes(flat.minutes.get());
        format!("{}, {minutes} min at about {:.0} kW", range(&flat), flat.power.get())
    });
    let step = |step: &spare_hour_core::charging::curve_features::Step| {
        format!(
            "{:.0} → {:.0} kW at {} ({})",
            step.from.get(),
            step.to.get(),
            figures::percent(step.to_soc),
            clock(step.at)
        )
    };
    let steps: Vec<String> = report.features.steps.iter().map(step).collect();
    known([
        ("Peak", peak),
        ("Longest flat part", flat),
        ("Steps of 10 % or more", Some(steps.join(", ")).filter(|steps| !steps.is_empty())),
    ])
}

fn threshold_row(threshold: &spare_hour_core::session::analysis::Threshold) -> (String, String, String) {
    (format!("{:.0} kW", threshold.level.get()), figures::percent(threshold.below_from), clock(threshold.below_after))
}

fn support_row(part: &spare_hour_core::charging::curve_band::Support) -> (String, String, String) {
    (
        format!("{:.0}–{:.0} %", part.from.get(), part.to.get()),
        part.readings.to_string(),
        format!("{:.1} points", part.farthest.get()),
    )
}

fn forecast_row(check: &CheckedForecast) -> ForecastRow {
    let forecast = &check.forecast;
    let told = format!(
        "At {} ({}) the {} said {:.0} min to {}",
        clock(forecast.at),
        figures::percent(check.shown_at),
        whose(forecast.by),
        forecast.remaining.get(),
        figures::percent(forecast.to),
    );
    let outcome = match (check.actual, check.longer_by()) {
        (Some(actual), Some(longer)) => {
            format!("it took {} min, {}", figures::minutes(actual.get()), figures::more_minutes(longer.get()))
        }
        _ => "the session ended before".into(),
    };
    ForecastRow { told, outcome }
}

/// Power, km added an hour and hours to the limit of an AC charge.
fn ac(loaded: &Loaded, analysis: &Analysis) -> Vec<Fact> {
    let Some(phases) = loaded.session().conditions.phases else {
        return Vec::new();
    };
    let stored = analysis.stored / analysis.minutes;
    let usable = analysis.basis().usable;
    let electric = loaded.session().counted().find_map(|(_, reading)| Some((reading.voltage?, reading.current?)));
    let connection = electric.map(|(voltage, current): (Voltage, _)| {
        let power = spare_hour_core::charging::ac_charge::ac_power(phases, voltage, current);
        format!("{phases} × {:.0} V × {:.0} A = {:.1} kW", voltage.get(), current.get(), power.get())
    });
    let face = loaded.units.clock;
    let began = loaded.session().conditions.began.map(|began| began.get().round() as u32 % 1440);
    let full = minutes_to(analysis.timeline.end_soc(), Soc::percent(100.0), stored, usable);
    known([
        ("Connection", connection.or(Some(format!("{phases} phases")))),
        ("Into the battery", Some(format!("{:.1} kW on average", stored.get()))),
        (
            "Its own loss",
            analysis.loss_percent.map(|loss| {
                let assumed =
                    if analysis.loss_assumed() { " (the car’s usual: this charge does not tell)" } else { "" };
                format!("{loss:.1} % of the plug’s energy{assumed}")
            }),
        ),
        (
            "Start",
            began
                .map(|began| format!("{}, with {}", face.time(began), figures::percent(analysis.timeline.start_soc()))),
        ),
        (
            "Ready",
            began.map(|began| {
                format!(
                    "at {}, with {}",
                    face.time((began + analysis.minutes.get().round() as u32) % 1440),
                    figures::percent(analysis.timeline.end_soc())
                )
            }),
        ),
        (
            "Added an hour",
            analysis.basis().range.map(|range| {
                let added = added_an_hour(stored, usable, range);
                format!(
                    "{} ({})",
                    figures::distance(loaded.units, added),
                    base_name(loaded, analysis.basis().base, loaded.units)
                )
            }),
        ),
        (
            "From there to 100 %",
            full.filter(|full| full.get() > 0.5).map(|full| format!("{} at this power", figures::duration(full))),
        ),
    ])
}

/// All that a reading shows beside clock, SoC, power, energy and pack.
fn beside(reading: &Reading, units: Units) -> String {
    let parts = [
        reading.voltage.map(|volts| format!("{} V", figures::field(volts.get()))),
        reading.current.map(|amps| format!("{} A", figures::field(amps.get()))),
        reading.ambient.map(|air| format!("air {}", figures::temperature(units, air))),
        reading.range.map(|range| format!("range {}", figures::distance(units, range))),
        reading.note.clone(),
    ];
    parts.into_iter().flatten().collect::<Vec<_>>().join(" · ")
}

fn reading_row((position, reading): (usize, &Reading), units: Units) -> ReadingRow {
    ReadingRow {
        position,
        at: clock(reading.elapsed),
        soc: reading.soc.map(|soc| figures::field(soc.get())).unwrap_or_default(),
        kw: figures::or_dash(reading.power.map(Power::get), 0),
        kwh: figures::or_dash(reading.energy.map(Energy::get), 1),
        battery: figures::or_dash(reading.battery.map(|battery| units.temperature.of(battery)), 0),
        note: beside(reading, units),
        left_out: reading.left_out.clone(),
    }
}
