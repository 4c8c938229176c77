//! Whether a tariff can be: its prices within bounds, its elements few enough. Fields are named as OCPI 2.2.1 names them.

use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::tariff::{Component, Element, MOST_ELEMENTS, Restrictions, Tariff};
use crate::quantity::{Current, Energy, Minutes, Power};
use crate::refused::{Bounds, Fault, Refused};

/// The most that a price may be: for a kWh, an hour, a charge; or VAT in %.
pub const MOST_PRICE: u32 = 1_000_000;
/// A price.
const PRICE: Bounds = Bounds::new(0.0, MOST_PRICE as f64, "");
/// Energy of a charge that a restriction names.
pub const ENERGY: Bounds = Bounds::new(0.0, 100_000.0, "kWh");
/// Power that a restriction names.
pub const POWER: Bounds = Bounds::new(0.0, 10_000.0, "kW");
/// Current that a restriction names.
pub const CURRENT: Bounds = Bounds::new(0.0, 10_000.0, "A");
/// Length of a charge that a restriction names.
pub const DURATION: Bounds = Bounds::new(0.0, 100_000.0, "minutes");

impl Tariff {
    /// Whether every number is one that can be: the first field that is not.
    ///
    /// # Errors
    /// The field with its value and bounds.
    pub fn check(&self) -> Result<(), Refused> {
        let found = self.elements.len();
        if found == 0 || found > MOST_ELEMENTS {
            let count = Fault::Count { found, least: 1, most: MOST_ELEMENTS, what: "elements" };
            return Err(Refused::new("elements", count));
        }
        if self.currency.trim().is_empty() {
            return Err(Refused::new("currency", Fault::Empty { expected: "a currency such as EUR" }));
        }
        price("min_price.excl_vat", self.least)?;
        price("max_price.excl_vat", self.most)?;
        self.elements.iter().enumerate().try_for_each(|(index, element)| element.check(&format!("elements[{index}]")))
    }
}

impl Element {
    fn check(&self, place: &str) -> Result<(), Refused> {
        for (index, component) in self.components.iter().enumerate() {
            let Component { price: asked, vat, .. } = component;
            price(&format!("{place}.price_components[{index}].price"), Some(*asked))?;
            price(&format!("{place}.price_components[{index}].vat"), *vat)?;
        }
        self.restrictions.check(&format!("{place}.restrictions"))
    }
}

impl Restrictions {
    fn check(&self, place: &str) -> Result<(), Refused> {
        let numbers = [
            ("min_kwh", ENERGY, self.least_energy.map(Energy::get)),
            ("max_kwh", ENERGY, self.most_energy.map(Energy::get)),
            ("min_power", POWER, self.least_power.map(Power::get)),
            ("max_power", POWER, self.most_power.map(Power::get)),
            ("min_current", CURRENT, self.least_current.map(Current::get)),
            ("max_current", CURRENT, self.most_current.map(Current::get)),
            ("min_duration", DURATION, self.least_duration.map(Minutes::get)),
            ("max_duration", DURATION, self.most_duration.map(Minutes::get)),
            ("min_parking_duration", DURATION, self.least_parking.map(Minutes::get)),
        ];
        numbers.into_iter().try_for_each(|(name, bounds, number)| {
            number.map_or(Ok(()), |number| bounds.check(&format!("{place}.{name}"), number))
        })
    }
}

fn price(field: &str, price: Option<Decimal>) -> Result<(), Refused> {
    price.map_or(Ok(()), |price| PRICE.check(field, price.to_f64().unwrap_or(f64::NAN)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_field_that_cannot_be_is_named() {
        let tariff = Tariff::simple("t", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        assert_eq!(tariff.check(), Ok(()));
        let refused = |change: &dyn Fn(&mut Tariff)| {
            let mut changed = tariff.clone();
            change(&mut changed);
            changed.check().unwrap_err().field
        };
        assert_eq!(refused(&|tariff| tariff.elements.clear()), "elements");
        assert_eq!(refused(&|tariff| tariff.currency = String::new()), "currency");
        assert_eq!(refused(&|tariff| tariff.most = Some(Decimal::NEGATIVE_ONE)), "max_price.excl_vat");
        let dear = |tariff: &mut Tariff| tariff.elements[0].components[0].price = Decimal::from(MOST_PRICE + 1);
        assert_eq!(refused(&dear), "elements[0].price_components[0].price");
        let endless = |tariff: &mut Tariff| {
            tariff.elements[0].restrictions.least_duration = Some(Minutes::new(f64::INFINITY));
        };
        assert_eq!(refused(&endless), "elements[0].restrictions.min_duration");
    }
}
