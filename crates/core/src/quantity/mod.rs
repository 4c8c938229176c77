//! The quantities of the trade, each a type of its own, so that a wrong unit does not compile.
//!
//! Every quantity holds one `f64` in the unit that its documentation names. Products and quotients that make physical
//! sense are operators: a power times a time is an energy, an energy over a power is a time.
//!
//! ```
//! use spare_hour_core::quantity::{Current, Energy, Minutes, Power, Voltage};
//! // 1 C: the power that fills the usable capacity in an hour (common practice, no published source).
//! assert_eq!(Energy::kwh(63.0) / Power::kw(63.0), Minutes::new(60.0));
//! assert_eq!((Voltage::volts(341.0) * Current::amps(500.0)).get(), 170.5);
//! ```
pub mod units;

use std::fmt;
use std::ops::{Add, AddAssign, Div, Mul, Sub};

use serde::Serialize;

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident, $make:ident, $unit:literal) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd, Serialize)]
        #[serde(transparent)]
        pub struct $name(f64);

        impl $name {
            #[doc = concat!("The quantity from its number of ", $unit, ".")]
            pub const fn $make(value: f64) -> Self {
                Self(value)
            }

            #[doc = concat!("The number of ", $unit, ".")]
            pub const fn get(self) -> f64 {
                self.0
            }
        }

        impl Add for $name {
            type Output = Self;
            fn add(self, other: Self) -> Self {
                Self(self.0 + other.0)
            }
        }

        impl AddAssign for $name {
            fn add_assign(&mut self, other: Self) {
                self.0 += other.0;
            }
        }

        impl Sub for $name {
            type Output = Self;
            fn sub(self, other: Self) -> Self {
                Self(self.0 - other.0)
            }
        }

        impl Mul<f64> for $name {
            type Output = Self;
            fn mul(self, factor: f64) -> Self {
                Self(self.0 * factor)
            }
        }

        impl Div for $name {
            type Output = f64;
            fn div(self, other: Self) -> f64 {
                self.0 / other.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                let decimals = f.precision().unwrap_or(1);
                write!(f, "{:.*} {}", decimals, self.0, $unit)
            }
        }
    };
}

/// State of charge: percent of the usable capacity, 0 to 100, as the car shows it. A level; a difference of two is a
/// [`SocSpan`].
#[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd, Serialize)]
#[serde(transparent)]
pub struct Soc(f64);

impl Soc {
    /// The level from its number of %.
    pub const fn percent(value: f64) -> Self {
        Self(value)
    }

    /// The number of %.
    pub const fn get(self) -> f64 {
        self.0
    }
}

impl Sub for Soc {
    type Output = SocSpan;
    fn sub(self, other: Self) -> SocSpan {
        SocSpan(self.0 - other.0)
    }
}

impl Sub<SocSpan> for Soc {
    type Output = Self;
    fn sub(self, span: SocSpan) -> Self {
        Self(self.0 - span.0)
    }
}

impl Add<SocSpan> for Soc {
    type Output = Self;
    fn add(self, span: SocSpan) -> Self {
        Self(self.0 + span.0)
    }
}

impl fmt::Display for Soc {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:.*} %", f.precision().unwrap_or(1), self.0)
    }
}

quantity!(
    /// A difference of two states of charge, in points: percents of the usable capacity.
    SocSpan, points, "points"
);
quantity!(
    /// Energy in kilowatt-hours.
    Energy, kwh, "kWh"
);
quantity!(
    /// Power in kilowatts.
    Power, kw, "kW"
);
quantity!(
    /// Electric potential in volts.
    Voltage, volts, "V"
);
quantity!(
    /// Electric current in amperes.
    Current, amps, "A"
);
quantity!(
    /// A span of time in minutes.
    Minutes, new, "min"
);
quantity!(
    /// Distance in kilometres.
    Distance, km, "km"
);
quantity!(
    /// Speed in kilometres per hour.
    Speed, kmh, "km/h"
);
quantity!(
    /// Energy at the battery per distance, in kilowatt-hours per 100 kilometres.
    Consumption, kwh_per_100km, "kWh/100 km"
);
quantity!(
    /// Temperature in degrees Celsius.
    Temperature, celsius, "°C"
);
quantity!(
    /// Height above the sea, or a difference of two, in metres.
    Height, metres, "m"
);
quantity!(
    /// Mass in kilograms.
    Mass, kg, "kg"
);

impl Minutes {
    /// The span from a number of seconds.
    pub fn seconds(seconds: f64) -> Self {
        Self(seconds / 60.0)
    }
}

impl Mul<Minutes> for Power {
    type Output = Energy;
    fn mul(self, time: Minutes) -> Energy {
        Energy(self.0 * time.0 / 60.0)
    }
}

impl Div<Power> for Energy {
    type Output = Minutes;
    fn div(self, power: Power) -> Minutes {
        Minutes(60.0 * self.0 / power.0)
    }
}

impl Div<Minutes> for Energy {
    type Output = Power;
    fn div(self, time: Minutes) -> Power {
        Power(60.0 * self.0 / time.0)
    }
}

impl Mul<Current> for Voltage {
    type Output = Power;
    fn mul(self, current: Current) -> Power {
        Power(self.0 * current.0 / 1000.0)
    }
}

impl Div<Speed> for Distance {
    type Output = Minutes;
    fn div(self, speed: Speed) -> Minutes {
        Minutes(60.0 * self.0 / speed.0)
    }
}

impl Mul<Distance> for Consumption {
    type Output = Energy;
    fn mul(self, distance: Distance) -> Energy {
        Energy(self.0 * distance.0 / 100.0)
    }
}

impl Div<Consumption> for Energy {
    type Output = Distance;
    fn div(self, consumption: Consumption) -> Distance {
        Distance(100.0 * self.0 / consumption.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn range_from_consumption() {
        // Arithmetic: 55 kWh at 141 Wh/km (14.1 kWh/100 km) is 390 km.
        let range = Energy::kwh(55.0) / Consumption::kwh_per_100km(14.1);
        assert!((range.get() - 390.0).abs() < 0.1, "{range}");
    }

    #[test]
    fn ac_power_of_one_and_three_phases() {
        // Arithmetic: 3 × 16 A × 230 V = 11.0 kW; 1 × 10 A × 230 V = 2.3 kW; 1 × 32 A × 230 V = 7.4 kW.
        let phase = |amps| (Voltage::volts(230.0) * Current::amps(amps)).get();
        assert!((3.0 * phase(16.0) - 11.0).abs() < 0.05);
        assert!((phase(10.0) - 2.3).abs() < 1e-9);
        assert!((phase(32.0) - 7.4).abs() < 0.05);
    }

    #[test]
    fn two_c_fills_in_half_an_hour() {
        // Common practice, no published source: 126 kW on 63 kWh is 2 C.
        assert_eq!(Energy::kwh(63.0) / Power::kw(126.0), Minutes::new(30.0));
        assert_eq!(Power::kw(126.0) * Minutes::new(30.0), Energy::kwh(63.0));
        assert_eq!(format!("{:.2}", Energy::kwh(63.0)), "63.00 kWh");
    }
}
