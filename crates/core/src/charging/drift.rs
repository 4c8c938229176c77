//! Whether a figure of a car drifts: a line through measured values, each with its error, by weighted least squares.
//!
//! With weights w = 1/σ², t and v about their weighted means: slope = Σ w·t·v / Σ w·t², its variance is 1 / Σ w·t², times χ² for each
//! degree of freedom where the points scatter more than their errors say (the Birge ratio, Particle Data Group, "Averaging
//! procedures", from memory). A drift is told only where the slope is more than 1.96 of its standard deviations.

/// A value measured at a time, with one standard deviation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Measured {
    /// When, in any unit.
    pub at: f64,
    /// What.
    pub value: f64,
    /// One standard deviation, more than 0.
    pub error: f64,
}

/// A line through measured values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drift {
    /// The value at the middle of the times, and when that is.
    pub middle: (f64, f64),
    /// Change of the value in a unit of time,
    pub slope: f64,
    /// right within ± this, 19 times in 20.
    pub error: f64,
}

impl Drift {
    /// The line; `None` with fewer than three values, or all of one time.
    pub fn new(measured: &[Measured]) -> Option<Self> {
        if measured.len() < 3 {
            return None;
        }
        let weight = |one: &Measured| 1.0 / (one.error * one.error);
        let whole: f64 = measured.iter().map(weight).sum();
        let mean = |of: fn(&Measured) -> f64| measured.iter().map(|one| weight(one) * of(one)).sum::<f64>() / whole;
        let (at, value) = (mean(|one| one.at), mean(|one| one.value));
        let spread: f64 = measured.iter().map(|one| weight(one) * (one.at - at).powi(2)).sum();
        if spread <= 1e-12 * whole {
            return None;
        }
        let slope = measured.iter().map(|one| weight(one) * (one.at - at) * (one.value - value)).sum::<f64>() / spread;
        let off = |one: &Measured| weight(one) * (one.value - value - slope * (one.at - at)).powi(2);
        let birge = measured.iter().map(off).sum::<f64>() / (measured.len() - 2) as f64;
        let error = 1.96 * (birge.max(1.0) / spread).sqrt();
        (slope.is_finite() && error.is_finite()).then_some(Self { middle: (at, value), slope, error })
    }

    /// Whether it is more than its error.
    pub fn is_sure(&self) -> bool {
        self.slope.abs() > self.error
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::{DMatrix, DVector};

    #[test]
    fn the_line_is_that_of_a_general_library() {
        let mut random = fastrand::Rng::with_seed(7);
        for _ in 0..40 {
            let points: Vec<Measured> = (0..random.usize(3..30))
                .map(|_| Measured { at: 9.0 * random.f64(), value: 70.0 - random.f64(), error: 0.1 + random.f64() })
                .collect();
            let drift = Drift::new(&points).unwrap();
            // nalgebra's singular value decomposition on rows scaled by 1/σ.
            let rows =
                DMatrix::from_fn(points.len(), 2, |row, column| [1.0, points[row].at][column] / points[row].error);
            let right = DVector::from_fn(points.len(), |row, _| points[row].value / points[row].error);
            let solved = rows.svd(true, true).solve(&right, 1e-14).unwrap();
            assert!((drift.slope - solved[1]).abs() < 1e-8, "{} {}", drift.slope, solved[1]);
            let there = drift.middle.1 - drift.slope * drift.middle.0;
            assert!((there - solved[0]).abs() < 1e-7);
        }
    }

    #[test]
    fn a_drift_is_told_only_where_it_is_more_than_its_error() {
        // Known truth, by seed: of still cars one in twenty may seem to drift; a real drift is found, and its interval holds it.
        let mut random = fastrand::Rng::with_seed(3);
        let mut normal = || (0..12).map(|_| random.f64()).sum::<f64>() - 6.0;
        let mut told = [0, 0];
        let mut held = 0;
        for _ in 0..400 {
            for (kind, slope) in [(0, 0.0), (1, -1.5)] {
                let points: Vec<Measured> = (0..12)
                    .map(|index| {
                        let at = f64::from(index) / 3.0;
                        Measured { at, value: 74.0 + slope * at + 0.8 * normal(), error: 0.8 }
                    })
                    .collect();
                let drift = Drift::new(&points).unwrap();
                told[kind] += u32::from(drift.is_sure());
                held += u32::from((drift.slope - slope).abs() <= drift.error);
            }
        }
        assert!(told[0] <= 28, "{told:?}");
        assert!(told[1] >= 390, "{told:?}");
        assert!(held >= 740, "{held} of 800");
        assert!(Drift::new(&[Measured { at: 1.0, value: 1.0, error: 1.0 }; 5]).is_none());
    }
}
