//! Figures as people read them.

use jiff::{SignedDuration, ZonedDateTime};
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Consumption, Distance, Minutes, Soc, Speed, Temperature};
use spare_hour_core::session::meters::PartByMeters;

/// Minutes as `1 h 23 min`, or `23 min` below an hour.
pub fn duration(minutes: Minutes) -> String {
    let whole = minutes.get().round() as i64;
    if whole < 60 { format!("{whole} min") } else { format!("{} h {:02} min", whole / 60, whole % 60) }
}

/// Minutes with a decimal below ten, without above.
pub fn minutes(minutes: f64) -> String {
    if minutes.abs() < 9.95 { format!("{minutes:.1}") } else { format!("{minutes:.0}") }
}

/// A difference in minutes with its sign; nothing at all is "±0".
pub fn more_minutes(difference: f64) -> String {
    if difference.abs() < 0.05 {
        "±0 min".into()
    } else {
        format!("{}{} min", sign(difference), minutes(difference.abs()))
    }
}

/// A difference in money with its sign.
pub fn more_money(difference: f64, currency: &str) -> String {
    if difference.abs() < 0.005 {
        format!("±0 {currency}")
    } else {
        format!("{}{:.2} {currency}", sign(difference), difference.abs())
    }
}

fn sign(difference: f64) -> &'static str {
    if difference < 0.0 { "−" } else { "+" }
}

/// Minutes as a stopwatch shows them: `4:30`.
pub fn stopwatch(minutes: Minutes) -> String {
    let seconds = (minutes.get() * 60.0).round() as i64;
    format!("{}:{:02}", seconds / 60, seconds % 60)
}

/// SoC in whole percents.
pub fn percent(soc: Soc) -> String {
    format!("{:.0} %", soc.get())
}

/// The time of day some minutes after a departure in minutes after midnight, with the day when it is not the first.
pub fn time_of_day(units: Units, departure: f64, minutes: f64) -> String {
    let at = (departure + minutes).round().max(0.0) as u32;
    let time = units.clock.time(at);
    if at < 1440 { time } else { format!("{time} +{} d", at / 1440) }
}

/// A moment to the nearest minute, in its own zone: `Fri 14:10`, or `Fri 2:10 pm`.
pub fn day_and_time(units: Units, moment: &ZonedDateTime) -> String {
    let nearest = moment.checked_add(SignedDuration::from_secs(30)).unwrap_or_else(|_| moment.clone());
    let minute = 60 * nearest.hour() as u32 + nearest.minute() as u32;
    format!("{} {}", nearest.strftime("%a"), units.clock.time(minute))
}

/// The time of a moment, with the day where it is another than that of a departure: `14:10`, or `Sat 2:10 pm`.
pub fn time_since(units: Units, departure: &ZonedDateTime, moment: &ZonedDateTime) -> String {
    let told = day_and_time(units, moment);
    let same = moment.date() == departure.date();
    told.split_once(' ').filter(|_| same).map_or(told.clone(), |(_, time)| time.to_string())
}

/// A distance, whole: `123 km`.
pub fn distance(units: Units, distance: Distance) -> String {
    format!("{:.0} {}", units.distance.of(distance), units.distance.name())
}

/// A speed, whole: `110 km/h`.
pub fn speed(units: Units, speed: Speed) -> String {
    format!("{:.0} {}", units.distance.of_speed(speed), units.distance.speed_name())
}

/// A temperature, whole: `−7 °C`.
pub fn temperature(units: Units, temperature: Temperature) -> String {
    let degrees = units.temperature.of(temperature).round();
    format!("{}{:.0} {}", if degrees < 0.0 { "−" } else { "" }, degrees.abs(), units.temperature.name())
}

/// The number of a consumption, with the decimals that its unit deserves.
pub fn bare_consumption(units: Units, consumption: Consumption) -> String {
    let number = units.consumption.of(consumption);
    if number.is_finite() { format!("{number:.*}", units.consumption.decimals()) } else { "gives back".into() }
}

/// A consumption: `18.4 kWh/100 km`.
pub fn consumption(units: Units, consumption: Consumption) -> String {
    let number = bare_consumption(units, consumption);
    if units.consumption.of(consumption).is_finite() {
        format!("{number} {}", units.consumption.name())
    } else {
        number
    }
}

/// A date and a time as they are kept, `2026-05-01 14:03:20`, to the minute on the person's clock face.
pub fn stamp(units: Units, kept: &str) -> String {
    let (date, time) = kept.split_once(' ').unwrap_or((kept, ""));
    let minutes = time.get(..5).and_then(spare_hour_core::quantity::units::parse_time);
    minutes.map_or_else(|| kept.into(), |minutes| format!("{date} {}", units.clock.time(minutes)))
}

/// A number with so many decimals, or a dash where there is none.
pub fn or_dash(number: Option<f64>, decimals: usize) -> String {
    number.map_or_else(|| "–".into(), |number| format!("{number:.decimals$}"))
}

/// The unit of a distance a minute.
pub fn pace_name(units: Units) -> &'static str {
    match units.distance {
        DistanceUnit::Kilometres => "km/min",
        DistanceUnit::Miles => "mi/min",
    }
}

/// A number for a field: no more decimals than it has.
pub fn field(number: f64) -> String {
    let text = format!("{number:.3}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

/// A part of a charge by both meters: SoC, kW at the plug, kWh from it and stored, loss in % of the plug's.
pub fn part_by_meters(part: &PartByMeters) -> [String; 5] {
    [
        format!("{:.0}–{:.0} %", part.from.get(), part.to.get()),
        format!("{:.0}", part.power.get()),
        format!("{:.2}", part.plug.get()),
        format!("{:.2}", part.stored.get()),
        format!("{:.1}", part.loss_percent()).replace('-', "−"),
    ]
}

#[cfg(test)]
mod tests {
    use spare_hour_core::quantity::units::ClockFace::{Twelve, TwentyFour};

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
        use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, TemperatureUnit};
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
    }

    #[test]
    fn moments_are_told_to_the_nearest_minute_on_either_clock_face() {
        let told = |clock, text: &str| {
            day_and_time(Units { clock, ..Units::default() }, &text.parse::<ZonedDateTime>().unwrap())
        };
        assert_eq!(told(TwentyFour, "2026-12-18T14:09:52+00:00[UTC]"), "Fri 14:10");
        assert_eq!(told(Twelve, "2026-12-18T14:09:29+00:00[UTC]"), "Fri 2:09 pm");
        // The last night of summer time in Lisbon: the hour that comes twice, and the day that begins by rounding.
        assert_eq!(told(TwentyFour, "2026-10-24T23:59:40+01:00[Europe/Lisbon]"), "Sun 00:00");
        assert_eq!(told(TwentyFour, "2026-10-25T01:59:45+01:00[Europe/Lisbon]"), "Sun 01:00");
    }
}
