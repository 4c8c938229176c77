//! What happens at a stall, as JSON lines: what the live page sends, what a meter feeds, and what a live session is made from.
//! docs/formats/events.md describes them.
//!
//! ```json
//! {"id": "a1", "at": "2026-05-01T12:00:19Z", "what": "current"}
//! {"id": "a2", "at": 1777636879000, "what": "reading", "soc": 12, "power_kw": 164.5}
//! ```

use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::Reading;
use spare_hour_core::session::live::{Event, Readout, What};

use spare_hour_core::session::session_check::READING;
use spare_hour_wording::refused;

use crate::conditions::parse_meter;

/// Most lines that are taken at once.
pub const MOST_LINES: usize = 10_000;
/// Longest name of an event.
const MOST_ID: usize = 64;
/// Times that are taken for real: 2000 to 2100, in milliseconds since 1970.
const YEARS: std::ops::Range<i64> = 946_684_800_000..4_102_444_800_000;

#[derive(Default, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
struct Line {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    id: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    at: Option<At>,
    what: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    of: Option<String>,
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
    by: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    minutes: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    to: Option<f64>,
}

/// A time: milliseconds since 1970, or ISO 8601 with its offset.
#[derive(Deserialize, Serialize)]
#[serde(untagged)]
enum At {
    Millis(i64),
    Iso(String),
}

/// Reads one line. What a device leaves out is taken from `now_ms`, the time it came, and `new_id`.
///
/// # Errors
/// What is wrong with it and what is expected.
pub fn read_event_line(line: &str, now_ms: i64, new_id: impl FnOnce() -> String) -> Result<Event, String> {
    let line: Line = serde_json::from_str(line).map_err(|error| {
        format!("is no event: {error}; expected such as {{\"what\": \"reading\", \"soc\": 12, \"power_kw\": 164.5}}")
    })?;
    let at_ms = match &line.at {
        None => now_ms,
        Some(At::Millis(millis)) => *millis,
        Some(At::Iso(text)) => {
            let time: Timestamp = text
                .parse()
                .map_err(|_| format!("at is \"{text}\"; expected an ISO 8601 time with its offset, or milliseconds"))?;
            time.as_millisecond()
        }
    };
    let at_ms = checked_time(at_ms)?;
    let what = line.what()?;
    Ok(Event { id: checked_id(line.id.unwrap_or_else(new_id))?, at_ms, what })
}

/// A time that can be.
pub(crate) fn checked_time(at_ms: i64) -> Result<i64, String> {
    let known = YEARS.contains(&at_ms);
    known.then_some(at_ms).ok_or_else(|| "at is no time of this century; expected milliseconds since 1970".into())
}

/// A name of an event that can be.
pub(crate) fn checked_id(id: String) -> Result<String, String> {
    let plain = |id: &str| id.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
    if id.is_empty() || id.len() > MOST_ID || !plain(&id) {
        return Err(format!("id is \"{id}\"; expected 1 to {MOST_ID} letters, digits or dashes"));
    }
    Ok(id)
}

impl Line {
    fn what(&self) -> Result<What, String> {
        let of = || self.of.clone().ok_or_else(|| format!("{} has no of; expected the id of an event", self.what));
        Ok(match self.what.as_str() {
            "plugged-in" => What::PluggedIn,
            "refused" => What::AttemptFailed,
            "current" => What::CurrentOn,
            "reading" => What::Reading(self.readout()?),
            "change" => What::Change { of: of()?, to: self.readout()? },
            "undo" => What::Undo { of: of()? },
            "pause" => What::Pause,
            "resume" => What::Resume,
            "forecast" => self.forecast()?,
            "ended" => What::Ended,
            other => {
                return Err(format!(
                    "what is \"{other}\"; expected plugged-in, refused, current, reading, change, undo, pause, resume, forecast or ended"
                ));
            }
        })
    }

    fn readout(&self) -> Result<Readout, String> {
        let numbers = [
            self.soc,
            self.power_kw,
            self.energy_kwh,
            self.voltage_v,
            self.current_a,
            self.battery_c,
            self.ambient_c,
            self.range_km,
        ];
        for ((name, bounds), number) in READING.iter().zip(numbers) {
            if let Some(number) = number {
                bounds.check(name, number).map_err(|error| format!("{name} {}", refused::fault(&error.fault)))?;
            }
        }
        let rest = Reading {
            power: self.power_kw.map(Power::kw),
            energy: self.energy_kwh.map(Energy::kwh),
            voltage: self.voltage_v.map(Voltage::volts),
            current: self.current_a.map(Current::amps),
            battery: self.battery_c.map(Temperature::celsius),
            ambient: self.ambient_c.map(Temperature::celsius),
            range: self.range_km.map(Distance::km),
            note: self.note.clone(),
            ..Reading::default()
        };
        Ok(Readout { soc: self.soc.map(Soc::percent), rest })
    }

    fn forecast(&self) -> Result<What, String> {
        let by = self.by.as_deref().and_then(parse_meter);
        let by = by.ok_or("by is missing; expected station or car")?;
        let within = |number: Option<f64>, high: f64| number.filter(|number| (0.0..=high).contains(number));
        let remaining = within(self.minutes, 10_080.0).ok_or("minutes is missing; expected 0 to 10080")?;
        let to = within(self.to, 100.0).ok_or("to is missing; expected 0 to 100 %")?;
        Ok(What::Forecast { by, remaining: Minutes::new(remaining), to: Soc::percent(to) })
    }

    fn with_readout(self, readout: &Readout) -> Self {
        let rest = &readout.rest;
        Self {
            soc: readout.soc.map(Soc::get),
            power_kw: rest.power.map(Power::get),
            energy_kwh: rest.energy.map(Energy::get),
            voltage_v: rest.voltage.map(Voltage::get),
            current_a: rest.current.map(Current::get),
            battery_c: rest.battery.map(Temperature::get),
            ambient_c: rest.ambient.map(Temperature::get),
            range_km: rest.range.map(Distance::get),
            note: rest.note.clone(),
            ..self
        }
    }
}

/// Writes one event as a line, without the line's end.
pub fn write_event_line(event: &Event) -> String {
    let line = |what: &str| Line {
        id: Some(event.id.clone()),
        at: Some(At::Millis(event.at_ms)),
        what: what.into(),
        ..Line::default()
    };
    let line = match &event.what {
        What::PluggedIn => line("plugged-in"),
        What::AttemptFailed => line("refused"),
        What::CurrentOn => line("current"),
        What::Reading(readout) => line("reading").with_readout(readout),
        What::Change { of, to } => Line { of: Some(of.clone()), ..line("change").with_readout(to) },
        What::Undo { of } => Line { of: Some(of.clone()), ..line("undo") },
        What::Pause => line("pause"),
        What::Resume => line("resume"),
        What::Forecast { by, remaining, to } => Line {
            by: Some(spare_hour_core::session::forecast_check::whose(*by).into()),
            minutes: Some(remaining.get()),
            to: Some(to.get()),
            ..line("forecast")
        },
        What::Ended => line("ended"),
    };
    serde_json::to_string(&line).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const NOW: i64 = 1_777_636_819_000;

    fn read(line: &str) -> Result<Event, String> {
        read_event_line(line, NOW, || "new".into())
    }

    #[test]
    fn every_kind_is_written_as_it_was_read() {
        for line in [
            r#"{"id":"a","at":1777636819000,"what":"plugged-in"}"#,
            r#"{"id":"a","at":1777636819000,"what":"refused"}"#,
            r#"{"id":"a","at":1777636819000,"what":"current"}"#,
            r#"{"id":"a","at":1777636819000,"what":"reading","soc":12.0,"power_kw":164.5,"battery_c":31.0,"note":"rain"}"#,
            r#"{"id":"a","at":1777636819000,"what":"change","of":"b","soc":13.0}"#,
            r#"{"id":"a","at":1777636819000,"what":"undo","of":"b"}"#,
            r#"{"id":"a","at":1777636819000,"what":"pause"}"#,
            r#"{"id":"a","at":1777636819000,"what":"resume"}"#,
            r#"{"id":"a","at":1777636819000,"what":"forecast","by":"station","minutes":38.0,"to":80.0}"#,
            r#"{"id":"a","at":1777636819000,"what":"ended"}"#,
        ] {
            assert_eq!(write_event_line(&read(line).unwrap()), line);
        }
    }

    #[test]
    fn a_device_may_leave_out_name_and_time() {
        let event = read(r#"{"what":"reading","soc":40}"#).unwrap();
        assert_eq!((event.id.as_str(), event.at_ms), ("new", NOW));
        assert_eq!(read(r#"{"what":"current","at":"2026-05-01T14:00:19+02:00"}"#).unwrap().at_ms, NOW);
    }

    #[test]
    fn garbage_is_named() {
        for (line, part) in [
            ("#!", "is no event"),
            (r#"{"what":"dance"}"#, "what is \"dance\"; expected plugged-in"),
            (r#"{"what":"reading","soc":141}"#, "soc is 141; expected 0 to 100 %"),
            (r#"{"what":"reading","speed":3}"#, "unknown field"),
            (r#"{"what":"undo"}"#, "undo has no of"),
            (r#"{"what":"forecast","by":"cat"}"#, "expected station or car"),
            (r#"{"what":"pause","at":12}"#, "no time of this century"),
            (r#"{"what":"pause","at":"noon"}"#, "at is \"noon\""),
            (r#"{"what":"pause","id":"a b"}"#, "id is \"a b\""),
        ] {
            let error = read(line).unwrap_err();
            assert!(error.contains(part), "{line}: {error}");
        }
    }

    proptest! {
        #[test]
        fn never_panics(line in "\\PC{0,80}") {
            let _ = read(&line);
        }
    }
}
