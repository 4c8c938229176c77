//! Values over the hours of a trip as they are kept: in half the room, and on the safe side.

use super::rows::Rows;

/// Values over the slots for each of some `SoCs`.
#[derive(Default)]
pub(super) struct Kept {
    count: usize,
    values: Vec<f32>,
}

/// From the first moment of each slot, and from any.
#[derive(Default)]
pub(super) struct KeptBoth {
    pub(super) point: Kept,
    pub(super) slot: Kept,
}

impl Kept {
    /// Each no more than it is.
    pub(super) fn no_more(rows: &Rows) -> Self {
        Self::rounded(rows, |value, rounded| if f64::from(rounded) > value { rounded.next_down() } else { rounded })
    }

    /// Each no less than it is.
    pub(super) fn no_less(rows: &Rows) -> Self {
        Self::rounded(rows, |value, rounded| if f64::from(rounded) < value { rounded.next_up() } else { rounded })
    }

    fn rounded(rows: &Rows, to: impl Fn(f64, f32) -> f32) -> Self {
        Self { count: rows.count, values: rows.values.iter().map(|&value| to(value, value as f32)).collect() }
    }

    pub(super) fn at(&self, index: usize, slot: usize) -> f64 {
        f64::from(self.values[index * self.count + slot])
    }

    pub(super) fn row(&self, index: usize) -> impl Iterator<Item = f64> {
        self.values[index * self.count..(index + 1) * self.count].iter().copied().map(f64::from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_kept_is_on_the_safe_side(values in prop::collection::vec(-1e12f64..1e12, 6)) {
            let rows = Rows { count: 3, values: values.clone() };
            let (low, high) = (Kept::no_more(&rows), Kept::no_less(&rows));
            for (place, &value) in values.iter().enumerate() {
                let (low, high) = (low.at(place / 3, place % 3), high.at(place / 3, place % 3));
                // A number of 24 bits is off by no more than its next.
                prop_assert!(low <= value && value <= high && high - low <= value.abs() / f64::from(1 << 23) + 1e-30);
            }
        }
    }

    #[test]
    fn never_and_for_ever_are_kept() {
        let rows = Rows { count: 2, values: vec![f64::INFINITY, super::super::rows::NEVER] };
        assert_eq!(Kept::no_more(&rows).at(0, 0), f64::INFINITY);
        assert!(Kept::no_more(&rows).at(0, 1) <= super::super::rows::NEVER);
    }
}
