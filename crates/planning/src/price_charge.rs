//! What a measured charge would have cost under each kept tariff and membership, against what was paid.

use jiff::civil::{Date, DateTime, Time};
use jiff::{ToSpan, ZonedDateTime};
use rust_decimal::prelude::ToPrimitive;
use spare_hour_core::money::measured_periods::measured_periods;
use spare_hour_core::money::receipt::{Period, Receipt, receipt};
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::{Distance, Energy, Minutes, SocSpan};
use spare_hour_core::session::analysis::Analysis;
use spare_hour_store::Store;

use crate::PlanningError;
use crate::clock::Here;
use crate::read_charge::ReadCharge;
use crate::tariffs;

/// What is asked of the stop beside what was measured.
#[derive(Clone, Copy, Debug, Default)]
pub struct AskedStop {
    /// When it began, where it was typed.
    pub began: Option<DateTime>,
    /// How long the car stood there after charging.
    pub parked: Minutes,
}

/// What a charge costs under one tariff, by itself or with a membership.
#[derive(Clone, Debug)]
pub struct ChargePrice {
    /// Number of the tariff.
    pub tariff: i32,
    /// The tariff as it was applied.
    pub applied: Tariff,
    /// Name of the membership, where one is held.
    pub membership: Option<String>,
    /// Its receipt.
    pub receipt: Receipt,
}

/// What a charge cost and would have cost.
#[derive(Clone, Debug)]
pub struct PricedCharge {
    /// When it began, as receipts have it.
    pub began: ZonedDateTime,
    /// Whether that was noted or typed; else it is taken for noon.
    pub began_is_known: bool,
    /// What left the plug.
    pub plug: Energy,
    /// What was paid.
    pub paid: Option<f64>,
    /// How far the charge goes, where a range is known.
    pub added: Option<Distance>,
    /// Each kept tariff, cheapest first.
    pub prices: Vec<ChargePrice>,
}

impl ChargePrice {
    /// With VAT.
    pub fn total(&self) -> f64 {
        self.receipt.total_with_vat.to_f64().unwrap_or_default()
    }
}

impl PricedCharge {
    /// Prices a charge; `None` where nothing tells what left the plug.
    ///
    /// # Errors
    /// When a tariff or membership cannot be read, or the store refuses.
    pub fn new(
        store: &Store,
        charge: &ReadCharge,
        analysis: &Analysis,
        asked: AskedStop,
        here: &Here,
    ) -> Result<Option<Self>, PlanningError> {
        let Some(mut periods) = measured_periods(analysis) else { return Ok(None) };
        let plug = periods.iter().map(|period| period.energy.get()).sum();
        periods.push(Period { time: asked.parked, energy: Energy::kwh(0.0), current: None, parking: true });
        let noted = noted(charge);
        let began = asked.began.or(noted).unwrap_or_else(|| day(charge, here).at(12, 0, 0, 0));
        let Ok(began_at) = began.to_zoned_datetime(here.zone().clone()) else { return Ok(None) };
        let points = analysis.timeline.end_soc() - analysis.timeline.start_soc();
        Ok(Some(Self {
            prices: prices(store, &began_at, &periods)?,
            began: began_at,
            began_is_known: asked.began.or(noted).is_some(),
            plug: Energy::kwh(plug),
            paid: charge.session().conditions.paid,
            added: analysis.basis().range.map(|range| range * (SocSpan::get(points) / 100.0)),
        }))
    }

    /// What so much money is for 100 km of what the charge brings.
    pub fn per_100_km(&self, cost: f64) -> Option<f64> {
        self.added.filter(|added| added.get() > 0.0).map(|added| 100.0 * cost / added.get())
    }
}

/// When a charge began, where day and time were noted.
fn noted(charge: &ReadCharge) -> Option<DateTime> {
    let conditions = &charge.session().conditions;
    let day: Date = conditions.day.as_deref()?.parse().ok()?;
    let minutes = conditions.began?.get().round() as i64;
    day.to_datetime(Time::midnight()).checked_add(minutes.minutes()).ok()
}

/// The day of a charge: as noted, else when it was kept.
fn day(charge: &ReadCharge, here: &Here) -> Date {
    let noted = charge.session().conditions.day.as_deref();
    let kept = charge.stored.created_at.get(..10);
    let parse = |text: &str| text.parse().ok();
    noted.and_then(parse).or(kept.and_then(parse)).unwrap_or_else(|| here.today())
}

fn prices(store: &Store, began: &ZonedDateTime, periods: &[Period]) -> Result<Vec<ChargePrice>, PlanningError> {
    let mut prices = Vec::new();
    for stored in store.tariffs()? {
        let usual = tariffs::read(&stored)?;
        let price = |applied: Tariff, membership: Option<String>| {
            let receipt = receipt(&applied, began, periods);
            ChargePrice { tariff: stored.id, applied, membership, receipt }
        };
        for (_, membership) in tariffs::memberships(store, stored.id)? {
            prices.push(price(membership.tariff(&usual), Some(membership.name)));
        }
        prices.push(price(usual, None));
    }
    prices.sort_by_key(|price| price.receipt.total_with_vat);
    Ok(prices)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::StoppedClock;
    use rust_decimal::Decimal;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::money::tariff::Restrictions;
    use spare_hour_formats::{read_session, write_tariff};
    use spare_hour_store::{NewSession, NewTariff, StoredMembership};

    fn decimal(text: &str) -> Decimal {
        text.parse().unwrap()
    }

    /// A charge of 40 kWh in half an hour from half past nine in the evening on, with a tariff that asks 0.80, from ten on
    /// 0.40, and a membership.
    fn stored(begins: &str) -> (tempfile::TempDir, Store, i32) {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let mut car = KnownCar::new("Tern", Energy::kwh(60.0), 10.0);
        car.distances.rated = Some(Distance::km(400.0));
        let car = store.add_car(&car).unwrap();
        let readings: String = (0..=10).map(|step| format!("{}:00 {} 80\n", 3 * step, 20 + 6 * step)).collect();
        let text = format!("{begins}# times: minutes and seconds\n{readings}");
        let session = read_session(&text).unwrap();
        let new = NewSession { car: Some(car), name: "s".into(), source_name: "s".into(), source_text: text, session };
        let id = store.add_session(&new).unwrap();
        let mut tariff = Tariff::simple("Night", "cr", decimal("0.80"), Decimal::ZERO, Decimal::ZERO);
        let mut night = Tariff::simple("Night", "cr", decimal("0.40"), Decimal::ZERO, Decimal::ZERO).elements;
        night[0].restrictions =
            Restrictions { from_time: Some(Time::constant(22, 0, 0, 0)), ..Restrictions::default() };
        tariff.elements.splice(0..0, night);
        let kept = NewTariff { name: "Night".into(), currency: "cr".into(), ocpi: write_tariff(&tariff, "t") };
        let tariff = store.add_tariff(&kept).unwrap();
        let club = StoredMembership {
            id: 0,
            name: "Club".into(),
            monthly_fee: "4".into(),
            percent_off: Some("25".into()),
            own_tariff: None,
        };
        store.add_membership(tariff, &club).unwrap();
        (directory, store, id)
    }

    fn priced(begins: &str, asked: AskedStop) -> PricedCharge {
        let (_directory, store, id) = stored(begins);
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        let charge = ReadCharge::new(&store, id).unwrap();
        let report = charge.report(&crate::read_charge::Reports::default(), None).unwrap();
        PricedCharge::new(&store, &charge, &report.analysis, asked, &here).unwrap().unwrap()
    }

    #[test]
    fn the_hour_that_was_noted_counts_and_the_difference_is_by_hand() {
        let priced = priced("# date: 2026-11-20\n# began: 21:45\n# paid: 30\n", AskedStop::default());
        // A quarter of an hour at 0.80, a quarter at 0.40, 20 kWh each: 24.00; a member pays three quarters, 18.00.
        assert!(priced.began_is_known && (priced.plug.get() - 40.0).abs() < 1e-9);
        let totals: Vec<(Option<&str>, f64)> =
            priced.prices.iter().map(|price| (price.membership.as_deref(), price.total())).collect();
        assert_eq!(totals, [(Some("Club"), 18.0), (None, 24.0)]);
        // 60 points of 400 km are 240 km: 30 paid are 12.50 for 100.
        assert!((priced.per_100_km(priced.paid.unwrap()).unwrap() - 12.5).abs() < 1e-9);
    }

    #[test]
    fn without_an_hour_noon_is_taken_and_a_typed_hour_counts() {
        let noon = priced("# date: 2026-11-20\n", AskedStop::default());
        assert!(!noon.began_is_known && (noon.prices[1].total() - 32.0).abs() < 1e-9);
        let typed = AskedStop { began: Some(jiff::civil::date(2026, 11, 20).at(23, 0, 0, 0)), ..AskedStop::default() };
        assert!((priced("", typed).prices[1].total() - 16.0).abs() < 1e-9);
    }
}
