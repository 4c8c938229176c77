//! What a stop costs under the trip's goal: the only place where minutes and money of a charge are weighed.

use spare_hour_core::quantity::{Energy, Minutes, Soc, SocSpan};
use spare_hour_core::trip::{Price, TripDraft};

/// Where minutes tie, money decides, then the number of stops: weights too small to move a plan by a second.
const TIE_MONEY: f64 = 1e-6;
const TIE_STOP: f64 = 1e-9;

/// What a charge costs at a site, in minutes or minutes' worth: `per_minute` of charging, `per_percent` of SoC gained, and
/// `fixed` once.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StopCost {
    pub(crate) per_minute: f64,
    pub(crate) per_percent: f64,
    pub(crate) fixed: f64,
}

impl StopCost {
    /// What the trip's goal counts, and nothing else: for the bound.
    pub(crate) fn pure(trip: &TripDraft, price: Price, overhead: Minutes) -> Self {
        Self::weigh(trip, price, overhead, minutes_per_money(trip).unwrap_or(0.0), 0.0)
    }

    /// What the trip's goal counts, with ties broken: for choosing.
    pub(crate) fn with_ties_broken(trip: &TripDraft, price: Price, overhead: Minutes) -> Self {
        Self::weigh(trip, price, overhead, minutes_per_money(trip).unwrap_or(TIE_MONEY), TIE_STOP)
    }

    fn weigh(trip: &TripDraft, price: Price, overhead: Minutes, money: f64, stop: f64) -> Self {
        Self {
            per_minute: 1.0 + money * price.per_min,
            per_percent: money * price.per_kwh * plug_energy(trip, SocSpan::points(1.0)).get(),
            fixed: overhead.get() + money * price.per_session + stop,
        }
    }

    /// A charge of so many minutes that gains so many points, without what is due once.
    pub(crate) fn charge(&self, minutes: f64, points: f64) -> f64 {
        self.per_minute * minutes + self.per_percent * points
    }
}

/// How many minutes a unit of money is worth, when an hour has a value.
pub(crate) fn minutes_per_money(trip: &TripDraft) -> Option<f64> {
    trip.goal.value_of_time_per_hour.map(|value| 60.0 / value)
}

/// Energy that leaves the plug for a gain in SoC.
pub(crate) fn plug_energy(trip: &TripDraft, gained: SocSpan) -> Energy {
    trip.vehicle.stored(gained) * (1.0 / trip.vehicle.stored_share())
}

/// What a stop asks in money.
pub(crate) fn money(trip: &TripDraft, price: Price, arrive: Soc, depart: Soc, charge: Minutes) -> f64 {
    price.per_kwh * plug_energy(trip, depart - arrive).get() + price.per_min * charge.get() + price.per_session
}
