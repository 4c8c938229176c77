//! A drive as it was logged: how far, how long, what it took, and under what conditions.

use crate::quantity::{Consumption, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature};

/// Most drives that are looked at together.
pub const MOST_DRIVES: usize = 10_000;

/// What a drive took from the battery.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Used {
    /// Energy, by the car's meter.
    Energy(Energy),
    /// SoC before and after.
    Soc(Soc, Soc),
}

/// A logged drive.
#[derive(Clone, Debug, PartialEq)]
pub struct Drive {
    /// The day, as `2026-05-01`, where it was noted.
    pub day: Option<String>,
    /// How far.
    pub distance: Distance,
    /// How long, stops left out; `None` of a long-run average, which mixes speeds and seasons.
    pub time: Option<Minutes>,
    /// What it took.
    pub used: Used,
    /// Temperature outside.
    pub outside: Option<Temperature>,
    /// Load beside the driver.
    pub load: Option<Mass>,
    /// Wind against the direction of travel; negative from behind.
    pub headwind: Option<Speed>,
    /// All that the road climbed.
    pub climb: Option<Height>,
    /// All that it fell.
    pub descent: Option<Height>,
    /// What the car guessed beforehand.
    pub guess: Option<Consumption>,
    /// Heating or cooling by the car's meter, where it shows one.
    pub heating: Option<Power>,
    /// Whatever else was written down: tyres, rain, where.
    pub note: Option<String>,
    /// Why a person left the drive out; `None` when it counts.
    pub left_out: Option<String>,
}

impl Drive {
    /// A drive of which nothing is known but the numbers that have to be.
    pub fn new(distance: Distance, time: impl Into<Option<Minutes>>, used: Used) -> Self {
        Self {
            day: None,
            distance,
            time: time.into(),
            used,
            outside: None,
            load: None,
            headwind: None,
            climb: None,
            descent: None,
            guess: None,
            heating: None,
            note: None,
            left_out: None,
        }
    }

    /// Mean speed, where the time is known.
    pub fn speed(&self) -> Option<Speed> {
        self.time.map(|time| Speed::kmh(60.0 * self.distance.get() / time.get()))
    }

    /// Energy from the battery, for a usable capacity.
    pub fn energy(&self, usable: Energy) -> Energy {
        match self.used {
            Used::Energy(energy) => energy,
            Used::Soc(before, after) => usable * ((before - after).get() / 100.0),
        }
    }

    /// How far the energy may be off, as a standard deviation: whole percents at both ends are uniform, a meter shows
    /// tenths of a kWh.
    pub fn energy_error(&self, usable: Energy) -> Energy {
        match self.used {
            Used::Energy(_) => Energy::kwh(0.1 / 6.0_f64.sqrt()),
            Used::Soc(..) => usable * (0.01 / 6.0_f64.sqrt()),
        }
    }

    /// Consumption at the battery.
    pub fn consumption(&self, usable: Energy) -> Consumption {
        Consumption::kwh_per_100km(100.0 * self.energy(usable).get() / self.distance.get())
    }

    /// Climb less descent; `None` where either is unknown.
    pub fn net_climb(&self) -> Option<Height> {
        Some(self.climb? - self.descent?)
    }
}
