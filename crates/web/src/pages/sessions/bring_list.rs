//! A list of sessions brought at once: each with its name, and its car by name.

use spare_hour_core::session::soc_timeline::SocTimeline;
use spare_hour_formats::{NamedSession, read_session_list, write_session_json};
use spare_hour_store::{Car, NewSession, Store};

use crate::http::error::WebError;
use crate::http::upload::Upload;

/// Keeps the sessions of a list once all of them can be read. A session whose car is not known by its name goes to the car that was chosen.
pub(super) fn keep_list(store: &Store, upload: &Upload, chosen: Option<i32>) -> Result<Result<(), String>, WebError> {
    let list = match read_session_list(&upload.bytes) {
        Ok(list) => list,
        Err(error) => return Ok(Err(error.to_string())),
    };
    let cars = store.cars()?;
    let mut sessions = Vec::with_capacity(list.len());
    for (index, named) in list.into_iter().enumerate() {
        match new_session(index, named, upload, &cars, chosen) {
            Ok(session) => sessions.push(session),
            Err(problem) => return Ok(Err(problem)),
        }
    }
    // A list has the newest first, and so will this one.
    for session in sessions.iter().rev() {
        store.add_session(session)?;
    }
    Ok(Ok(()))
}

fn new_session(
    index: usize,
    named: NamedSession,
    upload: &Upload,
    cars: &[Car],
    chosen: Option<i32>,
) -> Result<NewSession, String> {
    let NamedSession { name, car, session } = named;
    let same = |name: &String| cars.iter().find(|known| known.about.name.eq_ignore_ascii_case(name)).map(|car| car.id);
    let car = car.or_else(|| session.conditions.car.clone());
    let Some(id) = car.as_ref().and_then(same).or(chosen) else {
        let said =
            car.map_or_else(|| "names no car".to_string(), |car| format!("is of “{car}”, which is not known here"));
        return Err(format!("[{index}] {said}; choose the car of such sessions."));
    };
    SocTimeline::new(&session).map_err(|error| format!("[{index}] {error}"))?;
    let name = if name.is_empty() { format!("{}, {}", upload.file_name, index + 1) } else { name };
    let source_text = write_session_json(&session);
    Ok(NewSession { car: Some(id), name, source_name: upload.file_name.clone(), source_text, session })
}
