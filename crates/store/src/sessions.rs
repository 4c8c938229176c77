//! Measured charges: what was noted, every reading, and the text they were made from.

use diesel::prelude::*;
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::{Conditions, Meter, Reading, Session};

use crate::connection::Store;
use crate::schema::{readings, sessions};
use crate::{Result, StoreError};

/// Readings written with one statement: SQLite takes 32,766 values at once and a reading has 12.
const AT_ONCE: usize = 2_000;

/// A session to keep.
#[derive(Clone, Debug)]
pub struct NewSession {
    /// The car it was measured on.
    pub car: Option<i32>,
    /// Name for people.
    pub name: String,
    /// Name of the file it came from, or what else it came from.
    pub source_name: String,
    /// What it was made from, as it came.
    pub source_text: String,
    /// The session.
    pub session: Session,
}

/// A session that is kept.
#[derive(Clone, Debug)]
pub struct StoredSession {
    /// Its number.
    pub id: i32,
    /// When it was kept: date and time in UTC.
    pub created_at: String,
    /// The session.
    pub about: NewSession,
}

/// A line of the list of sessions.
#[derive(Clone, Debug, PartialEq)]
pub struct SessionLine {
    /// Its number.
    pub id: i32,
    /// Name for people.
    pub name: String,
    /// The car it was measured on.
    pub car: Option<i32>,
    /// When it was kept: date and time in UTC.
    pub created_at: String,
    /// How many readings it has.
    pub readings: i64,
    /// Lowest and highest SoC.
    pub soc: (f64, f64),
    /// Minutes from the first to the last reading.
    pub minutes: f64,
}

/// Of a session's readings: how many, lowest and highest SoC, first and last minute.
type Summary = (i32, i64, Option<f64>, Option<f64>, Option<f64>, Option<f64>);

#[derive(Queryable, Selectable)]
#[diesel(table_name = sessions)]
struct Row {
    id: i32,
    car_id: Option<i32>,
    name: String,
    source_name: String,
    source_text: String,
    usable_kwh: Option<f64>,
    rated_range_km: Option<f64>,
    meter: String,
    car: Option<String>,
    software: Option<String>,
    site_kw: Option<f64>,
    site_a: Option<f64>,
    preconditioned: Option<String>,
    start_note: Option<String>,
    other: String,
    created_at: String,
}

#[derive(Insertable)]
#[diesel(table_name = sessions)]
struct NewRow<'a> {
    car_id: Option<i32>,
    name: &'a str,
    source_name: &'a str,
    source_text: &'a str,
    usable_kwh: Option<f64>,
    rated_range_km: Option<f64>,
    meter: &'static str,
    car: Option<&'a str>,
    software: Option<&'a str>,
    site_kw: Option<f64>,
    site_a: Option<f64>,
    preconditioned: Option<&'a str>,
    start_note: Option<&'a str>,
    other: String,
}

#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = readings, treat_none_as_default_value = false)]
struct ReadingRow {
    session_id: i32,
    position: i32,
    elapsed_min: f64,
    soc: f64,
    power_kw: Option<f64>,
    energy_kwh: Option<f64>,
    voltage_v: Option<f64>,
    current_a: Option<f64>,
    battery_c: Option<f64>,
    ambient_c: Option<f64>,
    range_km: Option<f64>,
    note: Option<String>,
}

impl ReadingRow {
    fn new(session_id: i32, position: usize, reading: &Reading) -> Self {
        Self {
            session_id,
            position: i32::try_from(position).unwrap_or(i32::MAX),
            elapsed_min: reading.elapsed.get(),
            soc: reading.soc.get(),
            power_kw: reading.power.map(Power::get),
            energy_kwh: reading.energy.map(Energy::get),
            voltage_v: reading.voltage.map(Voltage::get),
            current_a: reading.current.map(Current::get),
            battery_c: reading.battery.map(Temperature::get),
            ambient_c: reading.ambient.map(Temperature::get),
            range_km: reading.range.map(Distance::get),
            note: reading.note.clone(),
        }
    }

    fn reading(self) -> Reading {
        Reading {
            elapsed: Minutes::new(self.elapsed_min),
            soc: Soc::percent(self.soc),
            power: self.power_kw.map(Power::kw),
            energy: self.energy_kwh.map(Energy::kwh),
            voltage: self.voltage_v.map(Voltage::volts),
            current: self.current_a.map(Current::amps),
            battery: self.battery_c.map(Temperature::celsius),
            ambient: self.ambient_c.map(Temperature::celsius),
            range: self.range_km.map(Distance::km),
            note: self.note,
        }
    }
}

fn damaged(problem: &serde_json::Error) -> StoreError {
    StoreError::Damaged { what: "session", problem: problem.to_string() }
}

fn new_row(new: &NewSession) -> Result<NewRow<'_>> {
    let conditions = &new.session.conditions;
    Ok(NewRow {
        car_id: new.car,
        name: &new.name,
        source_name: &new.source_name,
        source_text: &new.source_text,
        usable_kwh: conditions.usable.map(Energy::get),
        rated_range_km: conditions.rated_range.map(Distance::get),
        meter: match conditions.meter {
            Meter::Station => "station",
            Meter::Car => "car",
        },
        car: conditions.car.as_deref(),
        software: conditions.software.as_deref(),
        site_kw: conditions.site_power.map(Power::get),
        site_a: conditions.site_current.map(Current::get),
        preconditioned: conditions.preconditioned.as_deref(),
        start_note: conditions.start.as_deref(),
        other: serde_json::to_string(&conditions.other).map_err(|error| damaged(&error))?,
    })
}

fn stored(row: Row, readings: Vec<Reading>) -> Result<StoredSession> {
    let conditions = Conditions {
        usable: row.usable_kwh.map(Energy::kwh),
        rated_range: row.rated_range_km.map(Distance::km),
        meter: if row.meter == "car" { Meter::Car } else { Meter::Station },
        car: row.car,
        software: row.software,
        site_power: row.site_kw.map(Power::kw),
        site_current: row.site_a.map(Current::amps),
        preconditioned: row.preconditioned,
        start: row.start_note,
        other: serde_json::from_str(&row.other).map_err(|error| damaged(&error))?,
    };
    Ok(StoredSession {
        id: row.id,
        created_at: row.created_at,
        about: NewSession {
            car: row.car_id,
            name: row.name,
            source_name: row.source_name,
            source_text: row.source_text,
            session: Session { readings, conditions },
        },
    })
}

impl Store {
    /// Keeps a session with all its readings, or nothing of it, and returns its number.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn add_session(&self, new: &NewSession) -> Result<i32> {
        self.connection()?.immediate_transaction(|connection| {
            let id: i32 = diesel::insert_into(sessions::table)
                .values(new_row(new)?)
                .returning(sessions::id)
                .get_result(connection)?;
            for (chunk, first) in new.session.readings.chunks(AT_ONCE).zip((0..).step_by(AT_ONCE)) {
                let rows: Vec<ReadingRow> = chunk
                    .iter()
                    .zip(first..)
                    .map(|(reading, position)| ReadingRow::new(id, position, reading))
                    .collect();
                diesel::insert_into(readings::table).values(&rows).execute(connection)?;
            }
            Ok(id)
        })
    }

    /// The list of sessions, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn sessions(&self) -> Result<Vec<SessionLine>> {
        use diesel::dsl::{count_star, max, min};
        let connection = &mut self.connection()?;
        let summaries = readings::table.group_by(readings::session_id).select((
            readings::session_id,
            count_star(),
            min(readings::soc),
            max(readings::soc),
            min(readings::elapsed_min),
            max(readings::elapsed_min),
        ));
        let summaries: Vec<Summary> = summaries.load(connection)?;
        let heads = sessions::table.select((sessions::id, sessions::name, sessions::car_id, sessions::created_at));
        let heads: Vec<(i32, String, Option<i32>, String)> = heads.order(sessions::id.desc()).load(connection)?;
        let line = |(id, name, car, created_at): (i32, String, Option<i32>, String)| {
            let summary = summaries.iter().find(|summary| summary.0 == id);
            let (readings, low, high, first, last) =
                summary.map_or((0, None, None, None, None), |s| (s.1, s.2, s.3, s.4, s.5));
            SessionLine {
                id,
                name,
                car,
                created_at,
                readings,
                soc: (low.unwrap_or_default(), high.unwrap_or_default()),
                minutes: last.unwrap_or_default() - first.unwrap_or_default(),
            }
        };
        Ok(heads.into_iter().map(line).collect())
    }

    /// One session with its readings.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn session(&self, id: i32) -> Result<StoredSession> {
        let connection = &mut self.connection()?;
        let row: Option<Row> = sessions::table.find(id).select(Row::as_select()).first(connection).optional()?;
        let row = row.ok_or(StoreError::NotFound { what: "session", id })?;
        let rows: Vec<ReadingRow> = readings::table
            .filter(readings::session_id.eq(id))
            .order(readings::position)
            .select(ReadingRow::as_select())
            .load(connection)?;
        stored(row, rows.into_iter().map(ReadingRow::reading).collect())
    }

    /// Says which car a session was measured on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such session.
    pub fn set_car_of_session(&self, id: i32, car: i32) -> Result<()> {
        let update = diesel::update(sessions::table.find(id)).set(sessions::car_id.eq(car));
        match update.execute(&mut self.connection()?)? {
            0 => Err(StoreError::NotFound { what: "session", id }),
            _ => Ok(()),
        }
    }
}
