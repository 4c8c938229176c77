//! What was paid on trips against what tariffs ask, and whether memberships pay, in words.

use spare_hour_planning::receipts_paid::{MembershipUse, PaidCharge};

/// A charge of a trip.
pub(super) struct PaidRow {
    pub(super) day: String,
    pub(super) session: (i32, String),
    pub(super) site: String,
    pub(super) kwh: String,
    pub(super) asked: String,
    pub(super) paid: String,
    pub(super) more: String,
}

impl PaidRow {
    pub(super) fn new(charge: &PaidCharge) -> Self {
        let money = |amount: Option<f64>| amount.map_or_else(|| "unknown".into(), |amount| format!("{amount:.2}"));
        let members = charge.as_member.iter().map(|(name, asked)| format!("; {asked:.2} with {name}"));
        Self {
            day: charge.day.to_string(),
            session: charge.session.clone(),
            site: charge.site.clone(),
            kwh: format!("{:.1}", charge.plug.get()),
            asked: format!("{}{}", money(charge.asked), members.collect::<String>()),
            paid: money(charge.paid),
            more: charge.more_paid().map_or_else(|| "–".into(), signed),
        }
    }
}

/// Money with its sign: `+0.35`, `−1.20`, `±0.00`.
fn signed(more: f64) -> String {
    let sign = match more {
        more if more.abs() < 0.005 => "±",
        more if more < 0.0 => "−",
        _ => "+",
    };
    format!("{sign}{:.2}", more.abs())
}

/// Whether a membership pays.
pub(super) fn membership(used: &MembershipUse, currency: &str) -> String {
    let MembershipUse { name, charges, saves, fees } = used;
    if *charges == 0 {
        return format!(
            "{name}: no charge on a trip of the last twelve months was at a site that knows it; its fees are {fees:.2} {currency}."
        );
    }
    let pays = match saves - fees {
        more if more > 0.0 => format!("it pays, by {more:.2} {currency}"),
        more => format!("it does not pay: {:.2} {currency} too little", -more),
    };
    let counted = if *charges == 1 { "1 charge".to_string() } else { format!("{charges} charges") };
    format!(
        "{name}: on {counted} of the last twelve months it saves {saves:.2} for {fees:.2} {currency} of fees; {pays}."
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_membership_pays_where_it_saves_more_than_its_fees() {
        let used = |charges, saves| MembershipUse { name: "Club".into(), charges, saves, fees: 48.0 };
        assert_eq!(
            membership(&used(9, 60.5), "cr"),
            "Club: on 9 charges of the last twelve months it saves 60.50 for 48.00 cr of fees; it pays, by 12.50 cr."
        );
        assert!(membership(&used(1, 6.0), "cr").ends_with("it does not pay: 42.00 cr too little."));
        assert!(membership(&used(0, 0.0), "cr").ends_with("its fees are 48.00 cr."));
        assert_eq!([0.35, -1.2, 0.001].map(signed), ["+0.35", "−1.20", "±0.00"]);
    }
}
