//! The least that is still to come from leaving a site with a SoC: minutes, money, and minutes with money at some worths of it.
//!
//! Each is the exact solver's own bound ([`Labels`]) of the trip with every site asking the least that it ever asks. A label is
//! hopeless where a plan that is known is no later and no dearer than all that these leave possible.

use super::clock_trip::ClockTrip;
use super::staircase::Staircase;
use crate::StopSign;
use crate::exact::label_setting::Labels;
use crate::model::leg::Node;
use crate::model::problem::Problem;
use crate::model::stop_cost::StopCost;

/// Slopes of a trade at which what is still to come is bounded.
const SLOPES: usize = 4;

/// Step of the grid on which bounds are worked out, points: a finer one bounds hardly better.
const STEP: f64 = 0.5;

/// Bounds of money, and of minutes with money at some worths of it.
#[derive(Default)]
pub(crate) struct Bounds {
    money: Option<Weighed>,
    weighed: Vec<(f64, Weighed)>,
}

/// The least of minutes and money, each at its weight.
struct Weighed {
    problem: Problem,
    labels: Labels,
}

/// What is still to come at least: minutes, and minutes and money's worth together at each worth.
#[derive(Clone, Debug, Default)]
pub(crate) struct ToGo {
    pub(crate) minutes: f64,
    money: f64,
    weighed: Vec<(f64, f64)>,
}

impl Bounds {
    /// Bounds of money alone and at these worths of it in minutes; `None` when told to stop.
    pub(crate) fn new(trip: &ClockTrip, worths: &[f64], stop: &StopSign) -> Option<Self> {
        let weighed = worths.iter().map(|&worth| Some((worth, Weighed::new(trip, (1.0, worth), stop)?)));
        Some(Self { money: Some(Weighed::new(trip, (0.0, 1.0), stop)?), weighed: weighed.collect::<Option<_>>()? })
    }

    /// The least money of the whole trip.
    pub(crate) fn least_money(&self, trip: &ClockTrip) -> f64 {
        let start = trip.problem.trip.goal.start.get();
        self.money.as_ref().map_or(0.0, |money| money.to_go(Node::Start, &[start])[0])
    }

    /// What is still to come from leaving a node with each of rising `SoCs`; `None` where the end cannot be reached.
    pub(crate) fn to_go(&self, trip: &ClockTrip, node: Node, departs: &[f64]) -> Vec<Option<ToGo>> {
        let minutes = trip.least_minutes(node, departs);
        let money = self.money.as_ref().map(|money| money.to_go(node, departs));
        let weighed: Vec<(f64, Vec<f64>)> =
            self.weighed.iter().map(|(worth, one)| (*worth, one.to_go(node, departs))).collect();
        let at = |index: usize| ToGo {
            minutes: minutes[index],
            money: money.as_ref().map_or(0.0, |money| money[index]),
            weighed: weighed.iter().map(|(worth, least)| (*worth, least[index])).collect(),
        };
        (0..departs.len()).map(|index| minutes[index].is_finite().then(|| at(index))).collect()
    }
}

impl Weighed {
    fn new(trip: &ClockTrip, (minutes, worth): (f64, f64), stop: &StopSign) -> Option<Self> {
        let usable = trip.problem.trip.vehicle.usable.get();
        let problem = trip.problem.weighed(minutes, |node| {
            let (site, overhead) = (&trip.sites[node], trip.problem.site(node).overhead.get());
            let least = site.price.least();
            StopCost {
                per_minute: minutes + worth * least.per_min,
                per_percent: worth * least.per_kwh * usable / 100.0 / site.stored_share,
                fixed: minutes * overhead + worth * least.per_session,
            }
        });
        let labels = Labels::new(&problem, STEP, stop)?;
        Some(Self { problem, labels })
    }

    fn to_go(&self, node: Node, departs: &[f64]) -> Vec<f64> {
        self.labels.bounds_to_go(&self.problem, node, departs)
    }
}

impl ToGo {
    /// The less of what is to come after leaving here, and of what is to come at the next SoC after a step of so many minutes and so
    /// much money at least: what is to come of a charge that is here.
    pub(crate) fn or_after_a_step(
        here: Option<&Self>,
        (minutes, money): (f64, f64),
        next: Option<&Self>,
    ) -> Option<Self> {
        let Some(next) = next else { return here.cloned() };
        let weighed = next.weighed.iter().map(|(worth, least)| (*worth, least + minutes + worth * money));
        let mut after = Self { minutes: next.minutes + minutes, money: next.money + money, weighed: weighed.collect() };
        if let Some(here) = here {
            after.minutes = after.minutes.min(here.minutes);
            after.money = after.money.min(here.money);
            for (after, here) in after.weighed.iter_mut().zip(&here.weighed) {
                after.1 = after.1.min(here.1);
            }
        }
        Some(after)
    }

    /// Whether known plans are no later and no dearer, but for slacks, than whatever a label may still come to that leaves at a
    /// minute with so much spent and ends no sooner than at another.
    pub(crate) fn is_beaten(&self, known: &Staircase, (minute, end): (f64, f64), money: f64, but: (f64, f64)) -> bool {
        let least = (end, money + self.money);
        let weighed = |corner: (f64, f64)| {
            let at = |&(worth, togo): &(f64, f64)| minute + worth * money + togo >= corner.0 + worth * corner.1;
            self.weighed.iter().any(at)
        };
        known.beats_all_above(least, but, weighed)
    }

    /// Whether it comes to more than a most where a unit of money is worth so many minutes.
    pub(crate) fn is_over(&self, worth: f64, most: f64, (minute, end): (f64, f64), money: f64) -> bool {
        let apart = end + worth * (money + self.money) > most;
        let together =
            self.weighed.iter().filter(|one| one.0 == worth).any(|one| minute + worth * money + one.1 > most);
        apart || together
    }
}

/// What a unit of money is worth in minutes along plans that rise in minutes and fall in money: at some of their corners.
pub(crate) fn slopes(plans: impl Iterator<Item = (f64, f64)>) -> Vec<f64> {
    let mut hull: Vec<(f64, f64)> = Vec::new();
    for at in plans {
        while let [.., before, last] = hull[..]
            && slope(before, last) >= slope(last, at)
        {
            hull.pop();
        }
        hull.push(at);
    }
    let all: Vec<f64> = hull.windows(2).map(|pair| slope(pair[0], pair[1])).collect();
    let at = |index: usize| all.get((2 * index + 1) * all.len() / (2 * SLOPES)).copied();
    let mut some: Vec<f64> = (0..SLOPES).filter_map(at).collect();
    some.dedup();
    some
}

/// Minutes that a unit of money costs from one plan to a cheaper.
fn slope(fast: (f64, f64), cheap: (f64, f64)) -> f64 {
    (cheap.0 - fast.0) / (fast.1 - cheap.1).max(1e-9)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slopes_are_those_of_the_lower_hull() {
        // By hand: (0, 10), (1, 6), (4, 3), (10, 2) are corners: 1/4, 3/3 and 6/1 minutes for a unit of money; (2, 5.9) and
        // (6, 2.9) lie above them.
        let plans = [(0.0, 10.0), (1.0, 6.0), (2.0, 5.9), (4.0, 3.0), (6.0, 2.9), (10.0, 2.0)];
        let found = slopes(plans.into_iter());
        assert!(found.windows(2).all(|pair| pair[0] < pair[1]), "{found:?}");
        assert_eq!(found, [0.25, 1.0, 6.0]);
        assert!(slopes([(3.0, 4.0)].into_iter()).is_empty() && slopes(std::iter::empty()).is_empty());
        // Of a long trade some are enough.
        let many = (0..200).map(|step| (f64::from(step), 400.0 / (1.0 + f64::from(step))));
        assert_eq!(slopes(many).len(), SLOPES);
    }
}
