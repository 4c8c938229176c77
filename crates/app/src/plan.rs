//! `spare-hour plan`: the best plan of a trip as JSON or as tables for people.

use std::fmt::Write;
use std::path::PathBuf;

use clap::Args;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::Trip;
use spare_hour_formats::{TradeReport, TripOfFile, infeasible_json, plan_json, read_trip_with_wishes, trade_json};
use spare_hour_planner::trade::NoTrade;
use spare_hour_planner::{Reason, Stop, StopSign, Why};
use spare_hour_planning::clock::{Here, after};
use spare_hour_planning::plan_report::plan_report;
use spare_hour_planning::plan_trip::{Outcome, PlannedTrip, TripToPlan, minute_of_day};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_planning::under_way::rest_of_file;
use spare_hour_wording::{refused, trips};

use crate::{Failure, print, read_file};

/// The best plan of a trip, and the strategies beside it.
#[derive(Args)]
pub(crate) struct PlanTrip {
    /// The trip, as JSON.
    trip: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
    /// Every plan that no other beats in both minutes and money.
    #[arg(long)]
    frontier: bool,
}

impl PlanTrip {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let named = |message: String| format!("{}: {message}", self.trip.display());
        let read = read_trip_with_wishes(&read_file(&self.trip)?);
        let file = read.map_err(|error| Failure::Input(named(error.to_string())))?;
        let file = rest_of_file(file).map_err(|refused| Failure::Input(named(refused::sentence(&refused))))?;
        let to_plan = TripToPlan::of_file(file.clone(), &Here::of_this_machine())
            .map_err(|refused| Failure::Input(named(refused::sentence(&refused))))?;
        // Version 1 has no departure: it is planned as it always was.
        let by_clock = to_plan.needs_clock() && (file.departure.is_some() || !file.wishes.is_empty());
        if self.frontier || by_clock {
            return self.trade(&file, &named);
        }
        match to_plan.plan(&StopSign::default()) {
            Outcome::Planned(planned) => {
                print(&if self.json { plan_json(&plan_report(&planned)) } else { tables(&planned) });
                Ok(())
            }
            Outcome::Infeasible(none) => {
                if self.json {
                    print(&infeasible_json(&none.trip, &none.leg, &none.left_out, &none.departure));
                }
                Err(Failure::Infeasible(named(trips::infeasible_in_full(&none.trip, &none.leg))))
            }
            Outcome::Stopped => Err(Failure::Other(anyhow::anyhow!("stopped before there was a plan"))),
        }
    }
}

/// Steps that are spent on the proof of a whole trade: two or three seconds at most.
const STEPS_OF_PROOF: usize = 3_000_000;

impl PlanTrip {
    /// The trip with its clock and wishes.
    fn trade(&self, file: &TripOfFile, named: &impl Fn(String) -> String) -> Result<(), Failure> {
        let here = Here::of_this_machine();
        let traded = match TradedTrip::of_file(file, &here, self.frontier, &StopSign::default()) {
            Ok(traded) => traded.proven(self.frontier.then_some(STEPS_OF_PROOF), &StopSign::default()),
            Err(NoTrade::Stopped) => return Err(Failure::Other(anyhow::anyhow!("stopped before there was a plan"))),
            Err(NoTrade::Infeasible) => return Err(self.no_trade(file, named, &here)),
        };
        let Some(report) = traded.report(self.frontier) else { return Err(self.no_trade(file, named, &here)) };
        print(&if self.json { trade_json(&report) } else { trade_table(&report) });
        Ok(())
    }

    /// Why there is no plan: the leg in the way, where the road itself has one; else the wishes.
    fn no_trade(&self, file: &TripOfFile, named: &impl Fn(String) -> String, here: &Here) -> Failure {
        let by_road = TripToPlan::of_file(file.clone(), here).map(|trip| trip.plan(&StopSign::default()));
        if let Ok(Outcome::Infeasible(none)) = by_road {
            if self.json {
                print(&infeasible_json(&none.trip, &none.leg, &none.left_out, &none.departure));
            }
            return Failure::Infeasible(named(trips::infeasible_in_full(&none.trip, &none.leg)));
        }
        if self.json {
            print("{\"format\": \"spare-hour/plan\", \"version\": 1, \"feasible\": false, \"stops\": []}");
        }
        let why = "no plan keeps all that is wished: hours, pauses, time at the wheel, bounds and sites to visit; leave out one";
        Failure::Infeasible(named(why.into()))
    }
}

/// A trade for people: the plan of the goal, then the trade in at most twenty lines.
fn trade_table(report: &TradeReport) -> String {
    let (best, trip) = (report.best, &report.trade.trip);
    let clock = |minute: Minutes| {
        after(report.departure, minute.get()).map_or_else(String::new, |at| at.strftime("%a %H:%M").to_string())
    };
    let mut text = format!(
        "{}: {:.1} min door to door, {:.2} paid, {:.1} % at the end\n\nStop                        here       leave      arrive  leave   kWh    cost\n",
        trip.name,
        best.total.get(),
        best.cost,
        best.arrival.get()
    );
    for stop in &best.stops {
        let pause = stop.pause.and_then(|pause| report.pauses.get(pause)).map(|name| format!("  {name}"));
        let _ = writeln!(
            text,
            "{:<26.26}  {:<9}  {:<9} {:>6.1} {:>6.1} {:>6.1} {:>7.2}{}",
            trip.site(stop.site).name,
            clock(stop.reached),
            clock(stop.leaves),
            stop.arrive.get(),
            stop.depart.get(),
            stop.plug.get(),
            stop.cost,
            pause.unwrap_or_default()
        );
    }
    if report.frontier {
        text.push_str("\nMinutes against money\n");
        let every = report.trade.plans.len().div_ceil(20).max(1);
        for plan in report.trade.plans.iter().step_by(every) {
            let _ = writeln!(text, "{:>9.1} min {:>9.2}  {} stops", plan.total.get(), plan.cost, plan.stops.len());
        }
    }
    text
}

fn tables(planned: &PlannedTrip) -> String {
    let (plan, trip) = (planned.best(), planned.trip());
    let mut text = format!(
        "{}: {:.1} min door to door ({:.1} driving, {:.1} charging, {:.1} fixed), {:.2} paid, {:.1} % at the end\n\
         {}\n{}\n\n\
         Stop                        arrive  leave  charge min  plug kWh   cost  why\n",
        trip.name,
        plan.total.get(),
        plan.drive.get(),
        plan.charge.get(),
        plan.overhead.get(),
        planned.cost(plan),
        plan.arrival.get(),
        trips::proof(&planned.proof(), trip.goal.value_of_time_per_hour.is_some()),
        trips::lowest(planned.lowest(plan), Units::default()),
    );
    for (stop, reason) in plan.stops.iter().zip(planned.reasons(plan)) {
        let _ = writeln!(text, "{}  {}", row(trip, stop), why(&reason));
    }
    for one in planned.left_out() {
        let leaves = minute_of_day(planned.departure());
        let _ = writeln!(text, "! {}", trips::left_out(one, leaves, Units::default()));
    }
    text.push_str("\nStrategy              total min    paid  stops  lowest SoC\n");
    for result in planned.strategies() {
        let name = result.strategy.name();
        let _ = match &result.plan {
            Some(plan) => writeln!(
                text,
                "{name:<20} {:>10.1} {:>7.2} {:>6} {:>9.1} %",
                plan.total.get(),
                result.cost,
                plan.stops.len(),
                plan.lowest.get(),
            ),
            None => writeln!(text, "{name:<20} does not get there"),
        };
    }
    text
}

fn row(trip: &Trip, stop: &Stop) -> String {
    let name: String = trip.site(stop.site).name.chars().take(26).collect();
    format!(
        "{name:<26} {:>6.1}% {:>5.1}% {:>11.1} {:>9.1} {:>6.2}",
        stop.arrive.get(),
        stop.depart.get(),
        stop.charge.get(),
        stop.plug.get(),
        stop.cost,
    )
}

fn why(reason: &Reason) -> String {
    let why = match reason.why {
        Why::Balanced => "a further percent costs as much here as at the next stop",
        Why::NextNeedsIt => "just reaches the next stop with the floor",
        Why::EndNeedsIt => "just reaches the end with what is wanted there",
        Why::Ceiling => "the ceiling",
        Why::Chosen => "chosen",
    };
    let points = reason.points.get();
    match (reason.next_here, reason.next_there) {
        (Some(here), Some(there)) => {
            format!(
                "{why}; the next {points:.0} % cost {:.1} min here, {:.1} at the next stop",
                here.get(),
                there.step.get()
            )
        }
        (Some(here), None) => format!("{why}; the next {points:.0} % would cost {:.1} min", here.get()),
        (None, _) => why.into(),
    }
}
