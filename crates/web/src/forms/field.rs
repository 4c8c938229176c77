//! Form fields that keep what was typed and say what is wrong with it.

use jiff::civil::{Date, DateTime};
use rust_decimal::Decimal;
use spare_hour_core::quantity::units::{Units, parse_time};
use spare_hour_core::quantity::{Consumption, Distance, Speed, Temperature};
use spare_hour_core::refused::Bounds;

/// A field of a form as it is shown: what stands in it and what is wrong with it.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Field {
    pub(crate) text: String,
    pub(crate) fault: Option<String>,
}

impl Field {
    pub(crate) fn new(text: impl Into<String>) -> Self {
        Self { text: text.into(), fault: None }
    }

    /// Reads a number within limits from what was typed; `None` when nothing was typed or it is wrong.
    /// Decimal commas are understood.
    pub(crate) fn number(&mut self, low: f64, high: f64, unit: &str) -> Option<f64> {
        let text = self.text.trim();
        if text.is_empty() {
            return None;
        }
        match text.replace(',', ".").parse::<f64>() {
            Ok(number) if (low..=high).contains(&number) => Some(number),
            _ => {
                self.fault = Some(format!("“{text}” does not work; expected {low} to {high} {unit}").trim_end().into());
                None
            }
        }
    }

    /// Reads a number as [`Field::number`] does, within bounds that the rules set.
    pub(crate) fn number_in(&mut self, bounds: Bounds) -> Option<f64> {
        self.number(bounds.low, bounds.high, bounds.unit)
    }

    /// Like [`Field::number`], but something has to be typed.
    pub(crate) fn required(&mut self, low: f64, high: f64, unit: &str) -> Option<f64> {
        if self.text.trim().is_empty() {
            self.fault = Some(format!("needed; expected {low} to {high} {unit}").trim_end().into());
            return None;
        }
        self.number(low, high, unit)
    }

    /// Like [`Field::number_in`], but something has to be typed.
    pub(crate) fn required_in(&mut self, bounds: Bounds) -> Option<f64> {
        self.required(bounds.low, bounds.high, bounds.unit)
    }

    /// Reads a distance in a person's unit.
    pub(crate) fn distance(&mut self, units: Units, low: f64, high: f64) -> Option<Distance> {
        let unit = units.distance;
        let [low, high] = [low, high].map(|km| round(unit.of(Distance::km(km))));
        self.number(low, high, unit.name()).map(|number| unit.distance(number))
    }

    /// Reads a speed in a person's unit.
    pub(crate) fn speed(&mut self, units: Units, low: f64, high: f64) -> Option<Speed> {
        let unit = units.distance;
        let [low, high] = [low, high].map(|kmh| round(unit.of_speed(Speed::kmh(kmh))));
        self.number(low, high, unit.speed_name()).map(|number| unit.speed(number))
    }

    /// Reads a temperature in a person's unit.
    pub(crate) fn temperature(&mut self, units: Units, low: f64, high: f64) -> Option<Temperature> {
        let unit = units.temperature;
        let [low, high] = [low, high].map(|celsius| round(unit.of(Temperature::celsius(celsius))));
        self.number(low, high, unit.name()).map(|number| unit.temperature(number))
    }

    /// Reads a consumption in a person's unit; `low` is more than nothing.
    pub(crate) fn consumption(&mut self, units: Units, low: f64, high: f64) -> Option<Consumption> {
        let unit = units.consumption;
        let [a, b] = [low, high].map(|kwh| round(unit.of(Consumption::kwh_per_100km(kwh))));
        self.number(a.min(b), a.max(b), unit.name()).and_then(|number| unit.consumption(number))
    }

    /// Reads what may be left empty; what cannot be read leaves a fault that says what is expected.
    pub(crate) fn optional<T>(&mut self, expected: &str, read: impl FnOnce(&str) -> Option<T>) -> Option<T> {
        let text = self.text.trim();
        if text.is_empty() {
            return None;
        }
        let found = read(text);
        if found.is_none() {
            self.fault = Some(format!("“{text}” does not work; expected {expected}"));
        }
        found
    }

    /// Reads money: a decimal number within limits. Decimal commas are understood.
    pub(crate) fn decimal(&mut self, low: u32, high: u32, expected: &str) -> Option<Decimal> {
        self.optional(expected, |text| {
            let number: Decimal = text.replace(',', ".").parse().ok()?;
            (number >= Decimal::from(low) && number <= Decimal::from(high)).then_some(number)
        })
    }

    /// Reads a time of day on either clock face, as minutes after midnight.
    pub(crate) fn time(&mut self) -> Option<u32> {
        self.optional("a time such as 22:00 or 10 pm", parse_time)
    }

    /// Reads a day and a time of day on either clock face.
    pub(crate) fn day_and_time(&mut self) -> Option<DateTime> {
        self.optional("a day and time such as 2026-05-01 17:30, or 5:30 pm", |text| {
            let (day, time) = text.trim().split_once([' ', 'T'])?;
            let (day, minutes): (Date, u32) = (day.parse().ok()?, parse_time(time.trim())?);
            Some(day.at((minutes / 60 % 24) as i8, (minutes % 60) as i8, 0, 0))
        })
    }

    /// Reads a day.
    pub(crate) fn day(&mut self) -> Option<Date> {
        self.optional("a day such as 2026-05-01", |text| text.parse().ok())
    }

    /// A short text that has to be there.
    pub(crate) fn words(&mut self, most: usize) -> Option<String> {
        let text = self.text.trim();
        if text.is_empty() || text.chars().count() > most {
            self.fault = Some(format!("expected 1 to {most} characters"));
            return None;
        }
        Some(text.into())
    }
}

/// A limit as it is told: three digits are enough.
fn round(limit: f64) -> f64 {
    if limit.abs() < 10.0 { (100.0 * limit).round() / 100.0 } else { limit.round() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keeps_what_was_typed_and_says_what_is_expected() {
        let mut field = Field::new(" 17,5 ");
        assert_eq!(field.number(0.0, 100.0, "%"), Some(17.5));
        let mut field = Field::new("much");
        assert_eq!(field.number(0.0, 100.0, "%"), None);
        assert_eq!(
            (field.text.as_str(), field.fault.as_deref()),
            ("much", Some("“much” does not work; expected 0 to 100 %"))
        );
        assert_eq!(Field::new("NaN").number(0.0, 100.0, "%"), None);
        assert_eq!(Field::new("").number(0.0, 100.0, "%"), None);
        assert_eq!(Field::new("x".repeat(5)).words(4), None);
    }

    #[test]
    fn money_times_and_days_may_be_empty_and_say_what_they_expect() {
        assert_eq!(Field::new(" 0,30 ").decimal(0, 10, "0 to 10"), Some(Decimal::new(30, 2)));
        assert_eq!(Field::new("10 pm").time(), Some(1320));
        assert_eq!(Field::new("2026-05-01").day(), Some(jiff::civil::date(2026, 5, 1)));
        let evening = jiff::civil::date(2026, 5, 1).at(17, 30, 0, 0);
        for text in ["2026-05-01 17:30", "2026-05-01T17:30", " 2026-05-01 5:30 pm "] {
            assert_eq!(Field::new(text).day_and_time(), Some(evening), "{text}");
        }
        assert_eq!(Field::new("17:30").day_and_time(), None);
        let mut empty = Field::new("  ");
        assert_eq!((empty.decimal(0, 10, ""), empty.time(), empty.day(), empty.fault), (None, None, None, None));
        let mut late = Field::new("late");
        assert_eq!(late.time(), None);
        assert_eq!(late.fault.as_deref(), Some("“late” does not work; expected a time such as 22:00 or 10 pm"));
        let mut dear = Field::new("11");
        assert!(dear.decimal(0, 10, "0 to 10").is_none() && dear.fault.is_some());
    }

    #[test]
    fn reads_what_a_person_writes_in_their_units() {
        use spare_hour_core::quantity::units::{ConsumptionUnit, DistanceUnit, TemperatureUnit};
        let units = Units {
            distance: DistanceUnit::Miles,
            consumption: ConsumptionUnit::MilesPerKwh,
            temperature: TemperatureUnit::Fahrenheit,
            ..Units::default()
        };
        assert_eq!(Field::new("250").distance(units, 1.0, 10_000.0), Some(Distance::km(402.336)));
        assert_eq!(Field::new("14").temperature(units, -50.0, 55.0).unwrap().get().round(), -10.0);
        // By hand: 100 / (4 · 1.609344) = 15.534 kWh/100 km.
        assert!((Field::new("4").consumption(units, 1.0, 200.0).unwrap().get() - 15.534).abs() < 0.001);
        let mut field = Field::new("900");
        assert_eq!(field.speed(units, 10.0, 300.0), None);
        assert_eq!(field.fault.as_deref(), Some("“900” does not work; expected 6.21 to 186 mph"));
    }
}
