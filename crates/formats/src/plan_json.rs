//! Plan JSON, version 1.

use serde::Serialize;
use spare_hour_core::trip::Trip;
use spare_hour_planner::{BestPlan, Infeasible, Place, Stop, StrategyResult};

use crate::number::plain;

const FORMAT: &str = "spare-hour/plan";
const VERSION: u32 = 1;

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
    gap_min: f64,
    stops: Vec<StopFile<'a>>,
    #[serde(rename = "schools")]
    strategies: Vec<StrategyFile<'a>>,
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
}

#[derive(Serialize)]
struct StrategyFile<'a> {
    name: String,
    feasible: bool,
    total_min: Option<f64>,
    cost: Option<f64>,
    lowest_soc: Option<f64>,
    stops: Vec<StopFile<'a>>,
}

#[derive(Serialize)]
struct InfeasibleFile<'a> {
    format: &'static str,
    version: u32,
    name: &'a str,
    feasible: bool,
    gap: GapFile<'a>,
}

#[derive(Serialize)]
struct GapFile<'a> {
    from: &'a str,
    to: &'a str,
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
pub fn plan_json(trip: &Trip, best: &BestPlan, strategies: &[StrategyResult]) -> String {
    let plan = &best.plan;
    let file = PlanFile {
        format: FORMAT,
        version: VERSION,
        name: &trip.name,
        feasible: true,
        total_min: plain(plan.total.get()),
        drive_min: plain(plan.drive.get()),
        charge_min: plain(plan.charge.get()),
        overhead_min: plain(plan.overhead.get()),
        cost: plain(plan.cost),
        arrival_soc: plain(plan.arrival.get()),
        lowest_soc: plain(plan.lowest.get()),
        // Rounded up, so that the bound still holds.
        gap_min: plain((best.gap.get() * 1e4).ceil() / 1e4),
        stops: stops(trip, &plan.stops),
        strategies: strategies.iter().map(|strategy| strategy_file(trip, strategy)).collect(),
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

/// What stands in the way of a trip that cannot be driven.
pub fn infeasible_json(trip: &Trip, gap: &Infeasible) -> String {
    let site = |place: &Place| match place {
        Place::Site(index) => trip.sites.get(*index).map(|site| site.id.as_str()),
        Place::Start | Place::End => None,
    };
    let file = InfeasibleFile {
        format: FORMAT,
        version: VERSION,
        name: &trip.name,
        feasible: false,
        gap: GapFile {
            from: &gap.names.0,
            to: &gap.names.1,
            from_site: site(&gap.from),
            to_site: site(&gap.to),
            km: plain(gap.length.get()),
            needed_soc: plain(gap.needed.get()),
            available_soc: plain(gap.available.get()),
            short_soc: plain(gap.short.get()),
            short_km: plain(gap.short_distance.get()),
            message: gap.to_string(),
        },
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

fn stops<'a>(trip: &'a Trip, stops: &[Stop]) -> Vec<StopFile<'a>> {
    let stop = |stop: &Stop| {
        let site = &trip.sites[stop.site];
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
        }
    };
    stops.iter().map(stop).collect()
}

fn strategy_file<'a>(trip: &'a Trip, result: &StrategyResult) -> StrategyFile<'a> {
    let plan = result.plan.as_ref();
    StrategyFile {
        name: result.strategy.name(),
        feasible: plan.is_some(),
        total_min: plan.map(|plan| plain(plan.total.get())),
        cost: plan.map(|plan| plain(plan.cost)),
        lowest_soc: plan.map(|plan| plain(plan.lowest.get())),
        stops: plan.map_or_else(Vec::new, |plan| stops(trip, &plan.stops)),
    }
}
