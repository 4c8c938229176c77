//! The clock and SoC against themselves: what runs backwards, what is there twice, what was not seen.

use super::{Evidence, Fact, Finding};
use crate::quantity::{Minutes, Soc};
use crate::session::Session;
use crate::session::analysis::Analysis;
use crate::session::kept_readings::{Kept, KeptReadings, Slip};

/// A step in SoC that is a gap whatever the rhythm of the readings, points.
const GAP: f64 = 15.0;
/// A step that is a gap when it is also long for this session, points.
const LONG_GAP: f64 = 6.0;

/// Most C-rate of a whole charge, 1/h: common practice, no published source.
const MOST_C_RATE: f64 = 10.0;
/// Most average power of a whole charge, kW.
const MOST_POWER: f64 = 1_000.0;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    let (session, kept) = (evidence.session, evidence.analysis.timeline.kept());
    let mut found: Vec<Finding> = kept.slips.iter().map(|&(index, slip)| of_slip(session, index, slip)).collect();
    found.extend(of_the_clock(session, kept));
    found.extend(impossible(evidence));
    found.extend(gaps(kept));
    found.extend(left_out(session));
    found
}

/// A reading that was passed over, or a power of it.
fn of_slip(session: &Session, index: usize, slip: Slip) -> Finding {
    Finding::new(Fact::of_slip(session, index, slip)).at(session.readings[index].elapsed)
}

impl Fact {
    /// What is wrong with a reading, by its number from 0, that was passed over.
    pub fn of_slip(session: &Session, index: usize, slip: Slip) -> Self {
        let (at, reading) = (&session.readings[index], index + 1);
        match slip {
            Slip::Clock { after } => Self::ClockBackwards { reading, says: at.elapsed, after },
            Slip::Twice => Self::Duplicate { reading, says: at.elapsed },
            Slip::Soc { after, likely } => {
                Self::SocBackwards { reading, shows: session.soc_of(at).unwrap_or_default(), after, likely }
            }
            Slip::Power { likely } => Self::PowerSlip { reading, shows: at.power.unwrap_or_default(), likely },
        }
    }

    /// The number that a slip shows, and the one that was likely meant, where there is one: % or kW.
    pub fn shown_and_likely(&self) -> Option<(f64, f64)> {
        match *self {
            Self::SocBackwards { shows, likely, .. } => Some((shows.get(), likely?.get())),
            Self::PowerSlip { shows, likely, .. } => Some((shows.get(), likely?.get())),
            _ => None,
        }
    }
}

/// What the clock and the first readings are.
fn of_the_clock(session: &Session, kept: &KeptReadings) -> Vec<Finding> {
    let set_back = kept.set_back.iter().map(|&(index, moved)| {
        Finding::new(Fact::ClockSetBack { reading: index + 1, moved }).at(session.readings[index].elapsed + moved)
    });
    let mut found: Vec<Finding> = set_back.collect();
    found.extend(kept.whole_minutes.then(|| Finding::new(Fact::WholeMinutes {})));
    found.extend(kept.soc_by_range.then(|| Finding::new(Fact::SocByRange {})));
    let idle = kept.before_current;
    found.extend((idle > 0).then(|| Finding::new(Fact::BeforeCurrent { readings: idle })));
    found
}

/// A charge that no battery takes.
fn impossible(evidence: &Evidence) -> Option<Finding> {
    evidence.analysis.impossible().map(Finding::new)
}

impl Analysis {
    /// That no battery takes so much in so short a time, where it is so.
    pub fn impossible(&self) -> Option<Fact> {
        let implied = self.stored / self.minutes;
        let c_rate = implied.get() / self.basis().usable.get();
        let too_much = c_rate > MOST_C_RATE || implied.get() > MOST_POWER;
        too_much.then_some(Fact::ImpossiblePower { implied, c_rate })
    }
}

/// Stretches without a reading that are long for this session.
fn gaps(kept: &KeptReadings) -> Vec<Finding> {
    let shown = |kept: &Kept| Some((Minutes::new(kept.minute), Soc::percent(kept.soc?)));
    let readings: Vec<(Minutes, Soc)> = kept.kept.iter().filter_map(shown).collect();
    let mut steps: Vec<(f64, f64)> =
        readings.windows(2).map(|pair| ((pair[1].0 - pair[0].0).get(), (pair[1].1 - pair[0].1).get())).collect();
    let mut median = |by: fn(&(f64, f64)) -> f64| {
        steps.sort_by(|a, b| by(a).total_cmp(&by(b)));
        steps.get(steps.len() / 2).map_or(0.0, by)
    };
    let (usual_time, usual_points) = (median(|step| step.0), median(|step| step.1));
    let is_gap = |pair: &&[(Minutes, Soc)]| {
        let (time, points) = ((pair[1].0 - pair[0].0).get(), (pair[1].1 - pair[0].1).get());
        let long = points >= LONG_GAP && points > 3.0 * usual_points && time > 3.0 * usual_time;
        points > GAP || long
    };
    let describe = |pair: &[(Minutes, Soc)]| {
        let [before, after] = [pair[0], pair[1]];
        let fact = Fact::Gap { from: before.0, to: after.0, soc: (before.1, after.1) };
        Finding::new(fact).at(before.0).over(before.1.get(), after.1.get())
    };
    readings.windows(2).filter(is_gap).map(describe).collect()
}

/// Readings that a person left out.
fn left_out(session: &Session) -> Option<Finding> {
    let mut out = session.readings.iter().filter(|reading| reading.left_out.is_some());
    let first = out.next()?;
    Some(Finding::new(Fact::LeftOut { readings: 1 + out.count() }).at(first.elapsed))
}
