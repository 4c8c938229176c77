//! A measured charge: readings off a screen, and the conditions they were taken under.
//!
//! Readings are kept as they were taken, faults included; what is odd about them is said by
//! [`findings`](crate::session::findings), and what can be made of them by [`SocTimeline`](crate::session::soc_timeline::SocTimeline).
pub mod analysis;
pub mod compare;
pub mod distance_base;
pub mod findings;
pub mod forecast_check;
mod interval_fit;
pub mod join;
pub mod kept_readings;
pub mod live;
mod metered;
pub mod meters;
mod progress;
pub mod report;
pub mod session_check;
pub mod soc_timeline;
pub mod usable_capacity;

use crate::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};

/// Most readings that a session may have.
pub const MOST_READINGS: usize = 200_000;

/// Whose display the power and energy were read from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Meter {
    /// The station's: what leaves the plug.
    #[default]
    Station,
    /// The car's: what enters the battery.
    Car,
}

/// One reading. Only its time is always there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Reading {
    /// Since current began.
    pub elapsed: Minutes,
    /// As the car or the station showed it; `None` where only power, energy or the range were read.
    pub soc: Option<Soc>,
    /// As the meter showed it.
    pub power: Option<Power>,
    /// Since current began, as the meter showed it.
    pub energy: Option<Energy>,
    /// Pack voltage.
    pub voltage: Option<Voltage>,
    /// Charging current.
    pub current: Option<Current>,
    /// Temperature of the pack.
    pub battery: Option<Temperature>,
    /// Temperature of the air.
    pub ambient: Option<Temperature>,
    /// The range that the car showed.
    pub range: Option<Distance>,
    /// Whatever else was written down.
    pub note: Option<String>,
    /// Why a person left the reading out of all figures; `None` when it counts.
    pub left_out: Option<String>,
}

/// A forecast that the car or the station showed during the charge, to be held against what happened.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Forecast {
    /// When it was shown, since current began.
    pub at: Minutes,
    /// Whose it was.
    pub by: Meter,
    /// The minutes that it promised from then on.
    pub remaining: Minutes,
    /// The SoC that it promised them for.
    pub to: Soc,
}

/// What was noted about a session as a whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Conditions {
    /// The day of the charge, as `2026-05-01`.
    pub day: Option<String>,
    /// When it began: minutes after midnight, by the stall's clock.
    pub began: Option<Minutes>,
    /// What was paid for it, in the person's currency.
    pub paid: Option<f64>,
    /// Energy between shown 0 and 100 %.
    pub usable: Option<Energy>,
    /// Rated range.
    pub rated_range: Option<Distance>,
    /// Whose display was read.
    pub meter: Meter,
    /// The car.
    pub car: Option<String>,
    /// Its software.
    pub software: Option<String>,
    /// The site's most power.
    pub site_power: Option<Power>,
    /// The site's most current.
    pub site_current: Option<Current>,
    /// Whether and how the battery was preconditioned.
    pub preconditioned: Option<String>,
    /// How long it was preconditioned.
    pub preconditioned_for: Option<Minutes>,
    /// Temperature of the air.
    pub ambient: Option<Temperature>,
    /// Temperature of the pack when the charge began.
    pub battery: Option<Temperature>,
    /// The site's highest voltage.
    pub site_voltage: Option<Voltage>,
    /// Whether another car drew from the same power cabinet.
    pub shared_cabinet: Option<bool>,
    /// Whether the car was on, its accessories taking their part.
    pub car_on: Option<bool>,
    /// The adapter that was used.
    pub adapter: Option<String>,
    /// From plug-in to current.
    pub handshake: Option<Minutes>,
    /// Attempts that failed before current flowed.
    pub failed_attempts: Option<u32>,
    /// Phases of an AC charge, 1 to 3; `None` for DC.
    pub phases: Option<u32>,
    /// How the charge was started: arrival, handshake.
    pub start: Option<String>,
    /// That and how the session was joined from parts.
    pub joined: Option<String>,
    /// What the car or the station foretold.
    pub forecasts: Vec<Forecast>,
    /// Everything else that was noted, as `key: value`.
    pub other: Vec<(String, String)>,
}

/// A measured charge.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Session {
    /// Readings in the order they were taken.
    pub readings: Vec<Reading>,
    /// What was noted.
    pub conditions: Conditions,
}

impl Session {
    /// The readings that nobody left out, each with its number from 0.
    pub fn counted(&self) -> impl Iterator<Item = (usize, &Reading)> {
        self.readings.iter().enumerate().filter(|(_, reading)| reading.left_out.is_none())
    }

    /// The SoC of a reading: as shown, else as the range shown tells, where the range at full is known.
    pub fn soc_of(&self, reading: &Reading) -> Option<Soc> {
        let rated = self.conditions.rated_range.filter(|range| range.get() > 0.0);
        let by_range = || Some(Soc::percent((100.0 * (reading.range? / rated?)).min(100.0)));
        reading.soc.or_else(by_range)
    }

    /// Temperature of the pack when the charge began: as noted, else of the first reading that shows one in the first
    /// three minutes.
    pub fn battery_at_start(&self) -> Option<Temperature> {
        let early = |reading: &&Reading| reading.elapsed.get() <= 3.0;
        let read = self.readings.iter().take_while(early).find_map(|reading| reading.battery);
        self.conditions.battery.or(read)
    }
}
