//! Clock and money of labels that no other label beats in both.

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
    /// not below some slanted lines: `above` tells whether all of those are beyond a corner between two steps.
    pub(crate) fn beats_all_above(
        &self,
        least: (f64, f64),
        slack: (f64, f64),
        above: impl Fn((f64, f64)) -> bool,
    ) -> bool {
        let until = self.steps.partition_point(|step| step.0 <= least.0 + slack.0);
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

    /// Adds a step, unless one beats it but for slacks; whether it was added.
    pub(crate) fn add(&mut self, minute: f64, money: f64, slack: (f64, f64)) -> bool {
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
}
