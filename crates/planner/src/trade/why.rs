//! Why a plan by the clock leaves each stall when it does, and waits where it waits: the two numbers that are compared.

use spare_hour_core::quantity::{Minutes, Soc};

use super::clock_trip::ClockTrip;
use super::{ClockPlan, ClockStop, TradeTrip};
use crate::StopSign;
use crate::model::road_index::RoadIndex;

/// Points of SoC whose minutes are compared here and at the next stop.
pub const COMPARED: f64 = 5.0;

/// Why a stop is as it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WhyLeave {
    /// Minutes that the next five points would take here; `None` where the battery is full before, or nothing was charged.
    pub here: Option<Minutes>,
    /// Minutes that the first five points take at the next stop where one charges; `None` where there is none.
    pub there: Option<Minutes>,
    /// What was waited for before plugging in.
    pub waits: Option<WaitsFor>,
}

/// What a plan waits for at a stall.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum WaitsFor {
    /// The site opens.
    Opening,
    /// A kWh is cheaper then: what it asks on arriving and when the charge begins, VAT included.
    Price {
        /// On arriving.
        arriving: f64,
        /// When the charge begins.
        then: f64,
    },
}

/// Why each stop of a plan is as it is; `None` when told to stop.
pub fn why_each(trip: &TradeTrip, plan: &ClockPlan, stop: &StopSign) -> Option<Vec<WhyLeave>> {
    let clock = ClockTrip::new(trip, stop)?;
    let charges = |stop: &&ClockStop| stop.plug.get() > 0.0;
    let node = |stop: &ClockStop| clock.problem.node_of(stop.site);
    let why = |(index, at): (usize, &ClockStop)| {
        let here = node(at).filter(|_| charges(&at)).and_then(|node| five(&clock, node, at.depart));
        let next = plan.stops[index + 1..].iter().find(charges);
        // In a pause minutes are there anyway.
        let next = next.filter(|next| at.pause.is_none() && next.pause.is_none());
        let there = next.and_then(|next| five(&clock, node(next)?, next.arrive));
        WhyLeave { here, there, waits: node(at).and_then(|node| waits_for(&clock, node, at)) }
    };
    Some(plan.stops.iter().enumerate().map(why).collect())
}

/// Minutes of five points from a SoC on.
fn five(clock: &ClockTrip, node: RoadIndex, from: Soc) -> Option<Minutes> {
    let to = from.get() + COMPARED;
    (to <= clock.problem.ceiling).then(|| clock.problem.stalls[node].minutes(from, Soc::percent(to)))
}

fn waits_for(clock: &ClockTrip, node: RoadIndex, at: &ClockStop) -> Option<WaitsFor> {
    if at.wait.get() < 0.05 {
        return None;
    }
    let (ready, site) = ((at.reached + at.overhead).get(), &clock.sites[node]);
    let open = site.open_from(ready).is_some_and(|(opens, _)| opens <= ready + 1e-6);
    if !open {
        return Some(WaitsFor::Opening);
    }
    let begins = ready + at.wait.get();
    Some(WaitsFor::Price { arriving: site.price.per_kwh_at(ready), then: site.price.per_kwh_at(begins) })
}
