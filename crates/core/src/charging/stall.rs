//! What a car may take at a stall: Pb = min(curve(s), (1 − `loss)·P_site`, `V(s)·A_site/1000`), with the car's boost.
//!
//! Pb is the power into the battery in kW, `P_site` the site's most kW at the plug, V the pack voltage, `A_site` its most
//! amperes. A boost replaces the curve for the first minutes after current begins, so the time from one SoC to
//! another depends on where the charge began, not only on the two.

use crate::charging::charging_time::ChargingTime;
use crate::charging::profile::Profile;
use crate::quantity::{Minutes, Power, Soc};
use crate::trip::{Site, Vehicle};

/// Charging times of one car at one kind of stall.
#[derive(Clone, Debug)]
pub struct Stall {
    power: Profile,
    sustained: ChargingTime,
    boost: Option<BoostedStart>,
}

/// The first minutes of a charge that starts low enough.
#[derive(Clone, Debug)]
pub struct BoostedStart {
    /// How long it lasts, in minutes.
    pub minutes: f64,
    /// The highest SoC at the start of a charge that still gets it, %.
    pub max_start: f64,
    /// Charging times during it.
    pub time: ChargingTime,
    power: Profile,
}

impl BoostedStart {
    /// Power into the battery over SoC during it, kW.
    pub fn power(&self) -> &Profile {
        &self.power
    }

    /// The SoC in % at which the boost of a charge from `soc` is over.
    pub fn carries(&self, soc: f64) -> f64 {
        self.time.soc_after(Soc::percent(soc), Minutes::new(self.minutes)).get()
    }
}

impl Stall {
    /// The times of `vehicle` at a stall of `site`.
    pub fn new(vehicle: &Vehicle, site: &Site) -> Self {
        if let Some(power) = &site.details.charging {
            return Self { sustained: ChargingTime::new(power, vehicle.usable), power: power.clone(), boost: None };
        }
        let limit = site_limit(vehicle, site);
        let power = vehicle.charge_curve.min(&limit);
        let boost = vehicle.boost.as_ref().filter(|boost| boost.time.get() > 0.0).map(|boost| {
            let power = boost.charge_curve.min(&limit);
            BoostedStart {
                minutes: boost.time.get(),
                max_start: boost.max_start.get(),
                time: ChargingTime::new(&power, vehicle.usable),
                power,
            }
        });
        Self { sustained: ChargingTime::new(&power, vehicle.usable), power, boost }
    }

    /// The times at a stall of `site` while a neighbour at the same cabinet takes half of its power.
    pub fn beside_a_neighbour(vehicle: &Vehicle, site: &Site) -> Self {
        Self::new(vehicle, &Site { max_power: Power::kw(site.max_power.get() / 2.0), ..site.clone() })
    }

    /// Power into the battery over SoC once any boost is over, kW.
    pub fn power(&self) -> &Profile {
        &self.power
    }

    /// Power into the battery at a SoC, a number of minutes after a charge began at `start`.
    pub fn power_at(&self, start: Soc, now: Soc, since: Minutes) -> Power {
        let profile = match self.boost_from(start) {
            Some(boost) if since.get() < boost.minutes => &boost.power,
            _ => &self.power,
        };
        Power::kw(profile.at(now.get()))
    }

    /// Minutes of a charge that begins at `from` and ends at `to`.
    pub fn minutes(&self, from: Soc, to: Soc) -> Minutes {
        if to <= from {
            return Minutes::new(0.0);
        }
        let Some(boost) = self.boost_from(from) else {
            return self.sustained.minutes(from, to);
        };
        let boosted = boost.time.minutes(from, to);
        if boosted.get() <= boost.minutes {
            return boosted;
        }
        let over = boost.time.soc_after(from, Minutes::new(boost.minutes));
        Minutes::new(boost.minutes) + self.sustained.minutes(over, to)
    }

    /// SoC after a number of minutes of a charge that begins at `from`.
    pub fn soc_after(&self, from: Soc, time: Minutes) -> Soc {
        let Some(boost) = self.boost_from(from) else {
            return self.sustained.soc_after(from, time);
        };
        let boosted = boost.time.soc_after(from, Minutes::new(time.get().min(boost.minutes)));
        if time.get() <= boost.minutes {
            return boosted;
        }
        self.sustained.soc_after(boosted, Minutes::new(time.get() - boost.minutes))
    }

    /// Times without the boost.
    pub fn sustained(&self) -> &ChargingTime {
        &self.sustained
    }

    /// The boost that a car could get here.
    pub fn boost(&self) -> Option<&BoostedStart> {
        self.boost.as_ref()
    }

    /// The boost of a charge that begins at a SoC.
    pub fn boost_from(&self, start: Soc) -> Option<&BoostedStart> {
        self.boost.as_ref().filter(|boost| start.get() <= boost.max_start)
    }
}

/// The most that the site lets into the battery over SoC, kW.
fn site_limit(vehicle: &Vehicle, site: &Site) -> Profile {
    let by_power = Profile::constant(vehicle.stored_share() * site.max_power.get());
    match (&vehicle.pack_voltage, site.max_current) {
        (Some(voltage), Some(current)) => by_power.min(&voltage.scaled(current.get() / 1000.0)),
        _ => by_power,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Current, Distance, Energy, Speed};
    use crate::trip::site_details::SiteDetails;
    use crate::trip::{Boost, Price};

    pub(crate) fn site(max_kw: f64, max_a: Option<f64>) -> Site {
        Site {
            id: "s".into(),
            name: "S".into(),
            at: Distance::km(0.0),
            off_route: Distance::km(0.0),
            off_route_speed: Speed::kmh(50.0),
            max_power: Power::kw(max_kw),
            max_current: max_a.map(Current::amps),
            overhead: Minutes::new(4.0),
            price: Price::default(),
            details: SiteDetails::default(),
        }
    }

    fn vehicle() -> Vehicle {
        Vehicle {
            usable: Energy::kwh(60.0),
            charge_curve: Profile::constant(300.0),
            charge_loss_percent: 10.0,
            pack_voltage: Some(Profile::new(vec![(0.0, 341.0), (100.0, 353.0)]).unwrap()),
            boost: None,
        }
    }

    #[test]
    fn current_limits_a_400_volt_pack() {
        // Common practice, no published source: 500 A · 341 V = 170.5 kW, rising to 176.5 kW at 353 V.
        let stall = Stall::new(&vehicle(), &site(400.0, Some(500.0)));
        let kw = |soc| stall.power_at(Soc::percent(0.0), Soc::percent(soc), Minutes::new(0.0)).get();
        assert!((kw(0.0) - 170.5).abs() < 1e-9);
        assert!((kw(100.0) - 176.5).abs() < 1e-9);
    }

    #[test]
    fn plug_power_is_less_its_loss() {
        let stall = Stall::new(&vehicle(), &site(50.0, None));
        assert!((stall.power().at(30.0) - 45.0).abs() < 1e-9);
        // 60 kWh · 75 % / 45 kW = 60 min, by hand.
        assert!((stall.minutes(Soc::percent(5.0), Soc::percent(80.0)).get() - 60.0).abs() < 1e-9);
    }

    #[test]
    fn boost_lasts_its_minutes_from_wherever_it_starts() {
        // Common practice, no published source: full current for about 10 min from wherever the charge starts
        // below about half, then a step down. By hand: 60 kWh at 180 kW is 5 %/min, at 90 kW 2.5 %/min.
        let mut car = vehicle();
        car.charge_curve = Profile::constant(90.0);
        car.boost = Some(Boost {
            time: Minutes::new(10.0),
            max_start: Soc::percent(50.0),
            charge_curve: Profile::constant(180.0),
        });
        let stall = Stall::new(&car, &site(400.0, None));
        let minutes = |a, d| stall.minutes(Soc::percent(a), Soc::percent(d)).get();
        assert!((minutes(10.0, 40.0) - 6.0).abs() < 1e-9);
        assert!((minutes(10.0, 80.0) - (10.0 + 8.0)).abs() < 1e-9);
        assert!((minutes(50.0, 100.0) - 10.0).abs() < 1e-9);
        assert!((minutes(50.1, 80.1) - 12.0).abs() < 1e-9);
        let after = |a, m| stall.soc_after(Soc::percent(a), Minutes::new(m)).get();
        assert!((after(10.0, 6.0) - 40.0).abs() < 1e-9);
        assert!((after(10.0, 18.0) - 80.0).abs() < 1e-9);
        assert_eq!(stall.power_at(Soc::percent(10.0), Soc::percent(40.0), Minutes::new(9.9)), Power::kw(180.0));
        assert_eq!(stall.power_at(Soc::percent(10.0), Soc::percent(60.0), Minutes::new(10.0)), Power::kw(90.0));
    }
}
