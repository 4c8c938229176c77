//! `spare-hour advise`: leave now, or wait?

use std::fmt::Write;
use std::path::PathBuf;

use clap::Args;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::Session;
use spare_hour_formats::{TripOfFile, advice_json, read_session_csv, read_trip_with_wishes};
use spare_hour_planner::{Advice, StopSign};
use spare_hour_planning::advise::{NoAdvice, advise};
use spare_hour_planning::clock::Here;
use spare_hour_planning::plan_trip::TripToPlan;
use spare_hour_planning::under_way::NoWay;
use spare_hour_wording::{advice, figures, findings, refused, trips};

use crate::{Failure, print, read_file};

/// Leave now, or wait? At a site of a trip under way, by the readings of the charge.
#[derive(Args)]
pub(crate) struct Advise {
    /// The trip, as JSON, with `now`: where one is.
    trip: PathBuf,
    /// The readings of the charge so far, as CSV; the last one is now.
    #[arg(long)]
    readings: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Advise {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let (file, session) = (self.read_trip()?, self.read_session()?);
        let now = file.now.clone().ok_or_else(|| self.wrong("now: is missing; expected where one is on the trip"))?;
        let to_plan = TripToPlan::of_file(file, &Here::of_this_machine())
            .map_err(|refused| self.wrong(&refused::sentence(&refused)))?;
        let told = advise(to_plan, &now, &session, &StopSign::default()).map_err(|why| self.none(&why))?;
        print(&if self.json { advice_json(&told) } else { text(&told) });
        Ok(())
    }

    fn read_trip(&self) -> Result<TripOfFile, Failure> {
        read_trip_with_wishes(&read_file(&self.trip)?).map_err(|error| self.wrong(&error.to_string()))
    }

    fn read_session(&self) -> Result<Session, Failure> {
        let read = read_session_csv(&read_file(&self.readings)?);
        read.map_err(|error| Failure::Input(format!("{}: {error}", self.readings.display())))
    }

    fn wrong(&self, what: &str) -> Failure {
        Failure::Input(format!("{}: {what}", self.trip.display()))
    }

    fn none(&self, why: &NoAdvice) -> Failure {
        let infeasible = |what: &str| Failure::Infeasible(format!("{}: {what}", self.trip.display()));
        match why {
            NoAdvice::NotAtASite => self.wrong("now.at_site: is missing; expected the id of the site where one stands"),
            NoAdvice::NoReading => {
                Failure::Input(format!("{}: has no reading with a SoC; expected at least one", self.readings.display()))
            }
            NoAdvice::NoWay(NoWay::Refused(refused)) => self.wrong(&refused::sentence(refused)),
            NoAdvice::NoWay(NoWay::Infeasible(Some(none))) => {
                infeasible(&trips::infeasible_in_full(&none.trip, &none.leg))
            }
            NoAdvice::NoWay(NoWay::Infeasible(None)) => {
                infeasible("no plan from here keeps all that is wished: hours, pauses, bounds and sites to visit")
            }
            NoAdvice::NoWay(NoWay::Stopped) => Failure::Other(anyhow::anyhow!("stopped before there was an answer")),
        }
    }
}

/// The answer for people.
fn text(told: &Advice) -> String {
    let mut text = format!("{}.\n{}\n", advice::headline(told), advice::why(told));
    let _ = writeln!(text, "{}", advice::arrival(told, Units::default()));
    let _ = writeln!(text, "{}", advice::pace(told));
    match told.total_now {
        Some(now) => {
            let _ = writeln!(
                text,
                "To the destination: {} as advised, {} leaving now",
                figures::duration(told.total_advised),
                figures::duration(now)
            );
        }
        None => text.push_str("Leaving now does not get there with the floor.\n"),
    }
    if let Some(cost) = told.cost {
        let _ = writeln!(text, "So far: {cost:.2}");
    }
    for line in advice::ahead(told, Units::default(), "") {
        let _ = writeln!(text, "{line}");
    }
    for finding in &told.findings {
        let _ = writeln!(text, "! {}: {}", finding.code(), findings::sentence(&finding.fact, Units::default()));
    }
    text
}
