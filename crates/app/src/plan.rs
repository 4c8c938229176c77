//! `spare-hour plan`: the best plan of a trip as JSON or as tables for people.

use std::fmt::Write;
use std::path::PathBuf;

use clap::Args;
use spare_hour_core::trip::Trip;
use spare_hour_formats::{infeasible_json, plan_json, read_trip};
use spare_hour_planner::{PlanError, Planner, Reason, Stop, Why};

use crate::{Failure, print, read_file};

/// The best plan of a trip, and the strategies beside it.
#[derive(Args)]
pub(crate) struct PlanTrip {
    /// The trip, as JSON.
    trip: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl PlanTrip {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let named = |message: String| format!("{}: {message}", self.trip.display());
        let trip = read_trip(&read_file(&self.trip)?).map_err(|error| Failure::Input(named(error.to_string())))?;
        let planner = match Planner::new(&trip) {
            Ok(planner) => planner,
            Err(PlanError::Trip(error)) => return Err(Failure::Input(named(error.to_string()))),
            Err(PlanError::Infeasible(gap)) => {
                if self.json {
                    print(&infeasible_json(&trip, &gap));
                }
                return Err(Failure::Infeasible(named(gap.to_string())));
            }
        };
        print(&if self.json {
            plan_json(&trip, planner.best(), &planner.strategies())
        } else {
            tables(&trip, &planner)
        });
        Ok(())
    }
}

fn tables(trip: &Trip, planner: &Planner) -> String {
    let best = planner.best();
    let plan = &best.plan;
    let mut text = format!(
        "{}: {:.1} min door to door ({:.1} driving, {:.1} charging, {:.1} fixed), {:.2} paid, {:.1} % at the end\n\
         At most {:.2} min from the best possible.\n\n\
         Stop                        arrive  leave  charge min  plug kWh   cost  why\n",
        trip.name,
        plan.total.get(),
        plan.drive.get(),
        plan.charge.get(),
        plan.overhead.get(),
        plan.cost,
        plan.arrival.get(),
        (best.gap.get() * 100.0).ceil() / 100.0,
    );
    for (stop, reason) in plan.stops.iter().zip(planner.reasons(plan)) {
        let _ = writeln!(text, "{}  {}", row(trip, stop), why(&reason));
    }
    text.push_str("\nStrategy                total min    paid  stops  lowest SoC\n");
    for result in planner.strategies() {
        let name = result.strategy.name();
        let _ = match &result.plan {
            Some(plan) => writeln!(
                text,
                "{name:<20} {:>10.1} {:>7.2} {:>6} {:>9.1} %",
                plan.total.get(),
                plan.cost,
                plan.stops.len(),
                plan.lowest.get(),
            ),
            None => writeln!(text, "{name:<20} does not get there"),
        };
    }
    text
}

fn row(trip: &Trip, stop: &Stop) -> String {
    let name: String = trip.sites[stop.site].name.chars().take(26).collect();
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
        Why::EndNeedsIt => "just reaches the end with the wish",
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
