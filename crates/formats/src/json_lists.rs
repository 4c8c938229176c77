//! Lists whose elements are whole files of their own, as JSON arrays: sessions with their names and cars, and trips.

use serde_json::Value;
use spare_hour_core::session::Session;

use crate::{FormatError, Place, TripOfFile, read_session_json, read_trip_file, text_of, write_session_json};

/// Most elements of a list.
const MOST_ELEMENTS: usize = 10_000;

/// A session of a list, with what it is called and the car that was charged.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedSession {
    /// Name for people; empty where the list says none.
    pub name: String,
    /// Name of the car.
    pub car: Option<String>,
    /// What was measured.
    pub session: Session,
}

/// Whether a file is an array, a list of more than one thing.
pub fn is_json_list(bytes: &[u8]) -> bool {
    text_of(bytes).is_ok_and(|text| text.trim_start().starts_with('['))
}

/// Reads trips from the bytes of a JSON file: an array of trip files, or one.
///
/// # Errors
/// The first place that is wrong, with what is expected there.
pub fn read_trips(bytes: &[u8]) -> Result<Vec<TripOfFile>, FormatError> {
    if is_json_list(bytes) { elements(bytes, |_, text| read_trip_file(text)) } else { Ok(vec![read_trip_file(bytes)?]) }
}

/// Reads sessions from the bytes of a JSON file: an array of session files, each with `name` and `car` if they are known.
///
/// # Errors
/// The first place that is wrong, with what is expected there.
pub fn read_session_list(bytes: &[u8]) -> Result<Vec<NamedSession>, FormatError> {
    elements(bytes, |element, text| {
        let word = |key: &str| element.get(key).and_then(Value::as_str).map(str::trim).filter(|word| !word.is_empty());
        let short = |word: &str| word.chars().take(80).collect::<String>();
        Ok(NamedSession {
            name: word("name").map(short).unwrap_or_default(),
            car: word("car").map(short),
            session: read_session_json(text)?,
        })
    })
}

/// Writes sessions as a JSON array that [`read_session_list`] reads back.
pub fn write_session_list(sessions: &[NamedSession]) -> String {
    let element = |named: &NamedSession| {
        let mut file: Value = serde_json::from_str(&write_session_json(&named.session)).unwrap_or_default();
        file["name"] = named.name.clone().into();
        if let Some(car) = &named.car {
            file["car"] = car.clone().into();
        }
        file
    };
    let list: Vec<Value> = sessions.iter().map(element).collect();
    serde_json::to_string_pretty(&list).unwrap_or_default() + "\n"
}

/// The elements of an array, each read from its own text.
fn elements<T>(bytes: &[u8], read: impl Fn(&Value, &[u8]) -> Result<T, FormatError>) -> Result<Vec<T>, FormatError> {
    let list: Vec<Value> = serde_json::from_str(text_of(bytes)?)
        .map_err(|error| FormatError::line(error.line(), format!("is no JSON array: {error}")))?;
    if list.is_empty() || list.len() > MOST_ELEMENTS {
        let found = list.len();
        return Err(FormatError::file(format!("the list has {found} elements; expected 1 to {MOST_ELEMENTS}")));
    }
    let element = |(index, element): (usize, &Value)| {
        read(element, element.to_string().as_bytes()).map_err(|error| {
            let place = match &error.place {
                Place::Path(path) => format!("[{index}].{path}"),
                Place::File | Place::Line(_) => format!("[{index}]"),
            };
            FormatError::path(place, error.problem)
        })
    };
    list.iter().enumerate().map(element).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Beside, read_session, write_trip};

    #[test]
    fn sessions_come_back_with_their_names() {
        let session = read_session("0:00 10 100\n10:00 40 90\n20:00 60 60\n").unwrap();
        let named = |name: &str, car: Option<&str>| NamedSession {
            name: name.into(),
            car: car.map(Into::into),
            session: session.clone(),
        };
        let list = vec![named("warm", Some("Tern")), named("", None)];
        let text = write_session_list(&list);
        assert!(is_json_list(text.as_bytes()));
        assert_eq!(read_session_list(text.as_bytes()).unwrap(), list);
    }

    #[test]
    fn what_is_wrong_names_its_element() {
        let trip = include_str!("../../../docs/formats/trip.example.json");
        let two = format!("[{trip},{}]", trip.replace("\"usable_kwh\"", "\"usable\""));
        let error = read_trips(two.as_bytes()).unwrap_err().to_string();
        assert!(error.starts_with("[1].vehicle.usable_kwh"), "{error}");
        let twice = read_trips(format!("[{trip},{trip}]").as_bytes()).unwrap();
        assert_eq!(
            [write_trip(&twice[0].trip, Beside::default()), write_trip(&twice[1].trip, Beside::default())],
            [
                write_trip(&crate::read_trip(trip.as_bytes()).unwrap(), Beside::default()),
                write_trip(&twice[0].trip, Beside::default())
            ]
        );
        assert_eq!(read_trips(trip.as_bytes()).unwrap().len(), 1);
        for wrong in ["[]", "[1", "[1]", "{}"] {
            assert!(read_trips(wrong.as_bytes()).is_err() && read_session_list(wrong.as_bytes()).is_err(), "{wrong}");
        }
    }
}
