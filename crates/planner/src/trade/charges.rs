//! What one may do at a site: when to begin to charge, with what to leave, and for what to stand on.

use super::bounds::{Bounds, ToGo};
use super::charge_walk::{self, ChargeWalk};
use super::choices::Choice;
use super::clock_trip::ClockTrip;
use super::optimistic::{self, Left, Waiting};
use super::order::rising;
use super::price_clock::Bill;
use super::replay::SAME_DEPARTURE;
use super::search::{Arrival, Fineness, Goes, Kind, Label, Limits, Search, Stairs, Wide};
use crate::model::leg::Node;
use crate::model::road_index::RoadIndex;

/// How long one may wait for another price, minutes.
const LONGEST_WAIT: f64 = 1440.0;
/// How long a charge may begin later so that a part of it is cheaper, minutes.
pub(super) const LONGEST_HOLD: f64 = 1440.0;
/// Most times at which a charge is tried to begin, beside at once.
const MOST_BEGINNINGS: usize = 3;
/// Pauses that end within so many minutes of each other are alike.
const PAUSES_ALIKE: f64 = 2.0;
/// The same where a bound is searched, which takes the soonest of those alike.
const BOUNDED_ALIKE: f64 = 0.03;
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
                if self.is_given_up() {
                    break;
                }
                self.step(departures.socs.len());
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
        let count = departures.socs.len();
        let mut all = Charges { going: vec![Vec::new(); count], waiting: vec![Vec::new(); count], left: Vec::new() };
        for index in 0..arrivals.len() {
            self.begin(node, index, arrivals, departures, &mut all);
        }
        for place in 0..count {
            if self.is_given_up() {
                break;
            }
            self.go_on(node, place, arrivals, departures, &mut all);
        }
        all.left
    }

    /// The charges of an arrival, each at the first SoC above it.
    fn begin(&self, node: RoadIndex, index: usize, arrivals: &[Arrival], departures: &Departures, all: &mut Charges) {
        let (site, arrival, optimistic) = (&self.trip.sites[node], &arrivals[index], self.fineness.optimistic);
        let place = departures.above(arrival.soc).start;
        let low = arrival.soc - arrival.wide.points;
        if optimistic && place > 0 && site.leave.is_some_and(|wanted| low <= wanted) {
            self.leave_as_wanted(node, index, arrivals, departures, all);
        }
        let Some(&to) = departures.socs.get(place) else { return };
        let walk = ChargeWalk::new(self.trip, node, arrival.soc);
        let (minutes, pauses) = (walk.minutes(to, departures.from_empty[place]), self.pauses_at(node, arrival));
        for (begins, not_before) in self.beginnings(node, arrival) {
            let Some((open, closes)) = site.open_from(begins) else { continue };
            if open > begins + 1e-6 {
                continue;
            }
            let at_once =
                not_before == 0.0 && begins <= arrival.minute + self.trip.problem.site(node).overhead.get() + 1e-9;
            let (late, settled) = self.settled(node, arrival, begins, at_once);
            let begun = Going { not_before, asked: settled, closes, ..Going::begun(index, begins + late) };
            let with_pauses = |one: Going| {
                let paused = pauses.iter().map(move |&pause| Going { pause: Some(pause), ..one });
                paused.chain([one])
            };
            let mut at_first = begun.on(self.trip, node, minutes, (arrival.soc, to));
            if optimistic {
                let left = self.left_with_hardly_more(node, departures, place, (arrival, begins));
                let charges = with_pauses(Going { minute: begins, asked: 0.0, ..begun });
                all.left.extend(charges.filter_map(|one| self.left_at_once(node, arrivals, &one, departures, left)));
                let whole = departures.from_empty[departures.socs.len() - 1] - departures.from_empty[place] + minutes;
                let step = ((to - arrival.soc) * walk.kwh_a_point, minutes);
                let waits = Going { asked: self.settled_at_least(node, arrival), ..begun };
                all.waiting[place].extend(Waiting::for_falls(waits, &pauses, (step, whole), self.trip, node));
                let from_empty = (departures.from_empty[place], to * walk.kwh_a_point);
                let known = (arrival.money, site.price.per_kwh_at(begins + minutes));
                at_first = at_first.map(|one| self.taken_for_one(one, known, from_empty));
            }
            all.going[place].extend(at_first.into_iter().flat_map(with_pauses));
        }
    }

    /// Some of the plans of an arrival have less than the driver wants to leave with, though its label has more.
    fn leave_as_wanted(
        &self,
        node: RoadIndex,
        index: usize,
        arrivals: &[Arrival],
        departures: &Departures,
        all: &mut Charges,
    ) {
        let (arrival, left) = (&arrivals[index], Left::at_once(0));
        let pauses = self.pauses_at(node, arrival);
        for (begins, not_before) in self.beginnings(node, arrival) {
            let one = Going { not_before, ..Going::begun(index, begins) };
            let paused = pauses.iter().map(|&pause| Going { pause: Some(pause), ..one });
            let charges = paused.chain([one]);
            all.left.extend(charges.filter_map(|one| self.left_at_once(node, arrivals, &one, departures, left)));
        }
    }

    /// The charges that have come to one of the `SoCs`: some are left there, and those that no other beats go on to the next.
    fn go_on(&self, node: RoadIndex, place: usize, arrivals: &[Arrival], departures: &Departures, all: &mut Charges) {
        let kwh_a_point = self.trip.kwh_a_point(node);
        self.step(all.going[place].len() + all.waiting[place].len());
        let mut here = self.unbeaten_going(node, std::mem::take(&mut all.going[place]), arrivals);
        let waiting = self.unbeaten_waiting(node, std::mem::take(&mut all.waiting[place]), arrivals);
        let (points, minutes) = departures.step_to(place);
        let held: Vec<Going> = if self.fineness.optimistic {
            let step = (points * kwh_a_point, minutes);
            let held = here.iter().filter_map(|one| one.at_the_fall(self.trip, node, step));
            held.chain(waiting.iter().map(|one| one.at_the_fall(self.trip, node))).collect()
        } else {
            here.iter().filter_map(|one| one.held_until_cheaper(self.trip, node)).collect()
        };
        let alone = held.is_empty();
        here.extend(held);
        here.retain(|one| self.is_worth_going_on(node, one, &arrivals[one.arrival], departures, place));
        if !alone {
            here = self.unbeaten_going(node, here, arrivals);
        }
        for one in here.iter().filter(|one| one.may_be_left()) {
            let left = self.left_with(node, departures, place, one);
            all.left.extend(left.filter_map(|left| self.left_at_once(node, arrivals, one, departures, left)));
        }
        if place + 1 < departures.socs.len() {
            let (points, minutes) = departures.step_to(place + 1);
            let socs = (departures.socs[place], departures.socs[place + 1]);
            all.going[place + 1].extend(here.into_iter().filter_map(|one| one.on(self.trip, node, minutes, socs)));
            let step = (points * kwh_a_point, minutes);
            all.waiting[place + 1].extend(waiting.into_iter().filter_map(|one| one.on(step)));
        }
    }

    fn unbeaten_going(&self, node: RoadIndex, mut going: Vec<Going>, arrivals: &[Arrival]) -> Vec<Going> {
        if self.fineness.optimistic {
            return self.unbeaten_optimistic(node, going, arrivals);
        }
        let price = |one: &Going| arrivals[one.arrival].money + one.asked;
        going.sort_by_cached_key(|one| [rising(one.minute), rising(price(one))]);
        // Where no money counts, the earliest is enough.
        let alike = if self.fineness.slack.1 == f64::INFINITY { self.fineness.slack } else { (0.0, 0.0) };
        let mut stairs = Stairs::default();
        going.retain(|one| {
            stairs.of(self.kind_of(node, one, &arrivals[one.arrival])).add(one.minute, price(one), alike)
        });
        going
    }

    /// Charges of other kinds must not be held against each other.
    pub(super) fn kind_of(&self, node: RoadIndex, one: &Going, at: &Arrival) -> Kind {
        let (taken, stops, driven, _) = self.kind(at.taken, at.stops, at.driven, 0.0);
        let pause = one.pause.map_or(0, |(index, until)| 1 + index as u32 + 64 * (until / self.pauses_alike()) as u32);
        // Where one stays for a while, it counts when each arrived.
        let pause = if self.trip.sites[node].stay > 0.0 { one.arrival as u32 + 1 } else { pause };
        // One that was held has the cheaper minutes before it: those that were not must not be held against it.
        let held = if self.fineness.optimistic { 0 } else { one.held };
        (taken, stops, driven, 2 * pause + held)
    }

    /// Whether a charge may still come to something that is wanted.
    fn is_worth_going_on(
        &self,
        node: RoadIndex,
        one: &Going,
        arrival: &Arrival,
        departures: &Departures,
        place: usize,
    ) -> bool {
        let taken = arrival.taken | one.pause.map_or(0, |(index, _)| 1 << index);
        let togo = departures.charging_to_go[place].as_ref();
        togo.is_some_and(|to_go| !self.rule_out((node, taken), one.minute, arrival.money + one.asked, to_go))
    }

    pub(super) fn left_at_once(
        &self,
        node: RoadIndex,
        arrivals: &[Arrival],
        one: &Going,
        departures: &Departures,
        Left { place, wide, longest, goes }: Left,
    ) -> Option<Label> {
        let (trip, arrival) = (self.trip, &arrivals[one.arrival]);
        let to_go = departures.to_go[place].as_ref()?;
        let taken = arrival.taken | one.pause.map_or(0, |(index, _)| 1 << index);
        let over = one.minute;
        let stays = over.max(arrival.minute + trip.sites[node].stay);
        let leaves = one.pause.map_or(stays, |(_, until)| stays.max(until));
        let mut money = arrival.money + one.asked;
        // Who stands on anyway is no later with more, and may have charged for longer.
        let wide = if leaves > over { Wide { minutes: 0.0, ..wide } } else { wide };
        let over = over + longest.min(leaves - over);
        if leaves > over {
            let mut bill = Bill::by_clock(0.0, true);
            trip.sites[node].price.park(&mut bill, over, leaves - over);
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
            wide,
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
        let most = if self.fineness.optimistic { usize::MAX } else { MOST_BEGINNINGS };
        // Who comes shortly before a site closes may wait until it opens again.
        let opens = site.opens_after(ready).filter(|&opens| opens <= ready + LONGEST_WAIT);
        begin.extend(falls.iter().take(most).copied().chain(opens).map(|later| (later, later)));
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
        let optimistic = self.fineness.optimistic;
        let settled = self.settled(node, arrival, begins, false).1;
        if let Some(first) = departures.above(arrival.soc).next().filter(|_| optimistic) {
            let Left { wide, .. } = self.left_with_hardly_more(node, departures, first, (arrival, begins));
            let stands = Stands { charged: begins, depart: departures.socs[first], wide, money: 0.0, bill: None };
            self.leave(
                node,
                arrival,
                &stands,
                (Choice { depart: stands.depart, ..choice }, variants),
                departures,
                labels,
            );
        }
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
            // An optimistic search leaves with what lies below the next.
            let next = departures.socs.get(place + 1).copied().filter(|_| optimistic).unwrap_or(to);
            let wide = if next > to { self.charged_between(node, (to, next), until) } else { Wide::default() };
            let (money, bill) = (settled + site.price.total(&bill), Some(bill));
            let stands = Stands { charged: until, depart: next, wide, money, bill };
            self.leave(node, arrival, &stands, (Choice { depart: next, ..choice }, variants), departures, labels);
        }
    }

    /// Stands without a charge, for a pause or a rest.
    fn stand(&self, node: RoadIndex, arrival: &Arrival, departures: &Departures, labels: &mut Vec<Label>) {
        let wanted = self.trip.sites[node].leave;
        if wanted.is_some_and(|wanted| !arrival.may_have(wanted)) {
            return;
        }
        let (depart, wide) = wanted.map_or((arrival.soc, arrival.wide), |wanted| (wanted, Wide::default()));
        let stands = Stands { charged: arrival.minute, depart, wide, money: 0.0, bill: None };
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
                wide: Wide { minutes: 0.0, ..stands.wide },
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

/// How a charge may be left.
#[derive(Clone, Copy, PartialEq)]
enum Variants {
    /// At once, after a pause or after a rest.
    All,
    /// After a rest only.
    Rest,
}

impl Arrival {
    /// Whether one of its plans may have a SoC.
    fn may_have(&self, soc: f64) -> bool {
        soc >= self.soc - self.wide.points - SAME_DEPARTURE && soc <= self.soc + SAME_DEPARTURE
    }

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
    /// The plans that it stands for.
    wide: Wide,
    money: f64,
    bill: Option<Bill>,
}

/// Charges of a site by the place of the SoC that they have come to, and what has left.
struct Charges {
    going: Vec<Vec<Going>>,
    waiting: Vec<Vec<Waiting>>,
    left: Vec<Label>,
}

/// A charge that goes on, at one of the `SoCs` of its site.
#[derive(Clone, Copy)]
pub(super) struct Going {
    pub(super) arrival: usize,
    pub(super) not_before: f64,
    /// When it began.
    pub(super) begun: f64,
    pub(super) minute: f64,
    /// What was asked so far, and whether a flat price was.
    pub(super) asked: f64,
    pub(super) flat: bool,
    /// When the site closes.
    pub(super) closes: f64,
    /// Whether it was held for a fall of the price, 1, or not, 0; and until when.
    pub(super) held: u32,
    pub(super) held_until: f64,
    /// The occasion that is taken meanwhile, and until when one stands for it.
    pub(super) pause: Option<(usize, f64)>,
}

impl Going {
    /// A charge of an arrival that begins at a minute.
    fn begun(arrival: usize, begins: f64) -> Self {
        Self {
            arrival,
            not_before: 0.0,
            begun: begins,
            minute: begins,
            asked: 0.0,
            flat: false,
            closes: f64::INFINITY,
            held: 0,
            held_until: 0.0,
            pause: None,
        }
    }

    /// The same charge begun later, so that it is just here when the price falls. Where no price changes before, it costs the
    /// same as begun at once.
    fn held_until_cheaper(&self, trip: &ClockTrip, node: RoadIndex) -> Option<Self> {
        let price = &trip.sites[node].price;
        if self.held > 0 || self.not_before > 0.0 || !price.changes(self.begun + 1e-6, self.minute).is_empty() {
            return None;
        }
        let &fall = price.falls(self.minute + 1e-6, self.minute + LONGEST_HOLD).first()?;
        let is_next = fall < self.closes && price.changes(self.minute + 1e-6, fall - 1e-6).is_empty();
        is_next.then(|| {
            let begun = self.begun + fall - self.minute;
            Self { not_before: begun, begun, minute: fall, held: 1, held_until: fall, ..*self }
        })
    }

    /// Whether it may be over now.
    fn may_be_left(&self) -> bool {
        self.held == 0 || self.minute > self.held_until + 1e-9
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

/// The `SoCs` that a site is tried to be left with, rising.
pub(super) struct Departures {
    pub(super) socs: Vec<f64>,
    from_empty: Vec<f64>,
    /// Fewest minutes, and most, that a point takes from each to the next, where the search is optimistic.
    pub(super) paces: Vec<(f64, f64)>,
    /// The place that is just enough for the end.
    pub(super) to_the_end: Option<usize>,
    /// The least that is still to come; `None` for those that lead nowhere.
    to_go: Vec<Option<ToGo>>,
    /// The same for a charge that is there, which may go on.
    charging_to_go: Vec<Option<ToGo>>,
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
        let from_empty = |soc: f64| charge_walk::from_empty(stall, soc);
        if fineness.optimistic {
            optimistic::cut_where_minutes_are_given_away(trip, fineness.step, &mut socs, from_empty);
        }
        let least = problem.leg(Node::Site(node), Node::End).map(|leg| (leg.least * 1e5).ceil() / 1e5);
        let none = Bounds::default();
        let bounds = limits.bounds.unwrap_or(&none);
        let to_go = bounds.to_go(trip, Node::Site(node), &socs);
        let paces = socs.windows(2).filter(|_| fineness.optimistic);
        let mut all = Self {
            paces: paces.map(|pair| optimistic::paces_between(trip, node, (pair[0], pair[1]))).collect(),
            from_empty: socs.iter().map(|&soc| from_empty(soc)).collect(),
            to_the_end: least.and_then(|least| socs.iter().position(|soc| (soc - least).abs() < 1e-6)),
            to_go,
            charging_to_go: Vec::new(),
            socs,
        };
        all.charging_to_go = bounds.while_charging(trip, node, &all.socs, &all.to_go, |place| all.step_to(place));
        all
    }

    /// Points and minutes from the SoC before to that of a place.
    pub(super) fn step_to(&self, place: usize) -> (f64, f64) {
        let before = place.saturating_sub(1);
        (self.socs[place] - self.socs[before], self.from_empty[place] - self.from_empty[before])
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
