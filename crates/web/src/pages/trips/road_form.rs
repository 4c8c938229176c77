//! The road that a form brings: typed lines, a list, or a track.

use spare_hour_core::driving::road::{Heading, OwnConditions, Stretch};
use spare_hour_core::driving::track::Track;
use spare_hour_core::driving::track_stretches::track_stretches;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Consumption, Height, Mass, Power, Temperature};
use spare_hour_formats::{read_road, read_road_lines, read_track, write_road_line};

use crate::http::upload::Upload;
use spare_hour_wording::figures;

/// Stretches as a person in these units would type them: plain, over a pass, of known consumption, in weather of its own.
pub(super) fn examples(units: Units) -> Vec<String> {
    let (long, speed) = match units.distance {
        DistanceUnit::Kilometres => (82.0, 115.0),
        DistanceUnit::Miles => (50.0, 70.0),
    };
    let (long, fast, slow) =
        (units.distance.distance(long), units.distance.speed(speed), units.distance.speed(speed - 45.0));
    let at = |speed| OwnConditions { speed: Some(speed), ..OwnConditions::default() };
    let plain = Stretch { own: at(fast), ..Stretch::level(long) };
    let pass = Stretch {
        climb: Height::metres(640.0),
        descent: Height::metres(20.0),
        height: Height::metres(900.0),
        heading: Some(Heading { toward: 45.0, straight: 1.0 }),
        own: OwnConditions { wet: Some(true), ..at(slow) },
        ..Stretch::level(units.distance.distance(12.0))
    };
    let known = figures::bare_consumption(units, Consumption::kwh_per_100km(17.0)).parse().ok();
    let typed = Stretch { typed: known.and_then(|known| units.consumption.consumption(known)), ..plain };
    let weather = OwnConditions {
        outside: Some(units.temperature.temperature(units.temperature.of(Temperature::celsius(-4.0)).round())),
        wind: Some(units.distance.speed(20.0)),
        wind_from: Some(270.0),
        load: Some(Mass::kg(80.0)),
        heating: Some(Power::kw(2.0)),
        ..at(fast)
    };
    let stormy = Stretch { own: weather, ..plain };
    [plain, pass, typed, stormy].iter().map(|stretch| write_road_line(stretch, units)).collect()
}

/// A road, with the track that it came from.
pub(super) struct BroughtRoad {
    pub(super) stretches: Vec<Stretch>,
    pub(super) track: Option<Track>,
}

/// Reads the road of a form: its file if there is one, else its lines.
pub(super) fn brought(upload: &Upload, units: Units) -> Result<BroughtRoad, Vec<String>> {
    if !upload.from_file {
        let stretches = read_road_lines(&upload.field("text"), units)?;
        return Ok(BroughtRoad { stretches, track: None });
    }
    if matches!(upload.bytes.trim_ascii_start().first(), Some(b'<' | b'{')) {
        let track = read_track(&upload.bytes).map_err(|error| vec![format!("The track: {error}.")])?;
        return Ok(BroughtRoad { stretches: track_stretches(&track), track: Some(track) });
    }
    let stretches = read_road(&upload.bytes).map_err(|error| vec![format!("The road: {error}.")])?;
    Ok(BroughtRoad { stretches, track: None })
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::{ConsumptionUnit, TemperatureUnit};

    #[test]
    fn examples_are_in_the_persons_units_and_can_be_typed() {
        let american = Units {
            distance: DistanceUnit::Miles,
            consumption: ConsumptionUnit::MilesPerKwh,
            temperature: TemperatureUnit::Fahrenheit,
            ..Units::default()
        };
        assert_eq!(examples(Units::default())[0], "82 km 115 km/h");
        assert_eq!(examples(american)[2], "50 mi 70 mph 3.66 mi/kWh");
        for units in [Units::default(), american] {
            let lines = examples(units);
            assert_eq!(read_road_lines(&lines.join("\n"), units).unwrap().len(), lines.len());
        }
    }
}
