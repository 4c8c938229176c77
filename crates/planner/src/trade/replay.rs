//! Drives and charges what was decided, minute by minute of the trip's clock, and adds up what it takes.

use jiff::SignedDuration;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::stop_periods::periods_at;
use spare_hour_core::quantity::{Energy, Minutes, Soc};

use super::choices::{Choice, Choices};
use super::clock_plan::{ClockPlan, ClockStop};
use super::clock_trip::ClockTrip;
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
    pub(super) fn after(mut self, trip: &ClockTrip, choice: &Choice) -> Option<Self> {
        let leg = *trip.problem.leg(self.node, Node::Site(choice.node))?;
        let span = stand(trip, &mut self, choice, &leg, None)?;
        self.money += cost_by_clock(trip, choice, &span);
        Some(self)
    }

    /// The same along a leg that is known, where the charge takes so many minutes.
    pub(super) fn after_along(mut self, trip: &ClockTrip, choice: &Choice, (leg, charge): (&Leg, f64)) -> Option<Self> {
        let span = stand(trip, &mut self, choice, leg, Some(charge))?;
        self.money += cost_by_clock(trip, choice, &span);
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
fn drive(trip: &ClockTrip, at: &mut Stand, leg: &Leg, roadside: Option<usize>) -> Option<()> {
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
    at.taken |= 1 << index;
    (at.minute, at.driven) = (end + occasion.length, after);
    (trip.due_by(at.minute) & !at.taken == 0).then_some(())
}

/// Drives to a stop and stands there as chosen.
fn stand(trip: &ClockTrip, at: &mut Stand, choice: &Choice, leg: &Leg, known: Option<f64>) -> Option<Span> {
    let (node, problem) = (choice.node, &trip.problem);
    if !leg.allows(at.soc) {
        return None;
    }
    drive(trip, at, leg, choice.roadside)?;
    let (arrive, reached, site) = (leg.arrive(at.soc), at.minute, &trip.sites[node]);
    if choice.depart < arrive - NO_CHARGE || choice.depart > problem.ceiling + 1e-9 {
        return None;
    }
    if site.leave.is_some_and(|wanted| (choice.depart - wanted).abs() > SAME_DEPARTURE) {
        return None;
    }
    let depart = choice.depart.min(problem.ceiling).max(arrive);
    let (mut begins, mut charge, mut overhead) = (reached, 0.0, 0.0);
    if depart - arrive > NO_CHARGE {
        overhead = problem.site(node).overhead.get();
        let minutes = || problem.stalls[node].minutes(Soc::percent(arrive), Soc::percent(depart)).get();
        charge = known.unwrap_or_else(minutes);
        let (open, closes) = site.open_from((reached + overhead).max(choice.not_before))?;
        (open + charge <= closes + 1e-6).then_some(())?;
        begins = open;
    }
    let charged = begins + charge;
    let leaves = leaves(trip, at, choice, reached, charged)?;
    (at.node, at.soc, at.minute) = (Node::Site(node), depart, leaves);
    Some(Span { arrive, depart, reached, overhead, begins, charged, leaves })
}

/// A stop with its receipt.
fn stop(trip: &ClockTrip, at: &mut Stand, choice: &Choice) -> Option<ClockStop> {
    let left = at.minute;
    let leg = *trip.problem.leg(at.node, Node::Site(choice.node))?;
    let span = stand(trip, at, choice, &leg, None)?;
    let site = &trip.sites[choice.node];
    let plug = (span.depart - span.arrive) / 100.0 * trip.problem.trip.vehicle.usable.get() / site.stored_share;
    let receipt = if plug > 0.0 { receipt_of(trip, choice, &span) } else { None };
    let cost = match &receipt {
        Some(receipt) => receipt.total_with_vat.to_f64()?,
        None => cost_by_clock(trip, choice, &span),
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
        at.taken |= 1 << index;
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

fn receipt_of(trip: &ClockTrip, choice: &Choice, span: &Span) -> Option<Receipt> {
    let site = &trip.sites[choice.node];
    let (tariff, zone) = site.tariff.as_ref()?;
    let mut periods = periods(trip, choice, span);
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
fn periods(trip: &ClockTrip, choice: &Choice, span: &Span) -> Vec<Period> {
    let (site, vehicle) = (&trip.sites[choice.node], &trip.problem.trip.vehicle);
    if !site.price.is_by_clock_only() {
        let (from, to) = (Soc::percent(span.arrive), Soc::percent(span.depart));
        return periods_at(vehicle, &trip.problem.stalls[choice.node], site.stored_share, from, to);
    }
    let (mut soc, mut minute) = (span.arrive, span.begins);
    let period = |(to, until): (f64, f64)| {
        let energy = Energy::kwh((to - soc) / 100.0 * vehicle.usable.get() / site.stored_share);
        let time = Minutes::new(until - minute);
        (soc, minute) = (to, until);
        Period { time, energy, current: None, parking: false }
    };
    priced_together(trip, choice, span).into_iter().map(period).collect()
}

fn cost_by_clock(trip: &ClockTrip, choice: &Choice, span: &Span) -> f64 {
    if span.depart - span.arrive <= NO_CHARGE {
        return 0.0;
    }
    let site = &trip.sites[choice.node];
    let usable = trip.problem.trip.vehicle.usable.get();
    let (mut bill, mut soc, mut minute) = (Bill::default(), span.arrive, span.begins);
    let mut charge = |(to, until): (f64, f64)| {
        let plug = (to - soc) / 100.0 * usable / site.stored_share;
        let volts = trip.problem.trip.vehicle.pack_voltage.as_ref().map(|voltage| voltage.at(soc));
        let amps = volts.filter(|_| until > minute).map(|volts| 60_000.0 * plug / (until - minute) / volts);
        site.price.charge(&mut bill, minute, until - minute, plug, amps);
        (soc, minute) = (to, until);
    };
    if site.price.is_by_clock_only() && site.price.changes(span.begins, span.charged - 1e-9).is_empty() {
        charge((span.depart, span.charged));
    } else {
        priced_together(trip, choice, span).into_iter().for_each(charge);
    }
    if span.leaves > span.charged + 1e-9 {
        site.price.park(&mut bill, span.charged, span.leaves - span.charged);
    }
    site.price.total(&bill)
}

/// The `SoCs` and minutes to which a charge is priced together: to each change of price where only the clock counts, else to each
/// point.
fn priced_together(trip: &ClockTrip, choice: &Choice, span: &Span) -> Vec<(f64, f64)> {
    let (site, stall) = (&trip.sites[choice.node], &trip.problem.stalls[choice.node]);
    let arrive = Soc::percent(span.arrive);
    let mut places: Vec<(f64, f64)> = if site.price.is_by_clock_only() {
        let changes = site.price.changes(span.begins, span.charged - 1e-9).iter();
        changes.map(|&at| (stall.soc_after(arrive, Minutes::new(at - span.begins)).get(), at)).collect()
    } else {
        let steps = ((span.depart - span.arrive) / PRICED_BY - 1e-9).floor().max(0.0) as usize;
        let socs = (1..=steps).map(|step| span.arrive + step as f64 * PRICED_BY);
        socs.map(|soc| (soc, span.begins + stall.minutes(arrive, Soc::percent(soc)).get())).collect()
    };
    places.push((span.depart, span.charged));
    places
}
