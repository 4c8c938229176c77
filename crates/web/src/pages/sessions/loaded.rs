//! A session as its pages tell it: what was read of it, in a person's units.

use std::ops::Deref;

use spare_hour_core::quantity::units::Units;
use spare_hour_planning::read_charge::ReadCharge;
use spare_hour_store::Store;

use crate::http::error::WebError;

/// A charge that was read, and the units that it is told in.
pub(super) struct Loaded {
    pub(super) charge: ReadCharge,
    pub(super) units: Units,
}

impl Loaded {
    pub(super) fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        Ok(Self { charge: ReadCharge::new(store, id)?, units: store.settings()?.units })
    }
}

impl Deref for Loaded {
    type Target = ReadCharge;

    fn deref(&self) -> &ReadCharge {
        &self.charge
    }
}
