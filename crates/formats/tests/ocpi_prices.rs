//! Receipts against a tariff library of the registry: 200 invented tariffs, each on an invented charge, priced by ocpi-tariffs
//! 0.48.0 (`reference/ocpi_prices`, which prints `ocpi_prices.json`).

#![allow(missing_docs, clippy::unwrap_used)]

use jiff::{Timestamp, ZonedDateTime};
use rust_decimal::prelude::ToPrimitive;
use serde_json::Value;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::quantity::{Energy, Minutes};
use spare_hour_formats::read_tariffs;

fn ours(case: &Value, zone: &str, kwh_a_minute: f64) -> Receipt {
    let tariff = read_tariffs(case["tariff"].to_string().as_bytes()).unwrap().remove(0);
    let began: Timestamp = case["began"].as_str().unwrap().parse().unwrap();
    let began: ZonedDateTime = began.in_tz(zone).unwrap();
    let minute =
        |energy: f64, parking| Period { time: Minutes::new(1.0), energy: Energy::kwh(energy), current: None, parking };
    let count = |name: &str| case[name].as_u64().unwrap() as usize;
    let mut periods = vec![minute(kwh_a_minute, false); count("charging_min")];
    periods.resize(periods.len() + count("standing_min"), minute(0.0, true));
    receipt(&tariff, &began, &periods)
}

#[test]
fn receipts_agree_with_a_tariff_library() {
    let file: Value = serde_json::from_str(include_str!("reference/ocpi_prices.json")).unwrap();
    let (zone, a_minute) = (file["zone"].as_str().unwrap(), file["kwh_a_minute"].as_f64().unwrap());
    let cases = file["cases"].as_array().unwrap();
    assert_eq!(cases.len(), 200);
    for (number, case) in cases.iter().enumerate() {
        let receipt = ours(case, zone, a_minute);
        let told = |name: &str| case[name].as_f64();
        // Each of our lines is rounded to the cent; the library rounds nothing.
        let within = 0.005 * receipt.lines.len() as f64 + 0.001;
        let without_vat = receipt.total.to_f64().unwrap();
        assert!(
            (without_vat - told("excl_vat").unwrap()).abs() <= within,
            "case {number}: {without_vat} for {:?}: {:#?} under {case}",
            told("excl_vat"),
            receipt.lines,
        );
        if let Some(with_vat) = told("incl_vat") {
            assert!((receipt.total_with_vat.to_f64().unwrap() - with_vat).abs() <= within, "case {number}: {case}");
        }
    }
}
