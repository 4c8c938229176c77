//! What charging at a site costs from 0 % to a SoC, read at rising SoC, with the slopes that the bound needs.
//!
//! Differences of these costs are what charges cost. For a departure there is one cost without the boost and one during
//! it. For an arrival at s there is one without the boost, one for charges that end during it, and one for charges that
//! go on after it: that boost takes `m` minutes and carries s to b(s), so the cost is that of b(s) less m minutes.

use crate::exact::cell_bound::Rise;
use crate::model::leg::SAME;
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;
use crate::model::stop_cost::StopCost;
use spare_hour_core::charging::charging_time::{Sample, Sampler};
use spare_hour_core::charging::stall::{BoostedStart, Stall};

/// Cost of charging from 0 % to a departure: without the boost, and during it.
pub(crate) type DepartureRises = [Option<Rise>; 2];

/// Reads [`DepartureRises`] at rising SoC.
pub(crate) struct DepartureWalk<'a> {
    cost: SiteCost<'a>,
    sustained: Sampler<'a>,
    boosted: Option<Sampler<'a>>,
}

impl<'a> DepartureWalk<'a> {
    pub(crate) fn new(problem: &'a Problem, node: RoadIndex, start: f64) -> Self {
        let cost = SiteCost::new(problem, node);
        let stall = &problem.stalls[node];
        let boosted = stall.boost().map(|boost| boost.time.sampler(start));
        Self { cost, sustained: stall.sustained().sampler(start), boosted }
    }

    pub(crate) fn at(&mut self, soc: f64) -> DepartureRises {
        let boosted = self.boosted.as_mut().map(|sampler| sampler.advance(soc));
        [Some(self.cost.rise(soc, self.sustained.advance(soc))), boosted.map(|sample| self.cost.rise(soc, sample))]
    }
}

/// Cost of charging from 0 % to an arrival: without the boost; and, where it is had, during it and after it.
#[derive(Clone, Copy)]
pub(crate) struct ArrivalRises {
    pub(crate) sustained: Rise,
    pub(crate) boosted: Option<[Rise; 2]>,
}

impl ArrivalRises {
    /// The same values with the slopes of a cell that holds the SoC.
    pub(crate) fn with_slopes_of(self, cell: &Self) -> Self {
        let take = |value: Rise, slopes: &Rise| Rise { upper: value.upper, lower: value.lower, ..*slopes };
        let boosted = match (self.boosted, &cell.boosted) {
            (Some([during, after]), Some(slopes)) => Some([take(during, &slopes[0]), take(after, &slopes[1])]),
            _ => None,
        };
        Self { sustained: take(self.sustained, &cell.sustained), boosted }
    }
}

/// Reads [`ArrivalRises`] at rising SoC.
pub(crate) struct ArrivalWalk<'a> {
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
    pub(crate) fn new(problem: &'a Problem, node: RoadIndex, start: f64) -> Self {
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

    pub(crate) fn at(&mut self, soc: f64) -> ArrivalRises {
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
            // Full before the boost is over: there is no charge that goes on after it.
            after = Rise { upper: f64::NEG_INFINITY, lower: f64::NEG_INFINITY, ..after };
        }
        [cost.rise(soc, boosted), after]
    }
}

/// What charging at a site costs, under both sets of weights.
struct SiteCost<'a> {
    weights: &'a StopCost,
    pure: &'a StopCost,
    stall: &'a Stall,
}

impl<'a> SiteCost<'a> {
    fn new(problem: &'a Problem, node: RoadIndex) -> Self {
        Self { weights: problem.cost(node), pure: problem.pure_cost(node), stall: &problem.stalls[node] }
    }

    fn rise(&self, soc: f64, sample: Sample) -> Rise {
        let value = |cost: &StopCost| cost.charge(sample.from_empty, soc);
        let slope = |kw| self.pure.per_minute * self.stall.sustained().minutes_per_percent(kw) + self.pure.per_percent;
        Rise {
            upper: value(self.weights),
            lower: value(self.pure),
            slope_low: slope(sample.high_kw),
            slope_high: slope(sample.low_kw),
        }
    }
}
