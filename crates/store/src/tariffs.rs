//! Tariffs, memberships, and which site of a trip asks which.

use std::collections::HashMap;

use diesel::prelude::*;

use crate::connection::Store;
use crate::schema::{memberships, tariffs, trip_sites};
use crate::{Result, StoreError};

/// A tariff to keep.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewTariff {
    /// Name for people.
    pub name: String,
    /// Its currency.
    pub currency: String,
    /// An OCPI 2.2.1 tariff object, JSON.
    pub ocpi: String,
}

/// A tariff that is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredTariff {
    /// Its number.
    pub id: i32,
    /// The tariff.
    pub about: NewTariff,
}

/// A membership that changes a tariff.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredMembership {
    /// Its number.
    pub id: i32,
    /// Name for people.
    pub name: String,
    /// A decimal number.
    pub monthly_fee: String,
    /// Percent off every price; a decimal number. Else the members' own tariff.
    pub percent_off: Option<String>,
    /// The tariff that members pay.
    pub own_tariff: Option<i32>,
}

type Row = (i32, String, String, String);
type MembershipRow = (i32, String, String, Option<String>, Option<i32>);

fn stored((id, name, currency, ocpi): Row) -> StoredTariff {
    StoredTariff { id, about: NewTariff { name, currency, ocpi } }
}

impl Store {
    /// Keeps a tariff and returns its number.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn add_tariff(&self, new: &NewTariff) -> Result<i32> {
        let values = (tariffs::name.eq(&new.name), tariffs::currency.eq(&new.currency), tariffs::ocpi.eq(&new.ocpi));
        let insert = diesel::insert_into(tariffs::table).values(values).returning(tariffs::id);
        Ok(insert.get_result(&mut *self.connection()?)?)
    }

    /// Changes a tariff.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn change_tariff(&self, id: i32, new: &NewTariff) -> Result<()> {
        let values = (tariffs::name.eq(&new.name), tariffs::currency.eq(&new.currency), tariffs::ocpi.eq(&new.ocpi));
        met(diesel::update(tariffs::table.find(id)).set(values).execute(&mut *self.connection()?)?, "tariff", id)
    }

    /// All tariffs by name.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn tariffs(&self) -> Result<Vec<StoredTariff>> {
        let columns = (tariffs::id, tariffs::name, tariffs::currency, tariffs::ocpi);
        let rows: Vec<Row> =
            tariffs::table.select(columns).order((tariffs::name, tariffs::id)).load(&mut *self.connection()?)?;
        Ok(rows.into_iter().map(stored).collect())
    }

    /// One tariff.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn tariff(&self, id: i32) -> Result<StoredTariff> {
        let columns = (tariffs::id, tariffs::name, tariffs::currency, tariffs::ocpi);
        let row: Option<Row> = tariffs::table.find(id).select(columns).first(&mut *self.connection()?).optional()?;
        row.map(stored).ok_or(StoreError::NotFound { what: "tariff", id })
    }

    /// Removes a tariff. Sites that asked it go back to their own prices.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_tariff(&self, id: i32) -> Result<()> {
        met(diesel::delete(tariffs::table.find(id)).execute(&mut *self.connection()?)?, "tariff", id)
    }

    /// Adds a membership to a tariff: percent off, or a tariff of its own.
    ///
    /// # Errors
    /// When the database refuses, as for a tariff that is not there.
    pub fn add_membership(&self, tariff: i32, new: &StoredMembership) -> Result<()> {
        diesel::insert_into(memberships::table)
            .values((
                memberships::tariff_id.eq(tariff),
                memberships::name.eq(&new.name),
                memberships::monthly_fee.eq(&new.monthly_fee),
                memberships::percent_off.eq(&new.percent_off),
                memberships::own_tariff_id.eq(new.own_tariff),
            ))
            .execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// The memberships of a tariff.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn memberships_of(&self, tariff: i32) -> Result<Vec<StoredMembership>> {
        let rows: Vec<MembershipRow> = memberships::table
            .filter(memberships::tariff_id.eq(tariff))
            .select((
                memberships::id,
                memberships::name,
                memberships::monthly_fee,
                memberships::percent_off,
                memberships::own_tariff_id,
            ))
            .order(memberships::id)
            .load(&mut *self.connection()?)?;
        let membership = |(id, name, monthly_fee, percent_off, own_tariff): MembershipRow| StoredMembership {
            id,
            name,
            monthly_fee,
            percent_off,
            own_tariff,
        };
        Ok(rows.into_iter().map(membership).collect())
    }

    /// Removes a membership.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn remove_membership(&self, id: i32) -> Result<()> {
        met(diesel::delete(memberships::table.find(id)).execute(&mut *self.connection()?)?, "membership", id)
    }

    /// Which sites of a trip ask which tariff, by the sites' names in the trip.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn tariffs_of_sites(&self, trip: i32) -> Result<HashMap<String, i32>> {
        let rows: Vec<(String, Option<i32>)> = trip_sites::table
            .filter(trip_sites::trip_id.eq(trip).and(trip_sites::tariff_id.is_not_null()))
            .select((trip_sites::site, trip_sites::tariff_id))
            .load(&mut *self.connection()?)?;
        Ok(rows.into_iter().filter_map(|(site, tariff)| Some((site, tariff?))).collect())
    }

    /// Says that these sites of a trip, and no others of it, ask a tariff.
    ///
    /// # Errors
    /// When the database refuses, as for a tariff that is not there.
    pub fn ask_tariff(&self, trip: i32, sites: &[String], tariff: i32) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            let of_trip = trip_sites::table.filter(trip_sites::trip_id.eq(trip));
            diesel::update(of_trip.filter(trip_sites::tariff_id.eq(tariff)))
                .set(trip_sites::tariff_id.eq(None::<i32>))
                .execute(connection)?;
            diesel::update(of_trip.filter(trip_sites::site.eq_any(sites)))
                .set(trip_sites::tariff_id.eq(tariff))
                .execute(connection)?;
            Ok(())
        })
    }
}

fn met(changed: usize, what: &'static str, id: i32) -> Result<()> {
    if changed == 0 { Err(StoreError::NotFound { what, id }) } else { Ok(()) }
}
