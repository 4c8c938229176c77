//! What stops cost: the price that the planner is told of a site, and the receipts of the stops that it chose.
//!
//! The exact solver weighs one price for each site: what its tariff asks when a drive without stops would pass it, by the
//! minutes of the road. The receipts of the chosen stops are exact: by the hour, power and minutes of each.

use std::collections::{BTreeMap, HashMap};

use jiff::ZonedDateTime;
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::membership::Membership;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::stop_periods::stop_periods;
use spare_hour_core::money::tariff::{Kind, Moment, Restrictions, Tariff};
use spare_hour_core::quantity::{Energy, Minutes, Power, Soc};
use spare_hour_core::trip::{Price, Site, SiteIndex, Trip, TripDraft};
use spare_hour_planner::trade::ClockPlan;
use spare_hour_planner::{Plan, Stop};
use spare_hour_store::Store;

use crate::PlanningError;
use crate::clock::after;
use crate::tariffs;

/// What is kept of the prices of a trip's sites. A trip of a file has none: there the sites' own prices count.
#[derive(Clone, Debug, Default)]
pub struct Prices {
    by_site: HashMap<String, Tariff>,
    /// Memberships, each with the sites whose prices it changes.
    memberships: Vec<(Membership, Vec<String>)>,
}

/// What a membership would save on a plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Saving {
    /// The membership's name.
    pub name: String,
    /// What it costs a month.
    pub monthly_fee: Decimal,
    /// What it would save; 0 or less is nothing.
    pub saved: Decimal,
    /// In which currency.
    pub currency: String,
}

impl Prices {
    /// The tariffs that a kept trip's sites ask.
    ///
    /// # Errors
    /// When a tariff or membership cannot be read, or the store refuses.
    pub fn of_trip(store: &Store, trip: i32) -> Result<Self, PlanningError> {
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
        Ok(Self { by_site, memberships })
    }

    /// The tariffs that a file's sites ask.
    pub fn of_file(tariffs: Vec<(String, Tariff)>) -> Self {
        Self { by_site: tariffs.into_iter().collect(), memberships: Vec::new() }
    }

    /// The same with other tariffs of its sites.
    #[must_use]
    pub fn with(self, tariffs: Vec<(String, Tariff)>) -> Self {
        Self { by_site: tariffs.into_iter().collect(), ..self }
    }

    /// Whether it is known of any site of a trip that it asks money.
    pub fn ask_money(&self, trip: &Trip) -> bool {
        trip.sites.iter().any(|site| self.by_site.contains_key(&site.id) || site.price != Price::default())
    }

    /// The tariff that a site asks.
    pub fn of_site(&self, site: &str) -> Option<&Tariff> {
        self.by_site.get(site)
    }

    /// The tariffs by site, as a file holds them; sites in the trip's order.
    pub fn for_file(&self, trip: &Trip) -> Vec<(String, Tariff)> {
        let asked = |site: &Site| Some((site.id.clone(), self.by_site.get(&site.id)?.clone()));
        trip.sites.iter().filter_map(asked).collect()
    }

    /// The tariffs by site as somebody pays who holds the named memberships; of several the one that asks least for a kWh.
    pub fn for_member(&self, trip: &Trip, members: &[String]) -> Vec<(String, Tariff)> {
        let mut asked = self.for_file(trip);
        for (site, tariff) in &mut asked {
            let holds = |(membership, sites): &&(Membership, Vec<String>)| {
                members.contains(&membership.name) && sites.contains(site)
            };
            let held = self.memberships.iter().filter(holds).map(|(membership, _)| membership.tariff(tariff));
            if let Some(best) = held.min_by_key(dearest_kwh) {
                *tariff = best;
            }
        }
        asked
    }

    /// The memberships that any of the trip's sites know: name and monthly fee.
    pub fn memberships(&self) -> impl Iterator<Item = &Membership> {
        self.memberships.iter().map(|(membership, _)| membership)
    }

    /// Tells a draft what its sites ask about when they are passed by a trip that begins at `departure`.
    pub fn apply(&self, draft: &mut TripDraft, departure: &ZonedDateTime) {
        let TripDraft { sites, route, .. } = draft;
        for site in sites {
            if let Some(tariff) = self.by_site.get(&site.id) {
                let passed = route.between(route.start(), site.at).time;
                site.price = price(tariff, site, departure, passed);
            }
        }
    }

    /// Whether some site's price changes with the hour, the power or the length of a stop, so that one price stands for many.
    pub fn one_for_many(&self, trip: &Trip) -> bool {
        trip.sites.iter().filter_map(|site| self.by_site.get(&site.id)).any(|tariff| !is_flat(tariff))
    }

    /// The receipt of each stop of a plan whose site asks a tariff, with that tariff. `begins` is when the trip does.
    pub fn receipts<'t>(
        &'t self,
        trip: &Trip,
        plan: &Plan,
        begins: &ZonedDateTime,
    ) -> Vec<Option<(&'t Tariff, Receipt)>> {
        let of_stop = |stop: &Stop, began: Option<ZonedDateTime>| {
            let tariff = self.by_site.get(&trip.site(stop.site).id)?;
            Some((tariff, receipt(tariff, &began?, &periods(trip, (stop.site, stop.arrive, stop.depart)))))
        };
        plan.stops.iter().zip(charging_begins(plan, begins)).map(|(stop, began)| of_stop(stop, began)).collect()
    }

    /// What a plan costs: by receipts where there are such, by the sites' own prices at the other stops.
    pub fn cost(&self, trip: &Trip, plan: &Plan, begins: &ZonedDateTime) -> f64 {
        let cost = |(stop, receipt): (&Stop, Option<(&Tariff, Receipt)>)| {
            receipt.and_then(|(_, receipt)| receipt.total_with_vat.to_f64()).unwrap_or(stop.cost)
        };
        plan.stops.iter().zip(self.receipts(trip, plan, begins)).map(cost).sum()
    }

    /// What each membership would save on a plan; those that none of its stops asks are not among them.
    pub fn savings(&self, trip: &Trip, plan: &ClockPlan, begins: &ZonedDateTime) -> Vec<Saving> {
        let saving = |(membership, sites): &(Membership, Vec<String>)| {
            let (mut saved, mut currency) = (Decimal::ZERO, None);
            for stop in &plan.stops {
                let (site, began) = (&trip.site(stop.site).id, after(begins, stop.begins().get()));
                let Some((tariff, began)) = self.by_site.get(site).zip(began).filter(|_| sites.contains(site)) else {
                    continue;
                };
                let periods = periods(trip, (stop.site, stop.arrive, stop.depart));
                let paid = |tariff: &Tariff| receipt(tariff, &began, &periods).total_with_vat;
                saved += paid(tariff) - paid(&membership.tariff(tariff));
                currency = Some(tariff.currency.clone());
            }
            let Membership { name, monthly_fee, .. } = membership;
            currency.map(|currency| Saving { name: name.clone(), monthly_fee: *monthly_fee, saved, currency })
        };
        self.memberships.iter().filter_map(saving).collect()
    }
}

/// The most that a kWh may ask under a tariff, without VAT.
fn dearest_kwh(tariff: &Tariff) -> Decimal {
    let components = tariff.elements.iter().flat_map(|element| &element.components);
    components
        .filter(|component| component.kind == Kind::Energy)
        .map(|component| component.price)
        .max()
        .unwrap_or_default()
}

/// Whether a tariff asks the same whatever the hour, power, energy and length of a charge, without blocks or bounds.
fn is_flat(tariff: &Tariff) -> bool {
    let plain = |element: &spare_hour_core::money::tariff::Element| {
        element.restrictions == Restrictions::default()
            && element.components.iter().all(|component| component.step <= 1)
    };
    tariff.least.is_none() && tariff.most.is_none() && tariff.elements.iter().all(plain)
}

/// One price for the planner, with VAT: what counts a minute into a charge at the site's power.
fn price(tariff: &Tariff, site: &Site, departure: &ZonedDateTime, passed: Minutes) -> Price {
    let Some(at) = after(departure, passed.get()) else {
        return site.price;
    };
    let moment = Moment {
        date: at.date(),
        time: at.time(),
        energy: Energy::kwh(1.0),
        power: Power::kw(site.max_power.get().min(100.0)),
        current: None,
        duration: Minutes::new(12.0),
        parked: Minutes::new(0.0),
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

/// When each stop of a plan begins to charge. Fixed minutes are before it: way to the plug, handshake.
fn charging_begins(plan: &Plan, begins: &ZonedDateTime) -> Vec<Option<ZonedDateTime>> {
    let mut minute = 0.0;
    let begins = |stop: &Stop| {
        minute += stop.drive.get() + stop.overhead.get();
        let began = after(begins, minute);
        minute += stop.charge.get();
        began
    };
    plan.stops.iter().map(begins).collect()
}

fn periods(trip: &Trip, (site, arrive, depart): (SiteIndex, Soc, Soc)) -> Vec<Period> {
    stop_periods(&trip.vehicle, trip.site(site), arrive, depart)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::driving::route::{Route, Segment};
    use spare_hour_core::quantity::{Consumption, Distance, Speed};
    use spare_hour_formats::{read_trip, write_tariff};
    use spare_hour_planner::Planner;
    use spare_hour_store::NewTariff;

    const EXAMPLE: &[u8] = include_bytes!("../../../docs/formats/trip.example.json");

    fn eight() -> ZonedDateTime {
        jiff::civil::date(2026, 5, 4).at(8, 0, 0, 0).to_zoned_datetime(jiff::tz::TimeZone::UTC).unwrap()
    }

    /// The trip with what its sites ask about.
    fn told(prices: &Prices, trip: &Trip) -> Trip {
        let mut draft = trip.clone().into_draft();
        prices.apply(&mut draft, &eight());
        Trip::new(draft).unwrap()
    }

    /// The example trip in a store, its first site asking a tariff.
    fn stored(tariff: &Tariff) -> (tempfile::TempDir, Store, i32, Trip) {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let trip = read_trip(EXAMPLE).unwrap();
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
        let (_directory, store, id, trip) = stored(&simple("0.55", "0.10", "1.5"));
        let prices = Prices::of_trip(&store, id).unwrap();
        let trip = told(&prices, &trip);
        assert!(!prices.one_for_many(&trip));
        let Price { per_kwh, per_min, per_session } = trip.sites[0].price;
        assert!((per_kwh - 0.55).abs() < 1e-9 && (per_min - 0.10).abs() < 1e-9 && (per_session - 1.5).abs() < 1e-9);
        let planner = Planner::new(trip.clone()).unwrap();
        let plan = &planner.best().plan;
        let receipts = prices.receipts(&trip, plan, &eight());
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
        let saving = Prices::of_trip(&store, id).unwrap().savings(&trip, &plan.into(), &eight()).remove(0);
        let saved = saving.saved.to_f64().unwrap();
        assert!(saving.name == "Club" && (saved - plan.cost / 4.0).abs() < 0.05, "{saving:?} of {}", plan.cost);
        // Three lines to a stop, each rounded to the cent.
        let exact = prices.cost(&trip, plan, &eight());
        assert!((exact - plan.cost).abs() < 0.016 * receipts.len() as f64, "{exact} for {}", plan.cost);
    }

    #[test]
    fn the_hour_of_a_price_comes_from_the_minutes_of_the_road() {
        let mut night = simple("0.80", "0", "0");
        night.elements[0].restrictions.to_time = Some(jiff::civil::time(9, 0, 0, 0));
        let mut day = simple("0.40", "0", "0").elements;
        night.elements.append(&mut day);
        let (_directory, store, id, trip) = stored(&night);
        let prices = Prices::of_trip(&store, id).unwrap();
        // By hand: 50 km at 30 km/h are 100 minutes, so a site behind them is passed after nine, at the price of the day; by
        // the road's mean pace it would be passed before.
        let mut draft = trip.into_draft();
        let segment = |km: f64, kmh: f64| Segment {
            length: Distance::km(km),
            speed: Speed::kmh(kmh),
            consumption: Consumption::kwh_per_100km(18.0),
        };
        draft.route = Route::new(vec![segment(50.0, 30.0), segment(400.0, 120.0)]);
        draft.sites.truncate(1);
        draft.sites[0].at = Distance::km(50.0);
        prices.apply(&mut draft, &eight());
        assert!((draft.sites[0].price.per_kwh - 0.40).abs() < 1e-9);
        assert!(prices.one_for_many(&Trip::new(draft).unwrap()));
    }

    #[test]
    fn a_trip_without_tariffs_keeps_its_prices() {
        let (_directory, store, id, before) = stored(&simple("0.55", "0", "0"));
        store.remove_tariff(1).unwrap();
        let prices = Prices::of_trip(&store, id).unwrap();
        let trip = told(&prices, &before);
        assert!(trip.sites.iter().zip(&before.sites).all(|(now, then)| now.price == then.price));
        let planner = Planner::new(trip.clone()).unwrap();
        let plan = &planner.best().plan;
        assert!(prices.receipts(&trip, plan, &eight()).iter().all(Option::is_none));
        assert!((prices.cost(&trip, plan, &eight()) - plan.cost).abs() < 1e-9);
    }
}
