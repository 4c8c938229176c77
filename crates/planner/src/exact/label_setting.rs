//! Exact label-setting over (site, SoC), from the destination backwards, with a bound that no plan can beat.
//!
//! For every site the labels hold, as a function of the SoC on arrival, the least cost from there to the end. At a
//! site without a boost that cost is V(s) = M(s) − a(s): a is the cost of charging from 0 % to s, and M(s) the least of
//! a(x) + (cost after leaving at x) over all x ≥ s. M changes only where the best departure does, so it is kept on a
//! grid of 0.1 % while a is evaluated in closed form at any SoC: arrivals need no rounding. With a boost that lasts
//! `m` minutes and carries s to b(s), a charge from s either ends during it (x ≤ b(s)) or goes on after it, and V is
//! the lesser of two such differences.
//!
//! Along one leg the cost of leaving at x and arriving at x − e is tried at every grid point of the arrival and at
//! every knot of the curve for the departure (so that a cliff is left at the cliff), which gives plans; between
//! neighbouring points [`cell_bound`](crate::exact::cell_bound) gives the least it could be, which gives the bound.
//!
//! A stop always charges: stopping without charging is never better than driving on. Work grows with sites ×
//! reachable sites × grid points.

use std::collections::VecDeque;
use std::ops::Range;

use crate::StopSign;
use crate::exact::cell_bound::{Rise, least_difference};
use crate::exact::charge_cost::{ArrivalRises, ArrivalWalk, DepartureRises, DepartureWalk};
use crate::exact::departures::{Departures, Onward};
use crate::exact::grid::{Grid, Point};
use crate::model::leg::{Leg, Node, SAME};
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;
use spare_hour_core::charging::stall::BoostedStart;
use typed_index_collections::TiVec;

/// For arrivals in one cell that get the boost: the best departure during it and after it.
#[derive(Clone)]
struct BoostCell {
    during_upper: Onward,
    during_lower: f64,
    after_upper: Onward,
    after_lower: f64,
    /// Departures so near the end of the boost that it depends on the arrival within the cell whether they are during it
    /// or after it: the dearer of the two is what they cost.
    straddling_during: Onward,
    straddling_after: Onward,
    /// Whether some arrivals in the cell do not get the boost after all.
    not_always: bool,
}

/// The labels of one site.
#[derive(Clone, Default)]
struct SiteLabels {
    sustained: Departures,
    boosted: Vec<BoostCell>,
}

/// One departure that was tried along a leg.
struct Tried {
    /// The arrival.
    point: Point,
    /// The cell that the departure lies in.
    cell: usize,
    leaving: DepartureRises,
    arriving: ArrivalRises,
}

/// What charging costs from every edge of the grid at one site, worked out once for all legs that lead there.
struct Arrivals<'a> {
    problem: &'a Problem,
    node: RoadIndex,
    at_edges: Vec<ArrivalRises>,
    /// For each cell, the least that an arrival in it costs from plugging in to the end of the trip.
    least: Vec<f64>,
}

impl<'a> Arrivals<'a> {
    fn new(problem: &'a Problem, labels: &Labels, node: RoadIndex) -> Self {
        let edges = &labels.grid.edges;
        let mut walk = ArrivalWalk::new(problem, node, edges[0]);
        let at_edges: Vec<ArrivalRises> = edges.iter().map(|&soc| walk.at(soc)).collect();
        let least = at_edges.windows(2).enumerate().map(|(cell, ends)| {
            let branches = labels.branches(node, cell, &ends[0], &ends[1]);
            branches.map(|(_, end, onward)| onward - end.lower).fold(f64::INFINITY, f64::min)
        });
        Self { problem, node, least: least.collect(), at_edges }
    }

    fn at(&self, point: &Point) -> ArrivalRises {
        if let Some(edge) = point.edge {
            self.at_edges[edge]
        } else {
            let alone = ArrivalWalk::new(self.problem, self.node, point.soc).at(point.soc);
            alone.with_slopes_of(&self.at_edges[point.cell + 1])
        }
    }
}

/// The departures of a site, while the legs out of it are tried one after another.
struct Gathered {
    modes: [Departures; 2],
    /// What charging from 0 % to each edge costs, without the boost and, where the car has one, during it.
    at_edges: [Vec<f64>; 2],
}

impl Gathered {
    fn new(problem: &Problem, grid: &Grid, node: RoadIndex) -> Self {
        let mut walk = DepartureWalk::new(problem, node, grid.edges[0]);
        let rises: Vec<DepartureRises> = grid.edges.iter().map(|&soc| walk.at(soc)).collect();
        let at_edges = [0, 1].map(|mode: usize| rises.iter().filter_map(|rise| Some(rise[mode]?.lower)).collect());
        Self { modes: [Departures::new(grid), Departures::new(grid)], at_edges }
    }

    /// Whether departures from between the first edge to just over the second may be better than what was offered
    /// there, if each costs at least `onward` after leaving.
    fn may_gain(&self, [first, last]: [usize; 2], onward: f64) -> bool {
        self.modes.iter().zip(&self.at_edges).any(|(mode, costs)| {
            let offered = mode.upper[first].cost.max(mode.upper[last].cost);
            costs.get(first).is_some_and(|cost| cost + onward < offered)
        })
    }
}

/// The labels of a whole trip.
pub(crate) struct Labels {
    grid: Grid,
    sites: TiVec<RoadIndex, SiteLabels>,
}

impl Labels {
    /// The labels of a trip on a grid of so many points a step; `None` when it was told to stop.
    pub(crate) fn new(problem: &Problem, step: f64, stop: &StopSign) -> Option<Self> {
        let sites = problem.sites();
        let mut labels = Self { grid: Grid::new(problem, step), sites: vec![SiteLabels::default(); sites].into() };
        let mut incoming: TiVec<RoadIndex, Vec<(RoadIndex, Leg)>> = vec![Vec::new(); sites].into();
        for node in problem.road() {
            for leg in problem.legs(Node::Site(node)) {
                if let Node::Site(next) = leg.to {
                    incoming[next].push((node, *leg));
                }
            }
        }
        // Departures of the sites that a later site has already been tried from.
        let mut gathered: TiVec<RoadIndex, Option<Gathered>> = (0..sites).map(|_| None).collect();
        for node in problem.road().rev() {
            if stop.is_raised() {
                return None;
            }
            let of_site = gathered[node].take().unwrap_or_else(|| Gathered::new(problem, &labels.grid, node));
            let mut modes = of_site.modes;
            if let Some(leg) = problem.leg(Node::Site(node), Node::End) {
                labels.gather_last(problem, node, leg, &mut modes);
            }
            labels.sites[node] = labels.label(problem, node, modes);
            if !incoming[node].is_empty() {
                let arrivals = Arrivals::new(problem, &labels, node);
                for (before, leg) in &incoming[node] {
                    let of_site = &mut gathered[*before];
                    let of_site = of_site.get_or_insert_with(|| Gathered::new(problem, &labels.grid, *before));
                    labels.gather(*before, leg, &arrivals, of_site);
                }
            }
        }
        Some(labels)
    }

    /// The departures `(site, SoC)` of the best way on from a node that is left at `depart`.
    pub(crate) fn follow(&self, problem: &Problem, from: Node, depart: f64) -> Option<Vec<(RoadIndex, f64)>> {
        let mut departures = Vec::new();
        let mut onward = self.leave(problem, from, depart)?;
        while let Node::Site(node) = onward.to {
            let next = self.arrive(problem, node, onward.arrive)?;
            let leg = problem.leg(onward.to, next.to)?;
            departures.push((node, next.arrive + leg.net));
            onward = next;
        }
        Some(departures)
    }

    /// Values that no way on from a node that is left with each of rising `SoCs` can beat; infinite where there is none.
    pub(crate) fn bounds_to_go(&self, problem: &Problem, from: Node, departs: &[f64]) -> Vec<f64> {
        let mut least = vec![f64::INFINITY; departs.len()];
        for leg in problem.legs(from) {
            let can = |&(_, &depart): &(usize, &f64)| leg.allows(depart);
            let Node::Site(node) = leg.to else {
                let leaves = departs.iter().enumerate().filter(can);
                leaves.for_each(|(index, _)| least[index] = least[index].min(leg.minutes));
                continue;
            };
            let fixed = leg.minutes + problem.pure_cost(node).fixed;
            let mut walk: Option<ArrivalWalk> = None;
            for (index, &depart) in departs.iter().enumerate().filter(can) {
                let soc = leg.arrive(depart);
                let rises = walk.get_or_insert_with(|| ArrivalWalk::new(problem, node, soc)).at(soc);
                let branches = self.branches(node, self.grid.cell_of(soc), &rises, &rises);
                let bounds = branches.map(|(_, rise, lower)| fixed + lower - rise.lower);
                least[index] = bounds.fold(least[index], f64::min);
            }
        }
        least
    }

    /// A value of the goal that no plan can beat; infinite when there is no plan.
    pub(crate) fn lower_bound(&self, problem: &Problem) -> f64 {
        self.bounds_to_go(problem, Node::Start, &[problem.trip.goal.start.get()])[0]
    }

    /// The best leg out of a node that is left at exactly `depart`.
    fn leave(&self, problem: &Problem, from: Node, depart: f64) -> Option<Onward> {
        let mut best = Onward::NONE;
        for leg in problem.legs(from) {
            if !leg.allows(depart) {
                continue;
            }
            let arrive = leg.arrive(depart);
            let cost = match leg.to {
                Node::Site(node) => match self.arrive(problem, node, arrive) {
                    Some(onward) => leg.minutes + problem.cost(node).fixed + onward.cost,
                    None => continue,
                },
                _ => leg.minutes,
            };
            best = best.or(Onward { cost, to: leg.to, arrive });
        }
        best.cost.is_finite().then_some(best)
    }

    /// The best way on from an arrival at a site.
    fn arrive(&self, problem: &Problem, node: RoadIndex, soc: f64) -> Option<Onward> {
        let mut walk = ArrivalWalk::new(problem, node, soc);
        let rises = walk.at(soc);
        let best = self.onward(node, self.grid.cell_of(soc), &rises);
        best.cost.is_finite().then_some(best)
    }

    fn onward(&self, node: RoadIndex, cell: usize, rises: &ArrivalRises) -> Onward {
        let labels = &self.sites[node];
        match (&rises.boosted, labels.boosted.get(cell)) {
            (Some([during, after]), Some(boosted)) => {
                let straddling = boosted.straddling_during.plus(-during.upper);
                let straddling = straddling.dearer(boosted.straddling_after.plus(-after.upper));
                let during = boosted.during_upper.plus(-during.upper);
                during.or(boosted.after_upper.plus(-after.upper)).or(straddling)
            }
            _ => labels.sustained.upper[cell + 1].plus(-rises.sustained.upper),
        }
    }

    /// The ways a charge that begins in a cell may go: its cost from 0 % at both ends, and the least cost onward.
    fn branches<'r>(
        &self,
        node: RoadIndex,
        cell: usize,
        start: &'r ArrivalRises,
        end: &'r ArrivalRises,
    ) -> impl Iterator<Item = (&'r Rise, &'r Rise, f64)> {
        let labels = &self.sites[node];
        let sustained = (&start.sustained, &end.sustained, labels.sustained.lower[cell]);
        let pairs = match (&start.boosted, &end.boosted, labels.boosted.get(cell)) {
            (Some(first), Some(last), Some(boosted)) => [
                Some((&first[0], &last[0], boosted.during_lower)),
                Some((&first[1], &last[1], boosted.after_lower)),
                boosted.not_always.then_some(sustained),
            ],
            _ => [Some(sustained), None, None],
        };
        pairs.into_iter().flatten()
    }

    /// The labels of a site, from all its departures without the boost and during it.
    fn label(&self, problem: &Problem, node: RoadIndex, modes: [Departures; 2]) -> SiteLabels {
        let [mut sustained, boosted] = modes;
        let Some(boost) = problem.stalls[node].boost() else {
            sustained.accumulate();
            return SiteLabels { sustained, boosted: Vec::new() };
        };
        let single = sustained.clone();
        sustained.accumulate();
        SiteLabels { boosted: self.boost_cells(boost, &boosted, &single, &sustained), sustained }
    }

    /// Gathers the departures from a site to the destination: there is one that counts, which arrives as wished.
    fn gather_last(&self, problem: &Problem, node: RoadIndex, leg: &Leg, modes: &mut [Departures; 2]) {
        if leg.least < self.grid.edges[0] {
            return;
        }
        let rises = DepartureWalk::new(problem, node, leg.least).at(leg.least);
        let edge = self.grid.edge_below(leg.least);
        let cell = self.grid.cell_of(leg.least);
        for (mode, rise) in modes.iter_mut().zip(&rises) {
            if let Some(rise) = rise {
                let onward = Onward { cost: leg.minutes + rise.upper, to: leg.to, arrive: leg.least - leg.net };
                mode.offer(edge, onward);
                mode.bound([cell, cell], leg.minutes + rise.lower);
            }
        }
    }

    /// Gathers the departures from a site along one leg, but for stretches of them that another leg beats anyway.
    fn gather(&self, node: RoadIndex, leg: &Leg, arrivals: &Arrivals, gathered: &mut Gathered) {
        let mut departures = DepartureWalk::new(arrivals.problem, node, leg.least);
        let fixed = leg.minutes + arrivals.problem.pure_cost(arrivals.node).fixed;
        let points = self.grid.arrivals(leg.least - leg.net, leg.most - leg.net, leg.net);
        let mut edge = self.grid.edge_below(leg.least);
        let mut before: Option<Tried> = None;
        for (index, &point) in points.iter().enumerate() {
            let here = edge;
            let next = points.get(index + 1).map(|next| self.grid.climb(here, next.soc + leg.net));
            edge = next.unwrap_or(here);
            let least = fixed + arrivals.least[point.cell];
            let useful = |edges| gathered.may_gain(edges, least);
            let begins = next.map_or(points.len() == 1, |next| useful([here, next]));
            if before.is_none() && !begins {
                continue;
            }
            let now = self.try_departure(here, leg, point, departures.at(point.soc + leg.net), arrivals, gathered);
            if let Some(before) = &before {
                self.bound(arrivals.node, fixed, [before, &now], &mut gathered.modes);
            }
            before = begins.then_some(now);
        }
    }

    /// Offers one departure along a leg.
    fn try_departure(
        &self,
        edge: usize,
        leg: &Leg,
        point: Point,
        leaving: DepartureRises,
        arrivals: &Arrivals,
        gathered: &mut Gathered,
    ) -> Tried {
        let arriving = arrivals.at(&point);
        if !arrivals.problem.on_boost_margin(point.soc) {
            let fixed = leg.minutes + arrivals.problem.cost(arrivals.node).fixed;
            let onward = self.onward(arrivals.node, point.cell, &arriving).cost + fixed;
            for (mode, rise) in gathered.modes.iter_mut().zip(&leaving) {
                if let Some(rise) = rise {
                    mode.offer(edge, Onward { cost: onward + rise.upper, to: leg.to, arrive: point.soc });
                }
            }
        }
        Tried { point, cell: edge.min(self.grid.cells() - 1), leaving, arriving }
    }

    /// Bounds all departures between two that were tried.
    fn bound(&self, next: RoadIndex, fixed: f64, [start, end]: [&Tried; 2], modes: &mut [Departures; 2]) {
        let width = end.point.soc - start.point.soc;
        for (mode, rises) in start.leaving.iter().zip(&end.leaving).enumerate() {
            let (Some(first), Some(last)) = rises else { continue };
            let branches = self.branches(next, start.point.cell, &start.arriving, &end.arriving);
            let least = branches
                .map(|(s0, s1, onward)| onward + least_difference([first, last], [s0, s1], width))
                .fold(f64::INFINITY, f64::min);
            modes[mode].bound([start.cell, end.cell], fixed + least);
        }
    }

    /// For each cell whose arrivals get the boost, the best departures during it and after it.
    /// `single` holds the departures after it one by one, `sustained` those at or above each SoC.
    fn boost_cells(
        &self,
        boost: &BoostedStart,
        boosted: &Departures,
        single: &Departures,
        sustained: &Departures,
    ) -> Vec<BoostCell> {
        let edges = &self.grid.edges;
        let carried: Vec<f64> = edges[..=self.grid.boosted_cells].iter().map(|&soc| boost.carries(soc)).collect();
        let spans: Vec<BoostSpan> = (0..self.grid.boosted_cells).map(|cell| self.boost_span(cell, &carried)).collect();
        let best = |upper: &[Onward], of: fn(&BoostSpan) -> Range<usize>| {
            sliding_least(upper, spans.iter().map(of), |onward| onward.cost)
        };
        let during_upper = best(&boosted.upper, |span| span.whole.clone());
        let straddling_during = best(&boosted.upper, |span| span.straddling.clone());
        let straddling_after = best(&single.upper, |span| span.straddling.clone());
        let during_lower = sliding_least(&boosted.lower, spans.iter().map(|span| span.touched.clone()), |&cost| cost);
        let cells = spans.iter().enumerate().map(|(cell, span)| BoostCell {
            during_upper: during_upper[cell].unwrap_or(Onward::NONE),
            during_lower: during_lower[cell].unwrap_or(f64::INFINITY),
            after_upper: sustained.upper.get(span.straddling.end).copied().unwrap_or(Onward::NONE),
            after_lower: span.after_cell.map_or(f64::INFINITY, |after| sustained.lower[after]),
            straddling_during: straddling_during[cell].unwrap_or(Onward::NONE),
            straddling_after: straddling_after[cell].unwrap_or(Onward::NONE),
            not_always: edges[cell + 1] > boost.max_start + SAME,
        });
        cells.collect()
    }

    /// Which departures are during the boost, or after it, for arrivals in a cell. `carried` is where the boost ends for
    /// an arrival at each edge.
    fn boost_span(&self, cell: usize, carried: &[f64]) -> BoostSpan {
        let edges = &self.grid.edges;
        let (low, high) = (carried[cell], carried[cell + 1]);
        let whole = cell + 1..self.grid.edge_below(low).max(cell + 1);
        let after = edges.partition_point(|&edge| edge < high);
        BoostSpan {
            touched: cell..self.grid.cell_of(high).max(cell) + 1,
            straddling: whole.end.min(after)..after,
            whole,
            after_cell: (low <= edges[edges.len() - 1] + SAME).then(|| self.grid.cell_of(low)),
        }
    }
}

/// Departures by when the boost of arrivals in one cell ends.
struct BoostSpan {
    /// Edges that are during it for every arrival in the cell.
    whole: Range<usize>,
    /// Cells that are during it for some arrival.
    touched: Range<usize>,
    /// Edges that are during it for some arrivals and after it for others; from its end on all are after it.
    straddling: Range<usize>,
    /// The first cell that is after it for some arrival, if it is below the ceiling.
    after_cell: Option<usize>,
}

/// The cheapest item of each window; both ends of the windows only rise.
fn sliding_least<T: Copy>(
    items: &[T],
    windows: impl Iterator<Item = Range<usize>>,
    cost: impl Fn(&T) -> f64,
) -> Vec<Option<T>> {
    let mut rising: VecDeque<usize> = VecDeque::new();
    let mut next = 0;
    let least = windows.map(|window| {
        while next < window.end {
            while rising.back().is_some_and(|&last| cost(&items[last]) >= cost(&items[next])) {
                rising.pop_back();
            }
            rising.push_back(next);
            next += 1;
        }
        while rising.front().is_some_and(|&first| first < window.start) {
            rising.pop_front();
        }
        rising.front().map(|&first| items[first])
    });
    least.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn sliding_least_is_the_least_of_each_window(
            items in prop::collection::vec(0.0f64..9.0, 1..40), steps in prop::collection::vec((0usize..3, 0usize..4), 1..30),
        ) {
            let (mut start, mut end) = (0, 0);
            let windows: Vec<Range<usize>> = steps.iter().map(|&(a, b)| {
                end = (end + b).min(items.len());
                start = (start + a).min(end);
                start..end
            }).collect();
            let found = sliding_least(&items, windows.iter().cloned(), |&item| item);
            for (window, found) in windows.into_iter().zip(found) {
                prop_assert_eq!(found, items[window].iter().copied().reduce(f64::min));
            }
        }
    }
}
