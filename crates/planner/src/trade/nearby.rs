//! Plans beside a known one that make the same stops: every departure a little more or less, in all combinations.
//!
//! Departures depend on each other in ways that no single move finds: two charges that share a cheap hour, one that is just over when
//! a price rises. So a few departures of each stop are combined, from stop to stop, and of those that leave one with as much only
//! those are kept that no other beats.

use super::charge_walk::{ChargeWalk, from_empty};
use super::choices::{Choice, Choices};
use super::clock_trip::ClockTrip;
use super::fill::Way;
use super::order::{falling, rising};
use super::replay::Stand;
use super::staircase::Staircase;
use crate::model::leg::{Leg, Node};
use spare_hour_core::quantity::{Minutes, Soc};

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
    choice: Choice,
    before: usize,
}

/// Plans with the same stops whose departures are so many points beside those of a known one at most, as far as no known plan beats
/// them.
pub(super) fn nearby(trip: &ClockTrip, known: &Choices, by: f64, front: &Staircase) -> Vec<Way> {
    let mut all: Vec<Vec<Label>> = Vec::with_capacity(known.stops.len());
    let nowhere = Choice { node: 0.into(), depart: 0.0, not_before: 0.0, pause: None, rest: false, roadside: None };
    let mut now = vec![Label { at: Stand::start(trip), choice: nowhere, before: 0 }];
    let mut from = Node::Start;
    for (place, stop) in known.stops.iter().enumerate() {
        let to = Node::Site(stop.node);
        let next = known.stops.get(place + 1).map_or(Node::End, |next| Node::Site(next.node));
        let (Some(leg), Some(on)) = (trip.problem.leg(from, to), trip.problem.leg(to, next)) else { return Vec::new() };
        let left = left(trip, stop, &now, (leg, on), by);
        all.push(std::mem::replace(&mut now, left));
        from = to;
    }
    let hardly = (HARDLY.0, trip.money(HARDLY.1));
    let end = |(index, label): (usize, &Label)| {
        let (minutes, money) = label.at.at_end(trip, known)?;
        (!front.beats(minutes, money, hardly)).then_some((minutes, money, index))
    };
    let ends: Vec<(f64, f64, usize)> = now.iter().enumerate().filter_map(end).collect();
    let way = |(minutes, money, index): (f64, f64, usize)| {
        let mut choices = known.clone();
        let mut label = now[index];
        for (stop, before) in choices.stops.iter_mut().zip(&all).rev() {
            *stop = label.choice;
            label = before[label.before];
        }
        Way { minutes, money, choices }
    };
    ends.into_iter().map(way).collect()
}

/// How one may leave a stop after each way to the one before.
fn left(trip: &ClockTrip, stop: &Choice, before: &[Label], (leg, on): (&Leg, &Leg), by: f64) -> Vec<Label> {
    let stall = &trip.problem.stalls[stop.node];
    let walk = |label: &Label| ChargeWalk::new(trip, stop.node, leg.arrive(label.at.soc()));
    let walks: Vec<ChargeWalk> = before.iter().map(walk).collect();
    let mut all: Vec<Label> = Vec::new();
    let mut leave = |index: usize, choice: Choice, minutes: f64| {
        let at = before[index].at.after_along(trip, &choice, (leg, minutes));
        all.extend(at.map(|at| Label { at, choice, before: index }));
    };
    for choice in choices(trip, stop, on, by) {
        let to_from_empty = from_empty(stall, choice.depart);
        for (index, walk) in walks.iter().enumerate() {
            leave(index, choice, walk.minutes(choice.depart, to_from_empty));
        }
    }
    let change = Change::beside(trip, stop, on, by);
    for (index, (label, walk)) in before.iter().zip(&walks).enumerate() {
        if let Some((choice, minutes)) =
            change.as_ref().and_then(|change| change.at(trip, stop, (&label.at, leg), walk))
        {
            leave(index, choice, minutes);
        }
        if stop.pause.is_some() || stop.rest {
            // Without a charge, however much there is.
            leave(index, Choice { depart: leg.arrive(label.at.soc()), ..*stop }, 0.0);
        }
    }
    unbeaten(all, trip.money(ALIKE) * by)
}

/// Where a departure may be moved to a change of price: the SoC as planned, the lowest and the highest, each with the minutes from 0 %.
struct Change {
    around: (f64, f64),
    low: (f64, f64),
    high: (f64, f64),
}

impl Change {
    fn beside(trip: &ClockTrip, stop: &Choice, on: &Leg, by: f64) -> Option<Self> {
        let (site, stall) = (&trip.sites[stop.node], &trip.problem.stalls[stop.node]);
        let reach = AT_A_CHANGE * by;
        let at = |soc: f64| (soc, from_empty(stall, soc));
        (site.price.is_by_clock_only() && site.leave.is_none()).then(|| Self {
            around: at(stop.depart),
            low: at((stop.depart - reach).max(on.least)),
            high: at((stop.depart + reach).min(trip.problem.ceiling)),
        })
    }

    /// The departure at which the price changes, with the minutes of the charge.
    fn at(
        &self,
        trip: &ClockTrip,
        stop: &Choice,
        (from, leg): (&Stand, &Leg),
        walk: &ChargeWalk,
    ) -> Option<(Choice, f64)> {
        let site = &trip.sites[stop.node];
        let ready = from.minute() + leg.minutes + trip.problem.site(stop.node).overhead.get();
        let (begins, _) = site.open_from(ready.max(stop.not_before))?;
        let minutes = |(soc, from_empty): (f64, f64)| walk.minutes(soc, from_empty).max(0.0);
        let changes = site.price.changes(begins + minutes(self.low).max(0.01), begins + minutes(self.high));
        let planned = begins + minutes(self.around);
        let nearest = changes.iter().min_by(|a, b| (*a - planned).abs().total_cmp(&(*b - planned).abs()))?;
        let minutes = nearest - begins;
        let stall = &trip.problem.stalls[stop.node];
        let depart = stall.soc_after(Soc::percent(leg.arrive(from.soc())), Minutes::new(minutes)).get();
        Some((Choice { depart, ..*stop }, minutes))
    }
}

/// Of those that leave with as much, those that no other beats, but for so much money.
fn unbeaten(mut all: Vec<Label>, alike: f64) -> Vec<Label> {
    all.sort_by_cached_key(|Label { at, .. }| (falling(at.soc()), at.taken(), rising(at.minute()), rising(at.money())));
    let (mut kind, mut least) = (None, f64::INFINITY);
    all.retain(|label| {
        let of = Some((label.at.soc(), label.at.taken()));
        if kind != of {
            (kind, least) = (of, f64::INFINITY);
        }
        let better = label.at.money() < least - alike;
        if better {
            least = label.at.money();
        }
        better
    });
    all
}

/// A few departures, and waits, beside those of a stop.
fn choices(trip: &ClockTrip, stop: &Choice, on: &Leg, by: f64) -> Vec<Choice> {
    let just_enough = (on.least * 1e5).ceil() / 1e5;
    let most = trip.problem.ceiling.max(just_enough);
    let mut departs: Vec<f64> = match trip.sites[stop.node].leave {
        Some(wanted) => vec![wanted],
        None => [-by, 0.0, by].iter().map(|by| (stop.depart + by).clamp(just_enough, most)).collect(),
    };
    departs.dedup();
    let waits: &[f64] = if stop.not_before > 0.0 { &[0.0, -WAIT, WAIT] } else { &[0.0] };
    let all = departs.iter().flat_map(|&depart| {
        waits.iter().map(move |wait| {
            let not_before = if stop.not_before > 0.0 { (stop.not_before + wait * by).max(1e-9) } else { 0.0 };
            Choice { depart, not_before, ..*stop }
        })
    });
    all.collect()
}
