//! A session as its pages tell it: what was read of it, in a person's units.

use std::ops::Deref;
use std::sync::Arc;

use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::TooFewReadings;
use spare_hour_planning::read_charge::{ReadCharge, Reports};
use spare_hour_store::Store;

use crate::http::error::WebError;

/// A charge that was read, and the units that it is told in.
pub(super) struct Loaded {
    pub(super) charge: ReadCharge,
    pub(super) units: Units,
    /// What was read off charges since the last change.
    reports: Reports,
}

impl Loaded {
    pub(super) fn new(store: &Store, id: i32, reports: Reports) -> Result<Self, WebError> {
        Ok(Self { charge: ReadCharge::new(store, id)?, units: store.settings()?.units, reports })
    }

    /// Everything that is read off the session, distances on the wished base.
    pub(super) fn report(&self, wish: Option<DistanceBase>) -> Result<Arc<Report>, TooFewReadings> {
        self.charge.report(&self.reports, wish)
    }
}

impl Deref for Loaded {
    type Target = ReadCharge;

    fn deref(&self) -> &ReadCharge {
        &self.charge
    }
}
