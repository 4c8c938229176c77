//! Plan JSON, version 1.

use jiff::ZonedDateTime;
use serde::Serialize;
use spare_hour_core::money::receipt::Receipt;
use spare_hour_core::money::tariff::Kind;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::Trip;
use spare_hour_planner::left_out::LeftOut;
use spare_hour_planner::{Infeasible, Place, Plan, Proof, Stop, Strategy};
use spare_hour_wording::trips;

use crate::number::plain;

pub(crate) const FORMAT: &str = "spare-hour/plan";
pub(crate) const VERSION: u32 = 1;

/// A plan with all that is told of it in a file.
pub struct PlanReport<'a> {
    /// The trip as it was planned.
    pub trip: &'a Trip,
    /// The plan.
    pub plan: &'a Plan,
    /// What is proven of it.
    pub proof: Proof,
    /// What it costs.
    pub cost: f64,
    /// When it leaves.
    pub departure: &'a ZonedDateTime,
    /// More of each stop.
    pub stops: Vec<StopReport>,
    /// The lowest SoC of the road, and where.
    pub lowest: (Soc, Distance),
    /// The sites that were left out.
    pub left_out: &'a [LeftOut],
    /// The strategies beside it.
    pub strategies: Vec<StrategyReport<'a>>,
}

/// What is told of a stop beside the plan.
pub struct StopReport {
    /// When the car arrives at the stall, and when it leaves.
    pub times: Option<(ZonedDateTime, ZonedDateTime)>,
    /// Its receipt, where the site asks a tariff.
    pub receipt: Option<Receipt>,
    /// Minutes more if a neighbour at the same cabinet charges all the while.
    pub beside_a_neighbour: Option<Minutes>,
    /// What it costs.
    pub cost: f64,
}

/// A strategy beside a plan.
pub struct StrategyReport<'a> {
    /// The strategy.
    pub strategy: Strategy,
    /// Its plan and the trip that it is of; `None` when its rule does not get there.
    pub plan: Option<(&'a Trip, &'a Plan)>,
    /// What it costs.
    pub cost: f64,
}

#[derive(Serialize)]
struct PlanFile<'a> {
    format: &'static str,
    version: u32,
    name: &'a str,
    feasible: bool,
    total_min: f64,
    drive_min: f64,
    charge_min: f64,
    overhead_min: f64,
    cost: f64,
    arrival_soc: f64,
    lowest_soc: f64,
    lowest_on_way_soc: f64,
    lowest_on_way_km: f64,
    gap_min: f64,
    proof: ProofFile,
    depart_at: String,
    arrive_at: Option<String>,
    stops: Vec<StopFile<'a>>,
    left_out: Vec<LeftOutFile<'a>>,
    #[serde(rename = "schools")]
    strategies: Vec<StrategyFile<StopFile<'a>>>,
}

#[derive(Serialize)]
struct ProofFile {
    of: String,
    gap_min: f64,
    sites_left_out: usize,
    one_price_a_day: bool,
}

#[derive(Serialize)]
struct LeftOutFile<'a> {
    site: &'a str,
    reason: &'static str,
    reached_min: Option<f64>,
    opens_after_min: Option<f64>,
    message: String,
}

#[derive(Serialize)]
struct StopFile<'a> {
    site: &'a str,
    name: &'a str,
    drive_min: f64,
    arrive_soc: f64,
    depart_soc: f64,
    charge_min: f64,
    overhead_min: f64,
    plug_kwh: f64,
    cost: f64,
    #[serde(skip_serializing_if = "Option::is_none")]
    arrive_at: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    leave_at: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    neighbour_min: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    receipt: Option<Vec<ReceiptLineFile>>,
}

#[derive(Serialize)]
pub(crate) struct ReceiptLineFile {
    what: &'static str,
    volume: String,
    price: String,
    amount: String,
}

/// What a strategy makes of the trip, with stops by the road or by the clock.
#[derive(Serialize)]
pub(crate) struct StrategyFile<Stop> {
    pub(crate) name: String,
    pub(crate) feasible: bool,
    pub(crate) total_min: Option<f64>,
    pub(crate) cost: Option<f64>,
    pub(crate) lowest_soc: Option<f64>,
    pub(crate) stops: Vec<Stop>,
}

#[derive(Serialize)]
struct InfeasibleFile<'a> {
    format: &'static str,
    version: u32,
    name: &'a str,
    feasible: bool,
    gap: GapFile<'a>,
    left_out: Vec<LeftOutFile<'a>>,
}

#[derive(Serialize)]
struct GapFile<'a> {
    from: String,
    to: String,
    from_site: Option<&'a str>,
    to_site: Option<&'a str>,
    km: f64,
    needed_soc: f64,
    available_soc: f64,
    short_soc: f64,
    short_km: f64,
    message: String,
}

/// The plan of a trip, with the strategies beside it.
pub fn plan_json(report: &PlanReport) -> String {
    let PlanReport { trip, plan, proof, .. } = report;
    // Rounded up, so that the bound still holds.
    let gap_min = plain((proof.gap.get() * 1e4).ceil() / 1e4);
    let leaves = minute_of(report.departure);
    let file = PlanFile {
        format: FORMAT,
        version: VERSION,
        name: &trip.name,
        feasible: true,
        total_min: plain(plan.total.get()),
        drive_min: plain(plan.drive.get()),
        charge_min: plain(plan.charge.get()),
        overhead_min: plain(plan.overhead.get()),
        cost: plain(report.cost),
        arrival_soc: plain(plan.arrival.get()),
        lowest_soc: plain(plan.lowest.get()),
        lowest_on_way_soc: plain(report.lowest.0.get()),
        lowest_on_way_km: plain(report.lowest.1.get()),
        gap_min,
        proof: ProofFile {
            of: trips::proof(proof, trip.goal.value_of_time_per_hour.is_some()),
            gap_min,
            sites_left_out: proof.sites_left_out,
            one_price_a_day: proof.one_price_a_day,
        },
        depart_at: civil(report.departure),
        arrive_at: after(report.departure, plan.total).as_ref().map(civil),
        stops: plan.stops.iter().zip(&report.stops).map(|(stop, more)| reported_stop(trip, stop, more)).collect(),
        left_out: report.left_out.iter().map(|one| left_out_file(one, leaves)).collect(),
        strategies: report.strategies.iter().map(strategy_file).collect(),
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

/// What stands in the way of a trip that cannot be driven.
pub fn infeasible_json(trip: &Trip, leg: &Infeasible, left_out: &[LeftOut], departure: &ZonedDateTime) -> String {
    let site = |place: &Place| match place {
        Place::Site(index) => Some(trip.site(*index).id.as_str()),
        Place::Start | Place::End => None,
    };
    let leaves = minute_of(departure);
    let file = InfeasibleFile {
        format: FORMAT,
        version: VERSION,
        name: &trip.name,
        feasible: false,
        gap: GapFile {
            from: trips::place_in_full(trip, &leg.from),
            to: trips::place_in_full(trip, &leg.to),
            from_site: site(&leg.from),
            to_site: site(&leg.to),
            km: plain(leg.length.get()),
            needed_soc: plain(leg.needed.get()),
            available_soc: plain(leg.available.get()),
            short_soc: plain(leg.short.get()),
            short_km: plain(leg.short_distance.get()),
            message: trips::infeasible_in_full(trip, leg),
        },
        left_out: left_out.iter().map(|one| left_out_file(one, leaves)).collect(),
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

fn left_out_file(one: &LeftOut, leaves: f64) -> LeftOutFile<'_> {
    let (reason, closed) = match one {
        LeftOut::Closed(closed) => ("closed", Some(closed)),
        LeftOut::OutOfOrder(_) => ("out-of-order", None),
    };
    LeftOutFile {
        site: &one.site().id,
        reason,
        reached_min: closed.map(|closed| plain(closed.reached.get())),
        opens_after_min: closed.and_then(|closed| closed.opens_after).map(|wait| plain(wait.get())),
        message: trips::left_out(one, leaves, Units::default()),
    }
}

fn reported_stop<'a>(trip: &'a Trip, stop: &Stop, more: &StopReport) -> StopFile<'a> {
    StopFile {
        cost: plain(more.cost),
        arrive_at: more.times.as_ref().map(|times| civil(&times.0)),
        leave_at: more.times.as_ref().map(|times| civil(&times.1)),
        neighbour_min: more.beside_a_neighbour.map(|minutes| plain(minutes.get())),
        receipt: more.receipt.as_ref().map(receipt_lines),
        ..stop_file(trip, stop)
    }
}

pub(crate) fn receipt_lines(receipt: &Receipt) -> Vec<ReceiptLineFile> {
    let line = |line: &spare_hour_core::money::receipt::Line| ReceiptLineFile {
        what: match line.kind {
            Kind::Flat => "flat",
            Kind::Energy => "energy",
            Kind::Time => "time",
            Kind::Parking => "parking",
        },
        volume: line.volume.to_string(),
        price: line.price.to_string(),
        amount: line.with_vat.to_string(),
    };
    let adjustment = (!receipt.adjustment.is_zero()).then(|| ReceiptLineFile {
        what: "minimum or maximum",
        volume: "1".into(),
        price: receipt.adjustment.to_string(),
        amount: receipt.adjustment.to_string(),
    });
    receipt.lines.iter().map(line).chain(adjustment).collect()
}

fn stop_file<'a>(trip: &'a Trip, stop: &Stop) -> StopFile<'a> {
    let site = trip.site(stop.site);
    StopFile {
        site: &site.id,
        name: &site.name,
        drive_min: plain(stop.drive.get()),
        arrive_soc: plain(stop.arrive.get()),
        depart_soc: plain(stop.depart.get()),
        charge_min: plain(stop.charge.get()),
        overhead_min: plain(stop.overhead.get()),
        plug_kwh: plain(stop.plug.get()),
        cost: plain(stop.cost),
        arrive_at: None,
        leave_at: None,
        neighbour_min: None,
        receipt: None,
    }
}

fn strategy_file<'a>(report: &StrategyReport<'a>) -> StrategyFile<StopFile<'a>> {
    let plan = report.plan.map(|(_, plan)| plan);
    let stops = report.plan.map(|(trip, plan)| plan.stops.iter().map(|stop| stop_file(trip, stop)).collect());
    StrategyFile {
        name: report.strategy.name(),
        feasible: plan.is_some(),
        total_min: plan.map(|plan| plain(plan.total.get())),
        cost: plan.map(|_| plain(report.cost)),
        lowest_soc: plan.map(|plan| plain(plan.lowest.get())),
        stops: stops.unwrap_or_default(),
    }
}

/// A moment as civil time with its offset, to the second.
pub(crate) fn civil(moment: &ZonedDateTime) -> String {
    moment.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()
}

fn after(moment: &ZonedDateTime, minutes: Minutes) -> Option<ZonedDateTime> {
    moment.checked_add(jiff::SignedDuration::from_secs((60.0 * minutes.get()).round() as i64)).ok()
}

fn minute_of(moment: &ZonedDateTime) -> f64 {
    60.0 * f64::from(moment.hour()) + f64::from(moment.minute())
}
