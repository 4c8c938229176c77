//! Charges of a physical cell model (PyBaMM, Chen et al. 2020), read back. `make_pybamm.py` made them and says how.

#![allow(missing_docs, clippy::unwrap_used)]

use serde_json::Value;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::curve_fit::FittedCurve;
use spare_hour_core::quantity::{Energy, Soc};
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::{Analysis, Basis};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::usable_capacity::UsableCapacity;
use spare_hour_formats::read_session_csv;

fn charges() -> Vec<Value> {
    let file: Value = serde_json::from_str(include_str!("reference/pybamm.json")).unwrap();
    file["charges"].as_array().unwrap().clone()
}

fn session(charge: &Value, kind: &str) -> Session {
    let name = charge["name"].as_str().unwrap();
    let directory = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/reference");
    read_session_csv(&std::fs::read(format!("{directory}/pybamm-{name}-{kind}.csv")).unwrap()).unwrap()
}

/// The loss is what the simulation's energies say, as a person would know it from other charges.
fn analysis(charge: &Value, session: &Session) -> Analysis {
    let number = |name: &str| charge[name].as_f64().unwrap();
    let loss_percent = Some(100.0 * (1.0 - number("stored_kwh") / number("plug_kwh")));
    let usable = Energy::kwh(number("usable_kwh"));
    Analysis::new(session, Basis { usable, range: None, base: DistanceBase::Rated, loss_percent }).unwrap()
}

fn within(found: f64, truth: f64, share: f64, what: &str) {
    assert!((found / truth - 1.0).abs() < share, "{what}: {found} for {truth}");
}

/// The minutes of every window of ten points, by the readings and by the fitted curve, are within a share of the truth.
fn windows_within(kind: &str, share: f64) {
    for charge in charges() {
        let session = session(&charge, kind);
        let analysis = analysis(&charge, &session);
        let usable = analysis.basis().usable;
        let curve = ChargingTime::new(&FittedCurve::new(&session, usable).unwrap().power, usable);
        for window in charge["windows"].as_array().unwrap() {
            let number = |name: &str| window[name].as_f64().unwrap();
            let (from, to) = (Soc::percent(number("from")), Soc::percent(number("to")));
            let found = analysis.window(from, to).unwrap();
            let what = format!("{} {kind} {from}–{to}", charge["name"]);
            within(found.minutes.get(), number("minutes"), share, &what);
            within(curve.minutes(from, to).get(), number("minutes"), share, &format!("{what} by the curve"));
            within(found.plug.unwrap().get(), number("plug_kwh"), share, &format!("{what} kWh"));
        }
    }
}

#[test]
fn windows_from_full_readings_are_within_one_percent() {
    windows_within("exact", 0.01);
}

#[test]
fn windows_from_whole_percents_and_kilowatts_are_within_three_percent() {
    windows_within("shown", 0.03);
}

#[test]
fn capacity_and_energy_are_within_one_percent() {
    for charge in charges() {
        let analysis = analysis(&charge, &session(&charge, "exact"));
        let number = |name: &str| charge[name].as_f64().unwrap();
        within(analysis.minutes.get(), number("minutes"), 0.01, "minutes");
        within(analysis.plug.unwrap().get(), number("plug_kwh"), 0.01, "plug");
        within(analysis.stored.get(), number("stored_kwh"), 0.01, "stored");
        let capacity = UsableCapacity::new(&analysis).unwrap();
        within(capacity.energy.get(), number("usable_kwh"), 0.01, "capacity");
        assert!(capacity.plus_minus.get() > 0.0);
    }
}
