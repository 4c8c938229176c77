//! A pause on one of the days of a trip.

/// A pause on one of its days.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Occasion {
    /// Which of the pauses that are wished for.
    pub(crate) pause: usize,
    /// It begins in this span of the trip's minutes.
    pub(crate) from: f64,
    pub(crate) to: f64,
    pub(crate) length: f64,
}

/// An occasion by its place among those of a trip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct OccasionIndex(u8);

/// Most occasions of a trip: each is a bit of a mask.
pub(crate) const MOST_OCCASIONS: usize = 30;

impl OccasionIndex {
    /// Its bit in the mask of occasions that are taken.
    pub(crate) fn bit(self) -> u32 {
        1 << self.0
    }
}

impl From<usize> for OccasionIndex {
    fn from(index: usize) -> Self {
        debug_assert!(index < MOST_OCCASIONS, "a bit of a mask");
        Self(index as u8)
    }
}

impl From<OccasionIndex> for usize {
    fn from(index: OccasionIndex) -> Self {
        Self::from(index.0)
    }
}
