//! Prices invented charges under invented tariffs with ocpi-tariffs 0.48.0, and prints cases with what it found.
//!
//! That library does not cut a period where a price changes, so every charge is told minute by minute, and every limit lies on
//! a minute and on what a minute takes.

use chrono::{DateTime, Duration, Utc};
use ocpi_tariffs::{Version, cdr, price, tariff};
use serde_json::{Value, json};

const ZONE: chrono_tz::Tz = chrono_tz::Tz::Europe__Berlin;
/// Energy of a minute of charging, kWh.
const A_MINUTE: f64 = 0.5;
const CASES: usize = 200;

fn component(random: &mut fastrand::Rng, kind: &str) -> Value {
    let (cents, steps): (u32, &[u32]) = match kind {
        "ENERGY" => (random.u32(20..90), &[1, 100, 500, 1000]),
        "FLAT" => (random.u32(50..300), &[1]),
        _ => (random.u32(100..900), &[1, 60, 300, 900]),
    };
    let vat = *random.choice(&[None, Some(0), Some(19), Some(21)]).unwrap();
    let mut component = json!({
        "type": kind,
        "price": f64::from(cents) / 100.0,
        "step_size": random.choice(steps).unwrap(),
    });
    if let Some(vat) = vat {
        component["vat"] = json!(vat);
    }
    component
}

fn restrictions(random: &mut fastrand::Rng) -> Value {
    let mut rules = serde_json::Map::new();
    if random.u8(0..3) == 0 {
        let (from, to) = (random.u32(0..24), random.u32(0..24));
        if from != to {
            rules.insert("start_time".into(), json!(format!("{from:02}:00")));
            rules.insert("end_time".into(), json!(format!("{to:02}:30")));
        }
    }
    if random.u8(0..5) == 0 {
        let days = ["MONDAY", "TUESDAY", "WEDNESDAY", "THURSDAY", "FRIDAY", "SATURDAY", "SUNDAY"];
        let chosen: Vec<&str> = days.into_iter().filter(|_| random.bool()).collect();
        // Past midnight the library takes the day that it is by then, Spare Hour the day on which the span began
        // (docs/decisions.md), so that days and spans over midnight are not told together.
        let over_midnight =
            rules.get("start_time").and_then(Value::as_str) > rules.get("end_time").and_then(Value::as_str);
        if !chosen.is_empty() && !over_midnight {
            rules.insert("day_of_week".into(), json!(chosen));
        }
    }
    if random.u8(0..4) == 0 {
        rules.insert(random.choice(["min_kwh", "max_kwh"]).unwrap().into(), json!(random.u32(1..40)));
    }
    if random.u8(0..4) == 0 {
        let name = random.choice(["min_duration", "max_duration"]).unwrap();
        rules.insert(name.into(), json!(60 * random.u32(5..90)));
    }
    Value::Object(rules)
}

fn invented_tariff(random: &mut fastrand::Rng) -> Value {
    let count = random.usize(1..4);
    let mut elements: Vec<Value> = (0..count)
        .map(|_| {
            let kinds = ["ENERGY", "TIME", "PARKING_TIME", "FLAT"];
            let mut components: Vec<Value> = Vec::new();
            for kind in kinds {
                if random.bool() {
                    components.push(component(random, kind));
                }
            }
            if components.is_empty() {
                components.push(component(random, "ENERGY"));
            }
            let mut element = json!({ "price_components": components });
            let rules = restrictions(random);
            if rules.as_object().is_some_and(|rules| !rules.is_empty()) {
                element["restrictions"] = rules;
            }
            element
        })
        .collect();
    elements.push(json!({ "price_components": [component(random, "ENERGY")] }));
    json!({
        "country_code": "NL", "party_id": "TST", "id": "T", "currency": "EUR", "elements": elements,
        "last_updated": "2026-01-01T00:00:00Z",
    })
}

/// A charge record of so many minutes of charging and of standing.
fn record(began: DateTime<Utc>, charging: u32, standing: u32) -> Value {
    let at = |minute: u32| (began + Duration::minutes(minute.into())).format("%Y-%m-%dT%H:%M:%SZ").to_string();
    let hour = 1.0 / 60.0;
    let period = |minute: u32| {
        let dimensions = if minute < charging {
            json!([{ "type": "ENERGY", "volume": A_MINUTE }, { "type": "TIME", "volume": hour }])
        } else {
            json!([{ "type": "PARKING_TIME", "volume": hour }])
        };
        json!({ "start_date_time": at(minute), "dimensions": dimensions })
    };
    let periods: Vec<Value> = (0..charging + standing).map(period).collect();
    json!({
        "start_date_time": at(0), "end_date_time": at(charging + standing), "currency": "EUR", "tariffs": [],
        "cdr_location": { "country": "DEU" }, "charging_periods": periods,
        "total_cost": { "excl_vat": 0.0, "incl_vat": 0.0 }, "total_energy": A_MINUTE * f64::from(charging),
        "total_time": f64::from(charging + standing) * hour, "last_updated": "2026-01-01T00:00:00Z",
    })
}

fn case(random: &mut fastrand::Rng) -> Option<Value> {
    let tariff = invented_tariff(random);
    // Days around both changes of summer time of 2026, and a plain one.
    let day = *random.choice(&["2026-03-28", "2026-10-24", "2026-05-06"]).unwrap();
    let began: DateTime<Utc> = format!("{day}T{:02}:{:02}:00Z", random.u32(0..24), random.u32(0..60)).parse().ok()?;
    let (charging, standing) = (random.u32(5..120), *random.choice(&[0, 0, 20, 75]).unwrap());
    let record = record(began, charging, standing).to_string();
    let text = tariff.to_string();
    let priced = tariff::parse_with_version(&text, Version::V221).ok()?;
    let told = cdr::parse_with_version(&record, Version::V221).ok()?;
    let report = cdr::price(&told.cdr, price::TariffSource::single(priced.tariff), ZONE).ok()?.into_parts().0;
    let total = report.total_cost.calculated?;
    let number = |money: String| money.trim_end_matches('¤').trim().parse::<f64>().ok();
    Some(json!({
        "tariff": tariff, "began": began.to_rfc3339(), "charging_min": charging, "standing_min": standing,
        "excl_vat": number(total.excl_vat.to_string())?,
        "incl_vat": total.incl_vat.and_then(|money| number(money.to_string())),
    }))
}

fn main() {
    let mut random = fastrand::Rng::with_seed(221);
    let cases: Vec<Value> = std::iter::repeat_with(|| case(&mut random)).flatten().take(CASES).collect();
    let file = json!({
        "made_by": "tests/reference/ocpi_prices with ocpi-tariffs 0.48.0",
        "zone": ZONE.name(), "kwh_a_minute": A_MINUTE, "cases": cases,
    });
    println!("{}", serde_json::to_string(&file).unwrap());
}
