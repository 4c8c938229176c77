//! The units that a person reads and writes in. Everything is kept in SI and the trade's kWh; this only turns numbers.
//!
//! A mile is 1.609344 km (1959 agreement). Fahrenheit is 1.8 · °C + 32. A consumption may be told as energy per distance or as
//! distance per energy, its reciprocal.

use crate::quantity::{Consumption, Distance, Speed, Temperature};

/// Kilometres in a mile.
pub const MILE: f64 = 1.609_344;

/// Distances, and speeds with them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DistanceUnit {
    /// km and km/h.
    #[default]
    Kilometres,
    /// mi and mph.
    Miles,
}

/// Consumption at the battery.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ConsumptionUnit {
    /// kWh/100 km.
    #[default]
    KwhPer100Km,
    /// Wh/km.
    WhPerKm,
    /// mi/kWh: more is better.
    MilesPerKwh,
    /// Wh/mi.
    WhPerMile,
}

/// Temperatures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TemperatureUnit {
    /// °C.
    #[default]
    Celsius,
    /// °F.
    Fahrenheit,
}

/// Times of day.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ClockFace {
    /// 0:00 to 23:59.
    #[default]
    TwentyFour,
    /// 12:00 am to 11:59 pm.
    Twelve,
}

/// All units of one person.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Units {
    /// Distances and speeds.
    pub distance: DistanceUnit,
    /// Consumption.
    pub consumption: ConsumptionUnit,
    /// Temperatures.
    pub temperature: TemperatureUnit,
    /// Times of day.
    pub clock: ClockFace,
}

impl DistanceUnit {
    /// All of them.
    pub const ALL: [Self; 2] = [Self::Kilometres, Self::Miles];

    /// Kilometres in one.
    pub fn kilometres(self) -> f64 {
        match self {
            Self::Kilometres => 1.0,
            Self::Miles => MILE,
        }
    }

    /// Its sign.
    pub fn name(self) -> &'static str {
        match self {
            Self::Kilometres => "km",
            Self::Miles => "mi",
        }
    }

    /// The sign of a speed.
    pub fn speed_name(self) -> &'static str {
        match self {
            Self::Kilometres => "km/h",
            Self::Miles => "mph",
        }
    }

    /// The number of a distance in this unit.
    pub fn of(self, distance: Distance) -> f64 {
        distance.get() / self.kilometres()
    }

    /// The distance of a number in this unit.
    pub fn distance(self, number: f64) -> Distance {
        Distance::km(number * self.kilometres())
    }

    /// The number of a speed in this unit an hour.
    pub fn of_speed(self, speed: Speed) -> f64 {
        speed.get() / self.kilometres()
    }

    /// The speed of a number in this unit an hour.
    pub fn speed(self, number: f64) -> Speed {
        Speed::kmh(number * self.kilometres())
    }
}

impl ConsumptionUnit {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::KwhPer100Km, Self::WhPerKm, Self::MilesPerKwh, Self::WhPerMile];

    /// Its sign.
    pub fn name(self) -> &'static str {
        match self {
            Self::KwhPer100Km => "kWh/100 km",
            Self::WhPerKm => "Wh/km",
            Self::MilesPerKwh => "mi/kWh",
            Self::WhPerMile => "Wh/mi",
        }
    }

    /// Whether more of it is less energy.
    pub fn is_reciprocal(self) -> bool {
        self == Self::MilesPerKwh
    }

    /// Decimals that are worth telling.
    pub fn decimals(self) -> usize {
        match self {
            Self::KwhPer100Km => 1,
            Self::MilesPerKwh => 2,
            Self::WhPerKm | Self::WhPerMile => 0,
        }
    }

    /// The number of a consumption in this unit. Nothing or less than nothing has no number in miles per kWh, and is infinite.
    pub fn of(self, consumption: Consumption) -> f64 {
        let kwh = consumption.get();
        match self {
            Self::KwhPer100Km => kwh,
            Self::WhPerKm => 10.0 * kwh,
            Self::WhPerMile => 10.0 * kwh * MILE,
            Self::MilesPerKwh if kwh > 0.0 => 100.0 / (kwh * MILE),
            Self::MilesPerKwh => f64::INFINITY,
        }
    }

    /// The consumption of a number in this unit; `None` for nought and less in miles per kWh.
    pub fn consumption(self, number: f64) -> Option<Consumption> {
        let kwh = match self {
            Self::KwhPer100Km => number,
            Self::WhPerKm => number / 10.0,
            Self::WhPerMile => number / (10.0 * MILE),
            Self::MilesPerKwh if number > 0.0 => 100.0 / (number * MILE),
            Self::MilesPerKwh => return None,
        };
        Some(Consumption::kwh_per_100km(kwh))
    }
}

impl TemperatureUnit {
    /// All of them.
    pub const ALL: [Self; 2] = [Self::Celsius, Self::Fahrenheit];

    /// Its sign.
    pub fn name(self) -> &'static str {
        match self {
            Self::Celsius => "°C",
            Self::Fahrenheit => "°F",
        }
    }

    /// The number of a temperature in this unit.
    pub fn of(self, temperature: Temperature) -> f64 {
        match self {
            Self::Celsius => temperature.get(),
            Self::Fahrenheit => 1.8 * temperature.get() + 32.0,
        }
    }

    /// The temperature of a number in this unit.
    pub fn temperature(self, number: f64) -> Temperature {
        match self {
            Self::Celsius => Temperature::celsius(number),
            Self::Fahrenheit => Temperature::celsius((number - 32.0) / 1.8),
        }
    }
}

impl ClockFace {
    /// Both of them.
    pub const ALL: [Self; 2] = [Self::TwentyFour, Self::Twelve];

    /// A time of day from whole minutes after midnight: `08:05`, or `8:05 am`.
    pub fn time(self, minutes: u32) -> String {
        let (hour, minute) = (minutes / 60 % 24, minutes % 60);
        match self {
            Self::TwentyFour => format!("{hour:02}:{minute:02}"),
            Self::Twelve => {
                let half = if hour < 12 { "am" } else { "pm" };
                format!("{}:{minute:02} {half}", (hour + 11) % 12 + 1)
            }
        }
    }
}

/// Minutes after midnight of a time of day on either clock face: `8:30`, `20:30`, `8:30 pm`, `8 pm`.
pub fn parse_time(text: &str) -> Option<u32> {
    let text = text.trim().to_lowercase().replace('.', "");
    let (bare, half) = match (text.strip_suffix("am"), text.strip_suffix("pm")) {
        (Some(bare), _) => (bare.trim_end(), Some(0)),
        (_, Some(bare)) => (bare.trim_end(), Some(12)),
        _ => (text.as_str(), None),
    };
    let (hour, minute) = match (bare.split_once(':'), half) {
        (Some((hour, minute)), _) => (hour.parse::<u32>().ok()?, minute.parse::<u32>().ok()?),
        (None, Some(_)) => (bare.parse::<u32>().ok()?, 0),
        (None, None) => return None,
    };
    let hour = match half {
        Some(later) if (1..=12).contains(&hour) => hour % 12 + later,
        None if hour < 24 => hour,
        _ => return None,
    };
    (minute < 60).then_some(60 * hour + minute)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn miles_and_fahrenheit_by_definition() {
        // 1959 agreement: a mile is 1.609344 km. Water freezes at 32 °F and boils at 212 °F; −40 is −40.
        assert_eq!(DistanceUnit::Miles.distance(100.0), Distance::km(160.934_4));
        assert!((DistanceUnit::Miles.of_speed(Speed::kmh(112.654_08)) - 70.0).abs() < 1e-9);
        let fahrenheit = |celsius| TemperatureUnit::Fahrenheit.of(Temperature::celsius(celsius));
        assert_eq!([0.0, 100.0, -40.0].map(fahrenheit), [32.0, 212.0, -40.0]);
        assert!((TemperatureUnit::Fahrenheit.temperature(14.0).get() + 10.0).abs() < 1e-9);
    }

    #[test]
    fn consumption_by_hand() {
        // By hand: 20 kWh/100 km are 200 Wh/km, 321.87 Wh/mi, 3.107 mi/kWh.
        let twenty = Consumption::kwh_per_100km(20.0);
        let told = ConsumptionUnit::ALL.map(|unit| (unit.of(twenty) * 1000.0).round() / 1000.0);
        assert_eq!(told, [20.0, 200.0, 3.107, 321.869]);
        for unit in ConsumptionUnit::ALL {
            let back = unit.consumption(unit.of(twenty)).unwrap();
            assert!((back.get() - 20.0).abs() < 1e-9, "{unit:?}");
        }
        assert_eq!(ConsumptionUnit::MilesPerKwh.consumption(0.0), None);
        assert_eq!(ConsumptionUnit::MilesPerKwh.of(Consumption::kwh_per_100km(-3.0)), f64::INFINITY);
    }

    #[test]
    fn both_clock_faces() {
        let told = [0, 5, 485, 720, 779, 780, 1439].map(|minutes| ClockFace::Twelve.time(minutes));
        assert_eq!(told, ["12:00 am", "12:05 am", "8:05 am", "12:00 pm", "12:59 pm", "1:00 pm", "11:59 pm"]);
        assert_eq!(ClockFace::TwentyFour.time(485), "08:05");
        for minutes in 0..1440 {
            assert!(ClockFace::ALL.iter().all(|face| parse_time(&face.time(minutes)) == Some(minutes)));
        }
        assert_eq!(["8 PM", "8:30 p.m.", "12am"].map(parse_time), [Some(1200), Some(1230), Some(0)]);
        assert_eq!(["13 pm", "0:10 am", "24:00", "8", "8:60", "", "x:y", "pm"].map(parse_time), [None; 8]);
    }
}
