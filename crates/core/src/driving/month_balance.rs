//! A month's energy out of the battery and into it: what the drives took and no measured charge put in came from charges that
//! nobody measured. Plain bookkeeping.

use crate::quantity::Energy;

/// Energy at the battery over a month.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MonthBalance {
    /// What the logged drives took.
    pub driven: Energy,
    /// What the measured charges stored.
    pub stored: Energy,
}

impl MonthBalance {
    /// What was stored by charges that nobody measured; below 0 where more was stored than the drives took.
    pub fn unmeasured(&self) -> Energy {
        Energy::kwh(self.driven.get() - self.stored.get())
    }

    /// The same at the plug, for a car that stores a share of what leaves it, more than 0 to 1.
    pub fn unmeasured_at_plug(&self, stored_share: f64) -> Energy {
        Energy::kwh(self.unmeasured().get() / stored_share)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_not_measured_by_hand() {
        // By hand: 133 kWh driven, 106 stored; 27 kWh are missing, 30 at the plug of a car that stores 90 %.
        let balance = MonthBalance { driven: Energy::kwh(133.0), stored: Energy::kwh(106.0) };
        assert!((balance.unmeasured().get() - 27.0).abs() < 1e-9);
        assert!((balance.unmeasured_at_plug(0.9).get() - 30.0).abs() < 1e-9);
        assert!(MonthBalance { driven: Energy::kwh(5.0), ..balance }.unmeasured().get() < 0.0);
    }
}
