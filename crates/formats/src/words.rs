//! Lines of numbers with their units, in any order: the words of such a line, and numbers in the units of the core.

use spare_hour_core::quantity::Consumption;
use spare_hour_core::quantity::units::{ConsumptionUnit, DistanceUnit, TemperatureUnit};

use crate::number::parse_number;

/// Units that may stand alone behind their number.
const UNITS: [&str; 19] = [
    "km",
    "mi",
    "km/h",
    "mph",
    "kwh",
    "kw",
    "%",
    "min",
    "h",
    "°c",
    "c",
    "°f",
    "f",
    "kg",
    "m",
    "kwh/100km",
    "wh/km",
    "wh/mi",
    "mi/kwh",
];

/// Words, with a unit that stands alone put to the number before it.
pub(crate) fn words(line: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let cleaned = line.replace(['−', '–'], "-").replace(", ", " ").replace("/100 ", "/100");
    for word in cleaned.split_whitespace() {
        let unit = word.to_lowercase();
        let is_unit = UNITS.contains(&unit.as_str());
        match words.last_mut() {
            Some(last) if is_unit && last.ends_with(|c: char| c.is_ascii_digit()) => last.push_str(word),
            _ => words.push(word.to_string()),
        }
    }
    words
}

/// The number and the unit in a word such as `182km` or `19kWh/100km`.
pub(crate) fn split_unit(word: &str) -> (&str, String) {
    let number = |c: char| c.is_ascii_digit() || "+-.,:".contains(c);
    let end = word.find(|c: char| !number(c)).unwrap_or(word.len());
    (&word[..end], word[end..].to_lowercase())
}

/// A number within limits in the core's unit, for a word in that unit or another of its kind.
///
/// # Errors
/// The word, and what is expected.
pub(crate) fn within(word: &str, low: f64, high: f64) -> Result<f64, String> {
    let (text, unit) = split_unit(word);
    let number = parse_number(text, "").and_then(|number| in_core(number, &unit));
    match number {
        Some(number) if (low..=high).contains(&number) => Ok(number),
        _ => {
            let unit = core_unit(&unit);
            Err(format!("\"{word}\" does not work: expected {low} to {high} {unit}"))
        }
    }
}

/// The core's unit for a unit of a line; the same where it is one.
pub(crate) fn core_unit(unit: &str) -> &str {
    match unit {
        "mi" => "km",
        "mph" => "km/h",
        "c" | "f" | "°f" => "°c",
        "wh/km" | "wh/mi" | "mi/kwh" => "kwh/100km",
        unit => unit,
    }
}

/// A number in the core's unit.
fn in_core(number: f64, unit: &str) -> Option<f64> {
    let consumption = |of: ConsumptionUnit| of.consumption(number).map(Consumption::get);
    match unit {
        "mi" | "mph" => Some(number * DistanceUnit::Miles.kilometres()),
        "f" | "°f" => Some(TemperatureUnit::Fahrenheit.temperature(number).get()),
        "wh/km" => consumption(ConsumptionUnit::WhPerKm),
        "wh/mi" => consumption(ConsumptionUnit::WhPerMile),
        "mi/kwh" => consumption(ConsumptionUnit::MilesPerKwh),
        _ => Some(number),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_find_their_numbers() {
        assert_eq!(
            words("50 mi, 60 mph 17.5 kWh/100 km −4 °C calm"),
            ["50mi", "60mph", "17.5kWh/100km", "-4°C", "calm"]
        );
        assert_eq!(split_unit("17.5kWh/100km"), ("17.5", "kwh/100km".to_string()));
        assert_eq!(split_unit("1:41h"), ("1:41", "h".to_string()));
    }

    #[test]
    fn numbers_of_either_side_of_the_channel() {
        // By hand: 50 mi are 80.467 km, 14 °F are −10 °C, 250 Wh/mi are 15.534 kWh/100 km, 4 mi/kWh as well.
        for (word, number) in [("50mi", 80.467_2), ("14°F", -10.0), ("250Wh/mi", 15.534), ("4mi/kWh", 15.534)] {
            assert!((within(word, -50.0, 500.0).unwrap() - number).abs() < 0.001, "{word}");
        }
        assert_eq!(within("900mi", 0.0, 5.0).unwrap_err(), "\"900mi\" does not work: expected 0 to 5 km");
    }
}
