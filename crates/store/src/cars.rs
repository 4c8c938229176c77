//! Cars: what the planner needs to know of each, and which of its curves plans use.

use diesel::prelude::*;
use spare_hour_core::profile::Profile;
use spare_hour_core::quantity::{Distance, Energy};
use spare_hour_core::trip::{Boost, Vehicle};

use crate::connection::Store;
use crate::profile_json::{read_boost, read_profile, write_boost, write_profile};
use crate::schema::{cars, curves};
use crate::{Result, StoreError};

/// A car to keep.
#[derive(Clone, Debug)]
pub struct NewCar {
    /// Name for people.
    pub name: String,
    /// Energy between shown 0 and 100 %.
    pub usable: Energy,
    /// Rated range.
    pub rated_range: Option<Distance>,
    /// Share of the plug's energy that is not stored, %.
    pub charge_loss_percent: f64,
    /// Pack voltage in V over SoC.
    pub pack_voltage: Option<Profile>,
    /// A higher curve for the first minutes.
    pub boost: Option<Boost>,
}

/// A car that is kept.
#[derive(Clone, Debug)]
pub struct Car {
    /// Its number.
    pub id: i32,
    /// What is known of it.
    pub about: NewCar,
    /// The curve that plans use.
    pub curve: Option<i32>,
}

impl Car {
    /// The car with one charge curve, as the planner wants it.
    pub fn vehicle(&self, charge_curve: Profile) -> Vehicle {
        Vehicle {
            usable: self.about.usable,
            charge_curve,
            charge_loss_percent: self.about.charge_loss_percent,
            pack_voltage: self.about.pack_voltage.clone(),
            boost: self.about.boost.clone(),
        }
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = cars)]
struct Row {
    id: i32,
    name: String,
    usable_kwh: f64,
    rated_range_km: Option<f64>,
    charge_loss_percent: f64,
    pack_voltage: Option<String>,
    boost: Option<String>,
    curve_id: Option<i32>,
}

#[derive(Insertable)]
#[diesel(table_name = cars)]
struct NewRow<'a> {
    name: &'a str,
    usable_kwh: f64,
    rated_range_km: Option<f64>,
    charge_loss_percent: f64,
    pack_voltage: Option<String>,
    boost: Option<String>,
}

impl Row {
    fn car(self) -> Result<Car> {
        Ok(Car {
            id: self.id,
            about: NewCar {
                name: self.name,
                usable: Energy::kwh(self.usable_kwh),
                rated_range: self.rated_range_km.map(Distance::km),
                charge_loss_percent: self.charge_loss_percent,
                pack_voltage: self.pack_voltage.as_deref().map(read_profile).transpose()?,
                boost: self.boost.as_deref().map(read_boost).transpose()?,
            },
            curve: self.curve_id,
        })
    }
}

/// Writes a car over a connection that may be in the middle of a larger change.
pub(crate) fn insert(connection: &mut SqliteConnection, car: &NewCar) -> Result<i32> {
    let row = NewRow {
        name: &car.name,
        usable_kwh: car.usable.get(),
        rated_range_km: car.rated_range.map(Distance::get),
        charge_loss_percent: car.charge_loss_percent,
        pack_voltage: car.pack_voltage.as_ref().map(write_profile).transpose()?,
        boost: car.boost.as_ref().map(write_boost).transpose()?,
    };
    Ok(diesel::insert_into(cars::table).values(&row).returning(cars::id).get_result(connection)?)
}

/// Makes a curve of a car the one that plans use.
pub(crate) fn use_curve(connection: &mut SqliteConnection, car: i32, curve: i32) -> Result<()> {
    let owned = curves::table.filter(curves::id.eq(curve)).filter(curves::car_id.eq(car)).count();
    if owned.get_result::<i64>(connection)? == 0 {
        return Err(StoreError::NotFound { what: "curve of this car", id: curve });
    }
    diesel::update(cars::table.find(car)).set(cars::curve_id.eq(curve)).execute(connection)?;
    Ok(())
}

impl Store {
    /// Keeps a car and returns its number.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn add_car(&self, car: &NewCar) -> Result<i32> {
        insert(&mut *self.connection()?, car)
    }

    /// All cars, oldest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn cars(&self) -> Result<Vec<Car>> {
        let rows: Vec<Row> = cars::table.select(Row::as_select()).order(cars::id).load(&mut self.connection()?)?;
        rows.into_iter().map(Row::car).collect()
    }

    /// One car.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn car(&self, id: i32) -> Result<Car> {
        let row: Option<Row> =
            cars::table.find(id).select(Row::as_select()).first(&mut self.connection()?).optional()?;
        row.ok_or(StoreError::NotFound { what: "car", id })?.car()
    }

    /// Changes what is known of a car.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn change_car(&self, id: i32, usable: Energy, rated_range: Option<Distance>, loss_percent: f64) -> Result<()> {
        let changed = diesel::update(cars::table.find(id))
            .set((
                cars::usable_kwh.eq(usable.get()),
                cars::rated_range_km.eq(rated_range.map(Distance::get)),
                cars::charge_loss_percent.eq(loss_percent),
            ))
            .execute(&mut self.connection()?)?;
        if changed == 0 { Err(StoreError::NotFound { what: "car", id }) } else { Ok(()) }
    }

    /// Makes a curve of a car the one that plans use.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the car has no such curve.
    pub fn use_curve(&self, car: i32, curve: i32) -> Result<()> {
        use_curve(&mut *self.connection()?, car, curve)
    }
}
