//! Practice: a charge at a stall with a hidden future. The person decides when to leave, then sees what it cost against the best.
//!
//! Everything follows from the car and a seed: the road, where one stands, what is wrong with the stall. What is shown is what a display
//! would show: whole percents and kilowatts.

use fastrand::Rng;
use jiff::ZonedDateTime;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Consumption, Distance, Minutes, Power, Soc};
use spare_hour_core::refused::Refused;
use spare_hour_core::session::{Reading, Session};
use spare_hour_core::trip::Vehicle;
use spare_hour_core::trip::under_way::Now;
use spare_hour_planner::{Advice, StopSign};

use crate::advise::{RoadAhead, advise, with_power, without_a_trip};
use crate::plan_trip::TripToPlan;
use crate::shown_plan::ShownPlan;

/// The display is read so often, minutes.
const EVERY: f64 = 0.5;
/// Nobody stays longer, minutes.
pub const LONGEST: f64 = 120.0;

/// What is wrong, which one does not see.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Hidden {
    /// Nothing.
    Nothing,
    /// The battery takes so much of the usual.
    Battery(f64),
    /// The stall gives no more than so many kW to the battery.
    Stall(f64),
}

/// A round of practice.
#[derive(Clone, Debug)]
pub struct Round {
    to_plan: TripToPlan,
    now: Now,
    hidden: Hidden,
    power: Profile,
}

/// How a round ended.
#[derive(Clone, Debug)]
pub struct Ended {
    /// Minutes from arriving at the stall to the end of the road; `None` where it is not reached with the floor.
    pub total: Option<Minutes>,
    /// The same for who knows everything.
    pub best: Minutes,
    /// What who knows everything leaves with.
    pub best_leave: Soc,
    /// What was hidden.
    pub hidden: Hidden,
}

impl Round {
    /// The round of a seed, with a car.
    ///
    /// # Errors
    /// When the car cannot be planned with.
    pub fn new(vehicle: Vehicle, seed: u64, at: &ZonedDateTime) -> Result<Self, Refused> {
        let mut random = Rng::with_seed(seed.wrapping_mul(0x9E37_79B9).wrapping_add(17));
        let mut between = |low: f64, high: f64| low + (high - low) * random.f64();
        let takes = between(17.0, 23.0).round();
        let range = 100.0 * vehicle.usable.get() / takes;
        let road = RoadAhead {
            length: Distance::km((range * between(0.7, 1.5)).round()),
            consumption: Consumption::kwh_per_100km(takes),
            here: Power::kw([100.0, 150.0, 300.0][between(0.0, 2.999) as usize]),
            next: Power::kw([50.0, 100.0, 150.0, 300.0][between(0.0, 3.999) as usize]),
        };
        let soc = between(8.0, 35.0).round();
        let peak = vehicle.charge_curve.points().iter().map(|point| point.1).fold(0.0, f64::max);
        let hidden = match between(0.0, 3.0) as u32 {
            0 => Hidden::Nothing,
            1 => Hidden::Battery((20.0 * between(0.5, 0.9)).round() / 20.0),
            _ => Hidden::Stall((peak * between(0.25, 0.6)).round()),
        };
        let (to_plan, now) = without_a_trip(vehicle, road, at)?;
        // One stands at the first of its sites.
        let usual = Stall::new(&to_plan.trip.vehicle, &to_plan.trip.sites[0]).power().clone();
        let power = match hidden {
            Hidden::Nothing => usual,
            Hidden::Battery(share) => usual.scaled(share),
            Hidden::Stall(kw) => usual.min(&Profile::constant(kw)),
        };
        Ok(Self { to_plan, now: Now { soc: Soc::percent(soc), ..now }, hidden, power })
    }

    /// The road ahead, the most power here, and that of the stalls to come.
    pub fn road(&self) -> (Distance, Power, Power) {
        let trip = &self.to_plan.trip;
        let next = trip.sites.get(1).map_or(trip.sites[0].max_power, |site| site.max_power);
        (trip.route.length(), trip.sites[0].max_power, next)
    }

    /// What is in the battery after so long.
    pub fn soc(&self, minutes: f64) -> Soc {
        let time = ChargingTime::new(&self.power, self.to_plan.trip.vehicle.usable);
        time.soc_after(self.now.soc, Minutes::new(minutes))
    }

    /// What the display has shown until so long after current began.
    pub fn session(&self, minutes: f64) -> Session {
        let count = (minutes.clamp(0.0, LONGEST) / EVERY).floor() as u32;
        let stored = self.to_plan.trip.vehicle.stored_share();
        let reading = |index: u32| {
            let soc = self.soc(f64::from(index) * EVERY);
            Reading {
                elapsed: Minutes::new(f64::from(index) * EVERY),
                soc: Some(Soc::percent(soc.get().round())),
                power: Some(Power::kw((self.power.at(soc.get()) / stored).round())),
                ..Reading::default()
            }
        };
        Session { readings: (0..=count).map(reading).collect(), ..Session::default() }
    }

    /// What the advice at the stall would say then.
    pub fn advice(&self, minutes: f64, stop: &StopSign) -> Option<Advice> {
        advise(self.to_plan.clone(), &self.now, &self.session(minutes), stop).ok()
    }

    /// How it ends for who leaves then.
    pub fn ended(&self, minutes: f64, stop: &StopSign) -> Option<Ended> {
        let here = self.now.at_site.clone()?;
        let knowing = with_power(self.to_plan.clone(), &here, self.power.clone());
        let best = knowing.rest(&self.now).ok()?.best_plan(stop).ok()?;
        let leaving = Now { soc: self.soc(minutes), ..self.now.clone() };
        let left = self.to_plan.clone().rest(&leaving).ok()?.without(&here).best_plan(stop).ok();
        Some(Ended {
            total: left.map(|left| Minutes::new(minutes) + left.plan.total),
            best: best.plan.total,
            best_leave: leaves(&best, &here, self.now.soc),
            hidden: self.hidden,
        })
    }
}

/// What a plan leaves a site with.
fn leaves(shown: &ShownPlan, here: &str, arrived: Soc) -> Soc {
    let first = shown.plan.stops.first().filter(|stop| shown.trip.site(stop.site).id == here);
    first.map_or(arrived, |stop| stop.depart)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::Energy;

    fn vehicle() -> Vehicle {
        let curve = vec![(0.0, 90.0), (10.0, 170.0), (50.0, 140.0), (80.0, 60.0), (100.0, 6.0)];
        Vehicle {
            usable: Energy::kwh(70.0),
            charge_curve: Profile::new(curve).unwrap(),
            charge_loss_percent: 9.0,
            pack_voltage: None,
            boost: None,
        }
    }

    #[test]
    fn a_round_follows_from_its_seed_and_nobody_beats_who_knows() {
        let at: ZonedDateTime = "2026-12-18T10:00[UTC]".parse().unwrap();
        let stop = StopSign::default();
        let mut kinds = [false; 3];
        for seed in 0..12 {
            let round = Round::new(vehicle(), seed, &at).unwrap();
            assert_eq!(round.session(9.0), Round::new(vehicle(), seed, &at).unwrap().session(9.0));
            assert_eq!(round.session(9.0).readings.len(), 19);
            let Some(ended) = round.ended(8.0, &stop) else { continue };
            kinds[match ended.hidden {
                Hidden::Nothing => 0,
                Hidden::Battery(_) => 1,
                Hidden::Stall(_) => 2,
            }] = true;
            if let Some(total) = ended.total {
                assert!(total.get() >= ended.best.get() - 0.05, "seed {seed}: {total:?} under {:?}", ended.best);
            }
            // Who leaves when the best does loses nothing.
            let mut times = (0..12_000).map(|step| f64::from(step) / 100.0);
            let there = times.find(|&t| round.soc(t).get() >= ended.best_leave.get()).unwrap();
            let as_best = round.ended(there, &stop).unwrap().total.unwrap();
            assert!((as_best.get() - ended.best.get()).abs() < 0.3, "seed {seed}: {as_best:?} for {:?}", ended.best);
        }
        assert_eq!(kinds, [true; 3]);
    }
}
