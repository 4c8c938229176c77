//! What there is to see in the powers of a session: how long the peak holds, the longest flat part, the steps.

use crate::quantity::{Minutes, Power, Soc};
use crate::session::soc_timeline::{Moment, SocTimeline};

/// Power of at least this share of the peak is the peak holding.
const PEAK_HOLDS: f64 = 0.95;
/// Power within this share of the middle between its extremes is flat.
const FLAT: f64 = 0.05;
/// A flat part narrower than this is not worth a word, points.
const FLAT_POINTS: f64 = 5.0;
/// A fall by at least this share is a step,
const STEP: f64 = 0.10;
/// unless it is less than this share of the peak, where displays of whole kW step by themselves.
const STEP_OF_PEAK: f64 = 0.03;
/// A step happens within this many points.
const STEP_POINTS: f64 = 3.0;

/// A part of a session.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    /// SoC at its beginning.
    pub from: Soc,
    /// SoC at its end.
    pub to: Soc,
    /// How long it lasted.
    pub minutes: Minutes,
    /// Average of the lowest and highest power in it.
    pub power: Power,
}

/// A fall of the power from one reading to the next, or the one after.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Step {
    /// SoC before it.
    pub from_soc: Soc,
    /// SoC after it.
    pub to_soc: Soc,
    /// When it was over, since current began.
    pub at: Minutes,
    /// Power before it.
    pub from: Power,
    /// Power after it.
    pub to: Power,
}

/// What there is to see in the powers of a session.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct CurveFeatures {
    /// Where and how long the power stayed within 5 % of its peak, around the peak.
    pub peak: Option<Stretch>,
    /// The widest part of which all powers lie within 5 % of one level.
    pub flat: Option<Stretch>,
    /// Falls of 10 % or more, and of 3 % of the peak or more, within 3 points.
    pub steps: Vec<Step>,
}

impl CurveFeatures {
    /// What is to be seen on a timeline.
    pub fn new(timeline: &SocTimeline) -> Self {
        let mut powers: Vec<(Moment, f64)> =
            timeline.moments().iter().filter_map(|moment| Some((*moment, moment.kw?))).collect();
        // The end of the current is no step of the curve.
        while powers.last().is_some_and(|last| last.1 <= 0.0) {
            powers.pop();
        }
        Self { peak: peak(&powers), flat: flat(&powers), steps: steps(&powers) }
    }
}

fn stretch(powers: &[(Moment, f64)]) -> Option<Stretch> {
    let (first, last) = (powers.first()?, powers.last()?);
    let (low, high) = extremes(powers);
    Some(Stretch {
        from: Soc::percent(first.0.soc),
        to: Soc::percent(last.0.soc),
        minutes: Minutes::new(last.0.minute - first.0.minute),
        power: Power::kw(f64::midpoint(low, high)),
    })
}

fn extremes(powers: &[(Moment, f64)]) -> (f64, f64) {
    powers.iter().fold((f64::INFINITY, 0.0), |(low, high): (f64, f64), power| (low.min(power.1), high.max(power.1)))
}

fn peak(powers: &[(Moment, f64)]) -> Option<Stretch> {
    let highest = extremes(powers).1;
    let at = powers.iter().position(|power| power.1 >= highest)?;
    let holds = |power: &&(Moment, f64)| power.1 >= PEAK_HOLDS * highest;
    let before = powers[..at].iter().rev().take_while(holds).count();
    let after = powers[at..].iter().take_while(holds).count();
    stretch(&powers[at - before..at + after])
}

/// The widest stretch whose extremes are close: two pointers, each only moving on.
fn flat(powers: &[(Moment, f64)]) -> Option<Stretch> {
    let mut best: &[(Moment, f64)] = &[];
    let width =
        |part: &[(Moment, f64)]| part.last().zip(part.first()).map_or(0.0, |(last, first)| last.0.soc - first.0.soc);
    let (mut start, mut lows, mut highs) = (0, Monotone::new(|a, b| a <= b), Monotone::new(|a, b| a >= b));
    for end in 0..powers.len() {
        lows.push(end, powers[end].1);
        highs.push(end, powers[end].1);
        while highs.best() - lows.best() > FLAT * (highs.best() + lows.best()) {
            start += 1;
            lows.drop_before(start);
            highs.drop_before(start);
        }
        if width(&powers[start..=end]) > width(best) {
            best = &powers[start..=end];
        }
    }
    stretch(best).filter(|flat| (flat.to - flat.from).get() >= FLAT_POINTS)
}

/// The lowest or highest of a moving window of numbers.
struct Monotone {
    kept: std::collections::VecDeque<(usize, f64)>,
    beats: fn(f64, f64) -> bool,
}

impl Monotone {
    fn new(beats: fn(f64, f64) -> bool) -> Self {
        Self { kept: std::collections::VecDeque::new(), beats }
    }

    fn push(&mut self, index: usize, value: f64) {
        while self.kept.back().is_some_and(|&(_, last)| (self.beats)(value, last)) {
            self.kept.pop_back();
        }
        self.kept.push_back((index, value));
    }

    fn drop_before(&mut self, start: usize) {
        while self.kept.front().is_some_and(|&(index, _)| index < start) {
            self.kept.pop_front();
        }
    }

    fn best(&self) -> f64 {
        self.kept.front().map_or(0.0, |&(_, value)| value)
    }
}

fn steps(powers: &[(Moment, f64)]) -> Vec<Step> {
    let mut steps: Vec<Step> = Vec::new();
    let least = STEP_OF_PEAK * extremes(powers).1;
    for pair in powers.windows(2) {
        let ((before, from), (after, to)) = (pair[0], pair[1]);
        if after.soc - before.soc > STEP_POINTS || to > (1.0 - STEP) * from || from - to < least {
            continue;
        }
        steps.push(Step {
            from_soc: Soc::percent(before.soc),
            to_soc: Soc::percent(after.soc),
            at: Minutes::new(after.minute),
            from: Power::kw(from),
            to: Power::kw(to),
        });
    }
    steps
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{Reading, Session};

    fn features(rows: &[(f64, f64, f64)]) -> CurveFeatures {
        let reading = |&(minute, soc, kw): &(f64, f64, f64)| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: Some(Power::kw(kw)),
            ..Reading::default()
        };
        let session = Session { readings: rows.iter().map(reading).collect(), ..Session::default() };
        CurveFeatures::new(&SocTimeline::new(&session).unwrap())
    }

    #[test]
    fn peak_flat_and_steps_by_eye() {
        let rows = [
            (0.0, 10.0, 120.0),
            (1.0, 12.0, 176.0),
            (2.0, 16.0, 180.0),
            (3.0, 20.0, 172.0),
            (4.0, 24.0, 150.0),
            (6.0, 30.0, 100.0),
            (9.0, 40.0, 98.0),
            (12.0, 50.0, 96.0),
            (13.0, 52.0, 60.0),
            (20.0, 60.0, 0.0),
        ];
        let seen = features(&rows);
        let peak = seen.peak.unwrap();
        assert_eq!((peak.from.get(), peak.to.get(), peak.minutes.get()), (12.0, 20.0, 2.0));
        let flat = seen.flat.unwrap();
        assert_eq!((flat.from.get(), flat.to.get(), flat.power.get()), (30.0, 50.0, 98.0));
        // From 24 to 30 % the power falls too, but over six points, which is a slope; the end of the current is neither.
        let steps: Vec<f64> = seen.steps.iter().map(|step| step.to_soc.get()).collect();
        assert_eq!(steps, [52.0]);
    }

    #[test]
    fn nothing_without_powers() {
        let readings = [0.0, 5.0].map(|minute| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(10.0 + minute)),
            ..Reading::default()
        });
        let session = Session { readings: readings.to_vec(), ..Session::default() };
        assert_eq!(CurveFeatures::new(&SocTimeline::new(&session).unwrap()), CurveFeatures::default());
    }
}
