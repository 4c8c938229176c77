//! Trips for tests and an integrator that shares nothing with the planner but the trip's definition.

#![allow(
    dead_code,
    missing_docs,
    unreachable_pub,
    clippy::unwrap_used,
    clippy::float_cmp,
    clippy::missing_panics_doc,
    reason = "each test file uses its own part"
)]

use proptest::prelude::*;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::quantity::{Consumption, Current, Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::trip::{Boost, Goal, Price, Site, Trip, TripDraft, Vehicle};
use spare_hour_planner::{Infeasible, Plan, Planner};

pub fn curve(points: &[(f64, f64)]) -> Profile {
    Profile::new(points.to_vec()).unwrap()
}

pub fn car() -> Vehicle {
    Vehicle {
        usable: Energy::kwh(74.0),
        charge_curve: curve(&[(0.0, 95.0), (5.0, 160.0), (30.0, 175.0), (55.0, 120.0), (80.0, 70.0), (100.0, 4.0)]),
        charge_loss_percent: 9.0,
        pack_voltage: Some(curve(&[(0.0, 320.0), (100.0, 400.0)])),
        boost: None,
    }
}

pub fn boosted_car() -> Vehicle {
    let boost =
        Boost { time: Minutes::new(8.0), max_start: Soc::percent(50.0), charge_curve: Profile::constant(190.0) };
    Vehicle { boost: Some(boost), ..car() }
}

pub fn segment(km: f64, kmh: f64, use_: f64) -> Segment {
    Segment { length: Distance::km(km), speed: Speed::kmh(kmh), consumption: Consumption::kwh_per_100km(use_) }
}

pub fn site(id: usize, at: f64, max_kw: f64) -> Site {
    Site {
        id: format!("s{id}"),
        name: format!("Site {id}"),
        at: Distance::km(at),
        off_route: Distance::km(0.8),
        off_route_speed: Speed::kmh(50.0),
        max_power: Power::kw(max_kw),
        max_current: None,
        overhead: Minutes::new(4.0),
        price: Price { per_kwh: 0.5, per_min: 0.0, per_session: 0.0 },
        details: spare_hour_core::trip::site_details::SiteDetails::default(),
    }
}

pub fn goal() -> Goal {
    Goal {
        start: Soc::percent(90.0),
        floor: Soc::percent(10.0),
        arrival: Soc::percent(10.0),
        ceiling: Soc::percent(100.0),
        on_way: None,
        value_of_time_per_hour: None,
    }
}

pub fn trip(vehicle: Vehicle, km: f64, sites: Vec<Site>) -> TripDraft {
    TripDraft { name: "Test".into(), vehicle, route: Route::new(vec![segment(km, 110.0, 20.0)]), sites, goal: goal() }
}

/// A long road with a site every so many km, powers in turn.
pub fn long_trip(vehicle: Vehicle, km: f64, count: usize) -> TripDraft {
    let powers = [150.0, 50.0, 300.0, 100.0];
    let every = km / (count + 1) as f64;
    let sites = (0..count).map(|i| site(i, every * (i + 1) as f64, powers[i % 4])).collect();
    trip(vehicle, km, sites)
}

prop_compose! {
    fn any_curve()(mut points in prop::collection::vec((0u32..=100, 8.0f64..260.0), 2..9)) -> Profile {
        points.sort_by_key(|point| point.0);
        Profile::new(points.into_iter().map(|(soc, kw)| (f64::from(soc), kw)).collect()).unwrap()
    }
}

prop_compose! {
    fn any_site(km: f64)(
        at in 0.0f64..1.0, off in 0.0f64..4.0, kw in prop::sample::select(vec![22.0, 50.0, 100.0, 150.0, 300.0]),
        amps in prop::option::of(150.0f64..500.0), overhead in 0.0f64..9.0,
        per_kwh in 0.2f64..0.9, per_min in prop::sample::select(vec![0.0, 0.1]), per_session in 0.0f64..2.0,
    ) -> Site {
        Site {
            at: Distance::km(at * km), off_route: Distance::km(off), max_current: amps.map(Current::amps),
            overhead: Minutes::new(overhead), price: Price { per_kwh, per_min, per_session }, ..site(0, 0.0, kw)
        }
    }
}

prop_compose! {
    fn any_vehicle()(
        usable in 40.0f64..100.0, charge_curve in any_curve(), loss in 0.0f64..14.0, volts in prop::option::of(300.0f64..700.0),
        boost in prop::option::of((any_curve(), 2.0f64..15.0, 5.0f64..70.0)),
    ) -> Vehicle {
        Vehicle {
            usable: Energy::kwh(usable), charge_curve, charge_loss_percent: loss,
            pack_voltage: volts.map(|v| Profile::new(vec![(0.0, v), (100.0, v * 1.2)]).unwrap()),
            boost: boost.map(|(charge_curve, minutes, start)| Boost {
                time: Minutes::new(minutes), max_start: Soc::percent(start), charge_curve,
            }),
        }
    }
}

prop_compose! {
    /// Small trips of every kind, most of which can be driven.
    pub fn any_trip()(km in 150.0f64..900.0)(
        vehicle in any_vehicle(),
        segments in prop::collection::vec((60.0f64..130.0, 13.0f64..24.0), 1..4),
        sites in prop::collection::vec(any_site(km), 3..9),
        start in 40.0f64..100.0, floor in 3.0f64..20.0, arrival in 5.0f64..50.0, ceiling in 70.0f64..100.0,
        value in prop::option::of(5.0f64..60.0), km in Just(km),
    ) -> TripDraft {
        let length = km / segments.len() as f64;
        let sites = sites.into_iter().enumerate().map(|(i, site)| Site { id: format!("s{i}"), ..site }).collect();
        TripDraft {
            name: "Any".into(), vehicle, sites,
            route: Route::new(segments.into_iter().map(|(kmh, use_)| segment(length, kmh, use_)).collect()),
            goal: Goal {
                start: Soc::percent(start), floor: Soc::percent(floor), arrival: Soc::percent(arrival),
                ceiling: Soc::percent(ceiling), on_way: None,
        value_of_time_per_hour: value,
            },
        }
    }
}

prop_compose! {
    /// Trips over hills that take and give back, some of them from a start so full that the brakes get warm.
    pub fn any_hilly_trip()(
        trip in any_trip(), hills in prop::collection::vec((2.0f64..60.0, -25.0f64..60.0), 2..12),
        on_way in prop::option::of(0.0f64..15.0),
    ) -> TripDraft {
        let whole: f64 = hills.iter().map(|hill| hill.0).sum();
        let scale = trip.route.length().get() / whole;
        let segments = hills.into_iter().map(|(km, use_)| segment(km * scale, 80.0, use_)).collect();
        TripDraft { route: Route::new(segments), goal: Goal { on_way: on_way.map(Soc::percent), ..trip.goal }, ..trip }
    }
}

/// Minutes to charge, by steps of a twentieth of a second, from the contract's words alone.
pub fn integrate_charge(vehicle: &Vehicle, site: &Site, from: f64, to: f64) -> f64 {
    let share = 1.0 - vehicle.charge_loss_percent / 100.0;
    let boosted = vehicle.boost.as_ref().filter(|boost| from <= boost.max_start.get());
    let step = 1.0 / 1200.0;
    let (mut soc, mut minutes) = (from, 0.0);
    while soc < to && minutes < 1e5 {
        let curve = match boosted {
            Some(boost) if minutes < boost.time.get() => &boost.charge_curve,
            _ => &vehicle.charge_curve,
        };
        let mut kw = curve.at(soc).min(share * site.max_power.get());
        if let (Some(volts), Some(amps)) = (&vehicle.pack_voltage, site.max_current) {
            kw = kw.min(volts.at(soc) * amps.get() / 1000.0);
        }
        let gain = kw * step / 60.0 / vehicle.usable.get() * 100.0;
        if soc + gain > to {
            return minutes + step * (to - soc) / gain;
        }
        soc += gain;
        minutes += step;
    }
    minutes
}

/// Drives and charges a plan kilometre by kilometre and returns its minutes; panics where it breaks a limit.
pub fn integrate_plan(trip: &TripDraft, plan: &Plan) -> f64 {
    let (mut soc, mut minutes, mut km) = (trip.goal.start.get(), 0.0, 0.0);
    let mut drive = |from: f64, to: f64, soc: &mut f64| {
        let mut at = 0.0_f64;
        for segment in trip.route.segments() {
            let (low, high) = (at.max(from), (at + segment.length.get()).min(to));
            if high > low {
                minutes += 60.0 * (high - low) / segment.speed.get();
                *soc -= (high - low) * segment.consumption.get() / trip.vehicle.usable.get();
                // A battery that is full takes no more.
                *soc = soc.min(100.0);
                assert!(*soc > trip.goal.least_on_way().get() - 1e-5, "SoC {soc} on the road");
            }
            at += segment.length.get();
        }
    };
    let mut extra = 0.0;
    for stop in &plan.stops {
        let site = &trip.sites[stop.site.get()];
        drive(km, site.at.get(), &mut soc);
        km = site.at.get();
        let lies_in = trip.route.segment_at(site.at).unwrap();
        let off = site.off_route.get() * lies_in.consumption.get() / trip.vehicle.usable.get();
        soc = (soc - off).min(100.0);
        assert!((soc - stop.arrive.get()).abs() < 0.05, "arrives with {soc}, said {}", stop.arrive);
        assert!(soc >= trip.goal.floor.get() - 1e-6, "below the floor: {soc}");
        assert!(stop.depart.get() <= trip.goal.ceiling.get() + 1e-9 && stop.depart.get() >= soc - 1e-6);
        extra += integrate_charge(&trip.vehicle, site, soc, stop.depart.get()) + site.overhead.get();
        extra += 120.0 * site.off_route.get() / site.off_route_speed.get();
        soc = (stop.depart.get() - off).min(100.0);
    }
    drive(km, trip.route.length().get(), &mut soc);
    assert!(soc >= trip.goal.arrival.get() - 1e-6, "arrives with {soc}");
    assert!((soc - plan.arrival.get()).abs() < 0.05);
    minutes + extra
}

/// The solved trip of a draft that can be planned.
pub fn solve(draft: &TripDraft) -> Result<Planner, Box<Infeasible>> {
    Planner::new(Trip::new(draft.clone()).unwrap())
}
