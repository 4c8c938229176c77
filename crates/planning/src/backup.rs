//! All that is kept, out in one file and back in.

use spare_hour_store::Store;

use crate::PlanningError;

/// What a backup is called where it is taken away.
pub const FILE: &str = "spare-hour-everything.json";

/// Whether nothing is kept yet, so that a backup can come in.
///
/// # Errors
/// When the store refuses.
pub fn is_empty(store: &Store) -> Result<bool, PlanningError> {
    Ok(store.cars()?.is_empty() && store.sessions()?.is_empty() && store.trips()?.is_empty())
}

/// All that is kept, as one file.
///
/// # Errors
/// When the store refuses.
pub fn all(store: &Store) -> Result<String, PlanningError> {
    Ok(store.backup()?)
}

/// Takes such a file in, of this version or an earlier one, where nothing is kept yet; all of it or none.
///
/// # Errors
/// When something is kept already, or the file is no backup.
pub fn take_in(store: &Store, text: &str) -> Result<(), PlanningError> {
    Ok(store.restore(text)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::quantity::Energy;
    use spare_hour_store::StoreError;

    #[test]
    fn what_goes_out_comes_in_where_nothing_is_kept() {
        let [one, other] = [(), ()].map(|()| tempfile::tempdir().unwrap());
        let (one, other) = (Store::open(one.path()).unwrap(), Store::open(other.path()).unwrap());
        one.add_car(&KnownCar::new("Tern", Energy::kwh(60.0), 8.0)).unwrap();
        assert!(!is_empty(&one).unwrap() && is_empty(&other).unwrap());
        let text = all(&one).unwrap();
        take_in(&other, &text).unwrap();
        assert_eq!(other.cars().unwrap()[0].about.name, "Tern");
        assert!(matches!(take_in(&other, &text), Err(PlanningError::Store(StoreError::NotEmpty))));
        assert!(take_in(&one, "{}").is_err());
    }
}
