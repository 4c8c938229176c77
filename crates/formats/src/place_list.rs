//! Charging places on the map: OCPI 2.2.1 locations (field names recalled from memory), GeoJSON points, or CSV.

use geojson::{GeoJson, GeometryValue};
use serde::Deserialize;
use spare_hour_core::quantity::{Current, Minutes, Power, Voltage};
use spare_hour_core::trip::opening_hours::OpeningHours;
use spare_hour_core::trip::site_details::{Connector, MOST_CONNECTORS, MOST_TEXT, SiteDetails};

use crate::table::{Column, Row, number, read_table, text};
use crate::{FormatError, site_list, text_of};

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
    /// Stalls, connectors, hours, what one can do there.
    pub details: SiteDetails,
}

/// Reads places: OCPI or GeoJSON where the file begins like JSON, else CSV with a header
/// (`name`, `latitude`, `longitude`, `max_kw`; `id`, `max_a` and the details of a site where known).
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
        csv(bytes)?
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
    #[serde(default)]
    facilities: Vec<String>,
    #[serde(default)]
    opening_times: Option<OpeningTimes>,
}

#[derive(Deserialize)]
struct OpeningTimes {
    #[serde(default)]
    twentyfourseven: bool,
    #[serde(default)]
    regular_hours: Vec<RegularHours>,
}

/// A day of the week, 1 is Monday, and times such as `08:00`.
#[derive(Deserialize)]
struct RegularHours {
    weekday: usize,
    period_begin: String,
    period_end: String,
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
    connectors: Vec<Plug>,
}

#[derive(Deserialize)]
struct Plug {
    #[serde(default)]
    standard: String,
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

impl Plug {
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
    let hours = location.opening_times.as_ref().map(opening_hours).transpose();
    let hours = hours.map_err(|problem| FormatError::file(format!("location {}: {problem}", location.id)))?.flatten();
    // Stalls that are gone or only planned are none.
    let there: Vec<&Evse> =
        location.evses.iter().filter(|evse| !matches!(evse.status.as_str(), "REMOVED" | "PLANNED")).collect();
    let broken = there.iter().filter(|evse| matches!(evse.status.as_str(), "INOPERATIVE" | "OUTOFORDER")).count();
    let plugs = || there.iter().flat_map(|evse| &evse.connectors);
    let most = |numbers: &mut dyn Iterator<Item = f64>| numbers.reduce(f64::max).filter(|&number| number > 0.0);
    let count = |number: usize| u32::try_from(number).unwrap_or(u32::MAX);
    Ok(ChargingPlace {
        name: location.name.unwrap_or_else(|| location.id.clone()),
        id: location.id,
        latitude,
        longitude,
        power: most(&mut plugs().map(Plug::kw)).map(Power::kw),
        current: most(&mut plugs().filter(|plug| plug.power_type == "DC").map(|plug| plug.max_amperage))
            .map(Current::amps),
        details: SiteDetails {
            stalls: (!there.is_empty()).then(|| count(there.len())),
            out_of_order: (!there.is_empty()).then(|| count(broken)),
            hours,
            connectors: connectors(plugs()),
            facilities: facilities(&location.facilities),
            ..SiteDetails::default()
        },
    })
}

/// Hours of a location, written as people write them and read back.
fn opening_hours(times: &OpeningTimes) -> Result<Option<OpeningHours>, String> {
    const DAYS: [&str; 7] = ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"];
    if times.twentyfourseven {
        return Ok(Some(OpeningHours::Always));
    }
    let rule = |hours: &RegularHours| {
        let day = DAYS.get(hours.weekday.wrapping_sub(1)).ok_or("weekday is none of 1 to 7".to_string())?;
        Ok(format!("{day} {}-{}", hours.period_begin, hours.period_end))
    };
    let rules: Vec<String> = times.regular_hours.iter().map(rule).collect::<Result<_, String>>()?;
    if rules.is_empty() { Ok(None) } else { rules.join("; ").parse().map(Some) }
}

/// Plugs of one kind together, with how many there are; those without a name that we can write are left out.
fn connectors<'p>(plugs: impl Iterator<Item = &'p Plug>) -> Vec<Connector> {
    let mut kinds: Vec<Connector> = Vec::new();
    for plug in plugs {
        let some = |number: f64| Some(number).filter(|&number| number > 0.0);
        let kind = Connector {
            count: 1,
            standard: plug.standard.clone(),
            power: some(plug.kw()).map(Power::kw),
            current: some(plug.max_amperage).map(Current::amps),
            voltage: some(plug.max_voltage).map(Voltage::volts),
        };
        match kinds.iter_mut().find(|known| Connector { count: 1, ..(*known).clone() } == kind) {
            Some(known) => known.count += 1,
            None if kind.to_string().parse::<Connector>().is_ok() => kinds.push(kind),
            None => {}
        }
    }
    kinds.truncate(MOST_CONNECTORS);
    kinds
}

/// `RESTAURANT` and the like as words for people.
fn facilities(names: &[String]) -> Option<String> {
    let words: Vec<String> = names.iter().map(|name| name.to_lowercase().replace('_', " ")).collect();
    let text: String = words.join(", ").chars().take(MOST_TEXT).collect();
    (!text.is_empty()).then_some(text)
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
        let wrong = |problem| FormatError::path(format!("features[{index}].properties"), problem);
        let hours = text("opening_hours").map(|hours| hours.parse::<OpeningHours>()).transpose();
        let name = text("name").unwrap_or_else(|| format!("Place {}", index + 1));
        places.push(ChargingPlace {
            id: text("id").unwrap_or_else(|| format!("p{}", index + 1)),
            name,
            latitude,
            longitude,
            power: number("max_kw").map(Power::kw),
            current: number("max_a").map(Current::amps),
            details: SiteDetails {
                stalls: number("stalls").map(|stalls| stalls as u32),
                out_of_order: number("out_of_order").map(|stalls| stalls as u32),
                wait: Minutes::new(number("wait_min").unwrap_or(0.0)),
                cabinet: number("cabinet_stalls").map(|stalls| stalls as u32),
                hours: hours.map_err(wrong)?,
                connectors: site_list::connectors(&text("connectors").unwrap_or_default()).map_err(wrong)?,
                facilities: text("facilities"),
                note: text("note"),
                charging: None,
            },
        });
    }
    if places.is_empty() { Err(FormatError::file("has no points; expected points with names")) } else { Ok(places) }
}

const LATITUDE: Column = number("latitude", "degrees", -90.0, 90.0);
const LONGITUDE: Column = number("longitude", "degrees", -180.0, 180.0);
const COLUMNS: [Column; 14] = [
    text("id"),
    text("name"),
    LATITUDE,
    LONGITUDE,
    number("max_kw", "kW", 0.1, 10_000.0),
    number("max_a", "A", 0.1, 10_000.0),
    number("stalls", "stalls", 0.0, 10_000.0),
    number("out_of_order", "stalls", 0.0, 10_000.0),
    number("wait_min", "minutes", 0.0, 10_000.0),
    number("cabinet_stalls", "stalls", 0.0, 1_000.0),
    text("opening_hours"),
    text("connectors"),
    text("facilities"),
    text("note"),
];

fn csv(bytes: &[u8]) -> Result<Vec<ChargingPlace>, FormatError> {
    let rows = read_table(bytes, &COLUMNS, &[&["name"], &["latitude"], &["longitude"]], MOST_PLACES)?;
    let place = |(index, row): (usize, &Row)| {
        Ok(ChargingPlace {
            id: row.text("id").unwrap_or_else(|| format!("p{}", index + 1)),
            name: row.text("name").unwrap_or_else(|| format!("Place {}", index + 1)),
            latitude: row.needed(&LATITUDE)?,
            longitude: row.needed(&LONGITUDE)?,
            power: row.number("max_kw").map(Power::kw),
            current: row.number("max_a").map(Current::amps),
            details: site_list::details(row)?,
        })
    };
    rows.iter().enumerate().map(place).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn locations_of_the_standard() {
        let text = r#"[{"id": "L1", "name": "Mossgate", "coordinates": {"latitude": "46.5", "longitude": "8.25"},
            "facilities": ["RESTAURANT", "FUEL_STATION"],
            "opening_times": {"twentyfourseven": false, "regular_hours": [
              {"weekday": 1, "period_begin": "06:00", "period_end": "22:00"}, {"weekday": 7, "period_begin": "08:00", "period_end": "20:00"}]},
            "evses": [
              {"status": "AVAILABLE", "connectors": [{"standard": "IEC_62196_T2_COMBO", "power_type": "DC", "max_voltage": 920, "max_amperage": 400, "max_electric_power": 150000}]},
              {"status": "OUTOFORDER", "connectors": [{"standard": "IEC_62196_T2", "power_type": "AC_3_PHASE", "max_voltage": 230, "max_amperage": 32}]},
              {"status": "REMOVED", "connectors": []}]}]"#;
        let place = read_places(text.as_bytes()).unwrap().remove(0);
        assert_eq!((place.latitude, place.longitude, place.name.as_str()), (46.5, 8.25, "Mossgate"));
        assert_eq!(
            (place.power, place.current, place.details.stalls, place.details.out_of_order),
            (Some(Power::kw(150.0)), Some(Current::amps(400.0)), Some(2), Some(1))
        );
        assert_eq!(place.details.hours.unwrap().to_string(), "Mo 06:00-22:00; Su 08:00-20:00");
        assert_eq!(place.details.facilities.as_deref(), Some("restaurant, fuel station"));
        let connectors: Vec<String> = place.details.connectors.iter().map(ToString::to_string).collect();
        assert_eq!(connectors, ["1 × IEC_62196_T2_COMBO 150 kW 400 A 920 V", "1 × IEC_62196_T2 22.08 kW 32 A 230 V"]);
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
        assert_eq!((place.longitude, place.details.stalls, place.details.out_of_order), (8.1, Some(6), Some(1)));
        for (text, part) in [
            ("name,latitude\nA,46\n", "no column longitude"),
            ("name,latitude,longitude\nA,x,8\n", "line 2: latitude is \"x\""),
            ("name,latitude,longitude\nA,46,\n", "line 2: longitude is empty"),
            ("name,latitude,longitude\n", "has no rows"),
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
