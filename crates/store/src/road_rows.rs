//! A trip's road as the rows that hold it: its stretches, and the conditions on the trip's own row.

use diesel::prelude::*;
use spare_hour_core::driving::road::{Heading, OwnConditions, RoadConditions, Stretch};
use spare_hour_core::quantity::{Consumption, Distance, Height, Mass, Power, Speed, Temperature};

use crate::schema::{trip_segments, trips};

/// The conditions of a trip.
#[derive(AsChangeset, Insertable, Queryable, Selectable)]
#[diesel(table_name = trips, treat_none_as_null = true, treat_none_as_default_value = false)]
pub(crate) struct ConditionsRow {
    road_kmh: f64,
    outside_c: f64,
    wind_kmh: f64,
    wind_from_deg: f64,
    headwind_kmh: f64,
    wet: bool,
    load_kg: f64,
    heating_kw: Option<f64>,
}

impl ConditionsRow {
    pub(crate) fn new(conditions: &RoadConditions) -> Self {
        Self {
            road_kmh: conditions.speed.get(),
            outside_c: conditions.outside.get(),
            wind_kmh: conditions.wind.get(),
            wind_from_deg: conditions.wind_from,
            headwind_kmh: conditions.headwind.get(),
            wet: conditions.wet,
            load_kg: conditions.load.get(),
            heating_kw: conditions.heating.map(Power::get),
        }
    }

    pub(crate) fn conditions(&self) -> RoadConditions {
        RoadConditions {
            speed: Speed::kmh(self.road_kmh),
            outside: Temperature::celsius(self.outside_c),
            wind: Speed::kmh(self.wind_kmh),
            wind_from: self.wind_from_deg,
            headwind: Speed::kmh(self.headwind_kmh),
            wet: self.wet,
            load: Mass::kg(self.load_kg),
            heating: self.heating_kw.map(Power::kw),
        }
    }
}

/// A stretch of the road.
#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = trip_segments, treat_none_as_default_value = false)]
pub(crate) struct StretchRow {
    trip_id: i32,
    position: i32,
    km: f64,
    kmh: Option<f64>,
    kwh_per_100km: Option<f64>,
    climb_m: f64,
    descent_m: f64,
    height_m: f64,
    toward_deg: Option<f64>,
    straight: Option<f64>,
    outside_c: Option<f64>,
    wind_kmh: Option<f64>,
    wind_from_deg: Option<f64>,
    wet: Option<bool>,
    load_kg: Option<f64>,
    heating_kw: Option<f64>,
}

impl StretchRow {
    pub(crate) fn new(trip_id: i32, position: i32, stretch: &Stretch) -> Self {
        let own = &stretch.own;
        Self {
            trip_id,
            position,
            km: stretch.length.get(),
            kmh: own.speed.map(Speed::get),
            kwh_per_100km: stretch.typed.map(Consumption::get),
            climb_m: stretch.climb.get(),
            descent_m: stretch.descent.get(),
            height_m: stretch.height.get(),
            toward_deg: stretch.heading.map(|heading| heading.toward),
            straight: stretch.heading.map(|heading| heading.straight),
            outside_c: own.outside.map(Temperature::get),
            wind_kmh: own.wind.map(Speed::get),
            wind_from_deg: own.wind_from,
            wet: own.wet,
            load_kg: own.load.map(Mass::get),
            heating_kw: own.heating.map(Power::get),
        }
    }

    pub(crate) fn stretch(&self) -> Stretch {
        let heading = |toward| Heading { toward, straight: self.straight.unwrap_or(1.0) };
        Stretch {
            length: Distance::km(self.km),
            climb: Height::metres(self.climb_m),
            descent: Height::metres(self.descent_m),
            height: Height::metres(self.height_m),
            heading: self.toward_deg.map(heading),
            own: OwnConditions {
                speed: self.kmh.map(Speed::kmh),
                outside: self.outside_c.map(Temperature::celsius),
                wind: self.wind_kmh.map(Speed::kmh),
                wind_from: self.wind_from_deg,
                wet: self.wet,
                load: self.load_kg.map(Mass::kg),
                heating: self.heating_kw.map(Power::kw),
            },
            typed: self.kwh_per_100km.map(Consumption::kwh_per_100km),
        }
    }
}
