//! A day under a tariff: 24 hours to the right, as high as a kWh asks, with the price as a number.

use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::price_of_day::{PricedHours, price_of_day};
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::units::ClockFace;

use super::{Scale, Tick};

/// The drawing's frame.
const LEFT: f64 = 8.0;
const RIGHT: f64 = 592.0;
const TOP: f64 = 30.0;
const BOTTOM: f64 = 120.0;
/// The least height of a bar.
const LEAST: f64 = 14.0;

/// A part of the day.
#[derive(Clone, Debug)]
pub(crate) struct Bar {
    pub(crate) x: f64,
    pub(crate) width: f64,
    pub(crate) y: f64,
    pub(crate) height: f64,
    /// Its shade, 1 to 5: darker is dearer.
    pub(crate) shade: usize,
    pub(crate) price: String,
    pub(crate) told: String,
}

/// The drawing of one day.
#[derive(Clone, Debug)]
pub(crate) struct PriceDay {
    pub(crate) name: String,
    pub(crate) told: String,
    pub(crate) bars: Vec<Bar>,
    pub(crate) ticks: Vec<Tick>,
    pub(crate) bottom: f64,
}

/// The days of a week that differ under a tariff, each once: a working day, and the days of the weekend where they ask other prices.
pub(crate) fn price_days(tariff: &Tariff, monday: jiff::civil::Date, face: ClockFace) -> Vec<PriceDay> {
    let mut days: Vec<(String, Vec<PricedHours>)> = Vec::new();
    for day in monday.series(jiff::Span::new().days(1)).take(7) {
        let (name, parts) = (day.strftime("%A").to_string(), price_of_day(tariff, day));
        match days.iter_mut().find(|known| known.1 == parts) {
            Some(known) => known.0 = format!("{}, {name}", known.0),
            None => days.push((name, parts)),
        }
    }
    let of = |per: &PricedHours| per.per_kwh.and_then(|price| price.to_f64()).unwrap_or(0.0);
    let most = days.iter().flat_map(|day| &day.1).map(of).fold(0.0, f64::max).max(1e-9);
    let every = days.len() == 1;
    let drawn = |(name, parts): (String, Vec<PricedHours>)| PriceDay {
        told: parts.iter().map(|part| told(part, &tariff.currency, face)).collect::<Vec<_>>().join("; "),
        bars: parts.iter().map(|part| bar(part, of(part) / most, &tariff.currency, face)).collect(),
        ticks: hours(face),
        bottom: BOTTOM,
        name: if every { "Every day".into() } else { name },
    };
    days.into_iter().map(drawn).collect()
}

fn hours(face: ClockFace) -> Vec<Tick> {
    let x = Scale::new((0.0, 1_440.0), (LEFT, RIGHT));
    (1..8).map(|at| 180 * at).map(|at: u32| Tick { at: x.at(f64::from(at)), label: face.time(at) }).collect()
}

fn bar(part: &PricedHours, share: f64, currency: &str, face: ClockFace) -> Bar {
    let x = Scale::new((0.0, 1_440.0), (LEFT, RIGHT));
    let (from, to) = (x.at(f64::from(part.from)), x.at(f64::from(part.to)));
    let height = LEAST + share * (BOTTOM - TOP - LEAST);
    Bar {
        x: from,
        width: to - from,
        y: BOTTOM - height,
        height,
        shade: (1.0 + 4.0 * share).round() as usize,
        price: part.per_kwh.map_or_else(|| "none".into(), |price| format!("{price:.2}")),
        told: told(part, currency, face),
    }
}

fn told(part: &PricedHours, currency: &str, face: ClockFace) -> String {
    let kwh = part.per_kwh.map_or_else(|| "no price of a kWh".into(), |price| format!("{price:.2} {currency} a kWh"));
    let hour = part.per_hour.map(|price| format!(" and {price:.2} an hour")).unwrap_or_default();
    format!("{} to {}: {kwh}{hour}", face.time(part.from), face.time(part.to % 1_440))
}
