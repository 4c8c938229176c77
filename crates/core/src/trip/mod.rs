//! A trip: the car, the road, the sites along it and what is wanted. A [`TripDraft`] holds any numbers; a [`Trip`] holds
//! numbers that can be driven and planned.
mod check;
pub mod opening_hours;
pub mod road_log;
pub mod site_details;
pub mod under_way;
pub mod wishes;

use std::ops::Deref;

use crate::charging::profile::Profile;
use crate::driving::route::Route;
use crate::quantity::{Current, Distance, Energy, Minutes, Power, Soc, SocSpan, Speed};
use crate::refused::Refused;
use crate::trip::site_details::SiteDetails;

/// Most sites that a trip may have.
pub const MOST_SITES: usize = 1_000;
/// Most segments that a route may have.
pub const MOST_SEGMENTS: usize = 20_000;
/// Most points that a charge curve or a voltage curve may have.
pub const MOST_CURVE_POINTS: usize = 2_000;

/// A higher charge curve for the first minutes, if charging starts low enough.
#[derive(Clone, Debug, PartialEq)]
pub struct Boost {
    /// For how long after current begins.
    pub time: Minutes,
    /// The highest SoC at the start of the charge that still gets it.
    pub max_start: Soc,
    /// Power into the battery in kW meanwhile, in place of the car's charge curve.
    pub charge_curve: Profile,
}

/// What the planner needs to know of a car.
#[derive(Clone, Debug, PartialEq)]
pub struct Vehicle {
    /// Energy stored between shown 0 and 100 %.
    pub usable: Energy,
    /// Power into the battery in kW over SoC.
    pub charge_curve: Profile,
    /// Share of the plug's energy that is not stored, in % of the plug's energy.
    pub charge_loss_percent: f64,
    /// Pack voltage in V over SoC, for sites that limit current.
    pub pack_voltage: Option<Profile>,
    /// See [`Boost`].
    pub boost: Option<Boost>,
}

impl Vehicle {
    /// The part of the plug's power that reaches the battery, 0 to 1.
    pub fn stored_share(&self) -> f64 {
        1.0 - self.charge_loss_percent / 100.0
    }

    /// Energy between two SoC values at the battery.
    pub fn stored(&self, points: SocSpan) -> Energy {
        self.usable * (points.get() / 100.0)
    }
}

/// What a site charges, in the trip's currency.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Price {
    /// Per kWh that leaves the plug.
    pub per_kwh: f64,
    /// Per minute of charging.
    pub per_min: f64,
    /// Once per stop.
    pub per_session: f64,
}

/// A place to charge.
#[derive(Clone, Debug, PartialEq)]
pub struct Site {
    /// Identifier, unique in the trip.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// Where the way to it leaves the route.
    pub at: Distance,
    /// Way from the route to the stall; the same back.
    pub off_route: Distance,
    /// Speed on that way.
    pub off_route_speed: Speed,
    /// Most power at the plug.
    pub max_power: Power,
    /// Most current at the plug.
    pub max_current: Option<Current>,
    /// Fixed minutes of a stop: park, handshake, expected wait, unplug.
    pub overhead: Minutes,
    /// What it charges.
    pub price: Price,
    /// What else is known of it.
    pub details: SiteDetails,
}

/// What the driver wants.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Goal {
    /// SoC at departure.
    pub start: Soc,
    /// Least SoC on arrival at any stall.
    pub floor: Soc,
    /// Least SoC at the destination.
    pub arrival: Soc,
    /// Least SoC anywhere along the road; see [`Goal::least_on_way`] for when it is left out.
    pub on_way: Option<Soc>,
    /// Most SoC on leaving a stall.
    pub ceiling: Soc,
    /// What an hour is worth in the trip's currency; without it minutes alone count.
    pub value_of_time_per_hour: Option<f64>,
}

impl Goal {
    /// What a new trip wants until the driver says: 90 % at departure, at least 10 % at any stall and 15 % at the destination,
    /// time alone. Common practice, no published source.
    pub const USUAL: Self = Self {
        start: Soc::percent(90.0),
        floor: Soc::percent(10.0),
        arrival: Soc::percent(15.0),
        on_way: None,
        ceiling: Soc::percent(100.0),
        value_of_time_per_hour: None,
    };

    /// Least SoC anywhere along the road: the lesser of the floor and the SoC at the destination, unless told.
    pub fn least_on_way(&self) -> Soc {
        let usual = if self.floor < self.arrival { self.floor } else { self.arrival };
        self.on_way.unwrap_or(usual)
    }
}

/// A trip as it was written: its numbers may be anything.
#[derive(Clone, Debug)]
pub struct TripDraft {
    /// Name for people.
    pub name: String,
    /// The car.
    pub vehicle: Vehicle,
    /// The road.
    pub route: Route,
    /// Sites in any order.
    pub sites: Vec<Site>,
    /// What is wanted.
    pub goal: Goal,
}

/// Which of a trip's sites, in the order in which the trip lists them: the file's order, not the road's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SiteIndex(usize);

impl SiteIndex {
    /// The position in the list of sites.
    pub fn get(self) -> usize {
        self.0
    }
}

/// A trip to plan: every number is one that can be driven and planned.
#[derive(Clone, Debug)]
pub struct Trip(TripDraft);

impl Deref for Trip {
    type Target = TripDraft;

    fn deref(&self) -> &TripDraft {
        &self.0
    }
}

impl Trip {
    /// The trip of a draft.
    ///
    /// # Errors
    /// The first field that cannot be, by its place in trip JSON.
    pub fn new(draft: TripDraft) -> Result<Self, Refused> {
        draft.check()?;
        Ok(Self(draft))
    }

    /// The draft, to be changed and checked anew.
    pub fn into_draft(self) -> TripDraft {
        self.0
    }

    /// The same trip without some of its sites: fewer are always possible.
    #[must_use]
    pub fn without_sites(mut self, left_out: impl Fn(&Site) -> bool) -> Self {
        self.0.sites.retain(|site| !left_out(site));
        self
    }

    /// The same trip with the power into the battery over SoC, kW, of a charge that is under way at one of its sites.
    #[must_use]
    pub fn with_charge(mut self, id: &str, power: Profile) -> Self {
        if let Some(site) = self.0.sites.iter_mut().find(|site| site.id == id) {
            site.details.charging = Some(power);
        }
        self
    }

    /// One of its sites.
    pub fn site(&self, index: SiteIndex) -> &Site {
        &self.0.sites[index.0]
    }

    /// Its sites with their indices, as listed.
    pub fn indexed_sites(&self) -> impl Iterator<Item = (SiteIndex, &Site)> {
        self.0.sites.iter().enumerate().map(|(index, site)| (SiteIndex(index), site))
    }

    /// The site of an identifier.
    pub fn find_site(&self, id: &str) -> Option<SiteIndex> {
        self.0.sites.iter().position(|site| site.id == id).map(SiteIndex)
    }
}
