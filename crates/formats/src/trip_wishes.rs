//! What trip JSON version 2 says of pauses, bounds, plugs and alternating current.

use std::collections::HashMap;

use jiff::civil::Time;
use jiff::tz::TimeZone;
use serde::Deserialize;
use serde_json::{Map, Value, json};
use spare_hour_core::charging::ac_charge::Post;
use spare_hour_core::quantity::{Current, Minutes, Power, Soc, Voltage};
use spare_hour_core::trip::wishes::{CarAc, CarPlug, Facility, MOST_PAUSES, Neighbours, Pause, SiteWishes, Wishes};

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
        driven: Minutes::new(0.0),
        rest: number(goal, "goal", "rest_min", 1.0, 10_080.0)?.map(Minutes::new),
        most_cost: number(goal, "goal", "most_cost", 0.0, 1e7)?,
        most_time: number(goal, "goal", "most_min", 1.0, 1e6)?.map(Minutes::new),
        most_stops: number(goal, "goal", "most_stops", 0.0, 1_000.0)?.map(|most| most as u32),
        between: between(&file)?,
        neighbours: neighbours(goal)?,
        avoid: sites_named(&file, "avoid")?,
        visit: sites_named(&file, "visit")?,
        leave: of_sites(&file, "leave", "soc", (0.0, 100.0))?
            .into_iter()
            .map(|(id, soc)| (id, Soc::percent(soc)))
            .collect(),
        stay: of_sites(&file, "stay", "minutes", (1.0, LONGEST_PAUSE))?
            .into_iter()
            .map(|(id, minutes)| (id, Minutes::new(minutes)))
            .collect(),
        members: texts(&goal["memberships"], "goal.memberships")?,
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
            taken: false,
        })
    };
    items.iter().enumerate().map(pause).collect()
}

fn facility(name: &str) -> Result<Facility, String> {
    Facility::of_name(name).ok_or_else(|| format!("is \"{name}\"; expected eat, sleep or rest"))
}

/// Sites that are named to be passed by, or stopped at.
/// Sites to charge at between two times: `[{"site": "s1", "from": "14:00", "to": "15:00"}]`.
fn between(file: &Value) -> Result<Vec<(String, Time, Time)>, FormatError> {
    let known = |id: &str| list(&file["sites"], "sites").is_ok_and(|sites| sites.iter().any(|site| site["id"] == id));
    let one = |(index, item): (usize, &Value)| {
        let wrong = |field: &str, expected: &str| {
            let path = format!("goal.between[{index}].{field}");
            FormatError::path(path, format!("is {}; expected {expected}", item[field]))
        };
        let time = |field: &str| {
            let time = item[field].as_str().and_then(|text| text.parse::<Time>().ok());
            time.ok_or_else(|| wrong(field, "a time of day such as 14:00"))
        };
        let id = item["site"].as_str().filter(|id| known(id)).ok_or_else(|| wrong("site", "the id of a site"))?;
        Ok((id.to_string(), time("from")?, time("to")?))
    };
    list(&file["goal"]["between"], "goal.between")?.iter().enumerate().map(one).collect()
}

fn neighbours(goal: &Value) -> Result<Neighbours, FormatError> {
    let value = &goal["neighbours"];
    if value.is_null() {
        return Ok(Neighbours::Hope);
    }
    let named = value.as_str().and_then(Neighbours::of_name);
    named.ok_or_else(|| FormatError::path("goal.neighbours", format!("is {value}; expected hope, half or worst")))
}

fn sites_named(file: &Value, name: &str) -> Result<Vec<String>, FormatError> {
    let known = |id: &str| list(&file["sites"], "sites").is_ok_and(|sites| sites.iter().any(|site| site["id"] == id));
    let named = |(index, item): (usize, &Value)| {
        let wrong =
            || FormatError::path(format!("goal.{name}[{index}]"), format!("is {item}; expected the id of a site"));
        item.as_str().filter(|id| known(id)).map(Into::into).ok_or_else(wrong)
    };
    list(&file["goal"][name], &format!("goal.{name}"))?.iter().enumerate().map(named).collect()
}

/// A number for each of some sites: `[{"site": "s1", "soc": 60}]`.
fn of_sites(
    file: &Value,
    name: &str,
    number: &str,
    (low, high): (f64, f64),
) -> Result<Vec<(String, f64)>, FormatError> {
    let known = |id: &str| list(&file["sites"], "sites").is_ok_and(|sites| sites.iter().any(|site| site["id"] == id));
    let one = |(index, item): (usize, &Value)| {
        let wrong = |field: &str, expected: &str| {
            FormatError::path(
                format!("goal.{name}[{index}].{field}"),
                format!("is {}; expected {expected}", item[field]),
            )
        };
        let id = item["site"].as_str().filter(|id| known(id)).ok_or_else(|| wrong("site", "the id of a site"))?;
        let value = item[number].as_f64().filter(|value| (low..=high).contains(value));
        Ok((id.to_string(), value.ok_or_else(|| wrong(number, &format!("{low} to {high}")))?))
    };
    list(&file["goal"][name], &format!("goal.{name}"))?.iter().enumerate().map(one).collect()
}

fn texts(value: &Value, path: &str) -> Result<Vec<String>, FormatError> {
    let text = |item: &Value| item.as_str().map(Into::into);
    let all: Option<Vec<String>> = list(value, path)?.iter().map(text).collect();
    all.ok_or_else(|| FormatError::path(path, "expected a list of texts"))
}

/// Reads wishes that [`write_wishes`] wrote.
///
/// # Errors
/// The first place that is wrong, with what is expected there.
pub fn read_wishes(text: &str) -> Result<Wishes, FormatError> {
    serde_json::from_str::<Value>(text).map_err(|error| FormatError::file(format!("is no JSON: {error}")))?;
    wishes(text)
}

/// What is wished, as the parts of trip JSON that hold it: `goal`, `vehicle` and `sites` by their ids.
pub fn write_wishes(wishes: &Wishes) -> String {
    wishes_value(wishes).to_string()
}

pub(crate) fn wishes_value(wishes: &Wishes) -> Value {
    let mut goal = Map::new();
    let mut put = |name: &str, value: Value| {
        let empty = value.is_null() || value.as_array().is_some_and(Vec::is_empty);
        if !empty {
            goal.insert(name.into(), value);
        }
    };
    put("pauses", wishes.pauses.iter().map(pause_value).collect());
    put("most_drive_min", json!(wishes.most_drive.map(Minutes::get)));
    put("rest_min", json!(wishes.rest.map(Minutes::get)));
    put("most_cost", json!(wishes.most_cost));
    put("most_min", json!(wishes.most_time.map(Minutes::get)));
    put("most_stops", json!(wishes.most_stops));
    put("neighbours", json!(Some(wishes.neighbours.name()).filter(|_| wishes.neighbours != Neighbours::Hope)));
    put("avoid", json!(wishes.avoid));
    put("visit", json!(wishes.visit));
    put("leave", wishes.leave.iter().map(|(site, soc)| json!({"site": site, "soc": soc.get()})).collect());
    put("stay", wishes.stay.iter().map(|(site, stay)| json!({"site": site, "minutes": stay.get()})).collect());
    let clock = |at: &Time| at.strftime("%H:%M").to_string();
    let between = wishes.between.iter();
    let between = between.map(|(site, from, to)| json!({"site": site, "from": clock(from), "to": clock(to)}));
    put("between", between.collect());
    put("memberships", json!(wishes.members));
    let mut vehicle = Map::new();
    if let Some(car) = &wishes.car_ac {
        let ac = json!({
            "phases": car.phases, "max_kw": car.most.get(), "max_a": car.current.map(Current::get),
            "loss_percent": car.loss_percent,
        });
        vehicle.insert("ac".into(), ac);
    }
    if !wishes.plugs.is_empty() {
        vehicle.insert("connectors".into(), wishes.plugs.iter().map(plug_value).collect());
    }
    json!({"goal": goal, "vehicle": vehicle, "sites": site_values(wishes)})
}

fn pause_value(pause: &Pause) -> Value {
    let clock = |time: Time| time.strftime("%H:%M").to_string();
    json!({
        "name": pause.name, "minutes": pause.length.get(), "from": clock(pause.from), "to": clock(pause.to),
        "needs": pause.needs.map(Facility::name), "anywhere": pause.anywhere,
    })
}

fn plug_value(plug: &CarPlug) -> Value {
    match plug.most {
        Some(most) => json!({"adapter_for": plug.standard, "max_kw": most.get()}),
        None => json!(plug.standard),
    }
}

/// What is known of sites, by their ids; those that are named anywhere are there, so that what is read back knows them.
fn site_values(wishes: &Wishes) -> Vec<Value> {
    let mut ids: Vec<&String> = wishes.sites.keys().chain(&wishes.avoid).chain(&wishes.visit).collect();
    ids.extend(wishes.leave.iter().map(|(id, _)| id).chain(wishes.stay.iter().map(|(id, _)| id)));
    ids.sort_unstable();
    ids.dedup();
    let site = |id: &String| {
        let mut value = Map::from_iter([("id".to_string(), json!(id))]);
        let Some(known) = wishes.sites.get(id) else { return Value::Object(value) };
        if let Some(post) = &known.post {
            let ac = json!({"phases": post.phases, "volts": post.voltage.get(), "amps": post.current.get()});
            value.insert("ac".into(), ac);
        }
        if !known.has.is_empty() {
            value.insert("has".into(), known.has.iter().map(|has| has.name()).collect());
        }
        if let Some(zone) = known.zone.as_ref().and_then(TimeZone::iana_name) {
            value.insert("time_zone".into(), json!(zone));
        }
        Value::Object(value)
    };
    ids.into_iter().map(site).collect()
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

#[cfg(test)]
mod tests {
    use super::*;

    const WISHES: &str = r#"{
        "goal": {
            "pauses": [{"name": "lunch", "minutes": 45.0, "from": "11:30", "to": "13:30", "needs": "eat", "anywhere": false},
                       {"name": "night", "minutes": 540.0, "from": "20:00", "to": "23:00", "needs": "sleep", "anywhere": true}],
            "most_drive_min": 150.0, "rest_min": 15.0, "most_cost": 60.0, "most_min": 900.0, "most_stops": 4, "neighbours": "worst",
            "avoid": ["c"], "visit": ["a"], "leave": [{"site": "a", "soc": 62.5}], "stay": [{"site": "b", "minutes": 30.0}],
            "between": [{"site": "b", "from": "14:00", "to": "15:30"}],
            "memberships": ["Club"]
        },
        "vehicle": {"ac": {"phases": 1, "max_kw": 7.4, "max_a": 32, "loss_percent": 10},
                    "connectors": ["IEC_62196_T2_COMBO", {"adapter_for": "CHADEMO", "max_kw": 50}]},
        "sites": [{"id": "a", "ac": {"phases": 3, "volts": 230, "amps": 16}, "has": ["eat", "sleep"], "time_zone": "Europe/Lisbon"},
                  {"id": "b"}, {"id": "c"}]
    }"#;

    #[test]
    fn all_that_is_wished_is_read_back() {
        let wishes = read_wishes(WISHES).unwrap();
        assert_eq!((wishes.pauses.len(), wishes.most_stops, wishes.sites["a"].has.len()), (2, Some(4), 2));
        assert_eq!(wishes.leave, [("a".to_string(), Soc::percent(62.5))]);
        let again = read_wishes(&write_wishes(&wishes)).unwrap();
        assert_eq!(
            format!("{:?}", (&again.pauses, &again.leave, &again.stay, &again.plugs, &again.car_ac)),
            format!("{:?}", (&wishes.pauses, &wishes.leave, &wishes.stay, &wishes.plugs, &wishes.car_ac))
        );
        let both: Value = serde_json::from_str(&write_wishes(&again)).unwrap();
        assert_eq!(both, serde_json::from_str::<Value>(&write_wishes(&wishes)).unwrap());
        assert_eq!(both["goal"], serde_json::from_str::<Value>(WISHES).unwrap()["goal"]);
        assert!(read_wishes(&write_wishes(&Wishes::default())).unwrap().is_empty());
    }

    #[test]
    fn what_is_wrong_is_named() {
        for (from, to, part) in [
            ("62.5", "162.5", "goal.leave[0].soc: is 162.5; expected 0 to 100"),
            ("\"site\": \"b\"", "\"site\": \"z\"", "goal.stay[0].site: is \"z\"; expected the id of a site"),
            ("\"11:30\"", "\"noonish\"", "goal.pauses[0].from"),
            ("\"15:30\"", "7", "goal.between[0].to: is 7; expected a time of day such as 14:00"),
            ("\"worst\"", "\"maybe\"", "goal.neighbours: is \"maybe\"; expected hope, half or worst"),
            ("[\"Club\"]", "[7]", "goal.memberships: expected a list of texts"),
        ] {
            let error = read_wishes(&WISHES.replacen(from, to, 1)).unwrap_err().to_string();
            assert!(error.starts_with(part), "{error}");
        }
    }
}
