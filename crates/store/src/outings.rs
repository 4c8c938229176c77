//! Trips that were begun, and what happened on them: every event is on the disk before its call returns, and none is written twice.

use diesel::prelude::*;

use crate::connection::Store;
use crate::schema::{outing_events, outings};
use crate::{Result, StoreError, Thing};

/// A trip to begin.
#[derive(Clone, Debug)]
pub struct NewOuting {
    /// The trip.
    pub trip: i32,
    /// The car that drives it.
    pub car: Option<i32>,
    /// The trip's name then.
    pub name: String,
    /// The money it is counted in.
    pub currency: String,
    /// The plan that it is begun with, as JSON.
    pub plan: String,
}

/// A trip that was begun.
#[derive(Clone, Debug)]
pub struct Outing {
    /// Its number.
    pub id: i32,
    /// When it was begun: date and time in UTC.
    pub begun_at: String,
    /// Whether it is over.
    pub is_over: bool,
    /// What it was begun with.
    pub about: NewOuting,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = outings)]
struct Row {
    id: i32,
    trip_id: i32,
    car_id: Option<i32>,
    name: String,
    currency: String,
    plan: String,
    begun_at: String,
    is_over: bool,
}

impl From<Row> for Outing {
    fn from(row: Row) -> Self {
        let about =
            NewOuting { trip: row.trip_id, car: row.car_id, name: row.name, currency: row.currency, plan: row.plan };
        Self { id: row.id, begun_at: row.begun_at, is_over: row.is_over, about }
    }
}

impl Store {
    /// Begins a trip and returns the outing's number; one that was under way is over then.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn begin_outing(&self, new: &NewOuting) -> Result<i32> {
        self.connection()?.all_or_nothing(|connection| {
            diesel::update(outings::table).set(outings::is_over.eq(true)).execute(connection)?;
            let values = (
                outings::trip_id.eq(new.trip),
                outings::car_id.eq(new.car),
                outings::name.eq(&new.name),
                outings::currency.eq(&new.currency),
                outings::plan.eq(&new.plan),
            );
            Ok(diesel::insert_into(outings::table).values(values).returning(outings::id).get_result(connection)?)
        })
    }

    /// The trip that is under way.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn under_way(&self) -> Result<Option<Outing>> {
        let hidden = self.hidden()?;
        let row = outings::table.filter(outings::is_over.eq(false)).order(outings::id.desc()).select(Row::as_select());
        let rows: Vec<Row> = row.load(&mut *self.connection()?)?;
        Ok(rows.into_iter().find(|row| !hidden.trip(row.trip_id, row.car_id)).map(Into::into))
    }

    /// One outing.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn outing(&self, id: i32) -> Result<Outing> {
        self.must_see(Thing::Outing(id))?;
        let row: Option<Row> =
            outings::table.find(id).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        row.map(Into::into).ok_or(StoreError::NotFound { what: "outing", id })
    }

    /// All outings, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn outings(&self) -> Result<Vec<Outing>> {
        let hidden = self.hidden()?;
        let rows: Vec<Row> =
            outings::table.order(outings::id.desc()).select(Row::as_select()).load(&mut *self.connection()?)?;
        Ok(rows.into_iter().filter(|row| !hidden.trip(row.trip_id, row.car_id)).map(Into::into).collect())
    }

    /// An outing is over.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn end_outing(&self, id: i32) -> Result<()> {
        diesel::update(outings::table.find(id)).set(outings::is_over.eq(true)).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Forgets an outing with all that happened on it.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn forget_outing(&self, id: i32) -> Result<()> {
        diesel::delete(outings::table.find(id)).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Writes events, each a name and a line, that are not there yet, in their order. Those that are there stay as they are. When
    /// this returns they are on the disk.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such outing.
    pub fn add_outing_events(&self, outing: i32, events: &[(String, String)]) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            if outings::table.find(outing).count().get_result::<i64>(connection)? == 0 {
                return Err(StoreError::NotFound { what: "outing", id: outing });
            }
            let last = outing_events::table
                .filter(outing_events::outing_id.eq(outing))
                .select(diesel::dsl::max(outing_events::position));
            let last: Option<i32> = last.first(connection)?;
            for (position, (event, line)) in (last.map_or(0, |last| last + 1)..).zip(events) {
                diesel::insert_or_ignore_into(outing_events::table)
                    .values((
                        outing_events::outing_id.eq(outing),
                        outing_events::position.eq(position),
                        outing_events::event.eq(event),
                        outing_events::line.eq(line),
                    ))
                    .execute(connection)?;
            }
            Ok(())
        })
    }

    /// The lines of an outing's events, in the order they came.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn outing_lines(&self, outing: i32) -> Result<Vec<String>> {
        let lines = outing_events::table
            .filter(outing_events::outing_id.eq(outing))
            .order(outing_events::position)
            .select(outing_events::line);
        Ok(lines.load(&mut *self.connection()?)?)
    }
}
