//! Labels over (site, SoC, clock, money, pauses taken): every way to drive that no other beats in both minutes and money.
//!
//! Sites in driving order. A label arrives with its exact SoC; a charge from there is tried to every SoC of a grid, every
//! point of the car's curves, and just enough for each place that can be driven to; it may begin at once, when the site opens, or
//! when its price changes; and one may stand on for a pause or a rest. Of labels with as much SoC and the same pauses those
//! stay that nothing beats in clock and money: waiting is always allowed, so earlier is never worse. A label is dropped where
//! even the least minutes and least money to the end are beaten by a plan that is known.

use std::collections::HashMap;

use super::clock_trip::ClockTrip;
use super::price_clock::Bill;
use super::staircase::Staircase;
use crate::StopSign;
use crate::model::leg::{Leg, Node};
use crate::model::road_index::RoadIndex;
use spare_hour_core::quantity::Soc;

/// How long one may wait for another price, minutes.
const LONGEST_WAIT: f64 = 720.0;
/// How long a charge may begin later so that a part of it is cheaper, minutes.
const LONGEST_HOLD: f64 = 240.0;
/// Most times at which a charge is tried to begin, beside at once.
const MOST_BEGINNINGS: usize = 3;
/// Ways that are beaten by no more minutes and money are kept: moving their departures may make them unbeaten.
const NEARLY: (f64, f64) = (2.0, 0.3);
/// Pauses that end within so many minutes of each other are alike.
const PAUSES_ALIKE: f64 = 2.0;
/// A charge of fewer points than this is none.
const LEAST_CHARGE: f64 = 0.05;
/// Drives since a rest are told apart in steps of so many minutes.
const DRIVEN_STEP: f64 = 10.0;

/// How finely a search looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Fineness {
    /// Step of the SoC on leaving, points.
    pub(crate) step: f64,
    /// How much later and dearer a label may be than one that makes it be dropped.
    pub(crate) slack: (f64, f64),
}

/// What was decided about one stop.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Choice {
    pub(crate) node: RoadIndex,
    pub(crate) depart: f64,
    /// Do not plug in before this minute of the trip; 0 at once.
    pub(crate) not_before: f64,
    /// The occasion that is taken here.
    pub(crate) pause: Option<usize>,
    /// Whether one stands for the rest between drives.
    pub(crate) rest: bool,
    /// The occasion that was taken at the roadside on the way here.
    pub(crate) roadside: Option<usize>,
}

/// A way to drive: its stops, and an occasion taken on the last leg.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Choices {
    pub(crate) stops: Vec<Choice>,
    pub(crate) last_roadside: Option<usize>,
}

impl Choices {
    /// Stops left with these `SoCs`, charged at once.
    pub(crate) fn without_a_clock(departures: &[(RoadIndex, f64)]) -> Self {
        let choice = |&(node, depart): &(RoadIndex, f64)| Choice {
            node,
            depart,
            not_before: 0.0,
            pause: None,
            rest: false,
            roadside: None,
        };
        Self { stops: departures.iter().map(choice).collect(), last_roadside: None }
    }
}

/// A label on leaving a node.
#[derive(Clone, Copy)]
struct Label {
    minute: f64,
    money: f64,
    driven: f64,
    taken: u32,
    stops: u32,
    depart: f64,
    /// The label before, and what was decided.
    before: usize,
    choice: Choice,
}

/// An arrival at a site.
#[derive(Clone, Copy)]
struct Arrival {
    minute: f64,
    money: f64,
    driven: f64,
    taken: u32,
    stops: u32,
    soc: f64,
    before: usize,
    roadside: Option<usize>,
}

/// A drive along a leg, perhaps with a pause at the roadside.
#[derive(Clone, Copy)]
struct Driven {
    minute: f64,
    driven: f64,
    taken: u32,
    roadside: Option<usize>,
}

/// Labels that may only be held against each other: pauses taken, stops made, drive since a rest, and SoC where a boost
/// depends on it.
type Kind = (u32, u32, u32, u32);

/// A staircase for each kind; there are few.
#[derive(Default)]
struct Stairs(Vec<(Kind, Staircase)>);

impl Stairs {
    fn of(&mut self, kind: Kind) -> &mut Staircase {
        let at = self.0.iter().rposition(|known| known.0 == kind).unwrap_or_else(|| {
            self.0.push((kind, Staircase::default()));
            self.0.len() - 1
        });
        &mut self.0[at].1
    }
}

pub(crate) struct Search<'a> {
    trip: &'a ClockTrip,
    fineness: Fineness,
    /// Minutes and money of plans that are known.
    known: &'a Staircase,
    labels: Vec<Label>,
    arrivals: HashMap<RoadIndex, Vec<Arrival>>,
    ends: Vec<(f64, f64, usize, Option<usize>)>,
    ended: Staircase,
}

impl<'a> Search<'a> {
    /// Every way that no other beats, as fine as told; `None` when told to stop.
    pub(crate) fn run(
        trip: &'a ClockTrip,
        fineness: Fineness,
        known: &'a Staircase,
        stop: &StopSign,
    ) -> Option<Vec<Choices>> {
        let mut search = Self {
            trip,
            fineness,
            known,
            labels: Vec::new(),
            arrivals: HashMap::new(),
            ends: Vec::new(),
            ended: Staircase::default(),
        };
        let nowhere =
            Choice { node: RoadIndex(0), depart: 0.0, not_before: 0.0, pause: None, rest: false, roadside: None };
        let start = trip.problem.trip.goal.start.get();
        let first = Label {
            minute: 0.0,
            money: 0.0,
            driven: 0.0,
            taken: 0,
            stops: 0,
            depart: start,
            before: usize::MAX,
            choice: nowhere,
        };
        search.labels.push(first);
        search.drive_on(Node::Start, 0);
        for node in trip.problem.road() {
            if stop.is_raised() {
                return None;
            }
            let arrivals = search.arrivals.remove(&node).unwrap_or_default();
            let arrivals = search.unbeaten_arrivals(arrivals);
            let departures = search.charge(node, &arrivals);
            let departures = search.unbeaten_departures(departures);
            for label in departures {
                search.labels.push(label);
                search.drive_on(Node::Site(node), search.labels.len() - 1);
            }
        }
        Some(search.ways())
    }

    fn ways(&self) -> Vec<Choices> {
        let way = |&(_, _, label, roadside): &(f64, f64, usize, Option<usize>)| {
            let mut stops = Vec::new();
            let mut at = label;
            while at != usize::MAX && self.labels[at].before != usize::MAX {
                stops.push(self.labels[at].choice);
                at = self.labels[at].before;
            }
            stops.reverse();
            Choices { stops, last_roadside: roadside }
        };
        self.ends.iter().map(way).collect()
    }

    /// Drives from a label to every place that it can get to.
    fn drive_on(&mut self, from: Node, label: usize) {
        let trip = self.trip;
        let at = self.labels[label];
        for leg in trip.problem.legs(from) {
            if !leg.allows(at.depart) || self.passes_a_visit(from, leg.to) {
                continue;
            }
            for driven in self.drives(&at, leg) {
                self.reach(leg, label, &driven);
            }
        }
    }

    fn reach(&mut self, leg: &Leg, label: usize, driven: &Driven) {
        let at = self.labels[label];
        if let Node::Site(node) = leg.to {
            if self.trip.wishes.most_stops.is_some_and(|most| at.stops >= most) {
                return;
            }
            let arrival = Arrival {
                minute: driven.minute,
                money: at.money,
                driven: driven.driven,
                taken: driven.taken,
                stops: at.stops + 1,
                soc: leg.arrive(at.depart),
                before: label,
                roadside: driven.roadside,
            };
            self.arrivals.entry(node).or_default().push(arrival);
        } else {
            let bounds = &self.trip.wishes;
            let dear = bounds.most_cost.is_some_and(|most| at.money > most + 1e-9);
            let late = bounds.most_time.is_some_and(|most| driven.minute > most.get() + 1e-9);
            let beaten = self.ended.beats(driven.minute - NEARLY.0, at.money - NEARLY.1, (0.0, 0.0));
            if !dear && !late && !beaten {
                self.ended.add(driven.minute, at.money, (0.0, 0.0));
                self.ends.push((driven.minute, at.money, label, driven.roadside));
            }
        }
    }

    /// Whether a leg goes past a site that is to be visited.
    fn passes_a_visit(&self, from: Node, to: Node) -> bool {
        let first = match from {
            Node::Site(RoadIndex(node)) => node + 1,
            _ => 0,
        };
        let last = match to {
            Node::Site(RoadIndex(node)) => node,
            _ => self.trip.sites.len(),
        };
        (first..last).any(|node| self.trip.sites[RoadIndex(node)].visit)
    }

    /// The ways to drive a leg: straight on, or with a pause at the roadside.
    fn drives(&self, at: &Label, leg: &Leg) -> Vec<Driven> {
        let (trip, wishes) = (self.trip, &self.trip.wishes);
        let most = wishes.most_drive.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get) + 1e-9;
        let rest = wishes.rest.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get);
        let end = at.minute + leg.minutes;
        let mut ways = Vec::new();
        if trip.due_by(end) & !at.taken == 0 && at.driven + leg.minutes <= most {
            ways.push(Driven { minute: end, driven: at.driven + leg.minutes, taken: at.taken, roadside: None });
        }
        for (index, occasion) in trip.occasions.iter().enumerate() {
            let taken = at.taken | 1 << index;
            let anywhere = wishes.pauses[occasion.pause].anywhere;
            let (soonest, latest) = (at.minute.max(occasion.from), end.min(occasion.to));
            if !anywhere || at.taken & 1 << index != 0 || soonest > latest {
                continue;
            }
            let later = if wishes.most_drive.is_some() && latest > soonest { Some(latest) } else { None };
            for begins in [Some(soonest), later].into_iter().flatten() {
                let rests = occasion.length >= rest;
                let before = at.driven + begins - at.minute;
                let after = if rests { end - begins } else { at.driven + leg.minutes };
                let minute = end + occasion.length;
                if before <= most && after <= most && trip.due_by(minute) & !taken == 0 {
                    ways.push(Driven { minute, driven: after, taken, roadside: Some(index) });
                }
            }
        }
        ways
    }

    fn kind(&self, taken: u32, stops: u32, driven: f64, soc: f64) -> Kind {
        let wishes = &self.trip.wishes;
        let stops = if wishes.most_stops.is_some() { stops } else { 0 };
        let driven = if wishes.most_drive.is_some() { (driven / DRIVEN_STEP).ceil() as u32 } else { 0 };
        let soc = if self.trip.problem.trip.vehicle.boost.is_some() { (2.0 * soc) as u32 } else { 0 };
        (taken, stops, driven, soc)
    }

    fn unbeaten_arrivals(&self, mut arrivals: Vec<Arrival>) -> Vec<Arrival> {
        arrivals.sort_by(|a, b| {
            b.soc.total_cmp(&a.soc).then(a.minute.total_cmp(&b.minute)).then(a.money.total_cmp(&b.money))
        });
        let mut stairs = Stairs::default();
        arrivals.retain(|at| {
            let kind = self.kind(at.taken, at.stops, at.driven, at.soc);
            stairs.of(kind).add(at.minute, at.money, self.fineness.slack)
        });
        arrivals
    }

    fn unbeaten_departures(&self, mut labels: Vec<Label>) -> Vec<Label> {
        labels.sort_by(|a, b| {
            b.depart.total_cmp(&a.depart).then(a.minute.total_cmp(&b.minute)).then(a.money.total_cmp(&b.money))
        });
        let mut stairs = Stairs::default();
        labels.retain(|at| {
            let kind = self.kind(at.taken, at.stops, at.driven, at.depart);
            stairs.of(kind).add(at.minute, at.money, self.fineness.slack)
        });
        labels
    }

    /// All departures from a site, from all arrivals. Where a price depends on the clock alone and there is no boost, charges
    /// that have come to one SoC go on alike: there they meet, and only those go on that no other beats.
    fn charge(&self, node: RoadIndex, arrivals: &[Arrival]) -> Vec<Label> {
        let departures = Departures::new(self.trip, node, self.fineness.step);
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

    /// The occasions that may be taken here, each with the minute until which one stands then.
    fn pauses_at(&self, node: RoadIndex, arrival: &Arrival) -> Vec<(usize, f64)> {
        let mut found = Vec::new();
        for (index, occasion) in self.trip.occasions.iter().enumerate() {
            let begins = arrival.minute.max(occasion.from);
            // Nobody waits longer for a pause than a night for the next day's.
            let near = occasion.from <= arrival.minute + LONGEST_WAIT;
            let open = arrival.taken & 1 << index == 0 && begins <= occasion.to && near;
            if open && self.trip.can_pause(node, occasion) {
                found.push((index, begins + occasion.length));
            }
        }
        found
    }

    /// Charges of all arrivals, from one SoC to the next, left as soon as they or a pause are over.
    fn charge_together(&self, node: RoadIndex, arrivals: &[Arrival], departures: &Departures) -> Vec<Label> {
        let (trip, count) = (self.trip, departures.socs.len());
        let mut going: Vec<Vec<Going>> = vec![Vec::new(); count];
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
                let bill = Bill::default();
                let begun = Going {
                    arrival: index,
                    not_before,
                    begun: begins,
                    minute: begins,
                    bill,
                    closes,
                    held: 0,
                    held_until: 0.0,
                    pause: None,
                };
                let minutes = walk.minutes(departures.socs[place], departures.from_empty[place]);
                let Some(begun) = begun.on(trip, node, minutes, (arrival.soc, departures.socs[place])) else {
                    continue;
                };
                let pauses =
                    self.pauses_at(node, arrival).into_iter().map(|pause| Going { pause: Some(pause), ..begun });
                going[place].extend(pauses.chain([begun]));
            }
        }
        let mut labels = Vec::new();
        for place in 0..count {
            let mut here = self.unbeaten_going(std::mem::take(&mut going[place]), arrivals);
            let held: Vec<Going> = here.iter().flat_map(|one| one.held_until_cheaper(trip, node)).collect();
            if !held.is_empty() {
                here.extend(held);
                here = self.unbeaten_going(here, arrivals);
            }
            for one in here.iter().filter(|one| one.held == 0 || one.minute > one.held_until + 1e-9) {
                labels.extend(self.left_at_once(node, arrivals, one, departures, place));
            }
            if place + 1 < count {
                let minutes = departures.from_empty[place + 1] - departures.from_empty[place];
                let socs = (departures.socs[place], departures.socs[place + 1]);
                going[place + 1].extend(here.into_iter().filter_map(|one| one.on(trip, node, minutes, socs)));
            }
        }
        labels
    }

    fn unbeaten_going(&self, mut going: Vec<Going>, arrivals: &[Arrival]) -> Vec<Going> {
        let price = |one: &Going| arrivals[one.arrival].money + one.bill.so_far();
        going.sort_by(|a, b| a.minute.total_cmp(&b.minute).then(price(a).total_cmp(&price(b))));
        let mut stairs = Stairs::default();
        going.retain(|one| {
            let at = &arrivals[one.arrival];
            // One that was held has the cheaper minutes before it: those that were not must not be held against it.
            let (taken, stops, driven, _) = self.kind(at.taken, at.stops, at.driven, 0.0);
            let pause = one.pause.map_or(0, |(index, until)| 1 + index as u32 + 64 * (until / PAUSES_ALIKE) as u32);
            stairs.of((taken, stops, driven, 2 * pause + one.held)).add(one.minute, price(one), (0.0, 0.0))
        });
        going
    }

    fn left_at_once(
        &self,
        node: RoadIndex,
        arrivals: &[Arrival],
        one: &Going,
        departures: &Departures,
        place: usize,
    ) -> Option<Label> {
        let (trip, arrival) = (self.trip, &arrivals[one.arrival]);
        let (go, more) = departures.least[place];
        let taken = arrival.taken | one.pause.map_or(0, |(index, _)| 1 << index);
        let leaves = one.pause.map_or(one.minute, |(_, until)| one.minute.max(until));
        let mut bill = one.bill;
        if leaves > one.minute {
            trip.sites[node].price.park(&mut bill, one.minute, leaves - one.minute);
        }
        let money = arrival.money + bill.so_far();
        let hopeless = departures.hopeless[place]
            || trip.due_by(leaves) & !taken != 0
            || self.known.beats(leaves + go, money + more, (0.0, 0.0));
        if hopeless {
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
            if departures.hopeless[place] {
                continue;
            }
            let stands = Stands { charged: until, depart: to, money: site.price.total(&bill), bill: Some(bill) };
            self.leave(node, arrival, &stands, (Choice { depart: to, ..choice }, variants), departures, labels);
        }
    }

    /// Stands without a charge, for a pause or a rest.
    fn stand(&self, node: RoadIndex, arrival: &Arrival, departures: &Departures, labels: &mut Vec<Label>) {
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
            let (go, more) = departures.to_go(stands.depart);
            if self.known.beats(leaves + go, money + more, (0.0, 0.0)) {
                return;
            }
            labels.push(Label {
                minute: leaves,
                money,
                driven,
                taken,
                stops: arrival.stops,
                depart: stands.depart,
                before: arrival.before,
                choice: Choice { pause, rest: rests, ..choice },
            });
        };
        if stands.bill.is_some() && variants == Variants::All {
            leave(stands.charged, None, false);
        }
        if let Some(rest) = rest.filter(|rest| wishes.most_drive.is_some() && arrival.minute + rest > stands.charged) {
            leave(arrival.minute + rest, None, true);
        }
        if variants == Variants::All {
            for (index, until) in self.pauses_at(node, arrival) {
                leave(stands.charged.max(until), Some(index), false);
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
    bill: Bill,
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
        trip.sites[node].price.charge(&mut self.bill, self.minute, minutes, plug, None);
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
    /// Those that lead nowhere.
    hopeless: Vec<bool>,
    /// Least minutes and money to the end.
    least: Vec<(f64, f64)>,
}

impl Departures {
    fn new(trip: &ClockTrip, node: RoadIndex, step: f64) -> Self {
        let problem = &trip.problem;
        let (floor, ceiling) = (problem.trip.goal.floor.get(), problem.ceiling);
        let steps = ((ceiling - floor) / step).floor() as usize;
        let mut socs: Vec<f64> = (0..=steps).map(|index| floor + index as f64 * step).collect();
        socs.push(ceiling);
        socs.extend(problem.trip.vehicle.charge_curve.knots());
        // Just enough for each place, a hair more so that a figure of five decimals still keeps the floor.
        socs.extend(problem.legs(Node::Site(node)).iter().map(|leg| (leg.least * 1e5).ceil() / 1e5));
        socs.retain(|&soc| soc >= floor && soc <= ceiling);
        socs.sort_by(f64::total_cmp);
        socs.dedup_by(|a, b| *a - *b < 1e-7);
        let stall = &problem.stalls[node];
        let go = |&soc: &f64| trip.least_minutes(Node::Site(node), soc);
        let minutes: Vec<Option<f64>> = socs.iter().map(go).collect();
        let least = socs
            .iter()
            .zip(&minutes)
            .map(|(&soc, minutes)| (minutes.unwrap_or(f64::INFINITY), trip.least_money(Node::Site(node), soc)));
        Self {
            from_empty: socs.iter().map(|&soc| stall.minutes(Soc::percent(0.0), Soc::percent(soc)).get()).collect(),
            hopeless: minutes.iter().map(Option::is_none).collect(),
            least: least.collect(),
            socs,
        }
    }

    /// The places above a SoC.
    fn above(&self, soc: f64) -> std::ops::Range<usize> {
        self.socs.partition_point(|&to| to < soc + LEAST_CHARGE)..self.socs.len()
    }

    /// Least minutes and money from leaving with a SoC: those of the next place above, which are no more.
    fn to_go(&self, soc: f64) -> (f64, f64) {
        let next = self.socs.partition_point(|&to| to < soc - 1e-9);
        let (minutes, money) = self.least.get(next).copied().unwrap_or((0.0, 0.0));
        (if minutes.is_finite() { minutes } else { 0.0 }, money)
    }
}
