//! Comparing sessions and combining them: against closed forms of charges at constant power, by hand.

#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use proptest::prelude::*;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::curve_family::{Member, StartKind, Warmth, curve_family, other_capacity};
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Distance, Energy, Minutes, Power, Soc, Temperature};
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::compare::{Comparison, Run, compare};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::across::{Agreed, agreed};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::{Conditions, Meter, Reading, Session};

/// A charge at a constant power into a battery, a reading at every point, by the car's meter.
fn steady(kw: f64, usable: f64, from: u32, to: u32, conditions: Conditions) -> Session {
    let reading = |soc: u32| Reading {
        elapsed: Minutes::new(0.6 * usable / kw * f64::from(soc - from)),
        soc: Some(Soc::percent(f64::from(soc))),
        power: Some(Power::kw(kw)),
        ..Reading::default()
    };
    let conditions = Conditions { meter: Meter::Car, ..conditions };
    Session { readings: (from..=to).map(reading).collect(), conditions }
}

fn report(session: &Session, usable: f64, range: f64) -> Report {
    let basis = Basis {
        usable: Energy::kwh(usable),
        range: Some(Distance::km(range)),
        base: DistanceBase::Rated,
        loss_percent: Some(8.0),
    };
    Report::new(session, basis, None).unwrap()
}

fn run<'a>(name: &'a str, car: i32, session: &'a Session, report: &'a Report) -> Run<'a> {
    Run { name, car: Some(car), boosted: false, session, report }
}

fn codes(comparison: &Comparison) -> Vec<&'static str> {
    comparison.cautions.iter().map(spare_hour_core::session::compare::Caution::code).collect()
}

fn warm(celsius: f64) -> Conditions {
    Conditions { battery: Some(Temperature::celsius(celsius)), ..Conditions::default() }
}

#[test]
fn equal_percent_is_not_equal_energy() {
    // By hand: 60 points of 90 kWh at 90 kW take 36 min; of 60 kWh at 90 kW 24 min. Per minute both store 1.5 kWh.
    let (large, small) = (steady(90.0, 90.0, 10, 80, warm(30.0)), steady(90.0, 60.0, 20, 85, warm(30.0)));
    let (a, b) = (report(&large, 90.0, 450.0), report(&small, 60.0, 360.0));
    let comparison = compare(&[run("Large", 1, &large, &a), run("Small", 2, &small, &b)], None, 0);
    assert_eq!(comparison.common, Some((Soc::percent(20.0), Soc::percent(80.0))));
    let minutes: Vec<f64> = comparison.rows.iter().map(|row| row.window.as_ref().unwrap().minutes.get()).collect();
    assert!((minutes[0] - 36.0).abs() < 1e-9 && (minutes[1] - 24.0).abs() < 1e-9, "{minutes:?}");
    let difference = comparison.rows[1].difference.unwrap();
    assert!((difference.minutes.get() + 12.0).abs() < 1e-9 && (difference.percent + 100.0 / 3.0).abs() < 1e-6);
    assert!(difference.kwh_per_minute.abs() < 1e-9 && !difference.tie);
    // 36 kWh are what both add; each takes 24 min for them. 216 km: at 7.5 km/min 28.8 min, at 9 km/min 24 min.
    let row = &comparison.rows[0];
    assert!((row.to_energy.unwrap().get() - 24.0).abs() < 1e-6);
    assert!((row.to_distance.unwrap().get() - 28.8).abs() < 1e-6);
    assert!((comparison.rows[1].to_distance.unwrap().get() - 24.0).abs() < 1e-6);
    assert!((difference.km_per_minute.unwrap() - 1.5).abs() < 1e-9);
    assert_eq!(codes(&comparison), ["packs-differ", "starts-differ"]);
}

#[test]
fn within_the_error_it_is_a_tie_and_runs_of_a_car_widen_it() {
    let sessions = [100.0, 100.1, 104.0].map(|kw| steady(kw, 60.0, 10, 80, warm(30.0)));
    let reports = [0, 1, 2].map(|index| report(&sessions[index], 60.0, 360.0));
    let runs = |cars: [i32; 3]| -> Vec<Run> {
        (0..3).map(|index| run("r", cars[index], &sessions[index], &reports[index])).collect()
    };
    let ties = |cars| -> Vec<bool> {
        compare(&runs(cars), None, 0).rows.iter().filter_map(|row| row.difference.map(|each| each.tie)).collect()
    };
    // Read at ticks, each window may be off by some 1.7 s; 0.1 % of 25 min are 1.5 s, 4 % a minute.
    assert_eq!(ties([1, 2, 3]), [true, false]);
    // When the three are runs of one car, their own spread says that a minute is no difference.
    assert_eq!(ties([1, 1, 1]), [true, true]);
    let comparison = compare(&runs([1, 1, 3]), None, 0);
    assert_eq!(comparison.repeatability.len(), 1);
    assert_eq!(comparison.repeatability[0].runs, [0, 1]);
    assert!((comparison.repeatability[0].spread.get() - 25.2 * (1.0 - 1.0 / 1.001)).abs() < 1e-6);
}

#[test]
fn parts_say_where_the_time_was_won() {
    let before = steady(100.0, 60.0, 10, 80, warm(30.0));
    let mut after = before.clone();
    // After an update the part from 40 to 60 % takes half the time.
    for reading in &mut after.readings {
        let soc = reading.soc.unwrap_or_default().get();
        let won = 0.18 * (soc.min(60.0) - 40.0).max(0.0);
        reading.elapsed = Minutes::new(reading.elapsed.get() - won);
    }
    let (a, b) = (report(&before, 60.0, 360.0), report(&after, 60.0, 360.0));
    let window = Some((Soc::percent(15.0), Soc::percent(75.0)));
    let comparison = compare(&[run("before", 1, &before, &a), run("after", 1, &after, &b)], window, 0);
    let won: Vec<f64> = comparison
        .parts
        .iter()
        .map(|part| (part.minutes[0] - part.minutes[1]).get())
        .map(|m| (m * 1e6).round() / 1e6)
        .collect();
    assert_eq!(won, [0.0, 0.0, 0.0, 1.8, 1.8, 0.0, 0.0]);
    assert_eq!(comparison.parts[0].from, Soc::percent(15.0));
}

#[test]
fn what_misleads_is_named() {
    let limited = steady(50.0, 60.0, 10, 60, Conditions { site_power: Some(Power::kw(54.3)), ..warm(30.0) });
    let cold = steady(40.0, 60.0, 12, 60, warm(2.0));
    let ac = steady(7.0, 60.0, 11, 60, Conditions { phases: Some(1), ..warm(20.0) });
    let reports = [report(&limited, 60.0, 360.0), report(&cold, 60.0, 360.0), report(&ac, 60.0, 360.0)];
    let runs = [
        run("limited", 1, &limited, &reports[0]),
        Run { boosted: true, ..run("cold", 2, &cold, &reports[1]) },
        run("ac", 3, &ac, &reports[2]),
    ];
    assert_eq!(codes(&compare(&runs, None, 0)), ["charger-limited", "warmth-differs", "ac-and-dc"]);
    let noted = |car_on, software: &str| Conditions {
        car_on: Some(car_on),
        software: Some(software.into()),
        preconditioned: Some("yes".into()),
        ..warm(30.0)
    };
    let (one, other) =
        (steady(60.0, 60.0, 10, 60, noted(true, "4.1")), steady(60.0, 60.0, 10, 60, noted(false, "4.2")));
    let (of_one, of_other) = (report(&one, 60.0, 360.0), report(&other, 60.0, 360.0));
    let both = [run("one", 1, &one, &of_one), run("other", 1, &other, &of_other)];
    assert_eq!(codes(&compare(&both, None, 0)), ["software-differs", "car-on-differs"]);
    let high = steady(60.0, 60.0, 40, 70, warm(2.0));
    let of_high = report(&high, 60.0, 360.0);
    let with_high = [runs[1], run("high", 2, &high, &of_high)];
    assert_eq!(codes(&compare(&with_high, None, 0)), ["starts-differ-with-boost"]);
    let apart = steady(60.0, 60.0, 70, 90, warm(2.0));
    let of_apart = report(&apart, 60.0, 360.0);
    let none = compare(&[runs[1], run("apart", 2, &apart, &of_apart)], None, 0);
    assert_eq!((none.common, none.rows[1].difference), (None, None));
    assert!(compare(&[], None, 0).rows.is_empty());
}

#[test]
fn a_family_averages_minutes_and_leaves_limits_out() {
    let free = steady(100.0, 60.0, 10, 60, warm(30.0));
    let other = steady(150.0, 60.0, 30, 80, warm(32.0));
    let limited = steady(50.0, 60.0, 10, 90, Conditions { site_power: Some(Power::kw(54.3)), ..warm(28.0) });
    let cold = steady(30.0, 60.0, 10, 50, warm(4.0));
    let high = steady(80.0, 60.0, 60, 90, warm(30.0));
    let all = [&free, &other, &limited, &cold, &high];
    let reports: Vec<Report> = all.iter().map(|session| report(session, 60.0, 360.0)).collect();
    let names = ["free", "other", "limited", "cold", "high"];
    let members: Vec<Member> =
        (0..5).map(|index| Member { name: names[index], session: all[index], report: &reports[index] }).collect();
    let family = curve_family(&members, Energy::kwh(60.0));
    let kinds: Vec<StartKind> = family.iter().map(|curve| curve.kind.clone()).collect();
    let kind = |warmth, high| StartKind { warmth, high, software: None };
    assert_eq!(kinds, [kind(Warmth::Warm, false), kind(Warmth::Warm, true), kind(Warmth::Cold, false)]);
    let warm = &family[0];
    // One session alone below 30 %; above 60 % the other alone, and above 80 % only the limited one, a lower bound.
    assert!((warm.power.at(20.0) - 100.0).abs() < 0.5 && (warm.power.at(70.0) - 150.0).abs() < 0.5);
    assert!((warm.power.at(85.0) - 50.0).abs() < 0.5);
    assert_eq!(warm.lower_bound, [(Soc::percent(80.5), Soc::percent(90.0))]);
    // Between, only one session covers what goes on from below 30 %: the other must not make that faster than it was.
    let middle = warm.power.at(45.0);
    assert!((middle - 100.0).abs() < 1.0, "{middle}");
    let shares: f64 = warm.members.iter().map(|member| member.1).sum();
    assert!((shares - 1.0).abs() < 1e-9 && warm.members[2].1 < 0.2, "{:?}", warm.members);
    assert_eq!(warm.measured, (Soc::percent(10.0), Soc::percent(90.0)));
    assert!(curve_family(&[], Energy::kwh(60.0)).is_empty());
}

#[test]
fn minutes_are_averaged_where_both_cover_everything() {
    let sessions = [100.0, 150.0].map(|kw| steady(kw, 60.0, 10, 80, warm(30.0)));
    let reports = [0, 1].map(|index| report(&sessions[index], 60.0, 360.0));
    let members = [0, 1].map(|index| Member {
        name: ["slow", "fast"][index],
        session: &sessions[index],
        report: &reports[index],
    });
    // By hand, the slower counts more than in a mean of powers (125): 2/(1/100 + 1/150) = 120.
    let middle = curve_family(&members, Energy::kwh(60.0))[0].power.at(45.0);
    assert!((middle - 120.0).abs() < 2.0, "{middle}");
    let other = Conditions { usable: Some(Energy::kwh(75.0)), software: Some("4.1".into()), ..warm(30.0) };
    let larger = steady(200.0, 75.0, 10, 80, other.clone());
    let of_larger = report(&larger, 75.0, 360.0);
    let with_larger = [members[0], Member { name: "larger", session: &larger, report: &of_larger }];
    assert_eq!(curve_family(&with_larger, Energy::kwh(60.0)).len(), 1);
    assert_eq!(other_capacity(&larger, Energy::kwh(60.0)), Some(Energy::kwh(75.0)));
    let updated = steady(120.0, 60.0, 10, 80, Conditions { usable: None, ..other });
    let of_updated = report(&updated, 60.0, 360.0);
    let with_updated = [members[0], Member { name: "updated", session: &updated, report: &of_updated }];
    let names: Vec<String> =
        curve_family(&with_updated, Energy::kwh(60.0)).iter().map(|curve| curve.kind.name()).collect();
    assert_eq!(names, ["warm, from a low start", "warm, from a low start, software 4.1"]);
    let unnoted = steady(100.0, 60.0, 10, 80, Conditions::default());
    assert_eq!(StartKind::of(&unnoted, Soc::percent(10.0)).warmth, Warmth::Unknown);
}

/// A charge whose power steps at a SoC, or at a minute, read every 10 s.
fn stepping(start: f64, at_soc: f64, at_minute: f64) -> Session {
    let (mut soc, mut readings) = (start, Vec::new());
    for second in 0..3000_u32 {
        let minute = f64::from(second) / 60.0;
        let kw =
            (150.0 - 0.6 * soc) * if soc >= at_soc { 0.85 } else { 1.0 } * if minute >= at_minute { 0.8 } else { 1.0 };
        if second % 10 == 0 {
            readings.push(Reading {
                elapsed: Minutes::new(minute),
                soc: Some(Soc::percent(soc.floor())),
                power: Some(Power::kw(kw.round())),
                ..Reading::default()
            });
        }
        soc += kw / 36.0 / 70.0;
        if soc > 85.0 {
            break;
        }
    }
    Session { readings, conditions: warm(30.0) }
}

#[test]
fn several_charges_tell_a_boost_from_a_step() {
    let told = |sessions: &[Session]| {
        let reports: Vec<Report> = sessions.iter().map(|session| report(session, 70.0, 400.0)).collect();
        let members: Vec<Member> = (0..sessions.len())
            .map(|index| Member { name: ["a", "b", "c"][index], session: &sessions[index], report: &reports[index] })
            .collect();
        agreed(&members)
    };
    let never = f64::INFINITY;
    let boost = told(&[stepping(10.0, never, 10.0), stepping(25.0, never, 10.0)]);
    let [Agreed::Boost { lasts, highest_start, charges, .. }] = &boost[..] else { panic!("{boost:?}") };
    assert!((lasts.get() - 10.0).abs() < 0.4 && highest_start.get() == 25.0 && charges.len() == 2);
    let step = told(&[stepping(10.0, 45.0, never), stepping(25.0, 45.0, never)]);
    let [Agreed::CurveStep { soc, .. }] = &step[..] else { panic!("{step:?}") };
    assert!((soc.get() - 45.0).abs() < 1.0, "{soc:?}");
    assert!(told(&[stepping(10.0, 45.0, never)]).is_empty());
    assert!(told(&[stepping(10.0, never, 10.0), stepping(25.0, never, never)]).is_empty());
}

/// Charges at random powers by SoC, over random ranges.
fn any_charge() -> impl Strategy<Value = Session> {
    (prop::collection::vec(30.0f64..200.0, 10), 5u32..40, 50u32..95).prop_map(|(powers, from, to)| {
        let mut minute = 0.0;
        let readings = (from..=to).map(|soc| {
            let kw = powers[(soc / 10) as usize];
            let reading = Reading {
                elapsed: Minutes::new(minute),
                soc: Some(Soc::percent(f64::from(soc))),
                power: Some(Power::kw(kw)),
                ..Reading::default()
            };
            minute += 0.6 * 60.0 / kw;
            reading
        });
        Session { readings: readings.collect(), conditions: Conditions { meter: Meter::Car, ..warm(30.0) } }
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn a_combined_curve_is_no_faster_than_the_fastest_charge_that_covers(
        sessions in prop::collection::vec(any_charge(), 1..5),
    ) {
        let usable = Energy::kwh(60.0);
        let reports: Vec<Report> = sessions.iter().map(|session| report(session, 60.0, 360.0)).collect();
        let members: Vec<Member> = sessions.iter().zip(&reports).map(|(session, report)| Member { name: "m", session, report }).collect();
        let time = |power: &Profile, from: u32, to: u32| {
            ChargingTime::new(power, usable).minutes(Soc::percent(f64::from(from)), Soc::percent(f64::from(to))).get()
        };
        let limits = ["charger-limited", "derated-stall"];
        prop_assume!(reports.iter().all(|report| report.findings.iter().all(|finding| !limits.contains(&finding.code()))));
        for curve in curve_family(&members, usable) {
            for (from, to) in [(10, 20), (20, 40), (35, 45), (10, 80), (40, 70), (60, 90), (30, 31)] {
                let covers = |report: &&Report| {
                    let measured = report.curve.measured;
                    measured.0.get() <= f64::from(from) && measured.1.get() >= f64::from(to)
                };
                let fastest = reports.iter().filter(covers).map(|report| time(&report.curve.power, from, to)).reduce(f64::min);
                if let Some(fastest) = fastest {
                    let combined = time(&curve.power, from, to);
                    prop_assert!(combined >= fastest * 0.995, "{from}–{to}: {combined} against {fastest}");
                }
            }
        }
    }
}
