//! What one may do at a site: when to begin to charge, with what to leave, and for what to stand on.

use super::bounds::{Bounds, ToGo};
use super::charge_walk::{self, ChargeWalk};
use super::clock_trip::ClockTrip;
use super::labels::{Arrival, Decided, Goes, Kind, Label, Wide};
use super::occasion::{MOST_OCCASIONS, OccasionIndex};
use super::optimistic::{self, Left};
use super::price_clock::Bill;
use super::replay::SAME_DEPARTURE;
use super::search::{Fineness, Limits, Search};
use crate::model::leg::Node;
use crate::model::road_index::RoadIndex;

/// How long one may wait for another price, minutes.
pub(super) const LONGEST_WAIT: f64 = 1440.0;
/// How long a charge may begin later so that a part of it is cheaper, minutes.
pub(super) const LONGEST_HOLD: f64 = 1440.0;
/// Most times at which a charge is tried to begin, beside at once.
pub(super) const MOST_BEGINNINGS: usize = 3;
/// Pauses that end within so many minutes of each other are alike.
const PAUSES_ALIKE: f64 = 2.0;
/// The same where a bound is searched, which takes the soonest of those alike.
const BOUNDED_ALIKE: f64 = 0.03;
/// A charge of fewer points than this is none.
const LEAST_CHARGE: f64 = 0.05;

impl Search<'_> {
    /// All departures from a site, from all arrivals. Where a price depends on the clock alone and there is no boost, charges
    /// that have come to one SoC go on alike: there they meet, and only those go on that no other beats.
    pub(super) fn charge(&self, node: RoadIndex) -> Vec<Label> {
        let departures = Departures::new(self.trip, node, self.fineness, self.limits);
        let rates = self.trip.sites[node].rates.as_ref();
        let Some(rates) = rates.filter(|_| self.trip.problem.stalls[node].boost().is_none()) else {
            return self.charge_apart(node, &self.unbeaten_arrivals(node), &departures);
        };
        let mut labels = if self.fineness.optimistic {
            self.charge_optimistically(node, &self.unbeaten_arrivals(node), &departures)
        } else {
            self.charge_together((node, rates), &departures)
        };
        self.stand_on(node, &departures, &mut labels);
        labels
    }

    /// Stands for a pause or a rest, with or without a charge.
    fn stand_on(&self, node: RoadIndex, departures: &Departures, labels: &mut Vec<Label>) {
        let rests = self.trip.wishes.most_drive.is_some();
        if !rests && !self.trip.occasions.iter().any(|occasion| self.trip.can_pause(node, occasion)) {
            return;
        }
        for arrival in self.unbeaten_arrivals(node) {
            if rests || !self.pauses_at(node, &arrival).is_empty() {
                self.stand(node, &arrival, departures, labels);
            }
            // Charges that meet are left for a rest, too.
            if rests && self.fineness.optimistic {
                for begins in self.beginnings(node, &arrival) {
                    self.charge_from(node, &arrival, begins, Variants::Rest, departures, labels);
                }
            }
        }
    }

    /// Charges where each depends on how it began.
    fn charge_apart(&self, node: RoadIndex, arrivals: &[Arrival], departures: &Departures) -> Vec<Label> {
        let mut labels = Vec::new();
        for arrival in arrivals {
            if self.is_given_up() {
                break;
            }
            self.step(departures.socs.len());
            for begins in self.beginnings(node, arrival) {
                self.charge_from(node, arrival, begins, Variants::All, departures, &mut labels);
            }
        }
        labels
    }

    /// Whether nothing is wanted of whoever leaves a site with these pauses taken.
    pub(super) fn rule_out(&self, (node, taken): (RoadIndex, u32), leaves: f64, money: f64, to_go: &ToGo) -> bool {
        let end = self.trip.soonest_end(node, leaves, taken, to_go.minutes);
        self.limits.rule_out((leaves, end), money, to_go, &self.near)
    }

    /// Pauses that end within so many minutes of each other are alike.
    pub(super) fn pauses_alike(&self) -> f64 {
        if self.fineness.optimistic { BOUNDED_ALIKE } else { PAUSES_ALIKE }
    }

    /// The occasions that may be taken here, each with the minute until which one stands then.
    pub(super) fn pauses_at(&self, node: RoadIndex, arrival: &Arrival) -> Vec<Pause> {
        let mut found = Vec::new();
        for (index, occasion) in self.trip.occasions.iter_enumerated() {
            let begins = arrival.minute.max(occasion.from);
            // Nobody waits longer for a pause than a night for the next day's.
            let near = occasion.from <= arrival.minute + LONGEST_WAIT;
            let open = arrival.taken & index.bit() == 0 && begins <= occasion.to && near;
            if open && self.trip.can_pause(node, occasion) {
                let (until, alike) = (begins + occasion.length, self.pauses_alike());
                // An optimistic search takes the soonest of those that are alike.
                let until = if self.fineness.optimistic { (until / alike).floor() * alike } else { until };
                found.push((For::Occasion(index), until));
            }
        }
        found
    }

    /// Charges of other kinds must not be held against each other.
    pub(super) fn kind_of(&self, node: RoadIndex, (number, at): (u64, &Arrival), pause: Option<Pause>) -> Kind {
        let (taken, stops, driven, _) = self.kind(at.taken, at.stops, at.driven, 0.0);
        let alike = |until: f64| 64 * (until / self.pauses_alike()) as u64;
        let pause = pause.map_or(0, |(of, until)| 1 + of.number() + alike(until));
        // Where one stays for a while, it counts when each arrived.
        let pause = if self.trip.sites[node].stay > 0.0 { number + 1 } else { pause };
        (taken, stops, driven, pause)
    }

    /// A charge that is left when it, the stay and the pause are over; `None` where nothing is wanted of that.
    pub(super) fn left_at_once(
        &self,
        node: RoadIndex,
        arrival: &Arrival,
        charged: &Charged,
        departures: &Departures,
        Left { place, wide, longest, goes }: Left,
    ) -> Option<Label> {
        let trip = self.trip;
        let to_go = departures.to_go[place].as_ref()?;
        let taken = arrival.taken | charged.pause.map_or(0, |(of, _)| of.bit());
        let (over, mut money) = (charged.minute, charged.money);
        let stays = over.max(arrival.minute + trip.sites[node].stay);
        let leaves = charged.pause.map_or(stays, |(_, until)| stays.max(until));
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
        let of = charged.pause.map(|(of, _)| of);
        let (pause, rest) = (of.and_then(For::occasion), matches!(of, Some(For::Rest)));
        Some(Label {
            minute: leaves,
            money,
            driven: if rested { 0.0 } else { arrival.driven },
            taken,
            stops: arrival.stops,
            depart,
            wide,
            goes,
            before: Some(arrival.before),
            decided: Decided { not_before: charged.not_before, pause, rest, roadside: arrival.roadside },
        })
    }

    /// When a charge may begin: as soon as the site is open, or when its price falls.
    pub(super) fn beginnings(&self, node: RoadIndex, arrival: &Arrival) -> Vec<(f64, f64)> {
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
        if not_before == 0.0 && variants == Variants::All {
            self.stand(node, arrival, departures, labels);
        }
        let walk = ChargeWalk::new(trip, node, arrival.soc);
        let optimistic = self.fineness.optimistic;
        let settled = self.settled(node, arrival, begins, false).1;
        if let Some(first) = departures.above(arrival.soc).next().filter(|_| optimistic) {
            let Left { wide, .. } = self.left_with_hardly_more(node, departures, first, (arrival, begins, false));
            let stands = Stands { charged: begins, depart: departures.socs[first], wide, money: 0.0, bill: None };
            self.leave(node, arrival, &stands, (not_before, variants), departures, labels);
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
            self.leave(node, arrival, &stands, (not_before, variants), departures, labels);
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
        self.leave(node, arrival, &stands, (0.0, Variants::All), departures, labels);
    }

    /// Leaves at once, or stands on for a pause or a rest.
    fn leave(
        &self,
        node: RoadIndex,
        arrival: &Arrival,
        stands: &Stands,
        (not_before, variants): (f64, Variants),
        departures: &Departures,
        labels: &mut Vec<Label>,
    ) {
        let (trip, wishes) = (self.trip, &self.trip.wishes);
        let rest = wishes.rest.map(spare_hour_core::quantity::Minutes::get);
        let mut leave = |leaves: f64, pause: Option<OccasionIndex>, rests: bool| {
            let taken = arrival.taken | pause.map_or(0, OccasionIndex::bit);
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
                before: Some(arrival.before),
                decided: Decided { not_before, pause, rest: rests, roadside: arrival.roadside },
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
            for (of, until) in self.pauses_at(node, arrival) {
                leave(stays.max(until), of.occasion(), false);
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

/// What one stands on for: an occasion that is taken, or the rest between drives.
#[derive(Clone, Copy)]
pub(super) enum For {
    Occasion(OccasionIndex),
    Rest,
}

/// What one stands on for, and until when.
pub(super) type Pause = (For, f64);

impl For {
    /// The bit of the occasion in the mask of those that are taken.
    pub(super) fn bit(self) -> u32 {
        self.occasion().map_or(0, OccasionIndex::bit)
    }

    /// Another for each.
    fn number(self) -> u64 {
        self.occasion().map_or(MOST_OCCASIONS, usize::from) as u64
    }

    fn occasion(self) -> Option<OccasionIndex> {
        match self {
            Self::Occasion(index) => Some(index),
            Self::Rest => None,
        }
    }
}

/// A charge that is over.
pub(super) struct Charged {
    pub(super) minute: f64,
    /// What was spent by then.
    pub(super) money: f64,
    pub(super) not_before: f64,
    pub(super) pause: Option<Pause>,
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
    pub(super) from_empty: Vec<f64>,
    /// Fewest minutes, and most, that a point takes from each to the next, where the search is optimistic.
    pub(super) paces: Vec<(f64, f64)>,
    /// The place that is just enough for the end.
    pub(super) to_the_end: Option<usize>,
    /// The least that is still to come; `None` for those that lead nowhere.
    pub(super) to_go: Vec<Option<ToGo>>,
    /// The same for a charge that is there, which may go on.
    pub(super) charging_to_go: Vec<Option<ToGo>>,
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
    pub(super) fn above(&self, soc: f64) -> std::ops::Range<usize> {
        self.socs.partition_point(|&to| to < soc + LEAST_CHARGE)..self.socs.len()
    }

    /// The least that is still to come from leaving with a SoC: that of the next place above, which is no more.
    fn at_or_above(&self, soc: f64) -> Option<&ToGo> {
        let next = self.socs.partition_point(|&to| to < soc - 1e-9);
        self.to_go.get(next)?.as_ref()
    }
}
