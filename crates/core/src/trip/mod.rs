//! A trip: the car, the road, the sites along it and what is wanted. [`Trip::check`] says whether it can be planned.
pub mod opening_hours;
pub mod site_details;

use thiserror::Error;

use crate::charging::profile::Profile;
use crate::driving::route::Route;
use crate::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Speed};
use crate::trip::site_details::{MOST_CONNECTORS, SiteDetails};

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
    pub fn stored(&self, points: Soc) -> Energy {
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
    /// Most SoC on leaving a stall.
    pub ceiling: Soc,
    /// What an hour is worth in the trip's currency; without it minutes alone count.
    pub value_of_time_per_hour: Option<f64>,
}

/// A trip to plan.
#[derive(Clone, Debug)]
pub struct Trip {
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

/// What is wrong with a trip, and where: `path` is the place in trip JSON, such as `sites[2].max_kw`.
#[derive(Clone, Debug, Error, PartialEq)]
#[error("{path}: {problem}")]
pub struct TripError {
    /// The place.
    pub path: String,
    /// What is wrong and what is expected.
    pub problem: String,
}

impl TripError {
    /// A problem at a place.
    pub fn new(path: impl Into<String>, problem: impl Into<String>) -> Self {
        Self { path: path.into(), problem: problem.into() }
    }
}

/// A number that lies in a range, with its name in trip JSON.
fn within(path: &str, value: f64, low: f64, high: f64, unit: &str) -> Result<(), TripError> {
    if value >= low && value <= high {
        return Ok(());
    }
    Err(TripError::new(path, format!("is {value}; expected {low} to {high} {unit}").trim_end()))
}

impl Trip {
    /// Whether every number is one that can be driven and planned.
    ///
    /// # Errors
    /// The first place that is wrong, with what is expected there.
    pub fn check(&self) -> Result<(), TripError> {
        self.vehicle.check()?;
        self.check_route()?;
        self.check_sites()?;
        self.goal.check()
    }

    fn check_route(&self) -> Result<(), TripError> {
        let segments = self.route.segments();
        if segments.is_empty() || segments.len() > MOST_SEGMENTS {
            let found = segments.len();
            return Err(TripError::new(
                "route.segments",
                format!("has {found} segments; expected 1 to {MOST_SEGMENTS}"),
            ));
        }
        for (index, segment) in segments.iter().enumerate() {
            let path = |field: &str| format!("route.segments[{index}].{field}");
            within(&path("km"), segment.length.get(), 0.001, 50_000.0, "km")?;
            within(&path("kmh"), segment.speed.get(), 1.0, 400.0, "km/h")?;
            within(&path("kwh_per_100km"), segment.consumption.get(), -200.0, 500.0, "kWh/100 km")?;
        }
        within("route.segments", self.route.length().get(), 0.001, 100_000.0, "km in all")
    }

    fn check_sites(&self) -> Result<(), TripError> {
        if self.sites.len() > MOST_SITES {
            let found = self.sites.len();
            return Err(TripError::new("sites", format!("has {found} sites; expected at most {MOST_SITES}")));
        }
        let mut ids = std::collections::HashMap::new();
        for (index, site) in self.sites.iter().enumerate() {
            site.check(index, self.route.length())?;
            if let Some(first) = ids.insert(site.id.as_str(), index) {
                return Err(TripError::new(
                    format!("sites[{index}].id"),
                    format!("is \"{}\" like sites[{first}].id; expected a different id for every site", site.id),
                ));
            }
        }
        Ok(())
    }
}

impl Vehicle {
    fn check(&self) -> Result<(), TripError> {
        within("vehicle.usable_kwh", self.usable.get(), 0.1, 2_000.0, "kWh")?;
        within("vehicle.charge_loss_percent", self.charge_loss_percent, 0.0, 90.0, "%")?;
        check_power("vehicle.charge_curve", &self.charge_curve)?;
        if let Some(voltage) = &self.pack_voltage {
            check_points("vehicle.pack_voltage", "v", voltage, 1.0, 2_000.0, "V")?;
        }
        let Some(boost) = &self.boost else {
            return Ok(());
        };
        within("vehicle.boost.minutes", boost.time.get(), 0.0, 1_440.0, "minutes")?;
        within("vehicle.boost.max_start_soc", boost.max_start.get(), 0.0, 100.0, "%")?;
        check_power("vehicle.boost.charge_curve", &boost.charge_curve)
    }
}

/// A charge curve: more than 0 kW everywhere but at 100 %, where it may be 0.
fn check_power(path: &str, curve: &Profile) -> Result<(), TripError> {
    check_points(path, "kw", curve, 0.0, 10_000.0, "kW")?;
    for (index, &(soc, kw)) in curve.points().iter().enumerate() {
        if kw <= 0.0 && soc < 100.0 {
            let problem = format!("is {kw}; expected more than 0 kW (0 is possible at 100 % only)");
            return Err(TripError::new(format!("{path}[{index}].kw"), problem));
        }
    }
    if curve.at(0.0) <= 0.0 {
        return Err(TripError::new(path, "has no power below 100 %; expected more than 0 kW"));
    }
    Ok(())
}

fn check_points(path: &str, name: &str, curve: &Profile, low: f64, high: f64, unit: &str) -> Result<(), TripError> {
    let found = curve.points().len();
    if found > MOST_CURVE_POINTS {
        return Err(TripError::new(path, format!("has {found} points; expected at most {MOST_CURVE_POINTS}")));
    }
    for (index, &(_, value)) in curve.points().iter().enumerate() {
        within(&format!("{path}[{index}].{name}"), value, low, high, unit)?;
    }
    Ok(())
}

impl Site {
    fn check(&self, index: usize, length: Distance) -> Result<(), TripError> {
        let path = |field: &str| format!("sites[{index}].{field}");
        if self.id.is_empty() {
            return Err(TripError::new(path("id"), "is empty; expected a text that names the site"));
        }
        if !(self.at.get() >= 0.0 && self.at.get() <= length.get() + 1e-6) {
            let problem = format!("is {}; expected 0 to {} km, the length of the route", self.at.get(), length.get());
            return Err(TripError::new(path("at_km"), problem));
        }
        within(&path("off_route_km"), self.off_route.get(), 0.0, 1_000.0, "km")?;
        within(&path("off_route_kmh"), self.off_route_speed.get(), 1.0, 400.0, "km/h")?;
        within(&path("max_kw"), self.max_power.get(), 0.1, 10_000.0, "kW")?;
        if let Some(current) = self.max_current {
            within(&path("max_a"), current.get(), 0.1, 10_000.0, "A")?;
        }
        within(&path("overhead_min"), self.overhead.get(), 0.0, 10_000.0, "minutes")?;
        within(
            &path("wait_min"),
            self.details.wait.get(),
            0.0,
            self.overhead.get(),
            "minutes, a part of overhead_min",
        )?;
        let found = self.details.connectors.len();
        if found > MOST_CONNECTORS {
            let problem = format!("has {found} kinds; expected at most {MOST_CONNECTORS}");
            return Err(TripError::new(path("connectors"), problem));
        }
        within(&path("price.per_kwh"), self.price.per_kwh, 0.0, 1e9, "")?;
        within(&path("price.per_min"), self.price.per_min, 0.0, 1e9, "")?;
        within(&path("price.per_session"), self.price.per_session, 0.0, 1e9, "")
    }
}

impl Goal {
    fn check(&self) -> Result<(), TripError> {
        within("goal.start_soc", self.start.get(), 0.0, 100.0, "%")?;
        within("goal.min_soc", self.floor.get(), 0.0, 100.0, "%")?;
        within("goal.arrival_soc", self.arrival.get(), 0.0, 100.0, "%")?;
        within("goal.max_soc", self.ceiling.get(), 0.0, 100.0, "%")?;
        if self.floor >= self.ceiling {
            let problem = format!("is {}; expected less than goal.max_soc, {}", self.floor.get(), self.ceiling.get());
            return Err(TripError::new("goal.min_soc", problem));
        }
        match self.value_of_time_per_hour {
            Some(value) => within("goal.value_of_time_per_hour", value, 1e-6, 1e9, ""),
            None => Ok(()),
        }
    }
}
