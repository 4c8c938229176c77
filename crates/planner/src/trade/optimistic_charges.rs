//! The charges of an optimistic search at one site, from one of its `SoCs` to the next.

use super::charge_walk::ChargeWalk;
use super::charges::{Charged, Departures, Pause};
use super::clock_trip::ClockTrip;
use super::labels::{Arrival, Label};
use super::optimistic::{Left, Waiting};
use super::price_clock::Bill;
use super::search::Search;
use crate::model::road_index::RoadIndex;

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
    /// Until when it was held for a fall of the price; before all else where it was not.
    pub(super) held_until: f64,
    pub(super) pause: Option<Pause>,
}

/// Charges of a site by the place of the SoC that they have come to, and what has left.
struct Charges<'a> {
    search: &'a Search<'a>,
    node: RoadIndex,
    arrivals: &'a [Arrival],
    departures: &'a Departures,
    going: Vec<Vec<Going>>,
    waiting: Vec<Vec<Waiting>>,
    left: Vec<Label>,
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
            held_until: f64::NEG_INFINITY,
            pause: None,
        }
    }

    /// The same charge, and beside it with each of some pauses.
    fn with_pauses(self, pauses: &[Pause]) -> impl Iterator<Item = Self> {
        pauses.iter().map(move |&pause| Self { pause: Some(pause), ..self }).chain([self])
    }

    /// Whether it may be over now.
    fn may_be_left(&self) -> bool {
        self.minute > self.held_until + 1e-9
    }

    /// The charge at the next SoC, so many points and minutes on; `None` where the site closes before.
    fn on(mut self, trip: &ClockTrip, node: RoadIndex, (points, minutes): (f64, f64)) -> Option<Self> {
        if self.minute + minutes > self.closes + 1e-6 {
            return None;
        }
        let mut bill = Bill::by_clock(self.asked, self.flat);
        trip.sites[node].price.charge(&mut bill, self.minute, minutes, points * trip.kwh_a_point(node), None);
        (self.asked, self.flat) = (bill.so_far(), bill.has_flat());
        self.minute += minutes;
        Some(self)
    }
}

impl Search<'_> {
    /// Charges of all arrivals, from one SoC to the next, left as soon as they or a pause are over, for no more than they take.
    pub(super) fn charge_optimistically(
        &self,
        node: RoadIndex,
        arrivals: &[Arrival],
        departures: &Departures,
    ) -> Vec<Label> {
        let count = departures.socs.len();
        let (going, waiting) = (vec![Vec::new(); count], vec![Vec::new(); count]);
        let mut all = Charges { search: self, node, arrivals, departures, going, waiting, left: Vec::new() };
        for index in 0..arrivals.len() {
            all.begin(index);
        }
        for place in 0..count {
            if self.is_given_up() {
                break;
            }
            all.go_on(place);
        }
        all.left
    }
}

impl Charges<'_> {
    /// The charges of an arrival, each at the first SoC above it.
    fn begin(&mut self, index: usize) {
        let (search, node, departures) = (self.search, self.node, self.departures);
        let (site, arrival) = (&search.trip.sites[node], &self.arrivals[index]);
        let place = departures.above(arrival.soc).start;
        let low = arrival.soc - arrival.wide.points;
        if place > 0 && site.leave.is_some_and(|wanted| low <= wanted) {
            self.leave_as_wanted(index);
        }
        let Some(&to) = departures.socs.get(place) else { return };
        let walk = ChargeWalk::new(search.trip, node, arrival.soc);
        let (minutes, pauses) = (walk.minutes(to, departures.from_empty[place]), search.pauses_at(node, arrival));
        let whole = departures.from_empty[departures.socs.len() - 1] - departures.from_empty[place] + minutes;
        let step = ((to - arrival.soc) * walk.kwh_a_point, minutes);
        let until = self.waits_until(index, &pauses);
        for (begins, not_before) in search.beginnings(node, arrival) {
            if begins > until {
                continue;
            }
            let Some((_, closes)) = site.open_from(begins).filter(|open| open.0 <= begins + 1e-6) else { continue };
            let ready = arrival.minute + search.trip.problem.site(node).overhead.get();
            let at_once = not_before == 0.0 && begins <= ready + 1e-9;
            let (late, settled) = search.settled(node, arrival, begins, at_once);
            let begun = Going { not_before, asked: settled, closes, ..Going::begun(index, begins + late) };
            let left = search.left_with_hardly_more(node, departures, place, (arrival, begins, at_once));
            self.leave(Going { minute: begins, asked: 0.0, ..begun }.with_pauses(&pauses), left);
            let waits = Going { asked: search.settled_at_least(node, arrival), ..begun };
            self.waiting[place].extend(Waiting::for_falls(waits, &pauses, (step, whole), search.trip, node));
            let from_empty = (departures.from_empty[place], to * walk.kwh_a_point);
            let known = (arrival.money, site.price.per_kwh_at(begins + minutes));
            let at_first = begun.on(search.trip, node, (to - arrival.soc, minutes));
            let at_first = at_first.map(|one| search.taken_for_one(one, known, from_empty));
            self.going[place].extend(at_first.into_iter().flat_map(|one| one.with_pauses(&pauses)));
        }
    }

    /// For what begins after this, the next arrival is early enough, too, and cheaper: it stands for plans that lack as much, so that
    /// this one need not wait.
    fn waits_until(&self, index: usize, pauses: &[Pause]) -> f64 {
        let (search, one) = (self.search, &self.arrivals[index]);
        let Some(next) = self.arrivals.get(index + 1) else { return f64::INFINITY };
        let kind = |at: &Arrival| search.kind(at.taken, at.stops, at.driven, at.soc);
        let alike = one.soc == next.soc && one.wide == next.wide && kind(one) == kind(next);
        let cheaper = next.minute >= one.minute && next.money <= one.money;
        let overhead = search.trip.problem.site(self.node).overhead.get();
        let may_wait = pauses.is_empty() && search.trip.sites[self.node].stay <= 0.0;
        if alike && cheaper && may_wait { next.minute + overhead + 1e-6 } else { f64::INFINITY }
    }

    /// Some of the plans of an arrival have less than the driver wants to leave with, though its label has more.
    fn leave_as_wanted(&mut self, index: usize) {
        let arrival = &self.arrivals[index];
        let pauses = self.search.pauses_at(self.node, arrival);
        for (begins, not_before) in self.search.beginnings(self.node, arrival) {
            let one = Going { not_before, ..Going::begun(index, begins) };
            self.leave(one.with_pauses(&pauses), Left::at_once(0));
        }
    }

    /// Leaves where something is wanted of that.
    fn leave(&mut self, all: impl Iterator<Item = Going>, left: Left) {
        let left = all.filter_map(|one| self.left(&one, left));
        self.left.extend(left.collect::<Vec<_>>());
    }

    fn left(&self, one: &Going, left: Left) -> Option<Label> {
        let arrival = &self.arrivals[one.arrival];
        let Going { minute, not_before, pause, .. } = *one;
        let charged = Charged { minute, money: arrival.money + one.asked, not_before, pause };
        self.search.left_at_once(self.node, arrival, &charged, self.departures, left)
    }

    /// The charges that have come to one of the `SoCs`: some are left there, and those that no other beats go on to the next.
    fn go_on(&mut self, place: usize) {
        let (search, node, departures, arrivals) = (self.search, self.node, self.departures, self.arrivals);
        search.step(self.going[place].len() + self.waiting[place].len());
        let kwh_a_point = search.trip.kwh_a_point(node);
        let mut here = search.unbeaten_optimistic(node, std::mem::take(&mut self.going[place]), arrivals);
        let waiting = search.unbeaten_waiting(node, std::mem::take(&mut self.waiting[place]), arrivals);
        let (points, minutes) = departures.step_to(place);
        let step = (points * kwh_a_point, minutes);
        let held = here.iter().filter_map(|one| one.at_the_fall(search.trip, node, step));
        let held: Vec<Going> = held.chain(waiting.iter().map(|one| one.at_the_fall(search.trip, node))).collect();
        let alone = held.is_empty();
        here.extend(held);
        here.retain(|one| self.is_worth_going_on(one, place));
        if !alone {
            here = search.unbeaten_optimistic(node, here, arrivals);
        }
        for one in here.iter().filter(|one| one.may_be_left()) {
            let left = search.left_with(node, departures, place, one);
            self.left.extend(left.filter_map(|left| self.left(one, left)).collect::<Vec<_>>());
        }
        if place + 1 < departures.socs.len() {
            let (points, minutes) = departures.step_to(place + 1);
            let on = here.into_iter().filter_map(|one| one.on(search.trip, node, (points, minutes)));
            self.going[place + 1].extend(on);
            let step = (points * kwh_a_point, minutes);
            self.waiting[place + 1].extend(waiting.into_iter().filter_map(|one| one.on(step)));
        }
    }

    /// Whether a charge may still come to something that is wanted.
    fn is_worth_going_on(&self, one: &Going, place: usize) -> bool {
        let arrival = &self.arrivals[one.arrival];
        let taken = arrival.taken | one.pause.map_or(0, |(of, _)| of.bit());
        let to_go = self.departures.charging_to_go[place].as_ref();
        to_go.is_some_and(|to_go| {
            !self.search.rule_out((self.node, taken), one.minute, arrival.money + one.asked, to_go)
        })
    }
}
