//! Tariffs on a trip: what the planner is told a site asks, and the receipts of the stops that it chose.
//!
//! The planner weighs one price for each site: that of the hour at which a drive without stops would be there. The receipts of
//! the chosen stops are exact: by the hour, power and minutes of each.

use std::collections::{BTreeMap, HashMap};

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, ZonedDateTime};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::membership::Membership;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::stop_periods::stop_periods;
use spare_hour_core::money::tariff::{Kind, Moment, Tariff};
use spare_hour_core::quantity::{Energy, Minutes, Power};
use spare_hour_core::trip::{Price, Site, Trip};
use spare_hour_planner::{Plan, Stop};
use spare_hour_store::Store;

use crate::error::WebError;
use crate::tariffs;

/// The tariffs of a trip's sites, and when the trip begins.
#[derive(Default)]
pub(crate) struct TripTariffs {
    by_site: HashMap<String, Tariff>,
    /// Memberships, each with the sites whose prices it changes.
    memberships: Vec<(Membership, Vec<String>)>,
    departure: Option<ZonedDateTime>,
}

impl TripTariffs {
    /// The tariffs that a trip's sites ask; it begins on a day, some minutes after midnight.
    pub(crate) fn new(store: &Store, trip: i32, day: Date, departure: f64) -> Result<Self, WebError> {
        let mut by_site = HashMap::new();
        let mut sites_of: BTreeMap<i32, Vec<String>> = BTreeMap::new();
        for (site, tariff) in store.tariffs_of_sites(trip)? {
            by_site.insert(site.clone(), tariffs::read(&store.tariff(tariff)?)?);
            sites_of.entry(tariff).or_default().push(site);
        }
        let mut memberships = Vec::new();
        for (tariff, sites) in sites_of {
            let of_tariff = tariffs::memberships(store, tariff)?.into_iter();
            memberships.extend(of_tariff.map(|(_, membership)| (membership, sites.clone())));
        }
        let midnight = day.to_zoned_datetime(TimeZone::system()).and_then(|midnight| midnight.start_of_day()).ok();
        let departure = midnight.and_then(|midnight| midnight.checked_add(minutes(departure)).ok());
        Ok(Self { by_site, memberships, departure })
    }

    /// Tells a trip what its sites ask about when they are reached.
    pub(crate) fn apply(&self, trip: &mut Trip) {
        let whole = trip.route.length().get();
        let hours: f64 = trip.route.segments().iter().map(|segment| segment.length.get() / segment.speed.get()).sum();
        for site in &mut trip.sites {
            if let Some(tariff) = self.by_site.get(&site.id) {
                let reached = 60.0 * hours * site.at.get() / whole.max(1e-9);
                site.price = self.price(tariff, site, reached);
            }
        }
    }

    /// One price for the planner, with VAT: what counts a minute into a charge at the site's power.
    fn price(&self, tariff: &Tariff, site: &Site, reached: f64) -> Price {
        let Some(at) = self.after(reached) else {
            return site.price;
        };
        let moment = Moment {
            date: at.date(),
            time: at.time(),
            energy: Energy::kwh(1.0),
            power: Power::kw(site.max_power.get().min(100.0)),
            current: None,
            duration: Minutes::new(12.0),
        };
        let price = |kind| {
            let component = tariff.component(kind, &moment).map(|found| found.1);
            let with_vat = component.map(|component| {
                component.price * (Decimal::ONE + component.vat.unwrap_or_default() / Decimal::ONE_HUNDRED)
            });
            with_vat.and_then(|price| price.to_f64()).unwrap_or(0.0)
        };
        Price { per_kwh: price(Kind::Energy), per_min: price(Kind::Time) / 60.0, per_session: price(Kind::Flat) }
    }

    fn after(&self, later: f64) -> Option<ZonedDateTime> {
        self.departure.as_ref()?.checked_add(minutes(later)).ok()
    }

    /// The receipt of each stop of a plan whose site asks a tariff, with that tariff.
    pub(crate) fn receipts<'t>(&'t self, trip: &Trip, plan: &Plan) -> Vec<Option<(&'t Tariff, Receipt)>> {
        let of_stop = |stop: (&Stop, Option<ZonedDateTime>)| {
            let tariff = self.by_site.get(&trip.sites[stop.0.site].id)?;
            Some((tariff, receipt(tariff, &stop.1?, &periods(trip, stop.0))))
        };
        plan.stops.iter().zip(self.beginnings(plan)).map(of_stop).collect()
    }

    /// When each stop of a plan begins to charge. Fixed minutes are before it: way to the plug, handshake.
    fn beginnings(&self, plan: &Plan) -> Vec<Option<ZonedDateTime>> {
        let mut minute = 0.0;
        let begins = |stop: &Stop| {
            minute += stop.drive.get() + stop.overhead.get();
            let began = self.after(minute);
            minute += stop.charge.get();
            began
        };
        plan.stops.iter().map(begins).collect()
    }

    /// What each membership would save on a plan, in sentences; those that none of its stops asks are not told.
    pub(crate) fn savings(&self, trip: &Trip, plan: &Plan) -> Vec<String> {
        let saved = |(membership, sites): &(Membership, Vec<String>)| {
            let mut sum = Decimal::ZERO;
            let mut currency = None;
            for (stop, began) in plan.stops.iter().zip(self.beginnings(plan)) {
                let site = &trip.sites[stop.site].id;
                let Some((tariff, began)) = self.by_site.get(site).zip(began).filter(|_| sites.contains(site)) else {
                    continue;
                };
                let periods = periods(trip, stop);
                let paid = |tariff: &Tariff| receipt(tariff, &began, &periods).total_with_vat;
                sum += paid(tariff) - paid(&membership.tariff(tariff));
                currency = Some(&tariff.currency);
            }
            let (name, fee) = (&membership.name, membership.monthly_fee);
            currency.map(|currency| {
                if sum > Decimal::ZERO {
                    format!("{name} would save {sum:.2} {currency} on this trip, for {fee:.2} a month.")
                } else {
                    format!("{name} would save nothing on this trip.")
                }
            })
        };
        self.memberships.iter().filter_map(saved).collect()
    }
}

fn periods(trip: &Trip, stop: &Stop) -> Vec<Period> {
    stop_periods(&trip.vehicle, &trip.sites[stop.site], stop.arrive, stop.depart)
}

fn minutes(minutes: f64) -> SignedDuration {
    SignedDuration::from_secs((minutes * 60.0).round() as i64)
}

/// What a plan costs: receipts where there are such, the planner's figures for the other stops.
pub(crate) fn cost(plan: &Plan, receipts: &[Option<(&Tariff, Receipt)>]) -> f64 {
    let of_stop = |(stop, receipt): (&Stop, &Option<(&Tariff, Receipt)>)| {
        let exact = receipt.as_ref().and_then(|receipt| receipt.1.total_with_vat.to_f64());
        exact.unwrap_or(stop.cost)
    };
    plan.stops.iter().zip(receipts).map(of_stop).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::{read_trip, write_tariff};
    use spare_hour_planner::Planner;
    use spare_hour_store::NewTariff;

    /// The example trip in a store, its first site asking a tariff.
    fn stored(tariff: &Tariff) -> (tempfile::TempDir, Store, i32, Trip) {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let trip = read_trip(crate::trips::EXAMPLE.as_bytes()).unwrap();
        let id = store.add_trip_with_car(&trip, "Tern", "cr").unwrap();
        let kept = NewTariff { name: "t".into(), currency: "cr".into(), ocpi: write_tariff(tariff, "t") };
        let tariff = store.add_tariff(&kept).unwrap();
        let sites: Vec<String> = trip.sites.iter().map(|site| site.id.clone()).collect();
        store.ask_tariff(id, &sites, tariff).unwrap();
        (directory, store, id, trip)
    }

    fn simple(per_kwh: &str, per_minute: &str, flat: &str) -> Tariff {
        let number = |text: &str| text.parse::<Decimal>().unwrap();
        Tariff::simple("t", "cr", number(per_kwh), number(per_minute), number(flat))
    }

    #[test]
    fn receipts_of_a_simple_tariff_are_the_planners_money() {
        let (_directory, store, id, mut trip) = stored(&simple("0.55", "0.10", "1.5"));
        let tariffs = TripTariffs::new(&store, id, jiff::civil::date(2026, 5, 4), 480.0).unwrap();
        tariffs.apply(&mut trip);
        let price = trip.sites[0].price;
        assert!(
            (price.per_kwh - 0.55).abs() < 1e-9
                && (price.per_min - 0.10).abs() < 1e-9
                && (price.per_session - 1.5).abs() < 1e-9
        );
        let planner = Planner::new(&trip).unwrap();
        let plan = &planner.best().plan;
        let receipts = tariffs.receipts(&trip, plan);
        assert!(!receipts.is_empty() && receipts.iter().all(Option::is_some));
        // A quarter off every price saves a quarter.
        let club = spare_hour_store::StoredMembership {
            id: 0,
            name: "Club".into(),
            monthly_fee: "4".into(),
            percent_off: Some("25".into()),
            own_tariff: None,
        };
        store.add_membership(1, &club).unwrap();
        let saved =
            TripTariffs::new(&store, id, jiff::civil::date(2026, 5, 4), 480.0).unwrap().savings(&trip, plan).remove(0);
        let sum: f64 = saved.split_whitespace().nth(3).unwrap().parse().unwrap();
        assert!(
            saved.starts_with("Club would save") && (sum - plan.cost / 4.0).abs() < 0.05,
            "{saved} of {}",
            plan.cost
        );
        // Three lines to a stop, each rounded to the cent.
        let exact = cost(plan, &receipts);
        assert!((exact - plan.cost).abs() < 0.016 * receipts.len() as f64, "{exact} for {}", plan.cost);
    }

    #[test]
    fn a_trip_without_tariffs_keeps_its_prices() {
        let (_directory, store, id, mut trip) = stored(&simple("0.55", "0", "0"));
        store.remove_tariff(1).unwrap();
        let before = trip.clone();
        let tariffs = TripTariffs::new(&store, id, jiff::civil::date(2026, 5, 4), 480.0).unwrap();
        tariffs.apply(&mut trip);
        assert!(trip.sites.iter().zip(&before.sites).all(|(now, then): (&Site, &Site)| now.price == then.price));
        let planner = Planner::new(&trip).unwrap();
        let receipts = tariffs.receipts(&trip, &planner.best().plan);
        assert!(receipts.iter().all(Option::is_none));
        assert!((cost(&planner.best().plan, &receipts) - planner.best().plan.cost).abs() < 1e-9);
    }
}
