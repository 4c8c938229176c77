//! A receipt as pages show it.

use rust_decimal::Decimal;
use spare_hour_core::money::receipt::{Line, Receipt};
use spare_hour_core::money::tariff::{Kind, Tariff};

/// A receipt in words.
pub(crate) struct ReceiptView {
    pub(crate) lines: Vec<ReceiptLine>,
    /// What a least or most price adds or takes, where it does.
    pub(crate) adjustment: Option<String>,
    pub(crate) total: String,
    /// The sum without VAT, where it differs.
    pub(crate) without_vat: Option<String>,
}

/// A line of it.
pub(crate) struct ReceiptLine {
    pub(crate) what: &'static str,
    pub(crate) volume: String,
    pub(crate) price: String,
    pub(crate) amount: String,
}

impl ReceiptView {
    pub(crate) fn new(receipt: &Receipt, tariff: &Tariff) -> Self {
        let money = |amount: Decimal| format!("{amount:.2} {}", tariff.currency);
        let with_vat = receipt.total_with_vat != receipt.total;
        Self {
            lines: receipt.lines.iter().map(|line| receipt_line(line, &money)).collect(),
            adjustment: (!receipt.adjustment.is_zero()).then(|| money(receipt.adjustment)),
            total: money(receipt.total_with_vat),
            without_vat: with_vat.then(|| money(receipt.total)),
        }
    }
}

fn receipt_line(line: &Line, money: &impl Fn(Decimal) -> String) -> ReceiptLine {
    let (what, volume) = match line.kind {
        Kind::Flat => ("Start", String::new()),
        Kind::Energy => ("Energy", format!("{:.3} kWh", line.volume)),
        Kind::Time => ("Time", minutes(line.volume)),
        Kind::Parking => ("Standing after the end", minutes(line.volume)),
    };
    let each = match line.kind {
        Kind::Flat => line.price.normalize().to_string(),
        Kind::Energy => format!("{} a kWh", line.price.normalize()),
        Kind::Time | Kind::Parking => format!("{} an hour", line.price.normalize()),
    };
    let vat =
        line.vat.filter(|vat| !vat.is_zero()).map(|vat| format!(" + {} % VAT", vat.normalize())).unwrap_or_default();
    ReceiptLine { what, volume, price: format!("{each}{vat}"), amount: money(line.with_vat) }
}

fn minutes(hours: Decimal) -> String {
    format!("{:.1} min", hours * Decimal::from(60))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_say_how_much_of_what_at_which_price() {
        let line = |kind, volume: &str, price: &str, amount: &str| Line {
            kind,
            element: 0,
            volume: volume.parse().unwrap(),
            price: price.parse().unwrap(),
            vat: Some("20".parse().unwrap()),
            amount: amount.parse().unwrap(),
            with_vat: amount.parse::<Decimal>().unwrap() * Decimal::new(12, 1),
        };
        let receipt = Receipt {
            lines: vec![line(Kind::Energy, "10.5", "0.400", "4.20"), line(Kind::Parking, "0.75", "4.00", "3.00")],
            adjustment: Decimal::ZERO,
            total: "7.20".parse().unwrap(),
            total_with_vat: "8.64".parse().unwrap(),
        };
        let tariff = Tariff::simple("t", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        let view = ReceiptView::new(&receipt, &tariff);
        let told: Vec<[&str; 4]> =
            view.lines.iter().map(|line| [line.what, &line.volume, &line.price, &line.amount]).collect();
        assert_eq!(told[0], ["Energy", "10.500 kWh", "0.4 a kWh + 20 % VAT", "5.04 cr"]);
        assert_eq!(told[1], ["Standing after the end", "45.0 min", "4 an hour + 20 % VAT", "3.60 cr"]);
        assert_eq!((view.total.as_str(), view.without_vat.as_deref()), ("8.64 cr", Some("7.20 cr")));
        assert!(view.adjustment.is_none());
    }
}
