//! Charges of a site that meet: where a price depends on the clock alone and there is no boost, charges that have come to one SoC go on
//! alike from there, so only those go on that no other beats.
//!
//! All that have come to a SoC are kept in the order of the clock, in which they come to the next one, too.

use std::collections::BTreeMap;

use super::charge_walk::ChargeWalk;
use super::charges::{Charged, Departures, For, LONGEST_HOLD, LONGEST_WAIT, MOST_BEGINNINGS, Pause};
use super::clock_trip::ClockSite;
use super::labels::{Arrival, Arrives, Kind, Label};
use super::optimistic::Left;
use super::order::rising;
use super::rates::Rates;
use super::search::Search;
use super::staircase::Staircase;
use crate::model::leg::Leg;
use crate::model::road_index::RoadIndex;

/// Moments nearer than this are one, minutes.
const SAME_MOMENT: f64 = 1e-6;

/// So few are put in order as they are.
const FEW: usize = 16;

/// A charge that begins, at the first of the `SoCs` above its arrival.
#[derive(Clone, Copy)]
struct First {
    minute: f64,
    /// What was spent on the way here, and asked so far.
    money: f64,
    begins: f64,
    arrives: Arrives,
    /// The place of its kind among those of the site.
    kind: u32,
    /// What one stands on for, and until when; nought where one does not.
    pause: Option<For>,
    until: f64,
    /// Whether it waited until it began, and whether a flat price was asked.
    waited: bool,
    flat: bool,
}

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
struct Charges<'a> {
    search: &'a Search<'a>,
    node: RoadIndex,
    departures: &'a Departures,
    rates: &'a Rates,
    /// Minutes of a stop before a charge may begin.
    overhead: f64,
    /// Whether all charges are of one kind.
    alike: bool,
    begun: Vec<Begun>,
    kinds: BTreeMap<Kind, usize>,
    /// Those that come to each of the `SoCs` first.
    first: Vec<Vec<First>>,
    /// Of each kind, the least money so far,
    least: Vec<f64>,
    /// and of those that stand for a pause until when and with how much money.
    paused: Vec<Staircase>,
}

/// Who arrives with a SoC comes to the first above it, minutes and kWh from the plug on.
#[derive(Clone, Copy)]
struct Step {
    from: f64,
    /// The place of the SoC.
    place: usize,
    minutes: f64,
    kwh: f64,
    /// When the last might begin,
    ready: f64,
    /// in which span of prices it did,
    span: usize,
    /// and when the price falls or the site opens next.
    event: f64,
}

impl Step {
    /// Another might begin at a minute.
    fn come_to(&mut self, ready: f64, rates: &Rates, site: &ClockSite) {
        if ready < self.ready {
            self.span = rates.place(ready);
        }
        if ready < self.ready || ready + SAME_MOMENT >= self.event {
            let fall = site.price.falls(ready + SAME_MOMENT, f64::INFINITY).first().copied();
            self.event = fall.into_iter().chain(site.opens_after(ready)).fold(f64::INFINITY, f64::min);
        }
        self.ready = ready;
    }
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
    fn begin_all(&mut self) {
        let (search, node) = (self.search, self.node);
        if self.alike {
            self.kinds.insert(Kind::default(), 0);
            search.each_run(node, |from, clock| self.begin_run(from, clock));
        } else {
            let mut arrivals = Vec::new();
            search.each_arrival(node, |arrival, arrives| arrivals.push((arrival, arrives)));
            self.begin_each(&arrivals);
        }
    }

    /// The charges of those of one kind that arrive with one SoC from the same place, rising in minutes and falling in money.
    fn begin_run(&mut self, (depart, leg, first): (f64, &Leg, Arrives), clock: &[(f64, f64)]) {
        let Some(mut step) = self.first_step(leg.arrive(depart)) else { return };
        let before = leg.minutes + self.overhead;
        for (index, &(minute, money)) in clock.iter().enumerate() {
            // For what the next is early enough, too, this one need not wait.
            let until = clock.get(index + 1).map_or(f64::INFINITY, |next| next.0 + before + SAME_MOMENT);
            self.begin((minute + before, until), (money, first.later(index)), &[(0, None)], &mut step);
        }
    }

    /// The charges of all arrivals, where they are not of one kind.
    fn begin_each(&mut self, arrivals: &[(Arrival, Arrives)]) {
        let mut step: Option<Step> = None;
        for (index, (arrival, arrives)) in arrivals.iter().enumerate() {
            let known = step.filter(|step| step.from == arrival.soc);
            step = known.or_else(|| self.first_step(arrival.soc));
            let Some(step) = step.as_mut() else { continue };
            let mut pauses = self.search.pauses_at(self.node, arrival);
            pauses.extend(self.rest(arrival));
            let next = arrivals.get(index + 1).map(|next| &next.0);
            let next = next.filter(|next| pauses.is_empty() && self.is_cheaper_later(arrival, next));
            let until = next.map_or(f64::INFINITY, |next| next.minute + self.overhead + SAME_MOMENT);
            let paused = pauses.iter().map(|&pause| (self.kind_of(arrival, *arrives, Some(pause)), Some(pause)));
            let mut kinds: Vec<_> = paused.collect();
            kinds.push((self.kind_of(arrival, *arrives, None), None));
            self.begin((arrival.minute + self.overhead, until), (arrival.money, *arrives), &kinds, step);
        }
    }

    /// The charges of an arrival: as soon as the site is open, or, until a minute, when its price falls, or when it opens again.
    fn begin(
        &mut self,
        (ready, until): (f64, f64),
        arrival: (f64, Arrives),
        kinds: &[(usize, Option<Pause>)],
        step: &mut Step,
    ) {
        let site = &self.search.trip.sites[self.node];
        step.come_to(ready, self.rates, site);
        if let Some(open) = site.open_from(ready).filter(|open| open.0 <= until) {
            let mut span = step.span;
            self.begin_at(arrival, (open, false), kinds, step, &mut span);
            step.span = span;
        }
        if step.event > until {
            return;
        }
        let falls = site.price.falls(ready + SAME_MOMENT, until.min(ready + LONGEST_WAIT)).iter().copied();
        // Who comes shortly before a site closes may wait until it opens again.
        let opens = site.opens_after(ready).filter(|&opens| opens <= until.min(ready + LONGEST_WAIT));
        for later in falls.take(MOST_BEGINNINGS).chain(opens) {
            if let Some((_, closes)) = site.open_from(later).filter(|open| open.0 <= later + SAME_MOMENT) {
                self.begin_at(arrival, ((later, closes), true), kinds, step, &mut self.rates.place(later));
            }
        }
    }

    fn begin_at(
        &mut self,
        (spent, arrives): (f64, Arrives),
        ((begins, closes), waited): ((f64, f64), bool),
        kinds: &[(usize, Option<Pause>)],
        step: &Step,
        span: &mut usize,
    ) {
        let minute = begins + step.minutes;
        if minute > closes + SAME_MOMENT {
            return;
        }
        let mut flat = false;
        let money = spent + self.rates.charge(span, begins, (step.minutes, step.kwh), &mut flat);
        let first = First { minute, money, begins, arrives, kind: 0, pause: None, until: 0.0, waited, flat };
        let of_kind = |&(kind, pause): &(usize, Option<Pause>)| {
            let (pause, until) = (pause.map(|pause| pause.0), pause.map_or(0.0, |pause| pause.1));
            First { kind: kind as u32, pause, until, ..first }
        };
        self.first[step.place].extend(kinds.iter().map(of_kind));
    }

    /// From a SoC to the first above it; `None` where there is none.
    fn first_step(&self, from: f64) -> Option<Step> {
        let place = self.departures.above(from).next()?;
        let walk = ChargeWalk::new(self.search.trip, self.node, from);
        let to = self.departures.socs[place];
        let minutes = walk.minutes(to, self.departures.from_empty[place]);
        let kwh = (to - from) * walk.kwh_a_point;
        Some(Step { from, place, minutes, kwh, ready: f64::INFINITY, span: 0, event: 0.0 })
    }

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

    /// The rest between drives, where one counts.
    fn rest(&self, arrival: &Arrival) -> Option<Pause> {
        let wishes = &self.search.trip.wishes;
        let rest = wishes.rest.filter(|_| wishes.most_drive.is_some())?;
        Some((For::Rest, arrival.minute + rest.get()))
    }

    /// Whether one arrival is later and cheaper than another, and no more than that.
    fn is_cheaper_later(&self, one: &Arrival, other: &Arrival) -> bool {
        let kind = |at: &Arrival| self.search.kind(at.taken, at.stops, at.driven, at.soc);
        let later = one.soc == other.soc && one.minute <= other.minute && one.money >= other.money;
        later && kind(one) == kind(other) && self.search.trip.sites[self.node].stay <= 0.0
    }

    /// The next change of the price, where that is a fall while the site is open; never, where it is not.
    fn fall_that_is_next(&self, begins: f64, closes: f64) -> f64 {
        let price = &self.search.trip.sites[self.node].price;
        let (from, to) = (begins + SAME_MOMENT, begins + 2.0 * LONGEST_HOLD);
        let (change, fall) = (price.changes(from, to).first(), price.falls(from, to).first());
        fall.copied().filter(|fall| change == Some(fall) && *fall < closes).unwrap_or(f64::INFINITY)
    }

    /// The place of a charge's kind: charges of other kinds must not be held against each other.
    fn kind_of(&mut self, arrival: &Arrival, arrives: Arrives, pause: Option<Pause>) -> usize {
        // Until when one stands tells those apart that are of one kind.
        let pause = pause.map(|(of, _)| (of, 0.0));
        let kind = self.search.kind_of(self.node, (arrives.number(), arrival), pause);
        let count = self.kinds.len();
        *self.kinds.entry(kind).or_insert(count)
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
