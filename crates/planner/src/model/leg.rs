//! Legs: the drives from one place where a decision is made to another, in minutes and in points of SoC.
//!
//! What the road gives back to a battery that is full is lost in the brakes. Driving from x, with `net` points lost at the
//! end and at most `returned` points above the start on the way, a car arrives with min(x, 100 − returned) − net: whoever
//! leaves with more has it cut off where the battery is full, and goes on like one who left with just so much. On the way the
//! SoC is lowest at min(x − `drawn`, 100 − `longest_draw`). (A path held below a ceiling loses as much as its highest point
//! would stand above it: the reflection of Skorokhod, from memory.)

use super::road_index::RoadIndex;

/// Two SoC values nearer than this are one.
pub(crate) const SAME: f64 = 1e-9;

/// A place where a decision is made.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Node {
    Start,
    Site(RoadIndex),
    End,
}

/// What a drive from one node to another takes, energies in % of the usable capacity.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Leg {
    pub(crate) to: Node,
    /// SoC lost from departure to arrival, for departures that are of use.
    pub(crate) net: f64,
    /// Least SoC on departure that keeps every limit on the way and on arrival.
    pub(crate) least: f64,
    /// Most SoC on departure that is of any use: within the driver's ceiling, not lost in the brakes, and no more than may
    /// be arrived with.
    pub(crate) most: f64,
    /// SoC on departure above which the rest is lost in the brakes.
    pub(crate) full: f64,
    /// Least SoC that may be arrived with, and the most: a stop has to be able to charge.
    arriving: (f64, f64),
    pub(crate) minutes: f64,
}

/// What the road between two nodes does to the battery, in points of SoC.
#[derive(Clone, Copy, Debug)]
pub(crate) struct RoadTakes {
    pub(crate) net: f64,
    pub(crate) drawn: f64,
    pub(crate) returned: f64,
    pub(crate) longest_draw: f64,
    pub(crate) minutes: f64,
}

/// What a leg has to keep.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Limits {
    /// Least SoC on arrival.
    pub(crate) floor: f64,
    /// Least SoC on the way.
    pub(crate) on_way: f64,
    /// Most SoC on departure.
    pub(crate) departure: f64,
    /// Most SoC on arrival.
    pub(crate) most_arriving: f64,
}

impl Leg {
    /// The leg to a node over a road, within limits; whether it can be driven is another question.
    pub(crate) fn new(to: Node, road: RoadTakes, limits: Limits) -> Self {
        let full = 100.0 - road.returned;
        let (for_arrival, on_way) = (limits.floor + road.net, limits.on_way + road.drawn);
        // Whoever is full on the way, however they left, has to get on from there.
        let from_full = if limits.on_way + road.longest_draw > 100.0 { limits.on_way + road.longest_draw } else { 0.0 };
        // A summit may ask for more on leaving than the valley behind it lets a battery keep.
        let wasted = if for_arrival <= full { (on_way - full).max(0.0) } else { 0.0 };
        let (full, net) = (full + wasted, road.net + wasted);
        Self {
            to,
            net,
            least: for_arrival.max(on_way).max(from_full),
            most: limits.departure.min(full).min(limits.most_arriving + net),
            full,
            arriving: (limits.floor, limits.most_arriving),
            minutes: road.minutes,
        }
    }

    /// The same leg where minutes weigh so much.
    pub(crate) fn weighing(&self, minutes: f64) -> Self {
        Self { minutes: minutes * self.minutes, ..*self }
    }

    /// SoC on arrival, for one on departure.
    pub(crate) fn arrive(&self, depart: f64) -> f64 {
        depart.min(self.full) - self.net
    }

    /// Whether a departure keeps every limit.
    pub(crate) fn allows(&self, depart: f64) -> bool {
        let (arrive, (low, high)) = (self.arrive(depart), self.arriving);
        depart >= self.least - SAME && arrive >= low - SAME && arrive <= high + SAME
    }

    /// Whether any departure within the ceiling keeps every limit.
    pub(crate) fn can_be_driven(&self) -> bool {
        self.least <= self.most
    }
}
