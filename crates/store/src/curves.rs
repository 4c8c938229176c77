//! Charge curves of cars, and the sessions they come from.

use diesel::prelude::*;
use spare_hour_core::profile::Profile;
use spare_hour_core::quantity::Soc;

use crate::connection::Store;
use crate::profile_json::{read_profile, write_profile};
use crate::schema::curves;
use crate::{Result, StoreError, cars};

/// A curve to keep.
#[derive(Clone, Debug)]
pub struct NewCurve {
    /// The car it belongs to.
    pub car: i32,
    /// The session it was fitted to.
    pub session: Option<i32>,
    /// Name for people.
    pub name: String,
    /// Power into the battery in kW over SoC.
    pub power: Profile,
    /// The SoC range that was measured.
    pub measured: Option<(Soc, Soc)>,
}

/// A curve that is kept.
#[derive(Clone, Debug)]
pub struct Curve {
    /// Its number.
    pub id: i32,
    /// The curve.
    pub about: NewCurve,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = curves)]
struct Row {
    id: i32,
    car_id: i32,
    session_id: Option<i32>,
    name: String,
    points: String,
    measured_from_soc: Option<f64>,
    measured_to_soc: Option<f64>,
}

#[derive(Insertable)]
#[diesel(table_name = curves)]
struct NewRow<'a> {
    car_id: i32,
    session_id: Option<i32>,
    name: &'a str,
    points: String,
    measured_from_soc: Option<f64>,
    measured_to_soc: Option<f64>,
}

impl Row {
    fn curve(self) -> Result<Curve> {
        let measured = self.measured_from_soc.zip(self.measured_to_soc);
        Ok(Curve {
            id: self.id,
            about: NewCurve {
                car: self.car_id,
                session: self.session_id,
                name: self.name,
                power: read_profile(&self.points)?,
                measured: measured.map(|(from, to)| (Soc::percent(from), Soc::percent(to))),
            },
        })
    }
}

/// Writes a curve over a connection that may be in the middle of a larger change.
pub(crate) fn insert(connection: &mut SqliteConnection, curve: &NewCurve) -> Result<i32> {
    let row = NewRow {
        car_id: curve.car,
        session_id: curve.session,
        name: &curve.name,
        points: write_profile(&curve.power)?,
        measured_from_soc: curve.measured.map(|measured| measured.0.get()),
        measured_to_soc: curve.measured.map(|measured| measured.1.get()),
    };
    Ok(diesel::insert_into(curves::table).values(&row).returning(curves::id).get_result(connection)?)
}

impl Store {
    /// Keeps a curve, makes it the one that plans use, and returns its number.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_curve_in_use(&self, curve: &NewCurve) -> Result<i32> {
        self.connection()?.immediate_transaction(|connection| {
            let id = insert(connection, curve)?;
            cars::use_curve(connection, curve.car, id)?;
            Ok(id)
        })
    }

    /// Keeps a curve beside the one in use and returns its number.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_curve(&self, curve: &NewCurve) -> Result<i32> {
        insert(&mut *self.connection()?, curve)
    }

    /// The curves of a car, oldest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn curves_of(&self, car: i32) -> Result<Vec<Curve>> {
        let rows: Vec<Row> = curves::table
            .filter(curves::car_id.eq(car))
            .select(Row::as_select())
            .order(curves::id)
            .load(&mut self.connection()?)?;
        rows.into_iter().map(Row::curve).collect()
    }

    /// One curve.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn curve(&self, id: i32) -> Result<Curve> {
        let row: Option<Row> =
            curves::table.find(id).select(Row::as_select()).first(&mut self.connection()?).optional()?;
        row.ok_or(StoreError::NotFound { what: "curve", id })?.curve()
    }
}
