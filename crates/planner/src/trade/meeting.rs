//! Charges of a site that meet: where a price depends on the clock alone and there is no boost, charges that have come to one SoC go on
//! alike from there, so only those go on that no other beats.
//!
//! All that have come to a SoC are kept in the order of the clock, in which they come to the next one, too.

use std::collections::BTreeMap;

use super::beginnings::First;
use super::charges::{Charged, Departures, For, LONGEST_HOLD, Pause};
use super::labels::{Arrival, Kind, Label};
use super::optimistic::Left;
use super::order::rising;
use super::rates::Rates;
use super::search::Search;
use super::staircase::Staircase;
use crate::model::road_index::RoadIndex;

/// Moments nearer than this are one, minutes.
pub(super) const SAME_MOMENT: f64 = 1e-6;

/// So few are put in order as they are.
const FEW: usize = 16;

/// How a charge began, for all that goes on from it.
struct Begun {
    arrival: Arrival,
    not_before: f64,
    begins: f64,
    pause: Option<Pause>,
}

/// A charge at one of the `SoCs` of its site.
#[derive(Clone, Copy)]
struct Going {
    minute: f64,
    /// What was spent on the way here, and asked so far.
    money: f64,
    /// By how many minutes it was held for a fall of the price.
    held: f64,
    /// When the site closes.
    closes: f64,
    /// The fall of the price until which it may still be held: no other price comes before.
    fall: f64,
    /// Until when one stands for a pause; nought where one does not.
    until: f64,
    kind: u32,
    /// Its place among those that began; while it is new, among those that come to the SoC first.
    begun: u32,
    new: bool,
    /// Whether a flat price was asked.
    flat: bool,
}

/// The charges of a site.
pub(super) struct Charges<'a> {
    pub(super) search: &'a Search<'a>,
    pub(super) node: RoadIndex,
    pub(super) departures: &'a Departures,
    pub(super) rates: &'a Rates,
    /// Minutes of a stop before a charge may begin.
    pub(super) overhead: f64,
    /// Whether all charges are of one kind.
    pub(super) alike: bool,
    begun: Vec<Begun>,
    pub(super) kinds: BTreeMap<Kind, usize>,
    /// Those that come to each of the `SoCs` first.
    pub(super) first: Vec<Vec<First>>,
    /// Of each kind, the least money so far,
    least: Vec<f64>,
    /// and of those that stand for a pause until when and with how much money.
    paused: Vec<Staircase>,
}

impl Search<'_> {
    /// Charges of all arrivals, from one SoC to the next, left as soon as they or a pause are over: those left with most first.
    pub(super) fn charge_together(&self, (node, rates): (RoadIndex, &Rates), departures: &Departures) -> Vec<Label> {
        let (count, trip) = (departures.socs.len(), self.trip);
        let mut all = Charges {
            overhead: trip.problem.site(node).overhead.get(),
            alike: trip.is_plain() && trip.sites[node].stay <= 0.0,
            search: self,
            node,
            departures,
            rates,
            begun: Vec::new(),
            kinds: BTreeMap::new(),
            first: vec![Vec::new(); count],
            least: Vec::new(),
            paused: Vec::new(),
        };
        all.begin_all();
        let (mut going, mut left, mut ends) = (Vec::new(), Vec::new(), vec![0]);
        for place in 0..count {
            if self.is_given_up() {
                break;
            }
            all.go_on(place, &mut going, &mut left);
            ends.push(left.len());
        }
        let with_most_first = ends.windows(2).rev().flat_map(|pair| &left[pair[0]..pair[1]]);
        with_most_first.copied().collect()
    }
}

impl Charges<'_> {
    /// Of those that come to one of the `SoCs` first, those that no other beats, but for a little, go on, if none beats them that has
    /// come here before.
    fn take_first(&mut self, place: usize, going: &mut Vec<Going>) {
        let mut first = std::mem::take(&mut self.first[place]);
        if self.alike {
            leave_out_beaten(&mut first);
        }
        let mut in_order: Vec<(u64, usize)> = first.iter().map(|one| rising(one.minute)).zip(0..).collect();
        in_order.sort_unstable();
        self.forget_beaten();
        let slack = self.search.fineness.slack;
        for (index, one) in in_order.into_iter().map(|(_, index)| (index, &first[index])) {
            let First { minute, money, until, kind, flat, .. } = *one;
            let (closes, fall, begun) = (f64::INFINITY, f64::INFINITY, index as u32);
            let one = Going { minute, money, held: 0.0, closes, fall, until, kind, begun, new: true, flat };
            if self.is_unbeaten(&one, slack) {
                going.push(one);
            }
        }
        self.keep_unbeaten(going);
        going.retain_mut(|one| !one.new || self.take_in(one, &first));
    }

    /// One that comes to a SoC first goes on; whether there is such an arrival.
    fn take_in(&mut self, one: &mut Going, first: &[First]) -> bool {
        let begins = &first[one.begun as usize];
        let closes = self.search.trip.sites[self.node].open_from(begins.begins).map_or(f64::INFINITY, |open| open.1);
        let fall = if begins.waited { f64::INFINITY } else { self.fall_that_is_next(begins.begins, closes) };
        *one = Going { closes, fall, begun: self.begun.len() as u32, new: false, ..*one };
        let begun = self.begun(begins);
        self.begun.extend(begun);
        one.begun as usize + 1 == self.begun.len()
    }

    fn begun(&self, &First { begins, arrives, pause, until, waited, .. }: &First) -> Option<Begun> {
        let arrival = self.search.arrival(self.node, arrives)?;
        let not_before = if waited { begins } else { 0.0 };
        Some(Begun { not_before, begins, pause: pause.map(|of| (of, until)), arrival })
    }

    /// The next change of the price, where that is a fall while the site is open; never, where it is not.
    fn fall_that_is_next(&self, begins: f64, closes: f64) -> f64 {
        let price = &self.search.trip.sites[self.node].price;
        let (from, to) = (begins + SAME_MOMENT, begins + 2.0 * LONGEST_HOLD);
        let (change, fall) = (price.changes(from, to).first(), price.falls(from, to).first());
        fall.copied().filter(|fall| change == Some(fall) && *fall < closes).unwrap_or(f64::INFINITY)
    }

    /// The charges that have come to one of the `SoCs`: some are left there, and those that no other beats go on to the next.
    fn go_on(&mut self, place: usize, going: &mut Vec<Going>, left: &mut Vec<Label>) {
        self.come_to(place, going);
        self.take_first(place, going);
        self.search.step(going.len());
        let held = self.held_until_cheaper(going);
        let from = left.len();
        going.retain(|one| {
            let leaves = self.leave(place, one);
            left.extend(leaves);
            // What may be left here may also go on.
            leaves.is_some() || self.is_worth_going_on(place, one)
        });
        left[from..].sort_by(|a, b| a.minute.total_cmp(&b.minute).then(a.money.total_cmp(&b.money)));
        if !held.is_empty() {
            going.extend(held.into_iter().filter(|one| self.is_worth_going_on(place, one)));
            self.keep_unbeaten(going);
        }
    }

    /// Those that go on from the SoC before; the site closes before some come here.
    fn come_to(&self, place: usize, going: &mut Vec<Going>) {
        let (points, minutes) = self.departures.step_to(place);
        let kwh = points * self.search.trip.kwh_a_point(self.node);
        let mut span = going.first().map_or(0, |first| self.rates.place(first.minute));
        going.retain_mut(|one| {
            let open = one.minute + minutes <= one.closes + SAME_MOMENT;
            if open {
                one.money += self.rates.charge(&mut span, one.minute, (minutes, kwh), &mut one.flat);
                one.minute += minutes;
            }
            open
        });
    }

    /// Those that no other beats, in order. One that was held has the cheaper minutes before it: those that were not must not be held
    /// against it.
    fn keep_unbeaten(&mut self, going: &mut Vec<Going>) {
        going.sort_by(|a, b| a.minute.total_cmp(&b.minute).then(a.money.total_cmp(&b.money)));
        self.forget_beaten();
        // Where no money counts, the earliest is enough.
        let earliest = self.search.fineness.slack.1 == f64::INFINITY;
        let slack = if earliest { self.search.fineness.slack } else { (0.0, 0.0) };
        going.retain(|one| self.is_unbeaten(one, slack));
    }

    fn forget_beaten(&mut self) {
        self.least.clear();
        self.least.resize(2 * self.kinds.len(), f64::INFINITY);
        self.paused.clear();
        self.paused.resize(2 * self.kinds.len(), Staircase::default());
    }

    /// Whether none of those that were asked for before, none of which is later, beats one but for slacks. Of those that stand for a pause
    /// it has to be over as soon.
    fn is_unbeaten(&mut self, one: &Going, slack: (f64, f64)) -> bool {
        let kind = 2 * one.kind as usize + usize::from(one.held > 0.0);
        if one.until > 0.0 {
            return self.paused[kind].add(one.until, one.money, slack);
        }
        let least = &mut self.least[kind];
        let better = least.is_infinite() || one.money + slack.1 < *least;
        if better {
            *least = one.money;
        }
        better
    }

    /// The same charges begun later, so that they are just here when the price falls. Where no price changes before, they cost the same
    /// as begun at once; of those that wait for the same fall the last is the cheapest.
    fn held_until_cheaper(&mut self, going: &[Going]) -> Vec<Going> {
        let mut held = Vec::new();
        self.least.fill(f64::INFINITY);
        for one in going.iter().rev() {
            let fall = one.fall;
            let may = one.held == 0.0 && fall > one.minute + SAME_MOMENT && fall <= one.minute + LONGEST_HOLD;
            let last = &mut self.least[2 * one.kind as usize];
            if may && fall < *last {
                *last = fall;
                held.push(Going { minute: fall, held: fall - one.minute, ..*one });
            }
        }
        held
    }

    /// Whether a charge may still come to something that is wanted.
    fn is_worth_going_on(&self, place: usize, one: &Going) -> bool {
        let begun = &self.begun[one.begun as usize];
        if matches!(begun.pause, Some((For::Rest, until)) if until <= one.minute) {
            return false;
        }
        let taken = begun.arrival.taken | begun.pause.map_or(0, |(of, _)| of.bit());
        let to_go = self.departures.charging_to_go[place].as_ref();
        to_go.is_some_and(|to_go| !self.search.rule_out((self.node, taken), one.minute, one.money, to_go))
    }

    fn leave(&self, place: usize, one: &Going) -> Option<Label> {
        let Begun { arrival, not_before, begins, pause } = &self.begun[one.begun as usize];
        // Who has stood as long has rested.
        if matches!(pause, Some((For::Rest, until)) if *until <= one.minute) {
            return None;
        }
        let (pause, not_before) = (*pause, if one.held > 0.0 { begins + one.held } else { *not_before });
        let charged = Charged { minute: one.minute, money: one.money, not_before, pause };
        let left = Left::at_once(place);
        self.search.left_at_once(self.node, arrival, &charged, self.departures, left)
    }
}

/// Leaves out most of those than which another is earlier and no dearer: quicker than to put all in order.
fn leave_out_beaten(all: &mut Vec<First>) {
    let minutes = all.iter().map(|one| one.minute);
    let (from, to) = minutes.fold((f64::INFINITY, 0.0_f64), |(from, to), minute| (minute.min(from), minute.max(to)));
    let width = (to - from) / all.len() as f64;
    if all.len() < FEW || width <= 0.0 {
        return;
    }
    let slot = |one: &First| ((one.minute - from) / width) as usize;
    // The least money before each slot.
    let mut least = vec![f64::INFINITY; all.len() + 2];
    for one in all.iter() {
        let after = &mut least[slot(one) + 1];
        *after = after.min(one.money);
    }
    let mut before = f64::INFINITY;
    for here in &mut least {
        before = before.min(*here);
        *here = before;
    }
    all.retain(|one| one.money < least[slot(one)]);
}
