//! A measured charge: readings off a screen, and the conditions they were taken under.
//!
//! Readings are kept as they were taken, faults included; what is odd about them is said by
//! [`findings`](crate::findings), and what can be made of them by [`SocTimeline`](crate::soc_timeline::SocTimeline).

use crate::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};

/// Most readings that a session may have.
pub const MOST_READINGS: usize = 200_000;

/// Whose display the power and energy were read from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Meter {
    /// The station's: what leaves the plug.
    #[default]
    Station,
    /// The car's: what enters the battery.
    Car,
}

/// One reading. Only time and SoC are always there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Reading {
    /// Since current began.
    pub elapsed: Minutes,
    /// As the car or the station showed it.
    pub soc: Soc,
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
}

/// What was noted about a session as a whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Conditions {
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
    /// How the charge was started: arrival, handshake.
    pub start: Option<String>,
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
