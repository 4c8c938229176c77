//! What is proven of plans: an optimistic search, to which every step is given for no more than it takes, finds nothing below them.
//!
//! It can be told where every price depends on the clock alone and there is no boost. What is still to come is bounded by the hour. The
//! finer the steps, the less is given away, the more it takes: so it goes on behind the answer, attempt by attempt.

use super::bounds::{Bounds, closest_slopes};
use super::by_the_hour::Resolution;
use super::clock_trip::{Binds, ClockTrip};
use super::search::{Limits, Search};
use super::staircase::Staircase;
use super::{ClockPlan, TradeTrip};
use crate::StopSign;

/// Steps of the searches that bound the best plan, points of SoC.
const BOUNDING_STEPS: [f64; 3] = [1.0, 0.3, 0.1];
/// A bound of the best plan that is as close as this is close enough, minutes.
const CLOSE: f64 = 0.1;
/// Slopes of a trade at which what is still to come is bounded, at most,
const SLOPES: usize = 6;
/// and how finely.
const RESOLUTION: Resolution = Resolution { points: 5.0, minutes: 15.0 };
/// How much earlier a label may leave than the plans that it stands for, minutes for each point of the steps.
const LEFT_EARLIER: f64 = 3.0;
/// What is given away to the hair by which just enough is more, minutes and money.
const HAIR: f64 = 1e-3;
/// Plans that are nearer to each other than this part of a tolerance are one to what is held against them.
const THINNED: f64 = 0.04;
/// Most steps of the searches that bound the best plan together.
const MOST_STEPS: usize = 300_000;
/// Tolerances that are tried to be certified of a whole trade, minutes and money, each with the step of its search: one that is reached
/// soon, then looser ones, which take hardly less, and closer ones. What is no closer than what was reached is passed over.
const ATTEMPTS: [((f64, f64), f64); 16] = [
    ((5.0, 2.5), 2.0),
    ((10.0, 5.0), 2.0),
    ((20.0, 10.0), 2.0),
    ((20.0, 10.0), 1.0),
    ((10.0, 5.0), 1.0),
    ((5.0, 2.5), 1.0),
    ((3.0, 1.5), 2.0),
    ((3.0, 1.5), 1.0),
    ((2.0, 1.0), 2.0),
    ((2.0, 1.0), 1.0),
    ((1.0, 0.5), 1.0),
    ((1.0, 0.5), 0.5),
    ((0.5, 0.2), 0.5),
    ((0.5, 0.2), 0.25),
    ((0.2, 0.05), 0.2),
    ((0.2, 0.05), 0.1),
];

/// No plan comes to less than the best by more than a gap.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BestWithin {
    /// What a unit of money is worth in minutes; 0 where time alone counts.
    pub worth: f64,
    /// By how many minutes at most.
    pub gap: f64,
}

/// Every plan is matched by one of a trade.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AllWithin {
    /// That is at most so many minutes slower
    pub minutes: f64,
    /// and so much dearer.
    pub money: f64,
}

/// The proof of a whole trade, attempt by attempt.
pub struct Proving {
    clock: ClockTrip,
    binds: Binds,
    bounds: Bounds,
    known: Staircase,
    next: usize,
    /// What was reached.
    pub reached: Option<AllWithin>,
}

/// How an attempt went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Attempt {
    /// It may be tried on.
    GoesOn,
    /// There is nothing more to try.
    Over,
}

impl Proving {
    /// Begins to prove that nothing is missing among a trip's plans; `None` where that cannot be told, or told to stop.
    pub fn of(trip: &TradeTrip, plans: &[ClockPlan], stop: &StopSign) -> Option<Self> {
        let clock = ClockTrip::new(trip, stop).filter(|clock| clock.can_be_bounded() && !plans.is_empty())?;
        let all: Vec<(f64, f64)> = plans.iter().map(|plan| (plan.total.get(), plan.cost)).collect();
        let last = all.iter().map(|plan| plan.0).fold(0.0, f64::max);
        let bounds = Bounds::by_the_hour(&clock, &closest_slopes(&all, SLOPES), last, RESOLUTION, stop)?;
        let mut known = Staircase::default();
        for plan in plans {
            known.add(plan.total.get(), plan.cost, (0.0, 0.0));
        }
        Some(Self { binds: clock.binds(), clock, bounds, known, next: 0, reached: None })
    }

    /// Tries the next tolerance with at most so many steps.
    pub fn attempt(&mut self, steps: &mut usize, stop: &StopSign) -> Attempt {
        let Some(&(but, step)) = ATTEMPTS.get(self.next) else { return Attempt::Over };
        self.clock.loosen(&self.binds, LEFT_EARLIER * step);
        let limits = Limits {
            bounds: Some(&self.bounds),
            known: self.known.thinned((THINNED * but.0, THINNED * but.1)),
            but: (but.0 - HAIR, but.1 - HAIR),
            steps: Some(*steps),
            ..Limits::default()
        };
        let Some((least, used)) = Search::least(&self.clock, step, &limits, 0.0, stop) else {
            // Who was told to stop may go on later; who has run out of steps will again.
            return if stop.is_raised() { Attempt::Over } else { self.over() };
        };
        *steps = steps.saturating_sub(used);
        self.next += 1;
        if least.is_infinite() {
            self.reached = Some(AllWithin { minutes: but.0, money: but.1 });
        }
        let reached = self.reached.map_or(f64::INFINITY, |reached| reached.minutes);
        self.next += ATTEMPTS[self.next..].iter().take_while(|next| next.0.0 >= reached).count();
        if self.next < ATTEMPTS.len() { Attempt::GoesOn } else { self.over() }
    }

    /// There is nothing more to try, so what it was tried with may go: only what was reached is asked for from now on.
    fn over(&mut self) -> Attempt {
        self.next = ATTEMPTS.len();
        self.bounds = Bounds::default();
        Attempt::Over
    }

    /// What is reached with so many steps.
    pub fn within(mut self, mut steps: usize, stop: &StopSign) -> Option<AllWithin> {
        while self.attempt(&mut steps, stop) == Attempt::GoesOn {}
        self.reached
    }
}

/// What is proven of the best of a trip's plans at a value of an hour, or by time alone where that is `None`: from coarse steps to
/// fine ones, as long as the steps last. `None` where it cannot be told, or told to stop.
pub fn best_within(
    trip: &TradeTrip,
    plans: &[ClockPlan],
    value_of_time_per_hour: Option<f64>,
    stop: &StopSign,
) -> Option<BestWithin> {
    let mut clock = ClockTrip::new(trip, stop).filter(|clock| clock.can_be_bounded() && !plans.is_empty())?;
    let binds = clock.binds();
    // Where time alone counts, money is no part of what is bounded, and the bound of minutes is enough.
    let counted = value_of_time_per_hour.map_or(0.0, |value| 60.0 / value);
    let bounds = if counted > 0.0 { Some(Bounds::new(&clock, &[counted], stop)?) } else { None };
    let best = plans.iter().map(|plan| plan.total.get() + counted * plan.cost).fold(f64::INFINITY, f64::min);
    let mut gap = if counted == 0.0 { best - clock.bound_of_minutes() } else { f64::INFINITY };
    let mut steps = MOST_STEPS;
    for step in BOUNDING_STEPS {
        if gap <= CLOSE {
            break;
        }
        let bounds = bounds.as_ref();
        clock.loosen(&binds, LEFT_EARLIER * step);
        let limits = Limits { bounds, best: Some((counted, best)), steps: Some(steps), ..Limits::default() };
        let Some((least, used)) = Search::least(&clock, step, &limits, counted, stop) else { break };
        steps = steps.saturating_sub(used);
        gap = gap.min((best - least).max(0.0));
    }
    gap.is_finite().then_some(BestWithin { worth: counted, gap })
}
