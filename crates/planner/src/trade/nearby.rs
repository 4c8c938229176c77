//! Plans beside a known one that make the same stops: every departure a little more or less, in all combinations.
//!
//! Departures depend on each other in ways that no single move finds: two charges that share a cheap hour, one that is just over when
//! a price rises. So a few departures of each stop are combined, from stop to stop, and of those that leave one with as much only
//! those are kept that no other beats.

use super::choices::{Choice, Choices};
use super::clock_trip::ClockTrip;
use super::fill::Way;
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
    let mut all: Vec<Label> = Vec::new();
    let mut leave = |index: usize, choice: Choice, minutes: f64| {
        let at = before[index].at.after_along(trip, &choice, (leg, minutes));
        all.extend(at.map(|at| Label { at, choice, before: index }));
    };
    for choice in choices(trip, stop, on, by) {
        // Many come with as much: their charges take as long.
        let mut last: Option<(f64, f64)> = None;
        for (index, label) in before.iter().enumerate() {
            let soc = label.at.soc();
            let minutes = last.filter(|last| last.0 == soc).map_or_else(
                || stall.minutes(Soc::percent(leg.arrive(soc)), Soc::percent(choice.depart)).get(),
                |last| last.1,
            );
            last = Some((soc, minutes));
            leave(index, choice, minutes);
        }
    }
    for (index, label) in before.iter().enumerate() {
        if let Some((choice, minutes)) = at_a_change(trip, stop, &label.at, (leg, on), by) {
            leave(index, choice, minutes);
        }
        if stop.pause.is_some() || stop.rest {
            // Without a charge, however much there is.
            leave(index, Choice { depart: leg.arrive(label.at.soc()), ..*stop }, 0.0);
        }
    }
    unbeaten(all, trip.money(ALIKE) * by)
}

/// The departure beside that of a stop at which its price changes, with the minutes of the charge.
fn at_a_change(
    trip: &ClockTrip,
    stop: &Choice,
    from: &Stand,
    (leg, on): (&Leg, &Leg),
    by: f64,
) -> Option<(Choice, f64)> {
    let (site, stall) = (&trip.sites[stop.node], &trip.problem.stalls[stop.node]);
    if !site.price.is_by_clock_only() || site.leave.is_some() {
        return None;
    }
    let arrive = Soc::percent(leg.arrive(from.soc()));
    let ready = from.minute() + leg.minutes + trip.problem.site(stop.node).overhead.get();
    let (begins, _) = site.open_from(ready.max(stop.not_before))?;
    let around = stall.minutes(arrive, Soc::percent(stop.depart)).get();
    let reach = AT_A_CHANGE * by;
    let low = stall.minutes(arrive, Soc::percent((stop.depart - reach).max(on.least))).get();
    let high = stall.minutes(arrive, Soc::percent((stop.depart + reach).min(trip.problem.ceiling))).get();
    let changes = site.price.changes(begins + low.max(0.01), begins + high);
    let nearest =
        changes.iter().min_by(|a, b| (*a - begins - around).abs().total_cmp(&(*b - begins - around).abs()))?;
    let minutes = nearest - begins;
    Some((Choice { depart: stall.soc_after(arrive, Minutes::new(minutes)).get(), ..*stop }, minutes))
}

/// Of those that leave with as much, those that no other beats, but for so much money.
fn unbeaten(mut all: Vec<Label>, alike: f64) -> Vec<Label> {
    all.sort_by(|a, b| {
        let socs = b.at.soc().total_cmp(&a.at.soc());
        socs.then(a.at.taken().cmp(&b.at.taken()))
            .then(a.at.minute().total_cmp(&b.at.minute()))
            .then(a.at.money().total_cmp(&b.at.money()))
    });
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
