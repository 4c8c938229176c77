//! A stretch of road in one line: `12.5 km 110 km/h +640 m -20 m toward 45 -4 °C wind 30 from 270 wet`, in any order.
//!
//! Only the distance is needed. `kWh/100 km` (or another consumption) is what it takes whatever the weather; without it that
//! follows from speed, climb, wind and temperature. `toward` is where the road leads, in degrees from north, `straight` how
//! straight it is, 0 to 1; `height` its mean height in m; `wind` with `from`, `wet` or `dry`, `kg` of load and `heating` in kW are
//! this stretch's own, in place of the trip's.

use spare_hour_core::driving::road::{Heading, Stretch};
use spare_hour_core::quantity::units::{ConsumptionUnit, Units};
use spare_hour_core::quantity::{Consumption, Distance, Height, Mass, Power, Speed, Temperature};
use spare_hour_core::trip::MOST_SEGMENTS;

use crate::words::{core_unit, split_unit, within, words};

const EXPECTED: &str = "expected such as 120 km 110 km/h, or 12.5 km 60 km/h +640 m toward 45 wet";

/// Reads stretches, one on each line.
///
/// # Errors
/// What is wrong with each line that does not work.
pub fn read_road_lines(text: &str, units: Units) -> Result<Vec<Stretch>, Vec<String>> {
    let (mut road, mut faults) = (Vec::new(), Vec::new());
    for (index, line) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        match read_road_line(line, units) {
            Ok(stretch) => road.push(stretch),
            Err(problem) => faults.push(format!("line {}: {problem}", index + 1)),
        }
    }
    if road.is_empty() && faults.is_empty() {
        faults.push(format!("No road was typed; {EXPECTED}"));
    }
    if road.len() > MOST_SEGMENTS {
        faults.push(format!("{} stretches; expected at most {MOST_SEGMENTS}", road.len()));
    }
    if faults.is_empty() { Ok(road) } else { Err(faults) }
}

/// Reads a stretch from one line.
///
/// # Errors
/// What is wrong or missing, and what is expected.
pub fn read_road_line(line: &str, units: Units) -> Result<Stretch, String> {
    let mut stretch = Stretch::level(Distance::km(0.0));
    let mut straight = 1.0;
    let words = words(line);
    let mut words = words.iter().map(String::as_str);
    while let Some(word) = words.next() {
        let mut next = |unit: &str, low: f64, high: f64| {
            let said = words.next().unwrap_or_default();
            let bare = split_unit(said).1.is_empty();
            let number = if bare { format!("{said}{unit}") } else { said.to_string() };
            within(&number, low, high).map_err(|problem| format!("{word}: {problem}"))
        };
        match word.to_lowercase().as_str() {
            "toward" => stretch.heading = Some(Heading { toward: next("", 0.0, 360.0)?, straight: 1.0 }),
            "straight" => straight = next("", 0.0, 1.0)?,
            "height" => stretch.height = Height::metres(next("m", -500.0, 9_000.0)?),
            "wind" => stretch.own.wind = Some(Speed::kmh(next(units.distance.speed_name(), 0.0, 150.0)?)),
            "from" => stretch.own.wind_from = Some(next("", 0.0, 360.0)?),
            "heating" => stretch.own.heating = Some(Power::kw(next("kw", 0.0, 20.0)?)),
            "wet" => stretch.own.wet = Some(true),
            "dry" => stretch.own.wet = Some(false),
            _ => take(&mut stretch, word)?,
        }
    }
    if stretch.length.get() <= 0.0 {
        return Err(format!("the distance is missing; {EXPECTED}"));
    }
    stretch.heading = stretch.heading.map(|heading| Heading { straight, ..heading });
    Ok(stretch)
}

/// Takes a number with its unit.
fn take(stretch: &mut Stretch, word: &str) -> Result<(), String> {
    let (number, unit) = split_unit(word);
    match core_unit(&unit) {
        "km" => stretch.length = Distance::km(within(word, 0.001, 50_000.0)?),
        "km/h" => stretch.own.speed = Some(Speed::kmh(within(word, 1.0, 400.0)?)),
        "kwh/100km" => stretch.typed = Some(Consumption::kwh_per_100km(within(word, -200.0, 500.0)?)),
        "m" if number.starts_with('-') => stretch.descent = Height::metres(-within(word, -20_000.0, 0.0)?),
        "m" => stretch.climb = Height::metres(within(word, 0.0, 20_000.0)?),
        "°c" => stretch.own.outside = Some(Temperature::celsius(within(word, -60.0, 60.0)?)),
        "kg" => stretch.own.load = Some(Mass::kg(within(word, 0.0, 2_000.0)?)),
        _ => return Err(format!("“{word}” is not understood; {EXPECTED}")),
    }
    Ok(())
}

/// A stretch as a line that [`read_road_line`] reads back, in a person's units.
pub fn write_road_line(stretch: &Stretch, units: Units) -> String {
    let own = &stretch.own;
    let (distance, temperature) = (units.distance, units.temperature);
    let mut parts = vec![format!("{} {}", short(distance.of(stretch.length)), distance.name())];
    let mut tell = |number: Option<f64>, before: &str, unit: &str| {
        parts.extend(number.map(|number| format!("{before}{}{unit}", short(number))));
    };
    let speed = |speed: Speed| distance.of_speed(speed);
    let some = |height: Height| Some(height.get()).filter(|height| *height > 0.0);
    tell(own.speed.map(speed), "", &format!(" {}", distance.speed_name()));
    tell(some(stretch.climb), "+", " m");
    tell(some(stretch.descent), "-", " m");
    tell(Some(stretch.height.get()).filter(|height| *height != 0.0), "height ", "");
    tell(stretch.heading.map(|heading| heading.toward), "toward ", "");
    tell(stretch.heading.map(|heading| heading.straight).filter(|share| *share < 0.999), "straight ", "");
    tell(own.outside.map(|outside| temperature.of(outside)), "", &format!(" {}", temperature.name()));
    tell(own.wind.map(speed), "wind ", "");
    tell(own.wind_from, "from ", "");
    tell(own.load.map(Mass::get), "", " kg");
    tell(own.heating.map(Power::get), "heating ", "");
    parts.extend(own.wet.map(|wet| if wet { "wet" } else { "dry" }.to_string()));
    parts.extend(stretch.typed.map(|typed| {
        // What gives back has no number in distance per energy.
        let reciprocal = units.consumption.is_reciprocal() && typed.get() <= 0.0;
        let unit = if reciprocal { ConsumptionUnit::WhPerMile } else { units.consumption };
        format!("{} {}", short(unit.of(typed)), unit.name())
    }));
    parts.join(" ")
}

/// At most three decimals.
fn short(number: f64) -> String {
    let text = format!("{number:.3}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use spare_hour_core::driving::road::OwnConditions;
    use spare_hour_core::quantity::units::{ClockFace, DistanceUnit, TemperatureUnit};

    const MILES: Units = Units {
        distance: DistanceUnit::Miles,
        consumption: ConsumptionUnit::MilesPerKwh,
        temperature: TemperatureUnit::Fahrenheit,
        clock: ClockFace::Twelve,
    };

    #[test]
    fn a_line_in_any_order() {
        let line = "wet 12.5 km, +640 m −20 m 60 km/h toward 45 straight 0.9 height 900 -4 °C wind 30 from 270 120 kg heating 2.5";
        let stretch = read_road_line(line, Units::default()).unwrap();
        assert_eq!(
            (stretch.length, stretch.climb, stretch.descent),
            (Distance::km(12.5), Height::metres(640.0), Height::metres(20.0))
        );
        assert_eq!(stretch.heading, Some(Heading { toward: 45.0, straight: 0.9 }));
        assert_eq!(
            (stretch.own.wind, stretch.own.wind_from, stretch.own.wet),
            (Some(Speed::kmh(30.0)), Some(270.0), Some(true))
        );
        assert_eq!((stretch.own.heating, stretch.own.load), (Some(Power::kw(2.5)), Some(Mass::kg(120.0))));
        let typed = read_road_line("75 mi 70 mph 3.2 mi/kWh wind 10", MILES).unwrap();
        // By hand: 3.2 mi/kWh are 100 / (3.2 · 1.609344) = 19.418 kWh/100 km.
        assert!((typed.typed.unwrap().get() - 19.418).abs() < 0.001);
        assert!((typed.own.wind.unwrap().get() - 16.093).abs() < 0.001);
    }

    #[test]
    fn says_what_is_wrong_or_missing() {
        for (line, part) in [
            ("110 km/h", "the distance is missing"),
            ("50 km quickly", "“quickly” is not understood"),
            ("50 km wind", "wind: \"km/h\" does not work: expected 0 to 150 km/h"),
            ("50 km toward north", "toward: \"north\" does not work: expected 0 to 360"),
            ("50 km 900 km/h", "expected 1 to 400 km/h"),
        ] {
            let error = read_road_line(line, Units::default()).unwrap_err();
            assert!(error.contains(part), "{line}: {error}");
        }
        let faults = read_road_lines("50 km\n\nfast\n", Units::default()).unwrap_err();
        assert!(faults.len() == 1 && faults[0].starts_with("line 3: "), "{faults:?}");
        assert!(read_road_lines("\n", Units::default()).unwrap_err()[0].starts_with("No road was typed"));
    }

    proptest! {
        #[test]
        fn never_panics(line in "\\PC{0,60}", near in "[0-9km/h +-]{0,20}(wind|toward|wet|°C| ){0,3}[0-9a-z°/ ]{0,12}") {
            let _ = read_road_line(&line, MILES);
            let _ = read_road_line(&near, MILES);
        }

        #[test]
        fn what_is_written_is_read_back(
            numbers in prop::collection::vec(0.01f64..140.0, 12),
            wet in prop::option::of(any::<bool>()),
            miles in any::<bool>(),
        ) {
            let n = |index: usize| numbers[index];
            let stretch = Stretch {
                length: Distance::km(n(0)),
                climb: Height::metres(n(1)),
                descent: Height::metres(n(2)),
                height: Height::metres(n(3)),
                heading: Some(Heading { toward: n(4), straight: n(5) / 140.0 }),
                own: OwnConditions {
                    speed: Some(Speed::kmh(2.0 + n(6))),
                    outside: Some(Temperature::celsius(0.8 * n(7) - 55.0)),
                    wind: Some(Speed::kmh(n(8))),
                    wind_from: Some(n(9)),
                    wet,
                    load: Some(Mass::kg(n(10))),
                    heating: Some(Power::kw(n(11) / 10.0)),
                },
                typed: (n(0) > 70.0).then(|| Consumption::kwh_per_100km(n(1))),
            };
            let units = if miles { MILES } else { Units::default() };
            let again = read_road_line(&write_road_line(&stretch, units), units).unwrap();
            prop_assert!((again.length.get() - stretch.length.get()).abs() < 0.001);
            prop_assert!((again.own.outside.unwrap().get() - stretch.own.outside.unwrap().get()).abs() < 0.001);
            prop_assert!((again.heading.unwrap().straight - stretch.heading.unwrap().straight).abs() < 0.001);
            prop_assert!((again.own.wind.unwrap().get() - stretch.own.wind.unwrap().get()).abs() < 0.001);
            prop_assert_eq!((again.own.wet, again.typed.is_some()), (wet, stretch.typed.is_some()));
        }
    }
}
