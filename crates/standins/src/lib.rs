//! Simulated outside devices, behind the interface that real ones would have.
//!
//! [`charger`] makes what a charger's meter would report of a car or of a measured session, faults included;
//! [`play`] sends that to a server in real time or faster, as docs/formats/events.md says a meter may.

pub mod charger;
pub mod play;
