//! What was paid at the stops of trips against what their tariffs ask, and whether memberships pay at this use.

use std::collections::BTreeMap;

use jiff::civil::Date;
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::quantity::{Energy, Minutes};
use spare_hour_store::{Store, StoreError};

use crate::PlanningError;
use crate::clock::Here;
use crate::ledger::{LedgerTrip, Stand};
use crate::price_charge::{AskedStop, PricedCharge};
use crate::read_charge::{ReadCharge, Reports};
use crate::tariffs;

/// Months of a year.
const YEAR: i64 = 12;

/// A charge on a trip: what was paid, and what its tariff asks.
#[derive(Clone, Debug, PartialEq)]
pub struct PaidCharge {
    /// The day.
    pub day: Date,
    /// Number and name of the charge.
    pub session: (i32, String),
    /// The site.
    pub site: String,
    /// Out of the plug.
    pub plug: Energy,
    /// What was paid, where that is noted.
    pub paid: Option<f64>,
    /// Name of the tariff, where the site asks one.
    pub tariff: Option<String>,
    /// What it asks without a membership,
    pub asked: Option<f64>,
    /// and with each one that there is.
    pub as_member: Vec<(String, f64)>,
}

impl PaidCharge {
    /// How much more was paid than the tariff or one of its memberships asks: against the nearest of them.
    pub fn more_paid(&self) -> Option<f64> {
        let asked = self.as_member.iter().map(|(_, asked)| *asked).chain(self.asked);
        let more = asked.map(|asked| self.paid.map(|paid| paid - asked));
        more.flatten().min_by(|a, b| a.abs().total_cmp(&b.abs()))
    }
}

/// Whether a membership pays.
#[derive(Clone, Debug, PartialEq)]
pub struct MembershipUse {
    /// Its name.
    pub name: String,
    /// The charges of the last twelve months that it counts for.
    pub charges: u32,
    /// What it would have saved on them.
    pub saves: f64,
    /// What twelve months of it cost.
    pub fees: f64,
}

/// The charges that were measured on trips, the newest first.
///
/// # Errors
/// When a tariff cannot be read, or the store refuses.
pub fn paid_charges(
    store: &Store,
    here: &Here,
    reports: &Reports,
    trips: &[LedgerTrip],
) -> Result<Vec<PaidCharge>, PlanningError> {
    let mut paid = Vec::new();
    for trip in trips {
        let asked = match store.tariffs_of_sites(trip.outing.about.trip) {
            Ok(asked) => asked,
            Err(StoreError::NotFound { .. }) => continue,
            Err(error) => return Err(error.into()),
        };
        for stand in &trip.stands {
            let tariff = asked.get(&stand.site.0).copied();
            paid.extend(paid_charge(store, here, reports, stand, tariff)?);
        }
    }
    paid.sort_by_key(|one| std::cmp::Reverse(one.day));
    Ok(paid)
}

fn paid_charge(
    store: &Store,
    here: &Here,
    reports: &Reports,
    stand: &Stand,
    tariff: Option<i32>,
) -> Result<Option<PaidCharge>, PlanningError> {
    let Some((session, name, paid)) = &stand.session else { return Ok(None) };
    let charge = ReadCharge::new(store, *session)?;
    let Ok(report) = charge.report(reports, None) else { return Ok(None) };
    let came = jiff::Timestamp::from_millisecond(stand.times.0).ok();
    let came = came.map(|came| came.to_zoned_datetime(here.zone().clone()).datetime());
    let stood = stand.minutes.happened.unwrap_or_default();
    let charged = (report.analysis.timeline.end() - report.analysis.timeline.start()).get();
    let stop = AskedStop { began: came, parked: Minutes::new((stood - charged).max(0.0)) };
    let Some(priced) = PricedCharge::new(store, &charge, &report.analysis, stop, here)? else { return Ok(None) };
    let of_tariff = || priced.prices.iter().filter(|price| Some(price.tariff) == tariff);
    let plain = of_tariff().find(|price| price.membership.is_none());
    Ok(Some(PaidCharge {
        day: priced.began.date(),
        session: (*session, name.clone()),
        site: stand.site.1.clone(),
        plug: priced.plug,
        paid: *paid,
        tariff: plain.map(|price| price.applied.name.clone()),
        asked: plain.map(crate::price_charge::ChargePrice::total),
        as_member: of_tariff().filter_map(|price| Some((price.membership.clone()?, price.total()))).collect(),
    }))
}

/// Whether each membership pays, by the charges of the twelve months before a day.
///
/// # Errors
/// When a membership cannot be read, or the store refuses.
pub fn memberships_used(
    store: &Store,
    charges: &[PaidCharge],
    today: Date,
) -> Result<Vec<MembershipUse>, PlanningError> {
    let since = today.saturating_sub(jiff::Span::new().months(YEAR));
    let mut used: BTreeMap<String, MembershipUse> = BTreeMap::new();
    for stored in store.tariffs()? {
        for (_, membership) in tariffs::memberships(store, stored.id)? {
            let fees = (membership.monthly_fee * Decimal::from(YEAR)).to_f64().unwrap_or_default();
            let name = membership.name.clone();
            used.entry(name.clone()).or_insert(MembershipUse { name, charges: 0, saves: 0.0, fees });
        }
    }
    for charge in charges.iter().filter(|charge| charge.day > since && charge.day <= today) {
        for (name, as_member) in &charge.as_member {
            let (Some(one), Some(asked)) = (used.get_mut(name), charge.asked) else { continue };
            one.charges += 1;
            one.saves += asked - as_member;
        }
    }
    Ok(used.into_values().collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn charge(paid: Option<f64>, asked: Option<f64>, as_member: &[(&str, f64)]) -> PaidCharge {
        PaidCharge {
            day: "2026-05-01".parse().unwrap(),
            session: (1, "one".into()),
            site: "Vessen".into(),
            plug: Energy::kwh(30.0),
            paid,
            tariff: None,
            asked,
            as_member: as_member.iter().map(|(name, asked)| (name.to_string(), *asked)).collect(),
        }
    }

    #[test]
    fn what_was_paid_is_held_against_the_nearest_price() {
        assert_eq!(charge(None, Some(18.0), &[]).more_paid(), None);
        assert_eq!(charge(Some(18.0), None, &[]).more_paid(), None);
        assert_eq!(charge(Some(18.5), Some(18.0), &[("Club", 12.0)]).more_paid(), Some(0.5));
        assert_eq!(charge(Some(12.0), Some(18.0), &[("Club", 12.0)]).more_paid(), Some(0.0));
    }
}
