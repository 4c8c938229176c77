//! Trips: the road, the sites along it, what is wanted, and the car that drives it.

use diesel::prelude::*;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::driving::road::{Road, RoadConditions, Stretch};
use spare_hour_core::quantity::Soc;
use spare_hour_core::trip::{Goal, Site, TripDraft};

use crate::cars;
use crate::connection::Store;
use crate::curves::{self, NewCurve};
use crate::road_rows::{ConditionsRow, StretchRow};
use crate::schema::{trip_segments, trip_sites, trips};
use crate::site_rows::SiteRow;
use crate::{Result, StoreError, Thing};

/// Stretches written with one statement: SQLite takes 32,766 values at once and a stretch has 16.
const AT_ONCE: usize = 1_500;

/// A trip to keep.
#[derive(Clone, Debug)]
pub struct NewTrip {
    /// Name for people.
    pub name: String,
    /// The car.
    pub car: i32,
    /// The currency of its prices, as written behind a number.
    pub currency: String,
    /// The road, and what it is driven under.
    pub road: Road,
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
    /// Whether its road came from a track, so that places along it are known.
    pub has_track: bool,
}

/// What is known of a trip by the clock.
#[derive(AsChangeset, Clone, Debug, Default, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = trips, treat_none_as_null = true)]
pub struct TripClock {
    /// When it leaves: civil time, as `2026-12-18T07:30`.
    pub departure: Option<String>,
    /// IANA name of its time zone.
    pub time_zone: Option<String>,
    /// What is wished, as JSON.
    pub wishes: Option<String>,
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
    min_soc_on_way: Option<f64>,
    #[diesel(embed)]
    conditions: ConditionsRow,
}

#[derive(AsChangeset, Insertable)]
#[diesel(table_name = trips, treat_none_as_null = true, treat_none_as_default_value = false)]
struct GoalRow {
    start_soc: f64,
    min_soc: f64,
    arrival_soc: f64,
    max_soc: f64,
    value_of_time_per_hour: Option<f64>,
    min_soc_on_way: Option<f64>,
}

impl GoalRow {
    fn new(goal: &Goal) -> Self {
        Self {
            start_soc: goal.start.get(),
            min_soc: goal.floor.get(),
            arrival_soc: goal.arrival.get(),
            max_soc: goal.ceiling.get(),
            value_of_time_per_hour: goal.value_of_time_per_hour,
            min_soc_on_way: goal.on_way.map(Soc::get),
        }
    }
}

fn insert(connection: &mut SqliteConnection, trip: &NewTrip, track: Option<&str>) -> Result<i32> {
    let owned = (trips::car_id.eq(trip.car), trips::track.eq(track));
    let head = (trips::name.eq(&trip.name), trips::currency.eq(&trip.currency), owned);
    let id: i32 = diesel::insert_into(trips::table)
        .values((head, GoalRow::new(&trip.goal), ConditionsRow::new(&trip.road.conditions)))
        .returning(trips::id)
        .get_result(connection)?;
    insert_stretches(connection, id, &trip.road.stretches)?;
    let sites: Vec<SiteRow> = (0..).zip(&trip.sites).map(|(position, site)| SiteRow::new(id, position, site)).collect();
    diesel::insert_into(trip_sites::table).values(&sites).execute(connection)?;
    Ok(id)
}

fn insert_stretches(connection: &mut SqliteConnection, id: i32, stretches: &[Stretch]) -> Result<()> {
    let rows: Vec<StretchRow> =
        (0..).zip(stretches).map(|(position, stretch)| StretchRow::new(id, position, stretch)).collect();
    for chunk in rows.chunks(AT_ONCE) {
        diesel::insert_into(trip_segments::table).values(chunk).execute(connection)?;
    }
    Ok(())
}

fn met(changed: usize, id: i32) -> Result<()> {
    if changed == 0 { Err(StoreError::NotFound { what: "trip", id }) } else { Ok(()) }
}

impl Store {
    /// Keeps a trip, with the track that its road came from as GeoJSON, and returns its number.
    ///
    /// # Errors
    /// When the database refuses, as for a car that is not there.
    pub fn add_trip(&self, trip: &NewTrip, track: Option<&str>) -> Result<i32> {
        self.must_see(Thing::Car(trip.car))?;
        self.connection()?.all_or_nothing(|connection| insert(connection, trip, track))
    }

    /// Keeps a trip that brings its own car: the car, its curve and the trip, or nothing of it.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn add_trip_with_car(&self, trip: &TripDraft, car_name: &str, currency: &str) -> Result<i32> {
        let vehicle = &trip.vehicle;
        let car = KnownCar {
            pack_voltage: vehicle.pack_voltage.clone(),
            boost: vehicle.boost.clone(),
            ..KnownCar::new(car_name, vehicle.usable, vehicle.charge_loss_percent)
        };
        self.connection()?.all_or_nothing(|connection| {
            let car = cars::insert(connection, &car)?;
            let curve = NewCurve::new(car, "as imported", vehicle.charge_curve.clone());
            let curve = curves::insert(connection, &curve)?;
            cars::use_curve(connection, car, curve)?;
            let new = NewTrip {
                name: trip.name.clone(),
                car,
                currency: currency.into(),
                road: Road::of_segments(trip.route.segments()),
                sites: trip.sites.clone(),
                goal: trip.goal,
            };
            insert(connection, &new, None)
        })
    }

    /// The list of trips, newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn trips(&self) -> Result<Vec<TripLine>> {
        use diesel::dsl::{count_star, sum};
        let hidden = self.hidden()?;
        let connection = &mut *self.connection()?;
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
        let seen = heads.into_iter().filter(|(id, _, car)| !hidden.trip(*id, Some(*car)));
        Ok(seen.map(line).collect())
    }

    /// One trip.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn trip(&self, id: i32) -> Result<StoredTrip> {
        self.must_see(Thing::Trip(id))?;
        let connection = &mut *self.connection()?;
        let row: Option<Row> = trips::table.find(id).select(Row::as_select()).first(connection).optional()?;
        let row = row.ok_or(StoreError::NotFound { what: "trip", id })?;
        let stretches: Vec<StretchRow> = trip_segments::table
            .filter(trip_segments::trip_id.eq(id))
            .order(trip_segments::position)
            .select(StretchRow::as_select())
            .load(connection)?;
        let sites: Vec<SiteRow> = trip_sites::table
            .filter(trip_sites::trip_id.eq(id))
            .order(trip_sites::position)
            .select(SiteRow::as_select())
            .load(connection)?;
        let on_track = trips::table.find(id).select(trips::track.is_not_null()).first(connection)?;
        Ok(StoredTrip {
            id: row.id,
            has_track: on_track,
            about: NewTrip {
                name: row.name,
                car: row.car_id,
                currency: row.currency,
                road: Road {
                    stretches: stretches.iter().map(StretchRow::stretch).collect(),
                    conditions: row.conditions.conditions(),
                },
                sites: sites.into_iter().map(SiteRow::site).collect::<Result<_>>()?,
                goal: Goal {
                    start: Soc::percent(row.start_soc),
                    floor: Soc::percent(row.min_soc),
                    arrival: Soc::percent(row.arrival_soc),
                    ceiling: Soc::percent(row.max_soc),
                    on_way: row.min_soc_on_way.map(Soc::percent),
                    value_of_time_per_hour: row.value_of_time_per_hour,
                },
            },
        })
    }

    /// Changes what is wanted of a trip, the conditions of its road, and which car drives it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn change_goal(&self, id: i32, car: i32, goal: &Goal, conditions: &RoadConditions) -> Result<()> {
        let change = (trips::car_id.eq(car), GoalRow::new(goal), ConditionsRow::new(conditions));
        met(diesel::update(trips::table.find(id)).set(change).execute(&mut *self.connection()?)?, id)
    }

    /// What is known of a trip by the clock.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn trip_clock(&self, id: i32) -> Result<TripClock> {
        let found = trips::table.find(id).select(TripClock::as_select()).first(&mut *self.connection()?).optional()?;
        found.ok_or(StoreError::NotFound { what: "trip", id })
    }

    /// Keeps what is known of a trip by the clock.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn keep_trip_clock(&self, id: i32, clock: &TripClock) -> Result<()> {
        met(diesel::update(trips::table.find(id)).set(clock).execute(&mut *self.connection()?)?, id)
    }

    /// Changes a trip's name and currency.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn rename_trip(&self, id: i32, name: &str, currency: &str) -> Result<()> {
        let change = (trips::name.eq(name), trips::currency.eq(currency));
        met(diesel::update(trips::table.find(id)).set(change).execute(&mut *self.connection()?)?, id)
    }

    /// Puts another road in the place of a trip's, with the track that it lies on as GeoJSON, if there is one.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn change_road(&self, id: i32, stretches: &[Stretch], track: Option<&str>) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            let trip = trips::table.find(id);
            met(trip.count().get_result::<i64>(connection)? as usize, id)?;
            diesel::update(trip).set(trips::track.eq(track)).execute(connection)?;
            diesel::delete(trip_segments::table.filter(trip_segments::trip_id.eq(id))).execute(connection)?;
            insert_stretches(connection, id, stretches)
        })
    }

    /// Puts other sites in the place of a trip's. Those that stay, by their ids, go on asking their tariffs.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn change_sites(&self, id: i32, sites: &[Site]) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            met(trips::table.find(id).count().get_result::<i64>(connection)? as usize, id)?;
            let of_trip = trip_sites::table.filter(trip_sites::trip_id.eq(id));
            let tariffs: Vec<(String, Option<i32>)> =
                of_trip.select((trip_sites::site, trip_sites::tariff_id)).load(connection)?;
            diesel::delete(of_trip).execute(connection)?;
            let rows: Vec<SiteRow> =
                (0..).zip(sites).map(|(position, site)| SiteRow::new(id, position, site)).collect();
            diesel::insert_into(trip_sites::table).values(&rows).execute(connection)?;
            for (site, tariff) in tariffs.into_iter().filter_map(|(site, tariff)| Some((site, tariff?))) {
                let same = of_trip.filter(trip_sites::site.eq(site));
                diesel::update(same).set(trip_sites::tariff_id.eq(tariff)).execute(connection)?;
            }
            Ok(())
        })
    }

    /// The track that a trip's road came from, as GeoJSON.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such trip.
    pub fn track(&self, id: i32) -> Result<Option<String>> {
        let track: Option<Option<String>> =
            trips::table.find(id).select(trips::track).first(&mut *self.connection()?).optional()?;
        track.ok_or(StoreError::NotFound { what: "trip", id })
    }

    /// Removes a trip with its road and its sites. Its car and the tariffs stay.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_trip(&self, id: i32) -> Result<()> {
        met(diesel::delete(trips::table.find(id)).execute(&mut *self.connection()?)?, id)
    }
}
