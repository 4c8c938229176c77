//! What a tariff asks over a day, early in a charge: for each part of the day in which the same prices count.

use jiff::civil::{Date, Time};
use rust_decimal::Decimal;

use crate::money::tariff::{Kind, Moment, Tariff};
use crate::quantity::{Energy, Minutes, Power};

/// A part of a day, and what it asks with VAT.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PricedHours {
    /// Minutes after midnight at which it begins,
    pub from: u32,
    /// and at which it ends, at most 1,440.
    pub to: u32,
    /// Price of a kWh, where one is asked.
    pub per_kwh: Option<Decimal>,
    /// Price of an hour of charging, where one is asked.
    pub per_hour: Option<Decimal>,
}

/// The parts of a day under a tariff, in their order: a minute and a kWh into a charge at 50 kW.
pub fn price_of_day(tariff: &Tariff, date: Date) -> Vec<PricedHours> {
    let minute = |time: Time| 60 * u32::from(time.hour().unsigned_abs()) + u32::from(time.minute().unsigned_abs());
    let restricted = tariff.elements.iter().flat_map(|element| {
        let of = &element.restrictions;
        [of.from_time, of.to_time].into_iter().flatten().map(minute)
    });
    let mut edges: Vec<u32> = restricted.chain([0, 1_440]).collect();
    edges.sort_unstable();
    edges.dedup();
    let mut parts: Vec<PricedHours> = Vec::new();
    for pair in edges.windows(2) {
        let asked = |kind| asked_at(tariff, date, pair[0], kind);
        let part =
            PricedHours { from: pair[0], to: pair[1], per_kwh: asked(Kind::Energy), per_hour: asked(Kind::Time) };
        match parts.last_mut() {
            Some(last) if (last.per_kwh, last.per_hour) == (part.per_kwh, part.per_hour) => last.to = part.to,
            _ => parts.push(part),
        }
    }
    parts
}

fn asked_at(tariff: &Tariff, date: Date, minute: u32, kind: Kind) -> Option<Decimal> {
    let time = Time::new((minute / 60) as i8, (minute % 60) as i8, 0, 0).ok()?;
    let moment = Moment {
        date,
        time,
        energy: Energy::kwh(1.0),
        power: Power::kw(50.0),
        current: None,
        duration: Minutes::new(1.0),
        parked: Minutes::new(0.0),
    };
    let counted = tariff.elements.iter().filter(|element| element.restrictions.hold(&moment));
    let component = counted.flat_map(|element| &element.components).find(|component| component.kind == kind)?;
    let vat = component.vat.unwrap_or_default();
    Some(component.price * (Decimal::ONE + vat / Decimal::ONE_HUNDRED))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::tariff::{Component, Element, Restrictions};
    use jiff::civil::{Weekday, date, time};

    fn element(kind: Kind, price: i64, restrictions: Restrictions) -> Element {
        let price = Decimal::new(price, 2);
        Element { components: vec![Component { kind, price, vat: Some(Decimal::TEN), step: 1 }], restrictions }
    }

    #[test]
    fn a_day_is_told_by_its_hours_and_a_weekend_by_its_own() {
        let night = Restrictions {
            from_time: Some(time(22, 0, 0, 0)),
            to_time: Some(time(6, 30, 0, 0)),
            ..Restrictions::default()
        };
        let weekend = Restrictions { days: vec![Weekday::Saturday, Weekday::Sunday], ..Restrictions::default() };
        let late = Restrictions { least_duration: Some(Minutes::new(45.0)), ..Restrictions::default() };
        let tariff = Tariff {
            elements: vec![
                element(Kind::Energy, 30, night),
                element(Kind::Energy, 40, weekend),
                element(Kind::Time, 600, late),
                element(Kind::Energy, 50, Restrictions::default()),
            ],
            ..Tariff::simple("t", "cr", Decimal::ZERO, Decimal::ZERO, Decimal::ZERO)
        };
        let told = |day: Date| -> Vec<(u32, u32, String)> {
            let parts = price_of_day(&tariff, day);
            // The price of time counts late in a charge only.
            assert!(parts.iter().all(|part| part.per_hour.is_none()));
            parts.into_iter().map(|part| (part.from, part.to, part.per_kwh.unwrap().normalize().to_string())).collect()
        };
        let three = |day: &str| [(0, 390, "0.33".into()), (390, 1_320, day.into()), (1_320, 1_440, "0.33".into())];
        // By hand: with 10 % of VAT. 4 May 2026 is a Monday.
        assert_eq!(told(date(2026, 5, 4)), three("0.55"));
        assert_eq!(told(date(2026, 5, 9)), three("0.44"));
        let flat = Tariff::simple("t", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        assert_eq!(price_of_day(&flat, date(2026, 5, 4)).len(), 1);
    }
}
