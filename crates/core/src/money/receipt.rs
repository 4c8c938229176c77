//! A receipt: what a charge costs under a tariff, line by line, adding up.
//!
//! The charge is walked from one boundary to the next: where the clock enters another hour of the tariff, where energy,
//! time or power passes a limit, where charging ends and parking begins. Between boundaries each kind of price is one
//! component. Amounts that fell to one component are one line. Blocks are rounded up once for energy and once for time and
//! parking together, by the step of the component that counted last (OCPI 2.2.1, tariffs module; recalled from memory).
//! Each line is rounded to hundredths, half away from nought, so that the lines add up to the total.

use jiff::civil::DateTime;
use jiff::{SignedDuration, ZonedDateTime};
use rust_decimal::prelude::FromPrimitive;
use rust_decimal::{Decimal, RoundingStrategy};

use crate::money::tariff::{Component, Kind, Moment, Restrictions, Tariff};
use crate::quantity::{Current, Energy, Minutes, Power};

/// Most boundaries of one charge: a year of nights.
const MOST_STEPS: usize = 5_000;
/// Shorter steps are passed over, minutes.
const HAIR: f64 = 1e-7;

/// A part of a charge with a steady power. Parking has none.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Period {
    /// How long it lasts.
    pub time: Minutes,
    /// Energy out of the plug.
    pub energy: Energy,
    /// Current, where it is known.
    pub current: Option<Current>,
    /// Whether the car only stands there.
    pub parking: bool,
}

/// A line of a receipt.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    /// What for.
    pub kind: Kind,
    /// Number of the tariff's element, from 0.
    pub element: usize,
    /// How much: once, kWh or hours, blocks rounded up.
    pub volume: Decimal,
    /// Price of one, without VAT.
    pub price: Decimal,
    /// VAT in %, where the tariff says.
    pub vat: Option<Decimal>,
    /// Without VAT, rounded.
    pub amount: Decimal,
    /// With VAT, rounded.
    pub with_vat: Decimal,
}

/// A receipt.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Receipt {
    /// Its lines.
    pub lines: Vec<Line>,
    /// What a least or most price adds or takes, without VAT.
    pub adjustment: Decimal,
    /// Sum without VAT.
    pub total: Decimal,
    /// Sum with VAT.
    pub total_with_vat: Decimal,
}

/// The receipt of a charge that began at a time, under a tariff.
pub fn receipt(tariff: &Tariff, began: &ZonedDateTime, periods: &[Period]) -> Receipt {
    let mut walk = Walk::new(tariff, began.clone());
    for period in periods {
        walk.take(period);
    }
    walk.receipt()
}

/// Amounts that fell to one component of one element.
struct Tally {
    element: usize,
    component: Component,
    /// Once, kWh or hours.
    volume: f64,
    /// When it last counted, in order.
    last: usize,
}

struct Walk<'t> {
    tariff: &'t Tariff,
    began: ZonedDateTime,
    minutes: f64,
    kwh: f64,
    /// Hours of parking among the minutes.
    parked: f64,
    /// Whether a flat price has counted: it does once in a charge, when one first holds.
    flat: bool,
    steps: usize,
    tallies: Vec<Tally>,
}

impl<'t> Walk<'t> {
    fn new(tariff: &'t Tariff, began: ZonedDateTime) -> Self {
        Self { tariff, began, minutes: 0.0, kwh: 0.0, parked: 0.0, flat: false, steps: 0, tallies: Vec::new() }
    }

    fn local(&self, minutes: f64) -> DateTime {
        let since = SignedDuration::from_secs_f64((minutes * 60.0 * 1e6).round() / 1e6);
        self.began.checked_add(since).map_or_else(|_| self.began.datetime(), |zoned| zoned.datetime())
    }

    fn moment(&self, period: &Period) -> Moment {
        // What begins within a hair has begun.
        let local = self.local(self.minutes + HAIR);
        let hours = period.time.get() / 60.0;
        let power = if hours > 0.0 { period.energy.get() / hours } else { 0.0 };
        Moment {
            date: local.date(),
            time: local.time(),
            energy: Energy::kwh(self.kwh),
            power: Power::kw(power),
            current: period.current,
            duration: Minutes::new(self.minutes),
            parked: Minutes::new(60.0 * self.parked),
        }
    }

    fn take(&mut self, period: &Period) {
        let (length, end) = (period.time.get(), self.minutes + period.time.get());
        let pace = if length > 0.0 { period.energy.get() / length } else { 0.0 };
        while end - self.minutes > HAIR && self.steps < MOST_STEPS {
            self.steps += 1;
            let moment = self.moment(period);
            let next = self.next_boundary(pace, period.parking).min(end).max(self.minutes + HAIR);
            let hours = (next - self.minutes) / 60.0;
            self.flat = self.flat || self.add(Kind::Flat, &moment, 1.0);
            if period.parking {
                self.parked += hours;
                self.add(Kind::Parking, &moment, hours);
            } else {
                self.add(Kind::Time, &moment, hours);
                self.add(Kind::Energy, &moment, pace * (next - self.minutes));
            }
            self.kwh += pace * (next - self.minutes);
            self.minutes = next;
        }
    }

    /// The next minute at which any restriction may begin or cease to hold.
    fn next_boundary(&self, pace: f64, parking: bool) -> f64 {
        let by_element =
            self.tariff.elements.iter().map(|element| self.boundary_of(&element.restrictions, pace, parking));
        by_element.fold(f64::INFINITY, f64::min)
    }

    fn boundary_of(&self, restrictions: &Restrictions, pace: f64, parking: bool) -> f64 {
        let durations =
            [restrictions.least_duration, restrictions.most_duration].into_iter().flatten().map(Minutes::get);
        let energies = [restrictions.least_energy, restrictions.most_energy].into_iter().flatten();
        let by_energy = energies.filter(|_| pace > 0.0).map(|energy| self.minutes + (energy.get() - self.kwh) / pace);
        let times = [restrictions.from_time, restrictions.to_time].into_iter().flatten();
        let by_clock = times.map(|time| self.minutes_until(time));
        let by_day =
            !restrictions.days.is_empty() || restrictions.from_date.is_some() || restrictions.to_date.is_some();
        let midnight = by_day.then(|| self.minutes_until(jiff::civil::Time::midnight()));
        let grace = restrictions.least_parking.filter(|_| parking);
        let by_grace = grace.map(|grace| self.minutes + grace.get() - 60.0 * self.parked);
        let all = durations.chain(by_grace).chain(by_energy).chain(by_clock).chain(midnight);
        all.filter(|&minute| minute > self.minutes + HAIR).fold(f64::INFINITY, f64::min)
    }

    /// The minute of the charge at which the clock next shows a time of day. Where summer time ends, the first such.
    fn minutes_until(&self, time: jiff::civil::Time) -> f64 {
        let now = self.local(self.minutes + HAIR);
        let today = now.date().to_datetime(time);
        let next = if today > now { today } else { today.tomorrow().unwrap_or(today) };
        let Ok(next) = next.to_zoned_datetime(self.began.time_zone().clone()) else {
            return f64::INFINITY;
        };
        next.duration_since(&self.began).as_secs_f64() / 60.0
    }

    /// Counts a volume to the component that holds; whether one does.
    fn add(&mut self, kind: Kind, moment: &Moment, volume: f64) -> bool {
        let Some((element, component)) = self.tariff.component(kind, moment) else {
            return false;
        };
        let last = self.steps;
        let same = |tally: &&mut Tally| tally.element == element && tally.component.kind == kind;
        match self.tallies.iter_mut().find(same) {
            Some(tally) => {
                tally.volume += volume;
                tally.last = last;
            }
            None => self.tallies.push(Tally { element, component, volume, last }),
        }
        true
    }

    /// All of a charge that a kind of price is asked for, free parts of it too: kWh, hours or once.
    fn whole(&self, kind: Kind) -> f64 {
        match kind {
            Kind::Energy => self.kwh,
            Kind::Time => self.minutes / 60.0 - self.parked,
            Kind::Parking => self.parked,
            Kind::Flat => 1.0,
        }
    }

    fn receipt(mut self) -> Receipt {
        self.round_up(&[Kind::Energy], 1000.0);
        self.round_up(&[Kind::Time, Kind::Parking], 3600.0);
        let lines: Vec<Line> = self.tallies.iter().filter_map(line).collect();
        let net: Decimal = lines.iter().map(|line| line.amount).sum();
        let gross: Decimal = lines.iter().map(|line| line.with_vat).sum();
        let at_least = self.tariff.least.map_or(net, |least| net.max(least));
        let total = self.tariff.most.map_or(at_least, |most| at_least.min(most));
        let adjustment = total - net;
        Receipt { lines, adjustment, total, total_with_vat: gross + adjustment }
    }

    /// Rounds what is billed in blocks up, once, at the component that counted last, by all of its kind in the charge: where
    /// parking ends a stay, the time before it is not rounded. `each` is how many units of its step a volume of 1 has.
    fn round_up(&mut self, kinds: &[Kind], each: f64) {
        let of_kinds = |tally: &Tally| kinds.contains(&tally.component.kind) && tally.volume > 0.0;
        let last = (0..self.tallies.len())
            .filter(|&index| of_kinds(&self.tallies[index]))
            .max_by_key(|&index| self.tallies[index].last);
        let Some(index) = last else { return };
        let Component { kind, step, .. } = self.tallies[index].component;
        let volume = self.whole(kind);
        if step > 1 {
            let blocks = (volume * each / f64::from(step) - 1e-6).ceil().max(1.0);
            self.tallies[index].volume += blocks * f64::from(step) / each - volume;
        }
    }
}

fn line(tally: &Tally) -> Option<Line> {
    let volume = Decimal::from_f64((tally.volume * 1e6).round() / 1e6)?;
    if volume.is_zero() {
        return None;
    }
    let Component { kind, price, vat, .. } = tally.component;
    let amount = volume * price;
    let with_vat = amount * (Decimal::ONE + vat.unwrap_or_default() / Decimal::ONE_HUNDRED);
    Some(Line {
        kind,
        element: tally.element,
        volume: volume.normalize(),
        price,
        vat,
        amount: cents(amount),
        with_vat: cents(with_vat),
    })
}

/// Rounded to hundredths, half away from nought.
pub fn cents(amount: Decimal) -> Decimal {
    amount.round_dp_with_strategy(2, RoundingStrategy::MidpointAwayFromZero)
}
