//! What was noted about a session as a whole, as `key: value` pairs: the `#` lines of a session CSV, the object of a session
//! JSON. docs/formats/session.md lists the keys.

use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::{Conditions, Forecast, Meter};

use crate::number::{clock, parse_clock, parse_number};

/// Longest text of a condition, characters.
const MOST_TEXT: usize = 400;

/// Notes one pair. Keys that have no meaning here are kept; empty values are passed over.
///
/// # Errors
/// What is wrong with the value and what is expected.
pub fn note_condition(conditions: &mut Conditions, key: &str, value: &str) -> Result<(), String> {
    let (key, value) = (key.trim().to_lowercase(), value.trim());
    if value.is_empty() {
        return Ok(());
    }
    if value.chars().count() > MOST_TEXT {
        return Err(format!("{key} is longer than {MOST_TEXT} characters; expected a short text"));
    }
    if note_number(conditions, &key, value)? || note_word(conditions, &key, value)? {
        return Ok(());
    }
    match key.as_str() {
        "car" => conditions.car = Some(value.into()),
        "software" => conditions.software = Some(value.into()),
        "preconditioned" => conditions.preconditioned = Some(value.into()),
        "start" => conditions.start = Some(value.into()),
        "adapter" => conditions.adapter = Some(value.into()),
        "joined" => conditions.joined = Some(value.into()),
        "date" => conditions.day = Some(day(value)?),
        "began" => conditions.began = Some(time_of_day(value)?),
        "forecast" => conditions.forecasts.push(parse_forecast(value)?),
        _ => conditions.other.push((key, value.into())),
    }
    Ok(())
}

/// Notes a pair whose value is a number; says whether it was one.
fn note_number(conditions: &mut Conditions, key: &str, value: &str) -> Result<bool, String> {
    let number = |unit: &str, low: f64, high: f64| match parse_number(value, unit) {
        Some(number) if number >= low && number <= high => Ok(number),
        _ => Err(format!("{key} is \"{value}\"; expected {low} to {high} {unit}")),
    };
    match key {
        "usable_kwh" => conditions.usable = Some(Energy::kwh(number("kWh", 0.1, 2_000.0)?)),
        "range_km" => conditions.rated_range = Some(Distance::km(number("km", 1.0, 10_000.0)?)),
        "site_kw" => conditions.site_power = Some(Power::kw(number("kW", 0.1, 10_000.0)?)),
        "site_a" => conditions.site_current = Some(Current::amps(number("A", 0.1, 10_000.0)?)),
        "site_v" => conditions.site_voltage = Some(Voltage::volts(number("V", 1.0, 5_000.0)?)),
        "ambient_c" => conditions.ambient = Some(Temperature::celsius(number("°C", -100.0, 100.0)?)),
        "battery_c" => conditions.battery = Some(Temperature::celsius(number("°C", -100.0, 200.0)?)),
        "preconditioned_min" => {
            conditions.preconditioned_for = Some(Minutes::new(number("min", 0.0, 1_440.0)?));
        }
        "handshake_s" => conditions.handshake = Some(Minutes::seconds(number("s", 0.0, 3_600.0)?)),
        "failed_attempts" => conditions.failed_attempts = Some(number("", 0.0, 100.0)?.round() as u32),
        "paid" => conditions.paid = Some(money(value)?),
        "phases" => conditions.phases = Some(number("", 1.0, 3.0)?.round() as u32),
        _ => return Ok(false),
    }
    Ok(true)
}

/// Notes a pair whose value is one of a few words; says whether it was one.
fn note_word(conditions: &mut Conditions, key: &str, value: &str) -> Result<bool, String> {
    let yes = || match value.to_lowercase().as_str() {
        "yes" | "true" | "1" => Ok(true),
        "no" | "false" | "0" => Ok(false),
        _ => Err(format!("{key} is \"{value}\"; expected yes or no")),
    };
    match key {
        "meter" => {
            conditions.meter =
                parse_meter(value).ok_or_else(|| format!("meter is \"{value}\"; expected station or car"))?;
        }
        "shared_cabinet" => conditions.shared_cabinet = Some(yes()?),
        "car_on" => conditions.car_on = Some(yes()?),
        _ => return Ok(false),
    }
    Ok(true)
}

/// A day, as `2026-05-01`.
fn day(value: &str) -> Result<String, String> {
    let day: Result<jiff::civil::Date, _> = value.parse();
    day.map(|day| day.to_string()).map_err(|_| format!("date is \"{value}\"; expected such as 2026-05-01"))
}

/// What was paid, with or without a word for its currency.
fn money(value: &str) -> Result<f64, String> {
    let digits = value.trim_matches(|c: char| !c.is_ascii_digit());
    let amount =
        parse_number(digits, "").filter(|amount| (0.0..=100_000.0).contains(amount) && !value.starts_with('-'));
    amount.ok_or_else(|| format!("paid is \"{value}\"; expected 0 to 100000, such as 23.40"))
}

/// A time of day, as `17:30`.
fn time_of_day(value: &str) -> Result<Minutes, String> {
    let time: Result<jiff::civil::Time, _> = value.parse();
    let minutes = |time: jiff::civil::Time| f64::from(time.hour()) * 60.0 + f64::from(time.minute());
    time.map(|time| Minutes::new(minutes(time))).map_err(|_| format!("began is \"{value}\"; expected such as 17:30"))
}

fn time_text(began: Minutes) -> String {
    let minutes = began.get().round() as u32 % 1440;
    format!("{:02}:{:02}", minutes / 60, minutes % 60)
}

pub(crate) fn parse_meter(word: &str) -> Option<Meter> {
    match word.to_lowercase().as_str() {
        "station" => Some(Meter::Station),
        "car" => Some(Meter::Car),
        _ => None,
    }
}

fn meter_word(meter: Meter) -> &'static str {
    match meter {
        Meter::Station => "station",
        Meter::Car => "car",
    }
}

/// A forecast: `5:00 station 38 min to 80 %`.
fn parse_forecast(text: &str) -> Result<Forecast, String> {
    let expected = || format!("forecast is \"{text}\"; expected such as 5:00 station 38 min to 80 %");
    let words: Vec<&str> = text.split_whitespace().filter(|word| !["min", "to", "%"].contains(word)).collect();
    let [at, by, remaining, to] = words[..] else {
        return Err(expected());
    };
    let number = |word: &str, unit: &str, high: f64| {
        parse_number(word, unit).filter(|number| (0.0..=high).contains(number)).ok_or_else(expected)
    };
    Ok(Forecast {
        at: parse_clock(at).ok_or_else(expected)?,
        by: parse_meter(by).ok_or_else(expected)?,
        remaining: Minutes::new(number(remaining, "min", 10_080.0)?),
        to: Soc::percent(number(to, "%", 100.0)?),
    })
}

/// All that was noted, as pairs that [`note_condition`] reads back.
pub fn condition_pairs(conditions: &Conditions) -> Vec<(String, String)> {
    let yes = |yes: bool| if yes { "yes" } else { "no" }.to_string();
    let number = |number: Option<f64>| number.map(|number| number.to_string());
    let seconds = |minutes: Minutes| ((minutes.get() * 60_000.0).round() / 1000.0).to_string();
    let known = [
        ("date", conditions.day.clone()),
        ("began", conditions.began.map(time_text)),
        ("paid", number(conditions.paid)),
        ("usable_kwh", number(conditions.usable.map(Energy::get))),
        ("range_km", number(conditions.rated_range.map(Distance::get))),
        ("meter", Some(meter_word(conditions.meter).to_string())),
        ("car", conditions.car.clone()),
        ("software", conditions.software.clone()),
        ("site_kw", number(conditions.site_power.map(Power::get))),
        ("site_a", number(conditions.site_current.map(Current::get))),
        ("site_v", number(conditions.site_voltage.map(Voltage::get))),
        ("shared_cabinet", conditions.shared_cabinet.map(yes)),
        ("ambient_c", number(conditions.ambient.map(Temperature::get))),
        ("battery_c", number(conditions.battery.map(Temperature::get))),
        ("preconditioned", conditions.preconditioned.clone()),
        ("preconditioned_min", number(conditions.preconditioned_for.map(Minutes::get))),
        ("car_on", conditions.car_on.map(yes)),
        ("adapter", conditions.adapter.clone()),
        ("handshake_s", conditions.handshake.map(seconds)),
        ("failed_attempts", conditions.failed_attempts.map(|failed| failed.to_string())),
        ("phases", conditions.phases.map(|phases| phases.to_string())),
        ("start", conditions.start.clone()),
        ("joined", conditions.joined.clone()),
    ];
    let known = known.into_iter().filter_map(|(key, value)| Some((key.to_string(), value?)));
    let forecasts = conditions.forecasts.iter().map(|forecast| ("forecast".to_string(), forecast_text(forecast)));
    known.chain(forecasts).chain(conditions.other.clone()).collect()
}

fn forecast_text(forecast: &Forecast) -> String {
    let (by, remaining, to) = (meter_word(forecast.by), forecast.remaining.get(), forecast.to.get());
    format!("{} {by} {remaining} min to {to} %", clock(forecast.at))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_pair_is_read_back() {
        let pairs = [
            ("date", "2026-05-01"),
            ("began", "17:30"),
            ("paid", "23.4"),
            ("usable_kwh", "74.5"),
            ("range_km", "455"),
            ("meter", "car"),
            ("car", "Avel 74"),
            ("software", "4.2"),
            ("site_kw", "300"),
            ("site_a", "500"),
            ("site_v", "920"),
            ("shared_cabinet", "yes"),
            ("ambient_c", "-7"),
            ("battery_c", "5.5"),
            ("preconditioned", "by a button"),
            ("preconditioned_min", "20"),
            ("car_on", "no"),
            ("adapter", "none"),
            ("handshake_s", "19"),
            ("failed_attempts", "2"),
            ("phases", "3"),
            ("start", "rain"),
            ("joined", "at 91 %"),
            ("forecast", "5:00 station 38 min to 80 %"),
            ("mood", "calm"),
        ];
        let mut conditions = Conditions::default();
        for (key, value) in pairs {
            note_condition(&mut conditions, key, value).unwrap();
        }
        let told = condition_pairs(&conditions);
        assert_eq!(told, pairs.map(|(key, value)| (key.to_string(), value.to_string())));
    }

    #[test]
    fn says_what_is_expected() {
        let said = |key: &str, value: &str| note_condition(&mut Conditions::default(), key, value).unwrap_err();
        assert_eq!(said("site_kw", "much"), "site_kw is \"much\"; expected 0.1 to 10000 kW");
        assert_eq!(said("car_on", "perhaps"), "car_on is \"perhaps\"; expected yes or no");
        assert_eq!(said("phases", "4"), "phases is \"4\"; expected 1 to 3 ");
        assert_eq!(said("began", "late"), "began is \"late\"; expected such as 17:30");
        assert_eq!(said("paid", "-3"), "paid is \"-3\"; expected 0 to 100000, such as 23.40");
        let mut paid = Conditions::default();
        note_condition(&mut paid, "paid", "23,40 cr").unwrap();
        assert_eq!(paid.paid, Some(23.4));
        assert_eq!(said("date", "May"), "date is \"May\"; expected such as 2026-05-01");
        assert!(said("forecast", "soon").contains("expected such as 5:00 station 38 min to 80 %"));
        assert!(said("start", &"x".repeat(401)).contains("longer than 400"));
        assert_eq!(note_condition(&mut Conditions::default(), "site_kw", " "), Ok(()));
    }
}
