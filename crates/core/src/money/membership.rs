//! Memberships: a monthly fee that buys lower prices, and from how much energy a month it pays.
//!
//! It pays from fee / (price − member's price) kWh a month on. Plain arithmetic.

use rust_decimal::Decimal;

use crate::money::tariff::{Component, Element, Kind, Tariff};

/// How a membership changes prices.
#[derive(Clone, Debug, PartialEq)]
pub enum Benefit {
    /// Prices of its own.
    Own(Tariff),
    /// So many percent off every price of the kinds that it names.
    PercentOff {
        /// How many percent.
        percent: Decimal,
        /// Of which kinds.
        kinds: Vec<Kind>,
    },
}

/// A membership.
#[derive(Clone, Debug, PartialEq)]
pub struct Membership {
    /// Name for people.
    pub name: String,
    /// What it costs a month, with VAT.
    pub monthly_fee: Decimal,
    /// What it buys.
    pub benefit: Benefit,
}

impl Membership {
    /// The tariff that a member pays.
    pub fn tariff(&self, usual: &Tariff) -> Tariff {
        match &self.benefit {
            Benefit::Own(tariff) => tariff.clone(),
            Benefit::PercentOff { percent, kinds } => {
                let share = Decimal::ONE - percent / Decimal::ONE_HUNDRED;
                let component = |component: &Component| {
                    let off = kinds.contains(&component.kind);
                    Component { price: if off { component.price * share } else { component.price }, ..*component }
                };
                let element = |element: &Element| Element {
                    components: element.components.iter().map(component).collect(),
                    restrictions: element.restrictions.clone(),
                };
                Tariff { elements: usual.elements.iter().map(element).collect(), ..usual.clone() }
            }
        }
    }

    /// From how many kWh a month it pays, when it saves so much on each; `None` when it saves nothing.
    pub fn pays_from(&self, saved_per_kwh: Decimal) -> Option<Decimal> {
        (saved_per_kwh > Decimal::ZERO).then(|| self.monthly_fee / saved_per_kwh)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pays_from_the_energy_that_saves_the_fee() {
        // Arithmetic: 4 a month against 0.13 a kWh pays from 31 kWh a month.
        let membership = Membership {
            name: "m".into(),
            monthly_fee: Decimal::from(4),
            benefit: Benefit::PercentOff { percent: Decimal::from(25), kinds: vec![Kind::Energy] },
        };
        assert_eq!(membership.pays_from(Decimal::new(13, 2)).unwrap().ceil(), Decimal::from(31));
        assert_eq!(membership.pays_from(Decimal::ZERO), None);
        let usual = Tariff::simple("t", "cr", Decimal::new(52, 2), Decimal::ZERO, Decimal::ONE);
        let prices: Vec<Decimal> = membership.tariff(&usual).elements[0]
            .components
            .iter()
            .map(|component| component.price.normalize())
            .collect();
        assert_eq!(prices, [Decimal::ONE, Decimal::new(39, 2)]);
        let own = Membership { benefit: Benefit::Own(usual.clone()), ..membership };
        assert_eq!(own.tariff(&Tariff { elements: Vec::new(), ..usual.clone() }), usual);
    }
}
