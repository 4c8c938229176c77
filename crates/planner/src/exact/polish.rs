//! Moves the departures of a plan on a continuous scale, one at a time, to where the plan costs least nearby.
//!
//! The grid finds the plan; this removes what is left of the grid's width. Departures are then rounded up to a
//! hundred-thousandth of a percent, so that a figure written with five decimals still keeps every floor.

use crate::model::leg::{Node, SAME};
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;

/// How far a departure may move, %: a little over the grid's width.
const REACH: f64 = 0.15;
/// Figures are written with this many parts per percent.
const PARTS: f64 = 1e5;

/// The departures `(site, SoC)`, polished from the `first`-th on; `None` when they cannot be driven.
pub(crate) fn polish(
    problem: &Problem,
    mut departures: Vec<(RoadIndex, f64)>,
    first: usize,
) -> Option<Vec<(RoadIndex, f64)>> {
    for _ in 0..2 {
        for position in first..departures.len() {
            polish_one(problem, &mut departures, position)?;
        }
    }
    round_up(problem, &mut departures, first);
    Some(departures)
}

/// Rounds departures from the `first`-th on up to a hundred-thousandth of a percent. Where hardly anything is charged, the one before
/// may be rounded up by more than that: then one leaves with what one comes with.
pub(crate) fn round_up(problem: &Problem, departures: &mut [(RoadIndex, f64)], first: usize) {
    for position in first..departures.len() {
        let rounded = ((departures[position].1 * PARTS - 1e-4).ceil() / PARTS).min(problem.ceiling);
        let arrive = arrival(problem, departures, position).unwrap_or(rounded);
        departures[position].1 = rounded.max(arrive);
    }
}

/// Moves one departure, if that is better.
fn polish_one(problem: &Problem, departures: &mut [(RoadIndex, f64)], position: usize) -> Option<()> {
    let (node, depart) = departures[position];
    let arrive = arrival(problem, departures, position)?;
    let next = departures.get(position + 1).copied();
    let to = next.map_or(Node::End, |(next, _)| Node::Site(next));
    let leg = *problem.leg(Node::Site(node), to)?;
    let most = next.map_or(leg.most, |(_, next_depart)| leg.most.min(next_depart + leg.net));
    let (low, high) = ((depart - REACH).max(leg.least).max(arrive), (depart + REACH).min(most));
    if high <= low {
        return Some(());
    }
    let cost = |x: f64| {
        let onward = next.map_or(0.0, |(next, depart)| problem.charging_cost(next, leg.arrive(x), depart));
        problem.charging_cost(node, arrive, x) + onward
    };
    let (best, least) = least_on(&cost, low, high);
    if least < cost(depart) - SAME && !problem.on_boost_margin(leg.arrive(best)) {
        departures[position].1 = best;
    }
    Some(())
}

/// SoC on arrival at the stop in a position.
fn arrival(problem: &Problem, departures: &[(RoadIndex, f64)], position: usize) -> Option<f64> {
    let (from, soc) = match position.checked_sub(1) {
        Some(before) => (Node::Site(departures[before].0), departures[before].1),
        None => (Node::Start, problem.trip.goal.start.get()),
    };
    Some(problem.leg(from, Node::Site(departures[position].0))?.arrive(soc))
}

/// Golden-section search for the least value between two ends, the ends included.
fn least_on(cost: &impl Fn(f64) -> f64, low: f64, high: f64) -> (f64, f64) {
    let ratio = (5.0_f64.sqrt() - 1.0) / 2.0;
    let (mut a, mut b) = (low, high);
    for _ in 0..36 {
        let (c, d) = (b - ratio * (b - a), a + ratio * (b - a));
        if cost(c) <= cost(d) {
            b = d;
        } else {
            a = c;
        }
    }
    let candidates = [low, f64::midpoint(a, b), high].map(|x| (x, cost(x)));
    candidates.into_iter().fold((low, f64::INFINITY), |best, next| if next.1 < best.1 { next } else { best })
}
