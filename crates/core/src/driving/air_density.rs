//! Density of air by height and temperature: ρ = p / (R·T), in kg/m³.
//!
//! Pressure falls with height as in the International Standard Atmosphere up to 11 km,
//! p = p₀·(1 − L·h/T₀)^(g/(R·L)) (ICAO Doc 7488, constants recalled from memory); temperature is the one measured, else the
//! standard one, T₀ − L·h.

use crate::quantity::{Height, Temperature};

/// Standard gravity, m/s² (exact, 3rd CGPM 1901).
pub const GRAVITY: f64 = 9.806_65;
/// Standard temperature at sea level, K.
const SEA_LEVEL_KELVIN: f64 = 288.15;
/// Standard pressure at sea level, Pa.
const SEA_LEVEL_PASCAL: f64 = 101_325.0;
/// Temperature falls by this with height, K/m.
const LAPSE: f64 = 0.0065;
/// Specific gas constant of air, J/(kg·K).
const GAS_CONSTANT: f64 = 287.052_87;
/// Radius of the Earth in the standard, m: turns heights into those that its formulas are written for.
const EARTH: f64 = 6_356_766.0;
/// 0 °C in K.
const ZERO_CELSIUS: f64 = 273.15;

/// Density of air in kg/m³ at a height above the sea, at a temperature or the standard one.
pub fn air_density(height: Height, temperature: Option<Temperature>) -> f64 {
    let geopotential = EARTH * height.get() / (EARTH + height.get());
    let standard = SEA_LEVEL_KELVIN - LAPSE * geopotential;
    let pressure = SEA_LEVEL_PASCAL * (standard / SEA_LEVEL_KELVIN).powf(GRAVITY / (GAS_CONSTANT * LAPSE));
    let kelvin = temperature.map_or(standard, |celsius| celsius.get() + ZERO_CELSIUS);
    pressure / (GAS_CONSTANT * kelvin)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn agrees_with_the_standard_atmosphere() {
        // ICAO Doc 7488, recalled from memory: 1.2250, 1.1117 and 1.0066 kg/m³ at 0, 1,000 and 2,000 m.
        for (height, density) in [(0.0, 1.2250), (1000.0, 1.1117), (2000.0, 1.0066)] {
            assert!((air_density(Height::metres(height), None) - density).abs() < 5e-5, "{height}");
        }
        // By hand, ideal gas: at −10 °C the air is 288.15/263.15 times as dense as at 15 °C.
        let cold = air_density(Height::metres(0.0), Some(Temperature::celsius(-10.0)));
        assert!((cold / 1.2250 - 288.15 / 263.15).abs() < 1e-4);
    }
}
