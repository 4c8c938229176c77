//! What trip JSON version 2 says of pauses, bounds, plugs and alternating current.

use std::collections::HashMap;

use jiff::civil::Time;
use jiff::tz::TimeZone;
use serde::Deserialize;
use serde_json::Value;
use spare_hour_core::charging::ac_charge::Post;
use spare_hour_core::quantity::{Current, Minutes, Power, Voltage};
use spare_hour_core::trip::wishes::{CarAc, CarPlug, Facility, MOST_PAUSES, Pause, SiteWishes, Wishes};

use crate::FormatError;

/// Longest pause, minutes.
const LONGEST_PAUSE: f64 = 2_880.0;

#[derive(Deserialize)]
struct PostFile {
    phases: u32,
    volts: f64,
    amps: f64,
}

#[derive(Deserialize)]
struct CarAcFile {
    phases: u32,
    max_kw: f64,
    #[serde(default)]
    max_a: Option<f64>,
    #[serde(default)]
    loss_percent: f64,
}

#[derive(Deserialize)]
struct AdapterFile {
    adapter_for: String,
    max_kw: f64,
}

#[derive(Deserialize)]
struct PauseFile {
    name: String,
    minutes: f64,
    from: String,
    to: String,
    #[serde(default)]
    needs: Option<String>,
    #[serde(default)]
    anywhere: bool,
}

/// The wishes of a trip file, which is known to be one.
pub(crate) fn wishes(text: &str) -> Result<Wishes, FormatError> {
    let file: Value = serde_json::from_str(text).unwrap_or_default();
    let (goal, vehicle) = (&file["goal"], &file["vehicle"]);
    let wishes = Wishes {
        pauses: pauses(&goal["pauses"])?,
        most_drive: number(goal, "goal", "most_drive_min", 10.0, 10_080.0)?.map(Minutes::new),
        rest: number(goal, "goal", "rest_min", 1.0, 10_080.0)?.map(Minutes::new),
        most_cost: number(goal, "goal", "most_cost", 0.0, 1e7)?,
        most_time: number(goal, "goal", "most_min", 1.0, 1e6)?.map(Minutes::new),
        most_stops: number(goal, "goal", "most_stops", 0.0, 1_000.0)?.map(|most| most as u32),
        avoid: sites_named(&file, "avoid")?,
        visit: sites_named(&file, "visit")?,
        car_ac: car_ac(&vehicle["ac"])?,
        plugs: plugs(&vehicle["connectors"])?,
        sites: sites(&file["sites"])?,
    };
    if wishes.most_drive.is_some() && wishes.rest.is_none() {
        return Err(FormatError::path("goal.rest_min", "is missing; expected minutes to stand after most_drive_min"));
    }
    Ok(wishes)
}

fn read<T: for<'de> Deserialize<'de>>(value: &Value, path: &str) -> Result<T, FormatError> {
    T::deserialize(value).map_err(|error| FormatError::path(path, error.to_string()))
}

fn number(object: &Value, place: &str, name: &str, low: f64, high: f64) -> Result<Option<f64>, FormatError> {
    let value = &object[name];
    if value.is_null() {
        return Ok(None);
    }
    let number = value.as_f64().filter(|number| (low..=high).contains(number));
    number
        .map(Some)
        .ok_or_else(|| FormatError::path(format!("{place}.{name}"), format!("is {value}; expected {low} to {high}")))
}

fn list<'v>(value: &'v Value, path: &str) -> Result<&'v [Value], FormatError> {
    match value {
        Value::Null => Ok(&[]),
        Value::Array(items) => Ok(items),
        _ => Err(FormatError::path(path, "expected a list")),
    }
}

fn pauses(value: &Value) -> Result<Vec<Pause>, FormatError> {
    let items = list(value, "goal.pauses")?;
    if items.len() > MOST_PAUSES {
        let problem = format!("has {} pauses; expected at most {MOST_PAUSES}", items.len());
        return Err(FormatError::path("goal.pauses", problem));
    }
    let pause = |(index, item): (usize, &Value)| {
        let path = format!("goal.pauses[{index}]");
        let file: PauseFile = read(item, &path)?;
        let wrong = |field: &str, problem: String| FormatError::path(format!("{path}.{field}"), problem);
        let time = |field: &str, text: &str| {
            let time: Result<Time, _> = text.parse();
            time.map_err(|_| wrong(field, format!("is \"{text}\"; expected a time of day such as 11:30")))
        };
        if !(1.0..=LONGEST_PAUSE).contains(&file.minutes) {
            return Err(wrong("minutes", format!("is {}; expected 1 to {LONGEST_PAUSE}", file.minutes)));
        }
        let needs = file.needs.as_deref().map(|name| facility(name).map_err(|problem| wrong("needs", problem)));
        Ok(Pause {
            from: time("from", &file.from)?,
            to: time("to", &file.to)?,
            needs: needs.transpose()?,
            name: file.name,
            length: Minutes::new(file.minutes),
            anywhere: file.anywhere,
        })
    };
    items.iter().enumerate().map(pause).collect()
}

fn facility(name: &str) -> Result<Facility, String> {
    Facility::of_name(name).ok_or_else(|| format!("is \"{name}\"; expected eat, sleep or rest"))
}

/// Sites that are named to be passed by, or stopped at.
fn sites_named(file: &Value, name: &str) -> Result<Vec<String>, FormatError> {
    let known = |id: &str| list(&file["sites"], "sites").is_ok_and(|sites| sites.iter().any(|site| site["id"] == id));
    let named = |(index, item): (usize, &Value)| {
        let wrong =
            || FormatError::path(format!("goal.{name}[{index}]"), format!("is {item}; expected the id of a site"));
        item.as_str().filter(|id| known(id)).map(Into::into).ok_or_else(wrong)
    };
    list(&file["goal"][name], &format!("goal.{name}"))?.iter().enumerate().map(named).collect()
}

fn car_ac(value: &Value) -> Result<Option<CarAc>, FormatError> {
    if value.is_null() {
        return Ok(None);
    }
    let file: CarAcFile = read(value, "vehicle.ac")?;
    let wrong = |field: &str, expected: &str| {
        Err(FormatError::path(format!("vehicle.ac.{field}"), format!("expected {expected}")))
    };
    if !(1..=3).contains(&file.phases) {
        return wrong("phases", "1 to 3");
    }
    if !(0.1..=100.0).contains(&file.max_kw) {
        return wrong("max_kw", "0.1 to 100 kW");
    }
    if !(0.0..=60.0).contains(&file.loss_percent) {
        return wrong("loss_percent", "0 to 60 %");
    }
    Ok(Some(CarAc {
        phases: file.phases,
        most: Power::kw(file.max_kw),
        current: file.max_a.filter(|amps| *amps > 0.0).map(Current::amps),
        loss_percent: file.loss_percent,
    }))
}

fn plugs(value: &Value) -> Result<Vec<CarPlug>, FormatError> {
    let plug = |(index, item): (usize, &Value)| {
        if let Some(standard) = item.as_str() {
            return Ok(CarPlug { standard: standard.into(), most: None });
        }
        let adapter: AdapterFile = read(item, &format!("vehicle.connectors[{index}]"))?;
        Ok(CarPlug { standard: adapter.adapter_for, most: Some(Power::kw(adapter.max_kw.clamp(0.1, 10_000.0))) })
    };
    list(value, "vehicle.connectors")?.iter().enumerate().map(plug).collect()
}

fn sites(value: &Value) -> Result<HashMap<String, SiteWishes>, FormatError> {
    let mut known = HashMap::new();
    for (index, site) in list(value, "sites")?.iter().enumerate() {
        let path = |field: &str| format!("sites[{index}].{field}");
        let has = list(&site["has"], &path("has"))?.iter().map(|name| {
            facility(name.as_str().unwrap_or_default()).map_err(|problem| FormatError::path(path("has"), problem))
        });
        let zone = site["time_zone"].as_str().map(|name| {
            TimeZone::get(name).map_err(|_| {
                FormatError::path(
                    path("time_zone"),
                    format!("is \"{name}\"; expected an IANA name such as Europe/Lisbon"),
                )
            })
        });
        let wishes = SiteWishes {
            post: post(&site["ac"], &path("ac"))?,
            has: has.collect::<Result<_, _>>()?,
            zone: zone.transpose()?,
        };
        known.insert(site["id"].as_str().unwrap_or_default().to_string(), wishes);
    }
    Ok(known)
}

fn post(value: &Value, path: &str) -> Result<Option<Post>, FormatError> {
    if value.is_null() {
        return Ok(None);
    }
    let file: PostFile = read(value, path)?;
    if !(1..=3).contains(&file.phases) || !(50.0..=500.0).contains(&file.volts) || !(1.0..=200.0).contains(&file.amps) {
        return Err(FormatError::path(path, "expected 1 to 3 phases, 50 to 500 V, 1 to 200 A"));
    }
    Ok(Some(Post { phases: file.phases, voltage: Voltage::volts(file.volts), current: Current::amps(file.amps) }))
}
