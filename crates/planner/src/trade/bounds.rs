//! The least that is still to come from leaving a site with a SoC: minutes, money, and minutes with money at some worths of it.
//!
//! Each is the exact solver's own bound ([`Labels`]) of the trip with every site asking the least that it ever asks. A label is
//! hopeless where a plan that is known is no later and no dearer than all that these leave possible.

use std::cell::Cell;

use super::by_the_hour::{ByTheHour, FromHere, Resolution, Weight};
use super::clock_trip::ClockTrip;
use super::staircase::Staircase;
use crate::StopSign;
use crate::exact::label_setting::Labels;
use crate::model::leg::Node;
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;
use crate::model::stop_cost::StopCost;

/// Slopes of a trade at which what is still to come is bounded.
const SLOPES: usize = 4;
/// Of the worths of money no more are asked for at once.
const MOST_WORTHS: usize = 8;

/// Step of the grid on which bounds are worked out, points: a finer one bounds hardly better.
const STEP: f64 = 1.0;

/// Bounds of money, and of minutes with money at some worths of it.
#[derive(Default)]
pub(crate) struct Bounds {
    worths: Vec<f64>,
    /// With every site asking the least that it ever asks: money alone, and with minutes at each worth; nothing where there are none.
    all_hours: Vec<Weighed>,
    /// The same by the clock, which is more, and takes longer to tell.
    by_the_hour: Option<ByTheHour>,
}

/// The least of minutes and money, each at its weight.
struct Weighed {
    problem: Problem,
    labels: Labels,
}

/// What is still to come at least from some SoC at some site: minutes, and what is asked of [`Bounds`].
#[derive(Clone, Debug)]
pub(crate) struct ToGo {
    pub(crate) minutes: f64,
    /// Money alone, and with minutes at each worth, whatever the hour.
    pub(super) always: Vec<f64>,
    /// Who charges, to tell it by the hour: of who leaves that takes longer than it helps.
    from: Option<FromHere>,
}

impl Bounds {
    /// Bounds of money alone and at these worths of it in minutes, whatever the hour; `None` when told to stop.
    pub(crate) fn new(trip: &ClockTrip, worths: &[f64], stop: &StopSign) -> Option<Self> {
        let weights = weights(worths).into_iter();
        let all = weights.map(|weight| Weighed::new(trip, (weight.minutes, weight.money), stop));
        Some(Self { worths: worths.to_vec(), all_hours: all.collect::<Option<_>>()?, by_the_hour: None })
    }

    /// The same by the hour too, for plans that end no later than a minute.
    pub(crate) fn by_the_hour(
        trip: &ClockTrip,
        worths: &[f64],
        last: f64,
        resolution: Resolution,
        stop: &StopSign,
    ) -> Option<Self> {
        let by_the_hour = ByTheHour::new(trip, &weights(worths), last, resolution, stop);
        Some(Self { by_the_hour, ..Self::new(trip, worths, stop)? })
    }

    /// The least money of the whole trip.
    pub(crate) fn least_money(&self, trip: &ClockTrip) -> f64 {
        let start = trip.problem.trip.goal.start.get();
        self.all_hours.first().map_or(0.0, |money| money.to_go(Node::Start, &[start])[0])
    }

    /// What is still to come from leaving a node with each of rising `SoCs`; `None` where the end cannot be reached.
    pub(crate) fn to_go(&self, trip: &ClockTrip, node: Node, departs: &[f64]) -> Vec<Option<ToGo>> {
        let minutes = trip.least_minutes(node, departs);
        let all: Vec<Vec<f64>> = self.all_hours.iter().map(|one| one.to_go(node, departs)).collect();
        let at = |index: usize| ToGo {
            minutes: minutes[index],
            always: all.iter().map(|one| one[index]).collect(),
            from: None,
        };
        (0..departs.len()).map(|index| minutes[index].is_finite().then(|| at(index))).collect()
    }

    /// What is still to come while one charges at a site, at each of rising `SoCs`, where leaving with each has so much to come and the
    /// minutes from each to the next are told: the less of what is to come after leaving here, and of what is to come at the next
    /// after the least that the step takes.
    pub(crate) fn while_charging(
        &self,
        trip: &ClockTrip,
        node: RoadIndex,
        socs: &[f64],
        to_go: &[Option<ToGo>],
        step_to: impl Fn(usize) -> (f64, f64),
    ) -> Vec<Option<ToGo>> {
        let (least, kwh_a_point) = (trip.sites[node].price.least(), trip.kwh_a_point(node));
        let mut all: Vec<Option<ToGo>> = vec![None; socs.len()];
        for place in (0..socs.len()).rev() {
            let next = all.get(place + 1).and_then(Option::as_ref);
            let (points, minutes) = if place + 1 < socs.len() { step_to(place + 1) } else { (0.0, 0.0) };
            let money = least.per_kwh * points * kwh_a_point + least.per_min * minutes;
            let (here, step) = (to_go[place].as_ref(), (minutes, money));
            let minutes = ToGo::minutes_or_after_a_step(here, minutes, next);
            all[place] = minutes.map(|minutes| ToGo {
                minutes,
                always: self.here_or_after_a_step(here, step, next),
                from: self.by_the_hour.as_ref().map(|hours| hours.charging(node, socs[place])),
            });
        }
        all
    }

    /// What is to come whatever the hour, here or after a step of so many minutes and so much money at least.
    fn here_or_after_a_step(&self, here: Option<&ToGo>, (minutes, money): (f64, f64), next: Option<&ToGo>) -> Vec<f64> {
        let least = |(index, weight): (usize, &Weight)| {
            let after = next.map(|next| next.always[index] + weight.minutes * minutes + weight.money * money);
            let here = here.map(|here| here.always[index]);
            here.into_iter().chain(after).fold(f64::INFINITY, f64::min)
        };
        match self.all_hours.len() {
            0 => Vec::new(),
            _ => weights(&self.worths).iter().enumerate().map(least).collect(),
        }
    }

    /// Whether known plans are no later and no dearer, but for slacks, than whatever a label may still come to that leaves at a
    /// minute with so much spent and ends no sooner than at another.
    pub(crate) fn beaten(
        &self,
        known: &Staircase,
        to_go: &ToGo,
        (minute, end): (f64, f64),
        money: f64,
        (but, near): ((f64, f64), &Cell<usize>),
    ) -> bool {
        let beaten = |to_come: &dyn Fn(usize) -> f64| {
            let least = (end, money + to_come(0));
            // At each worth; told when it is asked for.
            let weighed = [const { Cell::new(f64::NAN) }; MOST_WORTHS];
            let lines = || self.worths.iter().zip(&weighed).enumerate();
            let above = |corner: (f64, f64)| {
                let beyond = |worth: f64, line: f64| line >= corner.0 + worth * corner.1;
                lines().any(|(_, (&worth, line))| beyond(worth, line.get()))
                    || lines().filter(|(_, (_, line))| line.get().is_nan()).any(|(index, (&worth, line))| {
                        line.set(minute + worth * money + to_come(index + 1));
                        beyond(worth, line.get())
                    })
            };
            known.beats_all_above(least, but, near, above)
        };
        let from = self.by_the_hour.as_ref().zip(to_go.from.as_ref());
        beaten(&|index| to_go.always(index))
            || from.is_some_and(|(hours, from)| beaten(&|index| hours.least(from, index, minute)))
    }

    /// Whether it comes to more than a most where a unit of money is worth so many minutes.
    pub(crate) fn over(&self, worth: f64, most: f64, to_go: &ToGo, (minute, end): (f64, f64), money: f64) -> bool {
        let least = |index: usize| to_go.always(index);
        let apart = end + worth * (money + least(0)) > most;
        let mut all = self.worths.iter().enumerate().filter(|(_, known)| **known == worth);
        apart || all.any(|(index, _)| minute + worth * money + least(index + 1) > most)
    }
}

/// Money alone, and with minutes at each worth.
fn weights(worths: &[f64]) -> Vec<Weight> {
    let money = Weight { minutes: 0.0, money: 1.0 };
    std::iter::once(money).chain(worths.iter().map(|&money| Weight { minutes: 1.0, money })).collect()
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
    /// At the end.
    pub(crate) fn nothing() -> Self {
        Self { minutes: 0.0, always: Vec::new(), from: None }
    }

    /// What is to come at least by one of the weights, whatever the hour.
    fn always(&self, index: usize) -> f64 {
        self.always.get(index).copied().unwrap_or_default()
    }

    fn minutes_or_after_a_step(here: Option<&Self>, minutes: f64, next: Option<&Self>) -> Option<f64> {
        let all = here.map(|here| here.minutes).into_iter().chain(next.map(|next| next.minutes + minutes));
        all.reduce(f64::min)
    }
}

/// What a unit of money is worth in minutes along plans that rise in minutes and fall in money: at some of their corners.
pub(crate) fn slopes(plans: impl Iterator<Item = (f64, f64)>) -> Vec<f64> {
    let all = all_slopes(plans);
    let at = |index: usize| all.get((2 * index + 1) * all.len() / (2 * SLOPES)).copied();
    let mut some: Vec<f64> = (0..SLOPES).filter_map(at).collect();
    some.dedup();
    some
}

/// At every corner of their lower hull, rising.
fn all_slopes(plans: impl Iterator<Item = (f64, f64)>) -> Vec<f64> {
    let mut hull: Vec<(f64, f64)> = Vec::new();
    for at in plans {
        while let [.., before, last] = hull[..]
            && slope(before, last) >= slope(last, at)
        {
            hull.pop();
        }
        hull.push(at);
    }
    hull.windows(2).map(|pair| slope(pair[0], pair[1])).collect()
}

/// Of those slopes so many at most that leave least room below the plans: each is the one that lies nearest to the corner between two
/// plans that the others leave furthest away.
pub(crate) fn closest_slopes(plans: &[(f64, f64)], most: usize) -> Vec<f64> {
    let best = |worth: f64| plans.iter().map(|plan| plan.0 + worth * plan.1).fold(f64::INFINITY, f64::min);
    let lines: Vec<(f64, f64)> = all_slopes(plans.iter().copied()).iter().map(|&worth| (worth, best(worth))).collect();
    // How far a corner is beyond a line.
    let beyond = |corner: (f64, f64), (worth, least): (f64, f64)| (corner.0 + worth * corner.1 - least) / (1.0 + worth);
    let nearest =
        |corner: (f64, f64)| lines.iter().copied().min_by(|&a, &b| beyond(corner, a).total_cmp(&beyond(corner, b)));
    let mut corners: Vec<((f64, f64), f64)> =
        plans.windows(2).map(|pair| ((pair[1].0, pair[0].1), f64::INFINITY)).collect();
    let mut chosen: Vec<f64> = Vec::new();
    while chosen.len() < most {
        let Some(worst) = (0..corners.len()).max_by(|&a, &b| corners[a].1.total_cmp(&corners[b].1)) else { break };
        let (corner, _) = corners.swap_remove(worst);
        let Some(line) = nearest(corner).filter(|line| !chosen.contains(&line.0)) else { continue };
        chosen.push(line.0);
        for (corner, room) in &mut corners {
            *room = room.min(beyond(*corner, line));
        }
    }
    chosen.sort_by(f64::total_cmp);
    chosen
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
