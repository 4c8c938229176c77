//! Values over the hours of a trip, in slots of equal width.

/// What is to come from the first moment of the last slot, which has no end, tells nothing of those after.
pub(super) const NEVER: f64 = -1e12;

/// Slots of the clock without the road; the last has no end.
#[derive(Clone, Copy, Debug)]
pub(super) struct Slots {
    pub(super) width: f64,
    pub(super) count: usize,
}

/// Values over the slots for each of some `SoCs`.
#[derive(Clone, Default)]
pub(super) struct Rows {
    pub(super) count: usize,
    pub(super) values: Vec<f64>,
}

/// What is to come at least, over the slots: from the first moment of each, and from any. From a moment that is later than the first by
/// some minutes on there is no less to come than from the first, less these minutes: one may wait.
#[derive(Clone, Debug)]
pub(super) struct Row {
    pub(super) point: Vec<f64>,
    pub(super) slot: Vec<f64>,
}

/// The same for each of some `SoCs`.
#[derive(Clone, Default)]
pub(super) struct Both {
    pub(super) point: Rows,
    pub(super) slot: Rows,
}

impl Slots {
    /// The slot of a minute, and how long after its first moment that is.
    pub(super) fn within(self, minute: f64) -> (usize, f64) {
        let slot = self.of(minute);
        (slot, (minute - slot as f64 * self.width).max(0.0))
    }

    fn of(self, minute: f64) -> usize {
        ((minute / self.width).max(0.0) as usize).min(self.count - 1)
    }
}

impl Rows {
    pub(super) fn new(rows: usize, count: usize, value: f64) -> Self {
        Self { count, values: vec![value; rows * count] }
    }

    pub(super) fn row(&self, index: usize) -> &[f64] {
        &self.values[index * self.count..(index + 1) * self.count]
    }

    pub(super) fn row_mut(&mut self, index: usize) -> &mut [f64] {
        &mut self.values[index * self.count..(index + 1) * self.count]
    }
}

impl Row {
    pub(super) fn new(count: usize, value: f64) -> Self {
        Self { point: vec![value; count], slot: vec![value; count] }
    }
}

impl Both {
    pub(super) fn new(rows: usize, count: usize, value: f64) -> Self {
        Self { point: Rows::new(rows, count, value), slot: Rows::new(rows, count, value) }
    }

    pub(super) fn least(&mut self, index: usize, other: &Row) {
        less(self.point.row_mut(index), &other.point);
        less(self.slot.row_mut(index), &other.slot);
    }
}

/// The less of each two.
fn less(values: &mut [f64], others: &[f64]) {
    values.iter_mut().zip(others).for_each(|(value, &other)| *value = value.min(other));
}

/// The least of the values of some slots after each, as they are asked for.
pub(super) struct Windows {
    /// By how many slots there are beside the first.
    wide: Vec<Vec<f64>>,
}

impl Windows {
    pub(super) fn new(values: Vec<f64>) -> Self {
        Self { wide: vec![values] }
    }

    /// That of the slots from one to another after each; before the first slot and after the last is what is there.
    pub(super) fn of(&mut self, first: isize, last: isize) -> impl Iterator<Item = &f64> {
        let wide = (last - first).max(0) as usize;
        while self.wide.len() <= wide {
            let (before, values) = (&self.wide[self.wide.len() - 1], &self.wide[0]);
            let rest = values[self.wide.len().min(values.len())..].iter();
            let rest = rest.chain(std::iter::repeat(&values[values.len() - 1]));
            let next = before.iter().zip(rest).map(|(&before, &after)| before.min(after)).collect();
            self.wide.push(next);
        }
        shifted(&self.wide[wide], first)
    }
}

/// Values from one of them on; before the first and after the last is what is there.
pub(super) fn shifted(values: &[f64], first: isize) -> impl Iterator<Item = &f64> {
    let before = std::iter::repeat_n(&values[0], (-first).max(0) as usize);
    let rest = values[(first.max(0) as usize).min(values.len())..].iter();
    before.chain(rest).chain(std::iter::repeat(&values[values.len() - 1]))
}

/// By how much a line between two of what is to come is above whoever leaves with one between.
pub(super) fn below(at: &Rows, between: &[f64], (cell, share): (usize, f64), below: &mut [f64]) {
    let ends = at.row(cell).iter().zip(at.row(cell + 1));
    for ((below, (&lower, &upper)), between) in below.iter_mut().zip(ends).zip(between) {
        let above = on_line(lower, upper, share) - between;
        *below = if above.is_finite() { below.max(above) } else { *below };
    }
}

/// Between two values, or the one that there is.
pub(super) fn on_line(lower: f64, upper: f64, share: f64) -> f64 {
    if lower.is_finite() && upper.is_finite() { lower + share * (upper - lower) } else { lower.min(upper) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_window_is_the_least_of_its_slots(
            values in prop::collection::vec(0.0f64..9.0, 1..30), asked in prop::collection::vec((-9isize..40, 0isize..12), 1..6),
        ) {
            let mut windows = Windows::new(values.clone());
            for (first, wide) in asked {
                let found: Vec<f64> = windows.of(first, first + wide).take(values.len()).copied().collect();
                for (slot, found) in found.into_iter().enumerate() {
                    // By hand; before the first slot and after the last is what is there, and a window that begins before begins there.
                    let last = values.len().cast_signed() - 1;
                    let begins = (slot.cast_signed() + first).clamp(0, last);
                    let least = (0..=wide).map(|more| values[(begins + more).min(last) as usize]).fold(f64::INFINITY, f64::min);
                    prop_assert_eq!(found, least);
                }
            }
        }
    }

    #[test]
    fn a_moment_is_in_a_slot_and_so_long_after_its_first() {
        let slots = Slots { width: 10.0, count: 2 };
        assert_eq!([slots.within(-3.0), slots.within(9.0), slots.within(35.0)], [(0, 0.0), (0, 9.0), (1, 25.0)]);
    }
}
