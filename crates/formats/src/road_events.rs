//! What happens on the road, as JSON lines: what the page of a trip under way sends. docs/formats/events.md describes them.
//!
//! ```json
//! {"id": "a1", "at": 1777636879000, "what": "here", "site": "s4", "soc": 17}
//! {"id": "a2", "at": 1777637879000, "what": "left", "soc": 58}
//! ```

use serde::{Deserialize, Serialize};
use spare_hour_core::quantity::{Distance, Minutes, Power, Soc};
use spare_hour_core::trip::road_log::{Happened, Place, RoadEvent, StallState};

use crate::event_lines::{checked_id, checked_time};

/// Longest name of a site or a pause.
const MOST_NAME: usize = 200;

#[derive(Default, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
struct Line {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    id: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    at: Option<i64>,
    what: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    site: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    km: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    soc: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pause: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    state: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    minutes: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    kw: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    of: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    came: Option<i64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    session: Option<i32>,
}

/// Reads one line. A time that is left out is `now_ms`, an id `new_id`'s.
///
/// # Errors
/// What is wrong with it and what is expected.
pub fn read_road_event(line: &str, now_ms: i64, new_id: impl FnOnce() -> String) -> Result<RoadEvent, String> {
    let line: Line = serde_json::from_str(line).map_err(|error| {
        format!("is no event: {error}; expected such as {{\"what\": \"here\", \"site\": \"s4\", \"soc\": 17}}")
    })?;
    let what = line.what()?;
    Ok(RoadEvent {
        at_ms: checked_time(line.at.unwrap_or(now_ms))?,
        id: checked_id(line.id.unwrap_or_else(new_id))?,
        what,
    })
}

impl Line {
    fn what(&self) -> Result<Happened, String> {
        Ok(match self.what.as_str() {
            "here" => Happened::Here(self.place()?, self.soc()?),
            "left" => Happened::Left(self.soc()?),
            "took" => Happened::Took(named("pause", self.pause.as_deref())?),
            "stall" => Happened::Stall(named("site", self.site.as_deref())?, self.state()?),
            "ended" => Happened::Ended(self.soc()?),
            "measured" => {
                let came = self.came.ok_or("came is missing; expected when one came there, in ms since 1970")?;
                Happened::Measured(checked_time(came)?, self.session)
            }
            "undo" => Happened::Undo(named("of", self.of.as_deref())?),
            other => {
                return Err(format!("what is \"{other}\"; expected here, left, took, stall, ended, measured or undo"));
            }
        })
    }

    fn place(&self) -> Result<Place, String> {
        match (&self.site, self.km) {
            (Some(site), _) => Ok(Place::Site(named("site", Some(site))?)),
            (None, Some(_)) => Ok(Place::Km(Distance::km(within("km", self.km, 0.0, 100_000.0)?))),
            (None, None) => Err("here has no place; expected site or km".into()),
        }
    }

    fn soc(&self) -> Result<Soc, String> {
        within("soc", self.soc, 0.0, 100.0).map(Soc::percent)
    }

    fn state(&self) -> Result<StallState, String> {
        match self.state.as_deref() {
            Some("out-of-order") => Ok(StallState::OutOfOrder),
            Some("occupied") => Ok(StallState::Occupied(Minutes::new(within("minutes", self.minutes, 0.0, 600.0)?))),
            Some("slow") => Ok(StallState::Slow(Power::kw(within("kw", self.kw, 1.0, 1_000.0)?))),
            Some("fine") => Ok(StallState::Fine),
            other => Err(format!("state is {other:?}; expected out-of-order, occupied, slow or fine")),
        }
    }
}

fn within(field: &str, number: Option<f64>, low: f64, high: f64) -> Result<f64, String> {
    let number = number.ok_or_else(|| format!("{field} is missing; expected {low} to {high}"))?;
    if (low..=high).contains(&number) {
        Ok(number)
    } else {
        Err(format!("{field} is {number}; expected {low} to {high}"))
    }
}

fn named(field: &str, text: Option<&str>) -> Result<String, String> {
    match text {
        Some(text) if !text.trim().is_empty() && text.chars().count() <= MOST_NAME => Ok(text.to_string()),
        _ => Err(format!("{field} is missing or too long; expected 1 to {MOST_NAME} characters")),
    }
}

/// Writes an event as a line that [`read_road_event`] reads.
pub fn write_road_event(event: &RoadEvent) -> String {
    let line = Line { id: Some(event.id.clone()), at: Some(event.at_ms), ..Line::default() };
    let line = match &event.what {
        Happened::Here(Place::Site(site), soc) => {
            Line { what: "here".into(), site: Some(site.clone()), soc: Some(soc.get()), ..line }
        }
        Happened::Here(Place::Km(km), soc) => {
            Line { what: "here".into(), km: Some(km.get()), soc: Some(soc.get()), ..line }
        }
        Happened::Left(soc) => Line { what: "left".into(), soc: Some(soc.get()), ..line },
        Happened::Took(pause) => Line { what: "took".into(), pause: Some(pause.clone()), ..line },
        Happened::Ended(soc) => Line { what: "ended".into(), soc: Some(soc.get()), ..line },
        Happened::Measured(came, session) => {
            Line { what: "measured".into(), came: Some(*came), session: *session, ..line }
        }
        Happened::Undo(of) => Line { what: "undo".into(), of: Some(of.clone()), ..line },
        Happened::Stall(site, state) => {
            let (word, minutes, kw) = match state {
                StallState::OutOfOrder => ("out-of-order", None, None),
                StallState::Occupied(wait) => ("occupied", Some(wait.get()), None),
                StallState::Slow(power) => ("slow", None, Some(power.get())),
                StallState::Fine => ("fine", None, None),
            };
            Line { what: "stall".into(), site: Some(site.clone()), state: Some(word.into()), minutes, kw, ..line }
        }
    };
    serde_json::to_string(&line).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    const NOW: i64 = 1_790_000_000_000;

    #[test]
    fn events_are_read_and_written_back() {
        for line in [
            r#"{"id":"a","at":1790000000000,"what":"here","site":"s4","soc":17.0}"#,
            r#"{"id":"a","at":1790000000000,"what":"here","km":412.0,"soc":17.5}"#,
            r#"{"id":"a","at":1790000000000,"what":"left","soc":58.0}"#,
            r#"{"id":"a","at":1790000000000,"what":"took","pause":"lunch"}"#,
            r#"{"id":"a","at":1790000000000,"what":"stall","site":"s4","state":"occupied","minutes":10.0}"#,
            r#"{"id":"a","at":1790000000000,"what":"stall","site":"s4","state":"slow","kw":40.0}"#,
            r#"{"id":"a","at":1790000000000,"what":"stall","site":"s4","state":"out-of-order"}"#,
            r#"{"id":"a","at":1790000000000,"what":"ended","soc":12.0}"#,
            r#"{"id":"a","at":1790000000000,"what":"undo","of":"b"}"#,
            r#"{"id":"a","at":1790000000000,"what":"measured","came":1790000000000,"session":5}"#,
            r#"{"id":"a","at":1790000000000,"what":"measured","came":1790000000000}"#,
        ] {
            let event = read_road_event(line, 0, String::new).unwrap();
            assert_eq!(write_road_event(&event), line);
        }
        let bare = read_road_event(r#"{"what":"left","soc":58}"#, NOW, || "new".into()).unwrap();
        assert_eq!((bare.id.as_str(), bare.at_ms), ("new", NOW));
    }

    #[test]
    fn what_is_no_event_says_why() {
        let wrong = |line: &str| read_road_event(line, NOW, || "new".into()).unwrap_err();
        assert_eq!(wrong(r#"{"what":"here","soc":17}"#), "here has no place; expected site or km");
        assert_eq!(wrong(r#"{"what":"left","soc":170}"#), "soc is 170; expected 0 to 100");
        assert!(wrong(r#"{"what":"stall","site":"s","state":"odd"}"#).contains("expected out-of-order, occupied"));
        assert!(wrong(r#"{"what":"gone"}"#).contains("expected here, left"));
        assert!(wrong(r#"{"id":"a b","what":"left","soc":1}"#).starts_with("id is"));
        assert!(wrong(r#"{"at":5,"what":"left","soc":1}"#).starts_with("at is no time of this century"));
        assert!(wrong("[]").starts_with("is no event"));
    }
}
