//! The plan of a trip that a person is shown: by the clock where the trip goes by it, else by the road; with the departures that
//! the person holds, and the best plan beside it.

use std::sync::Arc;

use jiff::ZonedDateTime;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::{SiteIndex, Trip};
use spare_hour_planner::trade::why::COMPARED;
use spare_hour_planner::trade::{ClockPlan, ClockStop, NoTrade, Trade};
use spare_hour_planner::trip_timeline::TripTimeline;
use spare_hour_planner::{FixedDeparture, Plan, StopSign, Strategy};

use crate::clock::after;
use crate::plan_trip::PlannedTrip;
use crate::trade_trip::TradedTrip;

/// Departures that a person holds: site and SoC.
pub type Held = Vec<(String, Soc)>;

/// A plan with what it is told with.
#[derive(Clone, Debug)]
pub struct ShownPlan {
    /// The trip as it was planned.
    pub trip: Arc<Trip>,
    /// When it leaves.
    pub departure: ZonedDateTime,
    /// Names of the pauses, by their place.
    pub pauses: Vec<String>,
    /// The plan that is shown,
    pub plan: ClockPlan,
    /// and the best.
    pub best: ClockPlan,
    /// The tariffs of its stops, where their sites ask one.
    pub tariffs: Vec<Option<Tariff>>,
    /// The same plan as the planner by the road tells it, where that planned it.
    pub by_road: Option<Plan>,
    /// The departures that it holds,
    pub held: Held,
    /// and those that it cannot.
    pub dropped: Held,
}

impl ShownPlan {
    /// A plan by the road.
    pub fn by_road(planned: &PlannedTrip, leave: &[(String, Soc)]) -> Self {
        let trip = planned.trip();
        let fixed = |(id, depart): &(String, Soc)| Some(FixedDeparture { site: trip.find_site(id)?, depart: *depart });
        let mut fixed: Vec<FixedDeparture> = leave.iter().filter_map(fixed).collect();
        fixed.sort_by(|a, b| trip.site(a.site).at.get().total_cmp(&trip.site(b.site).at.get()));
        let adjusted = planned.with_departures(&fixed);
        let named = |one: &FixedDeparture| (trip.site(one.site).id.clone(), one.depart);
        Self {
            departure: planned.departure().clone(),
            pauses: Vec::new(),
            tariffs: planned
                .receipts(&adjusted.plan)
                .iter()
                .map(|asked| asked.as_ref().map(|asked| asked.0.clone()))
                .collect(),
            plan: planned.with_receipts(&adjusted.plan),
            best: planned.with_receipts(planned.best()),
            held: fixed.iter().filter(|one| !adjusted.dropped.contains(one)).map(named).collect(),
            dropped: adjusted.dropped.iter().map(named).collect(),
            by_road: Some(adjusted.plan),
            trip: Arc::clone(trip),
        }
    }

    /// A plan by the clock: the best of its goal, or one of the trade by its place, or the best that holds departures of a
    /// person's own. `None` where the goal has none, or told to stop.
    pub fn by_clock(
        traded: &TradedTrip,
        leave: &[(String, Soc)],
        pick: Option<usize>,
        stop: &StopSign,
    ) -> Option<Self> {
        let best = traded.best()?;
        let known = |(id, _): &&(String, Soc)| traded.trade.trip.find_site(id).is_some();
        let mut held: Held = leave.iter().filter(known).cloned().collect();
        let mut dropped = Held::new();
        let mut plan = None;
        // What cannot be held beside the others is let go, the last first.
        while !held.is_empty() && plan.is_none() && !stop.is_raised() {
            plan = traded.holding(&held, stop).ok();
            if plan.is_none() {
                dropped.extend(held.pop());
            }
        }
        let picked = || pick.and_then(|place| traded.trade.plans.get(place)).cloned();
        let plan = plan.or_else(picked).unwrap_or_else(|| best.clone());
        let trip = &traded.trade.trip;
        let tariff = |stop: &ClockStop| {
            let asked = traded.asked.tariffs.iter().find(|(site, _)| *site == trip.site(stop.site).id);
            asked.map(|(_, tariff)| tariff.clone())
        };
        Some(Self {
            tariffs: plan.stops.iter().map(tariff).collect(),
            by_road: None,
            trip: Arc::clone(trip),
            departure: traded.departure.clone(),
            pauses: traded.pauses.clone(),
            plan,
            best: best.clone(),
            held,
            dropped,
        })
    }

    /// The moment so many minutes after it leaves.
    pub fn moment(&self, minutes: f64) -> Option<ZonedDateTime> {
        after(&self.departure, minutes)
    }

    /// The lowest SoC of the whole road, and where.
    pub fn lowest(&self) -> (Soc, Distance) {
        TripTimeline::new(&self.trip, &self.plan).lowest
    }

    /// Minutes that the next five points would take at a stop, and the first five at the next one; `None` where one stands for a
    /// pause anyway, where the battery is full before, or where no charge follows.
    pub fn compared(&self, stop: usize) -> Option<(Minutes, Minutes)> {
        let here = self.plan.stops.get(stop).filter(|here| here.pause.is_none() && here.plug.get() > 0.0)?;
        let next = self.plan.stops[stop + 1..].iter().find(|next| next.plug.get() > 0.0);
        let next = next.filter(|next| next.pause.is_none())?;
        let five = |site: SiteIndex, from: Soc| {
            let to = Soc::percent(from.get() + COMPARED);
            let stall = Stall::new(&self.trip.vehicle, self.trip.site(site));
            (to <= self.trip.goal.ceiling).then(|| stall.minutes(from, to))
        };
        Some((five(here.site, here.depart)?, five(next.site, next.arrive)?))
    }

    /// Whether a person holds the departure of a site.
    pub fn holds(&self, site: &str) -> bool {
        self.held.iter().any(|(id, _)| id == site)
    }
}

impl PlannedTrip {
    /// A plan with the receipts of its stops, and what they come to.
    pub fn with_receipts(&self, plan: &Plan) -> ClockPlan {
        let mut with = ClockPlan::from(plan);
        for ((stop, own), receipt) in with.stops.iter_mut().zip(&plan.stops).zip(self.receipts(plan)) {
            stop.receipt = receipt.map(|(_, receipt)| receipt);
            stop.cost = self.cost_of(own, stop.receipt.as_ref());
        }
        with.cost = self.cost(plan);
        with
    }

    /// What the strategies make of the trip, with what that costs by receipts.
    pub fn strategies_with_costs(&self) -> Vec<(Strategy, Option<ClockPlan>)> {
        let of = |one: &crate::plan_trip::StrategyOutcome| {
            let plan = one.plan.as_ref().map(|plan| ClockPlan { cost: one.cost, ..ClockPlan::from(plan) });
            (one.strategy, plan)
        };
        self.strategies().iter().map(of).collect()
    }
}

impl TradedTrip {
    /// The best plan that stops at sites and leaves them with so much.
    ///
    /// # Errors
    /// [`NoTrade`] when there is none, or nobody waits any more.
    fn holding(&self, leave: &[(String, Soc)], stop: &StopSign) -> Result<ClockPlan, NoTrade> {
        let mut asked = self.asked.clone();
        for (site, soc) in leave {
            asked.wishes.hold(site, *soc);
        }
        let trade = Trade::near_best(&asked, self.value_of_time_per_hour, stop)?;
        trade.best(self.value_of_time_per_hour, self.bound_in_time).cloned().ok_or(NoTrade::Infeasible)
    }
}
