//! Measured charges: what was noted, every reading, and the text they were made from.

use diesel::connection::DefaultLoadingMode;
use diesel::prelude::*;
use spare_hour_core::quantity::Temperature;
use spare_hour_core::session::{Conditions, Session};

use crate::connection::Store;
use crate::schema::{readings, session_lines, sessions};
use crate::session_rows::{ConditionColumns, NewRow, ReadingRow, Row, SpanColumns};
use crate::{Result, StoreError, Thing};

/// Readings written with one statement: SQLite takes 32,766 values at once and a reading has 13.
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
    /// The day of the charge, as far as it is known: as noted, else the day it was kept.
    pub day: String,
    /// How many readings it has.
    pub readings: i32,
    /// Lowest and highest SoC.
    pub soc: (f64, f64),
    /// Minutes from the first to the last reading.
    pub minutes: f64,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = session_lines)]
struct LineRow {
    id: i32,
    name: String,
    car_id: Option<i32>,
    created_at: String,
    reading_count: i32,
    lowest_soc: f64,
    highest_soc: f64,
    minutes: f64,
    day: Option<String>,
}

impl LineRow {
    fn line(self) -> SessionLine {
        SessionLine {
            id: self.id,
            name: self.name,
            car: self.car_id,
            day: self.day.unwrap_or_else(|| self.created_at.chars().take(10).collect()),
            created_at: self.created_at,
            readings: self.reading_count,
            soc: (self.lowest_soc, self.highest_soc),
            minutes: self.minutes,
        }
    }
}

/// Writes a session over a connection that is in the middle of a change.
pub(crate) fn insert(connection: &mut SqliteConnection, new: &NewSession) -> Result<i32> {
    new.session.check()?;
    let id: i32 = diesel::insert_into(sessions::table)
        .values(NewRow::new(new)?)
        .returning(sessions::id)
        .get_result(connection)?;
    let spans = SpanColumns::new(&new.session.readings);
    diesel::update(session_lines::table.find(id)).set(spans).execute(connection)?;
    for (chunk, first) in new.session.readings.chunks(AT_ONCE).zip((0..).step_by(AT_ONCE)) {
        let rows: Vec<ReadingRow> =
            chunk.iter().zip(first..).map(|(reading, position)| ReadingRow::new(id, position, reading)).collect();
        diesel::insert_into(readings::table).values(&rows).execute(connection)?;
    }
    Ok(id)
}

/// An error when a change met no session.
fn met(changed: usize, id: i32) -> Result<()> {
    if changed == 0 { Err(StoreError::NotFound { what: "session", id }) } else { Ok(()) }
}

impl Store {
    /// Keeps a session with all its readings, or nothing of it, and returns its number.
    ///
    /// # Errors
    /// [`StoreError::Refused`] for a reading that cannot be.
    pub fn add_session(&self, new: &NewSession) -> Result<i32> {
        new.car.map_or(Ok(()), |car| self.must_see(Thing::Car(car)))?;
        self.connection()?.all_or_nothing(|connection| insert(connection, new))
    }

    /// The list of sessions, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn sessions(&self) -> Result<Vec<SessionLine>> {
        let lines = session_lines::table.select(LineRow::as_select()).order(session_lines::id.desc());
        let hidden = self.hidden()?;
        let rows: Vec<LineRow> = lines.load(&mut *self.connection()?)?;
        Ok(rows.into_iter().map(LineRow::line).filter(|line| !hidden.car(line.car)).collect())
    }

    /// One session with its readings.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn session(&self, id: i32) -> Result<StoredSession> {
        self.must_see(Thing::Session(id))?;
        let connection = &mut *self.connection()?;
        let row: Option<Row> = sessions::table.find(id).select(Row::as_select()).first(connection).optional()?;
        let row = row.ok_or(StoreError::NotFound { what: "session", id })?;
        let rows = readings::table
            .filter(readings::session_id.eq(id))
            .order(readings::position)
            .select(ReadingRow::as_select())
            .load_iter::<ReadingRow, DefaultLoadingMode>(connection)?;
        row.stored(rows.map(|row| row.map(ReadingRow::reading)).collect::<QueryResult<_>>()?)
    }

    /// How warm the battery was when a session began, as was noted or its first reading tells; `None` where nobody knows.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such session.
    pub fn battery_at_start(&self, id: i32) -> Result<Option<Temperature>> {
        let connection = &mut *self.connection()?;
        let noted: Option<Option<f64>> =
            sessions::table.find(id).select(sessions::battery_c).first(connection).optional()?;
        let noted = noted.ok_or(StoreError::NotFound { what: "session", id })?;
        let first = readings::table.filter(readings::session_id.eq(id)).order(readings::position);
        let read: Option<Option<f64>> = first.select(readings::battery_c).first(connection).optional()?;
        Ok(noted.or(read.flatten()).map(Temperature::celsius))
    }

    /// Says which car a session was measured on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such session.
    pub fn set_car_of_session(&self, id: i32, car: i32) -> Result<()> {
        let update = diesel::update(sessions::table.find(id)).set(sessions::car_id.eq(car));
        met(update.execute(&mut *self.connection()?)?, id)
    }

    /// Changes a session's name and what was noted of it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn change_session(&self, id: i32, name: &str, conditions: &Conditions) -> Result<()> {
        let columns = ConditionColumns::new(conditions)?;
        let update = diesel::update(sessions::table.find(id)).set((sessions::name.eq(name), columns));
        met(update.execute(&mut *self.connection()?)?, id)
    }

    /// Leaves a reading out of all figures, with the reason, or takes it back in.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such reading.
    pub fn leave_out_reading(&self, session: i32, position: i32, reason: Option<&str>) -> Result<()> {
        let reading = readings::table.find((session, position));
        let changed = diesel::update(reading).set(readings::left_out.eq(reason)).execute(&mut *self.connection()?)?;
        if changed == 0 { Err(StoreError::NotFound { what: "reading", id: position }) } else { Ok(()) }
    }

    /// Removes a session with its readings. Curves that were made of it stay.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_session(&self, id: i32) -> Result<()> {
        met(diesel::delete(sessions::table.find(id)).execute(&mut *self.connection()?)?, id)
    }

    /// The sessions of a car with their readings, oldest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn sessions_of(&self, car: i32) -> Result<Vec<StoredSession>> {
        let ids: Vec<i32> = sessions::table
            .filter(sessions::car_id.eq(car))
            .select(sessions::id)
            .order(sessions::id)
            .load(&mut *self.connection()?)?;
        ids.into_iter().map(|id| self.session(id)).collect()
    }
}
