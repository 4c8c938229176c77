//! The best ways on from one site, by the SoC on leaving it.

use crate::exact::grid::Grid;
use crate::model::leg::Node;

/// The best way on from a departure: its cost, where it goes and the SoC it arrives with.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Onward {
    pub(crate) cost: f64,
    pub(crate) to: Node,
    pub(crate) arrive: f64,
}

impl Onward {
    pub(crate) const NONE: Self = Self { cost: f64::INFINITY, to: Node::End, arrive: 0.0 };

    pub(crate) fn or(self, other: Self) -> Self {
        if other.cost < self.cost { other } else { self }
    }

    pub(crate) fn dearer(self, other: Self) -> Self {
        if other.cost > self.cost { other } else { self }
    }

    pub(crate) fn plus(self, cost: f64) -> Self {
        Self { cost: self.cost + cost, ..self }
    }
}

/// Departures from one site in one mode of charging: for plans at the edge below the departure, for the bound in every
/// cell that the departure may lie in.
#[derive(Clone, Default)]
pub(crate) struct Departures {
    pub(crate) upper: Vec<Onward>,
    pub(crate) lower: Vec<f64>,
}

impl Departures {
    pub(crate) fn new(grid: &Grid) -> Self {
        Self { upper: vec![Onward::NONE; grid.edges.len()], lower: vec![f64::INFINITY; grid.cells()] }
    }

    pub(crate) fn offer(&mut self, edge: usize, onward: Onward) {
        self.upper[edge] = self.upper[edge].or(onward);
    }

    pub(crate) fn bound(&mut self, cells: [usize; 2], value: f64) {
        for cell in cells {
            self.lower[cell] = self.lower[cell].min(value);
        }
    }

    /// From "departures here" to "departures here or above".
    pub(crate) fn accumulate(&mut self) {
        for edge in (1..self.upper.len()).rev() {
            self.upper[edge - 1] = self.upper[edge - 1].or(self.upper[edge]);
        }
        for cell in (1..self.lower.len()).rev() {
            self.lower[cell - 1] = self.lower[cell - 1].min(self.lower[cell]);
        }
    }
}
