//! Two parts of one charge, measured on two days or at two stalls, joined where they overlap.
//!
//! The first part counts up to its end; the second goes on from there. Its clock and counter are moved so that the SoC at
//! which the first part ends stands at the same minute and the same kWh in both. Where the parts overlap they are compared:
//! how many minutes each took for the overlap says how well they fit.

use thiserror::Error;

use crate::quantity::{Energy, Minutes, Soc};
use crate::session::soc_timeline::{SocTimeline, TooFewReadings};
use crate::session::{Reading, Session};

/// Two sessions that cannot be parts of one charge.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum NotParts {
    /// A part has too few readings.
    #[error("the {which} part: {problem}")]
    TooFew {
        /// First or second.
        which: &'static str,
        /// What is wrong.
        problem: TooFewReadings,
    },
    /// They do not overlap.
    #[error(
        "the parts do not overlap: the first ends at {end:.0} %, the second begins at {start:.0} %; expected a second part that begins below {end:.0} % and ends above"
    )]
    NoOverlap {
        /// Where the first part ends, %.
        end: f64,
        /// Where the second begins, %.
        start: f64,
    },
}

/// A joined session and how well its parts fit.
#[derive(Clone, Debug)]
pub struct Joined {
    /// The session: the first part's conditions, both parts' readings.
    pub session: Session,
    /// The SoC range in which both parts have readings.
    pub overlap: (Soc, Soc),
    /// Minutes that the first part took for the overlap.
    pub first_took: Minutes,
    /// Minutes that the second part took for it.
    pub second_took: Minutes,
}

/// Joins two sessions; the one that starts lower goes first.
///
/// # Errors
/// When one has too few readings, or they do not overlap.
pub fn join(one: &Session, other: &Session) -> Result<Joined, NotParts> {
    let timeline =
        |session: &Session, which| SocTimeline::new(session).map_err(|problem| NotParts::TooFew { which, problem });
    let (mut first, mut second) = ((one, timeline(one, "first")?), (other, timeline(other, "second")?));
    if second.1.start_soc() < first.1.start_soc() {
        std::mem::swap(&mut first, &mut second);
    }
    let (end, start) = (first.1.end_soc(), second.1.start_soc());
    let minutes = |timeline: &SocTimeline| Some(timeline.minute_at(end)? - timeline.minute_at(start)?);
    let took = minutes(&first.1).zip(minutes(&second.1)).filter(|_| second.1.end_soc() > end);
    let Some((first_took, second_took)) = took else {
        return Err(NotParts::NoOverlap { end: end.get(), start: start.get() });
    };
    let session = spliced(first.0, &first.1, second.0, &second.1);
    Ok(Joined { session, overlap: (start, end), first_took, second_took })
}

fn spliced(first: &Session, until: &SocTimeline, second: &Session, from: &SocTimeline) -> Session {
    let end = until.end_soc();
    let at = from.minute_at(end).unwrap_or_default();
    let later = until.minute_at(end).unwrap_or_default() - at;
    let energy_at = |session: &Session, timeline: &SocTimeline| {
        let reached = timeline.moments().iter().find(|moment| moment.soc >= end.get())?;
        session.readings[reached.reading].energy
    };
    let more = energy_at(first, until).zip(energy_at(second, from)).map(|(first, second)| first - second);
    let moved = |reading: &Reading| Reading {
        elapsed: reading.elapsed + later,
        energy: reading.energy.zip(more).map(|(energy, more): (Energy, Energy)| energy + more),
        ..reading.clone()
    };
    let mut session = Session { readings: Vec::new(), conditions: first.conditions.clone() };
    // Readings of the first part after its highest SoC would stand beside the second part's.
    let reached = until.minute_at(end).unwrap_or_default();
    session.readings.extend(first.readings.iter().filter(|reading| reading.elapsed <= reached).cloned());
    session.readings.extend(second.readings.iter().filter(|reading| reading.elapsed > at).map(moved));
    session
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::Power;

    /// One point every 0.4 min at a steady 50 kW.
    fn part(from: u32, to: u32) -> Session {
        let reading = |soc: u32| Reading {
            elapsed: Minutes::new(0.4 * f64::from(soc - from)),
            soc: Some(Soc::percent(f64::from(soc))),
            power: Some(Power::kw(50.0)),
            energy: Some(Energy::kwh(50.0 * 0.4 / 60.0 * f64::from(soc - from))),
            ..Reading::default()
        };
        Session { readings: (from..=to).map(reading).collect(), ..Session::default() }
    }

    #[test]
    fn two_parts_are_one_charge() {
        let joined = join(&part(89, 100), &part(0, 91)).unwrap();
        let timeline = SocTimeline::new(&joined.session).unwrap();
        assert!((timeline.end().get() - 40.0).abs() < 1e-9);
        assert!(timeline.moments().windows(2).all(|pair| (pair[1].minute - pair[0].minute - 0.4).abs() < 1e-9));
        let counted = joined.session.readings.last().unwrap().energy.unwrap().get();
        assert!((counted - 100.0 / 3.0).abs() < 1e-9, "{counted}");
        assert_eq!((joined.overlap.0.get(), joined.overlap.1.get()), (89.0, 91.0));
        assert!((joined.first_took.get() - joined.second_took.get()).abs() < 1e-9);
    }

    #[test]
    fn what_does_not_overlap_is_no_charge() {
        let error = join(&part(0, 50), &part(60, 80)).unwrap_err();
        assert_eq!(error, NotParts::NoOverlap { end: 50.0, start: 60.0 });
        assert!(matches!(join(&part(10, 50), &part(20, 40)), Err(NotParts::NoOverlap { .. })));
        assert!(matches!(join(&part(10, 10), &part(20, 40)), Err(NotParts::TooFew { which: "first", .. })));
    }
}
