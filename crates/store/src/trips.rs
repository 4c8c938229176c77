//! Trips: the road, the sites along it, what is wanted, and the car that drives it.

use diesel::prelude::*;
use spare_hour_core::quantity::{Consumption, Current, Distance, Minutes, Power, Soc, Speed};
use spare_hour_core::route::{Route, Segment};
use spare_hour_core::trip::{Goal, Price, Site, Trip};

use crate::cars::{self, NewCar};
use crate::connection::Store;
use crate::curves::{self, NewCurve};
use crate::schema::{trip_segments, trip_sites, trips};
use crate::{Result, StoreError};

/// A trip to keep.
#[derive(Clone, Debug)]
pub struct NewTrip {
    /// Name for people.
    pub name: String,
    /// The car.
    pub car: i32,
    /// The currency of its prices, as written behind a number.
    pub currency: String,
    /// The road.
    pub segments: Vec<Segment>,
    /// The sites.
    pub sites: Vec<Site>,
    /// What is wanted.
    pub goal: Goal,
}

/// A trip that is kept.
#[derive(Clone, Debug)]
pub struct StoredTrip {
    /// Its number.
    pub id: i32,
    /// The trip.
    pub about: NewTrip,
}

/// A line of the list of trips.
#[derive(Clone, Debug, PartialEq)]
pub struct TripLine {
    /// Its number.
    pub id: i32,
    /// Name for people.
    pub name: String,
    /// The car.
    pub car: i32,
    /// Length of the road, km.
    pub km: f64,
    /// How many sites lie along it.
    pub sites: i64,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = trips)]
struct Row {
    id: i32,
    name: String,
    car_id: i32,
    currency: String,
    start_soc: f64,
    min_soc: f64,
    arrival_soc: f64,
    max_soc: f64,
    value_of_time_per_hour: Option<f64>,
}

#[derive(AsChangeset, Insertable)]
#[diesel(table_name = trips, treat_none_as_null = true, treat_none_as_default_value = false)]
struct GoalRow {
    start_soc: f64,
    min_soc: f64,
    arrival_soc: f64,
    max_soc: f64,
    value_of_time_per_hour: Option<f64>,
}

#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = trip_segments)]
struct SegmentRow {
    trip_id: i32,
    position: i32,
    km: f64,
    kmh: f64,
    kwh_per_100km: f64,
}

#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = trip_sites, treat_none_as_default_value = false)]
struct SiteRow {
    trip_id: i32,
    position: i32,
    site: String,
    name: String,
    at_km: f64,
    off_route_km: f64,
    off_route_kmh: f64,
    max_kw: f64,
    max_a: Option<f64>,
    overhead_min: f64,
    per_kwh: f64,
    per_min: f64,
    per_session: f64,
}

impl GoalRow {
    fn new(goal: &Goal) -> Self {
        Self {
            start_soc: goal.start.get(),
            min_soc: goal.floor.get(),
            arrival_soc: goal.arrival.get(),
            max_soc: goal.ceiling.get(),
            value_of_time_per_hour: goal.value_of_time_per_hour,
        }
    }
}

impl SiteRow {
    fn new(trip_id: i32, position: i32, site: &Site) -> Self {
        Self {
            trip_id,
            position,
            site: site.id.clone(),
            name: site.name.clone(),
            at_km: site.at.get(),
            off_route_km: site.off_route.get(),
            off_route_kmh: site.off_route_speed.get(),
            max_kw: site.max_power.get(),
            max_a: site.max_current.map(Current::get),
            overhead_min: site.overhead.get(),
            per_kwh: site.price.per_kwh,
            per_min: site.price.per_min,
            per_session: site.price.per_session,
        }
    }

    fn site(self) -> Site {
        Site {
            id: self.site,
            name: self.name,
            at: Distance::km(self.at_km),
            off_route: Distance::km(self.off_route_km),
            off_route_speed: Speed::kmh(self.off_route_kmh),
            max_power: Power::kw(self.max_kw),
            max_current: self.max_a.map(Current::amps),
            overhead: Minutes::new(self.overhead_min),
            price: Price { per_kwh: self.per_kwh, per_min: self.per_min, per_session: self.per_session },
        }
    }
}

impl SegmentRow {
    fn segment(&self) -> Segment {
        Segment {
            length: Distance::km(self.km),
            speed: Speed::kmh(self.kmh),
            consumption: Consumption::kwh_per_100km(self.kwh_per_100km),
        }
    }
}

fn insert(connection: &mut SqliteConnection, trip: &NewTrip) -> Result<i32> {
    let head = (trips::name.eq(&trip.name), trips::car_id.eq(trip.car), trips::currency.eq(&trip.currency));
    let id: i32 = diesel::insert_into(trips::table)
        .values((head, GoalRow::new(&trip.goal)))
        .returning(trips::id)
        .get_result(connection)?;
    let segments: Vec<SegmentRow> = (0..)
        .zip(&trip.segments)
        .map(|(position, segment)| SegmentRow {
            trip_id: id,
            position,
            km: segment.length.get(),
            kmh: segment.speed.get(),
            kwh_per_100km: segment.consumption.get(),
        })
        .collect();
    for chunk in segments.chunks(2_000) {
        diesel::insert_into(trip_segments::table).values(chunk).execute(connection)?;
    }
    let sites: Vec<SiteRow> = (0..).zip(&trip.sites).map(|(position, site)| SiteRow::new(id, position, site)).collect();
    diesel::insert_into(trip_sites::table).values(&sites).execute(connection)?;
    Ok(id)
}

impl Store {
    /// Keeps a trip and returns its number.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_trip(&self, trip: &NewTrip) -> Result<i32> {
        self.connection()?.immediate_transaction(|connection| insert(connection, trip))
    }

    /// Keeps a trip that brings its own car: the car, its curve and the trip, or nothing of it.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn add_trip_with_car(&self, trip: &Trip, car_name: &str, currency: &str) -> Result<i32> {
        let vehicle = &trip.vehicle;
        let car = NewCar {
            pack_voltage: vehicle.pack_voltage.clone(),
            boost: vehicle.boost.clone(),
            ..NewCar::new(car_name, vehicle.usable, vehicle.charge_loss_percent)
        };
        self.connection()?.immediate_transaction(|connection| {
            let car = cars::insert(connection, &car)?;
            let curve = NewCurve::new(car, "as imported", vehicle.charge_curve.clone());
            let curve = curves::insert(connection, &curve)?;
            cars::use_curve(connection, car, curve)?;
            let new = NewTrip {
                name: trip.name.clone(),
                car,
                currency: currency.into(),
                segments: trip.route.segments().to_vec(),
                sites: trip.sites.clone(),
                goal: trip.goal,
            };
            insert(connection, &new)
        })
    }

    /// The list of trips, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn trips(&self) -> Result<Vec<TripLine>> {
        use diesel::dsl::{count_star, sum};
        let connection = &mut self.connection()?;
        let heads: Vec<(i32, String, i32)> =
            trips::table.select((trips::id, trips::name, trips::car_id)).order(trips::id.desc()).load(connection)?;
        let lengths: Vec<(i32, Option<f64>)> = trip_segments::table
            .group_by(trip_segments::trip_id)
            .select((trip_segments::trip_id, sum(trip_segments::km)))
            .load(connection)?;
        let sites: Vec<(i32, i64)> = trip_sites::table
            .group_by(trip_sites::trip_id)
            .select((trip_sites::trip_id, count_star()))
            .load(connection)?;
        let line = |(id, name, car)| TripLine {
            id,
            name,
            car,
            km: lengths.iter().find(|row| row.0 == id).and_then(|row| row.1).unwrap_or_default(),
            sites: sites.iter().find(|row| row.0 == id).map_or(0, |row| row.1),
        };
        Ok(heads.into_iter().map(line).collect())
    }

    /// One trip.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn trip(&self, id: i32) -> Result<StoredTrip> {
        let connection = &mut self.connection()?;
        let row: Option<Row> = trips::table.find(id).select(Row::as_select()).first(connection).optional()?;
        let row = row.ok_or(StoreError::NotFound { what: "trip", id })?;
        let segments: Vec<SegmentRow> = trip_segments::table
            .filter(trip_segments::trip_id.eq(id))
            .order(trip_segments::position)
            .select(SegmentRow::as_select())
            .load(connection)?;
        let sites: Vec<SiteRow> = trip_sites::table
            .filter(trip_sites::trip_id.eq(id))
            .order(trip_sites::position)
            .select(SiteRow::as_select())
            .load(connection)?;
        Ok(StoredTrip {
            id: row.id,
            about: NewTrip {
                name: row.name,
                car: row.car_id,
                currency: row.currency,
                segments: segments.iter().map(SegmentRow::segment).collect(),
                sites: sites.into_iter().map(SiteRow::site).collect(),
                goal: Goal {
                    start: Soc::percent(row.start_soc),
                    floor: Soc::percent(row.min_soc),
                    arrival: Soc::percent(row.arrival_soc),
                    ceiling: Soc::percent(row.max_soc),
                    value_of_time_per_hour: row.value_of_time_per_hour,
                },
            },
        })
    }

    /// Changes what is wanted of a trip, and which car drives it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn change_goal(&self, id: i32, car: i32, goal: &Goal) -> Result<()> {
        let update = diesel::update(trips::table.find(id)).set((trips::car_id.eq(car), GoalRow::new(goal)));
        match update.execute(&mut self.connection()?)? {
            0 => Err(StoreError::NotFound { what: "trip", id }),
            _ => Ok(()),
        }
    }
}

impl StoredTrip {
    /// The trip as the planner wants it.
    pub fn with_vehicle(&self, vehicle: spare_hour_core::trip::Vehicle) -> Trip {
        Trip {
            name: self.about.name.clone(),
            vehicle,
            route: Route::new(self.about.segments.clone()),
            sites: self.about.sites.clone(),
            goal: self.about.goal,
        }
    }
}
