//! SoC over minutes: at which minute a SoC was reached, and which SoC stood at a minute.
//!
//! Which readings count is said by [`KeptReadings`]. Beside the clock each has its *progress*: energy by the counter,
//! else by power times time, else time itself. Somebody who reads when a number appears gives clock and SoC together:
//! the timeline gives these readings back exactly, and shares SoC out between them by progress. A logger reads by time,
//! and its display hides up to a whole step: there one smooth relation of SoC to progress is fitted over the whole
//! charge ([`IntervalFit`]). A clock of whole minutes is treated alike, with SoC and minutes changing places.
//! Between two readings power is taken as linear in SoC.

use thiserror::Error;

use crate::quantity::{Minutes, Soc};
use crate::session::Session;
use crate::session::interval_fit::{IntervalFit, Seen};
use crate::session::kept_readings::{Kept, KeptReadings};
use crate::session::progress::{Progress, progress};

/// The usual change of the slope of SoC over energy in one charge: losses change slowly.
const BEND_OF_ENERGY: f64 = 0.08;
/// The usual change of the slope of SoC over time, where neither power nor energy is known.
const BEND_OF_TIME: f64 = 3.0;
/// Readings of a SoC, on average, from which on they are a logger's.
const LOGGED: f64 = 1.3;
/// Scatter of SoC around its neighbours' line, in steps of the display, from which on readings are not at a tick.
const OFF_TICK: f64 = 0.13;
/// Standard deviation of a person's reading of the clock at a tick, minutes: common practice, no published source.
const READING: f64 = 0.6 / 60.0;
/// Standard deviations within which the truth lies 19 times in 20.
const NINETEEN_OF_TWENTY: f64 = 1.96;
/// How much less unsure a fit is than independent readings around it would make it: its intervals cut each other's ends
/// off. Found on played charges (`tests/window_truth.rs`).
const CUT_OFF: f64 = 0.8;

/// There are not two readings with rising SoC.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
#[error(
    "{readings} readings, {rising} of them at a higher SoC than before; expected at least two readings with rising SoC"
)]
pub struct TooFewReadings {
    /// Readings in the session.
    pub readings: usize,
    /// Readings at a SoC that was not reached before.
    pub rising: usize,
}

/// A reading on the timeline.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moment {
    /// Which of the session's readings.
    pub reading: usize,
    /// Minutes since current began.
    pub minute: f64,
    /// SoC in %, between whole percents where energy or power tell.
    pub soc: f64,
    /// Power as the meter showed it, kW.
    pub kw: Option<f64>,
    /// Energy since current began as the meter showed it, kWh.
    pub kwh: Option<f64>,
    /// Whether clock and SoC are known together: the first reading of a SoC.
    pub anchor: bool,
}

/// SoC over minutes for one session.
#[derive(Clone, Debug)]
pub struct SocTimeline {
    moments: Vec<Moment>,
    resolution: f64,
    kept: KeptReadings,
    doubt: Doubt,
}

/// How the timeline was found, which is how sure it is.
#[derive(Clone, Debug)]
enum Doubt {
    /// Read at ticks: this scatter, in points, beside the clock's own.
    Ticks(f64),
    /// Too few or too far apart to tell whether they were at ticks.
    Unknown,
    /// By a fit of SoC over progress; the progress at each moment.
    Fitted(Box<IntervalFit>, Vec<f64>),
    /// By a fit of minutes over progress.
    Clock(Box<IntervalFit>, Vec<f64>),
}

impl SocTimeline {
    /// The timeline of a session.
    ///
    /// # Errors
    /// When there are fewer than two readings with rising SoC.
    pub fn new(session: &Session) -> Result<Self, TooFewReadings> {
        let mut kept = KeptReadings::new(session);
        let within = between_known(&kept.kept);
        let anchors = (0..within.len()).filter(|&index| is_anchor(within, index)).count();
        if anchors < 2 {
            return Err(TooFewReadings { readings: session.readings.len(), rising: anchors });
        }
        let mut within = within.to_vec();
        let resolution = resolution(&within);
        let mut doubt = Doubt::Unknown;
        if kept.whole_minutes
            && let Some((fit, at)) = set_clock(&mut within)
        {
            doubt = Doubt::Clock(Box::new(fit), at);
        }
        let mut moments = moments(&within);
        let along = progress(&within);
        let off = off_ticks(&within, &along.at, resolution);
        if !kept.whole_minutes && is_logged(&within, resolution, off) {
            if let Some(fit) = fit_soc(&within, &along, resolution) {
                take_soc_of(&fit, &mut moments, &along.at, resolution);
                doubt = Doubt::Fitted(Box::new(fit), along.at);
            }
        } else {
            share_out(&mut moments, &within, &along.at);
            if let (Doubt::Unknown, Some(off)) = (&doubt, off) {
                doubt = Doubt::Ticks(off);
            }
        }
        kept.kept = within;
        Ok(Self { moments, resolution, kept, doubt })
    }

    /// Which readings count, and what was done about the others.
    pub fn kept(&self) -> &KeptReadings {
        &self.kept
    }

    /// A timeline of readings that were drawn from this one.
    pub(crate) fn drawn(&self, moments: Vec<Moment>) -> Self {
        Self { moments, resolution: self.resolution, kept: KeptReadings::default(), doubt: Doubt::Unknown }
    }

    /// The SoC that the first reading most likely had: a logger's display hides up to a step.
    pub(crate) fn likely_start(&self) -> f64 {
        let shown = self.moments[0].soc;
        match &self.doubt {
            Doubt::Fitted(fit, along) => fit.at(along[0]).clamp(shown, shown + self.resolution),
            _ => shown,
        }
    }

    /// Standard deviation of the SoC of a reading, points.
    pub(crate) fn points_unsure(&self) -> f64 {
        match &self.doubt {
            Doubt::Ticks(off) => *off,
            Doubt::Unknown => self.resolution / 12.0_f64.sqrt(),
            Doubt::Fitted(fit, along) => fit.spread_between(along[along.len() / 3], along[2 * along.len() / 3]),
            Doubt::Clock(..) => 0.1 * self.resolution,
        }
    }

    /// The readings that count, in order of time.
    pub fn moments(&self) -> &[Moment] {
        &self.moments
    }

    /// The readings at which clock and SoC are known together.
    pub fn anchors(&self) -> impl Iterator<Item = &Moment> {
        self.moments.iter().filter(|moment| moment.anchor)
    }

    /// SoC of the first reading.
    pub fn start_soc(&self) -> Soc {
        Soc::percent(self.moments[0].soc)
    }

    /// Highest SoC.
    pub fn end_soc(&self) -> Soc {
        Soc::percent(self.moments[self.moments.len() - 1].soc)
    }

    /// Minute of the first reading; 0 unless the clock started earlier.
    pub fn start(&self) -> Minutes {
        Minutes::new(self.moments[0].minute)
    }

    /// Minute of the last reading.
    pub fn end(&self) -> Minutes {
        Minutes::new(self.moments[self.moments.len() - 1].minute)
    }

    /// The minute at which a SoC was first reached; `None` outside the session.
    pub fn minute_at(&self, soc: Soc) -> Option<Minutes> {
        let soc = soc.get();
        let after = self.moments.partition_point(|moment| moment.soc < soc);
        let last = self.moments.get(after)?;
        let Some(first) = after.checked_sub(1).map(|before| &self.moments[before]) else {
            return (last.soc <= soc).then(|| Minutes::new(last.minute));
        };
        let share = time_share(first, last, (soc - first.soc) / (last.soc - first.soc));
        Some(Minutes::new(first.minute + share * (last.minute - first.minute)))
    }

    /// How far the minutes between two SoC values may be off, either way: the truth lies within 19 times in 20. `None`
    /// outside the session.
    pub fn error_between(&self, from: Soc, to: Soc) -> Option<Minutes> {
        let ends = [(from, self.minute_at(from)?), (to, self.minute_at(to)?)];
        let paces = ends.map(|(soc, _)| self.minutes_per_point(soc));
        let shown = match &self.doubt {
            Doubt::Ticks(off) => paces.map(|pace| READING.hypot(off * pace)),
            Doubt::Unknown => paces.map(|pace| READING.hypot(pace * self.resolution / 12.0_f64.sqrt())),
            Doubt::Fitted(fit, along) => {
                let [a, b] = ends.map(|(_, minute)| self.progress_at(along, minute));
                let spread = CUT_OFF * fit.spread_between(a, b) / 2.0_f64.sqrt();
                let at_end = ends.map(|(soc, _)| self.hidden_at_an_end(soc));
                [0, 1].map(|end| paces[end] * spread.hypot(at_end[end]))
            }
            Doubt::Clock(fit, along) => {
                let [a, b] = ends.map(|(_, minute)| self.progress_at(along, minute));
                [CUT_OFF * fit.spread_between(a, b) / 2.0_f64.sqrt(); 2]
            }
        };
        let in_gap = ends.map(|(soc, _)| self.unseen(soc));
        let variance: f64 = shown.iter().chain(&in_gap).map(|deviation| deviation * deviation).sum();
        Some(Minutes::new(NINETEEN_OF_TWENTY * variance.sqrt()))
    }

    /// Minutes that a point takes around a SoC.
    fn minutes_per_point(&self, soc: Soc) -> f64 {
        let (low, high) = ((soc.get() - 1.5).max(self.moments[0].soc), soc.get() + 1.5);
        let high = high.min(self.end_soc().get());
        let minute = |soc: f64| self.minute_at(Soc::percent(soc)).map_or(0.0, Minutes::get);
        if high > low { (minute(high) - minute(low)) / (high - low) } else { 0.0 }
    }

    /// Standard deviation of what the display hides at the first and last reading of a logger, points.
    fn hidden_at_an_end(&self, soc: Soc) -> f64 {
        let near = |end: Soc| (soc.get() - end.get()).abs() < 0.5 * self.resolution;
        let hidden = self.resolution / 3.0_f64.sqrt();
        if near(self.start_soc()) || near(self.end_soc()) { hidden } else { 0.0 }
    }

    fn progress_at(&self, along: &[f64], minute: Minutes) -> f64 {
        let minute = minute.get();
        let after = self.moments.partition_point(|moment| moment.minute <= minute);
        let (Some(before), true) = (after.checked_sub(1), after < along.len()) else {
            return along[after.min(along.len() - 1)];
        };
        let (first, last) = (&self.moments[before], &self.moments[after]);
        along[before] + (along[after] - along[before]) * (minute - first.minute) / (last.minute - first.minute)
    }

    /// Standard deviation of the minute at a SoC between two readings that are far apart: power may have changed
    /// anywhere between them.
    fn unseen(&self, soc: Soc) -> f64 {
        let soc = soc.get();
        let after = self.moments.partition_point(|moment| moment.soc < soc);
        let (Some(first), Some(last)) = (after.checked_sub(1).map(|at| &self.moments[at]), self.moments.get(after))
        else {
            return 0.0;
        };
        let (points, minutes) = (last.soc - first.soc, last.minute - first.minute);
        if points <= 1.5 * self.resolution {
            return 0.0;
        }
        // Fast first and slow after, or the other way round: the most that the two ends of power allow.
        let ratio = match powers(first, last) {
            Some((a, b)) => (a / b).max(b / a).max(1.08),
            None => 1.25,
        };
        let share = ((soc - first.soc) / points).clamp(0.0, 1.0);
        minutes * share * (1.0 - share) * (ratio - 1.0) / ratio.sqrt() / 2.6
    }

    /// How far SoC gained from the first to the last reading may be off, as a standard deviation, points.
    pub(crate) fn gain_unsure(&self) -> f64 {
        match &self.doubt {
            Doubt::Ticks(off) => off.min(self.resolution / 6.0_f64.sqrt()),
            _ => self.resolution / 6.0_f64.sqrt(),
        }
    }

    /// The step in which SoC was shown: 1 % where only whole percents are, else 0.1 or 0.01 %.
    pub fn resolution(&self) -> f64 {
        self.resolution
    }

    /// The SoC at a minute; the first or last one outside the session.
    pub fn soc_at(&self, minute: Minutes) -> Soc {
        let minute = minute.get();
        let after = self.moments.partition_point(|moment| moment.minute <= minute);
        let Some(last) = self.moments.get(after) else {
            return self.end_soc();
        };
        let Some(first) = after.checked_sub(1).map(|before| &self.moments[before]) else {
            return self.start_soc();
        };
        let share = soc_share(first, last, (minute - first.minute) / (last.minute - first.minute));
        Soc::percent(first.soc + share * (last.soc - first.soc))
    }
}

/// The readings from the first that shows a SoC to the last.
fn between_known(kept: &[Kept]) -> &[Kept] {
    let first = kept.iter().position(|kept| kept.soc.is_some()).unwrap_or(0);
    let last = kept.iter().rposition(|kept| kept.soc.is_some()).map_or(0, |last| last + 1);
    &kept[first.min(last)..last]
}

/// Whether a reading is the first of its SoC.
fn is_anchor(kept: &[Kept], index: usize) -> bool {
    let before = kept[..index].iter().rev().find_map(|kept| kept.soc);
    kept[index].soc.is_some_and(|soc| before.is_none_or(|before| soc > before))
}

fn moments(kept: &[Kept]) -> Vec<Moment> {
    let mut highest = f64::NEG_INFINITY;
    let moment = |kept: &Kept| {
        let anchor = kept.soc.is_some_and(|soc| soc > highest);
        highest = kept.soc.unwrap_or(highest);
        Moment { reading: kept.reading, minute: kept.minute, soc: highest, kw: kept.kw, kwh: kept.kwh, anchor }
    };
    kept.iter().map(moment).collect()
}

/// The step in which SoC was shown.
fn resolution(kept: &[Kept]) -> f64 {
    let shown_in = |step: f64| {
        let mut shown = kept.iter().filter_map(|kept| kept.soc);
        shown.all(|soc| ((soc / step).round() * step - soc).abs() < 1e-6 * step.max(0.01))
    };
    [1.0, 0.5, 0.1].into_iter().find(|&step| shown_in(step)).unwrap_or(0.01)
}

/// How far the first readings of each SoC scatter around the line through their neighbours, in points of SoC, as a
/// standard deviation; `None` where too few stand close together.
fn off_ticks(kept: &[Kept], along: &[f64], resolution: f64) -> Option<f64> {
    let anchors: Vec<(f64, f64)> = (0..kept.len())
        .filter(|&index| is_anchor(kept, index))
        .filter_map(|index| Some((along[index], kept[index].soc?)))
        .collect();
    let close = anchors.windows(3).filter(|three| three[2].1 - three[0].1 <= 6.0 * resolution.max(0.5));
    let mut off: Vec<f64> = close
        .map(|three| {
            let share = (three[1].0 - three[0].0) / (three[2].0 - three[0].0).max(1e-12);
            // The middle one and its two neighbours are off alike: half as much again.
            (three[1].1 - three[0].1 - share * (three[2].1 - three[0].1)).abs() / 1.5_f64.sqrt()
        })
        .collect();
    off.sort_by(f64::total_cmp);
    // Without the largest, which steps and gaps of the power make.
    let usual = &off[..off.len() - off.len() / 20];
    let squares: f64 = usual.iter().map(|off| off * off).sum();
    (off.len() >= 5).then(|| (squares / usual.len() as f64).sqrt())
}

/// Whether readings come by time: more than one of a SoC, or scattered as a display hides.
fn is_logged(kept: &[Kept], resolution: f64, off: Option<f64>) -> bool {
    let shown: Vec<f64> = kept.iter().filter_map(|kept| kept.soc).collect();
    let anchors = (0..kept.len()).filter(|&index| is_anchor(kept, index)).count();
    let points = shown[shown.len() - 1] - shown[0];
    let often = shown.len() as f64 >= LOGGED * anchors as f64 && shown.len() as f64 > 0.5 * points / resolution;
    let most_off = if comes_regularly(kept) { OFF_TICK / 2.0 } else { OFF_TICK };
    anchors > 5 && (often || off.is_some_and(|off| off > most_off * resolution))
}

/// Whether most readings come after the same time.
fn comes_regularly(kept: &[Kept]) -> bool {
    let mut steps: Vec<f64> = kept.windows(2).map(|pair| pair[1].minute - pair[0].minute).collect();
    steps.sort_by(f64::total_cmp);
    let typical = steps[steps.len() / 2];
    let alike = steps.iter().filter(|&&step| (step - typical).abs() < 0.02 * typical + 0.01).count();
    10 * alike >= 7 * steps.len()
}

/// One smooth relation of SoC to progress.
fn fit_soc(kept: &[Kept], along: &Progress, resolution: f64) -> Option<IntervalFit> {
    let mut seen: Vec<Seen> = Vec::new();
    for (kept, &at) in kept.iter().zip(&along.at) {
        let Some(soc) = kept.soc else { continue };
        // Of readings of one SoC the first and the last say all.
        let next = Seen { at, low: soc, high: soc + resolution };
        let count = seen.len();
        if count >= 2 && seen[count - 1].low == soc && seen[count - 2].low == soc {
            seen[count - 1] = next;
        } else {
            seen.push(next);
        }
    }
    IntervalFit::new(&seen, if along.is_energy { BEND_OF_ENERGY } else { BEND_OF_TIME })
}

/// Gives each moment the SoC of the fit; what was shown at the first and last reading stays.
fn take_soc_of(fit: &IntervalFit, moments: &mut [Moment], along: &[f64], resolution: f64) {
    let (first, last) = (moments[0].soc, moments[moments.len() - 1].soc);
    let mut highest = first;
    for (moment, &at) in moments.iter_mut().zip(along).skip(1) {
        let shown = moment.soc;
        highest = fit.at(at).clamp(shown, shown + resolution).clamp(highest, last.max(highest));
        moment.soc = highest.min(last);
    }
}

/// The true minutes of a clock that shows whole ones: minutes over progress, fitted. What it was fitted over is given
/// back with it.
fn set_clock(kept: &mut [Kept]) -> Option<(IntervalFit, Vec<f64>)> {
    let along = crate::session::progress::time_by_power(kept)?;
    let seen: Vec<Seen> =
        kept.iter().zip(&along.at).map(|(kept, &at)| Seen { at, low: kept.minute, high: kept.minute + 1.0 }).collect();
    let fit = IntervalFit::new(&seen, if along.is_energy { BEND_OF_ENERGY } else { BEND_OF_TIME })?;
    let first = fit.at(along.at[0]);
    let mut latest = f64::NEG_INFINITY;
    for (kept, &at) in kept.iter_mut().zip(&along.at) {
        latest = (fit.at(at) - first).max(latest + 1e-4);
        kept.minute = latest;
    }
    Some((fit, along.at))
}

/// Shares SoC between the first readings of each out over those between, by progress.
fn share_out(moments: &mut [Moment], kept: &[Kept], along: &[f64]) {
    let anchors: Vec<usize> = (0..moments.len()).filter(|&index| moments[index].anchor).collect();
    let last_known = kept.iter().rposition(|kept| kept.soc.is_some()).unwrap_or(0);
    for pair in anchors.windows(2) {
        let (from, to) = (moments[pair[0]], moments[pair[1]]);
        let whole = along[pair[1]] - along[pair[0]];
        for index in pair[0] + 1..pair[1] {
            let share = if whole > 0.0 { (along[index] - along[pair[0]]) / whole } else { 0.0 };
            moments[index].soc = from.soc + share * (to.soc - from.soc);
        }
    }
    // After the last new SoC nothing tells more than what was shown.
    let highest = moments[anchors[anchors.len() - 1]].soc;
    moments[anchors[anchors.len() - 1]..=last_known].iter_mut().for_each(|moment| moment.soc = highest);
}

/// Powers at both ends of a stretch, where both are known and neither is a start or stop of the current.
fn powers(first: &Moment, last: &Moment) -> Option<(f64, f64)> {
    let (a, b) = (first.kw?, last.kw?);
    (a > 0.05 * b && b > 0.05 * a).then_some((a, b))
}

/// The share of a stretch's time that a share of its SoC takes, with power linear in SoC.
fn time_share(first: &Moment, last: &Moment, soc_share: f64) -> f64 {
    match powers(first, last) {
        Some((a, b)) if (b / a - 1.0).abs() > 1e-6 => (1.0 + (b / a - 1.0) * soc_share).ln() / (b / a).ln(),
        _ => soc_share,
    }
}

/// The share of a stretch's SoC that a share of its time brings, with power linear in SoC.
fn soc_share(first: &Moment, last: &Moment, time_share: f64) -> f64 {
    match powers(first, last) {
        Some((a, b)) if (b / a - 1.0).abs() > 1e-6 => ((b / a).powf(time_share) - 1.0) / (b / a - 1.0),
        _ => time_share,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Energy, Power};
    use crate::session::Reading;
    use proptest::prelude::*;

    fn session(rows: &[(f64, f64, Option<f64>, Option<f64>)]) -> Session {
        let reading = |&(minute, soc, kw, kwh): &(f64, f64, Option<f64>, Option<f64>)| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: kw.map(Power::kw),
            energy: kwh.map(Energy::kwh),
            ..Reading::default()
        };
        Session { readings: rows.iter().map(reading).collect(), ..Session::default() }
    }

    #[test]
    fn the_clock_is_given_back_at_every_first_reading_of_a_percent() {
        let rows = [(0.0, 10.0), (2.5, 20.0), (5.5, 30.0), (5.9, 30.0), (9.5, 40.0)];
        let timeline = SocTimeline::new(&session(&rows.map(|(t, s)| (t, s, Some(100.0 - s), None)))).unwrap();
        for (minute, soc) in [(0.0, 10.0), (2.5, 20.0), (5.5, 30.0), (9.5, 40.0)] {
            assert!((timeline.minute_at(Soc::percent(soc)).unwrap().get() - minute).abs() < 1e-9);
        }
        assert_eq!(timeline.minute_at(Soc::percent(9.0)), None);
        assert_eq!(timeline.minute_at(Soc::percent(41.0)), None);
    }

    #[test]
    fn between_readings_a_taper_is_slower_at_its_end() {
        // Calculus: power falls from 100 to 50 kW linearly in SoC; the first half takes ln(100/75)/ln 2 = 41.5 % of the time.
        let timeline =
            SocTimeline::new(&session(&[(0.0, 20.0, Some(100.0), None), (10.0, 60.0, Some(50.0), None)])).unwrap();
        let minute = timeline.minute_at(Soc::percent(40.0)).unwrap();
        assert!((minute.get() - 4.150).abs() < 0.001, "{minute}");
        assert!((timeline.soc_at(minute).get() - 40.0).abs() < 1e-9);
    }

    #[test]
    fn a_counter_tells_soc_between_whole_percents() {
        let rows = [(0.0, 50.0, None, Some(0.0)), (0.5, 50.0, None, Some(0.6)), (1.0, 51.0, None, Some(0.8))];
        let timeline = SocTimeline::new(&session(&rows)).unwrap();
        assert!((timeline.soc_at(Minutes::new(0.5)).get() - 50.75).abs() < 1e-9);
    }

    #[test]
    fn what_ran_backwards_is_left_out() {
        let rows = [(0.0, 10.0), (2.0, 20.0), (1.0, 25.0), (3.0, 17.0), (4.0, 30.0)].map(|(t, s)| (t, s, None, None));
        let timeline = SocTimeline::new(&session(&rows)).unwrap();
        assert_eq!(timeline.moments().iter().map(|moment| moment.reading).collect::<Vec<_>>(), [0, 1, 4]);
        let flat = session(&[(0.0, 10.0, None, None), (1.0, 10.0, None, None)]);
        assert_eq!(SocTimeline::new(&flat).unwrap_err(), TooFewReadings { readings: 2, rising: 1 });
    }

    proptest! {
        #[test]
        fn minute_and_soc_undo_each_other(steps in prop::collection::vec((0.1f64..5.0, 0u8..8, 3.0f64..200.0), 3..30), at in 0.0f64..1.0) {
            let (mut minute, mut soc) = (0.0, 5.0);
            let rows: Vec<_> = steps.iter().map(|&(dt, ds, kw)| {
                minute += dt;
                soc = (soc + f64::from(ds) / 2.0).min(100.0);
                (minute, soc, Some(kw), None)
            }).collect();
            if let Ok(timeline) = SocTimeline::new(&session(&rows)) {
                let target = timeline.start_soc() + (timeline.end_soc() - timeline.start_soc()) * at;
                let minute = timeline.minute_at(target).unwrap();
                prop_assert!((timeline.soc_at(minute).get() - target.get()).abs() < 1e-6);
            }
        }
    }
}
