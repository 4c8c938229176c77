//! Clock and money of labels that no other label beats in both.

use std::cell::Cell;

/// Steps that go on in minutes and down in money.
#[derive(Clone, Debug, Default)]
pub(crate) struct Staircase {
    /// Minute and money; minutes rise, money falls.
    steps: Vec<(f64, f64)>,
}

impl Staircase {
    /// Whether some step is no later and no dearer, but for slacks.
    pub(crate) fn beats(&self, minute: f64, money: f64, slack: (f64, f64)) -> bool {
        let until = self.steps.partition_point(|step| step.0 <= minute + slack.0);
        until > 0 && self.steps[until - 1].1 <= money + slack.1
    }

    /// Whether steps, but for slacks, are no later and no dearer than every point that is at least as late and as dear as one and
    /// not below some slanted lines: `above` tells whether all of those are beyond a corner between two steps. `near` is where the one
    /// before was, near which it is looked for.
    pub(crate) fn beats_all_above(
        &self,
        least: (f64, f64),
        slack: (f64, f64),
        near: &Cell<usize>,
        above: impl Fn((f64, f64)) -> bool,
    ) -> bool {
        let until = self.steps_until(least.0 + slack.0, near.get());
        near.set(until);
        for at in until.saturating_sub(1)..if until > 0 { self.steps.len() } else { 0 } {
            let (money, next) = (self.steps[at].1 - slack.1, self.steps.get(at + 1));
            if money <= least.1 {
                return true;
            }
            if !next.is_some_and(|next| above((next.0 - slack.0, money))) {
                return false;
            }
        }
        false
    }

    /// How many steps there are until a minute: looked for first near a number of them.
    fn steps_until(&self, minute: f64, near: usize) -> usize {
        let until = |step: &(f64, f64)| step.0 <= minute;
        let (mut from, mut wide) = (near.min(self.steps.len()), 1);
        while from > 0 && !until(&self.steps[from - 1]) {
            from = from.saturating_sub(wide);
            wide *= 2;
        }
        let mut to = from;
        while to < self.steps.len() && until(&self.steps[to]) {
            (from, to) = (to + 1, to + wide);
            wide *= 2;
        }
        let to = to.min(self.steps.len());
        from + self.steps[from..to].partition_point(until)
    }

    /// Fewer steps, so far apart in minutes or money.
    pub(crate) fn thinned(&self, apart: (f64, f64)) -> Self {
        let mut steps: Vec<(f64, f64)> = Vec::new();
        for (index, &step) in self.steps.iter().enumerate() {
            let is_apart = |last: &(f64, f64)| step.0 > last.0 + apart.0 || step.1 < last.1 - apart.1;
            if steps.last().is_none_or(is_apart) || index + 1 == self.steps.len() {
                steps.push(step);
            }
        }
        Self { steps }
    }

    /// Adds a step, unless one beats it but for slacks; whether it was added.
    pub(crate) fn add(&mut self, minute: f64, money: f64, slack: (f64, f64)) -> bool {
        // Mostly they come in order.
        if let Some(last) = self.steps.last().filter(|last| last.0 < minute && slack.0 >= 0.0) {
            let beaten = last.1 <= money + slack.1;
            if !beaten {
                self.steps.push((minute, money));
            }
            return !beaten;
        }
        if self.beats(minute, money, slack) {
            return false;
        }
        let at = self.steps.partition_point(|step| step.0 < minute);
        let beaten = self.steps[at..].iter().take_while(|step| step.1 >= money).count();
        self.steps.splice(at..at + beaten, [(minute, money)]);
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keeps_what_nothing_beats() {
        let mut stairs = Staircase::default();
        assert!(
            stairs.add(10.0, 5.0, (0.0, 0.0)) && stairs.add(12.0, 3.0, (0.0, 0.0)) && stairs.add(8.0, 9.0, (0.0, 0.0))
        );
        assert!(!stairs.add(12.0, 4.0, (0.0, 0.0)) && !stairs.add(13.0, 3.0, (0.0, 0.0)));
        assert!(stairs.add(9.0, 2.0, (0.0, 0.0)));
        assert_eq!(stairs.steps, [(8.0, 9.0), (9.0, 2.0)]);
        assert!(!stairs.add(8.9, 2.05, (0.2, 0.1)) && stairs.beats(9.0, 2.0, (0.0, 0.0)));
    }

    #[test]
    fn thinned_steps_are_some_of_them_and_leave_out_little() {
        let mut stairs = Staircase::default();
        for step in 0..200 {
            let at = f64::from(step);
            stairs.add(0.13 * at + 5.0 * (at / 40.0).floor(), 90.0 - 0.4 * at, (0.0, 0.0));
        }
        let few = stairs.thinned((1.0, 3.0));
        assert!(few.steps.len() < 60 && few.steps.iter().all(|step| stairs.steps.contains(step)), "{few:?}");
        assert!(stairs.steps.iter().all(|step| few.beats(step.0, step.1, (0.0, 3.0))));
    }

    #[test]
    fn what_it_beats_whole_it_beats_at_every_point() {
        let mut random = fastrand::Rng::with_seed(5);
        let (mut beaten, mut not) = (0, 0);
        for _ in 0..4_000 {
            let mut stairs = Staircase::default();
            for _ in 0..random.usize(1..7) {
                stairs.add(10.0 * random.f64(), 10.0 * random.f64(), (0.0, 0.0));
            }
            let least = (10.0 * random.f64(), 10.0 * random.f64());
            let (slack, worth) = ((0.3 * random.f64(), 0.3 * random.f64()), 0.2 + 3.0 * random.f64());
            // Nothing is below the line through a point that is a little above the least.
            let line = least.0 + worth * least.1 + 6.0 * random.f64();
            let above = |corner: (f64, f64)| line >= corner.0 + worth * corner.1;
            // By hand: points of the region at random, and on its slanted edge, where it is nearest to the steps.
            let mut points: Vec<(f64, f64)> =
                (0..60).map(|_| (least.0 + 12.0 * random.f64(), least.1 + 12.0 * random.f64())).collect();
            points.retain(|point| point.0 + worth * point.1 >= line);
            let on_edge = (0..200).map(|step| least.0 + 0.06 * f64::from(step));
            points.extend(on_edge.map(|minute| (minute, ((line - minute) / worth).max(least.1))));
            let all = points.iter().all(|point| stairs.beats(point.0, point.1, (slack.0 + 1e-9, slack.1 + 1e-9)));
            let near = Cell::new(random.usize(0..9));
            if stairs.beats_all_above(least, slack, &near, above) {
                assert!(all, "{:?} does not beat all above {least:?} and {line} at {worth}", stairs.steps);
                beaten += 1;
            } else {
                not += usize::from(!all);
            }
        }
        // It is of use: it says so often, and rightly says the other.
        assert!(beaten > 300 && not > 1_000, "{beaten} beaten, {not} rightly not");
    }
}
