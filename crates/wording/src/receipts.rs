//! Receipts, line by line.

use rust_decimal::Decimal;
use spare_hour_core::money::receipt::{Line, Receipt};
use spare_hour_core::money::tariff::{Kind, Tariff};

/// A receipt in words.
pub struct ReceiptWords {
    /// Its lines.
    pub lines: Vec<ReceiptLine>,
    /// What a least or most price adds or takes, where it does.
    pub adjustment: Option<String>,
    /// Sum with VAT.
    pub total: String,
    /// The same without the currency.
    pub bare_total: String,
    /// The sum without VAT, where it differs.
    pub without_vat: Option<String>,
}

/// A line of it.
pub struct ReceiptLine {
    /// What for.
    pub what: &'static str,
    /// How much of it.
    pub volume: String,
    /// Price of one.
    pub price: String,
    /// What it comes to, with VAT.
    pub amount: String,
}

impl ReceiptWords {
    /// The words of a receipt under a tariff.
    pub fn new(receipt: &Receipt, tariff: &Tariff) -> Self {
        let money = |amount: Decimal| format!("{amount:.2} {}", tariff.currency);
        let with_vat = receipt.total_with_vat != receipt.total;
        Self {
            lines: receipt.lines.iter().map(|line| receipt_line(line, &money)).collect(),
            adjustment: (!receipt.adjustment.is_zero()).then(|| money(receipt.adjustment)),
            total: money(receipt.total_with_vat),
            bare_total: format!("{:.2}", receipt.total_with_vat),
            without_vat: with_vat.then(|| money(receipt.total)),
        }
    }
}

/// What a membership would save on a trip.
pub fn saving(name: &str, monthly_fee: Decimal, saved: Decimal, currency: &str) -> String {
    if saved > Decimal::ZERO {
        format!("{name} would save {saved:.2} {currency} on this trip, for {monthly_fee:.2} a month.")
    } else {
        format!("{name} would save nothing on this trip.")
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

/// Minutes of some hours; whole ones without a decimal.
fn minutes(hours: Decimal) -> String {
    let minutes = (hours * Decimal::from(60)).round_dp(1).normalize();
    format!("{minutes} min")
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
        let view = ReceiptWords::new(&receipt, &tariff);
        let told: Vec<[&str; 4]> =
            view.lines.iter().map(|line| [line.what, &line.volume, &line.price, &line.amount]).collect();
        assert_eq!(told[0], ["Energy", "10.500 kWh", "0.4 a kWh + 20 % VAT", "5.04 cr"]);
        assert_eq!(told[1], ["Standing after the end", "45 min", "4 an hour + 20 % VAT", "3.60 cr"]);
        assert_eq!((view.total.as_str(), view.without_vat.as_deref()), ("8.64 cr", Some("7.20 cr")));
        assert!(view.adjustment.is_none());
    }
}
