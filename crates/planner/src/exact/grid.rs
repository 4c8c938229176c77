//! The SoC values, floor to ceiling, between which the planner bounds every cost.

use crate::model::leg::SAME;
use crate::model::problem::{BOOST_MARGIN, Problem};
use spare_hour_core::charging::profile::Profile;

/// Width of the grid in % SoC where plans are looked for.
pub(crate) const FINE_STEP: f64 = 0.1;

/// Edges every so many points, at every point of the car's curves, and around the highest SoC that still gets a boost.
pub(crate) struct Grid {
    pub(crate) edges: Vec<f64>,
    /// How many cells, from the bottom, lie wholly where a charge still gets the boost.
    pub(crate) boosted_cells: usize,
    /// The SoC values at which the car's curves have a point.
    knots: Vec<f64>,
}

/// A SoC at which something is tried.
#[derive(Clone, Copy)]
pub(crate) struct Point {
    pub(crate) soc: f64,
    /// The edge that it is, if it is one.
    pub(crate) edge: Option<usize>,
    /// The cell that begins at it or holds it.
    pub(crate) cell: usize,
}

impl Grid {
    pub(crate) fn new(problem: &Problem, step: f64) -> Self {
        let (floor, ceiling) = (problem.lowest(), problem.ceiling);
        let knots = curve_knots(problem);
        let steps = ((ceiling - floor) / step).floor() as usize;
        let mut edges: Vec<f64> = (0..=steps).map(|count| floor + count as f64 * step).collect();
        edges.push(ceiling);
        edges.extend(&knots);
        let boost_end = problem.boost_end();
        edges.extend(boost_end.iter().flat_map(|&end| [end - BOOST_MARGIN, end, end + BOOST_MARGIN]));
        edges.retain(|&edge| edge >= floor && edge <= ceiling);
        edges.sort_by(f64::total_cmp);
        edges.dedup_by(|a, b| *a - *b < SAME);
        let boosted = |end| edges.partition_point(|&edge| edge <= end + SAME).saturating_sub(1);
        Self { boosted_cells: boost_end.map_or(0, boosted), edges, knots }
    }

    pub(crate) fn cells(&self) -> usize {
        self.edges.len() - 1
    }

    /// The last edge at or below a SoC.
    pub(crate) fn edge_below(&self, soc: f64) -> usize {
        self.edges.partition_point(|&edge| edge <= soc).saturating_sub(1)
    }

    /// The last edge at or below a SoC, which is at or above the given edge and near it.
    pub(crate) fn climb(&self, from: usize, soc: f64) -> usize {
        from + self.edges[from + 1..].iter().take_while(|&&edge| edge <= soc).count()
    }

    pub(crate) fn cell_of(&self, soc: f64) -> usize {
        self.edge_below(soc + SAME).min(self.cells() - 1)
    }

    /// The arrivals to try along a leg that loses `net` percent: both ends, every edge between, and every SoC that
    /// leaves the site before at a point of the car's curves, so that a cliff can be left at the cliff. Rising.
    pub(crate) fn arrivals(&self, from: f64, to: f64, net: f64) -> Vec<Point> {
        let mut points = vec![self.point(from)];
        let mut knots = self.knots.iter().map(|knot| knot - net).filter(|&soc| soc > from + SAME).peekable();
        let first = self.edges.partition_point(|&edge| edge <= from + SAME);
        for edge in (first..self.edges.len()).take_while(|&edge| self.edges[edge] < to - SAME) {
            let soc = self.edges[edge];
            while let Some(knot) = knots.next_if(|&knot| knot < soc - SAME) {
                points.push(self.point(knot));
            }
            while knots.next_if(|&knot| knot <= soc + SAME).is_some() {}
            points.push(Point { soc, edge: Some(edge), cell: edge.min(self.cells() - 1) });
        }
        points.extend(knots.take_while(|&knot| knot < to - SAME).map(|knot| self.point(knot)));
        if to > from + SAME {
            points.push(self.point(to));
        }
        points
    }

    fn point(&self, soc: f64) -> Point {
        let below = self.edge_below(soc + SAME);
        let edge = ((self.edges[below] - soc).abs() <= SAME).then_some(below);
        Point { soc, edge, cell: below.min(self.cells() - 1) }
    }
}

fn curve_knots(problem: &Problem) -> Vec<f64> {
    let vehicle = &problem.trip.vehicle;
    let mut knots = vehicle.charge_curve.knots();
    knots.extend(vehicle.boost.iter().flat_map(|boost| boost.charge_curve.knots()));
    let charges = problem.trip.sites.iter().filter_map(|site| site.details.charging.as_ref());
    knots.extend(charges.flat_map(Profile::knots));
    knots.sort_by(f64::total_cmp);
    knots.dedup();
    knots
}
