//! The minutes of charges from one SoC to others: what the clock of a charge from 0 % shows at both, one less the other.

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Minutes, Soc};

use super::clock_trip::ClockTrip;
use crate::model::road_index::RoadIndex;

/// The minutes of charges from one SoC.
#[derive(Clone, Copy)]
pub(super) struct ChargeWalk<'a> {
    trip: &'a ClockTrip,
    node: RoadIndex,
    pub(super) from: f64,
    /// Minutes from 0 % to where it began; `None` where a boost makes minutes depend on that.
    from_empty: Option<f64>,
    pub(super) kwh_a_point: f64,
}

/// Minutes of a charge from 0 % to a SoC.
pub(super) fn from_empty(stall: &Stall, soc: f64) -> f64 {
    stall.minutes(Soc::percent(0.0), Soc::percent(soc)).get()
}

impl<'a> ChargeWalk<'a> {
    pub(super) fn new(trip: &'a ClockTrip, node: RoadIndex, from: f64) -> Self {
        let stall = &trip.problem.stalls[node];
        let from_empty = stall.boost().is_none().then(|| from_empty(stall, from));
        Self { trip, node, from, from_empty, kwh_a_point: trip.kwh_a_point(node) }
    }

    /// Minutes to a SoC, to which a charge from 0 % takes so many; less than nought where it is below where this began.
    pub(super) fn minutes(&self, to: f64, to_from_empty: f64) -> f64 {
        match self.from_empty {
            Some(from_empty) => to_from_empty - from_empty,
            None => self.trip.problem.stalls[self.node].minutes(Soc::percent(self.from), Soc::percent(to)).get(),
        }
    }

    /// Minutes to a SoC.
    pub(super) fn minutes_to(&self, to: f64) -> f64 {
        self.minutes(to, self.from_empty.map_or(0.0, |_| from_empty(&self.trip.problem.stalls[self.node], to)))
    }

    /// The SoC after so many minutes.
    pub(super) fn soc_after(&self, minutes: f64) -> f64 {
        let (from, before) = self.from_empty.map_or((self.from, 0.0), |from_empty| (0.0, from_empty));
        self.trip.problem.stalls[self.node].soc_after(Soc::percent(from), Minutes::new(before + minutes)).get()
    }

    /// Amperes of so much from the plug in so many minutes, from a SoC on; `None` where the pack's voltage is not known.
    pub(super) fn amps(&self, soc: f64, kwh: f64, minutes: f64) -> Option<f64> {
        let volts = self.trip.problem.trip.vehicle.pack_voltage.as_ref()?.at(soc);
        (minutes > 0.0).then(|| 60_000.0 * kwh / minutes / volts)
    }
}
