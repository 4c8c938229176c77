//! The strategies of thumb: fixed rules for when to leave a stall, each given the sites that suit it best.
//!
//! A strategy says when to leave; which sites it uses is searched for it, under the trip's own goal, so that every strategy
//! shows the best it can do here. At the last stop everyone leaves as soon as the wish at the end is covered, unless
//! the strategy fills up. All use the same physics as the planner.

use crate::exact::polish;
use crate::model::leg::{Leg, Node, SAME};
use crate::model::plan::Plan;
use crate::model::problem::Problem;
use crate::model::replay;
use crate::model::road_index::RoadIndex;

/// A rule for when to leave.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Strategy {
    /// Arrive with 10 % or more, leave at a SoC, every time: usually 80 %.
    TenTo(f64),
    /// Leave with just what reaches the next stop with the floor.
    JustEnough,
    /// Leave near a SoC, usually 50 %, or with what the next leg needs.
    HalfAndGo(f64),
    /// Leave when the power falls below a number of kW for good, or with what the next leg needs.
    PowerFloor(f64),
    /// Leave at the ceiling.
    FillUp,
}

/// The numbers of the strategies, which drivers set for themselves.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Numbers {
    /// SoC at which "ten to" leaves, %.
    pub ten_to: f64,
    /// SoC near which "half and go" leaves, %.
    pub half: f64,
    /// Power below which "power floor" leaves, kW.
    pub power_floor: f64,
}

/// The usual numbers: common practice, no published source.
pub const USUAL: Numbers = Numbers { ten_to: 80.0, half: 50.0, power_floor: 50.0 };

/// The strategies that are compared, with their usual numbers.
pub const STRATEGIES: [Strategy; 5] = USUAL.strategies();

impl Numbers {
    /// The strategies with these numbers.
    pub const fn strategies(self) -> [Strategy; 5] {
        [
            Strategy::TenTo(self.ten_to),
            Strategy::JustEnough,
            Strategy::HalfAndGo(self.half),
            Strategy::PowerFloor(self.power_floor),
            Strategy::FillUp,
        ]
    }
}

impl Strategy {
    /// The strategy's name, as plans name it.
    pub fn name(self) -> String {
        match self {
            Self::TenTo(80.0) => "ten to eighty".into(),
            Self::TenTo(soc) => format!("ten to {soc:.0} %"),
            Self::JustEnough => "just enough".into(),
            Self::HalfAndGo(50.0) => "half and go".into(),
            Self::HalfAndGo(soc) => format!("leave near {soc:.0} %"),
            Self::PowerFloor(kw) => format!("power floor {kw:.0} kW"),
            Self::FillUp => "fill up".into(),
        }
    }

    /// The `SoCs` with which the strategy may leave a site: what its rule says, or what a leg needs.
    pub(crate) fn departures(self, problem: &Problem, node: RoadIndex) -> Vec<f64> {
        let rule = self.leaves_at(problem, node);
        let legs = problem.legs(Node::Site(node)).iter();
        legs.filter_map(|leg| self.departure(problem, rule, f64::NEG_INFINITY, leg)).map(a_hair_more).collect()
    }

    /// Whether the strategy drives a leg when it has left with a SoC.
    pub(crate) fn takes(self, problem: &Problem, from: Node, depart: f64, leg: &Leg) -> bool {
        let arrives = leg.to == Node::End || leg.arrive(depart) >= self.floor(problem) - SAME;
        let by_rule = match from {
            Node::Site(node) => {
                let rule = self.leaves_at(problem, node);
                let wanted = self.departure(problem, rule, f64::NEG_INFINITY, leg).map(a_hair_more);
                wanted.is_some_and(|wanted| (wanted - depart).abs() < 1e-6)
            }
            _ => true,
        };
        arrives && by_rule
    }

    /// The SoC at which the strategy leaves a site, whatever comes next.
    fn leaves_at(self, problem: &Problem, node: RoadIndex) -> f64 {
        let soc = match self {
            Self::TenTo(soc) | Self::HalfAndGo(soc) => soc,
            Self::JustEnough => 0.0,
            Self::PowerFloor(kw) => last_soc_with(problem, node, kw),
            Self::FillUp => 100.0,
        };
        soc.min(problem.ceiling)
    }

    /// The SoC at which the strategy leaves a site for a leg, where its rule says `rule`; `None` when it would not or cannot.
    fn departure(self, problem: &Problem, rule: f64, arrive: f64, leg: &Leg) -> Option<f64> {
        let least =
            if leg.to == Node::End { leg.least } else { leg.least + self.floor(problem) - problem.floor(leg.to) };
        let depart = match self {
            Self::FillUp => rule,
            _ if leg.to == Node::End => least,
            Self::TenTo(_) => rule,
            _ => rule.max(least),
        };
        let kept = depart >= least - SAME && leg.allows(depart) && depart > arrive;
        let within = !matches!(self, Self::TenTo(_)) || depart <= rule + SAME;
        (kept && within).then_some(depart)
    }

    /// Least SoC with which the strategy arrives at a stall.
    fn floor(self, problem: &Problem) -> f64 {
        let floor = problem.trip.goal.floor.get();
        if matches!(self, Self::TenTo(_)) { floor.max(10.0) } else { floor }
    }
}

/// So much that a figure of five decimals still keeps the floor.
fn a_hair_more(soc: f64) -> f64 {
    (soc * 1e5 - 1e-6).ceil() / 1e5
}

/// The highest SoC up to which a site gives at least `kw`, 0 when it never does.
fn last_soc_with(problem: &Problem, node: RoadIndex, kw: f64) -> f64 {
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
    from: Option<(RoadIndex, usize)>,
    /// SoC on leaving the site it came from.
    left_at: f64,
}

/// The best that a strategy can do on the trip.
pub(crate) fn simulate(problem: &Problem, strategy: Strategy) -> StrategyResult {
    let end = problem.sites();
    let mut labels: Vec<Vec<Label>> = vec![Vec::new(); end + 1];
    for leg in problem.legs(Node::Start) {
        let arrive = leg.arrive(problem.trip.goal.start.get());
        if leg.to == Node::End || arrive >= strategy.floor(problem) - SAME {
            let left_at = problem.trip.goal.start.get();
            add(
                &mut labels[index(leg.to, end)],
                Label { arrive, cost: arrival_cost(problem, leg), from: None, left_at },
            );
        }
    }
    for node in problem.road() {
        let rule = strategy.leaves_at(problem, node);
        for position in 0..labels[node.0].len() {
            let label = labels[node.0][position];
            // Most legs are left for at one SoC.
            let mut charged = (f64::NAN, 0.0);
            for leg in problem.legs(Node::Site(node)) {
                let Some(depart) = strategy.departure(problem, rule, label.arrive, leg) else { continue };
                if depart != charged.0 {
                    charged = (depart, problem.charging_cost(node, label.arrive, depart));
                }
                let cost = label.cost + charged.1 + arrival_cost(problem, leg);
                let next = Label { arrive: leg.arrive(depart), cost, from: Some((node, position)), left_at: depart };
                add(&mut labels[index(leg.to, end)], next);
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
        Node::Site(RoadIndex(node)) => node,
        _ => end,
    }
}

/// Drive and fixed cost of arriving at the end of a leg.
fn arrival_cost(problem: &Problem, leg: &Leg) -> f64 {
    match leg.to {
        Node::Site(node) => leg.minutes + problem.cost(node).fixed,
        _ => leg.minutes,
    }
}

/// Keeps a label, in the order of arrivals, unless one that arrives with the same SoC is as cheap.
fn add(labels: &mut Vec<Label>, new: Label) {
    let place = labels.partition_point(|label| label.arrive <= new.arrive - 1e-6);
    match labels.get_mut(place) {
        Some(label) if label.arrive < new.arrive + 1e-6 => {
            if new.cost < label.cost {
                *label = new;
            }
        }
        _ => labels.insert(place, new),
    }
}

/// The departures that lead to a label, in driving order.
fn departures(problem: &Problem, labels: &[Vec<Label>], last: &Label) -> Vec<(RoadIndex, f64)> {
    let mut departures = Vec::new();
    let mut label = last;
    while let Some((node, position)) = label.from {
        departures.push((node, label.left_at));
        label = &labels[node.0][position];
    }
    departures.reverse();
    polish::round_up(problem, &mut departures, 0);
    departures
}
