//! Charge curves of cars, and the sessions they come from.

use diesel::prelude::*;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Power, Soc};

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
    /// How it came to be, in words.
    pub explained: String,
    /// The points that a person moved; the curve holds them moved.
    pub moved: Vec<MovedPoint>,
}

impl NewCurve {
    /// A curve of which nothing is known but the car, a name and its power.
    pub fn new(car: i32, name: impl Into<String>, power: Profile) -> Self {
        Self {
            car,
            session: None,
            name: name.into(),
            power,
            measured: None,
            explained: String::new(),
            moved: Vec::new(),
        }
    }
}

/// A point of a curve that a person moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MovedPoint {
    /// Where.
    pub soc: Soc,
    /// What was measured, or assumed.
    pub before: Power,
    /// What the person says.
    pub after: Power,
}

/// A curve that is kept.
#[derive(Clone, Debug)]
pub struct Curve {
    /// Its number.
    pub id: i32,
    /// When it was kept: date and time in UTC.
    pub created_at: String,
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
    created_at: String,
    explained: String,
    moved: String,
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
    explained: &'a str,
    moved: String,
}

impl Row {
    fn curve(self) -> Result<Curve> {
        let measured = self.measured_from_soc.zip(self.measured_to_soc);
        let moved: Vec<(f64, f64, f64)> = serde_json::from_str(&self.moved)
            .map_err(|error| StoreError::Damaged { what: "curve", problem: error.to_string() })?;
        let moved_point = |(soc, before, after): (f64, f64, f64)| MovedPoint {
            soc: Soc::percent(soc),
            before: Power::kw(before),
            after: Power::kw(after),
        };
        Ok(Curve {
            id: self.id,
            created_at: self.created_at,
            about: NewCurve {
                car: self.car_id,
                session: self.session_id,
                name: self.name,
                power: read_profile(&self.points)?,
                measured: measured.map(|(from, to)| (Soc::percent(from), Soc::percent(to))),
                explained: self.explained,
                moved: moved.into_iter().map(moved_point).collect(),
            },
        })
    }
}

/// Writes a curve over a connection that may be in the middle of a larger change.
pub(crate) fn insert(connection: &mut SqliteConnection, curve: &NewCurve) -> Result<i32> {
    let moved: Vec<(f64, f64, f64)> =
        curve.moved.iter().map(|point| (point.soc.get(), point.before.get(), point.after.get())).collect();
    let row = NewRow {
        car_id: curve.car,
        session_id: curve.session,
        name: &curve.name,
        points: write_profile(&curve.power)?,
        measured_from_soc: curve.measured.map(|measured| measured.0.get()),
        measured_to_soc: curve.measured.map(|measured| measured.1.get()),
        explained: &curve.explained,
        moved: serde_json::to_string(&moved)
            .map_err(|error| StoreError::Damaged { what: "curve", problem: error.to_string() })?,
    };
    Ok(diesel::insert_into(curves::table).values(&row).returning(curves::id).get_result(connection)?)
}

impl Store {
    /// Keeps a curve, makes it the one that plans use, and returns its number.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_curve_in_use(&self, curve: &NewCurve) -> Result<i32> {
        self.connection()?.all_or_nothing(|connection| {
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
            .load(&mut *self.connection()?)?;
        rows.into_iter().map(Row::curve).collect()
    }

    /// One curve.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn curve(&self, id: i32) -> Result<Curve> {
        let row: Option<Row> =
            curves::table.find(id).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        row.ok_or(StoreError::NotFound { what: "curve", id })?.curve()
    }

    /// Removes a curve. A car that used it uses none then.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_curve(&self, id: i32) -> Result<()> {
        match diesel::delete(curves::table.find(id)).execute(&mut *self.connection()?)? {
            0 => Err(StoreError::NotFound { what: "curve", id }),
            _ => Ok(()),
        }
    }
}
