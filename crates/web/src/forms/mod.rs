//! Forms that keep what was typed and say beside each field what is wrong with it.

pub(crate) mod car_choice;
pub(crate) mod control;
pub(crate) mod distance_base;
pub(crate) mod field;
pub(crate) mod seen;
