//! The smoothest curve through intervals: what a display that shows whole steps hides, found from all its readings.
//!
//! A reading says that the value lay within an interval. The curve is linear between evenly spaced knots, its bends are
//! held small (a second-difference penalty: P-splines, Eilers & Marx 1996, Statistical Science 11), and readings are
//! taken as normal around it, seen only as intervals. The curve is found by expectation and maximisation: each value is
//! taken as its mean within its interval, the curve is fitted to these means, again and again. (Dempster, Laird & Rubin
//! 1977, J. R. Stat. Soc. B 39.)

/// Knots of the curve.
const KNOTS: usize = 60;
/// Standard deviations, in steps of the display, with which readings are taken around the curve, one after another.
const NOISES: [f64; 3] = [0.5, 0.25, 0.12];
/// Rounds with each.
const ROUNDS: usize = 12;

/// A reading: somewhere, between a lower and an upper value.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Seen {
    pub(crate) at: f64,
    pub(crate) low: f64,
    pub(crate) high: f64,
}

/// A curve through intervals.
#[derive(Clone, Debug)]
pub(crate) struct IntervalFit {
    start: f64,
    step: f64,
    values: Vec<f64>,
    /// For differences of values: the factorised precision of the knots.
    precision: Banded,
}

impl IntervalFit {
    /// The curve through readings in rising order. `bend` is the usual change of its slope over its whole length, as a
    /// share of its mean slope. `None` where there is nothing to fit.
    pub(crate) fn new(seen: &[Seen], bend: f64) -> Option<Self> {
        let (first, last) = (seen.first()?, seen.last()?);
        let (start, length) = (first.at, last.at - first.at);
        let rise = last.low - first.low;
        let width = seen.iter().map(|seen| seen.high - seen.low).fold(0.0, f64::max);
        if !(length > 0.0 && rise > 0.0 && width > 0.0) {
            return None;
        }
        let step = length / (KNOTS - 1) as f64;
        let mean_rise = rise / (KNOTS - 1) as f64;
        let of_bend = bend * mean_rise / (KNOTS as f64).sqrt();
        let places: Vec<(usize, f64)> = seen.iter().map(|seen| place(seen.at, start, step)).collect();
        let precision = |noise: f64| Banded::new(&places, 1.0 / (noise * noise), 1.0 / (of_bend * of_bend));
        let line = |place: &(usize, f64)| first.low + width / 2.0 + mean_rise * (place.0 as f64 + place.1);
        let mut at: Vec<f64> = places.iter().map(line).collect();
        let mut values = Vec::new();
        for noise in NOISES.map(|noise| noise * width) {
            let factors = precision(noise);
            for _ in 0..ROUNDS {
                let means = seen.iter().zip(&at).map(|(seen, &at)| mean_within(at, noise, seen));
                values = factors.fit(&places, means, 1.0 / (noise * noise));
                at = places.iter().map(|&place| value_at(&values, place)).collect();
            }
        }
        let told = (width * width * (NOISES[2] * NOISES[2] + 1.0 / 12.0)).sqrt();
        Some(Self { start, step, values, precision: precision(told) })
    }

    /// The curve's value.
    pub(crate) fn at(&self, at: f64) -> f64 {
        value_at(&self.values, place(at, self.start, self.step))
    }

    /// Standard deviation of the difference of two values of the curve.
    pub(crate) fn spread_between(&self, from: f64, to: f64) -> f64 {
        let mut weights = vec![0.0; KNOTS];
        for (at, sign) in [(from, -1.0), (to, 1.0)] {
            let (knot, share) = place(at, self.start, self.step);
            weights[knot] += sign * (1.0 - share);
            weights[knot + 1] += sign * share;
        }
        let solved = self.precision.solve(weights.clone());
        weights.iter().zip(solved).map(|(weight, solved)| weight * solved).sum::<f64>().max(0.0).sqrt()
    }
}

/// The knot before a place, and the share of the way to the next.
fn place(at: f64, start: f64, step: f64) -> (usize, f64) {
    let steps = ((at - start) / step).clamp(0.0, (KNOTS - 1) as f64);
    let knot = (steps.floor() as usize).min(KNOTS - 2);
    (knot, steps - knot as f64)
}

fn value_at(values: &[f64], (knot, share): (usize, f64)) -> f64 {
    values[knot] + share * (values[knot + 1] - values[knot])
}

/// Mean of a normal value within an interval.
fn mean_within(mean: f64, deviation: f64, seen: &Seen) -> f64 {
    let (a, b) = ((seen.low - mean) / deviation, (seen.high - mean) / deviation);
    // Far out in one tail the mean is at the nearer end.
    if a > 5.0 {
        return seen.low;
    }
    if b < -5.0 {
        return seen.high;
    }
    let density = |x: f64| (-0.5 * x * x).exp() / (2.0 * std::f64::consts::PI).sqrt();
    let within = below(b) - below(a);
    if within < 1e-9 { mean.clamp(seen.low, seen.high) } else { mean + deviation * (density(a) - density(b)) / within }
}

/// The share of a standard normal below a value. (Abramowitz & Stegun 1964, 26.2.17; off by at most 7.5e-8.)
fn below(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.231_641_9 * x.abs());
    let series =
        t * (0.319_381_530 + t * (-0.356_563_782 + t * (1.781_477_937 + t * (-1.821_255_978 + t * 1.330_274_429))));
    let tail = series * (-0.5 * x * x).exp() / (2.0 * std::f64::consts::PI).sqrt();
    if x >= 0.0 { 1.0 - tail } else { tail }
}

/// A symmetric matrix with two bands beside its diagonal, factorised as L·D·Lᵀ.
#[derive(Clone, Debug)]
struct Banded {
    diagonal: Vec<f64>,
    /// For each row, its factors one and two places before the diagonal.
    before: Vec<[f64; 2]>,
}

impl Banded {
    /// Readings at places with a weight, and second differences with another.
    fn new(places: &[(usize, f64)], weight: f64, smooth: f64) -> Self {
        let mut rows = vec![[0.0; 3]; KNOTS];
        for &(knot, share) in places {
            let near = 1.0 - share;
            rows[knot][0] += weight * near * near;
            rows[knot + 1][0] += weight * share * share;
            rows[knot + 1][1] += weight * near * share;
        }
        for knot in 0..KNOTS - 2 {
            let difference = [1.0, -2.0, 1.0];
            for row in 0..3 {
                for column in 0..=row {
                    rows[knot + row][row - column] += smooth * difference[row] * difference[column];
                }
            }
        }
        Self::factorised(&rows)
    }

    fn factorised(rows: &[[f64; 3]]) -> Self {
        let mut diagonal = vec![0.0; rows.len()];
        let mut before = vec![[0.0; 2]; rows.len()];
        for row in 0..rows.len() {
            let two = if row >= 2 { rows[row][2] / diagonal[row - 2] } else { 0.0 };
            let over = if row >= 2 { two * before[row - 1][0] * diagonal[row - 2] } else { 0.0 };
            let one = if row >= 1 { (rows[row][1] - over) / diagonal[row - 1] } else { 0.0 };
            let mut rest = rows[row][0];
            if row >= 1 {
                rest -= one * one * diagonal[row - 1];
            }
            if row >= 2 {
                rest -= two * two * diagonal[row - 2];
            }
            diagonal[row] = rest.max(1e-12);
            before[row] = [one, two];
        }
        Self { diagonal, before }
    }

    fn fit(&self, places: &[(usize, f64)], means: impl Iterator<Item = f64>, weight: f64) -> Vec<f64> {
        let mut right = vec![0.0; KNOTS];
        for (&(knot, share), mean) in places.iter().zip(means) {
            right[knot] += weight * (1.0 - share) * mean;
            right[knot + 1] += weight * share * mean;
        }
        self.solve(right)
    }

    fn solve(&self, mut right: Vec<f64>) -> Vec<f64> {
        for row in 0..right.len() {
            for (back, factor) in self.before[row].iter().enumerate().filter(|(back, _)| row > *back) {
                right[row] -= factor * right[row - 1 - back];
            }
        }
        for (value, diagonal) in right.iter_mut().zip(&self.diagonal) {
            *value /= diagonal;
        }
        for row in (0..right.len()).rev() {
            for back in 0..2 {
                if row > back {
                    right[row - 1 - back] -= self.before[row][back] * right[row];
                }
            }
        }
        right
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::{DMatrix, DVector};
    use proptest::prelude::*;

    #[test]
    fn a_bent_line_comes_back_from_whole_numbers() {
        let truth = |x: f64| 10.3 + 2.0 * x - 0.004 * x * x;
        let seen: Vec<Seen> = (0..40)
            .map(|i| f64::from(i) * 0.93)
            .map(|at| Seen { at, low: truth(at).floor(), high: truth(at).floor() + 1.0 })
            .collect();
        let fit = IntervalFit::new(&seen, 0.1).unwrap();
        for at in [2.0, 10.0, 20.0, 30.0] {
            assert!((fit.at(at) - truth(at)).abs() < 0.2, "{at}: {} for {}", fit.at(at), truth(at));
        }
        assert!(fit.spread_between(5.0, 25.0) > 0.01 && fit.spread_between(5.0, 25.0) < 0.3);
    }

    #[test]
    fn the_normal_distribution_of_a_handbook() {
        // Abramowitz & Stegun 1964, table 26.1, from memory.
        for (x, p) in [(0.0, 0.5), (1.0, 0.841_344_7), (-1.0, 0.158_655_3), (1.96, 0.975_002_1), (3.0, 0.998_650_1)] {
            assert!((below(x) - p).abs() < 1e-6, "{x}");
        }
    }

    proptest! {
        #[test]
        fn solves_as_a_general_library_does(
            places in prop::collection::vec((0usize..KNOTS - 1, 0.0f64..1.0), 3..80), right in prop::collection::vec(-1.0f64..1.0, KNOTS),
        ) {
            // nalgebra's Cholesky on the whole matrix.
            let (weight, smooth) = (3.0, 0.7);
            let mut whole = DMatrix::<f64>::zeros(KNOTS, KNOTS);
            for &(knot, share) in &places {
                let mut row = DVector::<f64>::zeros(KNOTS);
                (row[knot], row[knot + 1]) = (1.0 - share, share);
                whole += weight * &row * row.transpose();
            }
            for knot in 0..KNOTS - 2 {
                let mut row = DVector::<f64>::zeros(KNOTS);
                (row[knot], row[knot + 1], row[knot + 2]) = (1.0, -2.0, 1.0);
                whole += smooth * &row * row.transpose();
            }
            if let Some(cholesky) = whole.cholesky() {
                let expected = cholesky.solve(&DVector::from_vec(right.clone()));
                let found = Banded::new(&places, weight, smooth).solve(right);
                let scale = expected.amax().max(1.0);
                for (found, expected) in found.iter().zip(expected.iter()) {
                    prop_assert!((found - expected).abs() < 1e-4 * scale, "{} for {}", found, expected);
                }
            }
        }
    }
}
