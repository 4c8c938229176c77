//! The whole trade of a trip as plan JSON: the plan that the goal asks for, and every plan that no other beats.

use jiff::{SignedDuration, ZonedDateTime};
use serde::Serialize;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::Trip;
use spare_hour_planner::Strategy;
use spare_hour_planner::trade::certificate::{AllWithin, BestWithin};
use spare_hour_planner::trade::{ClockPlan, ClockStop, Trade};

use crate::number::plain;
use crate::plan_json::{FORMAT, ReceiptLineFile, StrategyFile, VERSION, civil, receipt_lines};

/// A trade with all that is told of it in a file.
pub struct TradeReport<'a> {
    /// The trade.
    pub trade: &'a Trade,
    /// What is proven of the plan that the goal asks for,
    pub best_within: Option<BestWithin>,
    /// and of the whole trade.
    pub all_within: Option<AllWithin>,
    /// The plan that the goal asks for.
    pub best: &'a ClockPlan,
    /// How far it may be from the least minutes and the least money that any plan can have.
    pub gap: (f64, f64),
    /// When it leaves.
    pub departure: &'a ZonedDateTime,
    /// Names of the pauses.
    pub pauses: &'a [String],
    /// Sites that were left out, and why.
    pub left_out: &'a [(String, &'static str)],
    /// Whether every unbeaten plan is told too.
    pub frontier: bool,
    /// The strategies beside it.
    pub strategies: Vec<(Strategy, Option<&'a ClockPlan>)>,
}

#[derive(Serialize)]
struct TradeFile<'a> {
    format: &'static str,
    version: u32,
    name: &'a str,
    feasible: bool,
    #[serde(flatten)]
    plan: PlanFile<'a>,
    drive_min: f64,
    charge_min: f64,
    overhead_min: f64,
    wait_min: f64,
    lowest_soc: f64,
    gap_min: f64,
    proof: ProofFile,
    depart_at: String,
    arrive_at: Option<String>,
    paces: [(); 0],
    left_out: Vec<LeftOutFile<'a>>,
    #[serde(rename = "schools")]
    strategies: Vec<StrategyFile<StopFile<'a>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    frontier: Option<Vec<PlanFile<'a>>>,
}

#[derive(Serialize)]
struct ProofFile {
    of: String,
    gap_min: f64,
    gap_cost: f64,
}

#[derive(Serialize)]
struct LeftOutFile<'a> {
    site: &'a str,
    reason: &'static str,
}

#[derive(Serialize)]
struct PlanFile<'a> {
    total_min: f64,
    cost: f64,
    arrival_soc: f64,
    roadside_pauses: Vec<&'a str>,
    stops: Vec<StopFile<'a>>,
}

#[derive(Serialize)]
struct StopFile<'a> {
    site: &'a str,
    name: &'a str,
    drive_min: f64,
    arrive_soc: f64,
    depart_soc: f64,
    overhead_min: f64,
    wait_min: f64,
    charge_min: f64,
    stand_min: f64,
    plug_kwh: f64,
    cost: f64,
    arrive_at: Option<String>,
    leave_at: Option<String>,
    pause: Option<&'a str>,
    pack_c: Option<f64>,
    preheat_min: f64,
    receipt: Vec<ReceiptLineFile>,
}

/// A trade as plan JSON.
pub fn trade_json(report: &TradeReport) -> String {
    let (trip, best) = (report.trade.trip.as_ref(), report.best);
    let sum = |of: fn(&ClockStop) -> Minutes| plain(best.stops.iter().map(|stop| of(stop).get()).sum());
    let proof = proof(report);
    let frontier =
        report.frontier.then(|| report.trade.plans.iter().map(|plan| plan_file(report, trip, plan)).collect());
    let file = TradeFile {
        format: FORMAT,
        version: VERSION,
        name: &trip.name,
        feasible: true,
        plan: plan_file(report, trip, best),
        drive_min: plain(best.last_drive.get() + best.stops.iter().map(|stop| stop.drive.get()).sum::<f64>()),
        charge_min: sum(|stop| stop.charge),
        overhead_min: sum(|stop| stop.overhead),
        wait_min: sum(|stop| stop.wait),
        lowest_soc: plain(lowest(best)),
        gap_min: proof.gap_min,
        proof,
        depart_at: civil(report.departure),
        arrive_at: moment(report.departure, best.total).as_ref().map(civil),
        paces: [],
        left_out: report.left_out.iter().map(|(site, reason)| LeftOutFile { site, reason }).collect(),
        strategies: report.strategies.iter().map(|(strategy, plan)| strategy_file(report, *strategy, *plan)).collect(),
        frontier,
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

/// What is proven: of the best plan, or of the whole trade; else a bound by each measure alone.
fn proof(report: &TradeReport) -> ProofFile {
    const UNDER: &str = "by the clock, with hours, prices, pauses and waits for an opening or one of the next three falls of a price within a day; stands are left at any SoC";
    let (by_minutes, by_money) = report.gap;
    let up = |gap: f64| plain((gap * 1e4).ceil() / 1e4);
    if let Some(AllWithin { minutes, money }) = report.all_within {
        return ProofFile {
            of: format!(
                "Every plan that can be driven is matched by one of the frontier that is at most gap_min slower and gap_cost dearer, {UNDER}."
            ),
            gap_min: up(minutes),
            gap_cost: up(money),
        };
    }
    match report.best_within {
        Some(BestWithin { worth, gap }) if gap <= by_minutes || worth > 0.01 => ProofFile {
            of: match worth {
                0.0 => format!("No plan takes fewer minutes than this by more than gap_min, {UNDER}. By money alone none costs less by more than gap_cost."),
                _ => format!("No plan is better than this one by more than gap_min, where a unit of money is worth {worth} min, {UNDER}. By money alone none costs less by more than gap_cost."),
            },
            gap_min: up(gap),
            gap_cost: up(by_money),
        },
        _ => ProofFile {
            of: "No plan takes fewer minutes than these less gap_min, nor less money than this less gap_cost, each by itself: a bound that leaves hours, waits and pauses out, and takes every kWh at its cheapest. Within the trade, plans were searched on a grid and refined, which proves nothing: a boost, or a price that depends on how a charge began, keeps the search for a proof from being exact, or it would have taken too long.".into(),
            gap_min: up(by_minutes),
            gap_cost: up(by_money),
        },
    }
}

fn moment(departure: &ZonedDateTime, at: Minutes) -> Option<ZonedDateTime> {
    departure.checked_add(SignedDuration::from_secs((60.0 * at.get()).round() as i64)).ok()
}

fn strategy_file<'a>(
    report: &TradeReport<'a>,
    strategy: Strategy,
    plan: Option<&ClockPlan>,
) -> StrategyFile<StopFile<'a>> {
    let trip = report.trade.trip.as_ref();
    StrategyFile {
        name: strategy.name(),
        feasible: plan.is_some(),
        total_min: plan.map(|plan| plain(plan.total.get())),
        cost: plan.map(|plan| plain(plan.cost)),
        lowest_soc: plan.map(|plan| plain(lowest(plan))),
        stops: plan.map(|plan| plan_file(report, trip, plan).stops).unwrap_or_default(),
    }
}

/// The least SoC on an arrival.
fn lowest(plan: &ClockPlan) -> f64 {
    plan.stops.iter().map(|stop| stop.arrive.get()).fold(plan.arrival.get(), f64::min)
}

fn plan_file<'a>(report: &TradeReport<'a>, trip: &'a Trip, plan: &ClockPlan) -> PlanFile<'a> {
    let name = |pause: usize| report.pauses.get(pause).map(String::as_str);
    let stop = |stop: &ClockStop| {
        let site = trip.site(stop.site);
        let at = |minute: Minutes| moment(report.departure, minute).as_ref().map(civil);
        let stood = stop.leaves.get() - stop.reached.get();
        StopFile {
            site: &site.id,
            name: &site.name,
            drive_min: plain(stop.drive.get()),
            arrive_soc: plain(stop.arrive.get()),
            depart_soc: plain(stop.depart.get()),
            overhead_min: plain(stop.overhead.get()),
            wait_min: plain(stop.wait.get()),
            charge_min: plain(stop.charge.get()),
            stand_min: plain((stood - stop.overhead.get() - stop.wait.get() - stop.charge.get()).max(0.0)),
            plug_kwh: plain(stop.plug.get()),
            cost: plain(stop.cost),
            arrive_at: at(stop.reached),
            leave_at: at(stop.leaves),
            pause: stop.pause.and_then(name),
            pack_c: None,
            preheat_min: 0.0,
            receipt: stop.receipt.as_ref().map(receipt_lines).unwrap_or_default(),
        }
    };
    PlanFile {
        total_min: plain(plan.total.get()),
        cost: plain(plan.cost),
        arrival_soc: plain(plan.arrival.get()),
        roadside_pauses: plan.roadside.iter().filter_map(|&pause| name(pause)).collect(),
        stops: plan.stops.iter().map(stop).collect(),
    }
}
