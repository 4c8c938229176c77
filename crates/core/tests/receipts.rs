//! Ten tariffs of growing nastiness: receipts against arithmetic by hand, to the cent, across midnight and summer time.

#![allow(missing_docs, clippy::unwrap_used)]

use jiff::ZonedDateTime;
use jiff::civil::{Weekday, time};
use proptest::prelude::*;
use rust_decimal::Decimal;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
use spare_hour_core::quantity::{Current, Energy, Minutes, Power};

fn d(text: &str) -> Decimal {
    text.parse().unwrap()
}

fn price(kind: Kind, amount: &str) -> Component {
    Component { kind, price: d(amount), vat: None, step: 1 }
}

fn element(components: &[Component], restrictions: Restrictions) -> Element {
    Element { components: components.to_vec(), restrictions }
}

fn always(components: &[Component]) -> Element {
    element(components, Restrictions::default())
}

fn tariff(elements: Vec<Element>) -> Tariff {
    Tariff { name: "t".into(), currency: "cr".into(), elements, least: None, most: None }
}

fn charging(minutes: f64, kwh: f64) -> Period {
    Period { time: Minutes::new(minutes), energy: Energy::kwh(kwh), current: None, parking: false }
}

fn parked(minutes: f64) -> Period {
    Period { parking: true, ..charging(minutes, 0.0) }
}

fn at(text: &str) -> ZonedDateTime {
    text.parse().unwrap()
}

/// A Friday noon, far from any boundary.
fn noon() -> ZonedDateTime {
    at("2026-11-20T12:00:00+01:00[Europe/Berlin]")
}

fn adds_up(receipt: &Receipt) {
    let lines: Decimal = receipt.lines.iter().map(|line| line.amount).sum();
    assert_eq!(lines + receipt.adjustment, receipt.total);
    let gross: Decimal = receipt.lines.iter().map(|line| line.with_vat).sum();
    assert_eq!(gross + receipt.adjustment, receipt.total_with_vat);
}

fn total(tariff: &Tariff, began: &ZonedDateTime, periods: &[Period]) -> Decimal {
    let receipt = receipt(tariff, began, periods);
    adds_up(&receipt);
    receipt.total
}

#[test]
fn one_energy_alone() {
    // Common practice, no published source: 29.091 kWh at 0.60 are 17.45.
    let simple = tariff(vec![always(&[price(Kind::Energy, "0.60")])]);
    assert_eq!(total(&simple, &noon(), &[charging(25.0, 29.091)]), d("17.45"));
    assert_eq!(total(&simple, &noon(), &[]), d("0"));
}

#[test]
fn two_a_start_and_minutes_in_blocks() {
    // By hand: 1.00 once; 23 min in blocks of 5 are 25 min at 6.00 an hour = 2.50; 10.2 kWh in blocks of 0.5 are 10.5 at
    // 0.40 = 4.20.
    let blocks = |kind, amount, step| Component { step, ..price(kind, amount) };
    let stepped = tariff(vec![always(&[
        price(Kind::Flat, "1.00"),
        blocks(Kind::Time, "6.00", 300),
        blocks(Kind::Energy, "0.40", 500),
    ])]);
    assert_eq!(total(&stepped, &noon(), &[charging(23.0, 10.2)]), d("7.70"));
}

#[test]
fn a_flat_price_counts_once_when_it_first_holds_and_blocks_count_from_the_start() {
    // By hand: 42 min free, then blocks of 15 min at 8.00 an hour: 81 min are six blocks, 90 min, of which 48 are not free: 6.40.
    // From an hour on 2.50 once.
    let late = |minutes: f64| Restrictions { least_duration: Some(Minutes::new(minutes)), ..Restrictions::default() };
    let blocks = Component { step: 900, ..price(Kind::Time, "8.00") };
    let overstay = tariff(vec![
        element(&[price(Kind::Flat, "2.50")], late(60.0)),
        element(&[blocks], late(42.0)),
        element(&[price(Kind::Flat, "9.00")], late(70.0)),
    ]);
    assert_eq!(total(&overstay, &noon(), &[charging(81.0, 20.0)]), d("8.90"));
    assert_eq!(total(&overstay, &noon(), &[charging(40.0, 20.0)]), d("0"));
}

#[test]
fn three_free_first_minutes() {
    // By hand: the first 10 of 34 min are free, 24 min at 0.12 a minute = 2.88.
    let after_ten = Restrictions { least_duration: Some(Minutes::new(10.0)), ..Restrictions::default() };
    let free = tariff(vec![element(&[price(Kind::Time, "7.20")], after_ten)]);
    assert_eq!(total(&free, &noon(), &[charging(20.0, 9.0), charging(14.0, 5.0)]), d("2.88"));
    assert_eq!(total(&free, &noon(), &[charging(9.0, 9.0)]), d("0"));
}

#[test]
fn four_power_tiers_by_the_minute() {
    // By hand: 10 min at 120 kW (0.60 a minute) = 6.00, 10 min at 80 (0.35) = 3.50, 10 min at 40 (0.15) = 1.50.
    let from = |kw: f64| Restrictions { least_power: Some(Power::kw(kw)), ..Restrictions::default() };
    let tiers = tariff(vec![
        element(&[price(Kind::Time, "36.00")], from(100.0)),
        element(&[price(Kind::Time, "21.00")], from(60.0)),
        always(&[price(Kind::Time, "9.00")]),
    ]);
    let periods = [charging(10.0, 20.0), charging(10.0, 80.0 / 6.0), charging(10.0, 40.0 / 6.0)];
    let receipt = receipt(&tiers, &noon(), &periods);
    adds_up(&receipt);
    assert_eq!((receipt.total, receipt.lines.len()), (d("11.00"), 3));
}

#[test]
fn five_energy_in_tiers_and_a_cap() {
    // By hand: 20 kWh at 0.50 = 10.00, 15 kWh at 0.30 = 4.50; at most 12.00.
    let first = Restrictions { most_energy: Some(Energy::kwh(20.0)), ..Restrictions::default() };
    let tiers = tariff(vec![element(&[price(Kind::Energy, "0.50")], first), always(&[price(Kind::Energy, "0.30")])]);
    assert_eq!(total(&tiers, &noon(), &[charging(30.0, 35.0)]), d("14.50"));
    let capped = Tariff { most: Some(d("12.00")), ..tiers.clone() };
    assert_eq!(total(&capped, &noon(), &[charging(30.0, 35.0)]), d("12.00"));
    let least = Tariff { least: Some(d("5.00")), ..tiers };
    assert_eq!(total(&least, &noon(), &[charging(3.0, 4.0)]), d("5.00"));
}

#[test]
fn six_an_idle_fee_after_a_grace() {
    // By hand: charging takes 30 min; the idle fee counts from minute 45 of the stay on: of 35 min parked, 20 at 0.25.
    let after_grace = Restrictions { least_duration: Some(Minutes::new(45.0)), ..Restrictions::default() };
    let idle =
        tariff(vec![always(&[price(Kind::Energy, "0.50")]), element(&[price(Kind::Parking, "15.00")], after_grace)]);
    assert_eq!(total(&idle, &noon(), &[charging(30.0, 40.0), parked(35.0)]), d("25.00"));
    assert_eq!(total(&idle, &noon(), &[charging(30.0, 40.0), parked(12.0)]), d("20.00"));
}

#[test]
fn an_idle_fee_after_a_grace_counts_from_the_end_of_charging() {
    // By hand: of 35 min parked, ten are free and 25 are asked, at 15 an hour: 6.25. However long the charge took.
    let after_grace = Restrictions { least_parking: Some(Minutes::new(10.0)), ..Restrictions::default() };
    let idle =
        tariff(vec![always(&[price(Kind::Energy, "0.50")]), element(&[price(Kind::Parking, "15.00")], after_grace)]);
    for minutes in [10.0, 30.0, 90.0] {
        assert_eq!(total(&idle, &noon(), &[charging(minutes, 40.0), parked(35.0)]), d("26.25"));
        assert_eq!(total(&idle, &noon(), &[charging(minutes, 40.0), parked(10.0)]), d("20.00"));
    }
}

#[test]
fn seven_night_price_across_midnight_on_weekdays() {
    // By hand: night 22–6 of Monday to Friday 0.30, else 0.50. Friday 21:30 to Saturday 00:30 at 12 kW: half an hour by
    // day 6 kWh = 3.00, two and a half by night 30 kWh = 9.00. A day later it is Saturday's night: 36 kWh at 0.50 = 18.00.
    let night = Restrictions {
        from_time: Some(time(22, 0, 0, 0)),
        to_time: Some(time(6, 0, 0, 0)),
        days: vec![Weekday::Monday, Weekday::Tuesday, Weekday::Wednesday, Weekday::Thursday, Weekday::Friday],
        ..Restrictions::default()
    };
    let by_night = tariff(vec![element(&[price(Kind::Energy, "0.30")], night), always(&[price(Kind::Energy, "0.50")])]);
    let charge = [charging(180.0, 36.0)];
    assert_eq!(total(&by_night, &at("2026-11-20T21:30:00+01:00[Europe/Berlin]"), &charge), d("12.00"));
    assert_eq!(total(&by_night, &at("2026-11-21T21:30:00+01:00[Europe/Berlin]"), &charge), d("18.00"));
}

#[test]
fn a_period_that_begins_a_hair_before_another_price_counts_to_that() {
    // By hand: 10 kWh at 0.50 until 17:00, 4 kWh at 0.80 after it; the first period ends a ten-millionth of a minute early.
    let until = Restrictions { to_time: Some(time(17, 0, 0, 0)), ..Restrictions::default() };
    let by_hour = tariff(vec![element(&[price(Kind::Energy, "0.50")], until), always(&[price(Kind::Energy, "0.80")])]);
    let began = at("2026-11-20T16:30:00+01:00[Europe/Berlin]");
    for early in [0.0, 1e-9, 3e-8, 9e-8, 5e-7] {
        let periods = [charging(30.0 - early, 10.0), charging(12.0, 4.0)];
        assert_eq!(total(&by_hour, &began, &periods), d("8.20"), "{early} min early");
    }
}

#[test]
fn eight_summer_time_begins_and_ends() {
    // 2026-03-29 02:00 becomes 03:00: from 01:30 the clock shows 06:00 after 3.5 h, not 4.5. Night until 06:00 at 6.00 an
    // hour, then 12.00: of 4 h, 3.5 by night = 21.00 and 0.5 by day = 6.00.
    let night = Restrictions { to_time: Some(time(6, 0, 0, 0)), ..Restrictions::default() };
    let hours = tariff(vec![element(&[price(Kind::Time, "6.00")], night), always(&[price(Kind::Time, "12.00")])]);
    let four_hours = [charging(240.0, 40.0)];
    assert_eq!(total(&hours, &at("2026-03-29T01:30:00+01:00[Europe/Berlin]"), &four_hours), d("27.00"));
    // 2026-10-25 03:00 becomes 02:00: from 01:30 there are 5.5 h until 06:00, so all four hours are by night.
    assert_eq!(total(&hours, &at("2026-10-25T01:30:00+02:00[Europe/Berlin]"), &four_hours), d("24.00"));
}

/// OCPI 2.2.1's own complex example, recalled from memory: 2.50 a start (15 % VAT); below 32 A 1.00 an hour, from 32 A 2.00
/// on weekdays and 1.25 on weekends (20 % VAT, by the quarter of an hour); parking 5.00 on weekdays 9 to 18 h, 6.00 on
/// Saturdays 10 to 17 h (10 % VAT, by 5 minutes).
fn complex() -> Tariff {
    let component = |kind, amount, vat: &str, step| Component { vat: Some(d(vat)), step, ..price(kind, amount) };
    let weekdays = [Weekday::Monday, Weekday::Tuesday, Weekday::Wednesday, Weekday::Thursday, Weekday::Friday].to_vec();
    let amps = |least: Option<f64>, most: Option<f64>, days: &[Weekday]| Restrictions {
        least_current: least.map(Current::amps),
        most_current: most.map(Current::amps),
        days: days.to_vec(),
        ..Restrictions::default()
    };
    let hours = |from: i8, to: i8, days: &[Weekday]| Restrictions {
        from_time: Some(time(from, 0, 0, 0)),
        to_time: Some(time(to, 0, 0, 0)),
        days: days.to_vec(),
        ..Restrictions::default()
    };
    tariff(vec![
        always(&[component(Kind::Flat, "2.50", "15", 1)]),
        element(&[component(Kind::Time, "1.00", "20", 900)], amps(None, Some(32.0), &[])),
        element(&[component(Kind::Time, "2.00", "20", 600)], amps(Some(32.0), None, &weekdays)),
        element(
            &[component(Kind::Time, "1.25", "20", 600)],
            amps(Some(32.0), None, &[Weekday::Saturday, Weekday::Sunday]),
        ),
        element(&[component(Kind::Parking, "5.00", "10", 300)], hours(9, 18, &weekdays)),
        element(&[component(Kind::Parking, "6.00", "10", 300)], hours(10, 17, &[Weekday::Saturday])),
    ])
}

#[test]
fn nine_the_standards_own_example() {
    // Monday 09:30, 2:45 h at 16 A, then parked 42 min: 2.50 + 2.75 + 45 min of parking 3.75 = 9.00; with VAT 2.875 + 3.30 +
    // 4.125 = 10.30.
    let at_16 = Period { current: Some(Current::amps(16.0)), ..charging(165.0, 30.0) };
    let monday = receipt(&complex(), &at("2026-11-23T09:30:00+01:00[Europe/Berlin]"), &[at_16, parked(42.0)]);
    adds_up(&monday);
    assert_eq!(monday.total, d("9.00"));
    assert!((monday.total_with_vat - d("10.30")).abs() <= d("0.01"), "{}", monday.total_with_vat);
    // Saturday 13:30, 1:15 h at 43 A, then parked 15 min: 2.50 + 1.5625 + 1.50; by hand, each line to the cent: 5.56.
    let at_43 = Period { current: Some(Current::amps(43.0)), ..charging(75.0, 35.0) };
    let saturday = receipt(&complex(), &at("2026-11-21T13:30:00+01:00[Europe/Berlin]"), &[at_43, parked(15.0)]);
    adds_up(&saturday);
    assert_eq!(saturday.total, d("5.56"));
}

#[test]
fn ten_everything_at_once() {
    // By hand, Friday 21:50 to 22:30 and parked until 22:55. Energy: until 22:00 0.60, by night 0.40; the first 15 min are
    // free of the time price of 0.10 a minute; 1.00 a start; idle 0.20 a minute from minute 50 of the stay on.
    // 10 min at 90 kW = 15 kWh at 0.60 = 9.00; 30 min at 60 kW = 30 kWh at 0.40 = 12.00; time 25 min = 2.50; of 25 min parked
    // 15 count = 3.00; start 1.00: 27.50.
    let night =
        Restrictions { from_time: Some(time(22, 0, 0, 0)), to_time: Some(time(6, 0, 0, 0)), ..Restrictions::default() };
    let after = |minutes: f64| Restrictions { least_duration: Some(Minutes::new(minutes)), ..Restrictions::default() };
    let nasty = tariff(vec![
        element(&[price(Kind::Energy, "0.40")], night),
        always(&[price(Kind::Energy, "0.60"), price(Kind::Flat, "1.00")]),
        element(&[price(Kind::Time, "6.00")], after(15.0)),
        element(&[price(Kind::Parking, "12.00")], after(50.0)),
    ]);
    let periods = [charging(10.0, 15.0), charging(30.0, 30.0), parked(25.0)];
    let receipt = receipt(&nasty, &at("2026-11-20T21:50:00+01:00[Europe/Berlin]"), &periods);
    adds_up(&receipt);
    assert_eq!(receipt.total, d("27.50"), "{:#?}", receipt.lines);
    assert_eq!(receipt.lines.len(), 5);
}

/// Whether a restriction holds, said anew: by the second of the day, the second of the charge and the kWh so far.
fn holds(rules: &Restrictions, of_day: i64, of_charge: f64, kwh: f64) -> bool {
    let seconds = |time: jiff::civil::Time| i64::from(time.hour()) * 3600 + i64::from(time.minute()) * 60;
    let by_clock = match (rules.from_time.map(seconds), rules.to_time.map(seconds)) {
        (Some(from), Some(to)) if from < to => (from..to).contains(&of_day),
        (Some(from), Some(to)) => of_day >= from || of_day < to,
        _ => true,
    };
    let minutes = of_charge / 60.0;
    by_clock
        && rules.least_duration.is_none_or(|least| minutes >= least.get())
        && rules.most_duration.is_none_or(|most| minutes < most.get())
        && rules.least_energy.is_none_or(|least| kwh >= least.get() - 1e-6)
        && rules.most_energy.is_none_or(|most| kwh < most.get() - 1e-6)
}

/// A charge second by second: for each kind the first element that holds.
fn second_by_second(tariff: &Tariff, start_of_day: i64, periods: &[Period]) -> f64 {
    let (mut second, mut kwh, mut money) = (0.0, 0.0, 0.0);
    let price = |kind: Kind, second: f64, kwh: f64| -> f64 {
        let of_day = (start_of_day + second as i64).rem_euclid(86_400);
        let element = tariff.elements.iter().find(|element| {
            element.components[0].kind == kind && holds(&element.restrictions, of_day, second + 0.5, kwh)
        });
        element.map_or(0.0, |element| element.components[0].price.to_string().parse().unwrap())
    };
    for period in periods {
        let count = (period.time.get() * 60.0).round();
        for _ in 0..count as i64 {
            let step = period.energy.get() / count;
            if period.parking {
                money += price(Kind::Parking, second, kwh) / 3600.0;
            } else {
                money += price(Kind::Time, second, kwh) / 3600.0 + price(Kind::Energy, second, kwh + step / 2.0) * step;
            }
            second += 1.0;
            kwh += step;
        }
    }
    money
}

prop_compose! {
    fn any_element()(
        kind in prop::sample::select(vec![Kind::Energy, Kind::Time, Kind::Parking]),
        cents in 1i64..2_000,
        hours in prop::option::of((0i8..24, 0i8..24)),
        minutes in prop::option::of((0u32..90, prop::option::of(90u32..200))),
        kwh in prop::option::of((0u32..20, prop::option::of(20u32..60))),
    ) -> Element {
        let restrictions = Restrictions {
            from_time: hours.map(|hours| time(hours.0, 0, 0, 0)),
            to_time: hours.map(|hours| time(hours.1, 0, 0, 0)),
            least_duration: minutes.map(|minutes| Minutes::new(f64::from(minutes.0))),
            most_duration: minutes.and_then(|minutes| minutes.1).map(|most| Minutes::new(f64::from(most))),
            least_energy: kwh.map(|kwh| Energy::kwh(f64::from(kwh.0))),
            most_energy: kwh.and_then(|kwh| kwh.1).map(|most| Energy::kwh(f64::from(most))),
            ..Restrictions::default()
        };
        Element { components: vec![Component { kind, price: Decimal::new(cents, 2), vat: None, step: 1 }], restrictions }
    }
}

proptest! {
    #[test]
    fn any_receipt_agrees_with_a_walk_second_by_second(
        elements in prop::collection::vec(any_element(), 1..6),
        start in 0i64..1_440,
        charges in prop::collection::vec((1u32..60, 0u32..30), 1..4),
        parked in 0u32..120,
    ) {
        let tariff = tariff(elements);
        let began = at("2026-11-20T00:00:00+01:00[Europe/Berlin]")
            .checked_add(jiff::SignedDuration::from_secs(60 * start))
            .unwrap();
        let mut periods: Vec<Period> =
            charges.iter().map(|&(minutes, kwh)| charging(f64::from(minutes), f64::from(kwh))).collect();
        periods.push(parked_for(parked));
        let receipt = receipt(&tariff, &began, &periods);
        adds_up(&receipt);
        let total: f64 = receipt.total.to_string().parse().unwrap();
        let walked = second_by_second(&tariff, 60 * start, &periods);
        // A boundary of energy may lie within a second, and each line is rounded to the cent.
        let kwh_a_second = periods.iter().map(|period| period.energy.get() / period.time.get().max(1.0) / 60.0).fold(0.0, f64::max);
        let slack = 0.005 * receipt.lines.len() as f64 + 0.001 + 12.0 * 20.0 * (kwh_a_second + 1.0 / 3600.0);
        prop_assert!((total - walked).abs() <= slack, "{} for {}: {:#?}", total, walked, receipt.lines);
    }
}

fn parked_for(minutes: u32) -> Period {
    parked(f64::from(minutes))
}
