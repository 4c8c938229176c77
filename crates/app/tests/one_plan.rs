//! The command and the page answer one trip with one plan.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::process::Command;

use serde_json::{Value, json};
use support::Pages;

/// Numbers from a seed (Knuth's linear congruential generator, MMIX, from memory).
struct Dice(u64);

impl Dice {
    fn between(&mut self, low: f64, high: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let share = (self.0 >> 11) as f64 / (1u64 << 53) as f64;
        // As a person would write it: three decimals.
        ((low + share * (high - low)) * 1000.0).round() / 1000.0
    }

    fn pick<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[self.between(0.0, of.len() as f64 - 0.01) as usize]
    }
}

/// A trip that nobody made: hills, sites that close, stalls out of order, cabinets, prices of all kinds.
fn invented(seed: u64) -> Value {
    let mut dice = Dice(seed);
    let count = dice.between(2.0, 6.0) as usize;
    let segments: Vec<Value> = (0..count)
        .map(|_| {
            json!({"km": dice.between(20.0, 160.0), "kmh": dice.between(60.0, 130.0),
                   "kwh_per_100km": dice.between(-4.0, 27.0)})
        })
        .collect();
    let km: f64 = segments.iter().map(|segment| segment["km"].as_f64().unwrap()).sum();
    let sites: Vec<Value> = (0..dice.between(3.0, 14.0) as usize)
        .map(|index| {
            let hours = dice.pick(&["24/7", "24/7", "06:00-22:00", "Mo-Fr 08:00-12:00,13:00-18:00", "Sa 10:00-11:00"]);
            json!({"id": format!("DE*{index}:a,b"), "name": format!("Stop {index}"),
                   "at_km": dice.between(0.0, km), "off_route_km": dice.between(0.0, 2.0), "off_route_kmh": 50.0,
                   "max_kw": dice.between(22.0, 320.0), "overhead_min": dice.between(2.0, 8.0),
                   "stalls": 2, "out_of_order": dice.between(0.0, 2.3) as u32, "cabinet_stalls": 2,
                   "opening_hours": hours,
                   "price": {"per_kwh": dice.between(0.2, 0.9), "per_min": 0.0, "per_session": dice.between(0.0, 1.0)}})
        })
        .collect();
    let value = dice.between(-20.0, 40.0);
    json!({
        "format": "spare-hour/trip", "version": 1, "name": format!("Invented {seed}"),
        "vehicle": {"usable_kwh": dice.between(45.0, 95.0), "charge_loss_percent": dice.between(3.0, 12.0),
                    "charge_curve": [{"soc": 0, "kw": dice.between(60.0, 200.0)}, {"soc": 55, "kw": dice.between(60.0, 200.0)},
                                     {"soc": 100, "kw": dice.between(3.0, 20.0)}]},
        "route": {"segments": segments}, "sites": sites,
        "goal": {"start_soc": dice.between(60.0, 100.0), "min_soc": 10.0, "arrival_soc": dice.between(5.0, 30.0),
                 "max_soc": 100.0, "value_of_time_per_hour": (value > 0.0).then_some(value)}
    })
}

/// What the command answers to a trip file: its exit code and its JSON.
fn command(trip: &str) -> (Option<i32>, Value) {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("trip.json");
    std::fs::write(&path, trip).unwrap();
    let output = Command::new(env!("CARGO_BIN_EXE_spare-hour")).args(["plan", "--json"]).arg(&path).output().unwrap();
    (output.status.code(), serde_json::from_slice(&output.stdout).unwrap_or_default())
}

/// Holds the page's plan of a trip against the command's; whether there is one.
fn hold(pages: &Pages, address: &str) -> bool {
    let trip = pages.get(&format!("{address}/trip.json")).1;
    let page: Value = serde_json::from_str(&pages.get(&format!("{address}/plan.json")).1).unwrap();
    let (code, told) = command(&trip);
    assert_eq!(page, told, "{address}: {trip}");
    assert_eq!(code, Some(if page["feasible"] == true { 0 } else { 2 }));
    // The page itself says what its file says.
    let shown = pages.get(address).1;
    match page["total_min"].as_f64() {
        Some(total) => {
            let duration = format!("datetime=\"PT{}M\"", total.round());
            assert!(shown.contains(&duration), "{address} does not show {duration}");
        }
        None => assert!(shown.contains("This trip cannot be driven like that"), "{address}"),
    }
    page["feasible"] == true
}

#[test]
fn the_demo_and_fifty_invented_trips() {
    let pages = Pages::demo();
    assert!(hold(&pages, "/trips/1") && hold(&pages, "/trips/2"));
    let mut driven = 0;
    for seed in 1..=50 {
        let trip = invented(seed).to_string();
        let (status, location, body) = pages.upload("/trips", &[], Some(("trip.json", &trip)));
        assert_eq!(status, 303, "{body}");
        driven += u32::from(hold(&pages, &location));
    }
    assert!((15..=49).contains(&driven), "{driven} of 50 can be driven: the test would see little");
}

#[test]
fn a_fixed_departure_of_any_identifier_is_kept() {
    let pages = Pages::demo();
    let mut trip = invented(7);
    trip["goal"]["start_soc"] = json!(70.0);
    trip["route"]["segments"] = json!([{"km": 500.0, "kmh": 110.0, "kwh_per_100km": 19.0}]);
    let site = |index: usize, at: f64| json!({"id": format!("DE*{index}:a,b"), "at_km": at, "max_kw": 150.0, "overhead_min": 4.0});
    trip["sites"] = json!([site(1, 150.0), site(2, 320.0)]);
    let (_, location, _) = pages.upload("/trips", &[], Some(("trip.json", &trip.to_string())));
    let plan: Value = serde_json::from_str(&pages.get(&format!("{location}/plan.json")).1).unwrap();
    let stop = &plan["stops"][0];
    let (id, leaves) = (stop["site"].as_str().unwrap(), (stop["depart_soc"].as_f64().unwrap() + 6.0).round());
    let encoded: String = id.bytes().map(|byte| format!("%25{byte:02X}")).collect();
    let page = pages.get(&format!("{location}/plan?leave={encoded}:{leaves}")).1;
    assert!(page.contains("Your own departures:") && page.contains(&format!("→ {leaves} %")), "{page}");
}
