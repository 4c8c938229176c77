//! The strategies of thumb: fixed rules for when to leave a stall, each given the sites that suit it best.
//!
//! A strategy says when to leave; which sites it uses is searched for it, under the trip's own goal, so that every strategy
//! shows the best it can do here. At the last stop everyone leaves as soon as the wish at the end is covered, unless
//! the strategy fills up. All use the same physics as the planner.

use crate::exact::polish;
use crate::model::plan::Plan;
use crate::model::problem::{Hop, Node, Problem, SAME};
use crate::model::replay;

/// A rule for when to leave.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Strategy {
    /// Arrive with 10 % or more, leave at 80 %, every time.
    TenToEighty,
    /// Leave with just what reaches the next stop with the floor.
    JustEnough,
    /// Leave near 50 %, or with what the next leg needs.
    HalfAndGo,
    /// Leave when the power falls below a number of kW for good, or with what the next leg needs.
    PowerFloor(f64),
    /// Leave at the ceiling.
    FillUp,
}

/// The strategies that are compared.
pub const STRATEGIES: [Strategy; 5] =
    [Strategy::TenToEighty, Strategy::JustEnough, Strategy::HalfAndGo, Strategy::PowerFloor(50.0), Strategy::FillUp];

impl Strategy {
    /// The strategy's name.
    pub fn name(self) -> String {
        match self {
            Self::TenToEighty => "ten to eighty".into(),
            Self::JustEnough => "just enough".into(),
            Self::HalfAndGo => "half and go".into(),
            Self::PowerFloor(kw) => format!("power floor {kw:.0} kW"),
            Self::FillUp => "fill up".into(),
        }
    }

    /// Its rule in one sentence.
    pub fn rule(self) -> &'static str {
        match self {
            Self::TenToEighty => "Arrive with 10 % or more and leave at 80 %, every time.",
            Self::JustEnough => "Leave with just what reaches the next stop with the floor.",
            Self::HalfAndGo => "Leave near 50 %, or with what the next leg needs.",
            Self::PowerFloor(_) => "Leave when the power falls below the number, or with what the next leg needs.",
            Self::FillUp => "Leave at the ceiling.",
        }
    }

    /// The SoC at which the strategy leaves a site, whatever comes next.
    fn leaves_at(self, problem: &Problem, node: usize) -> f64 {
        let soc = match self {
            Self::TenToEighty => 80.0,
            Self::JustEnough => 0.0,
            Self::HalfAndGo => 50.0,
            Self::PowerFloor(kw) => last_soc_with(problem, node, kw),
            Self::FillUp => 100.0,
        };
        soc.min(problem.ceiling)
    }

    /// The SoC at which the strategy leaves a site for a hop; `None` when it would not or cannot.
    fn departure(self, problem: &Problem, node: usize, arrive: f64, hop: &Hop) -> Option<f64> {
        let least =
            if hop.to == Node::End { hop.least } else { hop.least + self.floor(problem) - problem.floor(hop.to) };
        let rule = self.leaves_at(problem, node);
        let depart = match self {
            Self::FillUp => rule,
            _ if hop.to == Node::End => least,
            Self::TenToEighty => rule,
            _ => rule.max(least),
        };
        let kept = depart >= least - SAME && depart <= hop.most + SAME && depart > arrive;
        let within = self != Self::TenToEighty || depart <= rule + SAME;
        (kept && within).then_some(depart)
    }

    /// Least SoC with which the strategy arrives at a stall.
    fn floor(self, problem: &Problem) -> f64 {
        let floor = problem.trip.goal.floor.get();
        if self == Self::TenToEighty { floor.max(10.0) } else { floor }
    }
}

/// The highest SoC up to which a site gives at least `kw`, 0 when it never does.
fn last_soc_with(problem: &Problem, node: usize, kw: f64) -> f64 {
    let pieces = problem.stalls[node].power().pieces();
    let Some(piece) = pieces.iter().rev().find(|piece| piece.start.max(piece.end) >= kw) else {
        return 0.0;
    };
    if piece.end >= kw {
        return piece.to;
    }
    piece.from + (piece.to - piece.from) * (piece.start - kw) / (piece.start - piece.end)
}

/// What a strategy makes of the trip.
#[derive(Clone, Debug, PartialEq)]
pub struct StrategyResult {
    /// The strategy.
    pub strategy: Strategy,
    /// Its best plan; `None` when its rule does not get there.
    pub plan: Option<Plan>,
}

/// A way to arrive at a node: the SoC, the cost so far, and the label it came from.
#[derive(Clone, Copy)]
struct Label {
    arrive: f64,
    cost: f64,
    from: Option<(usize, usize)>,
    /// SoC on leaving the site it came from.
    left_at: f64,
}

/// The best that a strategy can do on the trip.
pub(crate) fn simulate(problem: &Problem, strategy: Strategy) -> StrategyResult {
    let end = problem.sites();
    let mut labels: Vec<Vec<Label>> = vec![Vec::new(); end + 1];
    for hop in problem.hops(Node::Start) {
        let arrive = problem.trip.goal.start.get() - hop.net;
        if hop.to == Node::End || arrive >= strategy.floor(problem) - SAME {
            let left_at = problem.trip.goal.start.get();
            add(
                &mut labels[index(hop.to, end)],
                Label { arrive, cost: arrival_cost(problem, hop), from: None, left_at },
            );
        }
    }
    for node in 0..end {
        for position in 0..labels[node].len() {
            let label = labels[node][position];
            for hop in problem.hops(Node::Site(node)) {
                let Some(depart) = strategy.departure(problem, node, label.arrive, hop) else { continue };
                let cost = label.cost + charging_cost(problem, node, label.arrive, depart) + arrival_cost(problem, hop);
                let next = Label { arrive: depart - hop.net, cost, from: Some((node, position)), left_at: depart };
                add(&mut labels[index(hop.to, end)], next);
            }
        }
    }
    let best = labels[end].iter().min_by(|a, b| a.cost.total_cmp(&b.cost));
    StrategyResult {
        strategy,
        plan: best.and_then(|label| replay::replay(problem, &departures(problem, &labels, label))),
    }
}

fn index(node: Node, end: usize) -> usize {
    match node {
        Node::Site(node) => node,
        _ => end,
    }
}

/// Drive and fixed cost of arriving at the end of a hop.
fn arrival_cost(problem: &Problem, hop: &Hop) -> f64 {
    match hop.to {
        Node::Site(node) => hop.minutes + problem.weights(node).fixed,
        _ => hop.minutes,
    }
}

fn charging_cost(problem: &Problem, node: usize, arrive: f64, depart: f64) -> f64 {
    let weights = problem.weights(node);
    let (from, to) = (spare_hour_core::quantity::Soc::percent(arrive), spare_hour_core::quantity::Soc::percent(depart));
    weights.per_minute * problem.stalls[node].minutes(from, to).get() + weights.per_percent * (depart - arrive)
}

/// Keeps a label unless one that arrives with the same SoC is as cheap.
fn add(labels: &mut Vec<Label>, new: Label) {
    match labels.iter_mut().find(|label| (label.arrive - new.arrive).abs() < 1e-6) {
        Some(label) if label.cost <= new.cost => {}
        Some(label) => *label = new,
        None => labels.push(new),
    }
}

/// The departures that lead to a label, in driving order.
fn departures(problem: &Problem, labels: &[Vec<Label>], last: &Label) -> Vec<(usize, f64)> {
    let mut departures = Vec::new();
    let mut label = last;
    while let Some((node, position)) = label.from {
        departures.push((node, label.left_at));
        label = &labels[node][position];
    }
    departures.reverse();
    polish::round_up(problem, &mut departures);
    departures
}
