//! The rules of Spare Hour: measured charges, charge curves, driving and the planner of charging stops.
//!
//! Nothing here reads a file, a clock or a network, and nothing here knows of pages. Each rule is one module, named
//! for what it computes, that opens with the rule, its units and its source.
//!
//! | question | module |
//! |---|---|
//! | what was measured | [`session`], [`findings`] |
//! | SoC at a minute, minute at a SoC | [`soc_timeline`] |
//! | windows, slices, ladder, thresholds | [`analysis`] |
//! | from readings to a curve | [`curve_fit`] |
//! | power over SoC | [`profile`] |
//! | minutes from one SoC to another | [`charging_time`] |
//! | what a stall lets a car take | [`stall`] |
//! | energy and minutes of the road | [`route`] |
//! | the trip to plan | [`trip`] |
//! | the best stops, with a proof | [`planner`] |
//! | SoC and place over the minutes of a plan | [`trip_timeline`] |

pub mod analysis;
pub mod charging_time;
pub mod curve_fit;
pub mod findings;
pub mod planner;
pub mod profile;
pub mod quantity;
pub mod route;
pub mod session;
pub mod soc_timeline;
pub mod stall;
pub mod trip;
pub mod trip_timeline;
