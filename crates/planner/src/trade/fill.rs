//! From the plans of a grid to the whole trade: for each sequence of stops what is beside its plans is taken in, in ever smaller steps,
//! and between these the trade is filled in. Or to the best plan, whose departures are moved to where minutes and money are least.

use std::collections::BTreeMap;

use super::choices::Choices;
use super::clock_trip::ClockTrip;
use super::nearby::Beside;
use super::occasion::OccasionIndex;
use super::parts::in_parts;
use super::replay::Stand;
use super::staircase::Staircase;
use crate::StopSign;

/// How far the best plan of each sequence is brought.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Effort {
    /// A sequence that is worse by more than so many minutes' worth is not brought anywhere.
    pub(crate) hopeless: f64,
    /// The least move of a departure that is tried, points.
    pub(crate) finest: f64,
}

/// Plans beside which others are looked for are so far apart, minutes or money for each point of the step,
const APART: ForAPoint = ForAPoint(0.6, 0.12);
/// and beaten by no more than so much.
const NEAR: ForAPoint = ForAPoint(1.0, 0.15);

/// Minutes and money for each point of a step.
struct ForAPoint(f64, f64);

impl ForAPoint {
    fn of(&self, trip: &ClockTrip, by: f64) -> (f64, f64) {
        (self.0 * by, trip.money(self.1) * by)
    }
}

/// Moves of a departure that are tried, points, one after another.
const MOVES: [f64; 7] = [3.0, 1.0, 0.35, 0.12, 0.04, 0.012, 0.004];
/// Rounds of each move at most.
const ROUNDS: usize = 6;
/// Neighbours in the trade are filled in between until they are so near, minutes and money.
const FILLED_TO: (f64, f64) = (0.05, 0.005);
/// Plans filled in between two, at most.
const MOST_BETWEEN: usize = 60;

/// Slacks by which a way that is kept may be later or dearer than one that is dropped.
const THINNED_TO: (f64, f64) = (0.04, 0.004);

/// A way to drive with what it takes.
#[derive(Clone, Debug)]
pub(crate) struct Way {
    pub(crate) minutes: f64,
    pub(crate) money: f64,
    pub(crate) choices: Choices,
}

/// All of a way but the `SoCs` and how long it waits.
type Sequence = Vec<(usize, bool, Option<OccasionIndex>, bool, Option<OccasionIndex>)>;

fn sequence(choices: &Choices) -> Sequence {
    let stops = choices
        .stops
        .iter()
        .map(|stop| (usize::from(stop.node), stop.not_before > 0.0, stop.pause, stop.rest, stop.roadside));
    stops.chain([(usize::MAX, false, None, false, choices.last_roadside)]).collect()
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

/// What each of some choices takes, but for those that break a limit.
pub(crate) fn ways(trip: &ClockTrip, choices: impl IntoIterator<Item = Choices>) -> Vec<Way> {
    choices.into_iter().filter_map(|choices| way(trip, choices)).collect()
}

/// What some choices take; `None` where they break a limit.
pub(crate) fn way(trip: &ClockTrip, choices: Choices) -> Option<Way> {
    let (minutes, money) = taken(trip, Stand::start(trip), &choices, 0)?;
    Some(Way { minutes, money, choices })
}

/// Minutes and money of some choices from one of their stops on, before which one stands so.
fn taken(trip: &ClockTrip, from: Stand, choices: &Choices, stop: usize) -> Option<(f64, f64)> {
    let last = choices.stops[stop..].iter().try_fold(from, |at, choice| at.after(trip, choice))?;
    last.at_end(trip, choices)
}

/// How one stands before each stop of some choices, from one of them on.
fn stand_before(trip: &ClockTrip, choices: &Choices, stands: &mut Vec<Stand>, from: usize) {
    stands.truncate(from + 1);
    for choice in &choices.stops[from..] {
        let after = stands.last().and_then(|at| at.after(trip, choice));
        stands.extend(after);
    }
}

/// The staircase of ways.
pub(crate) fn stairs<'a>(ways: impl IntoIterator<Item = &'a Way>) -> Staircase {
    let mut steps: Vec<(f64, f64)> = ways.into_iter().map(|way| (way.minutes, way.money)).collect();
    steps.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut stairs = Staircase::default();
    for (minutes, money) in steps {
        stairs.add(minutes, money, (0.0, 0.0));
    }
    stairs
}

/// The best plan of each sequence where a unit of money is worth so many minutes; what it was when told to stop.
pub(crate) fn best(trip: &ClockTrip, mut ways: Vec<Way>, worth: f64, effort: Effort, stop: &StopSign) -> Vec<Way> {
    let goal = |way: &Way| way.minutes + worth * way.money;
    let best = ways.iter().map(goal).fold(f64::INFINITY, f64::min);
    ways.retain(|way| goal(way) <= best + effort.hopeless);
    let best = |group: Vec<Way>| if stop.is_raised() { None } else { best_of_sequence(trip, group, worth, effort) };
    unbeaten(by_sequence(ways).into_values().filter_map(best).collect())
}

/// The whole trade around some ways, whose departures are moved by such steps, one after another; what it was when told to stop.
pub(crate) fn trade(trip: &ClockTrip, ways: Vec<Way>, steps: &[f64], stop: &StopSign) -> Vec<Way> {
    let mut groups: Vec<Vec<Way>> = by_sequence(ways).into_values().map(unbeaten).collect();
    for &by in steps {
        let front = stairs(groups.iter().flatten());
        let wider = |part: Vec<Vec<Way>>| {
            let (mut front, mut beside) = (Front { known: &front, found: Staircase::default() }, Beside::new(trip));
            let wider = |group| if stop.is_raised() { group } else { spread(trip, group, by, &mut front, &mut beside) };
            part.into_iter().map(wider).collect::<Vec<_>>()
        };
        groups = in_parts(groups, wider).into_iter().flatten().collect();
    }
    let mut ways = unbeaten(groups.into_iter().flatten().collect());
    let between: Vec<Way> = ways.windows(2).flat_map(|pair| between(trip, &pair[0], &pair[1])).collect();
    ways.extend(between);
    unbeaten(ways)
}

/// The best ways that are known, and those that were found since.
pub(super) struct Front<'a> {
    known: &'a Staircase,
    found: Staircase,
}

impl Front<'_> {
    /// Whether some way takes no more minutes and no more money, but for slacks.
    pub(super) fn beats(&self, (minutes, money): (f64, f64), slack: (f64, f64)) -> bool {
        self.known.beats(minutes, money, slack) || self.found.beats(minutes, money, slack)
    }

    fn add(&mut self, way: &Way) {
        if !self.known.beats(way.minutes, way.money, (0.0, 0.0)) {
            self.found.add(way.minutes, way.money, (0.0, 0.0));
        }
    }
}

/// Takes in what is beside the ways of a sequence that are near the front, and between them.
fn spread(trip: &ClockTrip, group: Vec<Way>, by: f64, front: &mut Front, beside: &mut Beside) -> Vec<Way> {
    let (apart, near) = (APART.of(trip, by), NEAR.of(trip, by));
    let mut found = Vec::new();
    for center in centers(&group, apart, near, front) {
        for way in beside.nearby(&center.choices, by, front) {
            front.add(&way);
            found.push(way);
        }
    }
    found.extend(group);
    found.retain(|way| !front.beats((way.minutes - near.0, way.money - near.1), (0.0, 0.0)));
    let mut found = unbeaten(found);
    let may_count = |pair: &&[Way]| !front.beats((pair[0].minutes - near.0, pair[1].money - near.1), (0.0, 0.0));
    let filled: Vec<Way> =
        found.windows(2).filter(may_count).flat_map(|pair| between(trip, &pair[0], &pair[1])).collect();
    for way in &filled {
        front.add(way);
    }
    found.extend(filled);
    unbeaten(found)
}

/// Some of the ways of a sequence that are near the front.
fn centers<'a>(group: &'a [Way], apart: (f64, f64), near: (f64, f64), front: &Front) -> Vec<&'a Way> {
    let mut all: Vec<&Way> = Vec::new();
    for way in group {
        let is_apart = |last: &&Way| way.minutes > last.minutes + apart.0 || way.money < last.money - apart.1;
        let is_near = !front.beats((way.minutes - near.0, way.money - near.1), (0.0, 0.0));
        if is_near && all.last().is_none_or(is_apart) {
            all.push(way);
        }
    }
    all
}

fn by_sequence(ways: Vec<Way>) -> BTreeMap<Sequence, Vec<Way>> {
    let mut groups: BTreeMap<Sequence, Vec<Way>> = BTreeMap::new();
    for way in ways {
        groups.entry(sequence(&way.choices)).or_default().push(way);
    }
    groups
}

/// The best plan of a sequence where a unit of money is worth so many minutes.
fn best_of_sequence(trip: &ClockTrip, group: Vec<Way>, worth: f64, effort: Effort) -> Option<Way> {
    let goal = |minutes: f64, money: f64| minutes + worth * money;
    let from = group.into_iter().min_by(|a, b| goal(a.minutes, a.money).total_cmp(&goal(b.minutes, b.money)));
    from.map(|from| descended(trip, from, (MOVES[0], effort.finest), goal))
}

/// Moves departures, one at a time and in pairs with the next, as long as that is better: first by so much, at last by so much.
fn descended(trip: &ClockTrip, mut at: Way, (first, finest): (f64, f64), goal: impl Fn(f64, f64) -> f64) -> Way {
    let mut stands = vec![Stand::start(trip)];
    stand_before(trip, &at.choices, &mut stands, 0);
    let mut moved = at.choices.clone();
    for by in MOVES.into_iter().filter(|&by| by <= first && by >= finest) {
        for _ in 0..ROUNDS {
            let mut better = false;
            for (stop, kind) in moves(&at.choices) {
                moved.stops.clone_from(&at.choices.stops);
                kind.make(&mut moved, stop, by);
                let Some((minutes, money)) = taken(trip, stands[stop], &moved, stop) else { continue };
                if goal(minutes, money) < goal(at.minutes, at.money) - 1e-7 {
                    (at.minutes, at.money, better) = (minutes, money, true);
                    at.choices.stops.clone_from(&moved.stops);
                    stand_before(trip, &at.choices, &mut stands, stop);
                }
            }
            if !better {
                break;
            }
        }
    }
    at
}

/// A move of a stop: its departure alone or with the next, or a wait by twice as many minutes; forth or back.
#[derive(Clone, Copy)]
enum Move {
    Alone(f64),
    WithNext(f64),
    Wait(f64),
}

impl Move {
    fn make(self, choices: &mut Choices, stop: usize, by: f64) {
        match self {
            Self::Alone(way) => choices.stops[stop].depart += way * by,
            Self::WithNext(way) => choices.stops[stop..=stop + 1].iter_mut().for_each(|stop| stop.depart += way * by),
            Self::Wait(way) => choices.stops[stop].not_before += 2.0 * way * by,
        }
    }
}

/// The moves that a sequence allows.
fn moves(choices: &Choices) -> Vec<(usize, Move)> {
    let mut all = Vec::new();
    for (stop, choice) in choices.stops.iter().enumerate() {
        for way in [1.0, -1.0] {
            all.push((stop, Move::Alone(way)));
            if stop + 1 < choices.stops.len() {
                all.push((stop, Move::WithNext(way)));
            }
            if choice.not_before > 0.0 {
                all.push((stop, Move::Wait(way)));
            }
        }
    }
    all
}

/// Ways between two of one sequence of stops.
fn between(trip: &ClockTrip, first: &Way, last: &Way) -> Vec<Way> {
    let apart = ((last.minutes - first.minutes) / FILLED_TO.0).min((first.money - last.money) / FILLED_TO.1);
    if apart <= 1.0 || sequence(&first.choices) != sequence(&last.choices) {
        return Vec::new();
    }
    let count = (apart.ceil() as usize).min(MOST_BETWEEN);
    let at = |index: usize| {
        let share = index as f64 / count as f64;
        let mut choices = first.choices.clone();
        for (choice, end) in choices.stops.iter_mut().zip(&last.choices.stops) {
            choice.depart += share * (end.depart - choice.depart);
            choice.not_before += share * (end.not_before - choice.not_before);
        }
        way(trip, choices)
    };
    (1..count).filter_map(at).collect()
}

/// Fewer ways that stand for all: each that is dropped is matched by one that is kept, but for slacks.
pub(crate) fn thinned(ways: Vec<Way>) -> Vec<Way> {
    let mut kept: Vec<Way> = Vec::new();
    // The first way since the last kept one that it does not match.
    let mut unmatched: Option<f64> = None;
    let count = ways.len();
    let minutes: Vec<f64> = ways.iter().map(|way| way.minutes).collect();
    for (index, way) in ways.into_iter().enumerate() {
        let matched = kept.last().is_some_and(|last| last.money - way.money <= THINNED_TO.1);
        let last = index + 1 == count;
        if matched && !last {
            continue;
        }
        let since = *unmatched.get_or_insert(way.minutes);
        // The next may match it and all since.
        if !last && !kept.is_empty() && minutes[index + 1] - since <= THINNED_TO.0 {
            continue;
        }
        kept.push(way);
        unmatched = None;
    }
    kept
}
