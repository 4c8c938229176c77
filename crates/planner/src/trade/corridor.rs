//! Where a fine search looks: along the drives of plans that are known, with about the `SoCs` that they leave with.

use std::collections::HashMap;

use super::choices::Choices;
use crate::model::leg::Node;

/// Points of SoC by which a departure may be beside that of a known plan.
const WIDTH: f64 = 4.0;

/// The drives of known plans, each with the percents of SoC that it may begin with.
#[derive(Default)]
pub(crate) struct Corridor(HashMap<(Node, Node), Percents>);

/// A bit for each percent from 0 to 100.
#[derive(Clone, Copy, Default)]
struct Percents(u128);

impl Corridor {
    /// Around plans that leave with so much.
    pub(crate) fn around<'a>(plans: impl Iterator<Item = &'a Choices>, start: f64) -> Self {
        let mut all = Self::default();
        for plan in plans {
            let (mut from, mut soc) = (Node::Start, start);
            for stop in &plan.stops {
                all.widen(from, Node::Site(stop.node), soc);
                (from, soc) = (Node::Site(stop.node), stop.depart);
            }
            all.widen(from, Node::End, soc);
        }
        all
    }

    /// Whether a drive that begins with so much is along it.
    pub(crate) fn holds(&self, from: Node, to: Node, soc: f64) -> bool {
        self.0.get(&(from, to)).is_some_and(|percents| percents.0 & 1 << percent(soc) != 0)
    }

    fn widen(&mut self, from: Node, to: Node, soc: f64) {
        let percents = self.0.entry((from, to)).or_default();
        for at in percent(soc - WIDTH)..=percent(soc + WIDTH) {
            percents.0 |= 1 << at;
        }
    }
}

fn percent(soc: f64) -> u32 {
    soc.clamp(0.0, 100.0) as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::road_index::RoadIndex;

    #[test]
    fn it_is_as_wide_as_told_and_only_along_known_drives() {
        let plan = Choices::without_a_clock(&[(RoadIndex(2), 60.5), (RoadIndex(5), 99.0)]);
        let corridor = Corridor::around([&plan].into_iter(), 90.0);
        let (second, fifth) = (Node::Site(RoadIndex(2)), Node::Site(RoadIndex(5)));
        assert!(corridor.holds(Node::Start, second, 90.0) && !corridor.holds(Node::Start, fifth, 90.0));
        let held: Vec<f64> = (0..=100).map(f64::from).filter(|&soc| corridor.holds(second, fifth, soc)).collect();
        assert_eq!((held[0], held[held.len() - 1], held.len()), (56.0, 64.0, 9));
        assert!(corridor.holds(fifth, Node::End, 100.0) && !corridor.holds(fifth, Node::End, 94.9));
    }
}
