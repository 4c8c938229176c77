//! A receipt as pages show it.

use rust_decimal::Decimal;
use spare_hour_core::receipt::{Line, Receipt};
use spare_hour_core::tariff::{Kind, Tariff};

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
