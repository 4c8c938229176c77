//! Why a draft cannot become what it should: which field, its value and the bound that it breaks. Sentences are made of it
//! elsewhere; readers of files add where the field stands.

use thiserror::Error;

/// A field that cannot be as it is.
#[derive(Clone, Debug, Error, PartialEq)]
#[error("{field}: {fault:?}")]
pub struct Refused {
    /// The field, by its place in trip JSON or the like, such as `sites[2].max_kw`.
    pub field: String,
    /// What is wrong with it.
    pub fault: Fault,
}

/// What is wrong with a field.
#[derive(Clone, Debug, PartialEq)]
pub enum Fault {
    /// A number outside of what can be.
    Outside {
        /// The number.
        value: f64,
        /// The least that can be.
        low: f64,
        /// The most that can be.
        high: f64,
        /// In which unit, and what else bounds it; empty for a bare number.
        unit: &'static str,
    },
    /// A list with too few or too many items.
    Count {
        /// How many there are.
        found: usize,
        /// The fewest that can be.
        least: usize,
        /// The most that can be.
        most: usize,
        /// What they are, such as "sites".
        what: &'static str,
    },
    /// Nothing where something is needed.
    Empty {
        /// What is expected.
        expected: &'static str,
    },
    /// A name that another has already.
    Taken {
        /// The name.
        value: String,
        /// The field that has it.
        by: String,
    },
    /// A number that has to be less than another field's.
    NotBelow {
        /// The number.
        value: f64,
        /// The other field.
        other: &'static str,
        /// Its number.
        bound: f64,
    },
    /// A power of 0 kW where power has to be.
    NoPower {
        /// The power.
        value: f64,
    },
    /// A text that cannot be read as what it should be.
    Unreadable {
        /// The text.
        value: String,
        /// What is expected.
        expected: &'static str,
    },
}

/// The least and the most that a number may be, both possible themselves.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounds {
    /// The least.
    pub low: f64,
    /// The most.
    pub high: f64,
    /// In which unit.
    pub unit: &'static str,
}

impl Bounds {
    /// Bounds in a unit.
    pub const fn new(low: f64, high: f64, unit: &'static str) -> Self {
        Self { low, high, unit }
    }

    /// Refuses a field's number outside of them.
    ///
    /// # Errors
    /// [`Fault::Outside`], also for what is no number.
    pub fn check(self, field: &str, value: f64) -> Result<(), Refused> {
        Refused::outside(field, value, self.low, self.high, self.unit)
    }
}

impl Refused {
    /// A fault at a field.
    pub fn new(field: impl Into<String>, fault: Fault) -> Self {
        Self { field: field.into(), fault }
    }

    /// Refuses a number outside of two bounds, which are possible themselves.
    ///
    /// # Errors
    /// [`Fault::Outside`], also for what is no number.
    pub fn outside(field: &str, value: f64, low: f64, high: f64, unit: &'static str) -> Result<(), Self> {
        if value >= low && value <= high {
            return Ok(());
        }
        Err(Self::new(field, Fault::Outside { value, low, high, unit }))
    }
}
