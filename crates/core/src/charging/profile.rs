//! A quantity as a function of SoC: linear between its points, flat outside them, with steps where two points share a SoC.
//!
//! Charge curves (kW) and pack voltages (V) are profiles. Nothing is smoothed: a cliff given as two points at one SoC
//! stays a cliff.

use thiserror::Error;

/// Why a list of points is not a profile. The index counts from 0.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum ProfileError {
    /// There is no point at all.
    #[error("needs at least one point")]
    Empty,
    /// A SoC outside 0 to 100, or not a number.
    #[error("point {index}: soc is {soc}; expected 0 to 100")]
    SocOutside {
        /// Which point.
        index: usize,
        /// What it said.
        soc: f64,
    },
    /// SoC goes down from one point to the next.
    #[error("point {index}: soc {soc} comes after {before}; expected points in rising order of soc")]
    Unordered {
        /// Which point.
        index: usize,
        /// Its SoC.
        soc: f64,
        /// The SoC of the point before.
        before: f64,
    },
    /// A value that is negative or not a number.
    #[error("point {index}: the value is {value}; expected a number of 0 or more")]
    BadValue {
        /// Which point.
        index: usize,
        /// What it said.
        value: f64,
    },
}

impl ProfileError {
    /// The point at fault, counted from 0, where one point is.
    pub fn index(&self) -> Option<usize> {
        match self {
            Self::Empty => None,
            Self::SocOutside { index, .. } | Self::Unordered { index, .. } | Self::BadValue { index, .. } => {
                Some(*index)
            }
        }
    }
}

/// One straight piece of a profile.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Piece {
    /// SoC where the piece begins, %.
    pub from: f64,
    /// SoC where the piece ends, %; more than `from`.
    pub to: f64,
    /// Value at `from`, seen from inside the piece.
    pub start: f64,
    /// Value at `to`, seen from inside the piece.
    pub end: f64,
}

impl Piece {
    /// The value at a SoC of this piece.
    pub fn at(&self, soc: f64) -> f64 {
        self.start + (self.end - self.start) * (soc - self.from) / (self.to - self.from)
    }
}

/// A piecewise linear function over SoC 0 to 100.
#[derive(Clone, Debug, PartialEq)]
pub struct Profile {
    points: Vec<(f64, f64)>,
}

impl Profile {
    /// A profile through `(soc, value)` points in rising order of SoC. Two points at one SoC make a step.
    ///
    /// # Errors
    /// When the list is empty, a SoC is outside 0 to 100 or out of order, or a value is negative or not finite.
    pub fn new(points: Vec<(f64, f64)>) -> Result<Self, ProfileError> {
        if points.is_empty() {
            return Err(ProfileError::Empty);
        }
        let mut before = 0.0;
        for (index, &(soc, value)) in points.iter().enumerate() {
            if !(0.0..=100.0).contains(&soc) {
                return Err(ProfileError::SocOutside { index, soc });
            }
            if soc < before {
                return Err(ProfileError::Unordered { index, soc, before });
            }
            if !value.is_finite() || value < 0.0 {
                return Err(ProfileError::BadValue { index, value });
            }
            before = soc;
        }
        Ok(Self { points })
    }

    /// The same value at every SoC. `value` is taken as it is.
    pub fn constant(value: f64) -> Self {
        Self { points: vec![(0.0, value)] }
    }

    /// The points as they were given.
    pub fn points(&self) -> &[(f64, f64)] {
        &self.points
    }

    /// The straight pieces that together cover 0 to 100, without gaps.
    pub fn pieces(&self) -> Vec<Piece> {
        let (first, last) = (self.points[0], self.points[self.points.len() - 1]);
        let ends = std::iter::once((0.0, first.1)).chain(self.points.iter().copied()).chain([(100.0, last.1)]);
        let ends: Vec<_> = ends.collect();
        ends.windows(2)
            .filter(|pair| pair[1].0 > pair[0].0)
            .map(|pair| Piece { from: pair[0].0, to: pair[1].0, start: pair[0].1, end: pair[1].1 })
            .collect()
    }

    /// The value at a SoC; at a step, the value after it.
    pub fn at(&self, soc: f64) -> f64 {
        let after = self.points.partition_point(|point| point.0 <= soc);
        let Some(&(s1, v1)) = self.points.get(after) else {
            return self.points[after - 1].1;
        };
        if after == 0 {
            return v1;
        }
        let (s0, v0) = self.points[after - 1];
        v0 + (v1 - v0) * (soc - s0) / (s1 - s0)
    }

    /// Every value times `factor`.
    #[must_use]
    pub fn scaled(&self, factor: f64) -> Self {
        Self { points: self.points.iter().map(|&(soc, value)| (soc, value * factor)).collect() }
    }

    /// The lower of two profiles at every SoC, with the points where they cross.
    #[must_use]
    pub fn min(&self, other: &Self) -> Self {
        let (ours, theirs) = (self.pieces(), other.pieces());
        let mut points = Vec::with_capacity(ours.len() + theirs.len() + 2);
        let (mut i, mut j) = (0, 0);
        let mut from = 0.0;
        while i < ours.len() && j < theirs.len() {
            let to = ours[i].to.min(theirs[j].to);
            push_lower(&mut points, &ours[i], &theirs[j], from, to);
            if ours[i].to <= to {
                i += 1;
            }
            if theirs[j].to <= to {
                j += 1;
            }
            from = to;
        }
        Self { points }
    }

    /// This profile up to a SoC, and from there on another.
    #[must_use]
    pub fn then(&self, at: f64, other: &Self) -> Self {
        let before = self.pieces().into_iter().filter(|piece| piece.from < at);
        let after = other.pieces().into_iter().filter(|piece| piece.to > at);
        let before =
            before.flat_map(|piece| [(piece.from, piece.start), (piece.to.min(at), piece.at(piece.to.min(at)))]);
        let after = after.flat_map(|piece| [(piece.from.max(at), piece.at(piece.from.max(at))), (piece.to, piece.end)]);
        let mut points: Vec<(f64, f64)> = before.chain(after).collect();
        points.dedup();
        Self { points }
    }

    /// The mean of two profiles, in which this one counts so much, 0 to 1.
    #[must_use]
    pub fn mixed(&self, share: f64, other: &Self) -> Self {
        let mixed = |ours: f64, theirs: f64| share * ours + (1.0 - share) * theirs;
        let (ours, theirs) = (self.pieces(), other.pieces());
        let (mut i, mut j, mut from) = (0, 0, 0.0);
        let mut points = Vec::with_capacity(2 * (ours.len() + theirs.len()));
        while i < ours.len() && j < theirs.len() {
            let to = ours[i].to.min(theirs[j].to);
            points.extend([from, to].map(|soc| (soc, mixed(ours[i].at(soc), theirs[j].at(soc)))));
            (i, j) = (i + usize::from(ours[i].to <= to), j + usize::from(theirs[j].to <= to));
            from = to;
        }
        points.dedup();
        Self { points }
    }

    /// The SoC values at which the profile has a point, each once, rising.
    pub fn knots(&self) -> Vec<f64> {
        let mut knots: Vec<f64> = self.points.iter().map(|point| point.0).collect();
        knots.dedup();
        knots
    }
}

/// Appends the lower of two straight lines between `from` and `to`.
fn push_lower(points: &mut Vec<(f64, f64)>, a: &Piece, b: &Piece, from: f64, to: f64) {
    let (a0, a1, b0, b1) = (a.at(from), a.at(to), b.at(from), b.at(to));
    let start = (from, a0.min(b0));
    if points.last() != Some(&start) {
        points.push(start);
    }
    if (a0 - b0) * (a1 - b1) < 0.0 {
        let share = (a0 - b0) / ((a0 - b0) - (a1 - b1));
        points.push((from + share * (to - from), a0 + share * (a1 - a0)));
    }
    points.push((to, a1.min(b1)));
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn profile() -> impl Strategy<Value = Profile> {
        prop::collection::vec((0u32..=100, 0.1f64..300.0), 1..12).prop_map(|mut points| {
            points.sort_by_key(|point| point.0);
            Profile::new(points.into_iter().map(|(soc, kw)| (f64::from(soc), kw)).collect()).unwrap()
        })
    }

    #[test]
    fn flat_outside_and_steps_stay_steps() {
        let p = Profile::new(vec![(10.0, 100.0), (50.0, 80.0), (50.0, 40.0), (90.0, 20.0)]).unwrap();
        assert_eq!(
            [0.0, 10.0, 30.0, 50.0, 70.0, 90.0, 100.0].map(|s| p.at(s)),
            [100.0, 100.0, 90.0, 40.0, 30.0, 20.0, 20.0]
        );
        assert_eq!(p.pieces().len(), 4);
        assert_eq!(p.pieces()[1].end, 80.0);
    }

    #[test]
    fn refuses_what_is_not_a_curve() {
        assert_eq!(Profile::new(vec![]), Err(ProfileError::Empty));
        assert!(matches!(Profile::new(vec![(0.0, 1.0), (101.0, 1.0)]), Err(ProfileError::SocOutside { index: 1, .. })));
        assert!(matches!(Profile::new(vec![(9.0, 1.0), (3.0, 1.0)]), Err(ProfileError::Unordered { index: 1, .. })));
        assert!(matches!(Profile::new(vec![(9.0, f64::NAN)]), Err(ProfileError::BadValue { index: 0, .. })));
    }

    proptest! {
        #[test]
        fn lower_of_two_is_the_lower_everywhere(a in profile(), b in profile(), at in 0.0f64..100.0) {
            let lower = a.min(&b);
            prop_assert!((lower.at(at) - a.at(at).min(b.at(at))).abs() < 1e-9);
        }

        #[test]
        fn pieces_cover_the_whole_range(p in profile()) {
            let pieces = p.pieces();
            prop_assert_eq!(pieces[0].from, 0.0);
            prop_assert_eq!(pieces[pieces.len() - 1].to, 100.0);
            prop_assert!(pieces.windows(2).all(|pair| pair[0].to == pair[1].from));
        }
    }
}
