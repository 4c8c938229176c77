//! What would make a trip possible that cannot be driven: the least change of one wish.

use spare_hour_core::quantity::Soc;
use spare_hour_core::trip::Goal;
use spare_hour_planner::{Infeasible, Place};

/// A change that would make a trip possible.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Remedy {
    /// Arrive at the destination with less.
    ArriveWith(Soc),
    /// Arrive at stalls with less.
    LowerFloor(Soc),
    /// Start with more.
    StartWith(Soc),
    /// Charge up to 100 % at stalls.
    ChargeFull,
}

/// The changes that would close the leg in the way of a trip.
pub fn remedies(goal: &Goal, leg: &Infeasible) -> Vec<Remedy> {
    let mut remedies = Vec::new();
    let less = (leg.floor - leg.short).get().floor();
    if less >= 0.0 {
        let less = Soc::percent(less);
        remedies.push(if leg.to == Place::End { Remedy::ArriveWith(less) } else { Remedy::LowerFloor(less) });
    }
    let more = (goal.start + leg.short).get().ceil();
    if leg.from == Place::Start && goal.start.get() < 100.0 && more <= 100.0 {
        remedies.push(Remedy::StartWith(Soc::percent(more)));
    }
    if leg.from != Place::Start && goal.ceiling.get() < 100.0 {
        remedies.push(Remedy::ChargeFull);
    }
    remedies
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::{Distance, SocSpan};

    fn goal(start: f64, ceiling: f64) -> Goal {
        Goal {
            start: Soc::percent(start),
            floor: Soc::percent(10.0),
            arrival: Soc::percent(15.0),
            ceiling: Soc::percent(ceiling),
            on_way: None,
            value_of_time_per_hour: None,
        }
    }

    fn leg(from: Place, to: Place, short: f64) -> Infeasible {
        Infeasible {
            from,
            to,
            length: Distance::km(300.0),
            needed: Soc::percent(90.0 + short),
            available: Soc::percent(90.0),
            short: SocSpan::points(short),
            short_distance: Distance::km(10.0),
            floor: Soc::percent(10.0),
        }
    }

    #[test]
    fn the_least_change_of_each_wish() {
        let found = remedies(&goal(90.0, 80.0), &leg(Place::Start, Place::End, 4.2));
        assert_eq!(found, [Remedy::ArriveWith(Soc::percent(5.0)), Remedy::StartWith(Soc::percent(95.0))]);
        assert!(remedies(&goal(90.0, 80.0), &leg(Place::Start, Place::End, 20.0)).is_empty());
    }
}
