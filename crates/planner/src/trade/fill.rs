//! From the plans of a grid to the whole trade: departures moved on a continuous scale, and the trade filled in between plans
//! of one sequence of stops.

use super::clock_trip::ClockTrip;
use super::replay::replay;
use super::search::Choices;
use super::staircase::Staircase;
use crate::StopSign;

/// Moves of a departure that are tried, points.
const MOVES: [f64; 8] = [1.0, -1.0, 0.4, -0.4, 0.12, -0.12, 0.03, -0.03];
/// Rounds of moves.
const ROUNDS: usize = 4;
/// Plans from which moves are tried in a round, at most.
const MOST_MOVED: usize = 260;
/// Neighbours in the trade are filled in between until they are so near, minutes and money.
const FILLED_TO: (f64, f64) = (0.08, 0.008);
/// Plans filled in between two, at most.
const MOST_BETWEEN: usize = 24;

/// A way to drive with what it takes.
#[derive(Clone, Debug)]
pub(crate) struct Way {
    pub(crate) minutes: f64,
    pub(crate) money: f64,
    pub(crate) choices: Choices,
}

/// The unbeaten ways, rising in minutes.
pub(crate) fn unbeaten(mut ways: Vec<Way>) -> Vec<Way> {
    ways.sort_by(|a, b| a.minutes.total_cmp(&b.minutes).then(a.money.total_cmp(&b.money)));
    let mut least = f64::INFINITY;
    ways.retain(|way| {
        let better = way.money < least - 1e-9;
        least = least.min(way.money);
        better
    });
    ways
}

/// What some choices take; `None` where they break a limit.
pub(crate) fn way(trip: &ClockTrip, choices: Choices) -> Option<Way> {
    let plan = replay(trip, &choices, false)?;
    Some(Way { minutes: plan.total.get(), money: plan.cost, choices })
}

/// The staircase of ways.
pub(crate) fn stairs(ways: &[Way]) -> Staircase {
    let mut stairs = Staircase::default();
    for way in ways {
        stairs.add(way.minutes, way.money, (0.0, 0.0));
    }
    stairs
}

/// The whole trade around the plans of a grid; what it was when told to stop.
pub(crate) fn fill(trip: &ClockTrip, found: Vec<Choices>, stop: &StopSign) -> Vec<Way> {
    let mut ways = unbeaten(found.into_iter().filter_map(|choices| way(trip, choices)).collect());
    for round in 0..ROUNDS {
        if stop.is_raised() {
            break;
        }
        let every = ways.len().div_ceil(MOST_MOVED).max(1);
        let known = stairs(&ways);
        let mut more: Vec<Way> = Vec::new();
        for from in ways.iter().skip(round % every).step_by(every) {
            more.extend(moved(trip, from, &known));
        }
        more.extend(ways.windows(2).flat_map(|pair| between(trip, &pair[0], &pair[1])));
        ways.extend(more);
        ways = unbeaten(ways);
    }
    ways
}

/// Better ways that leave one stop a little earlier or later.
fn moved(trip: &ClockTrip, from: &Way, known: &Staircase) -> Vec<Way> {
    let mut better = Vec::new();
    for stop in 0..from.choices.stops.len() {
        for by in MOVES {
            let mut choices = from.choices.clone();
            choices.stops[stop].depart += by;
            if let Some(way) = way(trip, choices)
                && !known.beats(way.minutes, way.money, (1e-9, 1e-9))
            {
                better.push(way);
            }
        }
    }
    better
}

/// Ways between two of one sequence of stops.
fn between(trip: &ClockTrip, first: &Way, last: &Way) -> Vec<Way> {
    let alike = first.choices.stops.len() == last.choices.stops.len()
        && first.choices.last_roadside == last.choices.last_roadside
        && first.choices.stops.iter().zip(&last.choices.stops).all(|(a, b)| {
            (a.node, a.pause, a.rest, a.roadside) == (b.node, b.pause, b.rest, b.roadside)
                && a.not_before == b.not_before
        });
    let apart = ((last.minutes - first.minutes) / FILLED_TO.0).min((first.money - last.money) / FILLED_TO.1);
    if !alike || apart <= 1.0 {
        return Vec::new();
    }
    let count = (apart.ceil() as usize).min(MOST_BETWEEN);
    let at = |index: usize| {
        let share = index as f64 / count as f64;
        let mut choices = first.choices.clone();
        for (choice, end) in choices.stops.iter_mut().zip(&last.choices.stops) {
            choice.depart += share * (end.depart - choice.depart);
        }
        way(trip, choices)
    };
    (1..count).filter_map(at).collect()
}
