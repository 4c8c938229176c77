//! All that is kept, out in one file and back in.

use std::io::{Read, Seek, Write};

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

/// Writes all that is kept into one file.
///
/// # Errors
/// When the store refuses, or the file cannot be written.
pub fn all(store: &Store, file: impl Write) -> Result<(), PlanningError> {
    Ok(store.backup(file)?)
}

/// Takes such a file in, of this version or an earlier one, where nothing is kept yet; all of it or none.
///
/// # Errors
/// When something is kept already, or the file is no backup.
pub fn take_in(store: &Store, file: impl Read + Seek) -> Result<(), PlanningError> {
    Ok(store.restore(file)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Cursor;

    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::quantity::Energy;
    use spare_hour_store::StoreError;

    #[test]
    fn what_goes_out_comes_in_where_nothing_is_kept() {
        let [one, other] = [(), ()].map(|()| tempfile::tempdir().unwrap());
        let (one, other) = (Store::open(one.path()).unwrap(), Store::open(other.path()).unwrap());
        one.add_car(&KnownCar::new("Tern", Energy::kwh(60.0), 8.0)).unwrap();
        assert!(!is_empty(&one).unwrap() && is_empty(&other).unwrap());
        let mut file = Vec::new();
        all(&one, &mut file).unwrap();
        let file = || Cursor::new(&file);
        take_in(&other, file()).unwrap();
        assert_eq!(other.cars().unwrap()[0].about.name, "Tern");
        assert!(matches!(take_in(&other, file()), Err(PlanningError::Store(StoreError::NotEmpty))));
        assert!(take_in(&one, Cursor::new("{}")).is_err());
    }
}
