//! A charge of an optimistic search, which tells what no plan is better than.
//!
//! A label stands for every plan that leaves between two of the `SoCs` that are looked at. It has the upper one, the clock and the money
//! of the lower, and tells how much later and dearer a plan with more of what lies between is at least ([`Wide`]). Where the next
//! charge begins, a plan has charged what it lacks there or before: it comes to the label's SoC no sooner, and for no less, than the
//! one or the other takes. So the label is at each SoC no later than the plan, and may do all that the plan does. Where the price falls in
//! the midst of a plan's charge, there is one that waits for the fall with what comes before at the least price. Charges that are
//! nearly as late and dear are taken for one as early as the earliest and as cheap as the cheapest.

use std::collections::BTreeMap;

use spare_hour_core::trip::Price;

use super::charges::{Departures, LONGEST_HOLD, Pause};
use super::clock_trip::ClockTrip;
use super::labels::{Along, Arrival, Goes, Kind, Label, Stairs, Wide};
use super::optimistic_charges::Going;
use super::order::rising;
use super::search::Search;
use super::staircase::Staircase;
use crate::model::leg::Leg;
use crate::model::road_index::RoadIndex;

/// More than just enough, in points.
const HAIR: f64 = 1.1e-5;
/// Most minutes that a search gives away with one step, for each point of its steps.
const MOST_GIVEN_AWAY: f64 = 1.0;
/// Of the whole trade, charges that are later or cheaper by no more than so many minutes and so much money for each point of the steps
/// are taken for one.
const ALIKE: (f64, f64) = (0.2, 0.1);

/// With which of the `SoCs` a charge is left, for which plans it stands, and where it goes on to.
#[derive(Clone, Copy)]
pub(super) struct Left {
    pub(super) place: usize,
    pub(super) wide: Wide,
    /// Most minutes that these charge on.
    pub(super) longest: f64,
    pub(super) goes: Goes,
}

impl Left {
    /// As soon as it is over, with one of the `SoCs`.
    pub(super) fn at_once(place: usize) -> Self {
        Self { place, wide: Wide::default(), longest: 0.0, goes: Goes::Anywhere }
    }
}

/// A charge that is to be at some SoC just when the price falls: it begins as late as that takes.
#[derive(Clone, Copy)]
pub(super) struct Waiting {
    /// The charge as it would be if it began at once.
    going: Going,
    until: f64,
    /// What it takes from the plug, and for how long, the last step beside.
    before: (f64, f64),
    last: (f64, f64),
}

impl Waiting {
    /// A charge, and the same for each pause, that waits for each fall of the price while the site is open, after a first step of so
    /// much from the plug in so many minutes: where other prices come between, and the one that begins at once, and takes so many
    /// minutes as a whole, is not as cheap throughout.
    pub(super) fn for_falls(
        going: Going,
        pauses: &[Pause],
        (step, whole): ((f64, f64), f64),
        trip: &ClockTrip,
        node: RoadIndex,
    ) -> Vec<Self> {
        let (price, begun) = (&trip.sites[node].price, going.begun);
        let falls = price.falls(begun + 1e-6, begun + LONGEST_HOLD).iter();
        let open = falls.take_while(|&&at| at < going.closes);
        let counts = |until: f64| {
            let between = !price.changes(begun + 1e-6, until - 1e-6).is_empty();
            between && !price.is_least_at_once(begun, whole, until + whole)
        };
        let all = open.copied().filter(|&until| counts(until));
        let all = all.filter_map(|until| Self { going, until, before: (0.0, 0.0), last: (0.0, 0.0) }.on(step));
        let paused = |one: Self| {
            let paused =
                pauses.iter().map(move |&pause| Self { going: Going { pause: Some(pause), ..one.going }, ..one });
            paused.chain([one])
        };
        all.flat_map(paused).collect()
    }

    /// The charge at the next SoC, after a step of so much from the plug in so many minutes; `None` where the fall is before.
    pub(super) fn on(mut self, step: (f64, f64)) -> Option<Self> {
        self.before = (self.before.0 + self.last.0, self.before.1 + self.last.1);
        self.last = step;
        self.going.minute += step.1;
        (self.going.minute <= self.until).then_some(self)
    }

    /// At the moment of the fall. A plan that is between this SoC and the one before at that moment pays the lower price from there on,
    /// so the last step is priced by the lower.
    pub(super) fn at_the_fall(&self, trip: &ClockTrip, node: RoadIndex) -> Going {
        let (price, begun) = (&trip.sites[node].price, self.begins());
        let (least, lower) =
            (price.least_within(begun, self.until - 0.02), price.least_within(begun, self.until + 0.02));
        let of = |price: &Price, (plug, minutes): (f64, f64)| price.per_kwh * plug + price.per_min * minutes;
        let asked = self.going.asked + lower.per_session + of(&least, self.before) + of(&lower, self.last);
        Going { minute: self.until, asked, flat: true, not_before: begun, ..self.going }
    }

    fn begins(&self) -> f64 {
        self.until - self.before.1 - self.last.1
    }

    fn taken(&self) -> f64 {
        self.before.0 + self.last.0
    }
}

impl Going {
    /// The same charge begun later, so that it is just here when the price falls, with its last step, of so much from the plug in so
    /// many minutes, at the lower price. Where no price changes before, the rest costs the same as begun at once.
    pub(super) fn at_the_fall(&self, trip: &ClockTrip, node: RoadIndex, (plug, minutes): (f64, f64)) -> Option<Self> {
        let price = &trip.sites[node].price;
        if self.has_seen_a_change(trip, node) {
            return None;
        }
        let &fall = price.falls(self.minute + 1e-6, self.minute + LONGEST_HOLD).first()?;
        let is_next = fall < self.closes && price.changes(self.minute + 1e-6, fall - 1e-6).is_empty();
        is_next.then(|| {
            let (high, low) = (price.least_within(fall - 0.02, fall - 0.02), price.least_within(fall, fall));
            let less = (high.per_kwh - low.per_kwh).max(0.0) * plug
                + (high.per_min - low.per_min).max(0.0) * minutes
                + (high.per_session - low.per_session).max(0.0);
            let begun = self.begun + fall - self.minute;
            Self { not_before: begun, begun, minute: fall, held_until: fall, asked: self.asked - less, ..*self }
        })
    }

    /// Whether its price has changed since it began.
    fn has_seen_a_change(&self, trip: &ClockTrip, node: RoadIndex) -> bool {
        self.held_until > 0.0 || !trip.sites[node].price.changes(self.begun + 1e-6, self.minute).is_empty()
    }
}

impl Label {
    /// Those of its plans that may drive a leg; `None` where none may. Just enough is written with a hair more.
    pub(super) fn along(&self, leg: &Leg) -> Option<Along> {
        let Self { mut minute, mut money, depart, mut wide, .. } = *self;
        if wide.points == 0.0 {
            return leg.allows(depart).then_some(Along { minute, money, depart, wide });
        }
        if !leg.can_be_driven() || depart <= leg.least + HAIR {
            return None;
        }
        let low = depart - wide.points;
        if low < leg.least {
            let share = (leg.least - low) / wide.points;
            minute += share * wide.minutes;
            money += share * wide.money;
            wide = wide.part(1.0 - share);
        }
        // What is above the most is lost in the brakes.
        let over = (depart - leg.most).clamp(0.0, wide.points);
        wide = wide.part(1.0 - over / wide.points);
        Some(Along { minute, money, depart: depart.min(leg.most), wide })
    }
}

impl Wide {
    fn part(self, share: f64) -> Self {
        Self { points: share * self.points, minutes: share * self.minutes, money: share * self.money }
    }
}

impl Search<'_> {
    /// Those that no other beats. One whose price has changed since it began cannot be begun later for the same money, so it is not
    /// held against those that can.
    pub(super) fn unbeaten_optimistic(&self, node: RoadIndex, going: Vec<Going>, arrivals: &[Arrival]) -> Vec<Going> {
        let (mut later, mut kept): (Vec<Going>, Vec<Going>) =
            going.into_iter().partition(|one| one.has_seen_a_change(self.trip, node));
        let price = |one: &Going| arrivals[one.arrival].money + one.asked;
        // Where no money counts, the earliest is enough.
        let alike = if self.fineness.slack.1 == f64::INFINITY { self.fineness.slack } else { (0.0, 0.0) };
        let mut stairs = Stairs::default();
        for all in [&mut kept, &mut later] {
            all.sort_by_cached_key(|one| [rising(one.minute), rising(price(one))]);
            all.retain(|one| {
                stairs.of(self.kind_of(node, (one.arrival as u64, &arrivals[one.arrival]), one.pause)).add(
                    one.minute,
                    price(one),
                    alike,
                )
            });
        }
        kept.append(&mut later);
        kept
    }

    /// With what a charge that is at one of the `SoCs` is left: with what lies below the next above, but to the end with just enough, as
    /// more is of no use.
    pub(super) fn left_with(
        &self,
        node: RoadIndex,
        departures: &Departures,
        place: usize,
        one: &Going,
    ) -> impl Iterator<Item = Left> + use<> {
        let here = Left::at_once(place);
        let all = if self.trip.sites[node].leave.is_some() {
            [Some(here), None]
        } else {
            let between = departures.paces.get(place).map(|&paces| {
                let (points, longest) = departures.step_to(place + 1);
                let wide = self.charged_at(node, points, paces, one.minute);
                Left { place: place + 1, wide, longest, goes: Goes::ToSites }
            });
            let to_the_end = departures.to_the_end == Some(place);
            [
                Some(between.unwrap_or(Left { goes: Goes::ToSites, ..here })),
                to_the_end.then_some(Left { goes: Goes::ToTheEnd, ..here }),
            ]
        };
        all.into_iter().flatten()
    }

    /// With what a charge is left that does not come to the first of the `SoCs` above its arrival: it lies above what the plan with least
    /// arrived with. Who may drive to the end already is ahead of a plan that has just enough for that.
    pub(super) fn left_with_hardly_more(
        &self,
        node: RoadIndex,
        departures: &Departures,
        place: usize,
        (arrival, begins, at_once): (&Arrival, f64, bool),
    ) -> Left {
        let enough = departures.to_the_end.is_some_and(|end| departures.socs[end] <= arrival.soc + 1e-6);
        let anywhere = enough || self.trip.sites[node].leave.is_some();
        let (low, to) = (arrival.soc - arrival.wide.points, departures.socs[place]);
        let here = self.charged_between(node, (low, to), begins);
        let of = |before: f64, here: f64| {
            let points = arrival.wide.points;
            if points > 1e-9 { here.min(before / points * (to - low)) } else { here }
        };
        let wide = Wide {
            points: to - low,
            // Those that waited together leave together.
            minutes: if at_once { of(arrival.wide.minutes, here.minutes) } else { 0.0 },
            money: of(arrival.wide.money, here.money),
        };
        let longest = (to - low) * paces_between(self.trip, node, (low, to)).1;
        Left { place, wide, longest, goes: if anywhere { Goes::Anywhere } else { Goes::ToSites } }
    }

    /// What a charge between two `SoCs` from some minute on takes at least, for each of its points.
    pub(super) fn charged_between(&self, node: RoadIndex, socs: (f64, f64), minute: f64) -> Wide {
        self.charged_at(node, socs.1 - socs.0, paces_between(self.trip, node, socs), minute)
    }

    /// The same of so many points, each of which takes so many minutes at least, and at most.
    fn charged_at(&self, node: RoadIndex, points: f64, (least, most): (f64, f64), minute: f64) -> Wide {
        // Whoever begins with the least of them comes later by no more than it takes.
        let price = self.trip.sites[node].price.least_within(minute, minute + 2.0 * points * most);
        let kwh = points * self.trip.kwh_a_point(node);
        Wide { points, minutes: points * least, money: price.per_kwh * kwh + price.per_min * points * least }
    }

    /// By how much the plans of an arrival are later and dearer at least, when they have come to its SoC, than one that begins there with
    /// that at a minute: they have charged what they lacked before, or do here. Who waits to begin may have charged it while others wait.
    pub(super) fn settled(&self, node: RoadIndex, arrival: &Arrival, begins: f64, at_once: bool) -> (f64, f64) {
        let wide = arrival.wide;
        if wide == Wide::default() {
            return (0.0, 0.0);
        }
        let here = self.charged_between(node, (arrival.soc - wide.points, arrival.soc), begins);
        let late = if at_once { wide.minutes.min(here.minutes) } else { 0.0 };
        (late, wide.money.min(here.money))
    }

    /// The least by which they are dearer, whenever they begin.
    pub(super) fn settled_at_least(&self, node: RoadIndex, arrival: &Arrival) -> f64 {
        let points = arrival.wide.points;
        let kwh = points * self.trip.kwh_a_point(node);
        let minutes = points * paces_between(self.trip, node, (arrival.soc - points, arrival.soc)).0;
        let least = self.trip.sites[node].price.least();
        arrival.wide.money.min(least.per_kwh * kwh + least.per_min * minutes)
    }

    /// Those departures, falling in SoC, that no other beats. One that may leave with all that another has, or more, beats it where it
    /// is then no later and no dearer; of those that stand for the same plans beside each other, the soonest and cheapest.
    pub(super) fn unbeaten_optimistic_departures(
        &self,
        labels: Vec<Label>,
        kind: impl Fn(&Label) -> Kind,
    ) -> Vec<Label> {
        let (mut above, mut beside) = (Stairs::default(), BTreeMap::new());
        let mut waiting: BTreeMap<u64, Vec<Label>> = BTreeMap::new();
        let mut kept = Vec::with_capacity(labels.len());
        for at in labels {
            // Those whose plans all have as much as this one.
            while let Some(lowest) =
                waiting.last_entry().filter(|lowest| f64::from_bits(*lowest.key()) >= at.depart - 1e-12)
            {
                for one in lowest.remove() {
                    above.of(kind(&one)).add(one.minute, one.money, (0.0, 0.0));
                }
            }
            if above.of(kind(&at)).beats(at.minute, at.money, self.fineness.slack) {
                continue;
            }
            let bits = |value: f64| value.to_bits();
            let like = (kind(&at), bits(at.depart), bits(at.wide.points), bits(at.wide.minutes), bits(at.wide.money));
            let stairs: &mut Staircase = beside.entry(like).or_default();
            if stairs.add(at.minute, at.money, self.fineness.slack) {
                kept.push(at);
                waiting.entry((at.depart - at.wide.points).max(0.0).to_bits()).or_default().push(at);
            }
        }
        kept
    }

    /// Those that no other waits beside for the same fall with less to take, as early and as cheap. Where the price changes while they
    /// charge, none is held against another.
    pub(super) fn unbeaten_waiting(
        &self,
        node: RoadIndex,
        mut all: Vec<Waiting>,
        arrivals: &[Arrival],
    ) -> Vec<Waiting> {
        all.sort_by(|a, b| a.taken().total_cmp(&b.taken()));
        let price = &self.trip.sites[node].price;
        let mut stairs: BTreeMap<(u64, Kind), Staircase> = BTreeMap::new();
        all.retain(|one| {
            let at = &arrivals[one.going.arrival];
            let changes = !price.changes(one.begins() - 1.0, one.until - 1e-3).is_empty();
            let kind = (one.until.to_bits(), self.kind_of(node, (one.going.arrival as u64, at), one.going.pause));
            changes || stairs.entry(kind).or_default().add(one.going.minute, at.money + one.going.asked, (0.0, 0.0))
        });
        all
    }

    /// A charge at the first SoC above its arrival, a little earlier and cheaper than it is, so that charges that are nearly as late and
    /// dear are one from there on: as counted from 0 %, which for those that become one is the same at every SoC. `money` is what was
    /// spent before, and what a kWh asks now.
    pub(super) fn taken_for_one(&self, mut going: Going, money: (f64, f64), from_empty: (f64, f64)) -> Going {
        if self.limits.best.is_some() {
            return going;
        }
        let (minutes, of_money) = (ALIKE.0 * self.fineness.step, self.trip.money(ALIKE.1) * self.fineness.step);
        let down = |value: f64, by: f64| value - (value / by).floor() * by;
        going.minute -= down(going.minute - from_empty.0, minutes);
        going.asked -= down(money.0 + going.asked - money.1 * from_empty.1, of_money);
        going
    }
}

/// Fewest minutes, and most, that a point takes between two `SoCs`.
pub(super) fn paces_between(trip: &ClockTrip, node: RoadIndex, (from, to): (f64, f64)) -> (f64, f64) {
    let power = trip.problem.stalls[node].power();
    let inside = power.points().iter().filter(|point| point.0 > from && point.0 < to).map(|point| point.1);
    let ends = (power.at(from), power.at(to));
    let range = |(least, most): (f64, f64), kw: f64| (least.min(kw), most.max(kw));
    let (least, most) = inside.fold((ends.0.min(ends.1), ends.0.max(ends.1)), range);
    let pace = |kw: f64| 0.6 * trip.problem.trip.vehicle.usable.get() / kw.max(1e-6);
    (pace(most), pace(least))
}

/// Cuts the steps between `SoCs` where one of them would give away much: a point more may take minutes where the battery is nearly
/// full.
pub(super) fn cut_where_minutes_are_given_away(
    trip: &ClockTrip,
    step: f64,
    socs: &mut Vec<f64>,
    from_empty: impl Fn(f64) -> f64,
) {
    let most = step * MOST_GIVEN_AWAY;
    let pieces = |pair: &[f64]| {
        let wide = pair[1] - pair[0];
        let given = from_empty(pair[1]) - from_empty(pair[0]) - trip.least_minutes_per_percent * wide;
        let count = (given / most).ceil().clamp(1.0, 50.0);
        let low = pair[0];
        (1..=count as usize).map(move |piece| low + wide * piece as f64 / count).collect::<Vec<_>>()
    };
    let more: Vec<f64> = socs.windows(2).flat_map(pieces).collect();
    socs.truncate(1);
    socs.extend(more);
}
