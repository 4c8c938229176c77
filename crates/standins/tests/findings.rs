//! What a stand-in charger plays is read as what it is: clean charges have no finding, each fault has its own.

#![allow(missing_docs, clippy::unwrap_used)]

use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Current, Energy, Minutes, Power, Soc, Temperature};
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::live::LiveCharge;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::{Conditions, Session};
use spare_hour_core::trip::{Boost, Vehicle};
use spare_hour_formats::read_event_line;
use spare_hour_standins::charger::{CarAtStall, Charger, Misbehaviour, Played};

fn vehicle(boost: Option<Boost>) -> Vehicle {
    let curve = [(0.0, 120.0), (6.0, 165.0), (28.0, 160.0), (47.0, 128.0), (47.0, 112.0), (80.0, 60.0), (100.0, 5.0)];
    Vehicle {
        usable: Energy::kwh(70.0),
        charge_curve: Profile::new(curve.to_vec()).unwrap(),
        charge_loss_percent: 8.0,
        pack_voltage: Some(Profile::new(vec![(0.0, 335.0), (100.0, 400.0)]).unwrap()),
        boost,
    }
}

fn car(vehicle: Vehicle, pack: f64) -> CarAtStall {
    CarAtStall {
        vehicle,
        start: Soc::percent(10.0),
        limit: Soc::percent(80.0),
        pack: Temperature::celsius(pack),
        site_power: Power::kw(300.0),
        site_current: Some(Current::amps(600.0)),
    }
}

/// The session that a server would make of the charger's lines, and how many lines it would refuse.
fn measured(charger: &Charger) -> (Session, usize) {
    let lines = charger.lines(1_790_000_000_000, "m");
    let events: Vec<_> = lines.iter().map(|line| read_event_line(&line.text, 0, || "x".into())).collect();
    let refused = events.iter().filter(|event| event.is_err()).count();
    let live = LiveCharge::replay(&events.into_iter().flatten().collect::<Vec<_>>());
    let (site_power, site_current) = match &charger.played {
        Played::Car(car) => (Some(car.site_power), car.site_current),
        Played::Session(_) => (None, None),
    };
    (live.session(&Conditions { site_power, site_current, ..Conditions::default() }), refused)
}

fn codes(charger: &Charger) -> Vec<&'static str> {
    codes_of_known(charger, None)
}

fn codes_of_known(charger: &Charger, known: Option<&Profile>) -> Vec<&'static str> {
    let (session, _) = measured(charger);
    let basis = Basis { usable: Energy::kwh(70.0), range: None, base: DistanceBase::Rated, loss_percent: Some(8.0) };
    let report = Report::new(&session, basis, known).unwrap();
    report.findings.iter().map(spare_hour_core::session::findings::Finding::code).collect()
}

fn with(misbehaviour: Misbehaviour) -> Charger {
    Charger { misbehaviour, ..Charger::of_car(car(vehicle(None), 32.0)) }
}

#[test]
fn a_clean_charge_has_no_finding_but_its_limit() {
    // The car stops the charge at its limit of 80 %, which is worth a note and nothing more.
    assert_eq!(codes(&Charger::of_car(car(vehicle(None), 32.0))), ["ended-by-limit"]);
    let (mut session, _) = measured(&Charger::of_car(car(vehicle(None), 32.0)));
    session.readings.pop();
    let again =
        Charger { played: Played::Session(Box::new(session)), every: 10, misbehaviour: Misbehaviour::default() };
    assert!(codes(&again).is_empty(), "{:?}", codes(&again));
}

#[test]
fn a_boost_is_found() {
    let boost =
        Boost { time: Minutes::new(9.0), max_start: Soc::percent(50.0), charge_curve: Profile::constant(185.0) };
    let car = CarAtStall { site_current: Some(Current::amps(800.0)), ..car(vehicle(Some(boost)), 32.0) };
    assert_eq!(codes(&Charger::of_car(car)), ["boost-over", "ended-by-limit"]);
}

#[test]
fn a_cold_pack_is_found() {
    assert_eq!(codes(&Charger::of_car(car(vehicle(None), 3.0))), ["cold-battery", "ended-by-limit"]);
}

#[test]
fn a_charger_that_is_the_limit_is_found() {
    let by_power = CarAtStall { site_power: Power::kw(100.0), ..car(vehicle(None), 32.0) };
    assert_eq!(codes(&Charger::of_car(by_power)), ["charger-limited", "ended-by-limit"]);
    let by_current = CarAtStall { site_current: Some(Current::amps(300.0)), ..car(vehicle(None), 32.0) };
    assert_eq!(codes(&Charger::of_car(by_current)), ["charger-limited", "ended-by-limit"]);
}

#[test]
fn a_derated_stall_is_found() {
    let from_the_start =
        Misbehaviour { derated: Some((Minutes::new(0.0), Power::kw(35.0))), ..Misbehaviour::default() };
    assert_eq!(codes(&with(from_the_start)), ["derated-stall", "ended-by-limit"]);
    let later = Misbehaviour { derated: Some((Minutes::new(6.0), Power::kw(50.0))), ..Misbehaviour::default() };
    // A stall that gave more before may as well be a car that steps down; what the car is known to take decides it.
    assert_eq!(codes(&with(later.clone())), ["ended-by-limit"]);
    let known = vehicle(None).charge_curve;
    assert_eq!(codes_of_known(&with(later), Some(&known)), ["derated-stall", "ended-by-limit"]);
}

#[test]
fn refusals_silence_lag_and_garbage_are_found() {
    let refusing = Misbehaviour { refusals: 2, ..Misbehaviour::default() };
    assert_eq!(codes(&with(refusing.clone())), ["failed-attempts", "ended-by-limit"]);
    let handshake = measured(&with(refusing)).0.conditions.handshake.unwrap();
    assert!((handshake.get() * 60.0 - 64.0).abs() < 0.01);
    let silent = Misbehaviour { silent: Some((Minutes::new(5.0), Minutes::new(5.0))), ..Misbehaviour::default() };
    assert_eq!(codes(&with(silent)), ["gap", "ended-by-limit"]);
    let behind = Misbehaviour { soc_behind: 2.0, ..Misbehaviour::default() };
    assert_eq!(codes(&with(behind)), ["soc-lags", "ended-by-limit"]);
    let garbling = with(Misbehaviour { garbage: true, ..Misbehaviour::default() });
    assert_eq!(codes(&garbling), ["ended-by-limit"]);
    let (session, refused) = measured(&garbling);
    assert!(refused > 10 && session.readings.len() > 100, "{refused} refused, {} read", session.readings.len());
}
