//! Leave now, or wait? At a site of a trip under way the readings of the charge say how it goes on; with that the rest of the trip is
//! planned twice, with a charge that goes on here and without. What the next points cost here and at the next stop tells why.

use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::charging::charge_now::{ChargeNow, Shape};
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::money::receipt::receipt;
use spare_hour_core::money::stop_periods::periods_at;
use spare_hour_core::money::tariff::{Kind, Moment, Tariff};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::refused::Refused;
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::Finding;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::{Meter, Session};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::under_way::Now;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_core::trip::{Goal, Price, Site, Trip, TripDraft, Vehicle};
use spare_hour_planner::trade::{ClockStop, post_stall};
use spare_hour_planner::{Advice, Because, IdleFee, PriceStep, StopSign};

use jiff::ZonedDateTime;

use crate::clock::after;
use crate::plan_trip::TripToPlan;
use crate::price_stop::Prices;
use crate::shown_plan::ShownPlan;
use crate::under_way::NoWay;

/// A fee that begins later after the charge than this is not told, minutes.
const LONGEST_GRACE: u32 = 240;
/// The points that are compared.
const NEXT: f64 = 5.0;
/// Who stays on is asked what so much more would change.
const LATER: Minutes = Minutes::new(5.0);
/// A gain of less is not worth to move for, minutes.
const WORTH_MOVING: f64 = 1.0;
/// A gain of less is not worth to stay for, minutes.
const WORTH: f64 = 0.05;
/// The floor counts as what decides where the next stop is reached with no more than this above it, points.
const PINNED: f64 = 0.02;

/// Why there is no advice.
#[derive(Debug)]
pub enum NoAdvice {
    /// The trip does not say at which site one stands.
    NotAtASite,
    /// No reading has a SoC.
    NoReading,
    /// There is no plan from here.
    NoWay(NoWay),
}

/// Leave now, or wait?
///
/// # Errors
/// [`NoAdvice`] where one stands nowhere, nothing was read, or there is no way on.
pub fn advise(to_plan: TripToPlan, now: &Now, session: &Session, stop: &StopSign) -> Result<Advice, NoAdvice> {
    let here = now.at_site.clone().ok_or(NoAdvice::NotAtASite)?;
    let site = to_plan.trip.find_site(&here).map(|index| to_plan.trip.site(index).clone());
    let site = site.ok_or(NoAdvice::NotAtASite)?;
    let stall = stall_of(&to_plan.trip, &site, &to_plan.wishes);
    let charge = ChargeNow::new(session, &to_plan.trip.vehicle, &stall).ok_or(NoAdvice::NoReading)?;
    let cost = cost_so_far(&to_plan, &site, &stall, &charge, session, now);
    let findings = findings(session, &to_plan.trip.vehicle, &stall);
    let to_plan_prices = to_plan.prices.clone();
    let now = Now { soc: charge.sure, ..now.clone() };
    let other = other_stall(&to_plan, &now, &stall, &charge, stop);
    let rest =
        with_charge(to_plan, &here, &charge).rest(&now).map_err(|refused| NoAdvice::NoWay(NoWay::Refused(refused)))?;
    let leaving = rest.clone().without(&here).best_plan(stop).ok();
    let later = later(&rest, &here, &charge, stop);
    let tariff = to_plan_prices.of_site(&here);
    let next_price = tariff.and_then(|tariff| next_step(tariff, &now.at, charge.since));
    let idle = tariff.and_then(|tariff| idle_fee(tariff, &now.at, &charge, rest.trip.vehicle.usable));
    let best = rest.best_plan(stop).map_err(NoAdvice::NoWay)?;
    let told =
        Answer { here: &here, charge: &charge, best: &best, leaving: leaving.as_ref() }.told(&site, cost, findings);
    let other_stall = other.map(|other| told.total_advised - other).filter(|saved| saved.get() > WORTH_MOVING);
    Ok(Advice { total_later: later, next_price, idle, other_stall, ..told })
}

/// What is taken of a road of which nothing is planned.
#[derive(Clone, Copy, Debug)]
pub struct RoadAhead {
    /// How far it is.
    pub length: Distance,
    /// What it takes.
    pub consumption: Consumption,
    /// The most power at the plug here,
    pub here: Power,
    /// and at the stops to come.
    pub next: Power,
}

impl RoadAhead {
    /// So far one goes on where nobody says, at what a motorway takes, and chargers of so much follow: common practice, no published source.
    pub const USUAL: Self = Self {
        length: Distance::km(300.0),
        consumption: Consumption::kwh_per_100km(20.0),
        here: Power::kw(300.0),
        next: Power::kw(150.0),
    };
}

/// Chargers follow each other at such a distance on a road of which nothing is planned, km.
const NEXT_CHARGERS: f64 = 40.0;
/// The speed there, and the fixed minutes of a stop.
const USUAL_SPEED: Speed = Speed::kmh(110.0);
const USUAL_FIXED: Minutes = Minutes::new(5.0);

/// A trip from here on of which only the road's length is known: chargers follow in a row. One stands at the first, `here`.
///
/// # Errors
/// When the road or a power cannot be.
pub fn without_a_trip(vehicle: Vehicle, road: RoadAhead, at: &ZonedDateTime) -> Result<(TripToPlan, Now), Refused> {
    let site = |index: usize, km: f64, power: Power| Site {
        id: if index == 0 { HERE.into() } else { format!("next-{index}") },
        name: if index == 0 { "this stall".into() } else { format!("a stall after {km:.0} km") },
        at: Distance::km(km),
        off_route: Distance::km(0.0),
        off_route_speed: USUAL_SPEED,
        max_power: power,
        max_current: None,
        overhead: USUAL_FIXED,
        price: Price::default(),
        details: SiteDetails::default(),
    };
    let count = (road.length.get() / NEXT_CHARGERS).ceil() as usize;
    let next = (1..count).map(|index| site(index, NEXT_CHARGERS * index as f64, road.next));
    let segment = Segment { length: road.length, speed: USUAL_SPEED, consumption: road.consumption };
    let trip = Trip::new(TripDraft {
        name: "the road ahead".into(),
        vehicle,
        route: Route::new(vec![segment]),
        sites: std::iter::once(site(0, 0.0, road.here)).chain(next).collect(),
        goal: Goal::USUAL,
    })?;
    let to_plan = TripToPlan { trip, prices: Prices::default(), departure: at.clone(), wishes: Wishes::default() };
    let now = Now {
        at: at.clone(),
        at_km: Distance::km(0.0),
        at_site: Some(HERE.into()),
        soc: Soc::percent(0.0),
        driven: Minutes::new(0.0),
        taken: Vec::new(),
        avoid: Vec::new(),
    };
    Ok((to_plan, now))
}

/// The stall where one stands, of a road of which nothing is planned.
const HERE: &str = "here";

/// The trip where the charge at a site goes on as it was measured.
pub(crate) fn with_charge(to_plan: TripToPlan, here: &str, charge: &ChargeNow) -> TripToPlan {
    with_power(to_plan, here, charge.power.clone())
}

/// The trip where a site gives the battery a power over SoC, kW.
pub(crate) fn with_power(to_plan: TripToPlan, here: &str, power: Profile) -> TripToPlan {
    TripToPlan { trip: to_plan.trip.with_charge(here, power), ..to_plan }
}

fn stall_of(trip: &Trip, site: &Site, wishes: &Wishes) -> Stall {
    post_stall(trip, site, wishes).unwrap_or_else(|| Stall::new(&trip.vehicle, site))
}

fn findings(session: &Session, vehicle: &Vehicle, stall: &Stall) -> Vec<Finding> {
    let basis = Basis {
        usable: vehicle.usable,
        range: None,
        base: DistanceBase::Rated,
        loss_percent: Some(vehicle.charge_loss_percent),
    };
    Report::new(session, basis, Some(stall.power())).map(|report| report.findings).unwrap_or_default()
}

/// The minutes to the end of who moves to another stall of the site, which gives what is expected; `None` where this one does, or
/// the battery is at fault.
fn other_stall(to_plan: &TripToPlan, now: &Now, stall: &Stall, charge: &ChargeNow, stop: &StopSign) -> Option<Minutes> {
    let here = now.at_site.as_deref()?;
    let site = to_plan.trip.site(to_plan.trip.find_site(here)?);
    let may_be = site.details.stalls.is_none_or(|stalls| stalls > 1);
    if !may_be || !matches!(charge.shape, Shape::Limited(_) | Shape::Unclear) {
        return None;
    }
    let moved = site.overhead;
    let rest = with_power(to_plan.clone(), here, stall.power().clone()).rest(now).ok()?;
    Some(moved + rest.best_plan(stop).ok()?.plan.total)
}

/// The minutes to the end of who stays five minutes more; `None` where that cannot be driven.
fn later(rest: &TripToPlan, here: &str, charge: &ChargeNow, stop: &StopSign) -> Option<Minutes> {
    let time = ChargingTime::new(&charge.power, rest.trip.vehicle.usable);
    let mut draft = rest.clone().without(here).trip.into_draft();
    draft.goal.start = time.soc_after(charge.sure, LATER);
    let departure = after(&rest.departure, LATER.get())?;
    let then = TripToPlan { trip: Trip::new(draft).ok()?, departure, ..rest.clone().without(here) };
    Some(LATER + then.best_plan(stop).ok()?.plan.total)
}

/// The next change of a price of a charge that goes on, within two hours.
fn next_step(tariff: &Tariff, now: &ZonedDateTime, since: Minutes) -> Option<PriceStep> {
    let price = |kind: Kind, minutes: f64| {
        let at = after(now, minutes)?;
        let moment = Moment {
            date: at.date(),
            time: at.time(),
            energy: Energy::kwh(1.0),
            power: Power::kw(50.0),
            current: None,
            duration: since + Minutes::new(minutes),
            parked: Minutes::new(0.0),
        };
        let price = tariff.component(kind, &moment).map_or(Decimal::ZERO, |found| {
            found.1.price * (Decimal::ONE + found.1.vat.unwrap_or_default() / Decimal::ONE_HUNDRED)
        });
        price.to_f64()
    };
    (1..=120).map(f64::from).find_map(|minutes| {
        [(Kind::Energy, 1.0), (Kind::Time, 60.0)].into_iter().find_map(|(kind, per)| {
            let by = (price(kind, minutes)? - price(kind, 0.0)?) / per;
            let step = PriceStep { after: Minutes::new(minutes), by, of_energy: kind == Kind::Energy };
            (by.abs() > 1e-6).then_some(step)
        })
    })
}

/// The fee of standing on after a charge that goes on until the battery is full, where one begins within so many minutes after.
fn idle_fee(tariff: &Tariff, now: &ZonedDateTime, charge: &ChargeNow, usable: Energy) -> Option<IdleFee> {
    let full = ChargingTime::new(&charge.power, usable).minutes(charge.sure, Soc::percent(100.0));
    (0..=LONGEST_GRACE).map(f64::from).find_map(|parked| {
        let wait = full + Minutes::new(parked);
        let at = after(now, wait.get())?;
        let moment = Moment {
            date: at.date(),
            time: at.time(),
            energy: Energy::kwh(1.0),
            power: Power::kw(0.0),
            current: None,
            duration: charge.since + wait,
            parked: Minutes::new(parked),
        };
        let found = tariff.component(Kind::Parking, &moment)?.1;
        let asked = found.price * (Decimal::ONE + found.vat.unwrap_or_default() / Decimal::ONE_HUNDRED);
        let per_hour = asked.to_f64().filter(|price| *price > 0.0)?;
        Some(IdleFee { at, after: wait, per_hour })
    })
}

/// What a charge has cost so far: by the tariff's receipt, else by the site's price; `None` where neither is known.
fn cost_so_far(
    to_plan: &TripToPlan,
    site: &Site,
    stall: &Stall,
    charge: &ChargeNow,
    session: &Session,
    now: &Now,
) -> Option<f64> {
    let vehicle = &to_plan.trip.vehicle;
    let stored = vehicle.usable * ((charge.soc - charge.start).get() / 100.0);
    let shown = session.counted().filter_map(|(_, reading)| reading.energy).last();
    let by_meter = shown.filter(|_| session.conditions.meter == Meter::Station);
    let plug = by_meter.unwrap_or(Energy::kwh(stored.get() / vehicle.stored_share()));
    let Some(tariff) = to_plan.prices.of_site(&site.id) else {
        let price = site.price;
        let known = price != Price::default();
        return known.then(|| price.per_session + price.per_kwh * plug.get() + price.per_min * charge.since.get());
    };
    by_tariff(tariff, vehicle, stall, charge, plug, now)
}

/// A receipt of what was charged so far: its minutes as they passed, its energy as it was metered.
fn by_tariff(
    tariff: &Tariff,
    vehicle: &Vehicle,
    stall: &Stall,
    charge: &ChargeNow,
    plug: Energy,
    now: &Now,
) -> Option<f64> {
    let mut periods = periods_at(vehicle, stall, vehicle.stored_share(), charge.start, charge.soc);
    let (minutes, energy) =
        periods.iter().fold((0.0, 0.0), |sum, one| (sum.0 + one.time.get(), sum.1 + one.energy.get()));
    if minutes <= 0.0 || energy <= 0.0 {
        return None;
    }
    for period in &mut periods {
        period.time = period.time * (charge.since.get() / minutes);
        period.energy = period.energy * (plug.get() / energy);
    }
    let began = after(&now.at, -charge.since.get())?;
    receipt(tariff, &began, &periods).total_with_vat.to_f64()
}

/// The two plans that are compared.
struct Answer<'a> {
    here: &'a str,
    charge: &'a ChargeNow,
    best: &'a ShownPlan,
    leaving: Option<&'a ShownPlan>,
}

impl Answer<'_> {
    fn told(&self, site: &Site, cost: Option<f64>, findings: Vec<Finding>) -> Advice {
        let saves = self.leaving.is_none_or(|leaving| self.goal(leaving) - self.goal(self.best) > WORTH);
        let stand = self.stand(self.best).filter(|_| saves);
        let shown = if stand.is_some() { self.best } else { self.leaving.unwrap_or(self.best) };
        let next = shown.plan.stops.iter().find(|stop| shown.trip.site(stop.site).id != self.here);
        let leave_in = stand.map_or(Minutes::new(0.0), |stand| stand.leaves);
        let named = |stop: &ClockStop| {
            let site = shown.trip.site(stop.site);
            (site.id.clone(), site.name.clone())
        };
        Advice {
            site: (site.id.clone(), site.name.clone()),
            stay: stand.is_some(),
            leave: stand.map_or(self.charge.sure, |stand| stand.depart),
            leave_in,
            leave_at: shown.moment(leave_in.get()),
            here_next: self.here_next(),
            there_next: self.there_next(),
            next: next.map(named),
            next_arrive: next.map_or(shown.plan.arrival, |next| next.arrive),
            total_now: self.leaving.map(|leaving| leaving.plan.total),
            total_advised: shown.plan.total,
            total_later: None,
            tens: self.tens(),
            added: self.added(),
            next_price: None,
            other_stall: None,
            idle: None,
            next_now: self
                .leaving
                .and_then(|leaving| Some(leaving.trip.site(leaving.plan.stops.first()?.site).name.clone())),
            arrive_at: shown.moment(shown.plan.total.get()),
            arrival: shown.plan.arrival,
            charge: self.charge.clone(),
            cost,
            findings,
            because: self.because(stand, next, shown),
        }
    }

    /// The goal of a plan: minutes, and what its money is worth of them.
    fn goal(&self, shown: &ShownPlan) -> f64 {
        let worth = self.best.trip.goal.value_of_time_per_hour.filter(|value| *value > 0.0);
        shown.plan.total.get() + worth.map_or(0.0, |value| 60.0 * shown.plan.cost / value)
    }

    /// The charge that goes on here.
    fn stand<'p>(&self, shown: &'p ShownPlan) -> Option<&'p ClockStop> {
        shown.plan.stops.first().filter(|first| shown.trip.site(first.site).id == self.here)
    }

    /// Minutes to each round ten above what is in the battery.
    fn tens(&self) -> Vec<(Soc, Minutes)> {
        let from = self.charge.sure;
        let time = ChargingTime::new(&self.charge.power, self.best.trip.vehicle.usable);
        let tens = (1..=10).map(|ten| Soc::percent(10.0 * f64::from(ten))).filter(|ten| *ten > from);
        tens.map(|ten| (ten, time.minutes(from, ten))).filter(|(_, minutes)| minutes.get().is_finite()).collect()
    }

    /// How far what was charged goes by what the road ahead takes.
    fn added(&self) -> Distance {
        let (route, charge) = (&self.best.trip.route, self.charge);
        let takes = route.net(route.start(), route.length()).get() / route.length().get().max(1e-6);
        let stored = self.best.trip.vehicle.stored(charge.soc - charge.start).get();
        Distance::km(if takes > 0.0 { stored.max(0.0) / takes } else { 0.0 })
    }

    fn here_next(&self) -> Option<Minutes> {
        let to = Soc::percent(self.charge.sure.get() + NEXT);
        let time = ChargingTime::new(&self.charge.power, self.best.trip.vehicle.usable);
        (to.get() <= 100.0).then(|| time.minutes(self.charge.sure, to)).filter(|minutes| minutes.get().is_finite())
    }

    /// The next points at the next stop for who leaves now; where that cannot be driven, for who does as is advised.
    fn there_next(&self) -> Option<Minutes> {
        let shown = self.leaving.unwrap_or(self.best);
        let next = shown.plan.stops.iter().find(|stop| shown.trip.site(stop.site).id != self.here)?;
        let to = Soc::percent(next.arrive.get() + NEXT);
        let stall = Stall::new(&shown.trip.vehicle, shown.trip.site(next.site));
        (to.get() <= 100.0).then(|| stall.minutes(next.arrive, to))
    }

    fn because(&self, stand: Option<&ClockStop>, next: Option<&ClockStop>, shown: &ShownPlan) -> Because {
        let goal = &shown.trip.goal;
        let pause = stand.and_then(|stand| stand.pause).and_then(|pause| shown.pauses.get(pause));
        let just_enough = match next {
            Some(next) => next.arrive.get() <= goal.floor.get() + PINNED,
            None => shown.plan.arrival.get() <= goal.arrival.get() + PINNED,
        };
        match (stand, pause) {
            (Some(_), Some(pause)) => Because::Pause(pause.clone()),
            (Some(_), None) if just_enough || self.leaving.is_none() => Because::NotEnoughYet,
            (Some(_), None) => Because::CheaperHere,
            (None, _) if next.is_some() => Because::CheaperThere,
            (None, _) => Because::Enough,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::money::tariff::{Component, Element, Restrictions};

    #[test]
    fn the_fee_of_standing_on_begins_when_the_battery_is_full_and_its_grace_is_over() {
        let charge = ChargeNow {
            since: Minutes::new(20.0),
            start: Soc::percent(30.0),
            soc: Soc::percent(50.0),
            sure: Soc::percent(50.0),
            expected: Power::kw(30.0),
            ratio: None,
            shape: Shape::AsExpected,
            power: Profile::constant(30.0),
        };
        let now: ZonedDateTime = "2026-11-27T17:00[UTC]".parse().unwrap();
        let mut tariff = Tariff::simple("T", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        assert_eq!(idle_fee(&tariff, &now, &charge, Energy::kwh(60.0)), None);
        let parking = Component { kind: Kind::Parking, price: Decimal::from(12), vat: None, step: 1 };
        let after_grace = Restrictions { least_parking: Some(Minutes::new(15.0)), ..Restrictions::default() };
        tariff.elements.push(Element { components: vec![parking], restrictions: after_grace });
        // By hand: 30 kWh at 30 kW are an hour, and a quarter of an hour is free.
        let fee = idle_fee(&tariff, &now, &charge, Energy::kwh(60.0)).unwrap();
        assert!((fee.after.get() - 75.0).abs() < 1e-6 && fee.per_hour == 12.0, "{fee:?}");
        assert_eq!(fee.alarm_ms() - now.timestamp().as_millisecond(), 70 * 60_000);
    }
}
