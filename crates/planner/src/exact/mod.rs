//! The best plan for prices and hours that do not change, with a bound that no plan can beat.

pub(crate) mod cell_bound;
pub(crate) mod charge_cost;
pub(crate) mod departures;
pub(crate) mod grid;
pub(crate) mod label_setting;
pub(crate) mod polish;
