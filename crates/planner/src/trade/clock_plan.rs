//! A plan with its clock: when it comes to each stop, waits, charges, stands on and leaves.

use spare_hour_core::money::receipt::Receipt;
use spare_hour_core::quantity::{Energy, Minutes, Soc};
use spare_hour_core::trip::SiteIndex;

use crate::model::plan::{Plan, Stop};

/// A stop of a plan with its clock.
#[derive(Clone, Debug)]
pub struct ClockStop {
    /// Which of the sites of the trip that was planned.
    pub site: SiteIndex,
    /// Drive to the stall, from the stall before or the start, with what was paused on the way.
    pub drive: Minutes,
    /// SoC on arrival.
    pub arrive: Soc,
    /// SoC on leaving.
    pub depart: Soc,
    /// When the car arrives at the stall, minutes after the departure.
    pub reached: Minutes,
    /// Fixed minutes.
    pub overhead: Minutes,
    /// Waiting before plugging in.
    pub wait: Minutes,
    /// Charging.
    pub charge: Minutes,
    /// When it leaves.
    pub leaves: Minutes,
    /// The pause that is taken here, by its place among the wishes.
    pub pause: Option<usize>,
    /// Energy from the plug.
    pub plug: Energy,
    /// What the stop costs.
    pub cost: f64,
    /// Its receipt, where the site asks a tariff.
    pub receipt: Option<Receipt>,
}

/// A plan with its clock.
#[derive(Clone, Debug)]
pub struct ClockPlan {
    /// The stops.
    pub stops: Vec<ClockStop>,
    /// Drive from the last stop to the end.
    pub last_drive: Minutes,
    /// Door to door.
    pub total: Minutes,
    /// Money.
    pub cost: f64,
    /// SoC at the end.
    pub arrival: Soc,
    /// Pauses at the roadside: by their place among the wishes.
    pub roadside: Vec<usize>,
}

impl ClockStop {
    /// When current flows, minutes after the departure.
    pub fn begins(&self) -> Minutes {
        self.reached + self.overhead + self.wait
    }

    /// Minutes that one stands on when the charge is over.
    pub fn stands_on(&self) -> Minutes {
        let stood = self.leaves - self.reached - self.overhead - self.wait - self.charge;
        Minutes::new(stood.get().max(0.0))
    }
}

impl ClockPlan {
    /// Minutes at the wheel and paused at the roadside.
    pub fn drive(&self) -> Minutes {
        self.stops.iter().map(|stop| stop.drive).fold(self.last_drive, |sum, drive| sum + drive)
    }

    /// Minutes of charging at all stops.
    pub fn charge(&self) -> Minutes {
        self.stops.iter().map(|stop| stop.charge).fold(Minutes::new(0.0), |sum, charge| sum + charge)
    }

    /// A stop that is left as soon as it is charged begins at a minute of the trip.
    fn stop_at(stop: &Stop, reached: Minutes) -> ClockStop {
        ClockStop {
            site: stop.site,
            drive: stop.drive,
            arrive: stop.arrive,
            depart: stop.depart,
            reached,
            overhead: stop.overhead,
            wait: Minutes::new(0.0),
            charge: stop.charge,
            leaves: reached + stop.overhead + stop.charge,
            pause: None,
            plug: stop.plug,
            cost: stop.cost,
            receipt: None,
        }
    }
}

impl From<&Plan> for ClockPlan {
    /// A plan without a clock: nobody waits or stands on.
    fn from(plan: &Plan) -> Self {
        let mut left = Minutes::new(0.0);
        let stop = |stop: &Stop| {
            let stop = Self::stop_at(stop, left + stop.drive);
            left = stop.leaves;
            stop
        };
        Self {
            stops: plan.stops.iter().map(stop).collect(),
            last_drive: plan.last_drive,
            total: plan.total,
            cost: plan.cost,
            arrival: plan.arrival,
            roadside: Vec::new(),
        }
    }
}
