//! The whole trade of minutes against money of a trip with its clock and wishes.

use std::sync::Arc;

use jiff::ZonedDateTime;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_formats::TripOfFile;
use spare_hour_planner::StopSign;
use spare_hour_planner::left_out::in_order;
use spare_hour_planner::trade::{ClockPlan, NoTrade, Trade, TradeTrip, plug_limit};

use crate::clock::{Here, after, at};
use crate::drive_trip::USUAL_DEPARTURE;
use crate::plan_trip::TripToPlan;

/// A trip with every plan that is worth considering.
#[derive(Clone, Debug)]
pub struct TradedTrip {
    /// The trade.
    pub trade: Trade,
    /// When it leaves.
    pub departure: ZonedDateTime,
    /// Names of the pauses, by their place.
    pub pauses: Vec<String>,
    /// Sites that were left out, by identifier, and why.
    pub left_out: Vec<(String, &'static str)>,
    value_of_time_per_hour: Option<f64>,
    bound_in_time: bool,
}

impl TradedTrip {
    /// Weighs a trip of a file.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn of_file(file: &TripOfFile, here: &Here, stop: &StopSign) -> Result<Self, NoTrade> {
        let usual = || at(here.today(), f64::from(USUAL_DEPARTURE), here.zone().clone());
        let now = || here.now().to_zoned_datetime(here.zone().clone());
        let departure = file.departure.clone().or_else(usual).unwrap_or_else(now);
        let (trip, broken) = in_order(file.trip.clone());
        let no_plug = trip.sites.iter().filter(|site| plug_limit(site, &file.wishes).is_none());
        let mut left_out: Vec<(String, &'static str)> = no_plug.map(|site| (site.id.clone(), "no-plug-fits")).collect();
        left_out.extend(broken.iter().map(|one| (one.site().id.clone(), "out-of-order")));
        left_out.extend(file.wishes.avoid.iter().map(|id| (id.clone(), "avoided")));
        let asked = TradeTrip {
            trip: Arc::new(trip),
            departure: departure.clone(),
            tariffs: file.tariffs.clone(),
            wishes: file.wishes.clone(),
        };
        Ok(Self {
            trade: Trade::new(&asked, stop)?,
            departure,
            pauses: file.wishes.pauses.iter().map(|pause| pause.name.clone()).collect(),
            left_out,
            value_of_time_per_hour: file.trip.goal.value_of_time_per_hour,
            bound_in_time: file.wishes.most_time.is_some(),
        })
    }

    /// Weighs a kept trip, as its page plans it.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn of_plan(to_plan: &TripToPlan, stop: &StopSign) -> Result<Self, NoTrade> {
        let (trip, broken) = in_order(to_plan.trip.clone());
        let value_of_time_per_hour = trip.goal.value_of_time_per_hour;
        let asked = TradeTrip {
            tariffs: to_plan.prices.for_file(&trip),
            trip: Arc::new(trip),
            departure: to_plan.departure.clone(),
            wishes: Wishes::default(),
        };
        Ok(Self {
            trade: Trade::new(&asked, stop)?,
            departure: asked.departure,
            pauses: Vec::new(),
            left_out: broken.iter().map(|one| (one.site().id.clone(), "out-of-order")).collect(),
            value_of_time_per_hour,
            bound_in_time: false,
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
