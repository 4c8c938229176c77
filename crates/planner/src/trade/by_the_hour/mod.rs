//! The least that is still to come by the clock: minutes and money together, at some weights, from a SoC at a site and an hour on.
//!
//! Backward over sites, SoC and hour. The road that all drive is left out of the clock here, so that a site is reached at the hour
//! at which the one before was left: the hours of a site are laid out beside those of the start, in slots of equal width. A stop leads
//! from a slot to those in which it may be over, and each kWh costs the least that it costs in those that it may be charged in. Two
//! bounds are kept side by side, as each loses where the other does not: that from the first moment of a slot, which rounds what comes
//! after down, and that from any moment of it, which lets time pass, or not, within a slot. Between two `SoCs` what is to come of whoever
//! charges on falls along a line with the minutes and money of the charge; what leaves with one between may be below that line, and by how
//! much is kept. Pauses are not asked for; who makes one waits.

mod kept;
mod rows;
mod site_hours;

use typed_index_collections::TiVec;

use super::clock_trip::ClockTrip;
use super::parts::in_parts;
use crate::StopSign;
use crate::model::leg::{Leg, Node, SAME};
use crate::model::road_index::RoadIndex;
use kept::{Kept, KeptBoth};
use rows::{Both, NEVER, Row, Rows, Slots, Windows, below, on_line, shifted};
use site_hours::{Onto, SiteHours};

/// Most values that are kept: 96 MB, and some more for charges that would have been at 0 % before the trip began.
const MOST_VALUES: usize = 24_000_000;
/// Fewer slots tell nothing.
const FEWEST_SLOTS: usize = 40;

/// What minutes and money weigh.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Weight {
    pub(super) minutes: f64,
    pub(super) money: f64,
}

/// How finely it is worked out.
#[derive(Clone, Copy, Debug)]
pub(super) struct Resolution {
    /// Points between `SoCs`.
    pub(super) points: f64,
    /// Minutes of a slot at least: more where there would be too many.
    pub(super) minutes: f64,
}

/// The least that is still to come by the clock.
pub(super) struct ByTheHour {
    slots: Slots,
    nodes: TiVec<RoadIndex, SiteHours>,
    /// For each weight, and each site.
    weighed: Vec<(Weight, TiVec<RoadIndex, KeptToCome>)>,
    road: f64,
}

/// Someone who charges at a site and has come to a SoC.
#[derive(Clone, Debug)]
pub(super) struct FromHere {
    node: RoadIndex,
    onto: Onto,
    /// The minute of the trip at which they are here, if their slots begin with it.
    since: f64,
    /// Minutes of the road still to come.
    road: f64,
}

/// What is to come at a site while one charges: at each of its `SoCs`; and by how much it may be below a line between two.
struct ToCome {
    at: Both,
    below_line: Both,
}

/// The same as it is kept: no more than that.
#[derive(Default)]
struct KeptToCome {
    at: KeptBoth,
    below_line: KeptBoth,
}

/// What is to come of whoever leaves a site with a SoC of a cell, and what that costs more than its lower edge; and of whoever leaves it
/// with a SoC between.
struct Left {
    at: Both,
    between: Vec<Between>,
}

/// A departure between two of a site's `SoCs`.
struct Between {
    cell: usize,
    share: f64,
    row: Row,
}

impl From<ToCome> for KeptToCome {
    fn from(ToCome { at, below_line }: ToCome) -> Self {
        let kept = |both: &Both, of: fn(&Rows) -> Kept| KeptBoth { point: of(&both.point), slot: of(&both.slot) };
        Self { at: kept(&at, Kept::no_more), below_line: kept(&below_line, Kept::no_less) }
    }
}

impl KeptToCome {
    /// What is to come of whoever charges and is between two of the `SoCs`, so many minutes after the first moment of a slot.
    fn at_moment(&self, hours: &SiteHours, onto: &Onto, weight: Weight, (slot, later): (usize, f64)) -> f64 {
        let Self { at, below_line } = self;
        let of = |kept: &Kept, below: &Kept| {
            let lower = kept.at(onto.cell, slot);
            if onto.share == 0.0 {
                return lower;
            }
            let line = on_line(lower, kept.at(onto.cell + 1, slot), onto.share);
            line - below.at(onto.cell, slot) - weight.minutes * hours.above[onto.cell]
        };
        let (point, whole) = (of(&at.point, &below_line.point), of(&at.slot, &below_line.slot));
        whole.max(point - weight.minutes * later)
    }

    /// What is to come of whoever charges and is between two of the `SoCs`.
    fn between(&self, hours: &SiteHours, onto: &Onto, weight: Weight) -> Row {
        let Self { at, below_line } = self;
        let (lower, share) = (onto.cell, onto.share);
        if share == 0.0 {
            return Row { point: at.point.row(lower).collect(), slot: at.slot.row(lower).collect() };
        }
        let fixed = weight.minutes * hours.above[lower];
        let of = |kept: &Kept, below: &Kept| {
            let ends = kept.row(lower).zip(kept.row(lower + 1)).zip(below.row(lower));
            ends.map(|((lower, upper), below)| on_line(lower, upper, share) - below - fixed).collect()
        };
        Row { point: of(&at.point, &below_line.point), slot: of(&at.slot, &below_line.slot) }
    }
}

impl ByTheHour {
    /// Works it out for plans that end no later than a minute; `None` where a boost makes it depend on more, where there are too many
    /// sites, or told to stop.
    pub(super) fn new(
        trip: &ClockTrip,
        weights: &[Weight],
        last: f64,
        resolution: Resolution,
        stop: &StopSign,
    ) -> Option<Self> {
        if trip.problem.trip.vehicle.boost.is_some() {
            return None;
        }
        let road = trip.problem.drive(Node::Start, Node::End).minutes;
        let span = (last - road).max(1.0);
        let edges: usize = trip.problem.road().map(|node| site_hours::edges(trip, node, resolution.points).len()).sum();
        let most = MOST_VALUES / (4 * edges.max(1) * weights.len().max(1));
        if most < FEWEST_SLOTS {
            return None;
        }
        let width = resolution.minutes.max(span / most as f64);
        let slots = Slots { width, count: (span / width) as usize + 2 };
        let nodes: TiVec<RoadIndex, SiteHours> =
            trip.problem.road().map(|node| SiteHours::new(trip, node, slots, resolution.points)).collect();
        let mut all = Self { slots, nodes, weighed: Vec::new(), road };
        let work = |part: Vec<(usize, Weight)>| {
            part.into_iter().map(|(place, weight)| (place, weight, all.rows(trip, weight, stop))).collect::<Vec<_>>()
        };
        let parts = in_parts(weights.iter().copied().enumerate().collect(), work);
        let mut weighed: Vec<_> = parts.into_iter().flatten().collect();
        weighed.sort_by_key(|one| one.0);
        all.weighed = weighed.into_iter().map(|(_, weight, rows)| Some((weight, rows?))).collect::<Option<_>>()?;
        Some(all)
    }

    /// What is to come while one charges at each site, by its `SoCs` and slots.
    fn rows(&self, trip: &ClockTrip, weight: Weight, stop: &StopSign) -> Option<TiVec<RoadIndex, KeptToCome>> {
        let mut rows: TiVec<RoadIndex, KeptToCome> = self.nodes.iter().map(|_| KeptToCome::default()).collect();
        let anywhere = waits_anywhere(trip);
        for node in trip.problem.road().rev() {
            if stop.is_raised() {
                return None;
            }
            let left = self.left(trip, node, weight, &rows);
            rows[node] = self.charged(node, weight, &left, anywhere).into();
        }
        Some(rows)
    }

    /// What is to come of whoever leaves a site.
    fn left(&self, trip: &ClockTrip, node: RoadIndex, weight: Weight, rows: &TiVec<RoadIndex, KeptToCome>) -> Left {
        let hours = &self.nodes[node];
        // What is to come of whoever leaves with just one of the `SoCs`.
        let mut at = Both::new(hours.socs.len(), self.slots.count, f64::INFINITY);
        let mut between: Vec<Between> = Vec::new();
        for leg in trip.problem.legs(Node::Site(node)) {
            for depart in self.departures(node, leg) {
                let cell = hours.cell_of(depart);
                let row = self.along(&self.onto(leg, depart), weight, rows);
                let points = (depart - hours.socs[cell]).max(0.0);
                if points < 1e-6 {
                    at.least(cell, &row);
                } else {
                    let share = points / (hours.socs[cell + 1] - hours.socs[cell]);
                    between.push(Between { cell, share, row });
                }
            }
        }
        // Who leaves with more has no more to come.
        for Between { cell, row, .. } in &between {
            at.least(cell + 1, row);
        }
        for Between { cell, share, row } in &between {
            at.least(*cell, &with_less(hours, weight, (*cell, *share), row));
        }
        Left { at, between }
    }

    /// The departures along a leg between which what is to come lies on lines: those of the site's own `SoCs`, those that arrive with
    /// one of the next, just enough, and the last that is of use.
    fn departures(&self, node: RoadIndex, leg: &Leg) -> Vec<f64> {
        let own = self.nodes[node].socs.iter().copied();
        let next: &[f64] = if let Node::Site(to) = leg.to { &self.nodes[to].socs } else { &[] };
        let arriving = next.iter().map(|soc| soc + leg.net);
        let most = self.nodes[node].socs.last().copied().unwrap_or_default();
        let mut all: Vec<f64> = own.chain(arriving).chain([leg.least, leg.full]).collect();
        all.retain(|&soc| soc >= leg.least - SAME && soc <= most + SAME);
        all
    }

    /// Where one comes to along a leg.
    fn onto(&self, leg: &Leg, depart: f64) -> Onto {
        match leg.to {
            Node::Site(node) => self.nodes[node].onto(node, leg.arrive(depart)),
            _ => Onto { node: None, cell: 0, share: 0.0, from_empty: 0.0 },
        }
    }

    /// What is to come of whoever drives onto a place.
    fn along(&self, onto: &Onto, weight: Weight, rows: &TiVec<RoadIndex, KeptToCome>) -> Row {
        let count = self.slots.count;
        let Some(node) = onto.node else { return Row::new(count, 0.0) };
        let hours = &self.nodes[node];
        let fixed = hours.stop_costs(weight);
        let before = onto.from_empty / self.slots.width;
        let first = hours.before - (before.ceil() as usize).min(hours.before);
        let a_slot = weight.minutes * self.slots.width;
        // From the first moment of a slot one comes so long after that of another.
        let after = a_slot * (before.ceil() - before);
        let here = rows[node].between(hours, onto, weight);
        let next = |slot: usize| (slot + 1).min(here.slot.len() - 1);
        let point = |slot: usize| here.slot[slot].max(here.point[slot] - after) + fixed;
        let whole = |slot: usize| {
            let (early, late) = (here.slot[slot].max(here.point[slot] - a_slot), next(slot));
            early.min(here.slot[late].max(here.point[late] - after)) + fixed
        };
        let slots = first..first + count;
        let mut row = Row { point: slots.clone().map(point).collect(), slot: slots.map(whole).collect() };
        // The last slot has no end.
        row.point[count - 1] = NEVER;
        row.slot[count - 1] = here.slot[first + count - 1..].iter().copied().fold(f64::INFINITY, f64::min) + fixed;
        row
    }

    /// What is to come of whoever charges at a site, by when they would have been at 0 %, with each of the `SoCs`.
    fn charged(&self, node: RoadIndex, weight: Weight, left: &Left, anywhere: bool) -> ToCome {
        let hours = &self.nodes[node];
        let (edges, count) = (hours.socs.len(), self.slots.count + hours.before);
        let onward: Vec<Row> = (0..edges)
            .map(|cell| {
                let row = |rows: &Rows| rows.row(cell).to_vec();
                let mut row =
                    self.onward(hours, weight, cell, &Row { point: row(&left.at.point), slot: row(&left.at.slot) });
                hours.while_open(cell, anywhere, &mut row);
                row
            })
            .collect();
        let point = hours.charging_on(weight, onward.iter().map(|row| &row.point[..]));
        let slot = hours.charging_on(weight, onward.iter().map(|row| &row.slot[..]));
        let mut to_come = ToCome { at: Both { point, slot }, below_line: Both::new(edges, count, 0.0) };
        for Between { cell, share, row } in &left.between {
            let row = self.onward(hours, weight, *cell, row);
            below(&to_come.at.point, &row.point, (*cell, *share), to_come.below_line.point.row_mut(*cell));
            below(&to_come.at.slot, &row.slot, (*cell, *share), to_come.below_line.slot.row_mut(*cell));
        }
        self.wait(hours, weight, anywhere, &mut to_come);
        to_come
    }

    /// What is to come of whoever charges, by when they would have been at 0 %, and leaves with a SoC of a cell.
    fn onward(&self, hours: &SiteHours, weight: Weight, cell: usize, left: &Row) -> Row {
        let count = self.slots.count + hours.before;
        let next = (cell + 1).min(hours.socs.len() - 1);
        let (soonest, latest) = (hours.stands() + hours.from_empty[cell], hours.stands() + hours.from_empty[next]);
        let shift = |minutes: f64| self.slots_in(minutes).cast_signed() - hours.before.cast_signed();
        let (first, last) = (shift(soonest), shift(latest));
        let a_slot = weight.minutes * self.slots.width;
        let after = weight.minutes * (latest - self.slots_in(soonest) as f64 * self.slots.width);
        let slot = left.slot.iter().zip(&left.point).map(|(&slot, &point)| slot.max(point - a_slot)).collect();
        let mut slots = Windows::new(slot);
        let whole: Vec<f64> = slots.of(first, last + 1).take(count).copied().collect();
        let points = shifted(&left.point, first).map(|point| point - after);
        let mut point: Vec<f64> =
            slots.of(first, last).zip(points).take(count).map(|(&slot, point)| slot.max(point)).collect();
        point[count - 1] = NEVER;
        Row { point, slot: whole }
    }

    /// Whoever may begin may also wait: for the price to fall while they charge, or for the site to open.
    fn wait(&self, hours: &SiteHours, weight: Weight, anywhere: bool, to_come: &mut ToCome) {
        let (edges, count) = (hours.socs.len(), self.slots.count + hours.before);
        let a_slot = weight.minutes * self.slots.width;
        let now = to_come.at.clone();
        // What is to come at least of whoever waits for a slot after each.
        let mut later = Rows::new(edges, count, f64::INFINITY);
        for cell in 0..edges {
            let mut least = f64::INFINITY;
            for slot in (0..count).rev() {
                later.row_mut(cell)[slot] = least;
                let here = if anywhere || hours.may_wait(cell, slot, self.slots) {
                    now.slot.row(cell)[slot]
                } else {
                    f64::INFINITY
                };
                let at = &mut to_come.at;
                at.slot.row_mut(cell)[slot] = now.slot.row(cell)[slot].min(least);
                least = (least + a_slot).min(here);
                at.point.row_mut(cell)[slot] = now.point.row(cell)[slot].min(least);
            }
        }
        for cell in 0..edges - 1 {
            let may = |slot: usize| anywhere || (cell..cell + 2).any(|edge| hours.may_wait(edge, slot, self.slots));
            below_line_of_waiting((&now, &later), a_slot, (cell, may), to_come);
        }
    }

    fn slots_in(&self, minutes: f64) -> usize {
        (minutes / self.slots.width) as usize
    }

    /// Whoever charges at a site and has come to a SoC, or leaves it with that.
    pub(super) fn charging(&self, node: RoadIndex, soc: f64) -> FromHere {
        let hours = &self.nodes[node];
        let before = hours.before as f64 * self.slots.width;
        let (since, onto) = (hours.road + hours.off + hours.overhead, hours.onto(node, soc));
        FromHere { node, since: since + onto.from_empty - before, onto, road: self.road - hours.road + hours.off }
    }

    /// What is to come at least, by the weight with an index, from a minute of the trip on.
    pub(super) fn least(&self, from: &FromHere, index: usize, minute: f64) -> f64 {
        let (weight, rows) = &self.weighed[index];
        let hours = &self.nodes[from.node];
        let slots = Slots { count: self.slots.count + hours.before, ..self.slots };
        let moment = slots.within(minute - from.since);
        rows[from.node].at_moment(hours, &from.onto, *weight, moment) + weight.minutes * from.road
    }
}

/// The same of whoever comes to the lower edge of a cell and charges on to what was left with.
fn with_less(hours: &SiteHours, weight: Weight, (cell, share): (usize, f64), row: &Row) -> Row {
    let points = share * (hours.socs[cell + 1] - hours.socs[cell]);
    let minutes = share * (hours.from_empty[cell + 1] - hours.from_empty[cell]);
    let fixed = weight.minutes * (minutes - hours.below[cell] - hours.above[cell]);
    let (of_kwh, of_min) = (weight.money * points * hours.kwh_a_point, weight.money * minutes);
    let more = |slot: usize| fixed + of_kwh * hours.leaving.0[slot] + of_min * hours.leaving.1[slot];
    let with_more = |values: &[f64]| values.iter().enumerate().map(|(slot, value)| value + more(slot)).collect();
    Row { point: with_more(&row.point), slot: with_more(&row.slot) }
}

/// By how much what is to come between two `SoCs` may be below the line of those who may also wait: a line that came down is above
/// what lies between by so much less.
fn below_line_of_waiting(
    (now, later): (&Both, &Rows),
    a_slot: f64,
    (cell, may): (usize, impl Fn(usize) -> bool),
    to_come: &mut ToCome,
) {
    let came_down = |(from, slot, more): (&Rows, usize, f64), (to, at): (&Rows, usize)| {
        let of = |cell: usize| (from.row(cell)[slot] + more - to.row(cell)[at]).max(0.0);
        of(cell).min(of(cell + 1))
    };
    let (at, below) = (&to_come.at, &mut to_come.below_line);
    let mut waiting = 0.0_f64;
    for slot in (0..later.count).rev() {
        let (here, of_point) = (below.slot.row(cell)[slot], below.point.row(cell)[slot]);
        let at_once = here - came_down((&now.slot, slot, 0.0), (&at.slot, slot));
        let waits = waiting - came_down((later, slot, 0.0), (&at.slot, slot));
        below.slot.row_mut(cell)[slot] = at_once.max(waits).max(0.0);
        let of_point = of_point - came_down((&now.point, slot, 0.0), (&at.point, slot));
        let from_here = if may(slot) { here } else { 0.0 };
        let at_once = from_here - came_down((&now.slot, slot, 0.0), (&at.point, slot));
        let waits = waiting - came_down((later, slot, a_slot), (&at.point, slot));
        below.point.row_mut(cell)[slot] = of_point.max(at_once).max(waits).max(0.0);
        if slot > 0 {
            let from_here = from_here - came_down((&now.slot, slot, 0.0), (later, slot - 1));
            let from_later = waiting - came_down((later, slot, a_slot), (later, slot - 1));
            waiting = from_here.max(from_later).max(0.0);
        }
    }
}

/// Whether plans wait where no price falls and nothing opens: for pauses, rests and stays.
fn waits_anywhere(trip: &ClockTrip) -> bool {
    !trip.occasions.is_empty() || trip.wishes.rest.is_some() || trip.sites.iter().any(|site| site.stay > 0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::trade::bounds::Bounds;
    use crate::trade::{ClockPlan, Trade, TradeTrip};
    use jiff::civil::{date, time};
    use jiff::tz::TimeZone;
    use rust_decimal::Decimal;
    use spare_hour_core::charging::profile::Profile;
    use spare_hour_core::driving::route::{Route, Segment};
    use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
    use spare_hour_core::quantity::{Consumption, Distance, Energy, Minutes, Power, Soc, Speed};
    use spare_hour_core::trip::site_details::SiteDetails;
    use spare_hour_core::trip::wishes::Wishes;
    use spare_hour_core::trip::{Goal, Price, Site, Trip, TripDraft, Vehicle};
    use std::sync::Arc;

    fn tariff(random: &mut fastrand::Rng) -> Tariff {
        let cents = |cents: u32| Decimal::new(i64::from(cents), 2);
        let of = |kind, price| Component { kind, price, vat: None, step: 1 };
        let day = random.u32(40..80);
        let from = random.i8(18..23);
        let night = Restrictions {
            from_time: Some(time(from, 30 * random.i8(0..2), 0, 0)),
            to_time: Some(time(random.i8(5..9), 0, 0, 0)),
            ..Restrictions::default()
        };
        let (cheap, by_the_hour, flat) = (day - random.u32(5..30), random.u32(0..2) * 60, random.u32(0..2) * 50);
        let elements = vec![
            Element { components: vec![of(Kind::Energy, cents(cheap))], restrictions: night },
            Element {
                components: vec![
                    of(Kind::Energy, cents(day)),
                    of(Kind::Time, cents(by_the_hour)),
                    of(Kind::Flat, cents(flat)),
                ],
                restrictions: Restrictions::default(),
            },
        ];
        Tariff { name: "t".into(), currency: "cr".into(), elements, least: None, most: None }
    }

    /// A road by a seed: stops of every power, some closed at night, off the road, over hills, with prices by the hour.
    fn invented(seed: u64) -> TradeTrip {
        let mut random = fastrand::Rng::with_seed(seed);
        let (count, apart) = (random.usize(5..9), random.f64() * 30.0 + 45.0);
        let site = |index: usize, random: &mut fastrand::Rng| {
            let hours = (random.u8(0..3) == 0).then(|| "06:00-22:00".parse().unwrap());
            Site {
                id: format!("s{index}"),
                name: format!("Site {index}"),
                at: Distance::km(apart * (index + 1) as f64),
                off_route: Distance::km(2.0 * random.f64()),
                off_route_speed: Speed::kmh(50.0),
                max_power: Power::kw([11.0, 50.0, 150.0, 300.0][random.usize(0..4)]),
                max_current: None,
                overhead: Minutes::new(f64::from(random.u32(2..9))),
                price: Price { per_kwh: 0.5, per_min: 0.0, per_session: 0.0 },
                details: SiteDetails { hours, ..SiteDetails::default() },
            }
        };
        let sites: Vec<Site> = (0..count).map(|index| site(index, &mut random)).collect();
        let tariffs = sites.iter().map(|site| (site.id.clone(), tariff(&mut random))).collect();
        let segment = |random: &mut fastrand::Rng| Segment {
            length: Distance::km(apart * (count + 1) as f64 / 6.0),
            speed: Speed::kmh(f64::from(random.u32(90..130))),
            consumption: Consumption::kwh_per_100km(f64::from(random.u32(8..27)) - 6.0),
        };
        let curve = [(0.0, 90.0), (10.0, 180.0), (50.0, 130.0), (80.0, 60.0), (100.0, 5.0)];
        let draft = TripDraft {
            name: "Test".into(),
            vehicle: Vehicle {
                usable: Energy::kwh(60.0),
                charge_curve: Profile::new(curve.to_vec()).unwrap(),
                charge_loss_percent: 8.0,
                pack_voltage: None,
                boost: None,
            },
            route: Route::new((0..6).map(|_| segment(&mut random)).collect()),
            sites,
            goal: Goal {
                start: Soc::percent(70.0),
                floor: Soc::percent(10.0),
                arrival: Soc::percent(15.0),
                ceiling: Soc::percent(100.0),
                on_way: None,
                value_of_time_per_hour: None,
            },
        };
        let leaves = date(2026, 5, 4).at(random.i8(0..24), 30, 0, 0).to_zoned_datetime(TimeZone::UTC).unwrap();
        let trip = Arc::new(Trip::new(draft).unwrap());
        TradeTrip { trip, departure: leaves, tariffs, wishes: Wishes::default() }
    }

    /// What a plan costs by a weight from a minute on, when so much is spent.
    fn rest(plan: &ClockPlan, weight: Weight, (minute, money): (f64, f64)) -> f64 {
        weight.minutes * (plan.total.get() - minute) + weight.money * (plan.cost - money)
    }

    const WEIGHTS: [Weight; 4] = [
        Weight { minutes: 0.0, money: 1.0 },
        Weight { minutes: 1.0, money: 0.0 },
        Weight { minutes: 1.0, money: 4.0 },
        Weight { minutes: 1.0, money: 25.0 },
    ];

    #[test]
    fn no_plan_comes_to_less_from_any_stop_on() {
        let mut told = 0;
        for (seed, points, minutes) in (0..9).flat_map(|seed| [(seed, 4.0, 12.0), (seed, 2.0, 3.0), (seed, 1.0, 1.0)]) {
            let asked = invented(seed);
            let Ok(trade) = Trade::new(&asked, None, &StopSign::default()) else { continue };
            let clock = ClockTrip::new(&asked, &StopSign::default()).unwrap();
            let last = trade.plans.last().unwrap().total.get();
            let hours =
                ByTheHour::new(&clock, &WEIGHTS, last, Resolution { points, minutes }, &StopSign::default()).unwrap();
            for plan in &trade.plans {
                let mut money = 0.0;
                for stop in &plan.stops {
                    let node = clock.problem.node_of(stop.site).unwrap();
                    let begins = stop.begins().get();
                    let charging = hours.charging(node, stop.arrive.get());
                    for (index, weight) in WEIGHTS.into_iter().enumerate() {
                        // A receipt is rounded to the cent, for each stop.
                        let rounded = 0.006 * weight.money * plan.stops.len() as f64 + 1e-3;
                        let least = hours.least(&charging, index, begins);
                        let rest = rest(plan, weight, (begins, money));
                        assert!(least <= rest + rounded, "seed {seed}, {weight:?}, {stop:?}: {least} is above {rest}");
                        told += 1;
                    }
                    money += stop.cost;
                }
            }
        }
        assert!(told > 10_000, "{told} are too few");
    }

    /// What is to come of the whole trip: the least over where the first charge may be.
    fn of_the_trip(clock: &ClockTrip, hours: &ByTheHour, (index, weight): (usize, Weight)) -> f64 {
        let start = clock.problem.trip.goal.start.get();
        let of_leg = |leg: &Leg| {
            let Node::Site(node) = leg.to else { return weight.minutes * leg.minutes };
            let begins = leg.minutes + clock.problem.site(node).overhead.get();
            let fee = weight.money * clock.sites[node].price.least().per_session;
            weight.minutes * begins + fee + hours.least(&hours.charging(node, leg.arrive(start)), index, begins)
        };
        clock.problem.legs(Node::Start).iter().map(of_leg).fold(f64::INFINITY, f64::min)
    }

    #[test]
    fn it_is_far_nearer_than_where_every_site_asks_the_least_of_any_hour() {
        let (mut by_the_hour, mut always, mut trips) = (0.0, 0.0, 0);
        for seed in 0..9 {
            let asked = invented(seed);
            let Ok(trade) = Trade::new(&asked, None, &StopSign::default()) else { continue };
            let clock = ClockTrip::new(&asked, &StopSign::default()).unwrap();
            let last = trade.plans.last().unwrap().total.get();
            let resolution = Resolution { points: 2.0, minutes: 2.0 };
            let hours = ByTheHour::new(&clock, &WEIGHTS, last, resolution, &StopSign::default()).unwrap();
            let start = [clock.problem.trip.goal.start.get()];
            for (index, weight) in WEIGHTS.into_iter().enumerate().skip(2) {
                let best = trade.plans.iter().map(|plan| rest(plan, weight, (0.0, 0.0))).fold(f64::INFINITY, f64::min);
                let plain = Bounds::new(&clock, &[weight.money], &StopSign::default()).unwrap();
                by_the_hour += best - of_the_trip(&clock, &hours, (index, weight));
                always += best - plain.to_go(&clock, Node::Start, &start)[0].as_ref().unwrap().always[1];
                trips += 1;
            }
        }
        assert!(trips > 8, "{trips}");
        assert!(3.0 * by_the_hour < always, "apart by {by_the_hour:.1} min by the hour, {always:.1} always");
    }
}
