//! Charging: curves, what a stall lets a car take, the minutes that it takes, and what is known of a car.

pub mod ac_charge;
pub mod boost_split;
pub mod car_check;
pub mod charge_now;
pub mod charging_time;
pub mod curve_band;
pub mod curve_family;
pub mod curve_features;
pub mod curve_fit;
pub mod curve_moves;
pub mod drift;
pub mod known_car;
pub mod profile;
pub mod stall;
