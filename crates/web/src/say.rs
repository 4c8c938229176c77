//! Figures as people read them.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Consumption, Distance, Minutes, Soc, Speed, Temperature};

/// Minutes as `1 h 23 min`, or `23 min` below an hour.
pub(crate) fn duration(minutes: Minutes) -> String {
    let whole = minutes.get().round() as i64;
    if whole < 60 { format!("{whole} min") } else { format!("{} h {:02} min", whole / 60, whole % 60) }
}

/// Minutes with a decimal below ten, without above.
pub(crate) fn minutes(minutes: f64) -> String {
    if minutes.abs() < 9.95 { format!("{minutes:.1}") } else { format!("{minutes:.0}") }
}

/// A difference in minutes with its sign; nothing at all is "±0".
pub(crate) fn more_minutes(difference: f64) -> String {
    if difference.abs() < 0.05 {
        "±0 min".into()
    } else {
        format!("{}{} min", sign(difference), minutes(difference.abs()))
    }
}

/// A difference in money with its sign.
pub(crate) fn more_money(difference: f64, currency: &str) -> String {
    if difference.abs() < 0.005 {
        format!("±0 {currency}")
    } else {
        format!("{}{:.2} {currency}", sign(difference), difference.abs())
    }
}

fn sign(difference: f64) -> &'static str {
    if difference < 0.0 { "−" } else { "+" }
}

/// SoC in whole percents.
pub(crate) fn percent(soc: Soc) -> String {
    format!("{:.0} %", soc.get())
}

/// The time of day some minutes after a departure in minutes after midnight, with the day when it is not the first.
pub(crate) fn time_of_day(units: Units, departure: f64, minutes: f64) -> String {
    let at = (departure + minutes).round().max(0.0) as u32;
    let time = units.clock.time(at);
    if at < 1440 { time } else { format!("{time} +{} d", at / 1440) }
}

/// A distance, whole: `123 km`.
pub(crate) fn distance(units: Units, distance: Distance) -> String {
    format!("{:.0} {}", units.distance.of(distance), units.distance.name())
}

/// A speed, whole: `110 km/h`.
pub(crate) fn speed(units: Units, speed: Speed) -> String {
    format!("{:.0} {}", units.distance.of_speed(speed), units.distance.speed_name())
}

/// A temperature, whole: `−7 °C`.
pub(crate) fn temperature(units: Units, temperature: Temperature) -> String {
    let degrees = units.temperature.of(temperature).round();
    format!("{}{:.0} {}", if degrees < 0.0 { "−" } else { "" }, degrees.abs(), units.temperature.name())
}

/// The number of a consumption, with the decimals that its unit deserves.
pub(crate) fn bare_consumption(units: Units, consumption: Consumption) -> String {
    let number = units.consumption.of(consumption);
    if number.is_finite() { format!("{number:.*}", units.consumption.decimals()) } else { "gives back".into() }
}

/// A consumption: `18.4 kWh/100 km`.
pub(crate) fn consumption(units: Units, consumption: Consumption) -> String {
    let number = bare_consumption(units, consumption);
    if units.consumption.of(consumption).is_finite() {
        format!("{number} {}", units.consumption.name())
    } else {
        number
    }
}

/// A sentence of the core, which tells SI units, with the numbers that stand before them retold in the person's.
pub(crate) fn retold(units: Units, sentence: &str) -> String {
    let degrees = |number: f64| temperature(units, Temperature::celsius(number));
    let pace = |number: f64| speed(units, Speed::kmh(number));
    let takes = |number: f64| consumption(units, Consumption::kwh_per_100km(number));
    let told = with_unit(sentence, " °C", degrees);
    let told = with_unit(&told, " kWh/100 km", takes);
    with_unit(&told, " km/h", pace)
}

/// A sentence with every number before a unit retold, unit and all.
fn with_unit(sentence: &str, unit: &str, tell: impl Fn(f64) -> String) -> String {
    let mut told = String::new();
    let mut rest = sentence;
    while let Some(at) = rest.find(unit) {
        let number = |c: char| c.is_ascii_digit() || ".-−".contains(c);
        let start = rest[..at].trim_end_matches(number).len();
        match rest[start..at].replace('−', "-").parse::<f64>() {
            Ok(number) => told.push_str(&format!("{}{}", &rest[..start], tell(number))),
            Err(_) => told.push_str(&rest[..at + unit.len()]),
        }
        rest = &rest[at + unit.len()..];
    }
    told + rest
}

/// A date and a time as they are kept, `2026-05-01 14:03:20`, to the minute on the person's clock face.
pub(crate) fn stamp(units: Units, kept: &str) -> String {
    let (date, time) = kept.split_once(' ').unwrap_or((kept, ""));
    let minutes = time.get(..5).and_then(spare_hour_core::quantity::units::parse_time);
    minutes.map_or_else(|| kept.into(), |minutes| format!("{date} {}", units.clock.time(minutes)))
}

/// A number for a field: no more decimals than it has.
pub(crate) fn field(number: f64) -> String {
    let text = format!("{number:.3}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_read_well() {
        assert_eq!(duration(Minutes::new(59.4)), "59 min");
        assert_eq!(duration(Minutes::new(125.0)), "2 h 05 min");
        assert_eq!(["+3.2 min", "−12 min", "±0 min"], [3.2, -12.1, 0.01].map(more_minutes));
        assert_eq!(more_money(-1.4, "cr"), "−1.40 cr");
        let usual = Units::default();
        assert_eq!(time_of_day(usual, 480.0, 1000.0), "00:40 +1 d");
        assert_eq!(stamp(usual, "2026-05-01 14:03:20"), "2026-05-01 14:03");
        assert_eq!(temperature(usual, Temperature::celsius(-7.2)), "−7 °C");
        assert_eq!([field(10.0), field(0.5), field(17.25)], ["10", "0.5", "17.25"]);
    }

    #[test]
    fn figures_follow_the_person() {
        use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, DistanceUnit, TemperatureUnit};
        let units = Units {
            distance: DistanceUnit::Miles,
            consumption: ConsumptionUnit::MilesPerKwh,
            temperature: TemperatureUnit::Fahrenheit,
            clock: ClockFace::Twelve,
        };
        assert_eq!(distance(units, Distance::km(100.0)), "62 mi");
        assert_eq!(speed(units, Speed::kmh(112.654)), "70 mph");
        assert_eq!(temperature(units, Temperature::celsius(-20.0)), "−4 °F");
        assert_eq!(consumption(units, Consumption::kwh_per_100km(20.0)), "3.11 mi/kWh");
        assert_eq!(consumption(units, Consumption::kwh_per_100km(-1.0)), "gives back");
        assert_eq!(time_of_day(units, 480.0, 330.0), "1:30 pm");
        assert_eq!(stamp(units, "2026-05-01 14:03:20"), "2026-05-01 2:03 pm");
        let sentence = "The packs began at −10 °C to 20 °C, at 112.7 km/h and 20 kWh/100 km; km/h are km/h.";
        let told = "The packs began at 14 °F to 68 °F, at 70 mph and 3.11 mi/kWh; km/h are km/h.";
        assert_eq!(retold(units, sentence), told);
    }
}
