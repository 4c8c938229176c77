//! The clock and SoC against themselves: what runs backwards, what is there twice, what was not seen.

use super::{Fact, Finding};
use crate::session::{Reading, Session};

/// A step in SoC that is a gap whatever the rhythm of the readings, points.
const GAP: f64 = 15.0;
/// A step that is a gap when it is also long for this session, points.
const LONG_GAP: f64 = 5.0;

pub(super) fn findings(session: &Session) -> Vec<Finding> {
    let mut found = backwards(session);
    found.extend(gaps(session));
    found.extend(left_out(session));
    found
}

/// Readings whose clock stands or runs back, or whose SoC falls, against the last good one.
fn backwards(session: &Session) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut last: Option<&Reading> = None;
    for (index, reading) in session.counted() {
        match last.and_then(|before| against(before, reading, index + 1)) {
            Some(finding) => found.push(finding.at(reading.elapsed)),
            None => last = Some(reading),
        }
    }
    found
}

/// What is wrong with a reading after the last good one.
fn against(before: &Reading, reading: &Reading, number: usize) -> Option<Finding> {
    let says = reading.elapsed;
    let fact = if says < before.elapsed {
        Fact::ClockBackwards { reading: number, says, after: before.elapsed }
    } else if says == before.elapsed {
        Fact::Duplicate { reading: number, says }
    } else if reading.soc < before.soc {
        Fact::SocBackwards { reading: number, shows: reading.soc, after: before.soc }
    } else {
        return None;
    };
    Some(Finding::new(fact))
}

/// Stretches without a reading that are long for this session.
fn gaps(session: &Session) -> Vec<Finding> {
    let readings: Vec<&Reading> = session.counted().map(|(_, reading)| reading).collect();
    let mut steps: Vec<f64> = readings.windows(2).map(|pair| (pair[1].elapsed - pair[0].elapsed).get()).collect();
    steps.sort_by(f64::total_cmp);
    let Some(&median) = steps.get(steps.len() / 2) else {
        return Vec::new();
    };
    let is_gap = |pair: &&[&Reading]| {
        let (time, points) = ((pair[1].elapsed - pair[0].elapsed).get(), (pair[1].soc - pair[0].soc).get());
        points > GAP || (points > LONG_GAP && time > 3.0 && time > 5.0 * median)
    };
    let describe = |pair: &[&Reading]| {
        let [before, after] = [pair[0], pair[1]];
        let fact = Fact::Gap { from: before.elapsed, to: after.elapsed, soc: (before.soc, after.soc) };
        Finding::new(fact).at(before.elapsed).over(before.soc.get(), after.soc.get())
    };
    readings.windows(2).filter(is_gap).map(describe).collect()
}

/// Readings that a person left out.
fn left_out(session: &Session) -> Option<Finding> {
    let mut out = session.readings.iter().filter(|reading| reading.left_out.is_some());
    let first = out.next()?;
    Some(Finding::new(Fact::LeftOut { readings: 1 + out.count() }).at(first.elapsed))
}
