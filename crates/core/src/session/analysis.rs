//! What a session says: energies and losses, the minutes of every window, slices of time, the distance ladder, and the
//! power levels that it falls below for good.

use crate::quantity::{Distance, Energy, Minutes, Power, Soc, SocSpan};
use crate::session::distance_base::DistanceBase;
use crate::session::metered::Metered;
use crate::session::soc_timeline::{SocTimeline, TooFewReadings};
use crate::session::{Meter, Session};

/// The windows that people quote beside the round ones.
const QUOTED: [(f64, f64); 2] = [(15.0, 80.0), (5.0, 75.0)];
/// Length of a slice.
const SLICE: f64 = 10.0;
/// A rung of the distance ladder, km.
const RUNG: f64 = 50.0;
/// The power levels looked for, kW.
const LEVELS: [f64; 6] = [50.0, 100.0, 150.0, 200.0, 250.0, 300.0];

/// What is known of the car beside the session.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Basis {
    /// Energy between shown 0 and 100 %.
    pub usable: Energy,
    /// The range that distances are figured with: Δs/100 of it per point.
    pub range: Option<Distance>,
    /// What kind of range that is.
    pub base: DistanceBase,
    /// Loss in % of the plug's energy, for what the meter does not tell.
    pub loss_percent: Option<f64>,
}

/// A window of SoC.
#[derive(Clone, Debug, PartialEq)]
pub struct Window {
    /// Where it begins.
    pub from: Soc,
    /// Where it ends.
    pub to: Soc,
    /// How long it took.
    pub minutes: Minutes,
    /// Average power as the meter showed it; into the battery when there was no meter.
    pub average: Power,
    /// Energy out of the plug.
    pub plug: Option<Energy>,
    /// Average power into the battery over usable capacity, 1/h.
    pub c_rate: f64,
    /// Distance added.
    pub added: Option<Distance>,
}

/// A slice of time.
#[derive(Clone, Debug, PartialEq)]
pub struct Slice {
    /// Where it begins, since the first reading.
    pub from: Minutes,
    /// Where it ends.
    pub to: Minutes,
    /// SoC at its beginning.
    pub from_soc: Soc,
    /// SoC at its end.
    pub to_soc: Soc,
    /// Distance added.
    pub added: Option<Distance>,
}

/// A level that the power falls below and does not reach again.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Threshold {
    /// The level.
    pub level: Power,
    /// From which SoC on.
    pub below_from: Soc,
    /// From which minute on, since the first reading.
    pub below_after: Minutes,
}

/// Everything read off one session.
#[derive(Clone, Debug)]
pub struct Analysis {
    /// SoC over minutes.
    pub timeline: SocTimeline,
    /// First to last reading.
    pub minutes: Minutes,
    /// Energy out of the plug, by the station's meter or by the loss given.
    pub plug: Option<Energy>,
    /// Energy into the battery: points times usable capacity.
    pub stored: Energy,
    /// Loss in % of the plug's energy: measured where the station's meter tells, else as given.
    pub loss_percent: Option<f64>,
    /// Highest power shown and the SoC at which it was first shown.
    pub peak: Option<(Power, Soc)>,
    /// Average power as the meter showed it; into the battery when there was no meter.
    pub average: Power,
    /// Every pair of round 10 % inside the session, 15–80 and 5–75.
    pub windows: Vec<Window>,
    /// Slices of 10 minutes; the last may be shorter.
    pub slices: Vec<Slice>,
    /// The session's time cut into three equal parts.
    pub thirds: Vec<Slice>,
    /// Minutes to add each 50 km, where a range is known.
    pub ladder: Vec<(Distance, Minutes)>,
    /// Power levels crossed for good.
    pub thresholds: Vec<Threshold>,
    basis: Basis,
    metered: Option<Metered>,
    meter: Meter,
}

impl Analysis {
    /// Reads a session.
    ///
    /// # Errors
    /// When there are fewer than two readings with rising SoC.
    pub fn new(session: &Session, basis: Basis) -> Result<Self, TooFewReadings> {
        let timeline = SocTimeline::new(session)?;
        let metered = Metered::new(&timeline);
        let (start, end) = (timeline.start_soc(), timeline.end_soc());
        let minutes = timeline.end() - timeline.start();
        let mut analysis = Self {
            minutes,
            plug: None,
            stored: basis.usable * ((end - start).get() / 100.0),
            loss_percent: None,
            peak: peak(&timeline),
            average: Power::kw(0.0),
            windows: Vec::new(),
            slices: Vec::new(),
            thirds: Vec::new(),
            ladder: Vec::new(),
            thresholds: thresholds(&timeline),
            basis,
            metered,
            meter: session.conditions.meter,
            timeline,
        };
        let whole = (analysis.timeline.start(), analysis.timeline.end());
        analysis.plug = analysis.plug_between(whole, analysis.stored);
        analysis.loss_percent = analysis.loss();
        analysis.average = analysis.average_between(whole, analysis.stored);
        analysis.windows = analysis.standard_windows();
        analysis.slices = analysis.slices(SLICE);
        analysis.thirds = analysis.slices(analysis.minutes.get() / 3.0);
        analysis.ladder = analysis.ladder(Distance::km(RUNG));
        Ok(analysis)
    }

    /// Whether the loss was given and not measured.
    pub fn loss_assumed(&self) -> bool {
        self.loss_percent.is_some() && !(self.meter == Meter::Station && self.metered.is_some())
    }

    /// Loss in % of what is stored, the other way people quote it.
    pub fn loss_percent_of_stored(&self) -> Option<f64> {
        self.loss_percent.map(|loss| 100.0 * loss / (100.0 - loss))
    }

    /// Any window inside the session; `None` outside it or when it is empty.
    pub fn window(&self, from: Soc, to: Soc) -> Option<Window> {
        let between = (self.timeline.minute_at(from)?, self.timeline.minute_at(to)?);
        if to <= from {
            return None;
        }
        let minutes = between.1 - between.0;
        let stored = self.basis.usable * ((to - from).get() / 100.0);
        Some(Window {
            from,
            to,
            minutes,
            average: self.average_between(between, stored),
            plug: self.plug_between(between, stored),
            c_rate: (stored / minutes).get() / self.basis.usable.get(),
            added: self.added(to - from),
        })
    }

    /// The part of the charge that some minutes from a SoC on bring; `None` outside the session.
    pub fn after(&self, from: Soc, minutes: Minutes) -> Option<Window> {
        let end = self.timeline.minute_at(from)? + minutes;
        (end <= self.timeline.end() && minutes.get() > 0.0).then(|| self.window(from, self.timeline.soc_at(end)))?
    }

    /// The part of the charge that stores so much energy from a SoC on; `None` outside the session.
    pub fn to_store(&self, from: Soc, energy: Energy) -> Option<Window> {
        self.window(from, from + SocSpan::points(100.0 * (energy / self.basis.usable)))
    }

    /// Minutes from the start until each multiple of `rung` is added, where a range is known.
    pub fn ladder(&self, rung: Distance) -> Vec<(Distance, Minutes)> {
        let Some(range) = self.basis.range.filter(|range| range.get() > 0.0) else {
            return Vec::new();
        };
        let start = self.timeline.start_soc();
        let step = |count: i32| {
            let distance = rung * f64::from(count);
            let minute = self.timeline.minute_at(start + SocSpan::points(100.0 * (distance / range)))?;
            Some((distance, minute - self.timeline.start()))
        };
        (1..).map_while(step).collect()
    }

    /// How far the minutes of a window may be off, either way: the truth lies within 19 times in 20. `None` outside the
    /// session.
    pub fn window_error(&self, from: Soc, to: Soc) -> Option<Minutes> {
        self.timeline.error_between(from, to)
    }

    /// Energy by the session's meter, from the first to the last reading.
    pub fn metered(&self) -> Option<Energy> {
        let whole = (self.timeline.start(), self.timeline.end());
        self.metered.as_ref().map(|metered| metered.between(&self.timeline, whole))
    }

    /// Energy by the session's meter, from the first reading to a minute.
    pub fn metered_by(&self, minute: Minutes) -> Option<Energy> {
        let until = (self.timeline.start(), minute);
        self.metered.as_ref().map(|metered| metered.between(&self.timeline, until))
    }

    /// Energy out of the plug from the first reading to a minute; `None` where nothing tells it.
    pub fn plug_by(&self, minute: Minutes) -> Option<Energy> {
        self.plug_between((self.timeline.start(), minute), self.stored_by(minute))
    }

    /// Whose meter that is.
    pub fn meter(&self) -> Meter {
        self.meter
    }

    /// Energy into the battery from the first reading to a minute: SoC gained times usable capacity.
    pub fn stored_by(&self, minute: Minutes) -> Energy {
        self.basis.usable * ((self.timeline.soc_at(minute) - self.timeline.start_soc()).get() / 100.0)
    }

    /// What distances, capacity and losses were figured with.
    pub fn basis(&self) -> &Basis {
        &self.basis
    }

    fn added(&self, points: SocSpan) -> Option<Distance> {
        self.basis.range.map(|range| range * (points.get() / 100.0))
    }

    fn plug_between(&self, between: (Minutes, Minutes), stored: Energy) -> Option<Energy> {
        let metered = self.metered.as_ref().map(|metered| metered.between(&self.timeline, between));
        let by_loss = |energy: Energy| self.basis.loss_percent.map(|loss| energy * (100.0 / (100.0 - loss)));
        match (self.meter, metered) {
            (Meter::Station, Some(energy)) => Some(energy),
            (Meter::Car, Some(energy)) => by_loss(energy),
            (_, None) => by_loss(stored),
        }
    }

    fn average_between(&self, between: (Minutes, Minutes), stored: Energy) -> Power {
        let metered = self.metered.as_ref().map(|metered| metered.between(&self.timeline, between));
        metered.unwrap_or(stored) / (between.1 - between.0)
    }

    /// Measured where the station's meter tells what left the plug.
    fn loss(&self) -> Option<f64> {
        match (self.meter, &self.metered, self.plug) {
            (Meter::Station, Some(_), Some(plug)) if plug.get() > 0.0 => Some(100.0 * (1.0 - self.stored / plug)),
            _ => self.basis.loss_percent,
        }
    }

    fn standard_windows(&self) -> Vec<Window> {
        let round = |tens: i32| f64::from(10 * tens);
        let pairs = (0..10).flat_map(|from| (from + 1..=10).map(move |to| (round(from), round(to))));
        pairs.chain(QUOTED).filter_map(|(from, to)| self.window(Soc::percent(from), Soc::percent(to))).collect()
    }

    /// Slices of so many minutes; the last may be shorter.
    fn slices(&self, each: f64) -> Vec<Slice> {
        let (start, length) = (self.timeline.start(), self.minutes.get());
        let count = (length / each - 1e-9).ceil() as usize;
        let slice = |index: usize| {
            let (from, to) = (index as f64 * each, ((index + 1) as f64 * each).min(length));
            let soc = |minute: f64| self.timeline.soc_at(start + Minutes::new(minute));
            Slice {
                from: Minutes::new(from),
                to: Minutes::new(to),
                from_soc: soc(from),
                to_soc: soc(to),
                added: self.added(soc(to) - soc(from)),
            }
        };
        (0..count).map(slice).collect()
    }
}

fn peak(timeline: &SocTimeline) -> Option<(Power, Soc)> {
    let powers = timeline.moments().iter().filter_map(|moment| Some((moment.kw?, moment.soc)));
    let peak = powers.fold(None, |best: Option<(f64, f64)>, next| match best {
        Some(best) if best.0 >= next.0 => Some(best),
        _ => Some(next),
    });
    peak.map(|(kw, soc)| (Power::kw(kw), Soc::percent(soc)))
}

fn thresholds(timeline: &SocTimeline) -> Vec<Threshold> {
    let mut powers: Vec<_> = timeline.moments().iter().filter_map(|moment| Some((moment.kw?, moment.soc))).collect();
    // The end of the current is no fall of the curve.
    while powers.last().is_some_and(|last| last.0 <= 0.0) {
        powers.pop();
    }
    LEVELS.iter().filter_map(|&level| threshold(timeline, &powers, level)).collect()
}

/// Where the power, linear in SoC between readings, crosses a level for the last time, downwards.
fn threshold(timeline: &SocTimeline, powers: &[(f64, f64)], level: f64) -> Option<Threshold> {
    let last = powers.iter().rposition(|&(kw, _)| kw >= level)?;
    let (&(above, s0), &(below, s1)) = (powers.get(last)?, powers.get(last + 1)?);
    let below_from = Soc::percent(s0 + (s1 - s0) * (above - level) / (above - below));
    let minute = timeline.minute_at(below_from)?;
    Some(Threshold { level: Power::kw(level), below_from, below_after: minute - timeline.start() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{Conditions, Reading};

    fn reading(minute: f64, soc: f64, kw: Option<f64>, kwh: Option<f64>) -> Reading {
        Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: kw.map(Power::kw),
            energy: kwh.map(Energy::kwh),
            ..Reading::default()
        }
    }

    fn basis(usable: f64, range: Option<f64>) -> Basis {
        Basis {
            usable: Energy::kwh(usable),
            range: range.map(Distance::km),
            base: DistanceBase::Rated,
            loss_percent: None,
        }
    }

    #[test]
    fn loss_is_quoted_both_ways() {
        // Common practice, no published source: 140 kWh out of the plug and 125 stored are a loss of 10.7 % of the
        // plug's energy, or 12.0 % of what is stored.
        let readings = vec![reading(0.0, 0.0, None, Some(0.0)), reading(60.0, 100.0, None, Some(140.0))];
        let session = Session { readings, ..Session::default() };
        let analysis = Analysis::new(&session, basis(125.0, None)).unwrap();
        assert!((analysis.loss_percent.unwrap() - 10.714).abs() < 0.001);
        assert!((analysis.loss_percent_of_stored().unwrap() - 12.0).abs() < 1e-9);
        assert!((analysis.average.get() - 140.0).abs() < 1e-9);
        assert!(analysis.ladder.is_empty() && analysis.windows.iter().all(|window| window.added.is_none()));
    }

    #[test]
    fn distance_a_minute_of_a_rated_range() {
        // Arithmetic: 59 % of 314 mi in 32 min is 185 mi, 5.8 mi/min.
        let range = 314.0 * 1.609_344;
        let session = Session {
            readings: vec![reading(0.0, 10.0, None, None), reading(32.0, 69.0, None, None)],
            ..Session::default()
        };
        let analysis = Analysis::new(&session, basis(75.0, Some(range))).unwrap();
        let window = analysis.window(Soc::percent(10.0), Soc::percent(69.0)).unwrap();
        let miles = window.added.unwrap().get() / 1.609_344;
        assert!((miles - 185.26).abs() < 0.01 && (miles / window.minutes.get() - 5.79).abs() < 0.01);
        assert_eq!(analysis.ladder.len(), 5);
        assert!((analysis.ladder[0].1.get() - 32.0 * (100.0 * 50.0 / range) / 59.0).abs() < 1e-9);
    }

    #[test]
    fn windows_slices_and_levels_of_a_taper() {
        let rows =
            [(0.0, 10.0, 180.0), (4.0, 30.0, 160.0), (10.0, 50.0, 120.0), (18.0, 70.0, 80.0), (31.0, 90.0, 30.0)];
        let readings = rows.map(|(t, s, kw)| reading(t, s, Some(kw), None)).to_vec();
        let session = Session { readings, ..Session::default() };
        let analysis = Analysis::new(&session, basis(70.0, None)).unwrap();
        assert_eq!(analysis.windows.len(), 36 + 1);
        let window = analysis.window(Soc::percent(30.0), Soc::percent(70.0)).unwrap();
        assert!((window.minutes.get() - 14.0).abs() < 1e-9);
        // By hand: (160+120)/2 · 6/60 + (120+80)/2 · 8/60 = 27.33 kWh; C-rate 0.4 / (14/60) = 1.714.
        assert!((window.plug.unwrap().get() - 27.333).abs() < 0.001);
        assert!((window.average.get() - 27.333 * 60.0 / 14.0).abs() < 0.01);
        assert!((window.c_rate - 1.714).abs() < 0.001);
        // The same window, asked for by its minutes and by its 28 kWh.
        assert!((analysis.after(Soc::percent(30.0), Minutes::new(14.0)).unwrap().to.get() - 70.0).abs() < 1e-6);
        let stored = analysis.to_store(Soc::percent(30.0), Energy::kwh(28.0)).unwrap();
        assert!(
            (stored.minutes.get() - 14.0).abs() < 1e-9
                && analysis.to_store(Soc::percent(30.0), Energy::kwh(60.0)).is_none()
        );
        assert!(analysis.after(Soc::percent(30.0), Minutes::new(90.0)).is_none());
        assert_eq!(analysis.slices.len(), 4);
        assert!((analysis.slices[0].to_soc.get() - 50.0).abs() < 1e-9);
        assert!((analysis.slices[3].to.get() - 31.0).abs() < 1e-9);
        let levels: Vec<f64> = analysis.thresholds.iter().map(|threshold| threshold.level.get()).collect();
        assert_eq!(levels, [50.0, 100.0, 150.0]);
        assert!((analysis.thresholds[1].below_from.get() - 60.0).abs() < 1e-9);
        assert_eq!(analysis.peak, Some((Power::kw(180.0), Soc::percent(10.0))));
    }

    #[test]
    fn a_cars_meter_reads_what_is_stored() {
        let conditions = Conditions { meter: Meter::Car, ..Conditions::default() };
        let readings = vec![reading(0.0, 20.0, Some(90.0), None), reading(20.0, 60.0, Some(90.0), None)];
        let session = Session { readings, conditions };
        let without = Analysis::new(&session, basis(75.0, None)).unwrap();
        assert_eq!((without.plug, without.loss_percent), (None, None));
        let with = Analysis::new(&session, Basis { loss_percent: Some(10.0), ..basis(75.0, None) }).unwrap();
        assert!((with.plug.unwrap().get() - 30.0 / 0.9).abs() < 1e-9);
    }
}
