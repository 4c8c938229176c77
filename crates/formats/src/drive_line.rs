//! A drive typed in one line: `2026-05-01 182 km 1:41 h 88-52 % 7 °C +640 m -310 m wind 15`, in any order.
//!
//! Every number carries its unit, so the order does not matter: `km`, `min` or `h` (or `h:mm h`), `km/h`, `kWh`, `%` (before
//! and after, `88-52 %`), `°C`, `kg`, `m` (climb with +, descent with −); `mi`, `mph` and `°F` as well. `wind 15` is against the
//! direction of travel, in km/h or mph as the writer tells distances. What else is written is kept as the note.

use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::quantity::{Distance, Energy, Height, Mass, Minutes, Soc, Speed, Temperature};

use spare_hour_core::quantity::units::DistanceUnit;

use crate::number::parse_number;
use crate::words::{core_unit, split_unit, within, words};

const EXPECTED: &str = "expected distance, time or speed, and energy or SoC, such as 182 km 1:41 h 33.5 kWh 7 °C, 182 km 108 km/h 88-52 %, or a long-run average, 12400 km 17.8 kWh/100 km";
/// Most of one line: years of driving.
const MOST_KM: f64 = 1_000_000.0;
const MOST_KWH: f64 = 500_000.0;

/// A wind such as `15`, in km/h or mph as distances are told, or `10mph`.
fn wind(word: &str, distance: DistanceUnit) -> Option<f64> {
    let (number, unit) = split_unit(word);
    let word = if unit.is_empty() { format!("{number}{}", distance.speed_name()) } else { word.into() };
    if core_unit(&split_unit(&word).1) == "km/h" { within(&word, -150.0, 150.0).ok() } else { None }
}

/// What was found in a line so far.
#[derive(Default)]
struct Found {
    day: Option<String>,
    km: Option<f64>,
    minutes: Option<f64>,
    kmh: Option<f64>,
    kwh: Option<f64>,
    /// kWh/100 km, of a long-run average.
    average: Option<f64>,
    soc: Option<(f64, f64)>,
    outside: Option<f64>,
    load: Option<f64>,
    climb: Option<f64>,
    descent: Option<f64>,
    wind: Option<f64>,
    note: Vec<String>,
}

/// Reads a drive from one line.
///
/// # Errors
/// What is wrong or missing, and what is expected.
pub fn read_drive_line(line: &str, distance: DistanceUnit) -> Result<Drive, String> {
    let mut found = Found::default();
    let words = words(line);
    let mut words = words.iter().map(String::as_str).peekable();
    while let Some(word) = words.next() {
        let wind = words.peek().filter(|_| word.eq_ignore_ascii_case("wind")).and_then(|next| wind(next, distance));
        if wind.is_some() {
            words.next();
            found.wind = wind;
            continue;
        }
        if !found.take(word)? {
            found.note.push(word.to_string());
        }
    }
    found.drive()
}

impl Found {
    /// Takes a word; says whether it meant anything.
    fn take(&mut self, word: &str) -> Result<bool, String> {
        if word.len() == 10 && word.parse::<jiff::civil::Date>().is_ok() {
            self.day = Some(word.into());
            return Ok(true);
        }
        let (text, unit) = split_unit(word);
        let within = |low: f64, high: f64| within(word, low, high).map(Some);
        match core_unit(&unit) {
            "km" => self.km = within(0.1, MOST_KM)?,
            "km/h" => self.kmh = within(1.0, 300.0)?,
            "kwh" => self.kwh = within(-50.0, MOST_KWH)?,
            "kwh/100km" => self.average = within(1.0, 200.0)?,
            "min" => self.minutes = within(0.1, 10_000.0)?,
            "h" => {
                self.minutes =
                    Some(hours(text).ok_or_else(|| format!("\"{word}\" is no time: expected such as 1:41 h"))?);
            }
            "°c" => self.outside = within(-60.0, 60.0)?,
            "kg" => self.load = within(0.0, 2_000.0)?,
            "m" if text.starts_with('-') => self.descent = within(-20_000.0, 0.0)?.map(f64::abs),
            "m" => self.climb = within(0.0, 20_000.0)?,
            "%" => {
                self.soc =
                    Some(percents(text).ok_or_else(|| {
                        format!("\"{word}\" does not work: expected before and after, such as 88-52 %")
                    })?);
            }
            _ => return Ok(false),
        }
        Ok(true)
    }

    fn drive(self) -> Result<Drive, String> {
        let km = self.km.ok_or_else(|| format!("the distance is missing; {EXPECTED}"))?;
        let minutes = self.minutes.or(self.kmh.map(|kmh| 60.0 * km / kmh));
        if minutes.is_none() && self.average.is_none() {
            return Err(format!("time or speed is missing; {EXPECTED}"));
        }
        let by_average = self.average.map(|average| average * km / 100.0);
        let used = match (self.kwh.or(by_average), self.soc) {
            (Some(kwh), _) => Used::Energy(Energy::kwh(kwh)),
            (None, Some((before, after))) => Used::Soc(Soc::percent(before), Soc::percent(after)),
            (None, None) => return Err(format!("energy or SoC is missing; {EXPECTED}")),
        };
        Ok(Drive {
            day: self.day,
            outside: self.outside.map(Temperature::celsius),
            load: self.load.map(Mass::kg),
            headwind: self.wind.map(Speed::kmh),
            climb: self.climb.map(Height::metres),
            descent: self.descent.map(Height::metres),
            note: (!self.note.is_empty()).then(|| self.note.join(" ")),
            ..Drive::new(Distance::km(km), minutes.map(Minutes::new), used)
        })
    }
}

/// `1:41` or `1.7` hours in minutes.
fn hours(text: &str) -> Option<f64> {
    match text.split_once(':') {
        Some((hours, minutes)) => {
            let (hours, minutes) = (hours.parse::<u32>().ok()?, minutes.parse::<u32>().ok()?);
            (hours < 100 && minutes < 60).then(|| f64::from(60 * hours + minutes))
        }
        None => parse_number(text, "").filter(|hours| (0.01..100.0).contains(hours)).map(|hours| 60.0 * hours),
    }
}

/// `88-52`.
fn percents(text: &str) -> Option<(f64, f64)> {
    let (before, after) = text.split_once('-')?;
    let percent = |text: &str| parse_number(text, "%").filter(|percent| (0.0..=100.0).contains(percent));
    Some((percent(before)?, percent(after)?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(line: &str) -> Result<Drive, String> {
        read_drive_line(line, DistanceUnit::Kilometres)
    }

    #[test]
    fn a_long_run_average_has_no_time() {
        let drive = read_drive_line("12400 km 17.8 kWh/100 km a year", DistanceUnit::Kilometres).unwrap();
        // Arithmetic: 124 times 17.8 kWh.
        assert_eq!((drive.time, drive.note.as_deref()), (None, Some("a year")));
        assert!(matches!(drive.used, Used::Energy(energy) if (energy.get() - 2207.2).abs() < 1e-6));
        let miles = read_drive_line("7700 mi 3.5 mi/kWh", DistanceUnit::Miles).unwrap();
        assert!(matches!(miles.used, Used::Energy(energy) if (energy.get() - 2200.0).abs() < 0.5), "{miles:?}");
        assert!(
            read_drive_line("50 km 9 kWh", DistanceUnit::Kilometres)
                .unwrap_err()
                .starts_with("time or speed is missing")
        );
    }

    #[test]
    fn a_line_in_any_order() {
        let drive = read("2026-05-01 182 km 1:41 h 88-52 % 7 °C +640 m −310 m wind 15 winter tyres").unwrap();
        assert_eq!(
            (drive.day.as_deref(), drive.distance.get(), drive.time.unwrap().get()),
            (Some("2026-05-01"), 182.0, 101.0)
        );
        assert_eq!(drive.used, Used::Soc(Soc::percent(88.0), Soc::percent(52.0)));
        assert_eq!((drive.climb.unwrap().get(), drive.descent.unwrap().get()), (640.0, 310.0));
        assert_eq!((drive.headwind.unwrap().get(), drive.outside.unwrap().get()), (15.0, 7.0));
        assert_eq!(drive.note.as_deref(), Some("winter tyres"));
        let same = read("33,5kWh 90 km/h, 60 km").unwrap();
        assert_eq!((same.time.unwrap().get(), same.used), (40.0, Used::Energy(Energy::kwh(33.5))));
        assert_eq!(read("50 km 30 min 9 kWh -4 °C").unwrap().outside.unwrap().get(), -4.0);
        assert_eq!(read("50 km 0.5 h 9 kWh 120 kg").unwrap().load.unwrap().get(), 120.0);
    }

    #[test]
    fn a_line_in_miles() {
        let drive = read_drive_line("100 mi 50 mph 28 kWh 14 °F wind 10", DistanceUnit::Miles).unwrap();
        // By hand: 160.9344 km in two hours at −10 °C, 16.09 km/h of wind.
        assert_eq!((drive.distance.get(), drive.time.unwrap().get()), (160.934_4, 120.0));
        assert!((drive.outside.unwrap().get() + 10.0).abs() < 1e-9);
        assert!((drive.headwind.unwrap().get() - 16.093_44).abs() < 1e-9);
        assert!((read("10 km 9 min 2 kWh wind 10mph").unwrap().headwind.unwrap().get() - 16.093_44).abs() < 1e-9);
    }

    #[test]
    fn says_what_is_wrong_or_missing() {
        for (line, part) in [
            ("", "the distance is missing"),
            ("50 km 9 kWh", "time or speed is missing"),
            ("50 km 30 min", "energy or SoC is missing"),
            ("50 km 30 min 88 %", "expected before and after"),
            ("50 km 1:75 h 9 kWh", "is no time"),
            ("9900000 km 30 min 9 kWh", "expected 0.1 to 1000000 km"),
        ] {
            let error = read(line).unwrap_err();
            assert!(error.contains(part), "{line}: {error}");
        }
    }

    proptest! {
        #[test]
        fn never_panics(line in "\\PC{0,60}") {
            let _ = read(&line);
        }
    }
}
