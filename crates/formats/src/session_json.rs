//! Session JSON, version 1: a session with all that was noted. docs/formats/session.schema.json describes it.

use serde::{Deserialize, Serialize, Serializer};
use serde_json::{Map, Value};
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::{Conditions, Reading, Session};

use crate::conditions::{condition_pairs, note_condition};
use crate::number::{MOST_SECONDS, plain};
use crate::{FormatError, text_of};

const FORMAT: &str = "spare-hour/session";

#[derive(Deserialize)]
struct File {
    format: String,
    version: u32,
    #[serde(default)]
    conditions: Map<String, Value>,
    readings: Vec<Row>,
}

#[derive(Default, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
struct Row {
    elapsed_s: f64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    soc: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    power_kw: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    energy_kwh: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    voltage_v: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    current_a: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    battery_c: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    ambient_c: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    range_km: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    note: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    left_out: Option<String>,
}

impl Row {
    fn of(reading: &Reading) -> Self {
        Self {
            elapsed_s: (reading.elapsed.get() * 60_000.0).round() / 1000.0,
            soc: reading.soc.map(|soc| plain(soc.get())),
            power_kw: reading.power.map(Power::get),
            energy_kwh: reading.energy.map(Energy::get),
            voltage_v: reading.voltage.map(Voltage::get),
            current_a: reading.current.map(Current::get),
            battery_c: reading.battery.map(Temperature::get),
            ambient_c: reading.ambient.map(Temperature::get),
            range_km: reading.range.map(Distance::get),
            note: reading.note.clone(),
            left_out: reading.left_out.clone(),
        }
    }

    fn reading(self, index: usize) -> Result<Reading, FormatError> {
        if !(0.0..=MOST_SECONDS).contains(&self.elapsed_s) {
            let problem = format!("is {}; expected 0 to {MOST_SECONDS} s", self.elapsed_s);
            return Err(FormatError::path(format!("readings[{index}].elapsed_s"), problem));
        }
        let reading = Reading {
            elapsed: Minutes::seconds(self.elapsed_s),
            soc: self.soc.map(Soc::percent),
            power: self.power_kw.map(Power::kw),
            energy: self.energy_kwh.map(Energy::kwh),
            voltage: self.voltage_v.map(Voltage::volts),
            current: self.current_a.map(Current::amps),
            battery: self.battery_c.map(Temperature::celsius),
            ambient: self.ambient_c.map(Temperature::celsius),
            range: self.range_km.map(Distance::km),
            note: self.note,
            left_out: self.left_out,
        };
        Ok(reading)
    }
}

/// Reads a session from the bytes of a JSON file.
///
/// # Errors
/// The first place that is wrong, with what is expected there.
pub fn read_session_json(bytes: &[u8]) -> Result<Session, FormatError> {
    let text = text_of(bytes)?;
    let reader = &mut serde_json::Deserializer::from_str(text);
    let file: File = serde_path_to_error::deserialize(reader)
        .map_err(|error| FormatError::path(error.path().to_string(), error.inner().to_string()))?;
    if file.format != FORMAT || file.version != 1 {
        let problem = format!("is {} version {}; expected {FORMAT} version 1", file.format, file.version);
        return Err(FormatError::path("format", problem));
    }
    let readings: Result<Vec<Reading>, FormatError> =
        file.readings.into_iter().enumerate().map(|(index, row)| row.reading(index)).collect();
    let session = Session { readings: readings?, conditions: conditions(&file.conditions)? };
    session.check().map_err(|error| FormatError::refused("", &error))?;
    Ok(session)
}

fn conditions(object: &Map<String, Value>) -> Result<Conditions, FormatError> {
    let mut conditions = Conditions::default();
    for (key, value) in object {
        let values = match value {
            Value::Array(values) => values.iter().collect(),
            one => vec![one],
        };
        for value in values {
            let text = match (value.as_str(), value.as_f64()) {
                (Some(text), _) => text.to_string(),
                (None, Some(number)) => number.to_string(),
                (None, None) => value.to_string(),
            };
            note_condition(&mut conditions, key, &text)
                .map_err(|problem| FormatError::path(format!("conditions.{key}"), problem))?;
        }
    }
    Ok(conditions)
}

/// Writes a session.
pub fn write_session_json(session: &Session) -> String {
    let mut conditions: Map<String, Value> = Map::new();
    for (key, text) in condition_pairs(&session.conditions) {
        let value = match text.parse::<f64>() {
            Ok(number) if number.to_string() == text => Value::from(number),
            _ => Value::from(text),
        };
        match conditions.get_mut(&key) {
            Some(Value::Array(values)) => values.push(value),
            Some(one) => *one = Value::Array(vec![one.take(), value]),
            None => drop(conditions.insert(key, value)),
        }
    }
    let file = Written { format: FORMAT, version: 1, conditions, readings: Rows(&session.readings) };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

/// The file as it is written, reading by reading.
#[derive(Serialize)]
struct Written<'a> {
    format: &'static str,
    version: u32,
    conditions: Map<String, Value>,
    readings: Rows<'a>,
}

struct Rows<'a>(&'a [Reading]);

impl Serialize for Rows<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.iter().map(Row::of))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read_session;
    use proptest::prelude::*;

    #[test]
    fn what_is_written_is_read_back() {
        let csv = "# usable_kwh: 74\n# phases: 3\n# forecast: 5:00 car 38 min to 80 %\n# forecast: 9:00 car 30 min to 80 %\n# mood: 7\nelapsed,soc,power_kw,note,left_out\n0:00,10,150,windy,\n4:30,20.5,207,,misread\n";
        let session = read_session(csv).unwrap();
        assert_eq!(read_session_json(write_session_json(&session).as_bytes()).unwrap(), session);
        assert_eq!(read_session(&write_session_json(&session)).unwrap(), session);
    }

    #[test]
    fn names_the_place() {
        let said = |text: &str| read_session_json(text.as_bytes()).unwrap_err().to_string();
        let file =
            |readings: &str| format!("{{\"format\":\"spare-hour/session\",\"version\":1,\"readings\":[{readings}]}}");
        assert!(said(&file("")).contains("readings: has 0 readings"));
        assert!(
            said(&file("{\"elapsed_s\":0,\"soc\":130}")).starts_with("readings[0].soc: is 130; expected 0 to 100 %")
        );
        assert!(said(&file("{\"elapsed_s\":0,\"soc\":\"x\"}")).starts_with("readings[0].soc: "));
        assert!(said(&file("{\"elapsed_s\":-1,\"soc\":3}")).starts_with("readings[0].elapsed_s: "));
        assert!(
            said("{\"format\":\"other\",\"version\":1,\"readings\":[]}")
                .contains("expected spare-hour/session version 1")
        );
    }

    proptest! {
        #[test]
        fn never_panics(text in "\\{?\\PC{0,60}\\}?") {
            let _ = read_session_json(text.as_bytes());
        }
    }
}
