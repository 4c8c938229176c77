//! How charges that meet begin: as soon as a site is open, when its price falls, or when it opens again.

use super::charge_walk::ChargeWalk;
use super::charges::{For, LONGEST_WAIT, MOST_BEGINNINGS, Pause};
use super::clock_trip::ClockSite;
use super::labels::{Arrival, Arrives, Kind};
use super::meeting::{Charges, SAME_MOMENT};
use super::rates::Rates;
use crate::model::leg::Leg;

/// A charge that begins, at the first of the `SoCs` above its arrival.
#[derive(Clone, Copy)]
pub(super) struct First {
    pub(super) minute: f64,
    /// What was spent on the way here, and asked so far.
    pub(super) money: f64,
    pub(super) begins: f64,
    pub(super) arrives: Arrives,
    /// The place of its kind among those of the site.
    pub(super) kind: u32,
    /// What one stands on for, and until when; nought where one does not.
    pub(super) pause: Option<For>,
    pub(super) until: f64,
    /// Whether it waited until it began, and whether a flat price was asked.
    pub(super) waited: bool,
    pub(super) flat: bool,
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

impl Charges<'_> {
    /// The charges of all arrivals, each at the first of the `SoCs` above it.
    pub(super) fn begin_all(&mut self) {
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

    /// The place of a charge's kind: charges of other kinds must not be held against each other.
    fn kind_of(&mut self, arrival: &Arrival, arrives: Arrives, pause: Option<Pause>) -> usize {
        // Until when one stands tells those apart that are of one kind.
        let pause = pause.map(|(of, _)| (of, 0.0));
        let kind = self.search.kind_of(self.node, (arrives.number(), arrival), pause);
        let count = self.kinds.len();
        *self.kinds.entry(kind).or_insert(count)
    }
}
