//! Which plans of a trade are best at some value of an hour: the corners of its lower hull.

use super::ClockPlan;

/// The plans that are best at some value of an hour, the fastest first.
///
/// `plans` in order of door-to-door time, each cheaper than the one before, as [`Trade::plans`](super::Trade::plans) are. The
/// value of an hour at which one takes over from the one before falls from each to the next.
pub fn best_at_some_value(plans: &[ClockPlan]) -> Vec<&ClockPlan> {
    let mut hull: Vec<&ClockPlan> = Vec::new();
    for plan in plans {
        while let [.., before, last] = hull[..]
            && saved_a_minute(before, last) <= saved_a_minute(last, plan)
        {
            hull.pop();
        }
        hull.push(plan);
    }
    hull
}

/// Money saved by each minute more.
fn saved_a_minute(fast: &ClockPlan, cheap: &ClockPlan) -> f64 {
    (fast.cost - cheap.cost) / (cheap.total - fast.total).get().max(1e-9)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::{Minutes, Soc};

    fn plan(minutes: f64, cost: f64) -> ClockPlan {
        ClockPlan {
            stops: Vec::new(),
            last_drive: Minutes::new(minutes),
            total: Minutes::new(minutes),
            cost,
            arrival: Soc::percent(10.0),
            roadside: Vec::new(),
        }
    }

    #[test]
    fn the_corners_are_the_plans_that_some_value_of_an_hour_asks_for() {
        // By hand: from (100, 50) to (110, 30) each minute saves 2; (105, 45) lies above that line; (200, 20) saves 0.11.
        let plans = [plan(100.0, 50.0), plan(105.0, 45.0), plan(110.0, 30.0), plan(200.0, 20.0)];
        let corners: Vec<f64> = best_at_some_value(&plans).iter().map(|plan| plan.total.get()).collect();
        assert_eq!(corners, [100.0, 110.0, 200.0]);
        // Without a hull: at each of many values of a minute, the plan of least minutes times value plus money.
        for step in 0..4000 {
            let value = 0.0013 * f64::from(step) + 0.0001;
            let worth = |plan: &&ClockPlan| value * plan.total.get() + plan.cost;
            let best = plans.iter().min_by(|a, b| worth(a).total_cmp(&worth(b))).map(|plan| plan.total.get());
            assert!(best.is_some_and(|best| corners.contains(&best)), "value {value}");
        }
    }
}
