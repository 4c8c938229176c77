//! The rules of Spare Hour: measured charges, charge curves, driving and the planner of charging stops.
//!
//! Nothing here reads a file, a clock or a network, and nothing here knows of pages. Each rule is one module, named
//! for what it computes, that opens with the rule, its units and its source.
//!
//! | question | module |
//! |---|---|
//! | what was measured | [`session`], [`findings`] |
//! | a charge being measured | [`live`] |
//! | two parts of one charge | [`join`] |
//! | everything read off a session | [`report`] |
//! | SoC at a minute, minute at a SoC | [`soc_timeline`] |
//! | windows, slices, ladder, thresholds | [`analysis`] |
//! | peak, flat part, steps | [`curve_features`] |
//! | from readings to a curve, and how sure it is | [`curve_fit`], [`curve_band`] |
//! | usable capacity that a session implies | [`usable_capacity`] |
//! | forecasts against what happened | [`forecast_check`] |
//! | what a percent is worth in distance | [`distance_base`] |
//! | several sessions on one scale | [`compare`] |
//! | the curves of a car from its sessions, and by hand | [`curve_family`], [`curve_moves`] |
//! | what is known of a car | [`known_car`] |
//! | charging from alternating current | [`ac_charge`] |
//! | power over SoC | [`profile`] |
//! | minutes from one SoC to another | [`charging_time`] |
//! | what a stall lets a car take | [`stall`] |
//! | what was driven, and what is odd about it | [`drive`], [`drive_findings`] |
//! | what the road takes | [`road_load`], [`air_density`] |
//! | a car's consumption from its drives | [`consumption_fit`], [`least_squares`] |
//! | a track on the ground, and the stretches of its road | [`track`], [`track_stretches`] |
//! | a road under the conditions of a day | [`road`] |
//! | energy and minutes of the road | [`route`] |
//! | prices, receipts of stops, memberships | [`tariff`], [`receipt`], [`stop_periods`], [`membership`] |
//! | the trip to plan, its sites and their hours | [`trip`], [`site_details`], [`opening_hours`] |
//! | the best stops, with a proof | [`planner`] |
//! | SoC and place over the minutes of a plan | [`trip_timeline`] |
//! | a month of drives and charges, and the next one | [`coming_month`] |
//! | the units that a person reads | [`units`] |

mod metered;
mod tick_times;

pub mod ac_charge;
pub mod air_density;
pub mod analysis;
pub mod charging_time;
pub mod coming_month;
pub mod compare;
pub mod consumption_fit;
pub mod curve_band;
pub mod curve_family;
pub mod curve_features;
pub mod curve_fit;
pub mod curve_moves;
pub mod distance_base;
pub mod drive;
pub mod drive_findings;
pub mod findings;
pub mod forecast_check;
pub mod join;
pub mod known_car;
pub mod least_squares;
pub mod live;
pub mod membership;
pub mod month_balance;
pub mod open_sites;
pub mod opening_hours;
pub mod planner;
pub mod profile;
pub mod quantity;
pub mod receipt;
pub mod report;
pub mod road;
pub mod road_load;
pub mod route;
pub mod session;
pub mod site_details;
pub mod soc_timeline;
pub mod stall;
pub mod stop_periods;
pub mod tariff;
pub mod track;
pub mod track_stretches;
pub mod trip;
pub mod trip_timeline;
pub mod units;
pub mod usable_capacity;
