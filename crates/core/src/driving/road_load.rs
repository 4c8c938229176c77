//! What the road takes: drag, rolling, climbing, and what runs beside the motor.
//!
//! Force at the wheel F = ½·ρ·CdA·(v + w)·|v + w| + Crr·m·g + m·g·sin α; energy at the battery F·s/η and accessories over
//! time. η is not seen by itself in logged drives, so the terms carry it: CdA/η and Crr/η. Climbing costs m·g·h/η with
//! η = 0.90; a descent gives back m·g·h·0.65, as much as the battery takes (common practice, no published source).

use crate::driving::air_density::{GRAVITY, air_density};
use crate::quantity::{Consumption, Distance, Energy, Height, Mass, Speed, Temperature};

/// Joules in a kilowatt-hour.
const JOULES: f64 = 3.6e6;
/// From battery to wheel on a climb.
pub const UP: f64 = 0.90;
/// From wheel to battery on a descent.
pub const DOWN: f64 = 0.65;
/// Outside temperatures between which nobody heats or cools, °C.
pub const COMFORT: (f64, f64) = (16.0, 24.0);
/// A kelvin of cooling takes this share of what a kelvin of heating takes.
const COOLING: f64 = 0.5;

/// The terms that a car's consumption is made of.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct RoadLoad {
    /// Drag area over efficiency, CdA/η, m².
    pub drag: f64,
    /// Rolling resistance over efficiency, Crr/η.
    pub rolling: f64,
    /// What always runs, kW.
    pub base_kw: f64,
    /// Heating (and half as much cooling), kW per kelvin from comfort.
    pub heating_kw_per_kelvin: f64,
}

/// The conditions of a stretch of road.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Conditions {
    /// Speed over the road.
    pub speed: Speed,
    /// Wind against it; negative from behind.
    pub headwind: Speed,
    /// Temperature outside.
    pub outside: Temperature,
    /// Height above the sea, for the density of the air.
    pub height: Height,
    /// Car, driver and load.
    pub mass: Mass,
}

/// How much of each term a stretch takes: energy in kWh for a term of 1.
pub type Features = [f64; 4];

impl RoadLoad {
    /// The terms in the order of [`features`].
    pub fn terms(&self) -> Features {
        [self.drag, self.rolling, self.base_kw, self.heating_kw_per_kelvin]
    }

    /// The road load of terms in the order of [`features`].
    pub fn of_terms([drag, rolling, base_kw, heating_kw_per_kelvin]: Features) -> Self {
        Self { drag, rolling, base_kw, heating_kw_per_kelvin }
    }

    /// Energy at the battery for a level distance.
    pub fn energy(&self, distance: Distance, conditions: &Conditions) -> Energy {
        let features = features(distance, conditions);
        Energy::kwh(self.terms().iter().zip(features).map(|(term, feature)| term * feature).sum())
    }

    /// Consumption at the battery on a level road.
    pub fn consumption(&self, conditions: &Conditions) -> Consumption {
        Consumption::kwh_per_100km(self.energy(Distance::km(100.0), conditions).get())
    }
}

/// How many kelvin the outside is from comfort, cooling counting half.
pub fn kelvin_from_comfort(outside: Temperature) -> f64 {
    (COMFORT.0 - outside.get()).max(0.0) + COOLING * (outside.get() - COMFORT.1).max(0.0)
}

/// How much of each term a level distance takes.
pub fn features(distance: Distance, conditions: &Conditions) -> Features {
    let metres = 1000.0 * distance.get();
    let air_speed = (conditions.speed.get() + conditions.headwind.get()) / 3.6;
    let density = air_density(conditions.height, Some(conditions.outside));
    let hours = distance.get() / conditions.speed.get();
    [
        0.5 * density * air_speed * air_speed.abs() * metres / JOULES,
        conditions.mass.get() * GRAVITY * metres / JOULES,
        hours,
        hours * kelvin_from_comfort(conditions.outside),
    ]
}

/// Energy at the battery that climbing takes and descending gives back: drawn, and returned.
pub fn climb_energy(mass: Mass, climb: Height, descent: Height) -> (Energy, Energy) {
    let potential = |height: Height| mass.get() * GRAVITY * height.get() / JOULES;
    (Energy::kwh(potential(climb) / UP), Energy::kwh(potential(descent) * DOWN))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn conditions(kmh: f64, headwind: f64, celsius: f64) -> Conditions {
        Conditions {
            speed: Speed::kmh(kmh),
            headwind: Speed::kmh(headwind),
            outside: Temperature::celsius(celsius),
            height: Height::metres(0.0),
            mass: Mass::kg(2000.0),
        }
    }

    const CAR: RoadLoad = RoadLoad { drag: 0.7, rolling: 0.011, base_kw: 0.5, heating_kw_per_kelvin: 0.1 };

    #[test]
    fn a_steady_motorway_run_by_hand() {
        // By hand, 120 km/h at 15 °C and sea level: drag ½·1.225·0.7·33.33² = 476.4 N, rolling 0.011·2000·9.80665 = 215.7 N,
        // together 692.1 N = 19.225 kWh/100 km; 0.5 kW + 1 K · 0.1 kW for 50 min = 0.5 kWh.
        let consumption = CAR.consumption(&conditions(120.0, 0.0, 15.0)).get();
        assert!((consumption - 19.725).abs() < 0.01, "{consumption}");
    }

    #[test]
    fn wind_cold_and_hills_as_physics_says() {
        let at = |kmh, wind, celsius| CAR.consumption(&conditions(kmh, wind, celsius)).get();
        // Drag goes with the square of the air's speed; from behind, faster than the car, it pushes.
        let drag = |wind: f64| at(90.0, wind, 20.0) - at(90.0, -90.0, 20.0);
        assert!((drag(30.0) / drag(0.0) - (120.0_f64 / 90.0).powi(2)).abs() < 1e-9);
        assert!(at(90.0, -120.0, 20.0) < at(90.0, -90.0, 20.0));
        // 26 K below comfort at 0.1 kW/K are 2.6 kW; at 50 km/h that is 5.2 kWh on 100 km.
        let heating = at(50.0, -50.0, -10.0) - at(50.0, -50.0, 20.0);
        assert!((heating - 5.2).abs() < 1e-9, "{heating}");
        assert!((kelvin_from_comfort(Temperature::celsius(30.0)) - 3.0).abs() < 1e-9);
        // 2,000 kg up 1,000 m: 19.6133 MJ = 5.448 kWh, over 0.9.
        let (up, down) = climb_energy(Mass::kg(2000.0), Height::metres(1000.0), Height::metres(1000.0));
        assert!((up.get() - 5.4481 / 0.9).abs() < 1e-3 && (down.get() - 5.4481 * 0.65).abs() < 1e-3);
    }
}
