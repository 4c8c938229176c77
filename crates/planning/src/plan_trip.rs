//! A trip planned: the best stops among the sites that are open and in order, what they cost, what was left out and what is
//! proven. The command, the pages and their files all plan here.

use std::sync::{Arc, OnceLock};

use jiff::ZonedDateTime;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::money::receipt::Receipt;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::refused::Refused;
use spare_hour_core::trip::opening_hours::OpeningHours;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_core::trip::{Site, SiteIndex, Trip};
use spare_hour_formats::{Beside, TripOfFile, write_trip};
use spare_hour_planner::left_out::{Beginning, Closed, LeftOut, in_order};
use spare_hour_planner::trip_timeline::TripTimeline;
use spare_hour_planner::{
    AdjustedPlan, FixedDeparture, Infeasible, Plan, Planner, Proof, Reason, STRATEGIES, Stop, StopSign, Strategy,
    Unsolved,
};

use crate::clock::{Here, after, at};
use crate::drive_trip::USUAL_DEPARTURE;
use crate::price_stop::Prices;

/// A trip, what its sites ask, and when it leaves.
#[derive(Clone, Debug)]
pub struct TripToPlan {
    /// The trip.
    pub trip: Trip,
    /// What is kept of its sites' prices.
    pub prices: Prices,
    /// When it leaves.
    pub departure: ZonedDateTime,
    /// What is wished of it beside its goal, which only the plan by the clock weighs.
    pub wishes: Wishes,
}

/// What came of planning.
#[derive(Debug)]
pub enum Outcome {
    /// A plan.
    Planned(Arc<PlannedTrip>),
    /// There is none.
    Infeasible(NoPlan),
    /// Nobody waited any more.
    Stopped,
}

/// Why there is no plan.
#[derive(Debug)]
pub struct NoPlan {
    /// The trip without the sites that were left out.
    pub trip: Arc<Trip>,
    /// The leg in the way.
    pub leg: Box<Infeasible>,
    /// The sites that were left out.
    pub left_out: Vec<LeftOut>,
    /// When the trip leaves.
    pub departure: ZonedDateTime,
}

/// A planned trip, which can be asked what else there is.
pub struct PlannedTrip {
    planner: Planner,
    prices: Prices,
    departure: ZonedDateTime,
    left_out: Vec<LeftOut>,
    /// The trip with the sites that would be closed.
    whole: Arc<Trip>,
    /// What the strategies make of it, once somebody has asked.
    strategies: OnceLock<Vec<StrategyOutcome>>,
}

impl std::fmt::Debug for PlannedTrip {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("PlannedTrip").field("best", self.planner.best()).finish_non_exhaustive()
    }
}

/// What a strategy makes of a trip, by the same hours and prices.
#[derive(Clone, Debug)]
pub struct StrategyOutcome {
    /// The strategy.
    pub strategy: Strategy,
    /// Its best plan; `None` when its rule does not get there.
    pub plan: Option<Plan>,
    /// The trip that the plan is of: other sites may have been left out of it.
    pub trip: Arc<Trip>,
    /// What the plan costs, 0 without one.
    pub cost: f64,
}

impl TripToPlan {
    /// The trip of a file, which leaves when the file says, or today at the usual hour.
    ///
    /// # Errors
    /// When a price of a tariff is more than a trip may have.
    pub fn of_file(file: TripOfFile, here: &Here) -> Result<Self, Refused> {
        let usual = || at(here.today(), f64::from(USUAL_DEPARTURE), here.zone().clone());
        let departure =
            file.departure.or_else(usual).unwrap_or_else(|| here.now().to_zoned_datetime(here.zone().clone()));
        let prices = Prices::of_file(file.tariffs);
        let mut draft = file.trip.into_draft();
        prices.apply(&mut draft, &departure);
        Ok(Self { trip: Trip::new(draft)?, prices, departure, wishes: file.wishes })
    }

    /// Whether its plan depends on the clock: prices by hour, opening hours, or wishes. Then [`TradedTrip`] plans it.
    ///
    /// [`TradedTrip`]: crate::trade_trip::TradedTrip
    pub fn needs_clock(&self) -> bool {
        let has_hours = |site: &Site| matches!(site.details.hours, Some(OpeningHours::Spans(_)));
        !self.wishes.is_empty() || self.prices.one_for_many(&self.trip) || self.trip.sites.iter().any(has_hours)
    }

    /// The trip as a file that is planned alike.
    pub fn to_file(&self) -> String {
        self.file(true)
    }

    /// The same without its departure where `leaves` is false: it leaves when it is planned.
    pub fn file(&self, leaves: bool) -> String {
        let tariffs = self.prices.for_file(&self.trip);
        let wishes = (!self.wishes.is_empty()).then_some(&self.wishes);
        let departure = Some(&self.departure).filter(|_| leaves);
        write_trip(&self.trip, Beside { departure, tariffs: &tariffs, wishes })
    }

    /// Plans it, unless it is told to stop.
    pub fn plan(self, stop: &StopSign) -> Outcome {
        let Self { trip, prices, departure, .. } = self;
        let (whole, mut left_out) = in_order(trip);
        let whole = Arc::new(whole);
        let solve = |trip: &Arc<Trip>| Planner::solve(Arc::clone(trip), stop).map_err(|why| (why, Arc::clone(trip)));
        let begins = beginning(&departure);
        let (solved, closed) = begins.open_plan(Arc::clone(&whole), solve, |planner| Some(&planner.best().plan));
        left_out.extend(closed);
        match solved {
            Ok(planner) => Outcome::Planned(Arc::new(PlannedTrip {
                planner,
                prices,
                departure,
                left_out,
                whole,
                strategies: OnceLock::new(),
            })),
            Err((Unsolved::Infeasible(leg), trip)) => Outcome::Infeasible(NoPlan { trip, leg, left_out, departure }),
            Err((Unsolved::Stopped, _)) => Outcome::Stopped,
        }
    }
}

/// When a trip begins, by the week.
fn beginning(departure: &ZonedDateTime) -> Beginning {
    let weekday = departure.date().weekday().to_monday_zero_offset();
    Beginning { weekday: weekday.unsigned_abs().into(), minute: minute_of_day(departure) }
}

/// Minutes after midnight, by the clock on the wall.
pub fn minute_of_day(moment: &ZonedDateTime) -> f64 {
    let time = moment.time();
    60.0 * f64::from(time.hour()) + f64::from(time.minute()) + f64::from(time.second()) / 60.0
}

impl PlannedTrip {
    /// The trip as it was solved: without the sites that were left out.
    pub fn trip(&self) -> &Arc<Trip> {
        self.planner.trip()
    }

    /// The best plan.
    pub fn best(&self) -> &Plan {
        &self.planner.best().plan
    }

    /// The sites that were left out, and why.
    pub fn left_out(&self) -> &[LeftOut] {
        &self.left_out
    }

    /// When it leaves.
    pub fn departure(&self) -> &ZonedDateTime {
        &self.departure
    }

    /// The moment so many minutes after the departure.
    pub fn moment(&self, minutes: f64) -> Option<ZonedDateTime> {
        after(&self.departure, minutes)
    }

    /// How good the best plan is proven to be, and of which model.
    pub fn proof(&self) -> Proof {
        let closed = self.left_out.iter().filter(|one| matches!(one, LeftOut::Closed(_)));
        Proof {
            gap: self.planner.best().gap,
            sites_left_out: closed.count(),
            one_price_a_day: self.counts_money() && self.prices.one_for_many(self.trip()),
        }
    }

    fn counts_money(&self) -> bool {
        self.trip().goal.value_of_time_per_hour.is_some()
    }

    /// The best plan that leaves the named sites as told.
    pub fn with_departures(&self, fixed: &[FixedDeparture]) -> AdjustedPlan {
        self.planner.with_departures(fixed)
    }

    /// The first stop of a plan that would find its site closed: departures of a person's own may lead there then.
    pub fn first_closed(&self, plan: &Plan) -> Option<Closed> {
        beginning(&self.departure).first_closed(self.trip(), plan)
    }

    /// Why each stop of a plan is left when it is.
    pub fn reasons(&self, plan: &Plan) -> Vec<Reason> {
        self.planner.reasons(plan)
    }

    /// The receipts of a plan's stops, where their sites ask tariffs.
    pub fn receipts(&self, plan: &Plan) -> Vec<Option<(&Tariff, Receipt)>> {
        self.prices.receipts(self.trip(), plan, &self.departure)
    }

    /// What a plan costs, by receipts where there are such.
    pub fn cost(&self, plan: &Plan) -> f64 {
        self.prices.cost(self.trip(), plan, &self.departure)
    }

    /// What a stop costs: by its receipt where there is one, else by the site's own price.
    pub fn cost_of(&self, stop: &Stop, receipt: Option<&Receipt>) -> f64 {
        receipt.and_then(|receipt| receipt.total_with_vat.to_f64()).unwrap_or(stop.cost)
    }

    /// The lowest SoC of a plan's whole road, and where.
    pub fn lowest(&self, plan: &Plan) -> (Soc, Distance) {
        TripTimeline::new(self.trip(), &plan.into()).lowest
    }

    /// How many minutes more a stop takes if a neighbour at the same cabinet charges all the while; `None` where its stall
    /// has a cabinet of its own.
    pub fn beside_a_neighbour(&self, stop: &Stop) -> Option<Minutes> {
        let site = self.trip().site(stop.site);
        let shared = || Stall::beside_a_neighbour(&self.trip().vehicle, site).minutes(stop.arrive, stop.depart);
        site.details.is_shared().then(|| shared() - stop.charge)
    }

    /// What the strategies make of the trip.
    pub fn strategies(&self) -> &[StrategyOutcome] {
        self.strategies.get_or_init(|| STRATEGIES.iter().map(|&strategy| self.strategy(strategy)).collect())
    }

    fn strategy(&self, strategy: Strategy) -> StrategyOutcome {
        let mut trip = Arc::clone(&self.whole);
        let simulate = |tried: &Arc<Trip>| {
            trip = Arc::clone(tried);
            Ok::<_, ()>(Planner::strategy_on(Arc::clone(tried), strategy))
        };
        let begins = beginning(&self.departure);
        let (made, _) = begins.open_plan(Arc::clone(&self.whole), simulate, |result| result.plan.as_ref());
        let plan = made.ok().and_then(|result| result.plan);
        let cost = plan.as_ref().map_or(0.0, |plan| self.prices.cost(&trip, plan, &self.departure));
        StrategyOutcome { strategy, plan, trip, cost }
    }

    /// How much worse the best plan gets without one of the sites, by the same hours, in minutes or minutes' worth; `None`
    /// when the trip cannot be driven without it.
    pub fn worth_of_site(&self, site: SiteIndex) -> Option<Minutes> {
        let id = &self.trip().site(site).id;
        let without = Arc::new(Trip::clone(&self.whole).without_sites(|other| other.id == *id));
        let (other, _) = beginning(&self.departure).open_plan(
            without,
            |trip| Planner::new(Arc::clone(trip)),
            |planner| Some(&planner.best().plan),
        );
        let goal = |planner: &Planner| planner.goal_of(&planner.best().plan);
        Some(Minutes::new((goal(&other.ok()?) - goal(&self.planner)).max(0.0)))
    }
}
