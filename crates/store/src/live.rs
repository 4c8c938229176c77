//! Charges being measured: every event is on the disk before its call returns, and none is written twice.

use diesel::prelude::*;

use crate::connection::Store;
use crate::schema::{live_charges, live_events};
use crate::sessions::{NewSession, insert};
use crate::{Result, StoreError, Thing};

/// A charge to measure.
#[derive(Clone, Debug)]
pub struct NewLiveCharge {
    /// The car.
    pub car: Option<i32>,
    /// Name for people.
    pub name: String,
    /// What was noted, as `key: value` pairs of a session CSV.
    pub conditions: Vec<(String, String)>,
    /// A number of its own, of which what a meter names is made.
    pub nonce: String,
}

/// A charge being measured, or that was.
#[derive(Clone, Debug)]
pub struct StoredLiveCharge {
    /// Its number.
    pub id: i32,
    /// When it was begun: date and time in UTC.
    pub created_at: String,
    /// The session that it became.
    pub session: Option<i32>,
    /// What was noted.
    pub about: NewLiveCharge,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = live_charges)]
struct Row {
    id: i32,
    car_id: Option<i32>,
    name: String,
    conditions: String,
    token: String,
    session_id: Option<i32>,
    created_at: String,
}

fn damaged(problem: &serde_json::Error) -> StoreError {
    StoreError::Damaged { what: "charge", problem: problem.to_string() }
}

impl Row {
    fn stored(self) -> Result<StoredLiveCharge> {
        let conditions = serde_json::from_str(&self.conditions).map_err(|error| damaged(&error))?;
        let about = NewLiveCharge { car: self.car_id, name: self.name, conditions, nonce: self.token };
        Ok(StoredLiveCharge { id: self.id, created_at: self.created_at, session: self.session_id, about })
    }
}

impl Store {
    /// Begins a charge and returns its number.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn begin_charge(&self, new: &NewLiveCharge) -> Result<i32> {
        new.car.map_or(Ok(()), |car| self.must_see(Thing::Car(car)))?;
        let values = (
            live_charges::car_id.eq(new.car),
            live_charges::name.eq(&new.name),
            live_charges::conditions.eq(serde_json::to_string(&new.conditions).map_err(|error| damaged(&error))?),
            live_charges::token.eq(&new.nonce),
        );
        let insert = diesel::insert_into(live_charges::table).values(values).returning(live_charges::id);
        Ok(insert.get_result(&mut *self.connection()?)?)
    }

    /// One charge.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn charge(&self, id: i32) -> Result<StoredLiveCharge> {
        self.must_see(Thing::LiveCharge(id))?;
        let row: Option<Row> =
            live_charges::table.find(id).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        row.ok_or(StoreError::NotFound { what: "charge", id })?.stored()
    }

    /// Charges that have not become sessions, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn open_charges(&self) -> Result<Vec<StoredLiveCharge>> {
        let hidden = self.hidden()?;
        let rows: Vec<Row> = live_charges::table
            .filter(live_charges::session_id.is_null())
            .select(Row::as_select())
            .order(live_charges::id.desc())
            .load(&mut *self.connection()?)?;
        rows.into_iter().filter(|row| !hidden.car(row.car_id)).map(Row::stored).collect()
    }

    /// Writes events, each a name and a line, that are not there yet, in their order. Those that are there stay as they
    /// are. When this returns they are on the disk.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such charge, or it has become a session.
    pub fn add_events(&self, charge: i32, events: &[(String, String)]) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            let open = live_charges::table.find(charge).filter(live_charges::session_id.is_null()).count();
            if open.get_result::<i64>(connection)? == 0 {
                return Err(StoreError::NotFound { what: "open charge", id: charge });
            }
            let last = live_events::table
                .filter(live_events::charge_id.eq(charge))
                .select(diesel::dsl::max(live_events::position));
            let last: Option<i32> = last.first(connection)?;
            for (position, (event, line)) in (last.map_or(0, |last| last + 1)..).zip(events) {
                diesel::insert_or_ignore_into(live_events::table)
                    .values((
                        live_events::charge_id.eq(charge),
                        live_events::position.eq(position),
                        live_events::event.eq(event),
                        live_events::line.eq(line),
                    ))
                    .execute(connection)?;
            }
            Ok(())
        })
    }

    /// The lines of a charge's events, in the order they came, without the first so many.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn event_lines(&self, charge: i32, from: i64) -> Result<Vec<String>> {
        let lines = live_events::table
            .filter(live_events::charge_id.eq(charge))
            .order(live_events::position)
            .select(live_events::line)
            .offset(from);
        Ok(lines.load(&mut *self.connection()?)?)
    }

    /// How many events a charge has.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn event_count(&self, charge: i32) -> Result<i64> {
        let events = live_events::table.filter(live_events::charge_id.eq(charge)).count();
        Ok(events.get_result(&mut *self.connection()?)?)
    }

    /// Keeps the session that a charge became. Asked again, it returns the same session.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such charge.
    pub fn end_charge(&self, charge: i32, session: &NewSession) -> Result<i32> {
        self.connection()?.all_or_nothing(|connection| {
            let became = live_charges::table.find(charge).select(live_charges::session_id);
            let became: Option<Option<i32>> = became.first(connection).optional()?;
            match became {
                None => Err(StoreError::NotFound { what: "charge", id: charge }),
                Some(Some(session)) => Ok(session),
                Some(None) => {
                    let id = insert(connection, session)?;
                    diesel::update(live_charges::table.find(charge))
                        .set(live_charges::session_id.eq(id))
                        .execute(connection)?;
                    Ok(id)
                }
            }
        })
    }

    /// Forgets a charge that has not become a session, with its events.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such charge.
    pub fn forget_charge(&self, id: i32) -> Result<()> {
        let open = live_charges::table.find(id).filter(live_charges::session_id.is_null());
        match diesel::delete(open).execute(&mut *self.connection()?)? {
            0 => Err(StoreError::NotFound { what: "open charge", id }),
            _ => Ok(()),
        }
    }
}
