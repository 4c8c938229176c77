//! Whether the numbers of a trip's draft can be driven and planned, field by field.

use super::{Goal, MOST_CURVE_POINTS, MOST_SEGMENTS, MOST_SITES, Site, TripDraft, Vehicle};
use crate::charging::profile::Profile;
use crate::quantity::Distance;
use crate::refused::{Fault, Refused};
use crate::trip::site_details::MOST_CONNECTORS;

impl TripDraft {
    /// Whether every number is one that can be driven and planned: the first field that is not.
    pub(super) fn check(&self) -> Result<(), Refused> {
        self.vehicle.check()?;
        self.check_route()?;
        self.check_sites()?;
        self.goal.check()
    }

    fn check_route(&self) -> Result<(), Refused> {
        let segments = self.route.segments();
        if segments.is_empty() || segments.len() > MOST_SEGMENTS {
            let found = segments.len();
            return Err(Refused::new(
                "route.segments",
                Fault::Count { found, least: 1, most: MOST_SEGMENTS, what: "segments" },
            ));
        }
        for (index, segment) in segments.iter().enumerate() {
            let path = |field: &str| format!("route.segments[{index}].{field}");
            Refused::outside(&path("km"), segment.length.get(), 0.001, 50_000.0, "km")?;
            Refused::outside(&path("kmh"), segment.speed.get(), 1.0, 400.0, "km/h")?;
            Refused::outside(&path("kwh_per_100km"), segment.consumption.get(), -200.0, 500.0, "kWh/100 km")?;
        }
        Refused::outside("route.segments", self.route.length().get(), 0.001, 100_000.0, "km in all")
    }

    fn check_sites(&self) -> Result<(), Refused> {
        if self.sites.len() > MOST_SITES {
            let found = self.sites.len();
            return Err(Refused::new("sites", Fault::Count { found, least: 0, most: MOST_SITES, what: "sites" }));
        }
        let mut ids = std::collections::HashMap::new();
        for (index, site) in self.sites.iter().enumerate() {
            site.check(index, self.route.length())?;
            if let Some(first) = ids.insert(site.id.as_str(), index) {
                let taken = Fault::Taken { value: site.id.clone(), by: format!("sites[{first}].id") };
                return Err(Refused::new(format!("sites[{index}].id"), taken));
            }
        }
        Ok(())
    }
}

impl Vehicle {
    fn check(&self) -> Result<(), Refused> {
        Refused::outside("vehicle.usable_kwh", self.usable.get(), 0.1, 2_000.0, "kWh")?;
        Refused::outside("vehicle.charge_loss_percent", self.charge_loss_percent, 0.0, 90.0, "%")?;
        check_power("vehicle.charge_curve", &self.charge_curve)?;
        if let Some(voltage) = &self.pack_voltage {
            check_points("vehicle.pack_voltage", "v", voltage, 1.0, 2_000.0, "V")?;
        }
        let Some(boost) = &self.boost else {
            return Ok(());
        };
        Refused::outside("vehicle.boost.minutes", boost.time.get(), 0.0, 1_440.0, "minutes")?;
        Refused::outside("vehicle.boost.max_start_soc", boost.max_start.get(), 0.0, 100.0, "%")?;
        check_power("vehicle.boost.charge_curve", &boost.charge_curve)
    }
}

/// A charge curve: more than 0 kW everywhere but at 100 %, where it may be 0.
fn check_power(path: &str, curve: &Profile) -> Result<(), Refused> {
    check_points(path, "kw", curve, 0.0, 10_000.0, "kW")?;
    for (index, &(soc, kw)) in curve.points().iter().enumerate() {
        if kw <= 0.0 && soc < 100.0 {
            return Err(Refused::new(format!("{path}[{index}].kw"), Fault::NoPower { value: kw }));
        }
    }
    if curve.at(0.0) <= 0.0 {
        return Err(Refused::new(path, Fault::NoPower { value: curve.at(0.0) }));
    }
    Ok(())
}

fn check_points(
    path: &str,
    name: &str,
    curve: &Profile,
    low: f64,
    high: f64,
    unit: &'static str,
) -> Result<(), Refused> {
    let found = curve.points().len();
    if found > MOST_CURVE_POINTS {
        return Err(Refused::new(path, Fault::Count { found, least: 1, most: MOST_CURVE_POINTS, what: "points" }));
    }
    for (index, &(_, value)) in curve.points().iter().enumerate() {
        Refused::outside(&format!("{path}[{index}].{name}"), value, low, high, unit)?;
    }
    Ok(())
}

impl Site {
    fn check(&self, index: usize, length: Distance) -> Result<(), Refused> {
        let path = |field: &str| format!("sites[{index}].{field}");
        if self.id.is_empty() {
            return Err(Refused::new(path("id"), Fault::Empty { expected: "a text that names the site" }));
        }
        let (at, end) = (self.at.get(), length.get());
        if !(at >= 0.0 && at <= end + 1e-6) {
            let outside = Fault::Outside { value: at, low: 0.0, high: end, unit: "km, the length of the route" };
            return Err(Refused::new(path("at_km"), outside));
        }
        Refused::outside(&path("off_route_km"), self.off_route.get(), 0.0, 1_000.0, "km")?;
        Refused::outside(&path("off_route_kmh"), self.off_route_speed.get(), 1.0, 400.0, "km/h")?;
        Refused::outside(&path("max_kw"), self.max_power.get(), 0.1, 10_000.0, "kW")?;
        if let Some(current) = self.max_current {
            Refused::outside(&path("max_a"), current.get(), 0.1, 10_000.0, "A")?;
        }
        Refused::outside(&path("overhead_min"), self.overhead.get(), 0.0, 10_000.0, "minutes")?;
        Refused::outside(
            &path("wait_min"),
            self.details.wait.get(),
            0.0,
            self.overhead.get(),
            "minutes, a part of overhead_min",
        )?;
        let found = self.details.connectors.len();
        if found > MOST_CONNECTORS {
            let count = Fault::Count { found, least: 0, most: MOST_CONNECTORS, what: "kinds" };
            return Err(Refused::new(path("connectors"), count));
        }
        Refused::outside(&path("price.per_kwh"), self.price.per_kwh, 0.0, 1e9, "")?;
        Refused::outside(&path("price.per_min"), self.price.per_min, 0.0, 1e9, "")?;
        Refused::outside(&path("price.per_session"), self.price.per_session, 0.0, 1e9, "")
    }
}

impl Goal {
    fn check(&self) -> Result<(), Refused> {
        Refused::outside("goal.start_soc", self.start.get(), 0.0, 100.0, "%")?;
        Refused::outside("goal.min_soc", self.floor.get(), 0.0, 100.0, "%")?;
        Refused::outside("goal.arrival_soc", self.arrival.get(), 0.0, 100.0, "%")?;
        Refused::outside("goal.max_soc", self.ceiling.get(), 0.0, 100.0, "%")?;
        if let Some(on_way) = self.on_way {
            Refused::outside("goal.min_soc_on_way", on_way.get(), 0.0, 100.0, "%")?;
        }
        if self.floor >= self.ceiling {
            let (value, bound) = (self.floor.get(), self.ceiling.get());
            return Err(Refused::new("goal.min_soc", Fault::NotBelow { value, other: "goal.max_soc", bound }));
        }
        match self.value_of_time_per_hour {
            Some(value) => Refused::outside("goal.value_of_time_per_hour", value, 1e-6, 1e9, ""),
            None => Ok(()),
        }
    }
}
