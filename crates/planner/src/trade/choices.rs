//! What is decided on a way to drive: at which sites to stop, when to plug in, with what to leave, where to pause.

use super::occasion::OccasionIndex;
use crate::model::road_index::RoadIndex;

/// What was decided about one stop.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Choice {
    pub(crate) node: RoadIndex,
    pub(crate) depart: f64,
    /// Do not plug in before this minute of the trip; 0 at once.
    pub(crate) not_before: f64,
    /// The occasion that is taken here.
    pub(crate) pause: Option<OccasionIndex>,
    /// Whether one stands for the rest between drives.
    pub(crate) rest: bool,
    /// The occasion that was taken at the roadside on the way here.
    pub(crate) roadside: Option<OccasionIndex>,
}

/// A way to drive: its stops, and an occasion taken on the last leg.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Choices {
    pub(crate) stops: Vec<Choice>,
    pub(crate) last_roadside: Option<OccasionIndex>,
}

impl Choices {
    /// Stops left with these `SoCs`, charged at once.
    pub(crate) fn without_a_clock(departures: &[(RoadIndex, f64)]) -> Self {
        let choice = |&(node, depart): &(RoadIndex, f64)| Choice {
            node,
            depart,
            not_before: 0.0,
            pause: None,
            rest: false,
            roadside: None,
        };
        Self { stops: departures.iter().map(choice).collect(), last_roadside: None }
    }
}
