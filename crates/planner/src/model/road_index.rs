//! Sites counted in driving order, which is not the order in which a trip lists them
//! ([`SiteIndex`](spare_hour_core::trip::SiteIndex)).

/// A site by its place along the road: 0 is the first that is passed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct RoadIndex(pub(crate) usize);

impl From<usize> for RoadIndex {
    fn from(index: usize) -> Self {
        Self(index)
    }
}

impl From<RoadIndex> for usize {
    fn from(index: RoadIndex) -> Self {
        index.0
    }
}
