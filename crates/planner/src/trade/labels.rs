//! Labels of a search: ways to have left or reached a place, told by clock, money, SoC, and what else tells them apart.

use std::collections::BTreeMap;

use super::occasion::OccasionIndex;
use super::staircase::Staircase;
use crate::model::leg::Node;

/// The plans that a label of an optimistic search stands for: with so many points less than the label at most; who has more of these
/// is so much later and dearer at least, in proportion.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Wide {
    pub(super) points: f64,
    pub(super) minutes: f64,
    pub(super) money: f64,
}

/// Where a label may be driven on to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Goes {
    Anywhere,
    ToSites,
    ToTheEnd,
}

/// What was decided about a stop, but for where and with what it is left.
#[derive(Clone, Copy)]
pub(super) struct Decided {
    pub(super) not_before: f64,
    pub(super) pause: Option<OccasionIndex>,
    pub(super) rest: bool,
    pub(super) roadside: Option<OccasionIndex>,
}

/// One of the labels that left a node.
#[derive(Clone, Copy)]
pub(super) struct LabelId {
    /// The place of the node among those that were left.
    pub(super) from: u32,
    pub(super) label: u32,
}

/// A label on leaving a node.
#[derive(Clone, Copy)]
pub(super) struct Label {
    pub(super) minute: f64,
    pub(super) money: f64,
    pub(super) driven: f64,
    pub(super) taken: u32,
    pub(super) stops: u32,
    pub(super) depart: f64,
    pub(super) wide: Wide,
    pub(super) goes: Goes,
    /// The label before, none at the start.
    pub(super) before: Option<LabelId>,
    /// What was decided, as of a [`Choice`].
    pub(super) decided: Decided,
}

/// An arrival at a site.
#[derive(Clone, Copy)]
pub(super) struct Arrival {
    pub(super) minute: f64,
    pub(super) money: f64,
    pub(super) driven: f64,
    pub(super) taken: u32,
    pub(super) stops: u32,
    pub(super) soc: f64,
    pub(super) wide: Wide,
    pub(super) before: LabelId,
    pub(super) roadside: Option<OccasionIndex>,
}

/// A label, or those of its plans that may drive a leg.
#[derive(Clone, Copy)]
pub(super) struct Along {
    pub(super) minute: f64,
    pub(super) money: f64,
    pub(super) depart: f64,
    pub(super) wide: Wide,
}

/// The labels that left a node.
pub(super) struct SetOut {
    pub(super) node: Node,
    pub(super) labels: Vec<Label>,
    /// Minute and money of each,
    pub(super) clock: Vec<(f64, f64)>,
    /// and of those beside each other that left with one SoC the first, and the place after the last.
    pub(super) runs: Vec<(usize, usize)>,
}

impl SetOut {
    pub(super) fn new(node: Node, labels: Vec<Label>) -> Self {
        let ends = labels.chunk_by(|one, next| one.depart == next.depart).scan(0, |end, run| {
            let first = *end;
            *end += run.len();
            Some((first, *end))
        });
        Self { node, clock: labels.iter().map(|at| (at.minute, at.money)).collect(), runs: ends.collect(), labels }
    }
}

/// How one arrives: after a label, by one of the ways to drive from there.
#[derive(Clone, Copy)]
pub(super) struct Arrives {
    pub(super) before: LabelId,
    pub(super) way: u8,
}

impl Arrives {
    /// After so many labels more.
    pub(super) fn later(self, labels: usize) -> Self {
        Self { before: LabelId { label: self.before.label + labels as u32, ..self.before }, ..self }
    }

    /// Another for each.
    pub(super) fn number(self) -> u64 {
        u64::from(self.before.from) << 40 | u64::from(self.before.label) << 8 | u64::from(self.way)
    }
}

/// Labels that may only be held against each other: pauses taken, stops made, drive since a rest, and SoC where a boost
/// depends on it.
pub(super) type Kind = (u32, u32, u32, u64);

/// A staircase for each kind.
#[derive(Default)]
pub(super) struct Stairs(BTreeMap<Kind, Staircase>);

impl Stairs {
    pub(super) fn of(&mut self, kind: Kind) -> &mut Staircase {
        self.0.entry(kind).or_default()
    }
}
