//! Sessions against closed forms, and what must hold of any session's analysis.

#![allow(missing_docs, clippy::unwrap_used)]

use proptest::prelude::*;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::curve_fit::FittedCurve;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Distance, Energy, Minutes, Power, Soc};
use spare_hour_core::session::analysis::{Analysis, Basis};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::findings;
use spare_hour_core::session::{Reading, Session};

fn basis() -> Basis {
    Basis { usable: Energy::kwh(70.0), range: Some(Distance::km(420.0)), base: DistanceBase::Rated, loss_percent: None }
}

/// What a battery shows that takes P0(1 − s/c) kW: a reading every 10 points, exact.
fn taper(peak: f64, c: f64) -> Session {
    let time = |soc: f64| 60.0 * 70.0 / peak * c / 100.0 * ((c - 10.0) / (c - soc)).ln();
    let reading = |tens: u32| {
        let soc = f64::from(10 * tens);
        Reading {
            elapsed: Minutes::new(time(soc)),
            soc: Some(Soc::percent(soc)),
            power: Some(Power::kw(peak * (1.0 - soc / c))),
            ..Reading::default()
        }
    };
    Session { readings: (1..=9).map(reading).collect(), ..Session::default() }
}

#[test]
fn a_linear_taper_is_read_back_between_its_readings() {
    // Calculus: τ = 60·(E/P0)·(c/100)·ln((c − a)/(c − d)), also for ends that nobody read.
    let (peak, c): (f64, f64) = (190.0, 108.0);
    let analysis = Analysis::new(&taper(peak, c), basis()).unwrap();
    let fitted = FittedCurve::new(&taper(peak, c), Energy::kwh(70.0)).unwrap();
    let time = ChargingTime::new(&fitted.power, Energy::kwh(70.0));
    for (a, d) in [(10.0, 80.0), (15.0, 80.0), (23.0, 47.0), (61.5_f64, 88.0)] {
        let closed = 60.0 * 70.0 / peak * c / 100.0 * ((c - a) / (c - d)).ln();
        let window = analysis.window(Soc::percent(a), Soc::percent(d)).unwrap();
        assert!((window.minutes.get() - closed).abs() < 1e-6, "{a}–{d}: {} for {closed}", window.minutes);
        let by_curve = time.minutes(Soc::percent(a), Soc::percent(d)).get();
        assert!((by_curve - closed).abs() < 1e-6, "{a}–{d}: {by_curve} for {closed}");
    }
    assert!(fitted.worst_residual.get() < 1e-9);
    let half = &analysis.thresholds.iter().find(|threshold| threshold.level == Power::kw(100.0)).unwrap();
    assert!((half.below_from.get() - c * (1.0 - 100.0 / peak)).abs() < 1e-9);
}

#[test]
fn a_reading_before_current_flows_well_does_not_spoil_the_curve() {
    let mut session = taper(190.0, 108.0);
    session.readings[0].power = Some(Power::kw(0.0));
    let fitted = FittedCurve::new(&session, Energy::kwh(70.0)).unwrap();
    let flat = Profile::constant(1.0);
    assert_ne!(fitted.power, flat);
    assert!(fitted.power.points().iter().all(|&(_, kw)| kw > 10.0 || kw <= 3.5), "{:?}", fitted.power);
}

prop_compose! {
    fn any_session()(
        steps in prop::collection::vec((0.05f64..6.0, 0u8..9, prop::option::weighted(0.8, 0.0f64..260.0), prop::option::weighted(0.7, 0.0f64..3.0)), 2..60),
        backwards in prop::option::of((any::<prop::sample::Index>(), -20.0f64..0.0)),
    ) -> Session {
        let (mut minute, mut soc, mut kwh) = (0.0, 4.0, 0.0);
        let mut readings: Vec<Reading> = steps.into_iter().map(|(dt, ds, kw, dkwh)| {
            minute += dt;
            soc = (soc + f64::from(ds)).min(100.0);
            kwh += dkwh.unwrap_or(0.0);
            Reading {
                elapsed: Minutes::new(minute), soc: Some(Soc::percent(soc)), power: kw.map(Power::kw),
                energy: dkwh.map(|_| Energy::kwh(kwh)), ..Reading::default()
            }
        }).collect();
        if let Some((index, shift)) = backwards {
            let reading = index.get_mut(&mut readings);
            reading.elapsed = Minutes::new((reading.elapsed.get() + shift).max(0.0));
        }
        Session { readings, ..Session::default() }
    }
}

proptest! {
    #[test]
    fn parts_add_up_to_the_whole(session in any_session(), share in 0.05f64..0.95) {
        let Ok(analysis) = Analysis::new(&session, basis()) else { return Ok(()) };
        let (start, end) = (analysis.timeline.start_soc(), analysis.timeline.end_soc());
        let middle = start + (end - start) * share;
        let (Some(whole), Some(first), Some(second)) =
            (analysis.window(start, end), analysis.window(start, middle), analysis.window(middle, end)) else {
            return Err(TestCaseError::fail("a window inside the session is missing"));
        };
        prop_assert!((whole.minutes.get() - first.minutes.get() - second.minutes.get()).abs() < 1e-9);
        prop_assert!(whole.minutes.get() <= analysis.minutes.get() + 1e-9 && first.minutes.get() > 0.0);
        if let (Some(whole), Some(first), Some(second)) = (whole.plug, first.plug, second.plug) {
            prop_assert!((whole.get() - first.get() - second.get()).abs() < 1e-6);
            prop_assert!(first.get() >= -1e-9);
        }
        let points: f64 = analysis.slices.iter().map(|slice| (slice.to_soc - slice.from_soc).get()).sum();
        prop_assert!((points - (end - start).get()).abs() < 1e-6);
        prop_assert!(analysis.slices.windows(2).all(|pair| pair[0].to == pair[1].from));
        prop_assert!(analysis.ladder.windows(2).all(|pair| pair[0].1 < pair[1].1));
        prop_assert!(findings(&session, &analysis, None).iter().all(|finding| !finding.code().is_empty()));
    }

    #[test]
    fn any_curve_can_be_planned_with(session in any_session()) {
        if let Ok(fitted) = FittedCurve::new(&session, Energy::kwh(70.0)) {
            prop_assert!(fitted.power.points().iter().all(|&(_, kw)| kw > 0.0 && kw.is_finite()), "{:?}", fitted.power);
            prop_assert!(fitted.power.points().len() <= spare_hour_core::trip::MOST_CURVE_POINTS);
        }
    }
}
