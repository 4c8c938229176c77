//! What a site asks at each minute of a trip: a tariff laid out along the trip's own clock, walked as a charge goes on.
//!
//! The restrictions by hour, day and date are worked out once for all; those by energy, power and duration as the charge is
//! walked. It is the receipt's rule ([`receipt`](spare_hour_core::money::receipt)) but for rounding to hundredths, and for
//! limits of energy and duration being met at the end of a step; the receipts of the plans that are kept are exact.

use jiff::civil::{DateTime, Time};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, ToSpan, ZonedDateTime};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::tariff::{Element, Kind, Restrictions, Tariff};
use spare_hour_core::quantity::{Current, Energy, Minutes, Power};
use spare_hour_core::trip::Price;

use super::HORIZON;
use super::rates::{Rate, Rates};

/// What a site asks.
#[derive(Clone, Debug)]
pub(crate) enum PriceClock {
    /// The same at any hour.
    Simple(Price),
    /// A tariff.
    Tariff(Box<TariffClock>),
}

/// A tariff along a trip's clock.
#[derive(Clone, Debug)]
pub(crate) struct TariffClock {
    spans: Vec<Span>,
    elements: Vec<Asked>,
    least: Option<f64>,
    most: Option<f64>,
    /// Minutes of the trip at which other elements count, and those at which it becomes cheaper.
    changes: Vec<f64>,
    falls: Vec<f64>,
    by_clock_only: bool,
    /// The least that it ever asks, with VAT.
    least_ever: Price,
    /// What it asks, where nothing but the clock counts.
    rates: Option<Rates>,
}

/// A part of the trip's clock in which the same elements count.
#[derive(Clone, Debug)]
struct Span {
    to: f64,
    elements: Vec<usize>,
    /// What counts of each kind by the clock, beside parking, where nothing else matters.
    first: [Option<Asking>; PARKING],
}

impl Span {
    fn rate(&self) -> Rate {
        let [per_charge, per_kwh, per_hour] = self.first.map(|asking| asking.map_or(0.0, |asking| asking.gross));
        Rate { to: self.to, per_kwh, per_min: per_hour / 60.0, per_charge }
    }
}

/// An element in plain numbers: without and with VAT.
#[derive(Clone, Debug)]
struct Asked {
    prices: [Option<Asking>; 4],
    restrictions: Restrictions,
}

#[derive(Clone, Copy, Debug)]
struct Asking {
    net: f64,
    gross: f64,
    step: u32,
}

/// A charge's bill so far.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Bill {
    net: f64,
    gross: f64,
    kwh: f64,
    minutes: f64,
    hours_parked: f64,
    flat: bool,
    last_energy: Option<Asking>,
    last_time: Option<(Asking, bool)>,
}

/// How far a charge has come, as restrictions see it: kWh, kW, minutes since it began, A, minutes since it ended.
#[derive(Clone, Copy, Debug)]
struct Reached {
    kwh: f64,
    kw: f64,
    minutes: f64,
    amps: Option<f64>,
    parked: f64,
}

/// Early in a charge.
const EARLY: Reached = Reached { kwh: 1.0, kw: 50.0, minutes: 1.0, amps: None, parked: 0.0 };
const FLAT: usize = 0;
const ENERGY: usize = 1;
const TIME: usize = 2;
const PARKING: usize = 3;

impl PriceClock {
    /// A tariff from a departure on, for a site in a zone.
    pub(crate) fn of_tariff(tariff: &Tariff, departure: &ZonedDateTime, zone: &TimeZone) -> Self {
        let local = departure.with_time_zone(zone.clone());
        let mut edges = edges(tariff, &local);
        edges.push(HORIZON);
        edges.retain(|&edge| edge > 1e-6);
        edges.sort_by(f64::total_cmp);
        edges.dedup_by(|a, b| *a - *b < 1e-6);
        let mut from = 0.0;
        let spans = edges.iter().map(|&to| {
            let at = moment(&local, f64::midpoint(from, to).min(from + 0.5));
            let counts = |element: &Element| element.restrictions.hold_by_clock(at.date(), at.time());
            from = to;
            let elements = tariff.elements.iter().enumerate().filter(|(_, element)| counts(element));
            Span { to, elements: elements.map(|(index, _)| index).collect(), first: [None; PARKING] }
        });
        let number = |amount: Option<Decimal>| amount.and_then(|amount| amount.to_f64());
        let mut clock = TariffClock {
            spans: spans.collect(),
            elements: tariff.elements.iter().map(Asked::new).collect(),
            least: number(tariff.least),
            most: number(tariff.most),
            changes: Vec::new(),
            falls: Vec::new(),
            by_clock_only: false,
            least_ever: Price::default(),
            rates: None,
        };
        let other = clock.spans.windows(2).filter(|pair| pair[0].elements != pair[1].elements);
        clock.changes = other.map(|pair| pair[0].to).collect();
        clock.falls = clock.changes.iter().copied().filter(|&at| clock.falls_at(at)).collect();
        clock.by_clock_only = clock.is_by_clock_only();
        if clock.by_clock_only {
            for span in &mut clock.spans {
                let asked = |kind: usize| span.elements.iter().find_map(|&index| clock.elements[index].prices[kind]);
                span.first = [FLAT, ENERGY, TIME].map(asked);
            }
            clock.rates = Some(Rates::new(clock.spans.iter().map(Span::rate)));
        }
        clock.least_ever = Price {
            per_kwh: clock.least_of(ENERGY),
            per_min: clock.least_of(TIME) / 60.0,
            per_session: clock.least_of(FLAT),
        };
        Self::Tariff(Box::new(clock))
    }

    /// Goes on charging: from a minute of the trip, for so many minutes, so many kWh from the plug.
    pub(crate) fn charge(&self, bill: &mut Bill, from: f64, minutes: f64, kwh: f64, amps: Option<f64>) {
        match self {
            Self::Simple(price) => {
                bill.gross += if bill.flat { 0.0 } else { price.per_session };
                bill.flat = true;
                bill.gross += price.per_kwh * kwh + price.per_min * minutes;
            }
            Self::Tariff(tariff) => tariff.walk(bill, from, minutes, kwh, amps, false),
        }
    }

    /// Goes on standing without charging.
    pub(crate) fn park(&self, bill: &mut Bill, from: f64, minutes: f64) {
        if let Self::Tariff(tariff) = self {
            tariff.walk(bill, from, minutes, 0.0, None, true);
        }
    }

    /// Whether what a kWh or minute asks depends on the clock alone, and not on how the charge began or went on.
    pub(crate) fn is_by_clock_only(&self) -> bool {
        match self {
            Self::Simple(_) => true,
            Self::Tariff(tariff) => tariff.by_clock_only,
        }
    }

    /// What is asked along the trip, with VAT, where prices depend on the clock alone.
    pub(crate) fn rates(&self) -> Option<Rates> {
        match self {
            Self::Simple(Price { per_kwh, per_min, per_session }) => Some(Rates::new([Rate {
                to: f64::INFINITY,
                per_kwh: *per_kwh,
                per_min: *per_min,
                per_charge: *per_session,
            }])),
            Self::Tariff(tariff) => tariff.rates.clone(),
        }
    }

    /// What a bill comes to, with VAT.
    pub(crate) fn total(&self, bill: &Bill) -> f64 {
        match self {
            Self::Simple(_) => bill.gross,
            Self::Tariff(tariff) => tariff.total(bill),
        }
    }

    /// The least that it ever asks, with VAT.
    pub(crate) fn least(&self) -> Price {
        match self {
            Self::Simple(price) => *price,
            Self::Tariff(tariff) => tariff.least_ever,
        }
    }

    /// What a kWh asks at a minute of the trip, early in a charge, with VAT.
    pub(crate) fn per_kwh_at(&self, minute: f64) -> f64 {
        match self {
            Self::Simple(price) => price.per_kwh,
            Self::Tariff(tariff) => tariff.asks_at(minute + 0.01)[0],
        }
    }

    /// The least that it asks within a span of the trip, with VAT, where prices depend on the clock alone.
    pub(crate) fn least_within(&self, from: f64, to: f64) -> Price {
        let Self::Tariff(tariff) = self else { return self.least() };
        if let Some(rates) = &tariff.rates {
            return rates.least_within(from, to);
        }
        let times = std::iter::once(from + 0.01).chain(self.changes(from, to).iter().map(|change| change + 0.01));
        let none = [f64::INFINITY; 3];
        let [per_kwh, per_hour, per_session] = times
            .map(|at| tariff.asks_at(at))
            .fold(none, |least, asks| std::array::from_fn(|kind| asks[kind].min(least[kind])));
        Price { per_kwh, per_min: per_hour / 60.0, per_session }
    }

    /// Whether nothing changes for so many minutes, and nothing is asked for less until another.
    pub(crate) fn is_least_at_once(&self, from: f64, minutes: f64, until: f64) -> bool {
        let (now, least) = (self.least_within(from, from), self.least_within(from, until));
        self.changes(from + 1e-6, from + minutes).is_empty() && now == least
    }

    /// The minutes of the trip, within a span of it, at which a kWh, a minute or a charge becomes cheaper.
    pub(crate) fn falls(&self, from: f64, to: f64) -> &[f64] {
        match self {
            Self::Simple(_) => &[],
            Self::Tariff(tariff) => within(&tariff.falls, from, to),
        }
    }

    /// The minutes of the trip at which another price begins, within a span of it.
    pub(crate) fn changes(&self, from: f64, to: f64) -> &[f64] {
        match self {
            Self::Simple(_) => &[],
            Self::Tariff(tariff) => within(&tariff.changes, from, to),
        }
    }
}

/// Those of rising minutes that are after one and not after another.
fn within(minutes: &[f64], from: f64, to: f64) -> &[f64] {
    let first = minutes.partition_point(|&minute| minute <= from);
    let last = minutes.partition_point(|&minute| minute <= to);
    &minutes[first..last.max(first)]
}

impl TariffClock {
    /// The least price of a kind, with VAT: none where it is not asked at some moment; a most price may make it free.
    fn least_of(&self, kind: usize) -> f64 {
        let least = self.elements.iter().filter_map(|element| element.prices[kind]);
        let least = least.map(|asking| asking.gross).fold(f64::INFINITY, f64::min);
        if least.is_finite() && self.most.is_none() && self.always_asks(kind) { least } else { 0.0 }
    }

    fn always_asks(&self, kind: usize) -> bool {
        let asks = |&index: &usize| {
            let element = &self.elements[index];
            element.prices[kind].is_some() && element.is_by_clock_only()
        };
        self.spans.iter().all(|span| span.elements.iter().any(asks))
    }

    fn falls_at(&self, at: f64) -> bool {
        let (before, after) = (self.asks_at(at - 0.01), self.asks_at(at + 0.01));
        before.iter().zip(after).any(|(before, after)| after < before - 1e-9)
    }

    /// What a kWh, an hour and a charge ask at a minute of the trip, early in a charge, with VAT.
    fn asks_at(&self, minute: f64) -> [f64; 3] {
        let span = self.spans.partition_point(|span| span.to <= minute).min(self.spans.len() - 1);
        if self.by_clock_only {
            let asked = self.spans[span].first;
            return [ENERGY, TIME, FLAT].map(|kind| asked[kind].map_or(0.0, |asking| asking.gross));
        }
        let first = |kind: usize| {
            let counted = self.spans[span].elements.iter().map(|&index| &self.elements[index]);
            let mut holds = counted.filter(|element| element.holds(&EARLY));
            holds.find_map(|element| element.prices[kind]).map_or(0.0, |asking| asking.gross)
        };
        [ENERGY, TIME, FLAT].map(first)
    }

    fn is_by_clock_only(&self) -> bool {
        let plain = |asked: &Asked| asked.prices.iter().flatten().all(|asking| asking.step <= 1);
        let bounded = self.least.is_some() || self.most.is_some();
        let by_clock = |element: &Asked| element.is_after_a_grace() || element.is_by_clock_only();
        !bounded && self.elements.iter().all(|element| by_clock(element) && plain(element))
    }

    fn walk(&self, bill: &mut Bill, from: f64, minutes: f64, kwh: f64, amps: Option<f64>, parking: bool) {
        if let Some(rates) = self.rates.as_ref().filter(|_| !parking && minutes > 1e-9) {
            bill.gross += rates.charge(&mut rates.place(from), from, (minutes, kwh), &mut bill.flat);
            bill.kwh += kwh;
            bill.minutes += minutes;
            return;
        }
        let (end, pace) = (from + minutes, if minutes > 0.0 { kwh / minutes } else { 0.0 });
        let mut at = from;
        let mut span = self.spans.partition_point(|span| span.to <= at + 1e-9).min(self.spans.len() - 1);
        while end - at > 1e-9 {
            let last = span + 1 >= self.spans.len();
            let next = if last { end } else { self.spans[span].to.min(end) };
            let next = if parking { next.min(at + self.until_other_fee(bill)) } else { next };
            self.step(bill, span, next - at, pace, amps, parking);
            at = next;
            if !last && at >= self.spans[span].to - 1e-9 {
                span += 1;
            }
        }
    }

    /// Minutes of standing until a restriction by duration or by how long charging has ended may begin or cease.
    fn until_other_fee(&self, bill: &Bill) -> f64 {
        let of_element = |element: &Asked| {
            let r = &element.restrictions;
            let grace = r.least_parking.map(|grace| grace.get() - 60.0 * bill.hours_parked);
            let durations = [r.least_duration, r.most_duration].map(|bound| bound.map(|at| at.get() - bill.minutes));
            durations.into_iter().chain([grace]).flatten().filter(|&left| left > 1e-6).fold(f64::INFINITY, f64::min)
        };
        self.elements.iter().map(of_element).fold(f64::INFINITY, f64::min)
    }

    /// A step in which the same elements count by the clock.
    fn step(&self, bill: &mut Bill, span: usize, minutes: f64, pace: f64, amps: Option<f64>, parking: bool) {
        let at =
            Reached { kwh: bill.kwh, kw: 60.0 * pace, minutes: bill.minutes, amps, parked: 60.0 * bill.hours_parked };
        let holds = |element: &Asked| element.holds(&at);
        let first = |kind: usize| {
            if self.by_clock_only && kind < PARKING {
                return self.spans[span].first[kind];
            }
            let mut counted = self.spans[span].elements.iter().map(|&index| &self.elements[index]);
            counted
                .find(|element| element.prices[kind].is_some() && holds(element))
                .and_then(|found| found.prices[kind])
        };
        let hours = minutes / 60.0;
        let flat = if bill.flat { None } else { first(FLAT) };
        let (energy, time) = if parking { (None, first(PARKING)) } else { (first(ENERGY), first(TIME)) };
        if let Some(asking) = flat {
            bill.flat = true;
            bill.add(asking, 1.0);
        }
        if let Some(asking) = energy {
            bill.add(asking, pace * minutes);
            bill.last_energy = Some(asking);
        }
        if let Some(asking) = time {
            bill.add(asking, hours);
            bill.last_time = Some((asking, parking));
        }
        bill.kwh += pace * minutes;
        bill.minutes += minutes;
        bill.hours_parked += if parking { hours } else { 0.0 };
    }

    fn total(&self, bill: &Bill) -> f64 {
        let (mut net, mut gross) = (bill.net, bill.gross);
        let mut in_blocks = |asking: Asking, volume: f64, each: f64| {
            if asking.step > 1 {
                let blocks = (volume * each / f64::from(asking.step) - 1e-6).ceil().max(1.0);
                let more = blocks * f64::from(asking.step) / each - volume;
                net += more * asking.net;
                gross += more * asking.gross;
            }
        };
        if let Some(asking) = bill.last_energy {
            in_blocks(asking, bill.kwh, 1000.0);
        }
        if let Some((asking, parked)) = bill.last_time {
            let hours = if parked { bill.hours_parked } else { bill.minutes / 60.0 - bill.hours_parked };
            in_blocks(asking, hours, 3600.0);
        }
        let at_least = self.least.map_or(net, |least| net.max(least));
        let bounded = self.most.map_or(at_least, |most| at_least.min(most));
        gross + bounded - net
    }
}

impl Bill {
    /// The bill of a charge whose prices depend on the clock alone: how it began does not matter.
    pub(crate) fn by_clock(gross: f64, flat: bool) -> Self {
        Self { gross, flat, ..Self::default() }
    }

    /// Whether a flat price was asked.
    pub(crate) fn has_flat(&self) -> bool {
        self.flat
    }

    /// What it comes to by now, with VAT, where nothing is billed in blocks or bounded.
    pub(crate) fn so_far(&self) -> f64 {
        self.gross
    }

    fn add(&mut self, asking: Asking, volume: f64) {
        self.net += volume * asking.net;
        self.gross += volume * asking.gross;
    }
}

impl Asked {
    fn new(element: &Element) -> Self {
        let price = |kind: Kind| {
            let component = element.components.iter().find(|component| component.kind == kind)?;
            let net = component.price.to_f64()?;
            let vat = component.vat.and_then(|vat| vat.to_f64()).unwrap_or(0.0);
            Some(Asking { net, gross: net * (1.0 + vat / 100.0), step: component.step })
        };
        let prices = [Kind::Flat, Kind::Energy, Kind::Time, Kind::Parking].map(price);
        Self { prices, restrictions: element.restrictions.clone() }
    }

    /// Whether it asks for standing alone, from some minutes after charging ended on: nothing of it depends on the charge.
    fn is_after_a_grace(&self) -> bool {
        let others =
            Self { restrictions: Restrictions { least_parking: None, ..self.restrictions.clone() }, ..self.clone() };
        self.prices[..PARKING].iter().all(Option::is_none) && others.is_by_clock_only()
    }

    fn is_by_clock_only(&self) -> bool {
        let others = Restrictions {
            from_time: None,
            to_time: None,
            from_date: None,
            to_date: None,
            days: Vec::new(),
            ..self.restrictions.clone()
        };
        others == Restrictions::default()
    }

    /// Whether the restrictions hold that are not the clock's.
    fn holds(&self, at: &Reached) -> bool {
        let Reached { kwh, kw, minutes, amps, parked } = *at;
        let within = |value: f64, least: Option<f64>, most: Option<f64>| {
            least.is_none_or(|least| value >= least - 1e-6) && most.is_none_or(|most| value < most)
        };
        let r = &self.restrictions;
        within(kwh, r.least_energy.map(Energy::get), r.most_energy.map(Energy::get))
            && within(kw, r.least_power.map(Power::get), r.most_power.map(Power::get))
            && within(parked, r.least_parking.map(Minutes::get), None)
            && within(minutes, r.least_duration.map(Minutes::get), r.most_duration.map(Minutes::get))
            && match amps {
                Some(amps) => within(amps, r.least_current.map(Current::get), r.most_current.map(Current::get)),
                None => r.least_current.is_none(),
            }
    }
}

/// A moment of the trip by a site's clock.
fn moment(departure: &ZonedDateTime, minutes: f64) -> ZonedDateTime {
    let since = SignedDuration::from_secs_f64((minutes * 60.0 * 1e3).round() / 1e3);
    departure.checked_add(since).unwrap_or_else(|_| departure.clone())
}

/// The minutes of the trip at which some restriction by hour, day or date may begin or cease.
fn edges(tariff: &Tariff, departure: &ZonedDateTime) -> Vec<f64> {
    let mut times: Vec<Time> = vec![Time::midnight()];
    for element in &tariff.elements {
        times.extend([element.restrictions.from_time, element.restrictions.to_time].into_iter().flatten());
    }
    times.sort_unstable();
    times.dedup();
    let days = (HORIZON / 1440.0).ceil() as i64 + 1;
    let days = (0..=days).filter_map(|day| departure.date().checked_add(day.days()).ok());
    let at = |local: DateTime| minutes_until(departure, local);
    days.flat_map(|day| times.iter().map(move |&time| day.to_datetime(time))).filter_map(at).collect()
}

/// Minutes from the departure until a site's clock shows a time; where it shows it twice, the first.
pub(super) fn minutes_until(departure: &ZonedDateTime, local: DateTime) -> Option<f64> {
    let moment = local.to_zoned_datetime(departure.time_zone().clone()).ok()?;
    Some(moment.duration_since(departure).as_secs_f64() / 60.0)
}
