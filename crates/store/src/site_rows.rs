//! The sites of a trip as the rows that hold them.

use diesel::prelude::*;
use spare_hour_core::quantity::{Current, Distance, Minutes, Power, Speed};
use spare_hour_core::trip::site_details::{Connector, SiteDetails};
use spare_hour_core::trip::{Price, Site};

use crate::schema::trip_sites;
use crate::{Result, StoreError};

/// A site.
#[derive(AsChangeset, Insertable, Queryable, Selectable)]
#[diesel(table_name = trip_sites, treat_none_as_null = true, treat_none_as_default_value = false)]
pub(crate) struct SiteRow {
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
    wait_min: f64,
    stalls: Option<i32>,
    out_of_order: Option<i32>,
    cabinet_stalls: Option<i32>,
    opening_hours: Option<String>,
    connectors: String,
    facilities: Option<String>,
    note: Option<String>,
}

fn damaged(problem: String) -> StoreError {
    StoreError::Damaged { what: "site", problem }
}

impl SiteRow {
    pub(crate) fn new(trip_id: i32, position: i32, site: &Site) -> Self {
        let details = &site.details;
        let small = |count: Option<u32>| count.and_then(|count| i32::try_from(count).ok());
        let connectors: Vec<String> = details.connectors.iter().map(Connector::to_string).collect();
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
            wait_min: details.wait.get(),
            stalls: small(details.stalls),
            out_of_order: small(details.out_of_order),
            cabinet_stalls: small(details.cabinet),
            opening_hours: details.hours.as_ref().map(ToString::to_string),
            connectors: connectors.join("\n"),
            facilities: details.facilities.clone(),
            note: details.note.clone(),
        }
    }

    pub(crate) fn site(self) -> Result<Site> {
        let count = |number: Option<i32>| number.and_then(|number| u32::try_from(number).ok());
        let connectors: std::result::Result<Vec<Connector>, String> = self.connectors.lines().map(str::parse).collect();
        let hours = self.opening_hours.map(|hours| hours.parse()).transpose();
        Ok(Site {
            id: self.site,
            name: self.name,
            at: Distance::km(self.at_km),
            off_route: Distance::km(self.off_route_km),
            off_route_speed: Speed::kmh(self.off_route_kmh),
            max_power: Power::kw(self.max_kw),
            max_current: self.max_a.map(Current::amps),
            overhead: Minutes::new(self.overhead_min),
            price: Price { per_kwh: self.per_kwh, per_min: self.per_min, per_session: self.per_session },
            details: SiteDetails {
                stalls: count(self.stalls),
                out_of_order: count(self.out_of_order),
                wait: Minutes::new(self.wait_min),
                cabinet: count(self.cabinet_stalls),
                hours: hours.map_err(damaged)?,
                connectors: connectors.map_err(damaged)?,
                facilities: self.facilities,
                note: self.note,
                charging: None,
            },
        })
    }
}
