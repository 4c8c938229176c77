//! Charging places on the map: OCPI 2.2.1 locations (field names recalled from memory), GeoJSON points, or CSV.

use geojson::{GeoJson, GeometryValue};
use serde::Deserialize;
use spare_hour_core::quantity::{Current, Power};

use crate::number::parse_number;
use crate::session_csv::separator;
use crate::{FormatError, text_of};

/// Most places of a file.
const MOST_PLACES: usize = 20_000;

/// A charging place.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ChargingPlace {
    /// Its name in the file.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// Degrees north.
    pub latitude: f64,
    /// Degrees east.
    pub longitude: f64,
    /// The most of its stalls.
    pub power: Option<Power>,
    /// The most current of its stalls.
    pub current: Option<Current>,
    /// Stalls, and how many of them were out of order when last seen.
    pub stalls: Option<(u32, u32)>,
}

/// Reads places: OCPI or GeoJSON where the file begins like JSON, else CSV with a header
/// (`name`, `latitude`, `longitude`, `max_kw`; `id`, `max_a`, `stalls`, `out_of_order` where known).
///
/// # Errors
/// What cannot be read, where, and what is expected.
pub fn read_places(bytes: &[u8]) -> Result<Vec<ChargingPlace>, FormatError> {
    let text = text_of(bytes)?;
    let start = text.trim_start();
    let places = if start.starts_with('[') || (start.starts_with('{') && start.contains("\"evses\"")) {
        ocpi(text)?
    } else if start.starts_with('{') {
        geojson(text)?
    } else {
        csv(text)?
    };
    if places.len() > MOST_PLACES {
        return Err(FormatError::file(format!("{} places; expected at most {MOST_PLACES}", places.len())));
    }
    let outside = |place: &ChargingPlace| {
        !(-90.0..=90.0).contains(&place.latitude) || !(-180.0..=180.0).contains(&place.longitude)
    };
    match places.iter().find(|place| outside(place)) {
        Some(place) => Err(FormatError::file(format!(
            "“{}” lies at {}, {}; expected degrees north and east",
            place.name, place.latitude, place.longitude
        ))),
        None => Ok(places),
    }
}

#[derive(Deserialize)]
struct Location {
    id: String,
    #[serde(default)]
    name: Option<String>,
    coordinates: Coordinates,
    #[serde(default)]
    evses: Vec<Evse>,
}

#[derive(Deserialize)]
struct Coordinates {
    latitude: Number,
    longitude: Number,
}

/// OCPI writes coordinates as text; some write numbers.
#[derive(Deserialize)]
#[serde(untagged)]
enum Number {
    Text(String),
    Number(f64),
}

#[derive(Deserialize)]
struct Evse {
    #[serde(default)]
    status: String,
    #[serde(default)]
    connectors: Vec<Connector>,
}

#[derive(Deserialize)]
struct Connector {
    #[serde(default)]
    power_type: String,
    #[serde(default, alias = "voltage")]
    max_voltage: f64,
    #[serde(default, alias = "amperage")]
    max_amperage: f64,
    #[serde(default)]
    max_electric_power: Option<f64>,
}

impl Number {
    fn degrees(&self) -> Option<f64> {
        match self {
            Self::Text(text) => text.trim().parse().ok(),
            Self::Number(number) => Some(*number),
        }
    }
}

impl Connector {
    /// Its most power, kW: said in W, else by volts and amperes.
    fn kw(&self) -> f64 {
        let phases = if self.power_type == "AC_3_PHASE" { 3.0 } else { 1.0 };
        self.max_electric_power.unwrap_or(phases * self.max_voltage * self.max_amperage) / 1000.0
    }
}

fn ocpi(text: &str) -> Result<Vec<ChargingPlace>, FormatError> {
    let reader = &mut serde_json::Deserializer::from_str(text);
    let wrong = |error: serde_path_to_error::Error<serde_json::Error>| {
        FormatError::path(error.path().to_string(), error.inner().to_string())
    };
    let locations: Vec<Location> = if text.trim_start().starts_with('[') {
        serde_path_to_error::deserialize(reader).map_err(wrong)?
    } else {
        vec![serde_path_to_error::deserialize(reader).map_err(wrong)?]
    };
    locations.into_iter().map(location).collect()
}

fn location(location: Location) -> Result<ChargingPlace, FormatError> {
    let degrees = location.coordinates.latitude.degrees().zip(location.coordinates.longitude.degrees());
    let (latitude, longitude) = degrees.ok_or_else(|| {
        FormatError::file(format!("location {}: its coordinates are no numbers; expected degrees", location.id))
    })?;
    // Stalls that are gone or only planned are none.
    let there: Vec<&Evse> =
        location.evses.iter().filter(|evse| !matches!(evse.status.as_str(), "REMOVED" | "PLANNED")).collect();
    let broken = there.iter().filter(|evse| matches!(evse.status.as_str(), "INOPERATIVE" | "OUTOFORDER")).count();
    let connectors = || there.iter().flat_map(|evse| &evse.connectors);
    let most = |numbers: &mut dyn Iterator<Item = f64>| numbers.reduce(f64::max).filter(|&number| number > 0.0);
    let count = |number: usize| u32::try_from(number).unwrap_or(u32::MAX);
    Ok(ChargingPlace {
        name: location.name.unwrap_or_else(|| location.id.clone()),
        id: location.id,
        latitude,
        longitude,
        power: most(&mut connectors().map(Connector::kw)).map(Power::kw),
        current: most(
            &mut connectors().filter(|connector| connector.power_type == "DC").map(|connector| connector.max_amperage),
        )
        .map(Current::amps),
        stalls: (!there.is_empty()).then(|| (count(there.len()), count(broken))),
    })
}

fn geojson(text: &str) -> Result<Vec<ChargingPlace>, FormatError> {
    let file: GeoJson =
        text.parse().map_err(|error| FormatError::file(format!("cannot be read as GeoJSON: {error}")))?;
    let features = match file {
        GeoJson::FeatureCollection(collection) => collection.features,
        GeoJson::Feature(feature) => vec![feature],
        GeoJson::Geometry(_) => return Err(FormatError::file("has no features; expected points with names")),
    };
    let mut places = Vec::new();
    for (index, feature) in features.into_iter().enumerate() {
        let Some(GeometryValue::Point { coordinates }) =
            feature.geometry.as_ref().map(|geometry| geometry.value.clone())
        else {
            continue;
        };
        let position = coordinates.as_slice().to_vec();
        let [longitude, latitude, ..] = position[..] else { continue };
        let text = |key: &str| feature.property(key).and_then(|value| value.as_str().map(String::from));
        let number = |key: &str| feature.property(key).and_then(serde_json::Value::as_f64);
        let name = text("name").unwrap_or_else(|| format!("Place {}", index + 1));
        places.push(ChargingPlace {
            id: text("id").unwrap_or_else(|| format!("p{}", index + 1)),
            name,
            latitude,
            longitude,
            power: number("max_kw").map(Power::kw),
            current: number("max_a").map(Current::amps),
            stalls: number("stalls").map(|stalls| (stalls as u32, number("out_of_order").unwrap_or(0.0) as u32)),
        });
    }
    if places.is_empty() { Err(FormatError::file("has no points; expected points with names")) } else { Ok(places) }
}

fn csv(text: &str) -> Result<Vec<ChargingPlace>, FormatError> {
    let mut reader = csv::ReaderBuilder::new().delimiter(separator(text)).flexible(true).from_reader(text.as_bytes());
    let header =
        reader.headers().map_err(|error| FormatError::file(format!("cannot be read as CSV: {error}")))?.clone();
    let at = |name: &str| header.iter().position(|column| column.trim().eq_ignore_ascii_case(name));
    for needed in ["name", "latitude", "longitude"] {
        if at(needed).is_none() {
            return Err(FormatError::line(
                1,
                format!("has no column {needed}; expected name, latitude, longitude and max_kw"),
            ));
        }
    }
    let mut places = Vec::new();
    for row in reader.records() {
        let row = row.map_err(|error| FormatError::file(format!("cannot be read as CSV: {error}")))?;
        let line = row.position().map_or(0, |at| at.line() as usize);
        let field = |name: &str| at(name).and_then(|index| row.get(index)).unwrap_or_default().trim();
        let number = |name: &str, high: f64| match field(name) {
            "" => Ok(None),
            text => match parse_number(text, "").filter(|number| (-high..=high).contains(number)) {
                Some(number) => Ok(Some(number)),
                None => Err(FormatError::line(line, format!("{name} is \"{text}\"; expected a number up to {high}"))),
            },
        };
        let needed = |name: &str, high: f64| {
            number(name, high)?.ok_or_else(|| FormatError::line(line, format!("{name} is empty; expected degrees")))
        };
        let count = |name: &str| Ok::<_, FormatError>(number(name, 10_000.0)?.map(|count| count.max(0.0) as u32));
        let id = field("id");
        places.push(ChargingPlace {
            id: if id.is_empty() { format!("p{}", places.len() + 1) } else { id.into() },
            name: field("name").into(),
            latitude: needed("latitude", 90.0)?,
            longitude: needed("longitude", 180.0)?,
            power: number("max_kw", 10_000.0)?.map(Power::kw),
            current: number("max_a", 10_000.0)?.map(Current::amps),
            stalls: count("stalls")?.map(|stalls| (stalls, count("out_of_order").ok().flatten().unwrap_or(0))),
        });
    }
    if places.is_empty() {
        Err(FormatError::line(1, "no places after the header; expected one on each line"))
    } else {
        Ok(places)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn locations_of_the_standard() {
        let text = r#"[{"id": "L1", "name": "Mossgate", "coordinates": {"latitude": "46.5", "longitude": "8.25"},
            "evses": [
              {"status": "AVAILABLE", "connectors": [{"standard": "IEC_62196_T2_COMBO", "power_type": "DC", "max_voltage": 920, "max_amperage": 400, "max_electric_power": 150000}]},
              {"status": "OUTOFORDER", "connectors": [{"standard": "IEC_62196_T2", "power_type": "AC_3_PHASE", "max_voltage": 230, "max_amperage": 32}]},
              {"status": "REMOVED", "connectors": []}]}]"#;
        let place = read_places(text.as_bytes()).unwrap().remove(0);
        assert_eq!((place.latitude, place.longitude, place.name.as_str()), (46.5, 8.25, "Mossgate"));
        assert_eq!(
            (place.power, place.current, place.stalls),
            (Some(Power::kw(150.0)), Some(Current::amps(400.0)), Some((2, 1)))
        );
        // By hand: 3 × 230 V × 32 A = 22.1 kW where nobody says watts.
        let ac = text.replace("\"max_electric_power\": 150000", "\"max_electric_power\": 11000");
        assert!((read_places(ac.as_bytes()).unwrap()[0].power.unwrap().get() - 22.08).abs() < 1e-9);
    }

    #[test]
    fn points_and_tables() {
        let geo = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"name":"A","max_kw":75},"geometry":{"type":"Point","coordinates":[8.1,46.2]}}]}"#;
        let place = read_places(geo.as_bytes()).unwrap().remove(0);
        assert_eq!((place.name.as_str(), place.power, place.latitude), ("A", Some(Power::kw(75.0)), 46.2));
        let table = "name;latitude;longitude;max_kw;stalls;out_of_order\nB;46,2;8,1;150;6;1\n";
        let place = read_places(table.as_bytes()).unwrap().remove(0);
        assert_eq!((place.longitude, place.stalls), (8.1, Some((6, 1))));
        for (text, part) in [
            ("name,latitude\nA,46\n", "no column longitude"),
            ("name,latitude,longitude\nA,x,8\n", "line 2: latitude is \"x\""),
            ("name,latitude,longitude\nA,46,\n", "line 2: longitude is empty"),
            ("name,latitude,longitude\n", "no places after the header"),
            (
                r#"[{"id":"1","coordinates":{"latitude":"north","longitude":"8"},"evses":[]}]"#,
                "coordinates are no numbers",
            ),
            (r#"[{"id":"1"}]"#, "missing field `coordinates`"),
        ] {
            let error = read_places(text.as_bytes()).unwrap_err().to_string();
            assert!(error.contains(part), "{text}: {error}");
        }
    }
}
