//! Logged drives of cars.

use diesel::prelude::*;
use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature};

use crate::connection::Store;
use crate::schema::drives;
use crate::{Result, StoreError, Thing};

/// Drives written with one statement.
const AT_ONCE: usize = 1_000;

/// A drive that is kept.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredDrive {
    /// Its number.
    pub id: i32,
    /// The drive.
    pub drive: Drive,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = drives)]
struct Row {
    id: i32,
    #[diesel(embed)]
    columns: Columns,
}

#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = drives, treat_none_as_default_value = false)]
struct Columns {
    car_id: i32,
    day: Option<String>,
    km: f64,
    minutes: Option<f64>,
    kwh: Option<f64>,
    soc_before: Option<f64>,
    soc_after: Option<f64>,
    outside_c: Option<f64>,
    load_kg: Option<f64>,
    headwind_kmh: Option<f64>,
    climb_m: Option<f64>,
    descent_m: Option<f64>,
    guess_kwh_per_100km: Option<f64>,
    heating_kw: Option<f64>,
    note: Option<String>,
    left_out: Option<String>,
}

impl Columns {
    fn new(car_id: i32, drive: &Drive) -> Self {
        let (kwh, soc) = match drive.used {
            Used::Energy(energy) => (Some(energy.get()), None),
            Used::Soc(before, after) => (None, Some((before.get(), after.get()))),
        };
        Self {
            car_id,
            day: drive.day.clone(),
            km: drive.distance.get(),
            minutes: drive.time.map(Minutes::get),
            kwh,
            soc_before: soc.map(|soc| soc.0),
            soc_after: soc.map(|soc| soc.1),
            outside_c: drive.outside.map(Temperature::get),
            load_kg: drive.load.map(Mass::get),
            headwind_kmh: drive.headwind.map(Speed::get),
            climb_m: drive.climb.map(Height::get),
            descent_m: drive.descent.map(Height::get),
            guess_kwh_per_100km: drive.guess.map(Consumption::get),
            heating_kw: drive.heating.map(Power::get),
            note: drive.note.clone(),
            left_out: drive.left_out.clone(),
        }
    }

    fn drive(self) -> Drive {
        let soc = self.soc_before.zip(self.soc_after).unwrap_or_default();
        let used = match self.kwh {
            Some(kwh) => Used::Energy(Energy::kwh(kwh)),
            None => Used::Soc(Soc::percent(soc.0), Soc::percent(soc.1)),
        };
        Drive {
            day: self.day,
            outside: self.outside_c.map(Temperature::celsius),
            load: self.load_kg.map(Mass::kg),
            headwind: self.headwind_kmh.map(Speed::kmh),
            climb: self.climb_m.map(Height::metres),
            descent: self.descent_m.map(Height::metres),
            guess: self.guess_kwh_per_100km.map(Consumption::kwh_per_100km),
            heating: self.heating_kw.map(Power::kw),
            note: self.note,
            left_out: self.left_out,
            ..Drive::new(Distance::km(self.km), self.minutes.map(Minutes::new), used)
        }
    }
}

impl Store {
    /// Keeps drives of a car, all of them or none.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_drives(&self, car: i32, drives: &[Drive]) -> Result<()> {
        self.must_see(Thing::Car(car))?;
        self.connection()?.all_or_nothing(|connection| {
            for chunk in drives.chunks(AT_ONCE) {
                let rows: Vec<Columns> = chunk.iter().map(|drive| Columns::new(car, drive)).collect();
                diesel::insert_into(drives::table).values(&rows).execute(connection)?;
            }
            Ok(())
        })
    }

    /// The drives of a car, the oldest first by day, those without one last.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn drives_of(&self, car: i32) -> Result<Vec<StoredDrive>> {
        let rows: Vec<Row> = drives::table
            .filter(drives::car_id.eq(car))
            .select(Row::as_select())
            .order((drives::day.is_null(), drives::day, drives::id))
            .load(&mut *self.connection()?)?;
        Ok(rows.into_iter().map(|row| StoredDrive { id: row.id, drive: row.columns.drive() }).collect())
    }

    /// Leaves a drive out, with the reason, or takes it back in.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn leave_out_drive(&self, id: i32, reason: Option<&str>) -> Result<()> {
        let update = diesel::update(drives::table.find(id)).set(drives::left_out.eq(reason));
        met(update.execute(&mut *self.connection()?)?, id)
    }

    /// Removes a drive.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_drive(&self, id: i32) -> Result<()> {
        met(diesel::delete(drives::table.find(id)).execute(&mut *self.connection()?)?, id)
    }
}

fn met(changed: usize, id: i32) -> Result<()> {
    if changed == 0 { Err(StoreError::NotFound { what: "drive", id }) } else { Ok(()) }
}
