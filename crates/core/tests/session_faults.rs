//! Charges spoiled in ways that people and meters spoil them: what is done about each, and what is said of it, by hand.

#![allow(missing_docs, clippy::unwrap_used)]

use spare_hour_core::quantity::{Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::analysis::{Analysis, Basis};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::{Certainty, Fact, Finding, findings};
use spare_hour_core::session::{Conditions, Meter, Reading, Session};

const USABLE: f64 = 60.0;

/// 100 kW from the plug, a tenth lost: 2.5 points a minute from 10 %, a reading every 24 s at each percent.
fn steady() -> Session {
    let reading = |index: u32| {
        let minute = 0.4 * f64::from(index);
        Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(10.0 + f64::from(index))),
            power: Some(Power::kw(100.0)),
            energy: Some(Energy::kwh(100.0 / 60.0 * minute)),
            ..Reading::default()
        }
    };
    Session { readings: (0..=70).map(reading).collect(), ..Session::default() }
}

fn basis(loss_percent: Option<f64>) -> Basis {
    Basis { usable: Energy::kwh(USABLE), range: Some(Distance::km(400.0)), base: DistanceBase::Rated, loss_percent }
}

fn analysed(session: &Session) -> Analysis {
    Analysis::new(session, basis(None)).unwrap()
}

fn found(session: &Session) -> Vec<Finding> {
    findings(session, &analysed(session), None)
}

fn codes(session: &Session) -> Vec<&'static str> {
    found(session).iter().map(Finding::code).collect()
}

/// The whole charge takes 28 minutes, whatever was done to its readings.
fn takes_as_long(session: &Session) {
    let window = analysed(session).window(Soc::percent(20.0), Soc::percent(70.0)).unwrap();
    assert!((window.minutes.get() - 20.0).abs() < 0.1, "{}", window.minutes);
}

#[test]
fn a_clean_charge_is_left_in_peace() {
    assert!(codes(&steady()).is_empty(), "{:?}", found(&steady()));
    takes_as_long(&steady());
}

#[test]
fn a_counter_that_is_late_or_stops_is_told_and_the_rest_assumed() {
    let mut late = steady();
    for reading in &mut late.readings {
        let minute = reading.elapsed.get();
        reading.energy = Some(Energy::kwh(100.0 / 60.0 * (minute - 0.5).max(0.0)));
    }
    let told = found(&late);
    let Some(Fact::CounterLate { behind }) = told.iter().map(|finding| finding.fact.clone()).next() else {
        unreachable!("{told:?}")
    };
    assert!((behind.get() - 0.5).abs() < 0.1, "{behind}");
    // By hand: it stops after 16 min at 26.7 kWh for 40 points; the 30 that follow are 20 kWh more, by power or by SoC.
    for with_power in [true, false] {
        let mut stopped = steady();
        for reading in stopped.readings.iter_mut().filter(|reading| reading.elapsed.get() > 16.0) {
            reading.energy = Some(Energy::kwh(100.0 / 60.0 * 16.0));
        }
        if !with_power {
            stopped.readings.iter_mut().for_each(|reading| reading.power = None);
        }
        assert!(codes(&stopped).contains(&"counter-stopped"), "{:?}", codes(&stopped));
        let plug = analysed(&stopped).plug.unwrap().get();
        assert!((plug - 46.67).abs() < 0.2, "{plug}");
    }
}

#[test]
fn losses_that_cannot_be_are_told_of_the_whole_and_of_a_part() {
    let mut lossless = steady();
    for reading in &mut lossless.readings {
        reading.power = reading.power.map(|power| power * 0.88);
        reading.energy = reading.energy.map(|energy| energy * 0.88);
    }
    assert_eq!(codes(&lossless), ["energy-against-soc"]);
    // A part without a loss: 20 points for 10 kWh, less than the 12 that they store.
    let mut part = steady();
    let mut counted = 0.0;
    for index in 0..part.readings.len() {
        let soc = 10.0 + index as f64;
        part.readings[index].energy = Some(Energy::kwh(counted));
        counted += if (30.0..50.0).contains(&soc) { 0.5 } else { 0.71 };
        part.readings[index].power = None;
    }
    let told = found(&part);
    let of_part = told.iter().find(|finding| finding.code() == "energy-against-soc").unwrap();
    let (from, to) = of_part.span.unwrap();
    assert!(from.get() >= 25.0 && to.get() <= 57.0 && of_part.certainty() == Certainty::Likely, "{of_part:?}");
}

#[test]
fn slips_and_clocks_set_back_do_not_make_minutes_short() {
    let mut slip = steady();
    slip.readings[34].soc = Some(Soc::percent(84.0));
    assert_eq!(codes(&slip), ["soc-backwards"]);
    takes_as_long(&slip);
    let mut set_back = steady();
    for reading in &mut set_back.readings[30..] {
        reading.elapsed = reading.elapsed - Minutes::new(9.0);
    }
    assert_eq!(codes(&set_back), ["clock-set-back"]);
    takes_as_long(&set_back);
    let mut high = steady();
    high.readings[12].power = Some(Power::kw(1_000.0));
    let told = found(&high);
    let likely = told.iter().find_map(|finding| match finding.fact {
        Fact::PowerSlip { likely, .. } => likely,
        _ => None,
    });
    assert_eq!((likely, analysed(&high).peak.unwrap().0), (Some(Power::kw(100.0)), Power::kw(100.0)));
}

#[test]
fn minutes_that_no_battery_takes_are_not_kept_in_silence() {
    let mut sixtieth = steady();
    for reading in &mut sixtieth.readings {
        reading.elapsed = reading.elapsed * (1.0 / 60.0);
        (reading.power, reading.energy) = (None, None);
    }
    // The clock of a stopwatch in seconds: no two readings of it can follow each other.
    assert!(Analysis::new(&sixtieth, basis(None)).is_err() || codes(&sixtieth).contains(&"impossible-power"));
    let mut fast = steady();
    fast.readings.retain(|reading| [10.0, 80.0].contains(&reading.soc.unwrap().get()));
    fast.readings[1].elapsed = Minutes::new(5.0);
    (fast.readings[0].energy, fast.readings[1].energy) = (None, None);
    // 42 kWh in five minutes are 504 kW, 8.4 times the capacity in an hour; in four they are too much.
    assert!(!codes(&fast).contains(&"impossible-power"));
    let larger = Basis { usable: Energy::kwh(130.0), ..basis(None) };
    let analysis = Analysis::new(&fast, larger).unwrap();
    assert!(analysis.impossible().is_some());
}

#[test]
fn readings_without_soc_feed_power_and_energy() {
    let mut sparse = steady();
    for (index, reading) in sparse.readings.iter_mut().enumerate() {
        if index % 10 != 0 {
            reading.soc = None;
        }
    }
    takes_as_long(&sparse);
    let analysis = analysed(&sparse);
    assert_eq!(analysis.timeline.moments().len(), 71);
    assert!((analysis.timeline.soc_at(Minutes::new(10.0)).get() - 35.0).abs() < 0.1);
    let by_range = |minute: f64, km: f64| Reading {
        elapsed: Minutes::new(minute),
        range: Some(Distance::km(km)),
        voltage: Some(Voltage::volts(350.0)),
        ..Reading::default()
    };
    let conditions = Conditions { rated_range: Some(Distance::km(400.0)), ..Conditions::default() };
    let readings = (0..12).map(|step| by_range(2.0 * f64::from(step), 40.0 + 20.0 * f64::from(step))).collect();
    let session = Session { readings, conditions };
    assert_eq!(session.soc_of(&session.readings[5]), Some(Soc::percent(35.0)));
    assert!(codes(&session).contains(&"soc-by-range"));
}

#[test]
fn a_stall_is_held_against_the_car() {
    let flat = |conditions: Conditions| {
        let mut session = steady();
        session.conditions = conditions;
        session
    };
    let site = Conditions { site_power: Some(Power::kw(300.0)), ..Conditions::default() };
    let car = |kw: f64| spare_hour_core::charging::profile::Profile::constant(kw);
    let told = |session: &Session, expected: f64| {
        let analysis = analysed(session);
        let found = findings(session, &analysis, Some(&car(expected)));
        found.into_iter().find(|finding| finding.code() == "derated-stall")
    };
    // A car that always takes 90 kW into the battery is not held back by a stall of 300; one that takes 150 is.
    assert!(told(&flat(site.clone()), 90.0).is_none());
    let likely = told(&flat(site.clone()), 150.0).unwrap();
    assert_eq!(likely.certainty(), Certainty::Likely);
    let cold = Conditions { battery: Some(Temperature::celsius(4.0)), ..site };
    let mut cold = flat(cold);
    cold.readings.iter_mut().for_each(|reading| reading.battery = Some(Temperature::celsius(4.0)));
    assert!(told(&cold, 150.0).is_none());
    let by_car = Conditions { meter: Meter::Car, site_power: Some(Power::kw(105.0)), ..Conditions::default() };
    assert!(told(&flat(by_car), 150.0).is_none());
}
