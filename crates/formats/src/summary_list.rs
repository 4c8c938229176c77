//! Summaries to take away: sessions and trips, a line each. What they are made of has formats of its own.

use crate::table::{Column, ListFormat, number, of_number, of_text, text};

/// A session in a line.
#[derive(Clone, Debug)]
pub struct ListedSession {
    /// Its number.
    pub id: i32,
    /// Name for people.
    pub name: String,
    /// Name of its car.
    pub car: Option<String>,
    /// Its day, as far as it is known.
    pub day: String,
    /// Lowest and highest SoC.
    pub soc: (f64, f64),
    /// Minutes from the first to the last reading.
    pub minutes: f64,
    /// How many readings it has.
    pub readings: i32,
}

/// A trip in a line.
#[derive(Clone, Debug)]
pub struct ListedTrip {
    /// Its number.
    pub id: i32,
    /// Name for people.
    pub name: String,
    /// Name of its car.
    pub car: Option<String>,
    /// Length of its road, km.
    pub km: f64,
    /// How many sites lie along it.
    pub sites: i64,
}

const fn any(name: &'static str) -> Column {
    number(name, "", f64::MIN, f64::MAX)
}

/// Writes sessions, a line each.
pub fn write_session_summary(sessions: &[ListedSession], format: ListFormat) -> String {
    const COLUMNS: [Column; 8] = [
        any("id"),
        text("name"),
        text("car"),
        text("day"),
        any("lowest_soc"),
        any("highest_soc"),
        any("minutes"),
        any("readings"),
    ];
    let row = |session: &ListedSession| {
        vec![
            of_number(Some(f64::from(session.id))),
            of_text(Some(session.name.clone())),
            of_text(session.car.clone()),
            of_text(Some(session.day.clone())),
            of_number(Some(session.soc.0)),
            of_number(Some(session.soc.1)),
            of_number(Some(session.minutes)),
            of_number(Some(f64::from(session.readings))),
        ]
    };
    format.write(&COLUMNS, &sessions.iter().map(row).collect::<Vec<_>>())
}

/// Writes trips, a line each.
pub fn write_trip_summary(trips: &[ListedTrip], format: ListFormat) -> String {
    const COLUMNS: [Column; 5] = [any("id"), text("name"), text("car"), any("km"), any("sites")];
    let row = |trip: &ListedTrip| {
        vec![
            of_number(Some(f64::from(trip.id))),
            of_text(Some(trip.name.clone())),
            of_text(trip.car.clone()),
            of_number(Some(trip.km)),
            of_number(Some(trip.sites as f64)),
        ]
    };
    format.write(&COLUMNS, &trips.iter().map(row).collect::<Vec<_>>())
}
