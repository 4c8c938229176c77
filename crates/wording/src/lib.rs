//! Facts into sentences. Core and planner say what is; here it is said, in a person's units, on their clock face, in their
//! currency. Beside the templates this is the only place with sentences for people; each file is a subject.

pub mod advice;
pub mod comparison;
pub mod drives;
pub mod figures;
pub mod findings;
pub mod joined;
pub mod receipts;
pub mod refused;
pub mod sites;
pub mod trips;
