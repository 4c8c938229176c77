//! A charge being measured: what happened, as events, and the session that they amount to.
//!
//! Every tap at the stall is an event with a name of its own and a time, in milliseconds since 1970. Events are only ever
//! added; a change or an undo is an event too. So they may wait in a phone without a signal and arrive later, twice, or
//! beside a meter's own: what they amount to is the same, whenever they come.
//!
//! The clock of the session starts when current flows. Time in a pause does not count.

use std::collections::{HashMap, HashSet};

use crate::quantity::{Minutes, Soc};
use crate::session::{Conditions, Forecast, Meter, Reading, Session};

/// Most events of one charge.
pub const MOST_EVENTS: usize = 50_000;

/// Something that happened.
#[derive(Clone, Debug, PartialEq)]
pub struct Event {
    /// Its own name: 1 to 64 letters, digits or dashes, never used again.
    pub id: String,
    /// When, in milliseconds since 1970-01-01 UTC.
    pub at_ms: i64,
    /// What.
    pub what: What,
}

/// What happened.
#[derive(Clone, Debug, PartialEq)]
pub enum What {
    /// The plug went in.
    PluggedIn,
    /// An attempt to start failed.
    AttemptFailed,
    /// Current began to flow.
    CurrentOn,
    /// A reading was taken. Its clock is the event's; SoC may be filled in later.
    Reading(Readout),
    /// An earlier reading was filled in or corrected.
    Change {
        /// Name of the reading's event.
        of: String,
        /// All that is now known of it.
        to: Readout,
    },
    /// An earlier event did not happen.
    Undo {
        /// Its name.
        of: String,
    },
    /// The charge paused.
    Pause,
    /// It went on.
    Resume,
    /// The car or the station foretold something.
    Forecast {
        /// Whose it was.
        by: Meter,
        /// Minutes that it promised.
        remaining: Minutes,
        /// The SoC that it promised them for.
        to: Soc,
    },
    /// The charge ended.
    Ended,
}

/// What a display showed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Readout {
    /// SoC, once it is known.
    pub soc: Option<Soc>,
    /// The rest, with a clock and SoC that do not count.
    pub rest: Reading,
}

/// A reading of a charge under way.
#[derive(Clone, Debug, PartialEq)]
pub struct LiveReading {
    /// Name of its event.
    pub id: String,
    /// Since current began, pauses left out.
    pub elapsed: Minutes,
    /// What the display showed.
    pub readout: Readout,
}

/// A charge under way.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LiveCharge {
    /// When the plug went in.
    pub plugged_in: Option<i64>,
    /// When current began: said, else the first reading.
    pub current_on: Option<i64>,
    /// Failed attempts.
    pub failed_attempts: u32,
    /// Whether the last attempt failed, and the plug has not gone in again since.
    is_refused: bool,
    /// Readings in order of time.
    pub readings: Vec<LiveReading>,
    /// Forecasts in order of time.
    pub forecasts: Vec<Forecast>,
    /// Pauses: when each began and ended; the last may go on.
    pub pauses: Vec<(i64, Option<i64>)>,
    /// When the charge ended.
    pub ended: Option<i64>,
}

impl LiveCharge {
    /// What events amount to, in whatever order they came.
    pub fn replay(events: &[Event]) -> Self {
        let undone: HashSet<&str> = events.iter().filter_map(|event| undone_by(&event.what)).collect();
        let mut changes: HashMap<&str, (i64, &Readout)> = HashMap::new();
        let mut counted: Vec<&Event> = events.iter().filter(|event| !undone.contains(event.id.as_str())).collect();
        counted.sort_by_key(|event| event.at_ms);
        for event in &counted {
            if let What::Change { of, to } = &event.what {
                changes.insert(of, (event.at_ms, to));
            }
        }
        let mut charge = Self { current_on: began(&counted), ..Self::default() };
        for event in counted {
            charge.take(event, changes.get(event.id.as_str()).map(|change| change.1));
        }
        charge
    }

    fn take(&mut self, event: &Event, changed: Option<&Readout>) {
        match &event.what {
            // A plug that goes in again after a failed attempt starts the clock of the handshake anew.
            What::PluggedIn if self.plugged_in.is_none() || self.is_refused => {
                self.plugged_in = Some(event.at_ms);
                self.is_refused = false;
            }
            What::AttemptFailed => {
                self.failed_attempts += 1;
                self.is_refused = true;
            }
            What::Pause => {
                if self.pauses.last().is_none_or(|pause| pause.1.is_some()) {
                    self.pauses.push((event.at_ms, None));
                }
            }
            What::Resume => {
                if let Some(pause) = self.pauses.last_mut().filter(|pause| pause.1.is_none()) {
                    pause.1 = Some(event.at_ms);
                }
            }
            What::Reading(readout) => self.readings.push(LiveReading {
                id: event.id.clone(),
                elapsed: self.elapsed(event.at_ms),
                readout: changed.unwrap_or(readout).clone(),
            }),
            What::Forecast { by, remaining, to } => {
                let at = self.elapsed(event.at_ms);
                self.forecasts.push(Forecast { at, by: *by, remaining: *remaining, to: *to });
            }
            What::Ended => self.ended = Some(event.at_ms),
            What::PluggedIn | What::CurrentOn | What::Change { .. } | What::Undo { .. } => {}
        }
    }

    /// Minutes of charging at a time, pauses before it left out; 0 before current flows.
    pub fn elapsed(&self, at_ms: i64) -> Minutes {
        let Some(began) = self.current_on else {
            return Minutes::new(0.0);
        };
        let paused: i64 =
            self.pauses.iter().map(|&(from, to)| (to.unwrap_or(at_ms).min(at_ms) - from.max(began)).max(0)).sum();
        Minutes::new(((at_ms - began - paused).max(0)) as f64 / 60_000.0)
    }

    /// From plug-in to current.
    pub fn handshake(&self) -> Option<Minutes> {
        let (plugged_in, current_on) = (self.plugged_in?, self.current_on?);
        (current_on >= plugged_in).then(|| Minutes::new((current_on - plugged_in) as f64 / 60_000.0))
    }

    /// The session, as far as it has come.
    pub fn session(&self, conditions: &Conditions) -> Session {
        let reading =
            |live: &LiveReading| Reading { elapsed: live.elapsed, soc: live.readout.soc, ..live.readout.rest.clone() };
        let paused = self.pauses.iter().map(|&(from, to)| {
            let minutes = to.or(self.ended).map_or(0.0, |to| (to - from) as f64 / 60_000.0);
            ("paused".to_string(), format!("{minutes:.1} min at {:.1} min", self.elapsed(from).get()))
        });
        let mut conditions = Conditions {
            handshake: self.handshake().or(conditions.handshake),
            failed_attempts: Some(self.failed_attempts).filter(|&failed| failed > 0).or(conditions.failed_attempts),
            forecasts: self.forecasts.clone(),
            ..conditions.clone()
        };
        conditions.other.extend(paused);
        Session { readings: self.readings.iter().map(reading).collect(), conditions }
    }
}

fn undone_by(what: &What) -> Option<&str> {
    match what {
        What::Undo { of } => Some(of),
        _ => None,
    }
}

/// When current began: the first time that it was said, else the first reading.
fn began(counted: &[&Event]) -> Option<i64> {
    let said = counted.iter().find(|event| event.what == What::CurrentOn);
    let read = counted.iter().find(|event| matches!(event.what, What::Reading(_)));
    said.or(read).map(|event| event.at_ms)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::Power;

    fn event(id: &str, second: i64, what: What) -> Event {
        Event { id: id.into(), at_ms: 1_790_000_000_000 + 1000 * second, what }
    }

    fn readout(soc: f64, kw: Option<f64>) -> Readout {
        let rest = Reading { power: kw.map(Power::kw), ..Reading::default() };
        Readout { soc: Some(Soc::percent(soc)), rest }
    }

    fn charge() -> Vec<Event> {
        let forecast = What::Forecast { by: Meter::Car, remaining: Minutes::new(38.0), to: Soc::percent(80.0) };
        vec![
            event("p", 0, What::PluggedIn),
            event("f", 9, What::AttemptFailed),
            event("c", 19, What::CurrentOn),
            event("a", 19, What::Reading(readout(10.0, None))),
            event("q", 49, forecast),
            event("b", 79, What::Reading(readout(13.0, None))),
            event("oops", 90, What::Reading(readout(99.0, None))),
            event("u", 91, What::Undo { of: "oops".into() }),
            event("w", 139, What::Pause),
            event("r", 199, What::Resume),
            event("x", 259, What::Reading(Readout::default())),
            event("y", 265, What::Change { of: "x".into(), to: readout(20.0, Some(150.0)) }),
            event("e", 300, What::Ended),
        ]
    }

    #[test]
    fn a_second_plug_after_a_failed_attempt_starts_its_clock_anew() {
        let events = [
            event("p", 0, What::PluggedIn),
            event("again", 5, What::PluggedIn),
            event("f", 60, What::AttemptFailed),
            event("q", 100, What::PluggedIn),
            event("c", 130, What::CurrentOn),
        ];
        // By hand: 30 s from the second plug; without it 130 s from the first, whatever was pressed twice.
        assert_eq!(LiveCharge::replay(&events).handshake(), Some(Minutes::new(0.5)));
        let one_plug: Vec<Event> = events.iter().filter(|event| event.id != "q").cloned().collect();
        assert!((LiveCharge::replay(&one_plug).handshake().unwrap().get() - 130.0 / 60.0).abs() < 1e-9);
    }

    #[test]
    fn events_amount_to_a_session() {
        let live = LiveCharge::replay(&charge());
        let session = live.session(&Conditions { adapter: Some("none".into()), ..Conditions::default() });
        let rows: Vec<(f64, f64)> = session
            .readings
            .iter()
            .map(|reading| (reading.elapsed.get(), reading.soc.unwrap_or_default().get()))
            .collect();
        // By hand: current at 0:19; 60 s of pause come off the last one.
        assert_eq!(rows, [(0.0, 10.0), (1.0, 13.0), (3.0, 20.0)]);
        assert_eq!(session.readings[2].power, Some(Power::kw(150.0)));
        let conditions = &session.conditions;
        assert!((conditions.handshake.unwrap().get() * 60.0 - 19.0).abs() < 1e-9);
        assert_eq!((conditions.failed_attempts, conditions.forecasts[0].at.get()), (Some(1), 0.5));
        assert_eq!(conditions.other, [("paused".to_string(), "1.0 min at 2.0 min".to_string())]);
        assert_eq!(conditions.adapter.as_deref(), Some("none"));
    }

    #[test]
    fn order_of_arrival_does_not_matter() {
        let mut late = charge();
        late.reverse();
        assert_eq!(LiveCharge::replay(&late), LiveCharge::replay(&charge()));
        late.sort_by(|a, b| a.id.cmp(&b.id));
        assert_eq!(LiveCharge::replay(&late), LiveCharge::replay(&charge()));
    }

    #[test]
    fn a_reading_before_anyone_said_current_starts_the_clock() {
        let events =
            [event("a", 5, What::Reading(readout(10.0, None))), event("b", 65, What::Reading(Readout::default()))];
        let live = LiveCharge::replay(&events);
        assert_eq!(live.readings[1].elapsed.get(), 1.0);
        assert_eq!(live.session(&Conditions::default()).readings.len(), 2);
        assert_eq!(live.handshake(), None);
    }
}
