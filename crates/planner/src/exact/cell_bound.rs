//! The least that a departure minus an arrival can cost within one cell of SoC.
//!
//! Leaving a site at x and arriving at the next at s = x − e costs a(x) − g(s) + constants, where both a and g rise
//! with SoC (each is charging cost from 0 %). Over a cell of width h the difference is known at both ends, and its
//! slope lies between p = a'min − g'max and q = a'max − g'min. So it stays above two lines, one from each end, and their
//! crossing bounds it from below. Where the slope keeps its sign the bound is exact; at an interior optimum it is short
//! by about h·(q − p)/4, which shrinks with the square of the cell.

/// A rising cost at one SoC: its value, and its slopes since the SoC before.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Rise {
    /// Value under the weights that choose plans.
    pub(crate) upper: f64,
    /// Value under the weights of the bound.
    pub(crate) lower: f64,
    /// Least slope since the SoC before, per percent, under the weights of the bound.
    pub(crate) slope_low: f64,
    /// Most slope since the SoC before.
    pub(crate) slope_high: f64,
}

/// Least value of `departure − arrival` over a cell of `width` percent whose two ends are given.
pub(crate) fn least_difference(departure: [&Rise; 2], arrival: [&Rise; 2], width: f64) -> f64 {
    let at_start = departure[0].lower - arrival[0].lower;
    let at_end = departure[1].lower - arrival[1].lower;
    let p = departure[1].slope_low - arrival[1].slope_high;
    let q = departure[1].slope_high - arrival[1].slope_low;
    if !at_end.is_finite() {
        at_start + p.min(0.0) * width
    } else if p >= 0.0 {
        at_start
    } else if q <= 0.0 {
        at_end
    } else if (q - p).is_finite() {
        let crossing = ((at_start - at_end + width * q) / (q - p)).clamp(0.0, width);
        at_start + p * crossing
    } else {
        departure[0].lower - arrival[1].lower
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Quadratics on a cell: the bound is never above the true minimum, found by brute force, and is close to it.
        #[test]
        fn never_above_the_true_minimum(a in -2.0f64..2.0, b in 0.0f64..0.05, c in 0.0f64..0.05, width in 0.01f64..1.0) {
            let departure = |t: f64| 3.0 * t + b * t * t;
            let arrival = |t: f64| (3.0 + 0.02 * a) * t - c * t * t;
            let rise = |f: &dyn Fn(f64) -> f64, t: f64, low: f64, high: f64| Rise {
                upper: 0.0, lower: f(t), slope_low: low, slope_high: high,
            };
            let slopes = (3.0, 3.0 + 2.0 * b * width);
            let gained = (3.0 + 0.02 * a - 2.0 * c * width, 3.0 + 0.02 * a);
            let bound = least_difference(
                [&rise(&departure, 0.0, slopes.0, slopes.1), &rise(&departure, width, slopes.0, slopes.1)],
                [&rise(&arrival, 0.0, gained.0, gained.1), &rise(&arrival, width, gained.0, gained.1)],
                width,
            );
            let least = (0..=1000)
                .map(|i| width * f64::from(i) / 1000.0)
                .map(|t| departure(t) - arrival(t))
                .fold(f64::INFINITY, f64::min);
            prop_assert!(bound <= least + 1e-12);
            prop_assert!(bound >= least - (b + c) * width * width);
        }
    }
}
