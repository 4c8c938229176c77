//! The whole trade of minutes against money of a trip with its clock and wishes.

use std::sync::Arc;

use jiff::ZonedDateTime;
use spare_hour_formats::{TradeReport, TripOfFile};
use spare_hour_planner::left_out::{LeftOut, in_order};
use spare_hour_planner::trade::certificate::{self, AllWithin, BestWithin, Proving};
use spare_hour_planner::trade::{ClockPlan, NoTrade, Trade, TradeTrip, plug_limit};
use spare_hour_planner::{Numbers, StopSign, Strategy, USUAL};

use crate::clock::{Here, after, at};
use crate::drive_trip::USUAL_DEPARTURE;
use crate::plan_trip::TripToPlan;

/// A trip with every plan that is worth considering.
#[derive(Clone, Debug)]
pub struct TradedTrip {
    /// The trade.
    pub trade: Trade,
    /// What is proven of its best plan,
    pub best_within: Option<BestWithin>,
    /// and of the whole of it, as far as that was tried.
    pub all_within: Option<AllWithin>,
    /// What the strategies of thumb make of it by the same clock.
    pub strategies: Vec<(Strategy, Option<ClockPlan>)>,
    /// When it leaves.
    pub departure: ZonedDateTime,
    /// Names of the pauses, by their place.
    pub pauses: Vec<String>,
    /// Sites that were left out, by identifier, and why.
    pub left_out: Vec<(String, &'static str)>,
    pub(crate) asked: TradeTrip,
    pub(crate) value_of_time_per_hour: Option<f64>,
    pub(crate) bound_in_time: bool,
}

impl TripToPlan {
    /// The trip as it is weighed by its clock, and the sites that are out of order.
    pub(crate) fn by_clock(&self) -> (TradeTrip, Vec<LeftOut>) {
        let (trip, broken) = in_order(self.trip.clone());
        let asked = TradeTrip {
            tariffs: self.prices.for_member(&trip, &self.wishes.members),
            trip: Arc::new(trip),
            departure: self.departure.clone(),
            wishes: self.wishes.clone(),
        };
        (asked, broken)
    }
}

impl TradedTrip {
    /// Weighs a trip of a file: its whole trade, or what lies around the plan that its goal asks for.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn of_file(file: &TripOfFile, here: &Here, whole: bool, stop: &StopSign) -> Result<Self, NoTrade> {
        let usual = || at(here.today(), f64::from(USUAL_DEPARTURE), here.zone().clone());
        let now = || here.now().to_zoned_datetime(here.zone().clone());
        let departure = file.departure.clone().or_else(usual).unwrap_or_else(now);
        let (trip, broken) = in_order(file.trip.clone());
        let asked =
            TradeTrip { trip: Arc::new(trip), departure, tariffs: file.tariffs.clone(), wishes: file.wishes.clone() };
        Self::of_asked(asked, &broken, file.trip.goal.value_of_time_per_hour, whole, stop)
    }

    fn of_asked(
        asked: TradeTrip,
        broken: &[LeftOut],
        value_of_time_per_hour: Option<f64>,
        whole: bool,
        stop: &StopSign,
    ) -> Result<Self, NoTrade> {
        let wishes = &asked.wishes;
        let no_plug = asked.trip.sites.iter().filter(|site| plug_limit(site, wishes).is_none());
        let mut left_out: Vec<(String, &'static str)> = no_plug.map(|site| (site.id.clone(), "no-plug-fits")).collect();
        left_out.extend(broken.iter().map(|one| (one.site().id.clone(), "out-of-order")));
        left_out.extend(wishes.avoid.iter().map(|id| (id.clone(), "avoided")));
        // The least money under a bound of minutes may be anywhere along the trade.
        let whole = whole || wishes.most_time.is_some();
        let rules = USUAL.strategies();
        let (trade, ruled) = Trade::beside(&asked, value_of_time_per_hour, whole, &rules, stop)?;
        Ok(Self {
            trade,
            strategies: rules.into_iter().zip(ruled).collect(),
            pauses: wishes.pauses.iter().map(|pause| pause.name.clone()).collect(),
            left_out,
            value_of_time_per_hour,
            bound_in_time: wishes.most_time.is_some(),
            departure: asked.departure.clone(),
            best_within: None,
            all_within: None,
            asked,
        })
    }

    /// What the strategies of thumb make of it with numbers of the driver's own.
    ///
    /// # Errors
    /// [`NoTrade::Stopped`] when nobody waits any more.
    pub fn strategies_with(
        &self,
        numbers: Numbers,
        stop: &StopSign,
    ) -> Result<Vec<(Strategy, Option<ClockPlan>)>, NoTrade> {
        let rules = numbers.strategies();
        let plans = Trade::strategies(&self.asked, &rules, self.value_of_time_per_hour, stop)?;
        Ok(rules.into_iter().zip(plans).collect())
    }

    /// Begins to prove that no plan is missing in the whole trade; `None` where that cannot be told, or told to stop.
    pub fn proving(&self, stop: &StopSign) -> Option<Proving> {
        Proving::of(&self.asked, &self.trade.plans, stop)
    }

    /// What is proven of its best plan; `None` where that cannot be told, or told to stop.
    pub fn prove_best(&self, stop: &StopSign) -> Option<BestWithin> {
        certificate::best_within(&self.asked, &self.trade.plans, self.value_of_time_per_hour, stop)
    }

    /// The same with what is proven of its best plan, and of the whole trade with so much work, where that is wanted.
    #[must_use]
    pub fn proven(mut self, steps_for_all: Option<usize>, stop: &StopSign) -> Self {
        self.best_within = self.prove_best(stop);
        let all = |steps: usize| self.proving(stop)?.within(steps, stop);
        self.all_within = steps_for_all.and_then(all);
        self
    }

    /// Weighs a kept trip, as its page plans it: its whole trade, or what lies around the plan that its goal asks for.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn of_plan(to_plan: &TripToPlan, whole: bool, stop: &StopSign) -> Result<Self, NoTrade> {
        let (asked, broken) = to_plan.by_clock();
        let value_of_time_per_hour = to_plan.trip.goal.value_of_time_per_hour;
        Self::of_asked(asked, &broken, value_of_time_per_hour, whole, stop)
    }

    /// What a file tells of it; `None` where the goal has no plan.
    pub fn report(&self, frontier: bool) -> Option<TradeReport<'_>> {
        let best = self.best()?;
        Some(TradeReport {
            strategies: self.strategies.iter().map(|(strategy, plan)| (*strategy, plan.as_ref())).collect(),
            trade: &self.trade,
            best_within: self.best_within,
            all_within: self.all_within.filter(|_| frontier),
            best,
            gap: self.gap(best),
            departure: &self.departure,
            pauses: &self.pauses,
            left_out: &self.left_out,
            frontier,
        })
    }

    /// The moment so many minutes after the departure.
    pub fn moment(&self, minutes: f64) -> Option<ZonedDateTime> {
        after(&self.departure, minutes)
    }

    /// The plan that the trip's goal asks for.
    pub fn best(&self) -> Option<&ClockPlan> {
        self.trade.best(self.value_of_time_per_hour, self.bound_in_time)
    }

    /// How far the best plan may be from the best possible, in minutes and money: what no plan can be below.
    pub fn gap(&self, plan: &ClockPlan) -> (f64, f64) {
        ((plan.total.get() - self.trade.least_minutes).max(0.0), (plan.cost - self.trade.least_money).max(0.0))
    }
}
