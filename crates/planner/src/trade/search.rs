//! Labels over (site, SoC, clock, money, pauses taken): every way to drive that no other beats in both minutes and money.
//!
//! Sites in driving order. A label arrives with its exact SoC; a charge from there is tried to every SoC of a grid, every
//! point of the car's curves, and just enough for each place that can be driven to; it may begin at once, when the site opens, or
//! when its price changes; and one may stand on for a pause or a rest. Of labels with as much SoC and the same pauses those
//! stay that nothing beats in clock and money: waiting is always allowed, so earlier is never worse. A label is dropped where
//! even the least minutes and least money to the end are beaten by a plan that is known.

use std::cell::Cell;

use super::bounds::{Bounds, ToGo};
use super::choices::{Choice, Choices};
use super::clock_trip::ClockTrip;
use super::labels::{Along, Arrival, Arrives, Decided, Goes, Kind, Label, LabelId, SetOut, Stairs, Wide};
use super::occasion::OccasionIndex;
use super::staircase::Staircase;
use crate::StopSign;
use crate::model::leg::{Leg, Node};
use crate::model::road_index::RoadIndex;
use crate::strategies::Strategy;

/// Ways that are beaten by no more minutes and money are kept: moving their departures may make them unbeaten.
const NEARLY: (f64, f64) = (2.0, 0.3);
/// Who has so much less than enough, points, does not arrive.
const NEARLY_ENOUGH: f64 = 1e-3;
/// Drives since a rest are told apart in steps of so many minutes.
const DRIVEN_STEP: f64 = 5.0;

/// How finely a search looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Fineness {
    /// Step of the SoC on leaving, points.
    pub(crate) step: f64,
    /// How much later and dearer a label may be than one that makes it be dropped.
    pub(crate) slack: (f64, f64),
    /// Whether a label stands for every plan between two steps, and is no later and no dearer than any: then no plan is better than the
    /// best that is found.
    pub(crate) optimistic: bool,
}

/// A drive along a leg, perhaps with a pause at the roadside.
#[derive(Clone, Copy)]
struct Driven {
    minute: f64,
    driven: f64,
    taken: u32,
    roadside: Option<OccasionIndex>,
}

/// What need not be looked at.
#[derive(Default)]
pub(crate) struct Limits<'a> {
    /// What is still to come at least, beside minutes.
    pub(crate) bounds: Option<&'a Bounds>,
    /// Minutes and money of plans that are known.
    pub(crate) known: Staircase,
    /// Only plans whose minutes, with so many for a unit of money, are no more than that.
    pub(crate) best: Option<(f64, f64)>,
    /// By how much those may be later and dearer than what they make be dropped.
    pub(crate) but: (f64, f64),
    /// A rule that says when stalls are left, in place of every way to do so.
    pub(crate) rule: Option<Strategy>,
    /// Most steps, where it is given up beyond: charges at each of the `SoCs` that they come to.
    pub(crate) steps: Option<usize>,
}

impl Limits<'_> {
    /// Whether nothing is wanted that leaves at a minute with so much spent and ends no sooner than at another, where so much is
    /// still to come.
    pub(super) fn rule_out(&self, (minute, end): (f64, f64), money: f64, to_go: &ToGo, near: &Cell<usize>) -> bool {
        let none = Bounds::default();
        let bounds = self.bounds.unwrap_or(&none);
        self.best.is_some_and(|(worth, most)| bounds.over(worth, most, to_go, (minute, end), money))
            || bounds.beaten(&self.known, to_go, (minute, end), money, (self.but, near))
    }
}

pub(crate) struct Search<'a> {
    pub(super) trip: &'a ClockTrip,
    pub(super) fineness: Fineness,
    pub(super) limits: &'a Limits<'a>,
    stop: &'a StopSign,
    /// Steps so far.
    steps: Cell<usize>,
    /// Near which step of the plans that are known the last label was.
    pub(super) near: Cell<usize>,
    /// The labels that leave each node, in driving order.
    left: Vec<SetOut>,
    ends: Vec<(f64, f64, LabelId, Option<OccasionIndex>)>,
    ended: Staircase,
}

impl<'a> Search<'a> {
    /// Every way that no other beats, as fine as told; `None` when told to stop.
    pub(crate) fn run(
        trip: &'a ClockTrip,
        fineness: Fineness,
        limits: &'a Limits<'a>,
        stop: &'a StopSign,
    ) -> Option<Vec<Choices>> {
        Self::searched(trip, fineness, limits, stop).map(|search| search.ways())
    }

    fn searched(trip: &'a ClockTrip, fineness: Fineness, limits: &'a Limits<'a>, stop: &'a StopSign) -> Option<Self> {
        let slack = (fineness.slack.0, trip.money(fineness.slack.1));
        let mut search = Self {
            trip,
            fineness: Fineness { slack, ..fineness },
            limits,
            stop,
            steps: Cell::new(0),
            near: Cell::new(0),
            left: Vec::new(),
            ends: Vec::new(),
            ended: Staircase::default(),
        };
        let start = trip.problem.trip.goal.start.get();
        let first = Label {
            minute: 0.0,
            money: 0.0,
            driven: trip.wishes.driven.get(),
            taken: 0,
            stops: 0,
            depart: start,
            wide: Wide::default(),
            goes: Goes::Anywhere,
            before: None,
            decided: Decided { not_before: 0.0, pause: None, rest: false, roadside: None },
        };
        search.set_out(Node::Start, vec![first]);
        for node in trip.problem.road() {
            if search.is_given_up() {
                return None;
            }
            // One end that is not matched is enough to know that not all are.
            if fineness.optimistic && limits.best.is_none() && !search.ends.is_empty() {
                break;
            }
            if !search.is_reached(node) {
                continue;
            }
            let departures = search.charge(node);
            search.set_out(Node::Site(node), search.unbeaten_departures(departures));
        }
        if search.is_given_up() { None } else { Some(search) }
    }

    /// Whether it was told to stop, or takes more steps than it may.
    pub(super) fn is_given_up(&self) -> bool {
        self.limits.steps.is_some_and(|most| self.steps.get() > most) || self.stop.is_raised()
    }

    /// Counts steps.
    pub(super) fn step(&self, more: usize) {
        self.steps.set(self.steps.get() + more);
    }

    /// The least that any plan comes to where a unit of money is worth so many minutes, as far as an optimistic search finds it
    /// below its limit (infinite where it finds none), and the steps that took. `None` when told to stop, or given up.
    pub(crate) fn least(
        trip: &'a ClockTrip,
        step: f64,
        limits: &'a Limits<'a>,
        worth: f64,
        stop: &'a StopSign,
    ) -> Option<(f64, usize)> {
        // Where no money counts, the earliest of labels is enough.
        let for_money = if worth == 0.0 && limits.best.is_some() { f64::INFINITY } else { 0.0 };
        let fineness = Fineness { step, slack: (0.0, for_money), optimistic: true };
        let search = Self::searched(trip, fineness, limits, stop)?;
        let least = search.ends.iter().map(|end| end.0 + worth * end.1).fold(f64::INFINITY, f64::min);
        Some((least, search.steps.get()))
    }

    fn ways(&self) -> Vec<Choices> {
        let way = |&(_, _, label, roadside): &(f64, f64, LabelId, Option<OccasionIndex>)| {
            let mut stops = Vec::new();
            let mut id = label;
            while let (Node::Site(node), at) = (self.left[id.from as usize].node, self.label(id)) {
                let Decided { not_before, pause, rest, roadside } = at.decided;
                stops.push(Choice { node, depart: at.depart, not_before, pause, rest, roadside });
                let Some(before) = at.before else { break };
                id = before;
            }
            stops.reverse();
            Choices { stops, last_roadside: roadside }
        };
        self.ends.iter().map(way).collect()
    }

    fn label(&self, LabelId { from, label }: LabelId) -> &Label {
        &self.left[from as usize].labels[label as usize]
    }

    /// Labels leave a node, and those that can drive to the end.
    fn set_out(&mut self, from: Node, labels: Vec<Label>) {
        let leg = self.trip.problem.leg(from, Node::End).copied();
        if let Some(leg) = leg.filter(|_| !self.passes_a_visit(from, Node::End)) {
            let place = self.left.len() as u32;
            for (index, at) in labels.iter().enumerate() {
                let Some(along) = self.along(from, at, &leg) else { continue };
                let mut ways = Vec::new();
                self.drives(at, along.minute, &leg, |way| ways.push(way));
                for way in ways {
                    self.end(LabelId { from: place, label: index as u32 }, along.money, &way);
                }
            }
        }
        self.left.push(SetOut::new(from, labels));
    }

    /// A label as it drives a leg from a node; `None` where it does not.
    fn along(&self, from: Node, at: &Label, leg: &Leg) -> Option<Along> {
        let ruled_out = self.limits.rule.is_some_and(|rule| !rule.takes(&self.trip.problem, from, at.depart, leg));
        let elsewhere = at.goes == if leg.to == Node::End { Goes::ToSites } else { Goes::ToTheEnd };
        if ruled_out || elsewhere { None } else { at.along(leg) }
    }

    /// All that arrive at a site.
    fn arrivals(&self, node: RoadIndex) -> Vec<Arrival> {
        let mut all = Vec::new();
        self.each_arrival(node, |arrival, _| all.push(arrival));
        all
    }

    /// Tells all that arrive at a site, in order as they come from each place before: falling in SoC, rising in minutes.
    pub(super) fn each_arrival(&self, node: RoadIndex, mut tell: impl FnMut(Arrival, Arrives)) {
        let most_stops = self.trip.wishes.most_stops.unwrap_or(u32::MAX);
        for (place, left) in self.left.iter().enumerate() {
            let Some(leg) = self.leg(left.node, node) else { continue };
            for (index, at) in left.labels.iter().enumerate().filter(|(_, at)| at.stops < most_stops) {
                let before = LabelId { from: place as u32, label: index as u32 };
                self.ways_to_arrive((left.node, at, before), leg, &mut tell);
            }
        }
    }

    /// Tells minutes and money of those that leave a place with one SoC for a site, with that, the leg, and how the first arrives: where
    /// nothing else tells labels apart, and nobody pauses at the roadside.
    pub(super) fn each_run(&self, node: RoadIndex, mut tell: impl FnMut((f64, &Leg, Arrives), &[(f64, f64)])) {
        for (place, left) in self.left.iter().enumerate() {
            let Some(leg) = self.leg(left.node, node) else { continue };
            for &(first, end) in &left.runs {
                let at = &left.labels[first];
                if self.along(left.node, at, leg).is_some() {
                    let before = LabelId { from: place as u32, label: first as u32 };
                    tell((at.depart, leg, Arrives { before, way: 0 }), &left.clock[first..end]);
                }
            }
        }
    }

    /// Whether anyone may arrive at a site.
    fn is_reached(&self, node: RoadIndex) -> bool {
        let has_enough = |left: &SetOut| {
            let most = left.labels.first().map_or(f64::NEG_INFINITY, |at| at.depart);
            self.leg(left.node, node).is_some_and(|leg| most >= leg.least - NEARLY_ENOUGH)
        };
        self.left.iter().any(has_enough)
    }

    /// The leg to a site, if it may be driven and passes no site that is to be visited.
    fn leg(&self, from: Node, node: RoadIndex) -> Option<&'a Leg> {
        let trip = self.trip;
        trip.problem.leg(from, Node::Site(node)).filter(|_| !self.passes_a_visit(from, Node::Site(node)))
    }

    /// The arrival that was told so.
    pub(super) fn arrival(&self, node: RoadIndex, arrives: Arrives) -> Option<Arrival> {
        let from = self.left[arrives.before.from as usize].node;
        let mut found = None;
        if let Some(leg) = self.trip.problem.leg(from, Node::Site(node)) {
            self.ways_to_arrive((from, self.label(arrives.before), arrives.before), leg, &mut |arrival, way| {
                if way.way == arrives.way {
                    found = Some(arrival);
                }
            });
        }
        found
    }

    fn ways_to_arrive(
        &self,
        (from, at, before): (Node, &Label, LabelId),
        leg: &Leg,
        tell: &mut impl FnMut(Arrival, Arrives),
    ) {
        let Some(along) = self.along(from, at, leg) else { return };
        let mut ways = 0;
        self.drives(at, along.minute, leg, |way| {
            let arrival = Arrival {
                minute: way.minute,
                money: along.money,
                driven: self.told_apart(way.driven),
                taken: way.taken,
                stops: at.stops + 1,
                soc: leg.arrive(along.depart),
                wide: along.wide,
                before,
                roadside: way.roadside,
            };
            tell(arrival, Arrives { before, way: ways });
            ways += 1;
        });
    }

    fn end(&mut self, label: LabelId, money: f64, driven: &Driven) {
        let bounds = &self.trip.wishes;
        let dear = bounds.most_cost.is_some_and(|most| money > most + 1e-9);
        let late = bounds.most_time.is_some_and(|most| driven.minute > most.get() + 1e-9);
        let beaten = self.ended.beats(driven.minute - NEARLY.0, money - self.trip.money(NEARLY.1), (0.0, 0.0));
        let ends = (driven.minute, driven.minute);
        let unwanted = self.fineness.optimistic && self.limits.rule_out(ends, money, &ToGo::nothing(), &self.near);
        if !unwanted && !dear && !late && !beaten {
            self.ended.add(driven.minute, money, (0.0, 0.0));
            self.ends.push((driven.minute, money, label, driven.roadside));
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
    fn drives(&self, at: &Label, leaves: f64, leg: &Leg, mut drive: impl FnMut(Driven)) {
        let (trip, wishes) = (self.trip, &self.trip.wishes);
        let most = wishes.most_drive.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get) + 1e-9;
        let rest = wishes.rest.map_or(f64::INFINITY, spare_hour_core::quantity::Minutes::get);
        let end = leaves + leg.minutes;
        if trip.due_by(end) & !at.taken == 0 && at.driven + leg.minutes <= most {
            drive(Driven { minute: end, driven: at.driven + leg.minutes, taken: at.taken, roadside: None });
        }
        for (index, occasion) in trip.occasions.iter_enumerated() {
            let taken = at.taken | index.bit();
            let anywhere = wishes.pauses[occasion.pause].anywhere;
            let soonest = leaves.max(occasion.from);
            // Who is earlier than a plan would wait for the pause.
            let end = if self.fineness.optimistic { end.max(soonest) } else { end };
            let latest = end.min(occasion.to);
            if !anywhere || at.taken & index.bit() != 0 || soonest > latest {
                continue;
            }
            let later = if wishes.most_drive.is_some() && latest > soonest { Some(latest) } else { None };
            for begins in [Some(soonest), later].into_iter().flatten() {
                let rests = occasion.length >= rest;
                let before = at.driven + begins - leaves;
                let after = if rests { end - begins } else { at.driven + leg.minutes };
                let minute = end + occasion.length;
                if before <= most && after <= most && trip.due_by(minute) & !taken == 0 {
                    drive(Driven { minute, driven: after, taken, roadside: Some(index) });
                }
            }
        }
    }

    /// A drive since a rest as labels are told apart by it: an optimistic search takes the least of those alike.
    fn told_apart(&self, driven: f64) -> f64 {
        if self.fineness.optimistic { (driven / DRIVEN_STEP).floor() * DRIVEN_STEP } else { driven }
    }

    pub(super) fn kind(&self, taken: u32, stops: u32, driven: f64, soc: f64) -> Kind {
        let wishes = &self.trip.wishes;
        let stops = if wishes.most_stops.is_some() { stops } else { 0 };
        let driven = if wishes.most_drive.is_some() { (driven / DRIVEN_STEP).ceil() as u32 } else { 0 };
        let soc = if self.trip.problem.trip.vehicle.boost.is_some() { (2.0 * soc) as u64 } else { 0 };
        (taken, stops, driven, soc)
    }

    /// Those that arrive at a site and that no other beats, falling in SoC, rising in minutes.
    pub(super) fn unbeaten_arrivals(&self, node: RoadIndex) -> Vec<Arrival> {
        let arrivals = self.arrivals(node);
        let key = |(index, at): (usize, &Arrival)| (at.soc, at.minute, at.money, index);
        let mut order: Vec<(f64, f64, f64, usize)> = arrivals.iter().enumerate().map(key).collect();
        // A stable sort is quick where parts are in order.
        order.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.total_cmp(&b.1)).then(a.2.total_cmp(&b.2)));
        let mut stairs = Stairs::default();
        let unbeaten = order.into_iter().map(|(.., index)| arrivals[index]).filter(|at| {
            let stairs = stairs.of(self.kind(at.taken, at.stops, at.driven, at.soc));
            if at.wide == Wide::default() {
                return stairs.add(at.minute, at.money, self.fineness.slack);
            }
            let beaten = stairs.beats(at.minute, at.money, self.fineness.slack);
            // At the latest and dearest, it has charged all that its plans may lack.
            stairs.add(at.minute + at.wide.minutes, at.money + at.wide.money, (0.0, 0.0));
            !beaten
        });
        unbeaten.collect()
    }

    fn unbeaten_departures(&self, mut labels: Vec<Label>) -> Vec<Label> {
        // A stable sort is quick where all are in order already.
        labels.sort_by(|a, b| {
            b.depart.total_cmp(&a.depart).then(a.minute.total_cmp(&b.minute)).then(a.money.total_cmp(&b.money))
        });
        let kind = |at: &Label| {
            let (taken, stops, driven, soc) = self.kind(at.taken, at.stops, at.driven, at.depart);
            (taken, stops, driven, 3 * soc + at.goes as u64)
        };
        let mut stairs = Stairs::default();
        if self.fineness.optimistic {
            return self.unbeaten_optimistic_departures(labels, kind);
        }
        labels.retain(|at| stairs.of(kind(at)).add(at.minute, at.money, self.fineness.slack));
        labels
    }
}
