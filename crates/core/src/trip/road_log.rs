//! A trip on the road: what happened so far, as events, and where one is by them.
//!
//! Every touch is an event with a name of its own and a time. Events are only ever added, and an undo is one too: so they may wait in a
//! phone without a signal, and arrive later or twice. What they amount to is the same, whenever they come.

use std::collections::HashSet;

use jiff::ZonedDateTime;

use super::under_way::Now;
use super::{Trip, TripDraft};
use crate::quantity::{Distance, Minutes, Power, Soc};
use crate::refused::Refused;

/// Most events of one trip.
pub const MOST_EVENTS: usize = 5_000;

/// Something that happened on the road.
#[derive(Clone, Debug, PartialEq)]
pub struct RoadEvent {
    /// Its own name: 1 to 64 letters, digits or dashes, never used again.
    pub id: String,
    /// When, in milliseconds since 1970-01-01 UTC.
    pub at_ms: i64,
    /// What.
    pub what: Happened,
}

/// What happened.
#[derive(Clone, Debug, PartialEq)]
pub enum Happened {
    /// One is at a place, with so much in the battery.
    Here(Place, Soc),
    /// One leaves the stall at which one stands.
    Left(Soc),
    /// A pause was taken.
    Took(String),
    /// A site is not as it was known.
    Stall(String, StallState),
    /// The trip is over.
    Ended(Soc),
    /// Which charge was measured where one came at a moment, in milliseconds since 1970: its number, or none.
    Measured(i64, Option<i32>),
    /// An earlier event did not happen.
    Undo(String),
}

/// Where one is.
#[derive(Clone, Debug, PartialEq)]
pub enum Place {
    /// At a site's stall.
    Site(String),
    /// On the road.
    Km(Distance),
}

/// How a site is found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum StallState {
    /// Nothing charges there.
    OutOfOrder,
    /// One waits so long for a stall.
    Occupied(Minutes),
    /// It gives no more than so much at the plug.
    Slow(Power),
    /// As it was known after all.
    Fine,
}

/// A place at a time.
#[derive(Clone, Debug, PartialEq)]
pub struct Seen {
    /// Where.
    pub place: Place,
    /// When one came there,
    pub at_ms: i64,
    /// and with what.
    pub soc: Soc,
    /// When one left it and with what; for a place on the road, and while one stands there, none.
    pub left: Option<(i64, Soc)>,
}

/// How a site was found.
#[derive(Clone, Debug, PartialEq)]
pub struct FoundStall {
    /// Its id.
    pub site: String,
    /// How.
    pub state: StallState,
    /// When that was said.
    pub at_ms: i64,
}

/// What events amount to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct RoadLog {
    /// The places where one was, in order of time.
    pub places: Vec<Seen>,
    /// Pauses that were taken, and when.
    pub taken: Vec<(i64, String)>,
    /// How sites were found, the last word of each.
    pub stalls: Vec<FoundStall>,
    /// The charges that were said to be those of a standing, by when it began; the last word of each.
    pub measured: Vec<(i64, Option<i32>)>,
    /// When the trip ended, and with what.
    pub ended: Option<(i64, Soc)>,
}

impl RoadLog {
    /// What events amount to, in whatever order they came.
    pub fn replay(events: &[RoadEvent]) -> Self {
        let undone: HashSet<&str> = events
            .iter()
            .filter_map(|event| match &event.what {
                Happened::Undo(of) => Some(of.as_str()),
                _ => None,
            })
            .collect();
        let mut counted: Vec<&RoadEvent> = events.iter().filter(|event| !undone.contains(event.id.as_str())).collect();
        counted.sort_by_key(|event| event.at_ms);
        let mut names = HashSet::new();
        counted.retain(|event| names.insert(event.id.as_str()));
        let mut log = Self::default();
        for event in counted {
            log.take(event);
        }
        log
    }

    fn take(&mut self, event: &RoadEvent) {
        match &event.what {
            Happened::Here(place, soc) => match self.places.last_mut() {
                // Said again of the stall at which one stands: charging goes on.
                Some(last) if last.left.is_none() && last.place == *place && matches!(place, Place::Site(_)) => {}
                _ => self.places.push(Seen { place: place.clone(), at_ms: event.at_ms, soc: *soc, left: None }),
            },
            Happened::Left(soc) => {
                if let Some(last) = self.places.last_mut().filter(|last| matches!(last.place, Place::Site(_))) {
                    last.left = Some((event.at_ms, *soc));
                }
            }
            Happened::Took(pause) => self.taken.push((event.at_ms, pause.clone())),
            Happened::Stall(site, state) => {
                self.stalls.retain(|known| known.site != *site);
                if *state != StallState::Fine {
                    self.stalls.push(FoundStall { site: site.clone(), state: *state, at_ms: event.at_ms });
                }
            }
            Happened::Ended(soc) => self.ended = Some((event.at_ms, *soc)),
            Happened::Measured(came, charge) => {
                self.measured.retain(|(known, _)| known != came);
                self.measured.push((*came, *charge));
            }
            Happened::Undo(_) => {}
        }
    }

    /// How long one has been at the wheel, by the last that was said, since one stood for a rest or took a pause that is one.
    pub fn at_wheel(&self, rest: Minutes, is_rest: impl Fn(&str) -> bool) -> Minutes {
        let rested =
            |seen: &Seen| seen.left.is_some_and(|(left, _)| (left - seen.at_ms) as f64 >= 60_000.0 * rest.get());
        let left = |seen: &Seen| seen.left.map_or(seen.at_ms, |left| left.0);
        let mut driven = 0.0;
        for (index, seen) in self.places.iter().enumerate() {
            if let Some(before) = index.checked_sub(1).and_then(|index| self.places.get(index)) {
                let from = left(before);
                let paused = self.taken.iter().filter(|(at, pause)| (from..=seen.at_ms).contains(at) && is_rest(pause));
                let since = paused.map(|(at, _)| *at).max();
                let minutes = (seen.at_ms - since.unwrap_or(from)) as f64 / 60_000.0;
                driven = if since.is_some() { minutes } else { driven + minutes };
            }
            if rested(seen) {
                driven = 0.0;
            }
        }
        let last = self.places.last().map(left);
        let paused_since = last.is_some_and(|last| self.taken.iter().any(|(at, pause)| *at >= last && is_rest(pause)));
        Minutes::new(if paused_since { 0.0 } else { driven })
    }

    /// The site at which one stands.
    pub fn standing(&self) -> Option<&str> {
        match self.places.last() {
            Some(Seen { place: Place::Site(site), left: None, .. }) => Some(site),
            _ => None,
        }
    }

    /// Where one is by the last that was said; `None` before anything was. `at` tells the time of a moment.
    pub fn now(&self, trip: &Trip, at: impl Fn(i64) -> Option<ZonedDateTime>) -> Option<Now> {
        let last = self.places.last()?;
        let (at_ms, soc) = last.left.unwrap_or((last.at_ms, last.soc));
        let at_km = match &last.place {
            Place::Site(site) => trip.site(trip.find_site(site)?).at,
            Place::Km(km) => *km,
        };
        let closed = self.stalls.iter().filter(|found| found.state == StallState::OutOfOrder);
        Some(Now {
            at: at(at_ms)?,
            at_km,
            at_site: self.standing().map(Into::into),
            soc,
            driven: Minutes::new(0.0),
            taken: self.taken.iter().map(|(_, pause)| pause.clone()).collect(),
            avoid: closed.map(|found| found.site.clone()).collect(),
        })
    }

    /// The trip with its sites as they were found.
    ///
    /// # Errors
    /// When a power or wait that was said cannot be.
    pub fn found(&self, mut draft: TripDraft) -> Result<Trip, Refused> {
        for site in &mut draft.sites {
            match self.stalls.iter().find(|found| found.site == site.id).map(|found| found.state) {
                Some(StallState::Occupied(wait)) => site.overhead += wait,
                Some(StallState::Slow(power)) if power < site.max_power => site.max_power = power,
                _ => {}
            }
        }
        Trip::new(draft)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn event(id: &str, minute: i64, what: Happened) -> RoadEvent {
        RoadEvent { id: id.into(), at_ms: 1_790_000_000_000 + 60_000 * minute, what }
    }

    fn at(site: &str, soc: f64) -> Happened {
        Happened::Here(Place::Site(site.into()), Soc::percent(soc))
    }

    #[test]
    fn events_amount_to_where_one_is_in_whatever_order_they_come() {
        let mut events = vec![
            event("a", 0, Happened::Here(Place::Km(Distance::km(0.0)), Soc::percent(90.0))),
            event("b", 70, at("s2", 20.0)),
            event("c", 75, at("s2", 31.0)),
            event("d", 80, Happened::Took("lunch".into())),
            event("e", 95, Happened::Left(Soc::percent(62.0))),
            event("f", 96, Happened::Stall("s4".into(), StallState::OutOfOrder)),
            event("g", 97, Happened::Stall("s5".into(), StallState::Occupied(Minutes::new(10.0)))),
            event("h", 99, at("s9", 1.0)),
            event("i", 100, Happened::Undo("h".into())),
            event("j", 101, Happened::Stall("s5".into(), StallState::Fine)),
        ];
        let log = RoadLog::replay(&events);
        assert_eq!((log.places.len(), log.standing(), log.taken.len()), (2, None, 1));
        // By hand: 70 to 95 min at the stall, from 20 to 62 %; said twice it is one standing.
        let stood = &log.places[1];
        assert_eq!((stood.soc, stood.left.map(|left| (left.0 - stood.at_ms) / 60_000)), (Soc::percent(20.0), Some(25)));
        let found: Vec<_> = log.stalls.iter().map(|found| (found.site.as_str(), found.state)).collect();
        assert_eq!(found, [("s4", StallState::OutOfOrder)]);
        events.reverse();
        events.extend(events.clone());
        assert_eq!(RoadLog::replay(&events).places, log.places);
        let standing = RoadLog::replay(&events[events.len() - 4..]);
        assert_eq!(standing.standing(), Some("s2"));
    }

    #[test]
    fn time_at_the_wheel_counts_since_the_last_rest() {
        let here = |km: f64| Happened::Here(Place::Km(Distance::km(km)), Soc::percent(50.0));
        let mut events = vec![
            event("a", 0, here(0.0)),
            event("b", 70, at("s2", 20.0)),
            event("c", 80, Happened::Left(Soc::percent(40.0))),
            event("d", 120, here(150.0)),
        ];
        let at_wheel =
            |events: &[RoadEvent]| RoadLog::replay(events).at_wheel(Minutes::new(20.0), |pause| pause == "lunch").get();
        // By hand: 70 min, ten of standing that are no rest, 40 min more.
        assert_eq!(at_wheel(&events), 110.0);
        // Standing for 20 is one.
        events[2].at_ms += 600_000;
        assert_eq!(at_wheel(&events), 30.0);
        events.push(event("e", 125, Happened::Took("a look".into())));
        assert_eq!(at_wheel(&events), 30.0);
        events.push(event("f", 140, Happened::Took("lunch".into())));
        assert_eq!(at_wheel(&events), 0.0);
        events.push(event("g", 165, here(190.0)));
        assert_eq!(at_wheel(&events), 25.0);
        assert_eq!(at_wheel(&[]), 0.0);
    }
}
