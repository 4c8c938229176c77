//! SoC over minutes: at which minute a SoC was reached, and which SoC stood at a minute.
//!
//! Displays show whole percents, so the first reading of each higher SoC is an anchor: there clock and SoC are known
//! together, and the timeline gives them back exactly. Between two anchors SoC is shared out by the energy counter,
//! else by power times time, else by time; between two readings power is taken as linear in SoC. A logger that reads by
//! time finds each new percent late; its crossings are found in `tick_times.rs`.
//! A reading that a person left out does not count. One whose clock or SoC ran backwards is passed over here and named by
//! [`findings`](crate::session::findings).

use thiserror::Error;

use crate::quantity::{Energy, Minutes, Power, Soc};
use crate::session::Session;
use crate::session::tick_times::{is_logged, refine};

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
}

impl SocTimeline {
    /// The timeline of a session.
    ///
    /// # Errors
    /// When there are fewer than two readings with rising SoC.
    pub fn new(session: &Session) -> Result<Self, TooFewReadings> {
        let mut moments = kept(session);
        let anchors: Vec<usize> = (0..moments.len()).filter(|&index| moments[index].anchor).collect();
        if anchors.len() < 2 {
            return Err(TooFewReadings { readings: session.readings.len(), rising: anchors.len() });
        }
        let resolution = resolution(&moments);
        if is_logged(&moments, resolution) {
            refine(&mut moments);
        } else {
            for pair in anchors.windows(2) {
                share_out(&mut moments[pair[0]..=pair[1]]);
            }
        }
        Ok(Self { moments, resolution })
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

    /// How far the minute at a SoC may be off, either way: half the time since the reading before, but no more than half
    /// of what one step of the display takes there. `None` outside the session.
    pub fn end_error(&self, soc: Soc) -> Option<Minutes> {
        self.minute_at(soc)?;
        let after = self.moments.partition_point(|moment| moment.soc < soc.get()).clamp(1, self.moments.len() - 1);
        let (before, at) = (&self.moments[after - 1], &self.moments[after]);
        let since = at.minute - before.minute;
        let step = since / (at.soc - before.soc).max(1e-9) * self.resolution();
        Some(Minutes::new(since.min(step) / 2.0))
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

/// The readings that count, whose clock goes on and whose SoC does not fall, with anchors marked.
fn kept(session: &Session) -> Vec<Moment> {
    let mut moments: Vec<Moment> = Vec::with_capacity(session.readings.len());
    for (index, reading) in session.counted() {
        let (minute, soc) = (reading.elapsed.get(), reading.soc.get());
        let before = moments.last();
        if before.is_some_and(|before| minute <= before.minute || soc < before.soc) {
            continue;
        }
        moments.push(Moment {
            reading: index,
            minute,
            soc,
            kw: reading.power.map(Power::get),
            kwh: reading.energy.map(Energy::get),
            anchor: before.is_none_or(|before| soc > before.soc),
        });
    }
    moments
}

/// The step in which SoC was shown.
fn resolution(moments: &[Moment]) -> f64 {
    let shown_in = |step: f64| {
        moments.iter().all(|moment| ((moment.soc / step).round() * step - moment.soc).abs() < 1e-6 * step.max(0.01))
    };
    [1.0, 0.1].into_iter().find(|&step| shown_in(step)).unwrap_or(0.01)
}

/// Shares the SoC between two anchors out over the readings between them.
fn share_out(moments: &mut [Moment]) {
    let (first, last) = (moments[0], moments[moments.len() - 1]);
    let progress: Vec<f64> = match progress_by_counter(moments) {
        Some(progress) => progress,
        None => progress_by_power(moments),
    };
    let whole = progress[progress.len() - 1];
    for (moment, done) in moments.iter_mut().zip(progress) {
        if !moment.anchor {
            let share =
                if whole > 0.0 { done / whole } else { (moment.minute - first.minute) / (last.minute - first.minute) };
            moment.soc = first.soc + share * (last.soc - first.soc);
        }
    }
}

/// Energy since the first moment by the meter's counter, if every moment has one and it never falls.
fn progress_by_counter(moments: &[Moment]) -> Option<Vec<f64>> {
    let counts: Option<Vec<f64>> = moments.iter().map(|moment| moment.kwh).collect();
    let counts = counts?;
    let rising = counts.windows(2).all(|pair| pair[1] >= pair[0]) && counts[counts.len() - 1] > counts[0];
    rising.then(|| counts.iter().map(|count| count - counts[0]).collect())
}

/// Power times time since the first moment; time alone where power is missing.
fn progress_by_power(moments: &[Moment]) -> Vec<f64> {
    let all = moments.iter().all(|moment| moment.kw.is_some());
    let kw = |moment: &Moment| if all { moment.kw.unwrap_or(1.0).max(0.0) } else { 1.0 };
    let mut done = 0.0;
    let steps = moments.windows(2).map(|pair| {
        done += f64::midpoint(kw(&pair[0]), kw(&pair[1])) * (pair[1].minute - pair[0].minute);
        done
    });
    std::iter::once(0.0).chain(steps).collect()
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
    use crate::session::Reading;
    use proptest::prelude::*;

    fn session(rows: &[(f64, f64, Option<f64>, Option<f64>)]) -> Session {
        let reading = |&(minute, soc, kw, kwh): &(f64, f64, Option<f64>, Option<f64>)| Reading {
            elapsed: Minutes::new(minute),
            soc: Soc::percent(soc),
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
        let rows = [(0.0, 10.0), (2.0, 20.0), (1.0, 25.0), (3.0, 19.0), (4.0, 30.0)].map(|(t, s)| (t, s, None, None));
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
