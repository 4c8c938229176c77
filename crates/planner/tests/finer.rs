//! The whole trade against a finer search that shares nothing with it but the trip: a charge is summed by hundredths of a percent,
//! prices and hours are read off the day, and every SoC in steps of one percent is left with. A point of it is matched by a
//! plan that is at most 0.1 min slower and 0.02 dearer (the contract's tolerances).

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::sync::Arc;

use fastrand::Rng;
use jiff::civil::{Time, date, time};
use jiff::tz::TimeZone;
use rust_decimal::Decimal;
use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_core::trip::{Trip, TripDraft};
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::certificate::{AllWithin, Proving};
use spare_hour_planner::trade::{ClockPlan, Trade, TradeTrip};
use support::{car, curve, site, trip};

const KMH: f64 = 110.0;
const KWH_PER_KM: f64 = 0.2;
const USABLE: f64 = 74.0;
const LOSS: f64 = 0.09;
const OFF_KM: f64 = 0.8;
const FLOOR: f64 = 10.0;
/// Minutes of the day at which the trip leaves.
const LEAVES: f64 = 8.5 * 60.0;
/// Steps of the sum over a charge in a percent.
const PER_POINT: usize = 100;
/// SoC steps that stalls are left with, in a percent.
const LEFT_WITH: f64 = 1.0;
/// Ways that come so near to another are not told apart, minutes and money: well within the tolerances.
const ALIKE: (f64, f64) = (0.01, 0.002);

/// A site as the search sees it.
struct Stop {
    km: f64,
    overhead: f64,
    /// Minutes from 0 % to each hundredth of a percent.
    minutes: Vec<f64>,
    /// Price of a kWh, and another between two hours.
    day: f64,
    other: f64,
    hours: (f64, f64),
    flat: f64,
    /// Hours that it is open.
    open: Option<(f64, f64)>,
}

struct Road {
    km: f64,
    stops: Vec<Stop>,
}

#[derive(Clone, Copy)]
struct Way {
    soc: f64,
    minute: f64,
    money: f64,
}

impl Stop {
    fn minutes_to(&self, soc: f64) -> f64 {
        let place = soc * PER_POINT as f64;
        let below = (place.floor() as usize).min(self.minutes.len() - 2);
        self.minutes[below] + (place - below as f64) * (self.minutes[below + 1] - self.minutes[below])
    }

    /// The SoC that is reached so many minutes from 0 %.
    fn reached(&self, minutes: f64) -> f64 {
        let above = self.minutes.partition_point(|&at| at < minutes).clamp(1, self.minutes.len() - 1);
        let (low, high) = (self.minutes[above - 1], self.minutes[above]);
        ((above - 1) as f64 + (minutes - low) / (high - low)) / PER_POINT as f64
    }

    /// Price of a kWh at a minute of the trip, and the minute at which it next changes.
    fn price(&self, minute: f64) -> (f64, f64) {
        let (day, now) = (((LEAVES + minute) / 1440.0).floor() * 1440.0 - LEAVES, (LEAVES + minute) % 1440.0);
        let (from, to) = (60.0 * self.hours.0, 60.0 * self.hours.1);
        match now {
            now if now < from => (self.day, day + from),
            now if now < to => (self.other, day + to),
            _ => (self.day, day + 1440.0 + from),
        }
    }

    /// What a charge costs that begins at a minute.
    fn cost(&self, from: f64, to: f64, begins: f64) -> f64 {
        let (mut soc, mut minute, mut money) = (from, begins, self.flat);
        let empty = begins - self.minutes_to(from);
        while soc < to - 1e-9 {
            let (price, until) = self.price(minute + 1e-6);
            let next =
                if empty + self.minutes_to(to) <= until { to } else { self.reached(until - empty).clamp(soc, to) };
            money += price * (next - soc) / 100.0 * USABLE / (1.0 - LOSS);
            (soc, minute) = (next, until);
        }
        money
    }

    /// Whether it is open from one minute to another of the trip, which are less than a day apart.
    fn is_open(&self, from: f64, to: f64) -> bool {
        let Some((opens, closes)) = self.open else { return true };
        let day = ((LEAVES + from + 1e-6) / 1440.0).floor() * 1440.0 - LEAVES;
        from >= day + 60.0 * opens - 1e-6 && to <= day + 60.0 * closes + 1e-6
    }

    /// When a charge is tried to begin: at once, when it opens, when another price begins and so much before.
    fn beginnings(&self, ready: f64) -> Vec<f64> {
        let mut all = vec![ready];
        if let Some((opens, _)) = self.open {
            let day = ((LEAVES + ready) / 1440.0).floor() * 1440.0 - LEAVES;
            all.extend([day + 60.0 * opens, day + 60.0 * opens + 1440.0]);
        }
        let mut at = ready;
        for _ in 0..2 {
            at = self.price(at + 1e-6).1;
            all.extend([0.0, 7.0, 15.0, 25.0].map(|before| at - before));
        }
        all.retain(|&begins| begins >= ready && begins < ready + 720.0);
        all
    }
}

impl Road {
    /// SoC and minutes between two places.
    fn leg(&self, from: Option<usize>, to: Option<usize>) -> (f64, f64) {
        let at = |stop: Option<usize>, end: f64| stop.map_or(end, |stop| self.stops[stop].km);
        let off = OFF_KM * f64::from(u8::from(from.is_some()) + u8::from(to.is_some()));
        let km = at(to, self.km) - at(from, 0.0);
        ((km + off) * KWH_PER_KM / USABLE * 100.0, 60.0 * (km / KMH + off / 50.0))
    }

    /// Minutes and money of every way that none beats.
    fn search(&self) -> Vec<(f64, f64)> {
        let count = self.stops.len();
        let mut arrivals: Vec<Vec<Way>> = vec![Vec::new(); count + 1];
        self.drive(None, Way { soc: 90.0, minute: 0.0, money: 0.0 }, &mut arrivals);
        for at in 0..count {
            let reached = unbeaten(std::mem::take(&mut arrivals[at]));
            for left in unbeaten(self.charge(at, &reached)) {
                self.drive(Some(at), left, &mut arrivals);
            }
        }
        let ends = arrivals.pop().unwrap().into_iter().map(|end| Way { soc: 0.0, ..end });
        unbeaten(ends.collect()).into_iter().map(|end| (end.minute, end.money)).collect()
    }

    fn drive(&self, from: Option<usize>, left: Way, arrivals: &mut [Vec<Way>]) {
        for (to, reached) in arrivals.iter_mut().enumerate().skip(from.map_or(0, |from| from + 1)) {
            let (points, minutes) = self.leg(from, (to < self.stops.len()).then_some(to));
            if left.soc - points < FLOOR - 1e-7 {
                continue;
            }
            reached.push(Way { soc: left.soc - points, minute: left.minute + minutes, money: left.money });
        }
    }

    fn charge(&self, at: usize, arrivals: &[Way]) -> Vec<Way> {
        let stop = &self.stops[at];
        let mut socs: Vec<f64> = (0..=90).map(|step| FLOOR + LEFT_WITH * f64::from(step)).collect();
        let just_enough =
            (at + 1..=self.stops.len()).map(|to| self.leg(Some(at), (to < self.stops.len()).then_some(to)));
        socs.extend(just_enough.map(|leg| FLOOR + leg.0 + 1e-6).filter(|&soc| soc <= 100.0));
        let mut left = Vec::new();
        for way in arrivals {
            for begins in stop.beginnings(way.minute + stop.overhead) {
                for &soc in socs.iter().filter(|&&soc| soc > way.soc + 0.05) {
                    let ends = begins + stop.minutes_to(soc) - stop.minutes_to(way.soc);
                    if stop.is_open(begins, ends) {
                        left.push(Way { soc, minute: ends, money: way.money + stop.cost(way.soc, soc, begins) });
                    }
                }
            }
        }
        left
    }
}

/// The ways that no other beats in SoC, minutes and money.
fn unbeaten(mut ways: Vec<Way>) -> Vec<Way> {
    ways.sort_by(|a, b| b.soc.total_cmp(&a.soc).then(a.minute.total_cmp(&b.minute)));
    // Minutes rise, money falls.
    let mut stairs: Vec<(f64, f64)> = Vec::new();
    ways.retain(|way| {
        let until = stairs.partition_point(|step| step.0 <= way.minute + ALIKE.0);
        if until > 0 && stairs[until - 1].1 <= way.money + ALIKE.1 {
            return false;
        }
        let at = stairs.partition_point(|step| step.0 < way.minute);
        let beaten = stairs[at..].iter().take_while(|step| step.1 >= way.money).count();
        stairs.splice(at..at + beaten, [(way.minute, way.money)]);
        true
    });
    ways
}

/// A road by a seed, with so many stops about so many km apart, as the search sees it and as the planner does.
fn invented(seed: u64, count: usize, apart: f64) -> (Road, TradeTrip) {
    let mut rng = Rng::with_seed(seed);
    let km = apart * (count + 1) as f64;
    let (mut stops, mut sites, mut tariffs) = (Vec::new(), Vec::new(), Vec::new());
    for index in 0..count {
        let at = apart * (index + 1) as f64 + 20.0 * (rng.f64() - 0.5);
        let power = [50.0, 100.0, 150.0, 300.0][rng.usize(0..4)];
        let (day, from) = (0.4 + 0.4 * rng.f64(), rng.i8(9..16));
        let (other, flat) = (day * (0.4 + 0.8 * rng.f64()), f64::from(u8::from(rng.f64() < 0.3)));
        let open = if rng.f64() < 0.3 { Some([(10, 20), (6, 12), (11, 23)][rng.usize(0..3)]) } else { None };
        // To the cent, as a tariff is written.
        let [day, other] = [day, other].map(|price| (100.0 * price).round() / 100.0);
        let mut one = site(index, at, power);
        one.details.hours = open.map(|(from, to)| format!("{from:02}:00-{to:02}:00").parse().unwrap());
        tariffs.push((one.id.clone(), tariff(day, other, (time(from, 0, 0, 0), time(from + 4, 0, 0, 0)), flat)));
        sites.push(one);
        stops.push(Stop {
            km: at,
            overhead: 4.0,
            minutes: summed(power),
            day,
            other,
            hours: (f64::from(from), f64::from(from) + 4.0),
            flat,
            open: open.map(|(from, to)| (f64::from(from), f64::from(to))),
        });
    }
    let draft: TripDraft = trip(car(), km, sites);
    let departure = date(2026, 5, 4).at(8, 30, 0, 0).to_zoned_datetime(TimeZone::UTC).unwrap();
    let asked = TradeTrip { trip: Arc::new(Trip::new(draft).unwrap()), departure, tariffs, wishes: Wishes::default() };
    (Road { km, stops }, asked)
}

fn tariff(day: f64, other: f64, (from, to): (Time, Time), flat: f64) -> Tariff {
    let component = |kind, price: f64| Component { kind, price: Decimal::try_from(price).unwrap(), vat: None, step: 1 };
    let between = Restrictions { from_time: Some(from), to_time: Some(to), ..Restrictions::default() };
    let mut always = vec![component(Kind::Energy, day)];
    if flat > 0.0 {
        always.push(component(Kind::Flat, flat));
    }
    let elements = vec![
        Element { components: vec![component(Kind::Energy, other)], restrictions: between },
        Element { components: always, restrictions: Restrictions::default() },
    ];
    Tariff { name: "t".into(), currency: "cr".into(), elements, least: None, most: None }
}

/// Minutes from 0 % to each hundredth of a percent, by midpoints: the points of the test's car, written once more.
fn summed(power: f64) -> Vec<f64> {
    let car = curve(&[(0.0, 95.0), (5.0, 160.0), (30.0, 175.0), (55.0, 120.0), (80.0, 70.0), (100.0, 4.0)]);
    // The battery gets what the plug gives less the loss.
    let taken = |soc: f64| car.at(soc).min(power) * (1.0 - LOSS);
    let mut minutes = vec![0.0];
    for step in 0..100 * PER_POINT {
        let soc = (step as f64 + 0.5) / PER_POINT as f64;
        minutes.push(minutes[step] + 60.0 * USABLE / 100.0 / PER_POINT as f64 / taken(soc));
    }
    minutes
}

/// By how many tolerances a point is missed by the plans of a trade: the least over them of the worse of the two.
fn missed(trade: &Trade, point: (f64, f64)) -> f64 {
    let by = |plan: &ClockPlan| ((plan.total.get() - point.0) / 0.1).max((plan.cost - point.1) / 0.02);
    trade.plans.iter().map(by).fold(f64::INFINITY, f64::min)
}

#[test]
fn the_trade_covers_a_finer_search() {
    let (mut points, mut not_covered, mut worst) = (0, 0, 0.0f64);
    let far_apart = (0..5).map(|seed| (seed, 9, 78.0));
    let dense = [(601, 12, 55.0), (601, 14, 45.0), (601, 18, 40.0)];
    for (seed, count, apart) in far_apart.chain(dense) {
        let (road, asked) = invented(seed, count, apart);
        let found = road.search();
        let Ok(trade) = Trade::new(&asked, None, &StopSign::default()) else {
            assert!(found.is_empty(), "seed {seed}: {} ways were missed", found.len());
            continue;
        };
        for &point in &found {
            let by = missed(&trade, point);
            points += 1;
            not_covered += usize::from(by > 1.0);
            worst = worst.max(by);
        }
        println!(
            "{count} stops, seed {seed}: {} points, {} plans, {not_covered} of {points} not covered, worst {worst:.2}",
            found.len(),
            trade.plans.len()
        );
    }
    assert!(points > 500, "{points} points are too few to compare");
    assert!(100 * not_covered <= points, "{not_covered} of {points} points are in no plan");
    assert!(worst <= 5.0, "a point is missed by {worst:.1} tolerances");
}

/// Whether a point is matched by a plan within what was certified, but for what receipts are rounded by.
fn is_within(plans: &[ClockPlan], (minutes, money): (f64, f64), within: AllWithin) -> bool {
    plans.iter().any(|plan| plan.total.get() <= minutes + within.minutes && plan.cost <= money + within.money + 0.02)
}

#[test]
fn what_is_certified_of_a_trade_is_so_and_not_of_one_with_a_hole() {
    let (mut certified, mut close, mut looser) = (0, 0, 0);
    for seed in 20..26 {
        let (road, asked) = invented(seed, 5, 78.0);
        let Ok(trade) = Trade::new(&asked, None, &StopSign::default()) else { continue };
        let proven = |plans: &[ClockPlan]| {
            let proving = Proving::of(&asked, plans, &StopSign::default()).unwrap();
            proving.within(600_000, &StopSign::default())
        };
        let whole = proven(&trade.plans);
        if let Some(within) = whole {
            certified += 1;
            close += usize::from(within.minutes <= 1.0);
            let found = road.search();
            let missed = found.iter().find(|&&point| !is_within(&trade.plans, point, within));
            assert!(missed.is_none(), "seed {seed}: {missed:?} is not within {within:?}");
        }
        // Some of the plans are kept from it: where they would have been needed, it must not say so much.
        let mut rng = Rng::with_seed(seed);
        for part in [4, 8, 16, 32] {
            let wide = trade.plans.len() / part;
            let from = rng.usize(0..trade.plans.len() - wide);
            let kept: Vec<ClockPlan> = [&trade.plans[..from], &trade.plans[from + wide..]].concat();
            let within = proven(&kept);
            looser += usize::from(
                within.map_or(f64::INFINITY, |one| one.minutes) > whole.map_or(f64::INFINITY, |one| one.minutes),
            );
            let Some(within) = within else { continue };
            let points = trade.plans.iter().map(|plan| (plan.total.get(), plan.cost));
            let missed = points.into_iter().find(|&point| !is_within(&kept, point, within));
            assert!(missed.is_none(), "seed {seed}: {missed:?} was kept from {within:?}");
        }
    }
    println!("{certified} certified, {close} closely, {looser} with a hole less closely");
    assert!(
        certified >= 5 && close >= 4 && looser >= 6,
        "{certified} certified, {close} closely, {looser} less closely"
    );
}
