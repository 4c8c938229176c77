//! What the app does, one use case a file. Each takes what is stored, a clock and a time zone ([`clock::Here`]), and gives
//! one outcome that pages, commands and tests all use, so that none can answer differently from another.
//!
//! | question | module |
//! |---|---|
//! | what time it is, and where | [`clock`] |
//! | a trip under the weather of a day, driven by a car | [`drive_trip`] |
//! | the best stops of it, what was left out, what it costs | [`plan_trip`] |
//! | the same as a file tells it | [`plan_report`] |
//! | what would make a trip possible that is not | [`remedies`] |
//! | what a stop costs under a tariff | [`price_stop`] |
//! | what a measured charge would have cost | [`price_charge`] |
//! | the best hour to leave | [`best_hour`] |
//! | the way back of a trip | [`way_back`] |
//! | what is kept of tariffs and memberships | [`tariffs`] |
//! | a trip under way, planned anew | [`under_way`] |
//! | the trip under way as its events tell it | [`on_the_road`] |
//! | leave now, or wait | [`advise`] |
//! | a charge with a hidden future, to practise on | [`practice`] |
//! | what a session says | [`read_charge`] |
//! | what a car's sessions amount to | [`combine_charges`] |
//! | what charging came to, and whether a car drifts | [`charge_money`] |
//! | what happened against what was planned | [`ledger`] |
//! | what sites were like, and what their records take over | [`site_records`] |
//! | what was paid against what tariffs ask, and which memberships pay | [`receipts_paid`] |
//! | a month of drives and charges | [`month`] |
//! | everything out in one file and back in | [`backup`] |
//! | a trip of a file, kept | [`keep_trip`] |
//! | solved trips that are kept for a while | [`kept`] |

pub mod advise;
pub mod backup;
pub mod best_hour;
pub mod charge_money;
pub mod clock;
pub mod combine_charges;
pub mod copy_trip;
pub mod curve_of_day;
pub mod drive_trip;
pub mod explain_trade;
pub mod first_plan;
pub mod keep_trip;
pub mod kept;
pub mod ledger;
pub mod month;
pub mod on_the_road;
pub mod plan_report;
pub mod plan_trip;
pub mod practice;
pub mod price_charge;
pub mod price_stop;
pub mod read_charge;
pub mod receipts_paid;
pub mod remedies;
pub mod shown_plan;
pub mod site_records;
pub mod take_along;
pub mod tariffs;
pub mod trade_trip;
pub mod under_way;
pub mod way_back;

use spare_hour_core::refused::Refused;
use spare_hour_store::StoreError;
use thiserror::Error;

/// Why a use case has no outcome.
#[derive(Debug, Error)]
pub enum PlanningError {
    /// The store could not do what it was asked.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// There is no such car for the trip.
    #[error("there is no such car")]
    NoSuchCar,
    /// What is kept cannot be what it should: a field with its value and bound.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// What is kept cannot be read.
    #[error("{what} {id} cannot be read: {problem}")]
    Unreadable {
        /// Tariff or membership.
        what: &'static str,
        /// Its number.
        id: i32,
        /// What is wrong.
        problem: String,
    },
}
