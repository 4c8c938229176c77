//! "Leave now, or wait?" against charges whose truth is known: invented cars, roads, stalls and mishaps, varied by seed. What happens at
//! the stall is integrated here, second by second.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

use fastrand::Rng;
use jiff::civil::{date, time};
use jiff::tz::TimeZone;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::session::{Reading, Session};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::under_way::Now;
use spare_hour_core::trip::wishes::{Pause, Wishes};
use spare_hour_core::trip::{Goal, Price, Site, Trip, TripDraft, Vehicle};
use spare_hour_planner::StopSign;
use spare_hour_planning::advise::advise;
use spare_hour_planning::plan_trip::TripToPlan;
use spare_hour_planning::price_stop::Prices;

/// Chance, by seed.
struct Seeded(Rng);

impl Seeded {
    fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.0.f64()
    }

    fn one_of<T: Copy>(&mut self, these: &[T]) -> T {
        these[self.0.usize(..these.len())]
    }
}

/// What happens at the stall.
#[derive(Clone, Copy, Debug)]
enum Mishap {
    None,
    /// The battery takes so much of what it usually does.
    Slow(f64),
    /// The stall gives no more than so many kW to the battery.
    Derated(f64),
}

fn site(seeded: &mut Seeded, index: usize, km: f64) -> Site {
    Site {
        id: format!("s{index}"),
        name: format!("Site {index}"),
        at: Distance::km(km),
        off_route: Distance::km(seeded.one_of(&[0.0, 0.4, 1.5])),
        off_route_speed: Speed::kmh(50.0),
        max_power: Power::kw(seeded.one_of(&[75.0, 150.0, 300.0])),
        max_current: None,
        overhead: Minutes::new(seeded.one_of(&[3.0, 5.0, 8.0])),
        price: Price::default(),
        details: SiteDetails::default(),
    }
}

fn trip(seeded: &mut Seeded) -> TripToPlan {
    let peak = seeded.between(90.0, 220.0);
    let knee = seeded.between(30.0, 55.0);
    let curve = vec![(0.0, 0.7 * peak), (8.0, peak), (knee, 0.9 * peak), (80.0, 0.35 * peak), (100.0, 8.0)];
    let mut sites = Vec::new();
    let mut km = seeded.between(120.0, 180.0);
    while km < 700.0 {
        sites.push(site(seeded, sites.len(), km));
        km += seeded.between(35.0, 90.0);
    }
    let segment = |km: f64, use_: f64| Segment {
        length: Distance::km(km),
        speed: Speed::kmh(110.0),
        consumption: Consumption::kwh_per_100km(use_),
    };
    let trip = Trip::new(TripDraft {
        name: "Invented".into(),
        vehicle: Vehicle {
            usable: Energy::kwh(seeded.one_of(&[52.0, 66.0, 80.0])),
            charge_curve: Profile::new(curve).unwrap(),
            charge_loss_percent: 8.0,
            pack_voltage: None,
            boost: None,
        },
        route: Route::new(vec![segment(300.0, 19.0), segment(450.0, seeded.between(17.0, 23.0))]),
        sites,
        goal: Goal { start: Soc::percent(95.0), ..Goal::USUAL },
    });
    let departure = date(2026, 12, 18).at(7, 30, 0, 0).to_zoned_datetime(TimeZone::UTC).unwrap();
    TripToPlan { trip: trip.unwrap(), prices: Prices::default(), departure, wishes: Wishes::default() }
}

/// The power into the battery that there really is.
fn truth(vehicle: &Vehicle, site: &Site, mishap: Mishap) -> Profile {
    let stall = Profile::constant(0.92 * site.max_power.get());
    match mishap {
        Mishap::None => vehicle.charge_curve.min(&stall),
        Mishap::Slow(factor) => vehicle.charge_curve.scaled(factor).min(&stall),
        Mishap::Derated(kw) => vehicle.charge_curve.min(&stall).min(&Profile::constant(kw)),
    }
}

/// The minutes that following the advice takes more than leaving when perfect knowledge would, and whether the floor held.
fn cost(seed: u64) -> Option<(f64, bool)> {
    let mut seeded = Seeded(Rng::with_seed(seed));
    let whole = trip(&mut seeded);
    let stop = StopSign::default();
    let plan = whole.clone().best_plan(&stop).ok()?;
    let first = plan.plan.stops.first()?;
    let site = plan.trip.site(first.site).clone();
    let mishap = match seeded.0.u32(..3) {
        0 => Mishap::None,
        1 => Mishap::Slow(seeded.between(0.5, 0.95)),
        _ => Mishap::Derated(seeded.between(35.0, 110.0)),
    };
    let power = truth(&whole.trip.vehicle, &site, mishap);
    let now = |soc: f64| Now {
        at: whole.departure.clone(),
        at_km: site.at,
        at_site: Some(site.id.clone()),
        soc: Soc::percent(soc),
        driven: Minutes::new(0.0),
        taken: Vec::new(),
        avoid: Vec::new(),
    };
    let knowing = TripToPlan { trip: whole.trip.clone().with_charge(&site.id, power.clone()), ..whole.clone() };
    let best = knowing.rest(&now(first.arrive.get())).unwrap().best_plan(&stop).ok()?.plan.total.get();
    // The charge, second by second, as the display shows it.
    let (shows_power, every) = (seeded.between(0.0, 1.0) < 0.8, seeded.one_of(&[20, 30, 60]));
    let shown = seeded.one_of(&[f64::floor as fn(f64) -> f64, f64::round, |soc| (10.0 * soc).round() / 10.0]);
    let (mut soc, mut second) = (first.arrive.get(), 0);
    let mut readings: Vec<Reading> = Vec::new();
    let mut look = 60;
    loop {
        if second % every == 0 {
            let kw = (power.at(soc) / 0.92).round();
            readings.push(Reading {
                elapsed: Minutes::new(f64::from(second) / 60.0),
                soc: Some(Soc::percent(shown(soc))),
                power: shows_power.then(|| Power::kw(if second < 30 { 0.3 * kw } else { kw })),
                ..Reading::default()
            });
        }
        if second >= look && second % every == 0 {
            let session = Session { readings: readings.clone(), ..Session::default() };
            let told = advise(whole.clone(), &now(soc), &session, &stop).unwrap();
            if !told.stay {
                break;
            }
            // Who is told to leave in less than half a minute does so then.
            if told.leave_in.get() < 0.5 {
                for _ in 0..(60.0 * told.leave_in.get()).ceil() as u32 {
                    soc += power.at(soc) / 36.0 / whole.trip.vehicle.usable.get();
                    second += 1;
                }
                break;
            }
            look = second + (30.0 * told.leave_in.get()) as i32;
        }
        soc += power.at(soc) / 36.0 / whole.trip.vehicle.usable.get();
        second += 1;
        assert!(second < 6 * 3600, "the advice never lets one leave: seed {seed}");
    }
    let left = whole.clone().rest(&now(soc)).unwrap().without(&site.id).best_plan(&stop);
    let keeps = left.is_ok();
    let total = left.map_or(f64::INFINITY, |left| left.plan.total.get());
    Some((f64::from(second) / 60.0 + total - best, keeps))
}

#[test]
fn following_the_advice_costs_next_to_nothing_and_keeps_the_floor() {
    let costs: Vec<(u64, (f64, bool))> = (1..).filter_map(|seed| Some((seed, cost(seed)?))).take(200).collect();
    let broken: Vec<u64> = costs.iter().filter(|one| !one.1.1).map(|one| one.0).collect();
    assert!(broken.is_empty(), "the floor was broken: {broken:?}");
    let mean = costs.iter().map(|one| one.1.0).sum::<f64>() / 200.0;
    let mut worst = costs.clone();
    worst.sort_by(|a, b| b.1.0.total_cmp(&a.1.0));
    assert!(mean <= 0.3, "{mean:.3} min on average, worst {:?}", &worst[..6]);
    assert!(costs.iter().all(|one| one.1.0 > -0.02), "nobody leaves better than who knows: {:?}", worst.last());
}

#[test]
fn the_rest_of_the_best_plan_is_the_best_plan_of_the_rest() {
    // The principle of optimality (Bellman 1957, from memory): from any stop of a best plan the best way on is the one it takes.
    let lunch = || Pause {
        name: "lunch".into(),
        length: Minutes::new(45.0),
        from: time(11, 30, 0, 0),
        to: time(14, 0, 0, 0),
        needs: None,
        anywhere: false,
        taken: false,
    };
    let stop = StopSign::default();
    let (mut checked, mut by_clock) = (0, 0);
    for seed in 1..60 {
        let mut whole = trip(&mut Seeded(Rng::with_seed(seed)));
        if seed % 3 == 0 {
            whole.wishes.pauses.push(lunch());
            by_clock += 1;
        }
        let Ok(plan) = whole.clone().best_plan(&stop) else { continue };
        let mut taken = Vec::new();
        for one in &plan.plan.stops {
            let begins = (one.reached + one.overhead).get();
            let now = Now {
                at: whole.departure.checked_add(jiff::SignedDuration::from_secs_f64(60.0 * begins)).unwrap(),
                at_km: plan.trip.site(one.site).at,
                at_site: Some(plan.trip.site(one.site).id.clone()),
                soc: one.arrive,
                driven: Minutes::new(0.0),
                taken: taken.clone(),
                avoid: Vec::new(),
            };
            // A pause under way was begun before the plug went in.
            if one.pause.is_none() {
                let rest = whole.clone().rest(&now).unwrap().best_plan(&stop).unwrap();
                let off = rest.plan.total.get() + begins - plan.plan.total.get();
                assert!(off.abs() < 0.1, "seed {seed}: {off:.3} min");
                let first = &rest.plan.stops[0];
                assert_eq!(rest.trip.site(first.site).id, plan.trip.site(one.site).id);
                assert!((first.arrive.get() - one.arrive.get()).abs() < 1e-6 && first.overhead.get() == 0.0);
                checked += 1;
            }
            taken.extend(one.pause.map(|_| "lunch".to_string()));
        }
    }
    assert!(checked > 60 && by_clock > 10, "{checked}");
}

#[test]
fn whoever_stands_at_a_stall_below_the_floor_charges_on() {
    let mut kept = 0;
    for seed in 1..40 {
        let whole = trip(&mut Seeded(Rng::with_seed(seed)));
        let stop = StopSign::default();
        let Ok(plan) = whole.clone().best_plan(&stop) else { continue };
        let Some(first) = plan.plan.stops.first() else { continue };
        let here = plan.trip.site(first.site).clone();
        let now = Now {
            at: whole.departure.clone(),
            at_km: here.at,
            at_site: Some(here.id.clone()),
            soc: Soc::percent(4.0),
            driven: Minutes::new(0.0),
            taken: Vec::new(),
            avoid: vec![plan.plan.stops.get(1).map_or("none".into(), |next| plan.trip.site(next.site).id.clone())],
        };
        let Ok(rest) = whole.rest(&now).unwrap().best_plan(&stop) else { continue };
        let begun = &rest.plan.stops[0];
        assert_eq!((rest.trip.site(begun.site).id.as_str(), begun.arrive), (here.id.as_str(), Soc::percent(4.0)));
        assert!(rest.plan.stops[1..].iter().all(|stop| stop.arrive.get() >= 10.0 - 1e-6));
        assert!(rest.plan.stops.iter().all(|stop| !now.avoid.contains(&rest.trip.site(stop.site).id)));
        kept += 1;
    }
    assert!(kept > 25, "{kept}");
}
