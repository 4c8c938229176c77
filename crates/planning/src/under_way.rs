//! A trip under way, planned anew from where one is: the same planner, clock, prices and pauses for what is left of it.

use spare_hour_core::money::tariff::{Kind, Tariff};
use spare_hour_core::refused::Refused;
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::under_way::Now;
use spare_hour_formats::TripOfFile;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::NoTrade;

use crate::plan_trip::{NoPlan, Outcome, TripToPlan};
use crate::shown_plan::ShownPlan;
use crate::trade_trip::TradedTrip;

/// Why there is no plan from here.
#[derive(Debug)]
pub enum NoWay {
    /// Where one is cannot be.
    Refused(Refused),
    /// What is left cannot be driven: the leg in the way, where the road itself has one.
    Infeasible(Option<NoPlan>),
    /// Nobody waited any more.
    Stopped,
}

/// What is left of a trip of a file that says where one is; any other as it is.
///
/// # Errors
/// When one cannot be where it says.
pub fn rest_of_file(file: TripOfFile) -> Result<TripOfFile, Refused> {
    let Some(now) = &file.now else { return Ok(file) };
    let mut tariffs = file.tariffs;
    go_on_paying(&mut tariffs, now);
    Ok(TripOfFile {
        trip: Trip::new(now.rest_of(file.trip.into_draft())?)?,
        departure: Some(now.at.clone()),
        tariffs,
        wishes: now.rest_of_wishes(file.wishes),
        now: file.now,
    })
}

/// The flat fee of the site that one stands at has been paid.
fn go_on_paying(tariffs: &mut [(String, Tariff)], now: &Now) {
    let here = tariffs.iter_mut().filter(|(site, _)| Some(site) == now.at_site.as_ref());
    for element in here.flat_map(|(_, tariff)| &mut tariff.elements) {
        element.components.retain(|component| component.kind != Kind::Flat);
    }
}

impl TripToPlan {
    /// What is left of it from where one is.
    ///
    /// # Errors
    /// When one cannot be there.
    pub fn rest(self, now: &Now) -> Result<Self, Refused> {
        let mut tariffs = self.prices.for_file(&self.trip);
        go_on_paying(&mut tariffs, now);
        let prices = self.prices.with(tariffs);
        let mut draft = now.rest_of(self.trip.into_draft())?;
        prices.apply(&mut draft, &now.at);
        let wishes = now.rest_of_wishes(self.wishes);
        Ok(Self { trip: Trip::new(draft)?, prices, departure: now.at.clone(), wishes })
    }

    /// Its best plan, by the clock where it goes by it.
    ///
    /// # Errors
    /// When it cannot be driven, or nobody waits any more.
    pub fn best_plan(self, stop: &StopSign) -> Result<ShownPlan, NoWay> {
        if self.needs_clock() {
            return match TradedTrip::of_plan(&self, false, stop) {
                Ok(traded) => ShownPlan::by_clock(&traded, &[], None, stop).ok_or(NoWay::Infeasible(None)),
                Err(NoTrade::Stopped) => Err(NoWay::Stopped),
                Err(NoTrade::Infeasible) => match self.plan(stop) {
                    Outcome::Infeasible(leg) => Err(NoWay::Infeasible(Some(leg))),
                    _ => Err(NoWay::Infeasible(None)),
                },
            };
        }
        match self.plan(stop) {
            Outcome::Planned(planned) => Ok(ShownPlan::by_road(&planned, &[])),
            Outcome::Infeasible(leg) => Err(NoWay::Infeasible(Some(leg))),
            Outcome::Stopped => Err(NoWay::Stopped),
        }
    }

    /// The same without one of its sites.
    #[must_use]
    pub fn without(mut self, site: &str) -> Self {
        self.trip = self.trip.without_sites(|other| other.id == site);
        self.wishes = self.wishes.of_sites(|id| id != site);
        self
    }
}
