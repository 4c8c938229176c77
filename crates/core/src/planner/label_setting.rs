//! Exact label-setting over (site, SoC), from the destination backwards, with a bound that no plan can beat.
//!
//! For every site the labels hold, as a function of the SoC on arrival, the least cost from there to the end. At a
//! site without a boost that cost is V(s) = M(s) − a(s): a is the cost of charging from 0 % to s, and M(s) the least of
//! a(x) + (cost after leaving at x) over all x ≥ s. M changes only where the best departure does, so it is kept on a
//! grid of 0.1 % while a is evaluated in closed form at any SoC: arrivals need no rounding. With a boost that lasts
//! `m` minutes and carries s to b(s), a charge from s either ends during it (x ≤ b(s)) or goes on after it, and V is
//! the lesser of two such differences.
//!
//! Along one hop the cost of leaving at x and arriving at x − e is tried at every grid point of the arrival and at
//! every knot of the curve for the departure (so that a cliff is left at the cliff), which gives plans; between
//! neighbouring points [`cell_bound`](super::cell_bound) gives the least it could be, which gives the bound.
//!
//! A stop always charges: stopping without charging is never better than driving on. Work grows with sites ×
//! reachable sites × grid points.

use super::cell_bound::{Rise, least_difference};
use super::problem::{BOOST_MARGIN, Hop, Node, Problem, SAME, Weights};
use crate::charging_time::{Sample, Sampler};
use crate::quantity::{Minutes, Soc};
use crate::stall::{BoostedStart, Stall};

/// Width of the grid in % SoC.
const STEP: f64 = 0.1;

/// The best way on from a departure: its cost, where it goes and the SoC it arrives with.
#[derive(Clone, Copy, Debug)]
struct Onward {
    cost: f64,
    to: Node,
    arrive: f64,
}

impl Onward {
    const NONE: Self = Self { cost: f64::INFINITY, to: Node::End, arrive: 0.0 };

    fn or(self, other: Self) -> Self {
        if other.cost < self.cost { other } else { self }
    }

    fn dearer(self, other: Self) -> Self {
        if other.cost > self.cost { other } else { self }
    }

    fn plus(self, cost: f64) -> Self {
        Self { cost: self.cost + cost, ..self }
    }
}

/// The SoC values between which everything is bounded: floor to ceiling.
struct Grid {
    edges: Vec<f64>,
    /// How many cells, from the bottom, lie wholly where a charge still gets the boost.
    boosted_cells: usize,
}

impl Grid {
    fn new(problem: &Problem) -> Self {
        let (floor, ceiling) = (problem.trip.goal.floor.get(), problem.ceiling);
        let steps = ((ceiling - floor) / STEP).floor() as usize;
        let mut edges: Vec<f64> = (0..=steps).map(|step| floor + step as f64 * STEP).collect();
        edges.push(ceiling);
        edges.extend(curve_knots(problem));
        let boost_end = problem.boost_end();
        edges.extend(boost_end.iter().flat_map(|&end| [end - BOOST_MARGIN, end, end + BOOST_MARGIN]));
        edges.retain(|&edge| edge >= floor && edge <= ceiling);
        edges.sort_by(f64::total_cmp);
        edges.dedup_by(|a, b| *a - *b < SAME);
        let boosted = |end| edges.partition_point(|&edge| edge <= end + SAME).saturating_sub(1);
        Self { boosted_cells: boost_end.map_or(0, boosted), edges }
    }

    fn cells(&self) -> usize {
        self.edges.len() - 1
    }

    /// The last edge at or below a SoC.
    fn edge_below(&self, soc: f64) -> usize {
        self.edges.partition_point(|&edge| edge <= soc).saturating_sub(1)
    }

    fn cell_of(&self, soc: f64) -> usize {
        self.edge_below(soc + SAME).min(self.cells() - 1)
    }

    /// `from`, the edges and `extra` points (rising) between, and `to`.
    fn points(&self, from: f64, to: f64, extra: impl Iterator<Item = f64>) -> Vec<f64> {
        let inside = |soc: f64| soc > from + SAME && soc < to - SAME;
        let first = self.edges.partition_point(|&edge| edge <= from + SAME);
        let mut points = vec![from];
        points.extend(self.edges[first..].iter().copied().take_while(|&edge| inside(edge)));
        points.extend(extra.filter(|&soc| inside(soc)));
        points.push(to);
        points.sort_by(f64::total_cmp);
        points.dedup_by(|a, b| *a - *b < SAME);
        points
    }
}

/// The SoC values at which the car's curves have a point.
fn curve_knots(problem: &Problem) -> Vec<f64> {
    let vehicle = &problem.trip.vehicle;
    let mut knots = vehicle.charge_curve.knots();
    knots.extend(vehicle.boost.iter().flat_map(|boost| boost.charge_curve.knots()));
    knots.sort_by(f64::total_cmp);
    knots.dedup();
    knots
}

/// Departures from one site in one mode of charging, by SoC: for plans at the edge below the departure, for the bound
/// in every cell that the departure may lie in.
#[derive(Clone, Default)]
struct Departures {
    upper: Vec<Onward>,
    lower: Vec<f64>,
}

impl Departures {
    fn new(grid: &Grid) -> Self {
        Self { upper: vec![Onward::NONE; grid.edges.len()], lower: vec![f64::INFINITY; grid.cells()] }
    }

    fn offer(&mut self, edge: usize, onward: Onward) {
        self.upper[edge] = self.upper[edge].or(onward);
    }

    fn bound(&mut self, cells: [usize; 2], value: f64) {
        for cell in cells {
            self.lower[cell] = self.lower[cell].min(value);
        }
    }

    /// From "departures here" to "departures here or above".
    fn accumulate(&mut self) {
        for edge in (1..self.upper.len()).rev() {
            self.upper[edge - 1] = self.upper[edge - 1].or(self.upper[edge]);
        }
        for cell in (1..self.lower.len()).rev() {
            self.lower[cell - 1] = self.lower[cell - 1].min(self.lower[cell]);
        }
    }
}

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

/// The labels of a whole trip.
pub(crate) struct Labels {
    grid: Grid,
    sites: Vec<SiteLabels>,
}

impl Labels {
    pub(crate) fn new(problem: &Problem) -> Self {
        let grid = Grid::new(problem);
        let knots = curve_knots(problem);
        let mut labels = Self { grid, sites: vec![SiteLabels::default(); problem.sites()] };
        for node in (0..problem.sites()).rev() {
            labels.sites[node] = labels.label(problem, node, &knots);
        }
        labels
    }

    /// The departures `(site, SoC)` of the best way on from a node that is left at `depart`.
    pub(crate) fn follow(&self, problem: &Problem, from: Node, depart: f64) -> Option<Vec<(usize, f64)>> {
        let mut departures = Vec::new();
        let mut onward = self.leave(problem, from, depart)?;
        while let Node::Site(node) = onward.to {
            let next = self.arrive(problem, node, onward.arrive)?;
            let hop = problem.hop(onward.to, next.to)?;
            departures.push((node, next.arrive + hop.net));
            onward = next;
        }
        Some(departures)
    }

    /// A value of the goal that no plan can beat; infinite when there is no plan.
    pub(crate) fn lower_bound(&self, problem: &Problem) -> f64 {
        let start = problem.trip.goal.start.get();
        let bounds = problem.hops(Node::Start).iter().map(|hop| match hop.to {
            Node::Site(node) => {
                hop.minutes + problem.pure_weights(node).fixed + self.arrival_bound(problem, node, start - hop.net)
            }
            _ => hop.minutes,
        });
        bounds.fold(f64::INFINITY, f64::min)
    }

    /// The best hop out of a node that is left at exactly `depart`.
    fn leave(&self, problem: &Problem, from: Node, depart: f64) -> Option<Onward> {
        let mut best = Onward::NONE;
        for hop in problem.hops(from) {
            if depart < hop.least - SAME || depart > hop.most + SAME {
                continue;
            }
            let arrive = depart - hop.net;
            let cost = match hop.to {
                Node::Site(node) => match self.arrive(problem, node, arrive) {
                    Some(onward) => hop.minutes + problem.weights(node).fixed + onward.cost,
                    None => continue,
                },
                _ => hop.minutes,
            };
            best = best.or(Onward { cost, to: hop.to, arrive });
        }
        best.cost.is_finite().then_some(best)
    }

    /// The best way on from an arrival at a site.
    fn arrive(&self, problem: &Problem, node: usize, soc: f64) -> Option<Onward> {
        let mut walk = ArrivalWalk::new(problem, node, soc);
        let rises = walk.at(soc);
        let best = self.onward(node, self.grid.cell_of(soc), &rises);
        best.cost.is_finite().then_some(best)
    }

    fn onward(&self, node: usize, cell: usize, rises: &ArrivalRises) -> Onward {
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

    fn arrival_bound(&self, problem: &Problem, node: usize, soc: f64) -> f64 {
        let rises = ArrivalWalk::new(problem, node, soc).at(soc);
        let cell = self.grid.cell_of(soc);
        self.branches(node, cell, &rises, &rises)
            .map(|(_, rise, lower)| lower - rise.lower)
            .fold(f64::INFINITY, f64::min)
    }

    /// The ways a charge that begins in a cell may go: its cost from 0 % at both ends, and the least cost onward.
    fn branches<'r>(
        &self,
        node: usize,
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

    /// The labels of a site, from those of all later ones.
    fn label(&self, problem: &Problem, node: usize, knots: &[f64]) -> SiteLabels {
        let mut modes = [Departures::new(&self.grid), Departures::new(&self.grid)];
        for hop in problem.hops(Node::Site(node)) {
            match hop.to {
                Node::Site(next) => self.gather(problem, node, hop, next, knots, &mut modes),
                _ => self.gather_last(problem, node, hop, &mut modes),
            }
        }
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
    fn gather_last(&self, problem: &Problem, node: usize, hop: &Hop, modes: &mut [Departures; 2]) {
        if hop.least < self.grid.edges[0] {
            return;
        }
        let rises = DepartureWalk::new(problem, node, hop.least).at(hop.least);
        let edge = self.grid.edge_below(hop.least);
        let cell = self.grid.cell_of(hop.least);
        for (mode, rise) in modes.iter_mut().zip(&rises) {
            if let Some(rise) = rise {
                let onward = Onward { cost: hop.minutes + rise.upper, to: hop.to, arrive: hop.least - hop.net };
                mode.offer(edge, onward);
                mode.bound([cell, cell], hop.minutes + rise.lower);
            }
        }
    }

    /// Gathers the departures from a site along one hop.
    fn gather(
        &self,
        problem: &Problem,
        node: usize,
        hop: &Hop,
        next: usize,
        knots: &[f64],
        modes: &mut [Departures; 2],
    ) {
        let leaving_at_knots = knots.iter().map(|knot| knot - hop.net);
        let points = self.grid.points(hop.least - hop.net, hop.most - hop.net, leaving_at_knots);
        let mut departures = DepartureWalk::new(problem, node, hop.least);
        let mut arrivals = ArrivalWalk::new(problem, next, points[0]);
        let upper_fixed = hop.minutes + problem.weights(next).fixed;
        let lower_fixed = hop.minutes + problem.pure_weights(next).fixed;
        let (mut cell, mut edge) = (self.grid.cell_of(points[0]), self.grid.edge_below(hop.least));
        let mut before: Option<(f64, usize, DepartureRises, ArrivalRises)> = None;
        for &soc in &points {
            let depart = soc + hop.net;
            let (leaving, arriving) = (departures.at(depart), arrivals.at(soc));
            while edge + 1 < self.grid.edges.len() && self.grid.edges[edge + 1] <= depart {
                edge += 1;
            }
            let depart_cell = edge.min(self.grid.cells() - 1);
            if let Some((start, start_cell, left, arrived)) = &before {
                for (mode, rises) in left.iter().zip(&leaving).enumerate() {
                    let (Some(first), Some(last)) = rises else { continue };
                    let least = self
                        .branches(next, cell, arrived, &arriving)
                        .map(|(s0, s1, onward)| onward + least_difference([first, last], [s0, s1], soc - start));
                    let least = lower_fixed + least.fold(f64::INFINITY, f64::min);
                    modes[mode].bound([*start_cell, depart_cell], least);
                }
            }
            while cell + 1 < self.grid.cells() && self.grid.edges[cell + 1] <= soc + SAME {
                cell += 1;
            }
            if !problem.on_boost_margin(soc) {
                let onward = self.onward(next, cell, &arriving).cost + upper_fixed;
                for (mode, rise) in leaving.iter().enumerate() {
                    if let Some(rise) = rise {
                        modes[mode].offer(edge, Onward { cost: onward + rise.upper, to: hop.to, arrive: soc });
                    }
                }
            }
            before = Some((soc, depart_cell, leaving, arriving));
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
        let best = |upper: &[Onward]| upper.iter().fold(Onward::NONE, |best, &onward| best.or(onward));
        let edges = &self.grid.edges;
        let carried: Vec<f64> = edges[..=self.grid.boosted_cells].iter().map(|&soc| boost.carries(soc)).collect();
        let cells = carried.windows(2).enumerate().map(|(cell, carried)| {
            let whole = cell + 1..self.grid.edge_below(carried[0]).max(cell + 1);
            let touched = cell..=self.grid.cell_of(carried[1]).max(cell);
            let after = edges.partition_point(|&edge| edge < carried[1]);
            let straddling = whole.end.max(cell + 1).min(after)..after;
            BoostCell {
                during_upper: best(&boosted.upper[whole]),
                during_lower: boosted.lower[touched].iter().copied().fold(f64::INFINITY, f64::min),
                after_upper: sustained.upper.get(after).copied().unwrap_or(Onward::NONE),
                after_lower: match edges.last() {
                    Some(&ceiling) if carried[0] <= ceiling + SAME => sustained.lower[self.grid.cell_of(carried[0])],
                    _ => f64::INFINITY,
                },
                straddling_during: best(&boosted.upper[straddling.clone()]),
                straddling_after: best(&single.upper[straddling]),
                not_always: edges[cell + 1] > boost.max_start + SAME,
            }
        });
        cells.collect()
    }
}

impl BoostedStart {
    /// The SoC at which the boost of a charge from `soc` is over.
    fn carries(&self, soc: f64) -> f64 {
        self.time.soc_after(Soc::percent(soc), Minutes::new(self.minutes)).get()
    }
}

/// Cost of charging from 0 % to a departure: without the boost, and during it.
type DepartureRises = [Option<Rise>; 2];

/// Reads [`DepartureRises`] at rising SoC.
struct DepartureWalk<'a> {
    cost: SiteCost<'a>,
    sustained: Sampler<'a>,
    boosted: Option<Sampler<'a>>,
}

impl<'a> DepartureWalk<'a> {
    fn new(problem: &'a Problem, node: usize, start: f64) -> Self {
        let cost = SiteCost::new(problem, node);
        let stall = &problem.stalls[node];
        let boosted = stall.boost().map(|boost| boost.time.sampler(start));
        Self { cost, sustained: stall.sustained().sampler(start), boosted }
    }

    fn at(&mut self, soc: f64) -> DepartureRises {
        let boosted = self.boosted.as_mut().map(|sampler| sampler.advance(soc));
        [Some(self.cost.rise(soc, self.sustained.advance(soc))), boosted.map(|sample| self.cost.rise(soc, sample))]
    }
}

/// Cost of charging from 0 % to an arrival: without the boost; and, where it is had, during it and after it.
struct ArrivalRises {
    sustained: Rise,
    boosted: Option<[Rise; 2]>,
}

/// Reads [`ArrivalRises`] at rising SoC.
struct ArrivalWalk<'a> {
    cost: SiteCost<'a>,
    sustained: Sampler<'a>,
    boost: Option<BoostWalk<'a>>,
}

struct BoostWalk<'a> {
    boost: &'a BoostedStart,
    /// Highest SoC on arrival that is treated as boosted.
    end: f64,
    boosted: Sampler<'a>,
    carried_sustained: Sampler<'a>,
    carried_boosted: Sampler<'a>,
}

impl<'a> ArrivalWalk<'a> {
    fn new(problem: &'a Problem, node: usize, start: f64) -> Self {
        let stall = &problem.stalls[node];
        let boost = stall.boost().zip(problem.boost_end()).map(|(boost, end)| {
            let carried = boost.carries(start);
            BoostWalk {
                boost,
                end,
                boosted: boost.time.sampler(start),
                carried_sustained: stall.sustained().sampler(carried),
                carried_boosted: boost.time.sampler(carried),
            }
        });
        Self { cost: SiteCost::new(problem, node), sustained: stall.sustained().sampler(start), boost }
    }

    fn at(&mut self, soc: f64) -> ArrivalRises {
        let sustained = self.cost.rise(soc, self.sustained.advance(soc));
        let walk = self.boost.as_mut().filter(|walk| soc <= walk.end + SAME);
        ArrivalRises { sustained, boosted: walk.map(|walk| walk.at(soc, &self.cost)) }
    }
}

impl BoostWalk<'_> {
    fn at(&mut self, soc: f64, cost: &SiteCost) -> [Rise; 2] {
        let boosted = self.boosted.advance(soc);
        let carried = self.boost.carries(soc);
        let sustained_there = self.carried_sustained.advance(carried);
        let boosted_there = self.carried_boosted.advance(carried);
        // d b(s)/ds = P_boost(b) / P_boost(s), so the minutes saved per percent are k·P_boost(b) / (P(b)·P_boost(s)).
        let low_kw = sustained_there.low_kw * boosted.low_kw / boosted_there.high_kw;
        let high_kw = sustained_there.high_kw * boosted.high_kw / boosted_there.low_kw;
        let from_empty = sustained_there.from_empty - self.boost.minutes;
        let mut after = cost.rise(soc, Sample { from_empty, low_kw, high_kw });
        if carried >= 100.0 {
            after = Rise { upper: f64::NEG_INFINITY, lower: f64::NEG_INFINITY, ..after };
        }
        [cost.rise(soc, boosted), after]
    }
}

/// What charging at a site costs, under both sets of weights.
struct SiteCost<'a> {
    weights: Weights,
    pure: Weights,
    stall: &'a Stall,
}

impl<'a> SiteCost<'a> {
    fn new(problem: &'a Problem, node: usize) -> Self {
        Self { weights: problem.weights(node), pure: problem.pure_weights(node), stall: &problem.stalls[node] }
    }

    fn rise(&self, soc: f64, sample: Sample) -> Rise {
        let value = |weights: &Weights| weights.per_minute * sample.from_empty + weights.per_percent * soc;
        let slope = |kw| self.pure.per_minute * self.stall.sustained().minutes_per_percent(kw) + self.pure.per_percent;
        Rise {
            upper: value(&self.weights),
            lower: value(&self.pure),
            slope_low: slope(sample.high_kw),
            slope_high: slope(sample.low_kw),
        }
    }
}
