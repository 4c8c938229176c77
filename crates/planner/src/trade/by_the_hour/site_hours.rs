//! A site by the hours of a trip: its prices and opening hours in slots, and its charges between some `SoCs`.

use std::sync::Arc;

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::trip::Price;

use super::Weight;
use super::rows::{NEVER, Row, Rows, Slots, Windows};
use crate::model::leg::Node;
use crate::model::road_index::RoadIndex;
use crate::trade::charge_walk::from_empty;
use crate::trade::clock_trip::{ClockSite, ClockTrip};

/// A cell between two `SoCs` is cut until the pace of the charge changes by no more minutes over a quarter of it.
const CURVED: f64 = 0.2;
/// Most pieces of a cell.
const MOST_PIECES: f64 = 40.0;

/// Where a departure leads: onto a site between two of its `SoCs`, or to the end.
#[derive(Clone, Copy, Debug)]
pub(super) struct Onto {
    pub(super) node: Option<RoadIndex>,
    pub(super) cell: usize,
    pub(super) share: f64,
    /// Minutes from 0 % to there.
    pub(super) from_empty: f64,
}

/// A site by the slots of the clock.
///
/// A charge is told by the moment at which it would have been at 0 %: that stays the same while it goes on.
pub(super) struct SiteHours {
    stall: Arc<Stall>,
    /// Minutes of the road from the start to where its way leaves it, of that way, and before a charge begins.
    pub(super) road: f64,
    pub(super) off: f64,
    pub(super) overhead: f64,
    pub(super) socs: Vec<f64>,
    pub(super) from_empty: Vec<f64>,
    /// By how much a line between two `SoCs` may be above the minutes of the charge between, or below.
    pub(super) above: Vec<f64>,
    pub(super) below: Vec<f64>,
    pub(super) kwh_a_point: f64,
    pub(super) fee: f64,
    /// Slots of charges that would have been at 0 % before the trip began.
    pub(super) before: usize,
    /// What a charge asks at least, from the first of the `SoCs` to each.
    asked: Rows,
    /// Whether the site is open at some moment of the charge from each of the `SoCs` to the next; empty where it always is.
    open: Vec<bool>,
    /// The least that a kWh and a minute cost for whoever leaves in a slot.
    pub(super) leaving: (Vec<f64>, Vec<f64>),
    /// Minutes until the price falls or the site opens next, from when a charge begins on.
    next_event: Vec<f64>,
}

impl SiteHours {
    pub(super) fn new(trip: &ClockTrip, node: RoadIndex, slots: Slots, step: f64) -> Self {
        let (problem, site) = (&trip.problem, &trip.sites[node]);
        let whole = problem.drive(Node::Start, Node::End).minutes;
        let there = problem.drive(Node::Start, Node::Site(node)).minutes;
        let off = ((there + problem.drive(Node::Site(node), Node::End).minutes - whole) / 2.0).max(0.0);
        let (road, overhead) = (there - off, problem.site(node).overhead.get());
        let socs = edges(trip, node, step);
        let stall = Arc::clone(&problem.stalls[node]);
        let from_empty: Vec<f64> = socs.iter().map(|&soc| from_empty(&stall, soc)).collect();
        let bends: Vec<f64> = socs.windows(2).map(|pair| bend(trip, &stall, (pair[0], pair[1]))).collect();
        let begins = |slot: usize| road + off + overhead + slot as f64 * slots.width;
        let leaves = |slot: usize| road - off + slot as f64 * slots.width;
        let cell = from_empty.windows(2).map(|pair| pair[1] - pair[0]).fold(0.0, f64::max);
        let end = |slot: usize, from: f64| if slot + 1 < slots.count { from + slots.width } else { f64::INFINITY };
        let price = |from: f64, to: f64| {
            if site.price.is_by_clock_only() { site.price.least_within(from, to) } else { site.price.least() }
        };
        let all = 0..slots.count;
        let leave: Vec<_> = all.clone().map(|slot| price(leaves(slot) - cell, end(slot, leaves(slot)))).collect();
        let begin: Vec<_> = all.clone().map(|slot| price(begins(slot), end(slot, begins(slot)))).collect();
        let event = |slot: usize| {
            let from = begins(slot) - 1e-6;
            let fall = site.price.falls(from, f64::INFINITY).first().copied();
            let opens = site.opens_after(from);
            fall.into_iter().chain(opens).fold(f64::INFINITY, f64::min) - from
        };
        let kwh_a_point = trip.kwh_a_point(node);
        let before = (from_empty[from_empty.len() - 1] / slots.width).ceil() as usize;
        Self {
            stall,
            road,
            off,
            overhead,
            above: bends.iter().map(|bend| (-bend).max(0.0)).chain([0.0]).collect(),
            below: bends.iter().map(|bend| bend.max(0.0)).chain([0.0]).collect(),
            kwh_a_point,
            fee: site.price.least().per_session,
            before,
            asked: asked(&begin, (&socs, &from_empty), kwh_a_point, (slots, before)),
            open: open(site, begins(0), &from_empty, (slots, before)),
            leaving: (
                leave.iter().map(|price| price.per_kwh).collect(),
                leave.iter().map(|price| price.per_min).collect(),
            ),
            next_event: all.clone().map(event).collect(),
            socs,
            from_empty,
        }
    }

    /// Minutes of a stop beside the charge: the way off the road and back, and before it begins.
    pub(super) fn stands(&self) -> f64 {
        2.0 * self.off + self.overhead
    }

    /// What a stop costs beside the charge.
    pub(super) fn stop_costs(&self, weight: Weight) -> f64 {
        weight.minutes * self.stands() + weight.money * self.fee
    }

    /// Where one is with a SoC.
    pub(super) fn onto(&self, node: RoadIndex, soc: f64) -> Onto {
        let cell = self.cell_of(soc);
        let share = self.socs.get(cell + 1).map_or(0.0, |next| {
            let share = (soc - self.socs[cell]) / (next - self.socs[cell]);
            if share < 1e-6 { 0.0 } else { share.min(1.0) }
        });
        Onto { node: Some(node), cell, share, from_empty: from_empty(&self.stall, soc) }
    }

    /// The less, at each SoC, of what is to come of whoever leaves with one of its cell, and of whoever charges on.
    pub(super) fn charging_on<'r>(
        &self,
        weight: Weight,
        onward: impl DoubleEndedIterator<Item = &'r [f64]> + ExactSizeIterator,
    ) -> Rows {
        let (edges, count) = (self.socs.len(), self.asked.count);
        let mut rows = Rows::new(edges, count, f64::INFINITY);
        for (cell, onward) in onward.enumerate().rev() {
            let (here, next) = rows.values[cell * count..].split_at_mut(count);
            let minutes = weight.minutes * self.from_empty[cell];
            for ((value, onward), asked) in here.iter_mut().zip(onward).zip(self.asked.row(cell)) {
                *value = onward + minutes + weight.money * asked;
            }
            for (slot, (value, next)) in here.iter_mut().zip(next.iter()).enumerate() {
                let open = self.open.get(cell * count + slot).copied().unwrap_or(true);
                *value = if open { value.min(*next) } else { *value };
            }
        }
        for cell in 0..edges {
            let minutes = weight.minutes * self.from_empty[cell];
            for (value, asked) in rows.row_mut(cell).iter_mut().zip(self.asked.row(cell)) {
                *value -= minutes + weight.money * asked;
            }
        }
        rows
    }

    /// Where the site is closed nobody leaves, but who may stand there.
    pub(super) fn while_open(&self, cell: usize, stands: bool, row: &mut Row) {
        if self.open.is_empty() || stands {
            return;
        }
        let open = &self.open[cell * row.slot.len()..];
        let values = row.point.iter_mut().zip(&mut row.slot).zip(open);
        for ((point, slot), _) in values.filter(|(_, open)| !**open) {
            (*point, *slot) = (f64::INFINITY, f64::INFINITY);
        }
        if let Some(point) = row.point.last_mut() {
            *point = NEVER;
        }
    }

    /// Whether whoever is between the `SoCs` beside one may wait for a slot: an event is near enough to come while they charge.
    pub(super) fn may_wait(&self, cell: usize, slot: usize, slots: Slots) -> bool {
        let longest = self.from_empty[self.socs.len() - 1] - self.from_empty[cell.saturating_sub(1)];
        let begins = (slot + (self.from_empty[cell] / slots.width) as usize).saturating_sub(self.before);
        let begins = begins.min(self.next_event.len() - 1);
        self.next_event[begins] <= longest + 2.0 * slots.width + 1.0
    }

    pub(super) fn cell_of(&self, soc: f64) -> usize {
        self.socs.partition_point(|&edge| edge <= soc + 1e-7).saturating_sub(1)
    }
}

/// By how many minutes at most a line between two `SoCs`, between which the power has no bend, is above the minutes of a charge; where
/// it is below them, less than nought.
fn bend(trip: &ClockTrip, stall: &Stall, (from, to): (f64, f64)) -> f64 {
    let pace = |soc: f64| 0.6 * trip.problem.trip.vehicle.usable.get() / stall.power().at(soc).max(1e-6);
    (pace(to - 1e-9) - pace(from + 1e-9)) * (to - from) / 4.0
}

/// What a charge asks at least from the first SoC to each, by when it would have been at 0 %.
fn asked(
    begin: &[Price],
    (socs, from_empty): (&[f64], &[f64]),
    kwh_a_point: f64,
    (slots, before): (Slots, usize),
) -> Rows {
    let of = |price: fn(&Price) -> f64| Windows::new(begin.iter().map(price).collect());
    let (mut kwh, mut min) = (of(|price| price.per_kwh), of(|price| price.per_min));
    let count = slots.count + before;
    let mut all = Rows::new(socs.len(), count, 0.0);
    let slots_in = |minutes: f64| ((minutes / slots.width) as usize).cast_signed() - before.cast_signed();
    for to in 1..socs.len() {
        let (first, last) = (slots_in(from_empty[to - 1]), slots_in(from_empty[to]) + 1);
        let (of_kwh, of_min) = ((socs[to] - socs[to - 1]) * kwh_a_point, from_empty[to] - from_empty[to - 1]);
        let (sofar, here) = all.values[(to - 1) * count..].split_at_mut(count);
        let prices = kwh.of(first, last).zip(min.of(first, last));
        for ((here, sofar), (kwh, min)) in here.iter_mut().zip(sofar).zip(prices) {
            *here = *sofar + of_kwh * kwh + of_min * min;
        }
    }
    all
}

/// Whether a site is open at some moment of the charge from each SoC to the next, by when it would have been at 0 %.
fn open(site: &ClockSite, begins: f64, from_empty: &[f64], (slots, before): (Slots, usize)) -> Vec<bool> {
    let Some(spans) = site.open_spans() else { return Vec::new() };
    let count = slots.count + before;
    let mut all = vec![false; from_empty.len() * count];
    for cell in 0..from_empty.len() {
        let (from, to) = (from_empty[cell], from_empty[(cell + 1).min(from_empty.len() - 1)]);
        for &(opens, closes) in spans {
            // It would have been at 0 % between these moments.
            let place = |minute: f64| (minute - begins) / slots.width + before as f64;
            let (first, last) = (place(opens - to - 1e-6).floor().max(0.0), place(closes - from + 1e-6).floor());
            if last >= 0.0 {
                let last = (last as usize).min(count - 1);
                all[cell * count..][..=last].iter_mut().skip(first as usize).for_each(|open| *open = true);
            }
        }
        // The last slot has no end.
        all[cell * count + count - 1] = true;
    }
    all
}

/// The `SoCs` of a site: every so many points, the points of its power, and more where the pace changes.
pub(super) fn edges(trip: &ClockTrip, node: RoadIndex, step: f64) -> Vec<f64> {
    let (floor, ceiling) = (trip.problem.lowest(), trip.problem.ceiling);
    let stall = &trip.problem.stalls[node];
    let steps = ((ceiling - floor) / step).floor() as usize;
    let mut socs: Vec<f64> = (0..=steps).map(|count| floor + count as f64 * step).collect();
    socs.push(ceiling);
    socs.extend(stall.power().points().iter().map(|point| point.0));
    socs.retain(|&soc| soc >= floor && soc <= ceiling);
    socs.sort_by(f64::total_cmp);
    socs.dedup_by(|a, b| *a - *b < 1e-6);
    let pieces = |pair: &[f64]| {
        let wide = pair[1] - pair[0];
        let bend = bend(trip, stall, (pair[0], pair[1])).abs();
        // Twice as many pieces bend a quarter as much.
        let count = (bend / CURVED).sqrt().ceil().clamp(1.0, MOST_PIECES);
        let low = pair[0];
        (1..=count as usize).map(move |piece| low + wide * piece as f64 / count).collect::<Vec<_>>()
    };
    let more: Vec<f64> = socs.windows(2).flat_map(pieces).collect();
    socs.truncate(1);
    socs.extend(more);
    socs
}
