//! The rules of Spare Hour: measured charges, charge curves, driving, prices and trips.
//!
//! Nothing here reads a file, a clock or a network, and nothing here knows of pages. Each rule is one module, named
//! for what it computes, that opens with the rule, its units and its source.
//!
//! | question | module |
//! |---|---|
//! | quantities and the units that a person reads | [`quantity`], [`quantity::units`] |
//! | what was measured | [`session`], [`session::findings`] |
//! | a charge being measured | [`session::live`] |
//! | two parts of one charge | [`session::join`] |
//! | everything read off a session | [`session::report`] |
//! | SoC at a minute, minute at a SoC | [`session::soc_timeline`] |
//! | windows, slices, ladder, thresholds | [`session::analysis`] |
//! | usable capacity that a session implies | [`session::usable_capacity`] |
//! | forecasts against what happened | [`session::forecast_check`] |
//! | what a percent is worth in distance | [`session::distance_base`] |
//! | several sessions on one scale | [`session::compare`] |
//! | power over SoC | [`charging::profile`] |
//! | from readings to a curve, how sure it is, and its shape | [`charging::curve_fit`], [`charging::curve_band`], [`charging::curve_features`] |
//! | the curves of a car from its sessions, and by hand | [`charging::curve_family`], [`charging::curve_moves`] |
//! | whether a figure of a car drifts | [`charging::drift`] |
//! | what is known of a car | [`charging::known_car`] |
//! | charging from alternating current | [`charging::ac_charge`] |
//! | minutes from one SoC to another | [`charging::charging_time`] |
//! | a charge under way against what was expected | [`charging::charge_now`] |
//! | what a stall lets a car take | [`charging::stall`] |
//! | what was driven, and what is odd about it | [`driving::drive`], [`driving::drive_findings`] |
//! | what the road takes | [`driving::road_load`], [`driving::air_density`] |
//! | a car's consumption from its drives | [`driving::consumption_fit`], [`driving::least_squares`] |
//! | a track on the ground, and the stretches of its road | [`driving::track`], [`driving::track_stretches`] |
//! | a road under the conditions of a day | [`driving::road`] |
//! | energy and minutes of the road | [`driving::route`] |
//! | a month of drives and charges, and the next one | [`driving::month_balance`], [`driving::coming_month`] |
//! | prices, receipts of stops, memberships | [`money::tariff`], [`money::receipt`], [`money::stop_periods`], [`money::membership`] |
//! | what is left of a trip under way, what happened on it | [`trip::under_way`], [`trip::road_log`] |
//! | the trip to plan, its sites and their hours | [`trip`], [`trip::site_details`], [`trip::opening_hours`] |
//!
//! A draft that cannot become what it should says why as a [`refused::Refused`]. The best stops of a trip are found by the crate `spare-hour-planner`.

pub mod charging;
pub mod driving;
pub mod money;
pub mod quantity;
pub mod refused;
pub mod session;
pub mod trip;
