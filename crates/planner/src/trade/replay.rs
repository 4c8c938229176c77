//! Drives and charges what was decided, minute by minute of the trip's clock, and adds up what it takes.

use jiff::SignedDuration;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::stop_periods::periods_at;
use spare_hour_core::quantity::{Energy, Minutes, Soc};

use super::charge_walk::ChargeWalk;
use super::choices::{Choice, Choices};
use super::clock_plan::{ClockPlan, ClockStop};
use super::clock_trip::{ClockSite, ClockTrip};
use super::occasion::OccasionIndex;
use super::price_clock::Bill;
use crate::model::leg::{Leg, Node};
use crate::model::road_index::RoadIndex;

/// A charge of fewer points than this is none.
const NO_CHARGE: f64 = 1e-6;
/// Departures nearer than this are the one that the driver wants.
pub(super) const SAME_DEPARTURE: f64 = 1e-6;
/// Points of a charge that are priced together where no receipt is wanted.
const PRICED_BY: f64 = 1.0;

/// Where a replay stands.
#[derive(Clone, Copy)]
pub(super) struct Stand {
    node: Node,
    soc: f64,
    minute: f64,
    money: f64,
    driven: f64,
    taken: u32,
}

impl Stand {
    /// At the start.
    pub(super) fn start(trip: &ClockTrip) -> Self {
        let soc = trip.problem.trip.goal.start.get();
        Self { node: Node::Start, soc, minute: 0.0, money: 0.0, driven: trip.wishes.driven.get(), taken: 0 }
    }

    pub(super) fn soc(&self) -> f64 {
        self.soc
    }

    /// After one more stop, by the clock's own prices; `None` where it breaks a limit.
    pub(super) fn after(self, trip: &ClockTrip, choice: &Choice) -> Option<Self> {
        let leg = trip.problem.leg(self.node, Node::Site(choice.node))?;
        let walk = ChargeWalk::new(trip, choice.node, leg.arrive(self.soc));
        self.arrived(trip, leg, choice.roadside)?.left(trip, choice, &walk, walk.minutes_to(choice.depart))
    }

    /// At the end of a leg, where nothing is done yet; `None` where it breaks a limit.
    pub(super) fn arrived(mut self, trip: &ClockTrip, leg: &Leg, roadside: Option<OccasionIndex>) -> Option<Self> {
        if !leg.allows(self.soc) {
            return None;
        }
        drive(trip, &mut self, leg, roadside)?;
        self.soc = leg.arrive(self.soc);
        Some(self)
    }

    /// After what is done where it has arrived, with a charge of so many minutes; `None` where it breaks a limit.
    pub(super) fn left(mut self, trip: &ClockTrip, choice: &Choice, walk: &ChargeWalk, charge: f64) -> Option<Self> {
        let span = stand(trip, &mut self, choice, charge)?;
        self.money += cost_by_clock(trip, choice, &span, walk);
        Some(self)
    }

    pub(super) fn minute(&self) -> f64 {
        self.minute
    }

    pub(super) fn money(&self) -> f64 {
        self.money
    }

    pub(super) fn taken(&self) -> (u32, u32) {
        (self.taken, self.driven as u32)
    }

    /// Minutes and money at the end, after all stops; `None` where it breaks a limit.
    pub(super) fn at_end(mut self, trip: &ClockTrip, choices: &Choices) -> Option<(f64, f64)> {
        finish(trip, &mut self, choices)?;
        Some((self.minute, self.money))
    }
}

/// The plan of some choices, with receipts; `None` where they break a limit.
pub(crate) fn replay(trip: &ClockTrip, choices: &Choices) -> Option<ClockPlan> {
    let mut at = Stand::start(trip);
    let mut stops = Vec::with_capacity(choices.stops.len());
    for choice in &choices.stops {
        let stop = stop(trip, &mut at, choice)?;
        at.money += stop.cost;
        stops.push(stop);
    }
    let (before, left) = (at.minute, at.soc);
    let leg = finish(trip, &mut at, choices)?;
    let roadside = choices.stops.iter().map(|choice| choice.roadside).chain([choices.last_roadside]);
    Some(ClockPlan {
        last_drive: Minutes::new(at.minute - before),
        total: Minutes::new(at.minute),
        cost: at.money,
        arrival: Soc::percent(leg.arrive(left)),
        roadside: roadside.flatten().map(|occasion| trip.occasions[occasion].pause).collect(),
        stops,
    })
}

/// Drives from the last stop to the end; `None` where that, or the whole, breaks a limit.
fn finish(trip: &ClockTrip, at: &mut Stand, choices: &Choices) -> Option<Leg> {
    let leg = *trip.problem.leg(at.node, Node::End).filter(|leg| leg.allows(at.soc))?;
    drive(trip, at, &leg, choices.last_roadside)?;
    let bounds = &trip.wishes;
    let stops_at = |node: RoadIndex| choices.stops.iter().any(|choice| choice.node == node);
    let within = bounds.most_stops.is_none_or(|most| choices.stops.len() <= most as usize)
        && bounds.most_cost.is_none_or(|most| at.money <= most + 1e-6)
        && bounds.most_time.is_none_or(|most| at.minute <= most.get() + 1e-6)
        && (bounds.visit.is_empty() || trip.problem.road().all(|node| !trip.sites[node].visit || stops_at(node)));
    within.then_some(leg)
}

/// Drives a leg, with a pause at the roadside where one was chosen.
fn drive(trip: &ClockTrip, at: &mut Stand, leg: &Leg, roadside: Option<OccasionIndex>) -> Option<()> {
    let most = trip.wishes.most_drive.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get) + 1e-6;
    let end = at.minute + leg.minutes;
    let Some(index) = roadside else {
        (at.minute, at.driven) = (end, at.driven + leg.minutes);
        return (at.driven <= most && trip.due_by(at.minute) & !at.taken == 0).then_some(());
    };
    let occasion = trip.occasions[index];
    let (soonest, latest) = (at.minute.max(occasion.from), end.min(occasion.to));
    let rests = trip.wishes.rest.is_some_and(|rest| occasion.length >= rest.get());
    let driven = |begins: f64| {
        let before = at.driven + begins - at.minute;
        let after = if rests { end - begins } else { at.driven + leg.minutes };
        (before <= most && after <= most).then_some(after)
    };
    let after = [soonest, latest].into_iter().filter(|_| soonest <= latest).find_map(driven)?;
    at.taken |= index.bit();
    (at.minute, at.driven) = (end + occasion.length, after);
    (trip.due_by(at.minute) & !at.taken == 0).then_some(())
}

/// Stands where it has arrived as chosen, with a charge of so many minutes.
fn stand(trip: &ClockTrip, at: &mut Stand, choice: &Choice, charge: f64) -> Option<Span> {
    let (node, ceiling, site) = (choice.node, trip.problem.ceiling, &trip.sites[choice.node]);
    let (arrive, reached) = (at.soc, at.minute);
    if choice.depart < arrive - NO_CHARGE || choice.depart > ceiling + 1e-9 {
        return None;
    }
    if site.leave.is_some_and(|wanted| (choice.depart - wanted).abs() > SAME_DEPARTURE) {
        return None;
    }
    let depart = choice.depart.min(ceiling).max(arrive);
    let mut span = Span { arrive, depart, reached, overhead: 0.0, begins: reached, charged: reached, leaves: reached };
    if depart - arrive > NO_CHARGE {
        span.overhead = trip.problem.site(node).overhead.get();
        let (open, closes) = site.open_from((reached + span.overhead).max(choice.not_before))?;
        (open + charge <= closes + 1e-6).then_some(())?;
        (span.begins, span.charged) = (open, open + charge);
    }
    span.leaves = leaves(trip, at, choice, reached, span.charged)?;
    (at.node, at.soc, at.minute) = (Node::Site(node), depart, span.leaves);
    Some(span)
}

/// A stop with its receipt.
fn stop(trip: &ClockTrip, at: &mut Stand, choice: &Choice) -> Option<ClockStop> {
    let left = at.minute;
    *at = at.arrived(trip, trip.problem.leg(at.node, Node::Site(choice.node))?, choice.roadside)?;
    let walk = ChargeWalk::new(trip, choice.node, at.soc);
    let span = stand(trip, at, choice, walk.minutes_to(choice.depart))?;
    let site = &trip.sites[choice.node];
    let plug = (span.depart - span.arrive) / 100.0 * trip.problem.trip.vehicle.usable.get() / site.stored_share;
    let receipt = if plug > 0.0 { receipt_of(trip, choice, &span, &walk) } else { None };
    let cost = match &receipt {
        Some(receipt) => receipt.total_with_vat.to_f64()?,
        None => cost_by_clock(trip, choice, &span, &walk),
    };
    Some(ClockStop {
        site: trip.index(choice.node),
        drive: Minutes::new(span.reached - left),
        arrive: Soc::percent(span.arrive),
        depart: Soc::percent(span.depart),
        reached: Minutes::new(span.reached),
        overhead: Minutes::new(span.overhead),
        wait: Minutes::new((span.begins - span.reached - span.overhead).max(0.0)),
        charge: Minutes::new(span.charged - span.begins),
        leaves: Minutes::new(span.leaves),
        pause: choice.pause.map(|occasion| trip.occasions[occasion].pause),
        plug: Energy::kwh(plug),
        cost,
        receipt,
    })
}

/// When one leaves: when it is charged, or the pause or rest is over.
fn leaves(trip: &ClockTrip, at: &mut Stand, choice: &Choice, reached: f64, charged: f64) -> Option<f64> {
    let mut leaves = charged.max(reached + trip.sites[choice.node].stay);
    if let Some(index) = choice.pause {
        let occasion = trip.occasions[index];
        let begins = reached.max(occasion.from);
        (begins <= occasion.to && trip.can_pause(choice.node, &occasion)).then_some(())?;
        leaves = leaves.max(begins + occasion.length);
        at.taken |= index.bit();
    }
    let rest = trip.wishes.rest.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get);
    if choice.rest {
        leaves = leaves.max(reached + rest);
    }
    if leaves - reached >= rest - 1e-9 {
        at.driven = 0.0;
    }
    (trip.due_by(leaves) & !at.taken == 0).then_some(leaves)
}

/// A stop's SoC and clock.
struct Span {
    arrive: f64,
    depart: f64,
    reached: f64,
    overhead: f64,
    begins: f64,
    charged: f64,
    leaves: f64,
}

fn receipt_of(trip: &ClockTrip, choice: &Choice, span: &Span, walk: &ChargeWalk) -> Option<Receipt> {
    let site = &trip.sites[choice.node];
    let (tariff, zone) = site.tariff.as_ref()?;
    let mut periods = periods(trip, choice, span, walk);
    if span.leaves > span.charged + 1e-6 {
        let time = Minutes::new(span.leaves - span.charged);
        periods.push(Period { time, energy: Energy::kwh(0.0), current: None, parking: true });
    }
    let since = SignedDuration::from_secs_f64((60e3 * span.begins).round() / 1e3);
    let began = trip.departure.checked_add(since).ok()?.with_time_zone(zone.clone());
    Some(receipt(tariff, &began, &periods))
}

/// The periods of a charge, as a receipt wants them: from one change of price to the next where only the clock counts, else so
/// short that power changes little within.
fn periods(trip: &ClockTrip, choice: &Choice, span: &Span, walk: &ChargeWalk) -> Vec<Period> {
    let (site, vehicle) = (&trip.sites[choice.node], &trip.problem.trip.vehicle);
    if !site.price.is_by_clock_only() {
        let (from, to) = (Soc::percent(span.arrive), Soc::percent(span.depart));
        return periods_at(vehicle, &trip.problem.stalls[choice.node], site.stored_share, from, to);
    }
    let (mut soc, mut minute) = (span.arrive, span.begins);
    let mut period = |(to, until): (f64, f64)| {
        let energy = Energy::kwh((to - soc) / 100.0 * vehicle.usable.get() / site.stored_share);
        let time = Minutes::new(until - minute);
        (soc, minute) = (to, until);
        Period { time, energy, current: None, parking: false }
    };
    let mut all = Vec::new();
    priced_together(site, span, walk, |to| all.push(period(to)));
    all
}

/// What a stop costs but for rounding.
fn cost_by_clock(trip: &ClockTrip, choice: &Choice, span: &Span, walk: &ChargeWalk) -> f64 {
    if span.depart - span.arrive <= NO_CHARGE {
        return 0.0;
    }
    let site = &trip.sites[choice.node];
    let Some(rates) = &site.rates else { return cost_by_steps(site, span, walk) };
    let first = rates.place(span.begins);
    let (mut place, mut flat, mut money) = (first, false, 0.0);
    let (mut soc, mut minute) = (span.arrive, span.begins);
    let mut charge = |(to, until): (f64, f64)| {
        money += rates.charge(&mut place, minute, (until - minute, (to - soc) * walk.kwh_a_point), &mut flat);
        (soc, minute) = (to, until);
    };
    if rates.stay(first, span.charged - 1e-9) {
        charge((span.depart, span.charged));
    } else {
        priced_together(site, span, walk, charge);
    }
    if span.leaves > span.charged + 1e-9 {
        let mut bill = Bill::by_clock(money, flat);
        site.price.park(&mut bill, span.charged, span.leaves - span.charged);
        return bill.so_far();
    }
    money
}

/// The same where more than the clock counts.
fn cost_by_steps(site: &ClockSite, span: &Span, walk: &ChargeWalk) -> f64 {
    let (mut bill, mut soc, mut minute) = (Bill::default(), span.arrive, span.begins);
    priced_together(site, span, walk, |(to, until)| {
        let plug = (to - soc) * walk.kwh_a_point;
        site.price.charge(&mut bill, minute, until - minute, plug, walk.amps(soc, plug, until - minute));
        (soc, minute) = (to, until);
    });
    if span.leaves > span.charged + 1e-9 {
        site.price.park(&mut bill, span.charged, span.leaves - span.charged);
    }
    site.price.total(&bill)
}

/// The `SoCs` and minutes to which a charge is priced together: to each change of price where only the clock counts, else to each
/// point.
fn priced_together(site: &ClockSite, span: &Span, walk: &ChargeWalk, mut to: impl FnMut((f64, f64))) {
    if site.price.is_by_clock_only() {
        for &at in site.price.changes(span.begins, span.charged - 1e-9) {
            to((walk.soc_after(at - span.begins), at));
        }
    } else {
        let steps = ((span.depart - span.arrive) / PRICED_BY - 1e-9).floor().max(0.0) as usize;
        for soc in (1..=steps).map(|step| span.arrive + step as f64 * PRICED_BY) {
            to((soc, span.begins + walk.minutes_to(soc)));
        }
    }
    to((span.depart, span.charged));
}
