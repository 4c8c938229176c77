//! Tariffs and memberships as they are kept, read back. What cannot be read is said, never taken for nothing.

use rust_decimal::Decimal;
use spare_hour_core::money::membership::{Benefit, Membership};
use spare_hour_core::money::tariff::{Kind, Tariff};
use spare_hour_formats::read_tariffs;
use spare_hour_store::{Store, StoredMembership, StoredTariff};

use crate::PlanningError;

/// The tariff that is kept under a number.
///
/// # Errors
/// [`PlanningError::Unreadable`] when its text is no OCPI tariff.
pub fn read(stored: &StoredTariff) -> Result<Tariff, PlanningError> {
    let unreadable = |problem: String| PlanningError::Unreadable { what: "tariff", id: stored.id, problem };
    let tariffs = read_tariffs(stored.about.ocpi.as_bytes()).map_err(|error| unreadable(error.to_string()))?;
    tariffs.into_iter().next().ok_or_else(|| unreadable("it holds no tariff".into()))
}

/// The memberships of a tariff with their numbers.
///
/// # Errors
/// [`PlanningError::Unreadable`] when money or percent of one is no number; when the store refuses.
pub fn memberships(store: &Store, tariff: i32) -> Result<Vec<(i32, Membership)>, PlanningError> {
    store.memberships_of(tariff)?.into_iter().map(|kept| membership(store, kept)).collect()
}

fn membership(store: &Store, kept: StoredMembership) -> Result<(i32, Membership), PlanningError> {
    let number = |field: &str, text: &str| {
        text.parse::<Decimal>().map_err(|_| PlanningError::Unreadable {
            what: "membership",
            id: kept.id,
            problem: format!("its {field} is \"{text}\"; expected a decimal number"),
        })
    };
    let benefit = match (kept.own_tariff, &kept.percent_off) {
        (Some(own), _) => Benefit::Own(read(&store.tariff(own)?)?),
        (None, percent) => Benefit::PercentOff {
            percent: number("percent off", percent.as_deref().unwrap_or_default())?,
            kinds: vec![Kind::Flat, Kind::Energy, Kind::Time],
        },
    };
    let monthly_fee = number("monthly fee", &kept.monthly_fee)?;
    Ok((kept.id, Membership { name: kept.name, monthly_fee, benefit }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::write_tariff;
    use spare_hour_store::NewTariff;

    #[test]
    fn money_that_cannot_be_read_is_said() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let tariff = Tariff::simple("t", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        let kept = NewTariff { name: "t".into(), currency: "cr".into(), ocpi: write_tariff(&tariff, "t") };
        let id = store.add_tariff(&kept).unwrap();
        let club = |fee: &str, percent: Option<&str>| StoredMembership {
            id: 0,
            name: "Club".into(),
            monthly_fee: fee.into(),
            percent_off: percent.map(Into::into),
            own_tariff: None,
        };
        store.add_membership(id, &club("4.50", Some("20"))).unwrap();
        assert_eq!(memberships(&store, id).unwrap()[0].1.monthly_fee, Decimal::new(450, 2));
        store.add_membership(id, &club("four", Some("20"))).unwrap();
        let said = memberships(&store, id).unwrap_err().to_string();
        assert!(said.contains("its monthly fee is \"four\"; expected a decimal number"), "{said}");
        let broken = StoredTariff { id, about: NewTariff { ocpi: "{}".into(), ..kept } };
        assert!(matches!(read(&broken), Err(PlanningError::Unreadable { what: "tariff", .. })));
    }
}
