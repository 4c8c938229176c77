//! Trip JSON, versions 1 and 2. Version 2 has a departure, a time zone and tariffs beside what version 1 has; what else it may
//! hold is refused until it is weighed, so that no wish of a driver is passed over in silence.

use std::collections::HashMap;

use jiff::ZonedDateTime;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use spare_hour_core::charging::profile::{Profile, ProfileError};
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::{Consumption, Current, Distance, Energy, Minutes, Power, Soc, Speed};
use spare_hour_core::trip::site_details::{Connector, MOST_TEXT, SiteDetails};
use spare_hour_core::trip::under_way::Now;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_core::trip::{Boost, Goal, Price, Site, Trip, TripDraft, Vehicle};

use crate::now_json::NowFile;
use crate::ocpi_tariff::{read_tariffs, write_tariff};
use crate::trip_wishes::{wishes, wishes_value};
use crate::{FormatError, text_of};

const FORMAT: &str = "spare-hour/trip";
/// What is written of a trip with a departure or tariffs; without them it is version 1.
const VERSION: u32 = 2;
/// Parts of version 2 that are not weighed yet: the object that holds them, and their names.
const NOT_WEIGHED: [(&str, &[&str]); 2] =
    [("vehicle", &["curves", "pack"]), ("route.segments[]", &["outside_c", "paces"])];
/// Parts of version 2 that the command weighs and a kept trip cannot hold yet.
const NOT_KEPT: [(&str, &[&str]); 2] = [("goal", &["doubt"]), ("", &["now"])];
/// Speed on the way off the route where a file does not say.
pub(crate) const OFF_ROUTE_KMH: f64 = 50.0;

#[derive(Deserialize, Serialize)]
struct TripFile {
    format: String,
    version: u32,
    #[serde(default)]
    name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    departure: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    time_zone: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    tariffs: Vec<Value>,
    vehicle: VehicleFile,
    route: RouteFile,
    #[serde(default)]
    sites: Vec<SiteFile>,
    goal: GoalFile,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    now: Option<NowFile>,
}

#[derive(Deserialize, Serialize)]
struct VehicleFile {
    usable_kwh: f64,
    charge_curve: Vec<PowerPoint>,
    #[serde(default)]
    charge_loss_percent: f64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pack_voltage: Option<Vec<VoltagePoint>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    boost: Option<BoostFile>,
}

#[derive(Deserialize, Serialize)]
struct PowerPoint {
    soc: f64,
    kw: f64,
}

#[derive(Deserialize, Serialize)]
struct VoltagePoint {
    soc: f64,
    v: f64,
}

#[derive(Deserialize, Serialize)]
struct BoostFile {
    minutes: f64,
    max_start_soc: f64,
    charge_curve: Vec<PowerPoint>,
}

#[derive(Deserialize, Serialize)]
struct RouteFile {
    segments: Vec<SegmentFile>,
}

#[derive(Deserialize, Serialize)]
struct SegmentFile {
    km: f64,
    kmh: f64,
    kwh_per_100km: f64,
}

#[derive(Deserialize, Serialize)]
struct SiteFile {
    id: String,
    #[serde(default)]
    name: Option<String>,
    at_km: f64,
    #[serde(default)]
    off_route_km: f64,
    #[serde(default)]
    off_route_kmh: Option<f64>,
    max_kw: f64,
    #[serde(default)]
    max_a: Option<f64>,
    #[serde(default)]
    overhead_min: f64,
    #[serde(default)]
    price: PriceFile,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    tariff: Option<String>,
    #[serde(flatten)]
    details: DetailsFile,
}

/// What is known of a site beside what the planner weighs.
#[derive(Default, Deserialize, Serialize)]
struct DetailsFile {
    #[serde(default, skip_serializing_if = "is_nought")]
    wait_min: f64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    stalls: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    out_of_order: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    cabinet_stalls: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    opening_hours: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    connectors: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    facilities: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    note: Option<String>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_nought(number: &f64) -> bool {
    *number == 0.0
}

#[derive(Default, Deserialize, Serialize)]
#[serde(default)]
struct PriceFile {
    per_kwh: f64,
    per_min: f64,
    per_session: f64,
}

#[derive(Deserialize, Serialize)]
struct GoalFile {
    start_soc: f64,
    min_soc: f64,
    arrival_soc: f64,
    max_soc: f64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_soc_on_way: Option<f64>,
    #[serde(default)]
    value_of_time_per_hour: Option<f64>,
}

/// A trip of a file, and when the file says that it leaves.
#[derive(Clone, Debug)]
pub struct TripOfFile {
    /// The trip.
    pub trip: Trip,
    /// When it leaves, in the file's time zone.
    pub departure: Option<ZonedDateTime>,
    /// The tariffs that its sites ask in place of their prices: site and tariff.
    pub tariffs: Vec<(String, Tariff)>,
    /// What is wished of it, and known for that.
    pub wishes: Wishes,
    /// Where one is on it, when it is under way.
    pub now: Option<Now>,
}

/// What a trip file holds beside the trip.
#[derive(Clone, Copy, Debug, Default)]
pub struct Beside<'a> {
    /// When the trip leaves.
    pub departure: Option<&'a ZonedDateTime>,
    /// The tariffs that its sites ask: site and tariff.
    pub tariffs: &'a [(String, Tariff)],
    /// What is wished of it.
    pub wishes: Option<&'a Wishes>,
}

/// Reads and checks a trip.
///
/// # Errors
/// The first place that is wrong, as a JSON path or a line, with what is expected there.
pub fn read_trip(bytes: &[u8]) -> Result<Trip, FormatError> {
    Ok(read_trip_file(bytes)?.trip)
}

/// Reads and checks a trip that is to be kept, with its departure and all that is wished of it.
///
/// # Errors
/// Those of [`read_trip`], and a departure or time zone that is none.
pub fn read_trip_file(bytes: &[u8]) -> Result<TripOfFile, FormatError> {
    let text = text_of(bytes)?;
    let file = read_trip_with_wishes(bytes)?;
    refuse(text, &NOT_KEPT, "cannot be kept with a trip by this version of Spare Hour; the command plans with it")?;
    Ok(file)
}

/// Reads and checks a trip, with its departure and all that is wished of it.
///
/// # Errors
/// Those of [`read_trip`], and wishes that are none.
pub fn read_trip_with_wishes(bytes: &[u8]) -> Result<TripOfFile, FormatError> {
    let text = text_of(bytes)?;
    let mut json = serde_json::Deserializer::from_str(text);
    let file: TripFile = serde_path_to_error::deserialize(&mut json).map_err(|error| {
        let path = error.path().to_string();
        explain(&path, error.inner())
    })?;
    json.end().map_err(|error| FormatError::line(error.line(), "has more after the trip; expected one JSON object"))?;
    if file.format != FORMAT {
        return Err(FormatError::path("format", format!("is \"{}\"; expected \"{FORMAT}\"", file.format)));
    }
    if !(1..=VERSION).contains(&file.version) {
        let problem = format!("is {}; this program reads versions 1 to {VERSION}", file.version);
        return Err(FormatError::path("version", problem));
    }
    let mut wished = Wishes::default();
    if file.version > 1 {
        refuse(text, &NOT_WEIGHED, "is not weighed by this version of Spare Hour; leave it out")?;
        wished = wishes(text)?;
    }
    let tariffs = tariffs(&file)?;
    let zone = file.time_zone.as_deref();
    // A zone that is none is wrong, whether or not the trip says when it leaves.
    moment("time_zone", "2026-01-01T00:00", zone)?;
    let departure = file.departure.as_deref().map(|civil| moment("departure", civil, zone)).transpose()?;
    let sites: Vec<(&str, f64)> = file.sites.iter().map(|site| (site.id.as_str(), site.at_km)).collect();
    let now = file.now.as_ref().map(|now| now.read(&sites, zone)).transpose()?;
    let trip = Trip::new(draft(file)?).map_err(|error| FormatError::refused("", &error))?;
    Ok(TripOfFile { trip, departure, tariffs, wishes: wished, now })
}

/// Refuses what a version 2 file may hold, and says why.
fn refuse(text: &str, what: &[(&str, &[&str])], why: &str) -> Result<(), FormatError> {
    let file: Value = serde_json::from_str(text).unwrap_or_default();
    if file["version"] == 1 {
        return Ok(());
    }
    for (place, names) in what {
        for (path, object) in objects(&file, place) {
            if let Some(name) = names.iter().find(|name| object.get(**name).is_some_and(|value| !value.is_null())) {
                let path = if path.is_empty() { (*name).to_string() } else { format!("{path}.{name}") };
                return Err(FormatError::path(path, why));
            }
        }
    }
    Ok(())
}

/// The objects at a place, with their paths: one, or each of a list.
fn objects<'v>(file: &'v Value, place: &str) -> Vec<(String, &'v Value)> {
    let (list, is_list) = place.strip_suffix("[]").map_or((place, false), |list| (list, true));
    let found = list.split('.').filter(|part| !part.is_empty()).try_fold(file, |value, part| value.get(part));
    match (found, is_list) {
        (Some(value), false) => vec![(list.to_string(), value)],
        (Some(value), true) => {
            let items = value.as_array().map(Vec::as_slice).unwrap_or_default();
            items.iter().enumerate().map(|(index, item)| (format!("{list}[{index}]"), item)).collect()
        }
        (None, _) => Vec::new(),
    }
}

/// The tariffs that sites ask, by their identifiers.
fn tariffs(file: &TripFile) -> Result<Vec<(String, Tariff)>, FormatError> {
    let mut known = HashMap::new();
    for (index, object) in file.tariffs.iter().enumerate() {
        let place = format!("tariffs[{index}]");
        let wrong = |problem: String| FormatError::path(place.clone(), problem);
        let id = object["id"].as_str().ok_or_else(|| wrong("has no id; expected an OCPI tariff object".into()))?;
        let read = read_tariffs(object.to_string().as_bytes()).map_err(|error| wrong(error.to_string()))?;
        let tariff = read.into_iter().next().ok_or_else(|| wrong("is empty; expected an OCPI tariff object".into()))?;
        known.insert(id, tariff);
    }
    let asked = |(index, site): (usize, &SiteFile)| {
        let id = site.tariff.as_deref()?;
        let tariff = known.get(id).cloned().ok_or_else(|| {
            FormatError::path(
                format!("sites[{index}].tariff"),
                format!("is \"{id}\"; expected the id of one of tariffs"),
            )
        });
        Some(tariff.map(|tariff| (site.id.clone(), tariff)))
    };
    file.sites.iter().enumerate().filter_map(asked).collect()
}

/// A civil time in a zone; UTC where none is named.
pub(crate) fn moment(path: &str, civil: &str, zone: Option<&str>) -> Result<ZonedDateTime, FormatError> {
    let zone = zone.map_or(Ok(TimeZone::UTC), |name| {
        TimeZone::get(name).map_err(|_| {
            let problem = format!("is \"{name}\"; expected an IANA name such as Europe/Lisbon");
            FormatError::path("time_zone", problem)
        })
    })?;
    let wrong = || FormatError::path(path, format!("is \"{civil}\"; expected a civil time such as 2026-12-18T07:30"));
    let time: DateTime = civil.parse().map_err(|_| wrong())?;
    time.to_zoned_datetime(zone).map_err(|_| wrong())
}

/// Says what serde found in the words of the other errors.
fn explain(path: &str, error: &serde_json::Error) -> FormatError {
    if !error.is_data() {
        return FormatError::line(error.line(), format!("is not JSON: {error}"));
    }
    let said = error.to_string();
    let said = said.split(" at line ").next().unwrap_or_default();
    if let Some(field) = said.strip_prefix("missing field `").and_then(|rest| rest.strip_suffix('`')) {
        let path = if path == "." { field.to_string() } else { format!("{path}.{field}") };
        return FormatError::path(path, "is missing; docs/formats/trip.md says what is expected");
    }
    let said = said.replace("expected f64", "expected a number").replace("expected u32", "expected a whole number");
    FormatError::path(if path == "." { "the file" } else { path }, said)
}

fn draft(file: TripFile) -> Result<TripDraft, FormatError> {
    let segments = file.route.segments.iter().map(|segment| Segment {
        length: Distance::km(segment.km),
        speed: Speed::kmh(segment.kmh),
        consumption: Consumption::kwh_per_100km(segment.kwh_per_100km),
    });
    Ok(TripDraft {
        name: file.name,
        vehicle: vehicle(file.vehicle)?,
        route: Route::new(segments.collect()),
        sites: file.sites.into_iter().enumerate().map(|(index, file)| site(index, file)).collect::<Result<_, _>>()?,
        goal: Goal {
            start: Soc::percent(file.goal.start_soc),
            floor: Soc::percent(file.goal.min_soc),
            arrival: Soc::percent(file.goal.arrival_soc),
            ceiling: Soc::percent(file.goal.max_soc),
            on_way: file.goal.min_soc_on_way.map(Soc::percent),
            value_of_time_per_hour: file.goal.value_of_time_per_hour,
        },
    })
}

fn vehicle(file: VehicleFile) -> Result<Vehicle, FormatError> {
    let volts = |points: Vec<VoltagePoint>| {
        profile("vehicle.pack_voltage", "v", points.iter().map(|point| (point.soc, point.v)).collect())
    };
    let boost = |boost: BoostFile| {
        Ok(Boost {
            time: Minutes::new(boost.minutes),
            max_start: Soc::percent(boost.max_start_soc),
            charge_curve: power("vehicle.boost.charge_curve", &boost.charge_curve)?,
        })
    };
    Ok(Vehicle {
        usable: Energy::kwh(file.usable_kwh),
        charge_curve: power("vehicle.charge_curve", &file.charge_curve)?,
        charge_loss_percent: file.charge_loss_percent,
        pack_voltage: file.pack_voltage.map(volts).transpose()?,
        boost: file.boost.map(boost).transpose()?,
    })
}

fn power(path: &str, points: &[PowerPoint]) -> Result<Profile, FormatError> {
    profile(path, "kw", points.iter().map(|point| (point.soc, point.kw)).collect())
}

fn profile(path: &str, value: &str, points: Vec<(f64, f64)>) -> Result<Profile, FormatError> {
    Profile::new(points).map_err(|error| {
        let field = if matches!(error, ProfileError::BadValue { .. }) { value } else { "soc" };
        let place = error.index().map_or_else(|| path.to_string(), |index| format!("{path}[{index}].{field}"));
        FormatError::path(place, error.to_string())
    })
}

fn site(index: usize, file: SiteFile) -> Result<Site, FormatError> {
    Ok(Site {
        name: file.name.unwrap_or_else(|| file.id.clone()),
        id: file.id,
        at: Distance::km(file.at_km),
        off_route: Distance::km(file.off_route_km),
        off_route_speed: Speed::kmh(file.off_route_kmh.unwrap_or(OFF_ROUTE_KMH)),
        max_power: Power::kw(file.max_kw),
        max_current: file.max_a.map(Current::amps),
        overhead: Minutes::new(file.overhead_min),
        price: Price { per_kwh: file.price.per_kwh, per_min: file.price.per_min, per_session: file.price.per_session },
        details: details(index, file.details)?,
    })
}

fn details(index: usize, file: DetailsFile) -> Result<SiteDetails, FormatError> {
    let wrong = |field: &str, problem: String| FormatError::path(format!("sites[{index}].{field}"), problem);
    let short = |field: &str, text: Option<String>| match text {
        Some(text) if text.chars().count() > MOST_TEXT => {
            Err(wrong(field, format!("is longer than {MOST_TEXT} characters; expected a shorter text")))
        }
        text => Ok(text),
    };
    let hours = file.opening_hours.map(|hours| hours.parse()).transpose();
    let connectors: Result<Vec<Connector>, String> = file.connectors.iter().map(|line| line.parse()).collect();
    Ok(SiteDetails {
        stalls: file.stalls,
        out_of_order: file.out_of_order,
        wait: Minutes::new(file.wait_min),
        cabinet: file.cabinet_stalls,
        hours: hours.map_err(|problem| wrong("opening_hours", problem))?,
        connectors: connectors.map_err(|problem| wrong("connectors", problem))?,
        facilities: short("facilities", file.facilities)?,
        note: short("note", file.note)?,
        charging: None,
    })
}

/// Writes a trip as JSON that [`read_trip_file`] reads back, with what is known beside it.
pub fn write_trip(trip: &Trip, beside: Beside) -> String {
    let Beside { departure, tariffs, wishes } = beside;
    let zone = departure.and_then(|departure| departure.time_zone().iana_name()).map(Into::into);
    // A zone without a name, as some machines have, is told in UTC.
    let civil = departure.map(|departure| match &zone {
        Some(_) => departure.datetime(),
        None => TimeZone::UTC.to_datetime(departure.timestamp()),
    });
    let points = |profile: &Profile| -> Vec<PowerPoint> {
        profile.points().iter().map(|&(soc, kw)| PowerPoint { soc, kw }).collect()
    };
    let vehicle = &trip.vehicle;
    let file = TripFile {
        format: FORMAT.into(),
        version: if departure.is_none() && tariffs.is_empty() && wishes.is_none() { 1 } else { VERSION },
        name: trip.name.clone(),
        departure: civil.map(|civil| civil.to_string()),
        time_zone: zone,
        tariffs: tariff_files(tariffs),
        vehicle: VehicleFile {
            usable_kwh: vehicle.usable.get(),
            charge_curve: points(&vehicle.charge_curve),
            charge_loss_percent: vehicle.charge_loss_percent,
            pack_voltage: vehicle
                .pack_voltage
                .as_ref()
                .map(|volts| volts.points().iter().map(|&(soc, v)| VoltagePoint { soc, v }).collect()),
            boost: vehicle.boost.as_ref().map(|boost| BoostFile {
                minutes: boost.time.get(),
                max_start_soc: boost.max_start.get(),
                charge_curve: points(&boost.charge_curve),
            }),
        },
        route: RouteFile { segments: trip.route.segments().iter().map(segment_file).collect() },
        sites: trip.sites.iter().map(|site| site_file(site, tariffs)).collect(),
        goal: GoalFile {
            start_soc: trip.goal.start.get(),
            min_soc: trip.goal.floor.get(),
            arrival_soc: trip.goal.arrival.get(),
            max_soc: trip.goal.ceiling.get(),
            min_soc_on_way: trip.goal.on_way.map(Soc::get),
            value_of_time_per_hour: trip.goal.value_of_time_per_hour,
        },
        now: None,
    };
    let mut value = serde_json::to_value(&file).unwrap_or_default();
    if let Some(wishes) = wishes {
        put_wishes(&mut value, &wishes_value(wishes));
    }
    serde_json::to_string_pretty(&value).unwrap_or_default()
}

/// Puts what is wished into the parts of a trip file.
fn put_wishes(file: &mut Value, wishes: &Value) {
    let put = |into: &mut Value, from: &Value| {
        if let (Some(into), Some(from)) = (into.as_object_mut(), from.as_object()) {
            into.extend(from.iter().map(|(name, value)| (name.clone(), value.clone())));
        }
    };
    put(&mut file["goal"], &wishes["goal"]);
    put(&mut file["vehicle"], &wishes["vehicle"]);
    for known in wishes["sites"].as_array().into_iter().flatten() {
        let sites = file["sites"].as_array_mut().into_iter().flatten();
        for site in sites.filter(|site| site["id"] == known["id"]) {
            put(site, known);
        }
    }
}

fn segment_file(segment: &Segment) -> SegmentFile {
    SegmentFile { km: segment.length.get(), kmh: segment.speed.get(), kwh_per_100km: segment.consumption.get() }
}

/// Each tariff once, by its name.
fn tariff_files(tariffs: &[(String, Tariff)]) -> Vec<Value> {
    let mut names: Vec<String> = Vec::new();
    let mut files = Vec::new();
    for (_, tariff) in tariffs {
        let name = tariff_id(tariffs, tariff);
        if !names.contains(&name) {
            files.push(serde_json::from_str(&write_tariff(tariff, &name)).unwrap_or_default());
            names.push(name);
        }
    }
    files
}

/// The identifier of a tariff in a file: its name, with a number where another tariff has the same.
fn tariff_id(tariffs: &[(String, Tariff)], tariff: &Tariff) -> String {
    let mut others: Vec<&Tariff> = Vec::new();
    for (_, other) in tariffs.iter().filter(|(_, other)| other.name == tariff.name) {
        if !others.contains(&other) {
            others.push(other);
        }
    }
    match others.iter().position(|other| *other == tariff) {
        None | Some(0) => tariff.name.clone(),
        Some(number) => format!("{} {}", tariff.name, number + 1),
    }
}

fn site_file(site: &Site, tariffs: &[(String, Tariff)]) -> SiteFile {
    SiteFile {
        id: site.id.clone(),
        name: Some(site.name.clone()),
        at_km: site.at.get(),
        off_route_km: site.off_route.get(),
        off_route_kmh: Some(site.off_route_speed.get()),
        max_kw: site.max_power.get(),
        max_a: site.max_current.map(Current::get),
        overhead_min: site.overhead.get(),
        price: PriceFile {
            per_kwh: site.price.per_kwh,
            per_min: site.price.per_min,
            per_session: site.price.per_session,
        },
        tariff: tariffs.iter().find(|(id, _)| *id == site.id).map(|(_, tariff)| tariff_id(tariffs, tariff)),
        details: details_file(&site.details),
    }
}

fn details_file(details: &SiteDetails) -> DetailsFile {
    DetailsFile {
        wait_min: details.wait.get(),
        stalls: details.stalls,
        out_of_order: details.out_of_order,
        cabinet_stalls: details.cabinet,
        opening_hours: details.hours.as_ref().map(ToString::to_string),
        connectors: details.connectors.iter().map(ToString::to_string).collect(),
        facilities: details.facilities.clone(),
        note: details.note.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rust_decimal::Decimal;

    const EXAMPLE: &str = include_str!("../../../docs/formats/trip.example.json");

    #[test]
    fn the_example_is_read_and_written_back() {
        let trip = read_trip(EXAMPLE.as_bytes()).unwrap();
        let again = write_trip(&trip, Beside::default());
        let value = |text: &str| serde_json::from_str::<serde_json::Value>(text).unwrap();
        assert_eq!(value(&again), value(EXAMPLE));
    }

    #[test]
    fn what_is_known_of_a_site_comes_back() {
        let with = r#""overhead_min": 9, "wait_min": 4, "stalls": 6, "out_of_order": 1, "cabinet_stalls": 2, "opening_hours": "Mo-Fr 06:00-22:00",
            "connectors": ["4 × IEC_62196_T2_COMBO 150 kW"], "facilities": "eat", "note": "behind the barn","#;
        let text = EXAMPLE.replacen("\"overhead_min\": 4.0,", with, 1);
        assert_ne!(text, EXAMPLE);
        let trip = read_trip(text.as_bytes()).unwrap();
        let details = &trip.sites[0].details;
        assert_eq!((details.stalls, details.out_of_order, details.wait), (Some(6), Some(1), Minutes::new(4.0)));
        assert_eq!((details.connectors[0].count, details.is_shared()), (4, true));
        assert_eq!(read_trip(write_trip(&trip, Beside::default()).as_bytes()).unwrap().sites, trip.sites);
        for (from, to, path) in [
            ("Mo-Fr 06:00-22:00", "often", "sites[0].opening_hours"),
            ("150 kW", "150", "sites[0].connectors"),
            ("\"wait_min\": 4", "\"wait_min\": 10", "sites[0].wait_min"),
        ] {
            let error = read_trip(text.replacen(from, to, 1).as_bytes()).unwrap_err();
            assert_eq!(error.place, crate::Place::Path(path.into()), "{error}");
        }
    }

    #[test]
    fn names_the_path_and_what_is_expected() {
        for (from, to, path, part) in [
            ("\"max_kw\": 150.0", "\"max_kw\": \"fast\"", "sites[0].max_kw", "expected a number"),
            ("\"max_kw\": 150.0", "\"max_kw\": -4", "sites[0].max_kw", "expected 0.1 to 10000 kW"),
            ("\"at_km\": 95.0", "\"at_km\": 9500.0", "sites[0].at_km", "the length of the route"),
            ("\"start_soc\": 90.0,", "", "goal.start_soc", "is missing"),
            ("\"min_soc\": 10.0,", "\"min_soc\": 100.0,", "goal.min_soc", "expected less than goal.max_soc"),
            ("{\"soc\": 5.0,", "{\"soc\": 120.0,", "vehicle.charge_curve[1].soc", "expected 0 to 100"),
            ("\"version\": 1", "\"version\": 3", "version", "reads versions 1 to 2"),
            ("spare-hour/trip", "spare-hour/plan", "format", "expected \"spare-hour/trip\""),
            ("\"kw\": 160.0", "\"kw\": 0.0", "vehicle.charge_curve[1].kw", "more than 0 kW"),
            ("\"kmh\": 110.0", "\"kmh\": 0", "route.segments[0].kmh", "expected 1 to 400 km/h"),
        ] {
            let text = EXAMPLE.replacen(from, to, 1);
            assert_ne!(text, EXAMPLE, "{from} is in the example");
            let error = read_trip(text.as_bytes()).unwrap_err();
            assert_eq!(error.place, crate::Place::Path(path.into()), "{error}");
            assert!(error.problem.contains(part), "{error}");
        }
        assert!(read_trip(b"{\n\"format\": \n").unwrap_err().to_string().starts_with("line 3: is not JSON"));
        assert!(read_trip(b"[]").is_err());
        assert!(read_trip(format!("{EXAMPLE} x").as_bytes()).unwrap_err().to_string().contains("one JSON object"));
    }

    #[test]
    fn tariffs_are_read_by_site_and_written_back() {
        let trip = read_trip(EXAMPLE.as_bytes()).unwrap();
        let price = |text: &str| Tariff::simple("Net", "cr", text.parse().unwrap(), Decimal::ZERO, Decimal::ZERO);
        let ids: Vec<String> = trip.sites.iter().map(|site| site.id.clone()).collect();
        let tariffs = vec![(ids[0].clone(), price("0.5")), (ids[1].clone(), price("0.7"))];
        let text = write_trip(&trip, Beside { departure: None, tariffs: &tariffs, wishes: None });
        assert_eq!(read_trip_file(text.as_bytes()).unwrap().tariffs, tariffs);
        let unknown = text.replacen("\"tariff\": \"Net\"", "\"tariff\": \"Nest\"", 1);
        let error = read_trip_file(unknown.as_bytes()).unwrap_err();
        assert!(error.to_string().starts_with("sites[0].tariff: is \"Nest\""), "{error}");
    }

    #[test]
    fn wishes_are_read_and_written_back_with_the_trip() {
        let second = EXAMPLE.replacen("\"version\": 1", "\"version\": 2", 1);
        let id = read_trip(EXAMPLE.as_bytes()).unwrap().sites[0].id.clone();
        let goal = format!(
            r#""pauses": [{{"name": "lunch", "minutes": 45, "from": "11:30", "to": "13:30"}}], "visit": ["{id}"], "start_soc""#
        );
        let text = second.replacen("\"start_soc\"", &goal, 1).replacen(
            "\"max_kw\"",
            r#""has": ["eat"], "ac": {"phases": 1, "volts": 230, "amps": 16}, "max_kw""#,
            1,
        );
        let file = read_trip_file(text.as_bytes()).unwrap();
        assert_eq!((file.wishes.pauses.len(), file.wishes.visit.len()), (1, 1));
        let beside = Beside { departure: None, tariffs: &[], wishes: Some(&file.wishes) };
        let again = read_trip_file(write_trip(&file.trip, beside).as_bytes()).unwrap();
        assert_eq!(crate::write_wishes(&again.wishes), crate::write_wishes(&file.wishes));
        assert!(again.wishes.sites[&id].post.is_some());
    }

    #[test]
    fn what_is_not_weighed_is_refused_and_not_passed_over() {
        let second = EXAMPLE.replacen("\"version\": 1", "\"version\": 2", 1);
        assert!(read_trip(second.as_bytes()).is_ok());
        for (from, to, path) in [
            ("\"start_soc\"", "\"doubt\": {}, \"start_soc\"", "goal.doubt"),
            ("\"kmh\"", "\"paces\": [1], \"kmh\"", "route.segments[0].paces"),
            ("\"goal\"", "\"now\": {\"at\": \"2026-12-18T13:05\", \"at_km\": 1, \"soc\": 50}, \"goal\"", "now"),
        ] {
            let error = read_trip(second.replacen(from, to, 1).as_bytes()).unwrap_err();
            assert_eq!(error.place, crate::Place::Path(path.into()), "{error}");
            // Version 1 never knew such names.
            assert!(read_trip(EXAMPLE.replacen(from, to, 1).as_bytes()).is_ok());
        }
    }

    #[test]
    fn a_departure_is_read_in_its_zone_and_written_back() {
        let with = |lines: &str| EXAMPLE.replacen("\"vehicle\"", &format!("{lines} \"vehicle\""), 1);
        let read = |lines: &str| read_trip_file(with(lines).as_bytes());
        let lisbon = r#""departure": "2026-07-18T07:30", "time_zone": "Europe/Lisbon","#;
        let file = read(lisbon).unwrap();
        // Lisbon is an hour ahead of UTC in summer (IANA time zone database).
        assert_eq!(file.departure.as_ref().unwrap().timestamp().to_string(), "2026-07-18T06:30:00Z");
        let again = read_trip_file(
            write_trip(&file.trip, Beside { departure: file.departure.as_ref(), tariffs: &[], wishes: None })
                .as_bytes(),
        )
        .unwrap();
        assert_eq!(again.departure, file.departure);
        let utc = read(r#""departure": "2026-07-18T07:30","#).unwrap();
        assert_eq!(utc.departure.unwrap().timestamp().to_string(), "2026-07-18T07:30:00Z");
        for (lines, path) in [(r#""departure": "soon","#, "departure"), (r#""time_zone": "Here/There","#, "time_zone")]
        {
            let error = read(lines).unwrap_err();
            assert_eq!(error.place, crate::Place::Path(path.into()), "{error}");
        }
    }

    proptest! {
        #[test]
        fn never_panics(cut in 0usize..2000, put in "[-0-9a-z\\[\\]{}\",:.]{0,6}") {
            let mut text = EXAMPLE.to_string();
            let at = (0..=cut.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
            text.insert_str(at, &put);
            let _ = read_trip(text.as_bytes());
            let _ = read_trip(&text.as_bytes()[..at]);
        }

        #[test]
        fn any_numbers_are_planned_or_refused(numbers in prop::collection::vec(-1e6f64..1e6, 12)) {
            let n = |i: usize| numbers[i];
            let text = format!(
                r#"{{"format":"spare-hour/trip","version":1,"vehicle":{{"usable_kwh":{},"charge_curve":[{{"soc":{},"kw":{}}}],"charge_loss_percent":{}}},
                "route":{{"segments":[{{"km":{},"kmh":{},"kwh_per_100km":{}}}]}},"sites":[{{"id":"a","at_km":{},"max_kw":{}}}],
                "goal":{{"start_soc":{},"min_soc":{},"arrival_soc":5,"max_soc":{}}}}}"#,
                n(0).abs() / 1e4, n(1) / 1e4, n(2) / 1e3, n(3) / 1e4, n(4) / 1e3, n(5) / 1e4, n(6) / 1e4, n(7) / 1e4, n(8) / 1e3,
                n(9) / 1e4, n(10) / 1e4, n(11) / 1e4,
            );
            if let Ok(trip) = read_trip(text.as_bytes()) {
                let _ = spare_hour_planner::Planner::new(trip);
            }
        }
    }
}
