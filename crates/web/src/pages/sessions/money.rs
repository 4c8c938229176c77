//! What a charge cost and would have cost, as its page shows it.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Minutes};
use spare_hour_core::session::analysis::Analysis;
use spare_hour_planning::clock::Here;
use spare_hour_planning::price_charge::{AskedStop, ChargePrice, PricedCharge};
use spare_hour_store::Store;
use spare_hour_wording::receipts::ReceiptWords;

use super::loaded::Loaded;
use crate::forms::field::Field;
use crate::http::error::WebError;

/// What a charge cost and would have cost.
pub(crate) struct MoneyView {
    pub(crate) began: Field,
    pub(crate) parked: Field,
    /// Whether the hour was noted or typed.
    pub(crate) began_is_known: bool,
    /// What was paid, with what that is for 100 km or miles.
    pub(crate) paid: Option<String>,
    pub(crate) rows: Vec<PriceRow>,
    /// Such as “100 km”.
    pub(crate) per: String,
}

/// A tariff, by itself or with a membership.
pub(crate) struct PriceRow {
    pub(crate) tariff: i32,
    pub(crate) name: String,
    pub(crate) total: String,
    /// Against what was paid.
    pub(crate) difference: String,
    pub(crate) per: String,
    pub(crate) receipt: ReceiptWords,
}

impl MoneyView {
    /// The view; `None` where nothing tells what left the plug, or there is neither a tariff nor anything paid.
    pub(super) fn new(
        store: &Store,
        loaded: &Loaded,
        analysis: &Analysis,
        (began, parked): (Option<&str>, Option<&str>),
        here: &Here,
    ) -> Result<Option<Self>, WebError> {
        let mut began = Field::new(began.unwrap_or_default());
        let mut parked = Field::new(parked.unwrap_or("0"));
        let asked = AskedStop {
            began: began.optional("a day and time such as 2026-11-27T17:30", |text| text.parse().ok()),
            parked: Minutes::new(parked.number(0.0, 1440.0, "minutes").unwrap_or(0.0)),
        };
        let Some(priced) = PricedCharge::new(store, loaded, analysis, asked, here)? else { return Ok(None) };
        if priced.prices.is_empty() && priced.paid.is_none() {
            return Ok(None);
        }
        let currency = store.settings()?.currency;
        if began.text.is_empty() {
            began.text = priced.began.strftime("%Y-%m-%dT%H:%M").to_string();
        }
        let paid = priced.paid.map(|paid| match per(&priced, paid, loaded.units) {
            Some(each) => format!("{paid:.2} {currency}, {each:.2} for {}", per_name(loaded.units)),
            None => format!("{paid:.2} {currency}"),
        });
        let rows = priced.prices.iter().map(|price| row(&priced, price, loaded.units)).collect();
        let began_is_known = priced.began_is_known;
        Ok(Some(Self { began, parked, began_is_known, paid, rows, per: per_name(loaded.units) }))
    }
}

fn row(priced: &PricedCharge, price: &ChargePrice, units: Units) -> PriceRow {
    let total = price.total();
    let difference = priced.paid.map(|paid| match total - paid {
        less if less <= -0.005 => format!("{:.2} less than paid", -less),
        more if more >= 0.005 => format!("{more:.2} more than paid"),
        _ => "as paid".into(),
    });
    let name = match &price.membership {
        Some(membership) => format!("{} with {membership}", price.applied.name),
        None => price.applied.name.clone(),
    };
    PriceRow {
        tariff: price.tariff,
        name,
        total: format!("{total:.2} {}", price.applied.currency),
        difference: difference.unwrap_or_else(|| "–".into()),
        per: per(priced, total, units).map_or_else(|| "–".into(), |each| format!("{each:.2}")),
        receipt: ReceiptWords::new(&price.receipt, &price.applied),
    }
}

/// What money is for 100 of the person's units of distance.
fn per(priced: &PricedCharge, cost: f64, units: Units) -> Option<f64> {
    let hundred = units.distance.distance(100.0);
    priced.per_100_km(cost).map(|each| each * (hundred / Distance::km(100.0)))
}

fn per_name(units: Units) -> String {
    format!("100 {}", units.distance.name())
}
