//! Plans beside a known one that make the same stops: every departure a little more or less, in all combinations.
//!
//! Departures depend on each other in ways that no single move finds: two charges that share a cheap hour, one that is just over when
//! a price rises. So a few departures of each stop are combined, from stop to stop, and of those that leave one with as much only
//! those are kept that no other beats.

use std::ops::Range;

use super::charge_walk::{ChargeWalk, from_empty};
use super::choices::{Choice, Choices};
use super::clock_trip::ClockTrip;
use super::fill::{Front, Way};
use super::order::rising;
use super::replay::Stand;
use crate::model::leg::{Leg, Node};

/// Who comes later has to have spent less by so much, for each point of the step.
const ALIKE: f64 = 0.002;
/// A change of price is looked for so many times the step beside a departure.
const AT_A_CHANGE: f64 = 6.0;
/// What is no better than this than plans that are known is not taken in, minutes and money.
const HARDLY: (f64, f64) = (0.02, 0.002);
/// A wait is moved by so many minutes for each point.
const WAIT: f64 = 2.0;

/// A way to the stops so far.
#[derive(Clone, Copy)]
struct Label {
    at: Stand,
    not_before: f64,
    /// Its place among the ways to the stop before.
    before: usize,
}

/// Looks beside known plans, one after another.
pub(super) struct Beside<'a> {
    trip: &'a ClockTrip,
    /// The ways to each stop, one stop after another.
    labels: Vec<Label>,
    /// Those to the stop that is looked at, left with one SoC; and their places in order.
    fresh: Vec<Label>,
    order: Vec<((u32, u32), u64, u64, usize)>,
}

/// A stop of a known plan, with the legs to it and on.
#[derive(Clone, Copy)]
struct Stop<'a> {
    known: &'a Choice,
    leg: &'a Leg,
    on: &'a Leg,
    by: f64,
}

/// A way that has arrived at the stop that is looked at.
struct Arrived<'a> {
    at: Stand,
    walk: ChargeWalk<'a>,
    before: usize,
}

impl<'a> Beside<'a> {
    pub(super) fn new(trip: &'a ClockTrip) -> Self {
        Self { trip, labels: Vec::new(), fresh: Vec::new(), order: Vec::new() }
    }

    /// Plans with the same stops whose departures are so many points beside those of a known one at most, as far as no known plan beats
    /// them.
    pub(super) fn nearby(&mut self, known: &Choices, by: f64, front: &Front) -> Vec<Way> {
        let trip = self.trip;
        self.labels.clear();
        self.labels.push(Label { at: Stand::start(trip), not_before: 0.0, before: 0 });
        let (mut from, mut now) = (Node::Start, 0..1);
        for (place, known_stop) in known.stops.iter().enumerate() {
            let to = Node::Site(known_stop.node);
            let next = known.stops.get(place + 1).map_or(Node::End, |next| Node::Site(next.node));
            let (Some(leg), Some(on)) = (trip.problem.leg(from, to), trip.problem.leg(to, next)) else {
                return Vec::new();
            };
            now = self.left(&Stop { known: known_stop, leg, on, by }, now);
            from = to;
        }
        let hardly = (HARDLY.0, trip.money(HARDLY.1));
        let end = |index: usize| {
            let (minutes, money) = self.labels[index].at.at_end(trip, known)?;
            (!front.beats((minutes, money), hardly)).then(|| Way { minutes, money, choices: self.way(known, index) })
        };
        now.filter_map(end).collect()
    }

    /// A known plan with other departures.
    fn way(&self, known: &Choices, last: usize) -> Choices {
        let mut choices = known.clone();
        let mut label = &self.labels[last];
        for stop in choices.stops.iter_mut().rev() {
            *stop = Choice { depart: label.at.soc(), not_before: label.not_before, ..*stop };
            label = &self.labels[label.before];
        }
        choices
    }

    /// How one may leave a stop after each way to the one before.
    fn left(&mut self, stop: &Stop, before: Range<usize>) -> Range<usize> {
        let (trip, first, alike) = (self.trip, self.labels.len(), self.trip.money(ALIKE) * stop.by);
        let arrived = self.arrived(stop, before);
        for (choice, to) in stop.departures(trip) {
            for from in &arrived {
                self.leave(&choice, from, from.walk.minutes(choice.depart, to));
            }
            self.keep_unbeaten(alike);
        }
        if let Some(change) = Change::beside(trip, stop, &arrived) {
            for from in &arrived {
                if let Some((choice, minutes)) = change.at(trip, stop, from) {
                    self.leave(&choice, from, minutes);
                    self.keep_unbeaten(alike);
                }
            }
        }
        if stop.known.pause.is_some() || stop.known.rest {
            for from in &arrived {
                // Without a charge, however much there is.
                self.leave(&Choice { depart: from.at.soc(), ..*stop.known }, from, 0.0);
                self.keep_unbeaten(alike);
            }
        }
        first..self.labels.len()
    }

    fn arrived(&self, stop: &Stop, before: Range<usize>) -> Vec<Arrived<'a>> {
        let mut all: Vec<Arrived> = Vec::with_capacity(before.len());
        for index in before {
            let Some(at) = self.labels[index].at.arrived(self.trip, stop.leg, stop.known.roadside) else { continue };
            let known = all.last().filter(|last| last.walk.from == at.soc()).map(|last| last.walk);
            let walk = known.unwrap_or_else(|| ChargeWalk::new(self.trip, stop.known.node, at.soc()));
            all.push(Arrived { at, walk, before: index });
        }
        all
    }

    fn leave(&mut self, choice: &Choice, from: &Arrived, minutes: f64) {
        let at = from.at.left(self.trip, choice, &from.walk, minutes);
        self.fresh.extend(at.map(|at| Label { at, not_before: choice.not_before, before: from.before }));
    }

    /// Of those that leave with one SoC, those that no other beats, but for so much money.
    fn keep_unbeaten(&mut self, alike: f64) {
        let key = |Label { at, .. }: &Label| (at.taken(), rising(at.minute()), rising(at.money()));
        self.order.clear();
        self.order
            .extend(self.fresh.iter().map(key).zip(0..).map(|((taken, at, money), index)| (taken, at, money, index)));
        self.order.sort_unstable();
        let (mut kind, mut least) = (None, f64::INFINITY);
        for &(taken, _, _, index) in &self.order {
            if kind != Some(taken) {
                (kind, least) = (Some(taken), f64::INFINITY);
            }
            let money = self.fresh[index].at.money();
            if money < least - alike {
                least = money;
                self.labels.push(self.fresh[index]);
            }
        }
        self.fresh.clear();
    }
}

impl Stop<'_> {
    /// Minutes at the stall before a charge may begin.
    fn overhead(&self, trip: &ClockTrip) -> f64 {
        trip.problem.site(self.known.node).overhead.get()
    }

    /// A few departures, and waits, beside those of the stop, each with the minutes of a charge from 0 % to it.
    fn departures(&self, trip: &ClockTrip) -> Vec<(Choice, f64)> {
        let known = self.known;
        let just_enough = (self.on.least * 1e5).ceil() / 1e5;
        let most = trip.problem.ceiling.max(just_enough);
        let mut departs: Vec<f64> = match trip.sites[known.node].leave {
            Some(wanted) => vec![wanted],
            None => [-self.by, 0.0, self.by].map(|by| (known.depart + by).clamp(just_enough, most)).to_vec(),
        };
        departs.dedup();
        let waits: &[f64] = if known.not_before > 0.0 { &[0.0, -WAIT, WAIT] } else { &[0.0] };
        let all = departs.into_iter().flat_map(|depart| {
            let to = from_empty(&trip.problem.stalls[known.node], depart);
            waits.iter().map(move |wait| {
                let moved = (known.not_before + wait * self.by).max(1e-9);
                let not_before = if known.not_before > 0.0 { moved } else { 0.0 };
                (Choice { depart, not_before, ..*known }, to)
            })
        });
        all.collect()
    }
}

/// Where a departure may be moved to a change of price: the SoC as planned, the lowest and the highest, each with the minutes from 0 %.
struct Change {
    around: (f64, f64),
    low: (f64, f64),
    high: (f64, f64),
}

impl Change {
    /// `None` where no price changes while any of those that arrive charge.
    fn beside(trip: &ClockTrip, stop: &Stop, arrived: &[Arrived]) -> Option<Self> {
        let (site, stall) = (&trip.sites[stop.known.node], &trip.problem.stalls[stop.known.node]);
        let reach = AT_A_CHANGE * stop.by;
        let at = |soc: f64| (soc, from_empty(stall, soc));
        let high = at((stop.known.depart + reach).min(trip.problem.ceiling));
        let ready = arrived.iter().map(|from| from.at.minute() + stop.overhead(trip));
        let (first, last) = ready.fold((f64::INFINITY, 0.0_f64), |(first, last), at| (at.min(first), at.max(last)));
        let last = site.open_from(last.max(stop.known.not_before))?.0;
        let changes = !site.price.changes(first, last + high.1).is_empty();
        let may = changes && site.price.is_by_clock_only() && site.leave.is_none();
        may.then(|| Self {
            around: at(stop.known.depart),
            low: at((stop.known.depart - reach).max(stop.on.least)),
            high,
        })
    }

    /// The departure at which the price changes, with the minutes of the charge.
    fn at(&self, trip: &ClockTrip, stop: &Stop, from: &Arrived) -> Option<(Choice, f64)> {
        let (known, site) = (stop.known, &trip.sites[stop.known.node]);
        let (begins, _) = site.open_from((from.at.minute() + stop.overhead(trip)).max(known.not_before))?;
        let minutes = |(soc, from_empty): (f64, f64)| from.walk.minutes(soc, from_empty).max(0.0);
        let changes = site.price.changes(begins + minutes(self.low).max(0.01), begins + minutes(self.high));
        let planned = begins + minutes(self.around);
        let nearest = changes.iter().min_by(|a, b| (*a - planned).abs().total_cmp(&(*b - planned).abs()))?;
        let minutes = nearest - begins;
        Some((Choice { depart: from.walk.soc_after(minutes), ..*known }, minutes))
    }
}
