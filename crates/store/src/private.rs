//! What one person alone sees. A private car hides its charges, its drives and the trips that it drives with it.

use std::collections::HashSet;

use diesel::prelude::*;

use crate::schema::{cars, live_charges, outings, private_cars, private_trips, sessions, trips};
use crate::{Result, Store, StoreError};

/// Something that may be another's alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Thing {
    /// A car.
    Car(i32),
    /// A trip.
    Trip(i32),
    /// A measured charge.
    Session(i32),
    /// A charge that is being measured.
    LiveCharge(i32),
    /// A trip that was begun.
    Outing(i32),
}

/// What a person does not see.
#[derive(Clone, Debug, Default)]
pub(crate) struct Hidden {
    cars: HashSet<i32>,
    trips: HashSet<i32>,
}

impl Hidden {
    /// Whether a car is hidden; none is not.
    pub(crate) fn car(&self, car: Option<i32>) -> bool {
        car.is_some_and(|car| self.cars.contains(&car))
    }

    /// Whether a trip is, by itself or by its car.
    pub(crate) fn trip(&self, trip: i32, car: Option<i32>) -> bool {
        self.trips.contains(&trip) || self.car(car)
    }
}

impl Store {
    /// The store as one person sees it.
    #[must_use]
    pub fn seen_by(&self, person: i32) -> Self {
        let mut seen = self.clone();
        seen.viewer = Some(person);
        seen
    }

    /// What is another's alone.
    pub(crate) fn hidden(&self) -> Result<Hidden> {
        let Some(viewer) = self.viewer else { return Ok(Hidden::default()) };
        let connection = &mut *self.connection()?;
        let cars = private_cars::table.filter(private_cars::person_id.ne(viewer)).select(private_cars::car_id);
        let trips = private_trips::table.filter(private_trips::person_id.ne(viewer)).select(private_trips::trip_id);
        let cars: Vec<i32> = cars.load(connection)?;
        let trips: Vec<i32> = trips.load(connection)?;
        Ok(Hidden { cars: cars.into_iter().collect(), trips: trips.into_iter().collect() })
    }

    /// Whether something is another's alone. What there is not is not.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn is_hidden(&self, thing: Thing) -> Result<bool> {
        let hidden = self.hidden()?;
        if hidden.cars.is_empty() && hidden.trips.is_empty() {
            return Ok(false);
        }
        let connection = &mut *self.connection()?;
        let car_of_trip = |connection: &mut SqliteConnection, trip: i32| {
            trips::table.find(trip).select(trips::car_id).first::<i32>(connection).optional()
        };
        Ok(match thing {
            Thing::Car(car) => hidden.car(Some(car)),
            Thing::Trip(trip) => hidden.trip(trip, car_of_trip(connection, trip)?),
            Thing::Session(id) => {
                let car = sessions::table.find(id).select(sessions::car_id).first::<Option<i32>>(connection);
                hidden.car(car.optional()?.flatten())
            }
            Thing::LiveCharge(id) => {
                let car = live_charges::table.find(id).select(live_charges::car_id).first::<Option<i32>>(connection);
                hidden.car(car.optional()?.flatten())
            }
            Thing::Outing(id) => {
                let of = outings::table.find(id).select((outings::trip_id, outings::car_id));
                let of: Option<(i32, Option<i32>)> = of.first(connection).optional()?;
                of.is_some_and(|(trip, car)| hidden.trip(trip, car))
            }
        })
    }

    /// Refuses what is another's alone, as if it were not there.
    pub(crate) fn must_see(&self, thing: Thing) -> Result<()> {
        let (what, id) = match thing {
            Thing::Car(id) => ("car", id),
            Thing::Trip(id) => ("trip", id),
            Thing::Session(id) => ("session", id),
            Thing::LiveCharge(id) => ("charge under way", id),
            Thing::Outing(id) => ("outing", id),
        };
        if self.viewer.is_some() && self.is_hidden(thing)? { Err(StoreError::NotFound { what, id }) } else { Ok(()) }
    }

    /// Whether a car is its viewer's alone.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn is_private_car(&self, car: i32) -> Result<bool> {
        let found = private_cars::table.find(car).count().get_result::<i64>(&mut *self.connection()?)?;
        Ok(found > 0)
    }

    /// Whether a trip is its viewer's alone, by itself.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn is_private_trip(&self, trip: i32) -> Result<bool> {
        let found = private_trips::table.find(trip).count().get_result::<i64>(&mut *self.connection()?)?;
        Ok(found > 0)
    }

    /// Makes a car its viewer's alone, or the household's.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such car, or nobody in particular looks.
    pub fn set_private_car(&self, car: i32, private: bool) -> Result<()> {
        self.must_see(Thing::Car(car))?;
        let viewer = self.viewer.ok_or(StoreError::NotFound { what: "car", id: car })?;
        let connection = &mut *self.connection()?;
        if cars::table.find(car).count().get_result::<i64>(connection)? == 0 {
            return Err(StoreError::NotFound { what: "car", id: car });
        }
        if private {
            let row = (private_cars::car_id.eq(car), private_cars::person_id.eq(viewer));
            diesel::replace_into(private_cars::table).values(row).execute(connection)?;
        } else {
            diesel::delete(private_cars::table.find(car)).execute(connection)?;
        }
        Ok(())
    }

    /// Makes a trip its viewer's alone, or the household's.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip, or nobody in particular looks.
    pub fn set_private_trip(&self, trip: i32, private: bool) -> Result<()> {
        self.must_see(Thing::Trip(trip))?;
        let viewer = self.viewer.ok_or(StoreError::NotFound { what: "trip", id: trip })?;
        let connection = &mut *self.connection()?;
        if trips::table.find(trip).count().get_result::<i64>(connection)? == 0 {
            return Err(StoreError::NotFound { what: "trip", id: trip });
        }
        if private {
            let row = (private_trips::trip_id.eq(trip), private_trips::person_id.eq(viewer));
            diesel::replace_into(private_trips::table).values(row).execute(connection)?;
        } else {
            diesel::delete(private_trips::table.find(trip)).execute(connection)?;
        }
        Ok(())
    }
}
