//! What one may do at a site: when to begin to charge, with what to leave, and for what to stand on.

use super::bounds::{Bounds, ToGo};
use super::choices::Choice;
use super::clock_trip::ClockTrip;
use super::price_clock::Bill;
use super::replay::SAME_DEPARTURE;
use super::search::{Arrival, Fineness, Goes, Label, Limits, Search, Stairs};
use crate::model::leg::Node;
use crate::model::road_index::RoadIndex;
use spare_hour_core::quantity::Soc;

/// How long one may wait for another price, minutes.
const LONGEST_WAIT: f64 = 1440.0;
/// How long a charge may begin later so that a part of it is cheaper, minutes.
const LONGEST_HOLD: f64 = 1440.0;
/// Most times at which a charge is tried to begin, beside at once.
const MOST_BEGINNINGS: usize = 3;
/// Pauses that end within so many minutes of each other are alike.
const PAUSES_ALIKE: f64 = 2.0;
/// The same where a bound is searched, which takes the soonest of those alike.
const BOUNDED_ALIKE: f64 = 0.1;
/// Most minutes that an optimistic search gives away with one step, for each point of its steps.
const MOST_OPTIMISTIC: f64 = 0.5;
/// A charge of fewer points than this is none.
const LEAST_CHARGE: f64 = 0.05;

impl Search<'_> {
    /// All departures from a site, from all arrivals. Where a price depends on the clock alone and there is no boost, charges
    /// that have come to one SoC go on alike: there they meet, and only those go on that no other beats.
    pub(super) fn charge(&self, node: RoadIndex, arrivals: &[Arrival]) -> Vec<Label> {
        let departures = Departures::new(self.trip, node, self.fineness, self.limits);
        let meets = self.trip.sites[node].price.is_by_clock_only() && self.trip.problem.stalls[node].boost().is_none();
        if !meets {
            let mut labels = Vec::new();
            for arrival in arrivals {
                for begins in self.beginnings(node, arrival) {
                    self.charge_from(node, arrival, begins, Variants::All, &departures, &mut labels);
                }
            }
            return labels;
        }
        let mut labels = self.charge_together(node, arrivals, &departures);
        let rests = self.trip.wishes.most_drive.is_some();
        for arrival in arrivals.iter().filter(|arrival| rests || !self.pauses_at(node, arrival).is_empty()) {
            self.stand(node, arrival, &departures, &mut labels);
            if rests {
                for begins in self.beginnings(node, arrival) {
                    self.charge_from(node, arrival, begins, Variants::Rest, &departures, &mut labels);
                }
            }
        }
        labels
    }

    /// Whether nothing is wanted of whoever leaves a site with these pauses taken.
    fn rule_out(&self, (node, taken): (RoadIndex, u32), leaves: f64, money: f64, to_go: &ToGo) -> bool {
        let end = self.trip.soonest_end(node, leaves, taken, to_go.minutes);
        self.limits.rule_out((leaves, end), money, to_go)
    }

    /// Pauses that end within so many minutes of each other are alike.
    fn pauses_alike(&self) -> f64 {
        if self.fineness.optimistic { BOUNDED_ALIKE } else { PAUSES_ALIKE }
    }

    /// The occasions that may be taken here, each with the minute until which one stands then.
    fn pauses_at(&self, node: RoadIndex, arrival: &Arrival) -> Vec<(usize, f64)> {
        let mut found = Vec::new();
        for (index, occasion) in self.trip.occasions.iter().enumerate() {
            let begins = arrival.minute.max(occasion.from);
            // Nobody waits longer for a pause than a night for the next day's.
            let near = occasion.from <= arrival.minute + LONGEST_WAIT;
            let open = arrival.taken & 1 << index == 0 && begins <= occasion.to && near;
            if open && self.trip.can_pause(node, occasion) {
                let (until, alike) = (begins + occasion.length, self.pauses_alike());
                // An optimistic search takes the soonest of those that are alike.
                let until = if self.fineness.optimistic { (until / alike).floor() * alike } else { until };
                found.push((index, until));
            }
        }
        found
    }

    /// Charges of all arrivals, from one SoC to the next, left as soon as they or a pause are over.
    fn charge_together(&self, node: RoadIndex, arrivals: &[Arrival], departures: &Departures) -> Vec<Label> {
        let (trip, count) = (self.trip, departures.socs.len());
        let mut going: Vec<Vec<Going>> = vec![Vec::new(); count];
        let mut labels = Vec::new();
        for (index, arrival) in arrivals.iter().enumerate() {
            let place = departures.above(arrival.soc).start;
            if place >= count {
                continue;
            }
            let walk = ChargeWalk::new(trip, node, arrival.soc);
            for (begins, not_before) in self.beginnings(node, arrival) {
                let Some((open, closes)) = trip.sites[node].open_from(begins) else { continue };
                if open > begins + 1e-6 {
                    continue;
                }
                let begun = Going {
                    arrival: index,
                    not_before,
                    begun: begins,
                    minute: begins,
                    asked: 0.0,
                    flat: false,
                    closes,
                    held: 0,
                    held_until: 0.0,
                    pause: None,
                };
                if self.fineness.optimistic {
                    let all =
                        self.pauses_at(node, arrival).into_iter().map(|pause| Going { pause: Some(pause), ..begun });
                    let all: Vec<Going> = all.chain([begun]).collect();
                    let left = Left { place, more: 0.0, goes: self.beside_the_end(node) };
                    labels
                        .extend(all.iter().filter_map(|one| self.left_at_once(node, arrivals, one, departures, left)));
                }
                let minutes = walk.minutes(departures.socs[place], departures.from_empty[place]);
                let Some(begun) = begun.on(trip, node, minutes, (arrival.soc, departures.socs[place])) else {
                    continue;
                };
                let pauses =
                    self.pauses_at(node, arrival).into_iter().map(|pause| Going { pause: Some(pause), ..begun });
                going[place].extend(pauses.chain([begun]));
            }
        }
        for place in 0..count {
            let left = self.left_with(node, departures, place);
            let mut here = self.unbeaten_going(node, std::mem::take(&mut going[place]), arrivals);
            let held: Vec<Going> = here.iter().flat_map(|one| one.held_until_cheaper(trip, node)).collect();
            if !held.is_empty() {
                here.extend(held);
                here = self.unbeaten_going(node, here, arrivals);
            }
            for one in here.iter().filter(|one| one.held == 0 || one.minute > one.held_until + 1e-9) {
                labels.extend(left.iter().filter_map(|&left| self.left_at_once(node, arrivals, one, departures, left)));
            }
            if place + 1 < count {
                let minutes = departures.from_empty[place + 1] - departures.from_empty[place];
                let socs = (departures.socs[place], departures.socs[place + 1]);
                going[place + 1].extend(here.into_iter().filter_map(|one| one.on(trip, node, minutes, socs)));
            }
        }
        labels
    }

    /// With what a charge that is at one of the `SoCs` is left. Where it is to tell what no plan is better than, with the next
    /// SoC above: whoever leaves between the two arrives with less, and pays at least the least price for what is missing, while
    /// the clock may be the same. To the end one leaves with just enough, and more is of no use.
    fn left_with(&self, node: RoadIndex, departures: &Departures, place: usize) -> Vec<Left> {
        let here = Left { place, more: 0.0, goes: Goes::Anywhere };
        let next = place + 1;
        if !self.fineness.optimistic || self.trip.sites[node].leave.is_some() {
            return vec![here];
        }
        let mut all = Vec::with_capacity(2);
        if next < departures.socs.len() {
            let missing = departures.socs[next] - departures.socs[place];
            all.push(Left { place: next, more: self.trip.least_per_percent * missing, goes: Goes::ToSites });
        }
        if departures.to_the_end == Some(place) {
            all.push(Left { goes: Goes::ToTheEnd, ..here });
        }
        all
    }

    /// Where those go on to that leave with a little more than they have.
    fn beside_the_end(&self, node: RoadIndex) -> Goes {
        if self.trip.sites[node].leave.is_some() { Goes::Anywhere } else { Goes::ToSites }
    }

    fn unbeaten_going(&self, node: RoadIndex, mut going: Vec<Going>, arrivals: &[Arrival]) -> Vec<Going> {
        let price = |one: &Going| arrivals[one.arrival].money + one.asked;
        going.sort_by(|a, b| a.minute.total_cmp(&b.minute).then(price(a).total_cmp(&price(b))));
        // Where no money counts, the earliest is enough.
        let alike = if self.fineness.slack.1 == f64::INFINITY { self.fineness.slack } else { (0.0, 0.0) };
        let mut stairs = Stairs::default();
        going.retain(|one| {
            let at = &arrivals[one.arrival];
            // One that was held has the cheaper minutes before it: those that were not must not be held against it.
            let (taken, stops, driven, _) = self.kind(at.taken, at.stops, at.driven, 0.0);
            let pause =
                one.pause.map_or(0, |(index, until)| 1 + index as u32 + 64 * (until / self.pauses_alike()) as u32);
            // Where one stays for a while, it counts when each arrived.
            let pause = if self.trip.sites[node].stay > 0.0 { one.arrival as u32 + 1 } else { pause };
            stairs.of((taken, stops, driven, 2 * pause + one.held)).add(one.minute, price(one), alike)
        });
        going
    }

    fn left_at_once(
        &self,
        node: RoadIndex,
        arrivals: &[Arrival],
        one: &Going,
        departures: &Departures,
        Left { place, more, goes }: Left,
    ) -> Option<Label> {
        let (trip, arrival) = (self.trip, &arrivals[one.arrival]);
        let to_go = departures.to_go[place].as_ref()?;
        let taken = arrival.taken | one.pause.map_or(0, |(index, _)| 1 << index);
        let stays = one.minute.max(arrival.minute + trip.sites[node].stay);
        let leaves = one.pause.map_or(stays, |(_, until)| stays.max(until));
        let mut money = arrival.money + one.asked + more;
        if leaves > one.minute {
            let mut bill = Bill::by_clock(0.0, true);
            trip.sites[node].price.park(&mut bill, one.minute, leaves - one.minute);
            money += bill.so_far();
        }
        if trip.due_by(leaves) & !taken != 0 || self.rule_out((node, taken), leaves, money, to_go) {
            return None;
        }
        let stood = leaves - arrival.minute;
        let rested = trip.wishes.rest.is_some_and(|rest| stood >= rest.get() - 1e-9);
        let depart = departures.socs[place];
        Some(Label {
            minute: leaves,
            money,
            driven: if rested { 0.0 } else { arrival.driven },
            taken,
            stops: arrival.stops,
            depart,
            goes,
            before: arrival.before,
            choice: Choice {
                node,
                depart,
                not_before: one.not_before,
                pause: one.pause.map(|(index, _)| index),
                rest: false,
                roadside: arrival.roadside,
            },
        })
    }

    /// When a charge may begin: as soon as the site is open, or when its price falls.
    fn beginnings(&self, node: RoadIndex, arrival: &Arrival) -> Vec<(f64, f64)> {
        let site = &self.trip.sites[node];
        let ready = arrival.minute + self.trip.problem.site(node).overhead.get();
        let mut begin: Vec<(f64, f64)> = site.open_from(ready).map(|(at, _)| (at, 0.0)).into_iter().collect();
        let falls = site.price.falls(ready + 1e-6, ready + LONGEST_WAIT);
        begin.extend(falls.iter().take(MOST_BEGINNINGS).map(|&fall| (fall, fall)));
        begin
    }

    fn charge_from(
        &self,
        node: RoadIndex,
        arrival: &Arrival,
        (begins, not_before): (f64, f64),
        variants: Variants,
        departures: &Departures,
        labels: &mut Vec<Label>,
    ) {
        let trip = self.trip;
        let site = &trip.sites[node];
        let Some((open, closes)) = site.open_from(begins) else { return };
        if open > begins + 1e-6 {
            return;
        }
        let (mut bill, mut soc, mut minute) = (Bill::default(), arrival.soc, begins);
        let choice = Choice { not_before, ..arrival.choice(node) };
        if not_before == 0.0 && variants == Variants::All {
            self.stand(node, arrival, departures, labels);
        }
        let walk = ChargeWalk::new(trip, node, arrival.soc);
        for place in departures.above(arrival.soc) {
            let to = departures.socs[place];
            let until = begins + walk.minutes(to, departures.from_empty[place]);
            if until > closes + 1e-6 {
                break;
            }
            let plug = (to - soc) * walk.kwh_a_point;
            site.price.charge(&mut bill, minute, until - minute, plug, walk.amps(soc, plug, until - minute));
            (soc, minute) = (to, until);
            if departures.to_go[place].is_none() {
                continue;
            }
            let stands = Stands { charged: until, depart: to, money: site.price.total(&bill), bill: Some(bill) };
            self.leave(node, arrival, &stands, (Choice { depart: to, ..choice }, variants), departures, labels);
        }
    }

    /// Stands without a charge, for a pause or a rest.
    fn stand(&self, node: RoadIndex, arrival: &Arrival, departures: &Departures, labels: &mut Vec<Label>) {
        let wanted = self.trip.sites[node].leave;
        if wanted.is_some_and(|wanted| (arrival.soc - wanted).abs() > SAME_DEPARTURE) {
            return;
        }
        let stands = Stands { charged: arrival.minute, depart: arrival.soc, money: 0.0, bill: None };
        self.leave(node, arrival, &stands, (arrival.choice(node), Variants::All), departures, labels);
    }

    /// Leaves at once, or stands on for a pause or a rest.
    fn leave(
        &self,
        node: RoadIndex,
        arrival: &Arrival,
        stands: &Stands,
        (choice, variants): (Choice, Variants),
        departures: &Departures,
        labels: &mut Vec<Label>,
    ) {
        let (trip, wishes) = (self.trip, &self.trip.wishes);
        let rest = wishes.rest.map(spare_hour_core::quantity::Minutes::get);
        let mut leave = |leaves: f64, pause: Option<usize>, rests: bool| {
            let taken = arrival.taken | pause.map_or(0, |index| 1 << index);
            if trip.due_by(leaves) & !taken != 0 {
                return;
            }
            let money = arrival.money + stands.money_until(leaves, node, trip);
            let stood = leaves - arrival.minute;
            let driven = if rest.is_some_and(|rest| stood >= rest - 1e-9) { 0.0 } else { arrival.driven };
            if departures
                .at_or_above(stands.depart)
                .is_some_and(|to_go| self.rule_out((node, taken), leaves, money, to_go))
            {
                return;
            }
            labels.push(Label {
                minute: leaves,
                money,
                driven,
                taken,
                stops: arrival.stops,
                depart: stands.depart,
                goes: Goes::Anywhere,
                before: arrival.before,
                choice: Choice { pause, rest: rests, ..choice },
            });
        };
        let stays = stands.charged.max(arrival.minute + trip.sites[node].stay);
        if stands.bill.is_some() && variants == Variants::All {
            leave(stays, None, false);
        }
        if let Some(rest) = rest.filter(|rest| wishes.most_drive.is_some() && arrival.minute + rest > stays) {
            leave(arrival.minute + rest, None, true);
        }
        if variants == Variants::All {
            for (index, until) in self.pauses_at(node, arrival) {
                leave(stays.max(until), Some(index), false);
            }
        }
    }
}

/// With which of the `SoCs` a charge is left, what that is made to cost more, and where it goes on to.
#[derive(Clone, Copy)]
struct Left {
    place: usize,
    more: f64,
    goes: Goes,
}

/// How a charge may be left.
#[derive(Clone, Copy, PartialEq)]
enum Variants {
    /// At once, after a pause or after a rest.
    All,
    /// After a rest only.
    Rest,
}

impl Arrival {
    /// A stop here at which nothing is decided yet.
    fn choice(&self, node: RoadIndex) -> Choice {
        Choice { node, depart: self.soc, not_before: 0.0, pause: None, rest: false, roadside: self.roadside }
    }
}

/// A car that stands at a stall, charged or not.
struct Stands {
    /// When its charge was over.
    charged: f64,
    depart: f64,
    money: f64,
    bill: Option<Bill>,
}

/// A charge that goes on, at one of the `SoCs` of its site.
#[derive(Clone, Copy)]
struct Going {
    arrival: usize,
    not_before: f64,
    /// When it began.
    begun: f64,
    minute: f64,
    /// What was asked so far, and whether a flat price was.
    asked: f64,
    flat: bool,
    /// When the site closes.
    closes: f64,
    /// Which fall of the price it was held for, from 1; 0 for none.
    held: u32,
    held_until: f64,
    /// The occasion that is taken meanwhile, and until when one stands for it.
    pause: Option<(usize, f64)>,
}

impl Going {
    /// The same charge begun later, so that it is just here when the price falls. Where no price changes before, it costs the
    /// same as begun at once.
    fn held_until_cheaper(&self, trip: &ClockTrip, node: RoadIndex) -> Vec<Self> {
        let price = &trip.sites[node].price;
        if self.held > 0 || self.not_before > 0.0 || !price.changes(self.begun + 1e-6, self.minute).is_empty() {
            return Vec::new();
        }
        let falls = price.falls(self.minute + 1e-6, self.minute + LONGEST_HOLD);
        let until = falls
            .first()
            .copied()
            .filter(|&fall| fall < self.closes && price.changes(self.minute + 1e-6, fall - 1e-6).is_empty());
        let held = until.map(|fall| {
            let later = fall - self.minute;
            let begun = self.begun + later;
            Self { not_before: begun, begun, minute: fall, held: 1, held_until: fall, ..*self }
        });
        held.into_iter().collect()
    }

    /// The charge at the next SoC; `None` where the site closes before.
    fn on(mut self, trip: &ClockTrip, node: RoadIndex, minutes: f64, (from, to): (f64, f64)) -> Option<Self> {
        if self.minute + minutes > self.closes + 1e-6 {
            return None;
        }
        let usable = trip.problem.trip.vehicle.usable.get();
        let plug = (to - from) / 100.0 * usable / trip.sites[node].stored_share;
        let mut bill = Bill::by_clock(self.asked, self.flat);
        trip.sites[node].price.charge(&mut bill, self.minute, minutes, plug, None);
        (self.asked, self.flat) = (bill.so_far(), bill.has_flat());
        self.minute += minutes;
        Some(self)
    }
}

impl Stands {
    /// What the stop costs if one leaves at a minute.
    fn money_until(&self, leaves: f64, node: RoadIndex, trip: &ClockTrip) -> f64 {
        match self.bill {
            Some(bill) if leaves > self.charged + 1e-9 => {
                let (mut bill, price) = (bill, &trip.sites[node].price);
                price.park(&mut bill, self.charged, leaves - self.charged);
                price.total(&bill)
            }
            _ => self.money,
        }
    }
}

/// The minutes of charges from one SoC.
struct ChargeWalk<'a> {
    trip: &'a ClockTrip,
    node: RoadIndex,
    from: f64,
    /// Minutes from 0 % to where it began; `None` where a boost makes minutes depend on that.
    from_empty: Option<f64>,
    kwh_a_point: f64,
}

impl<'a> ChargeWalk<'a> {
    fn new(trip: &'a ClockTrip, node: RoadIndex, from: f64) -> Self {
        let stall = &trip.problem.stalls[node];
        let from_empty = stall.boost().is_none().then(|| stall.minutes(Soc::percent(0.0), Soc::percent(from)).get());
        let kwh_a_point = trip.problem.trip.vehicle.usable.get() / 100.0 / trip.sites[node].stored_share;
        Self { trip, node, from, from_empty, kwh_a_point }
    }

    fn minutes(&self, to: f64, to_from_empty: f64) -> f64 {
        match self.from_empty {
            Some(from_empty) => to_from_empty - from_empty,
            None => self.trip.problem.stalls[self.node].minutes(Soc::percent(self.from), Soc::percent(to)).get(),
        }
    }

    fn amps(&self, soc: f64, kwh: f64, minutes: f64) -> Option<f64> {
        let volts = self.trip.problem.trip.vehicle.pack_voltage.as_ref()?.at(soc);
        (minutes > 0.0).then(|| 60_000.0 * kwh / minutes / volts)
    }
}

/// The `SoCs` that a site is tried to be left with, rising.
struct Departures {
    socs: Vec<f64>,
    from_empty: Vec<f64>,
    /// The place that is just enough for the end.
    to_the_end: Option<usize>,
    /// The least that is still to come; `None` for those that lead nowhere.
    to_go: Vec<Option<ToGo>>,
}

/// The `SoCs` of a grid, the points of the curve, and just enough for each place: a hair more, so that a figure of five
/// decimals still keeps the floor.
fn every_departure(trip: &ClockTrip, node: RoadIndex, step: f64) -> Vec<f64> {
    let problem = &trip.problem;
    let (floor, ceiling) = (problem.trip.goal.floor.get(), problem.ceiling);
    let steps = ((ceiling - floor) / step).floor() as usize;
    let mut socs: Vec<f64> = (0..=steps).map(|index| floor + index as f64 * step).collect();
    socs.push(ceiling);
    socs.extend(problem.trip.vehicle.charge_curve.knots());
    socs.extend(problem.legs(Node::Site(node)).iter().map(|leg| (leg.least * 1e5).ceil() / 1e5));
    socs
}

impl Departures {
    fn new(trip: &ClockTrip, node: RoadIndex, fineness: Fineness, limits: &Limits) -> Self {
        let problem = &trip.problem;
        let (floor, ceiling) = (problem.trip.goal.floor.get(), problem.ceiling);
        let mut socs = match (trip.sites[node].leave, limits.rule) {
            (Some(wanted), _) => vec![wanted],
            (None, Some(rule)) => rule.departures(problem, node),
            (None, None) => every_departure(trip, node, fineness.step),
        };
        socs.retain(|&soc| soc >= floor && soc <= ceiling);
        socs.sort_by(f64::total_cmp);
        socs.dedup_by(|a, b| *a - *b < 1e-7);
        let stall = &problem.stalls[node];
        let from_empty = |soc: f64| stall.minutes(Soc::percent(0.0), Soc::percent(soc)).get();
        if fineness.optimistic {
            // A point more may take minutes where the battery is nearly full.
            let pieces = |pair: &[f64]| {
                let minutes = from_empty(pair[1]) - from_empty(pair[0]);
                let count = (minutes / (MOST_OPTIMISTIC * fineness.step)).ceil().clamp(1.0, 50.0);
                let (low, wide) = (pair[0], pair[1] - pair[0]);
                (1..=count as usize).map(move |piece| low + wide * piece as f64 / count).collect::<Vec<_>>()
            };
            let more: Vec<f64> = socs.windows(2).flat_map(pieces).collect();
            socs.truncate(1);
            socs.extend(more);
        }
        let least = problem.leg(Node::Site(node), Node::End).map(|leg| (leg.least * 1e5).ceil() / 1e5);
        let none = Bounds::default();
        Self {
            from_empty: socs.iter().map(|&soc| from_empty(soc)).collect(),
            to_the_end: least.and_then(|least| socs.iter().position(|soc| (soc - least).abs() < 1e-6)),
            to_go: limits.bounds.unwrap_or(&none).to_go(trip, Node::Site(node), &socs),
            socs,
        }
    }

    /// The places above a SoC.
    fn above(&self, soc: f64) -> std::ops::Range<usize> {
        self.socs.partition_point(|&to| to < soc + LEAST_CHARGE)..self.socs.len()
    }

    /// The least that is still to come from leaving with a SoC: that of the next place above, which is no more.
    fn at_or_above(&self, soc: f64) -> Option<&ToGo> {
        let next = self.socs.partition_point(|&to| to < soc - 1e-9);
        self.to_go.get(next)?.as_ref()
    }
}
