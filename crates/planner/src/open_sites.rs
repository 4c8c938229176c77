//! Sites that would be closed when a plan comes to them: found, left out, and said.
//!
//! The planner does not know the clock. So the best plan is made, the first of its stops that would find its site closed while
//! charging is left out, and the rest is planned anew, until every stop is open. Sites that stay closed however the day goes are
//! left out with the first, so that a night with many closed sites is planned in a few rounds. Where a site reopens soon,
//! waiting for it might be better than passing it; that is not weighed.

use crate::{Plan, Planner, Stop};
use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::{Site, Trip};

/// So many minutes before and after the times that a plan knows, a site has to be closed to be passed over without a look.
const LATER: f64 = 120.0;
/// Minutes of a week.
const WEEK: f64 = 7.0 * 1440.0;

/// When a trip begins.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Beginning {
    /// Day of the week, 0 is Monday.
    pub weekday: usize,
    /// Minutes after its midnight.
    pub minute: f64,
}

/// A site that is closed while a plan would charge there.
#[derive(Clone, Debug, PartialEq)]
pub struct Closed {
    /// The site.
    pub site: Site,
    /// When the plan would be at it, minutes after the trip begins.
    pub reached: Minutes,
    /// How long it would stay closed from then on; 0 where it closes during the charge; `None` where it never opens.
    pub opens_after: Option<Minutes>,
}

impl Beginning {
    /// Whether a site is closed in some minute from `reached` to `left`, minutes after the trip begins.
    fn closed(&self, site: &Site, reached: f64, left: f64) -> Option<Closed> {
        let hours = site.details.hours.as_ref()?;
        let wait = |after: f64| {
            let minute = (self.weekday as f64 * 1440.0 + self.minute + after).rem_euclid(WEEK);
            hours.wait((minute / 1440.0) as usize, minute % 1440.0)
        };
        let is_open = |wait: Option<Minutes>| wait.is_some_and(|wait| wait.get() <= 0.0);
        let opens_after = wait(reached);
        let open = is_open(opens_after) && is_open(wait(left));
        (!open).then(|| Closed { site: site.clone(), reached: Minutes::new(reached), opens_after })
    }

    /// The first stop of a plan that would find its site closed.
    pub fn first_closed(&self, trip: &Trip, plan: &Plan) -> Option<Closed> {
        let mut minute = 0.0;
        let closed = |stop: &Stop| {
            let reached = minute + stop.drive.get();
            minute = reached + stop.overhead.get() + stop.charge.get();
            self.closed(&trip.sites[stop.site], reached, minute)
        };
        plan.stops.iter().find_map(closed)
    }

    /// Whether a site is closed from one minute of the trip to another.
    fn closed_throughout(&self, site: &Site, from: f64, to: f64) -> bool {
        let wait = self.closed(site, from, from).map(|closed| closed.opens_after);
        wait.is_some_and(|opens_after| opens_after.is_none_or(|wait| wait.get() > to - from))
    }
}

/// A trip without the sites that its best plan would find closed, and those.
pub fn without_closed(mut trip: Trip, begins: Beginning) -> (Trip, Vec<Closed>) {
    let mut found = Vec::new();
    if trip.sites.iter().all(|site| site.details.hours.is_none()) {
        return (trip, found);
    }
    loop {
        let planner = Planner::new(&trip).ok();
        let plan = planner.map(|planner| planner.best().plan.clone());
        let closed = plan.as_ref().and_then(|plan| begins.first_closed(&trip, plan));
        let (Some(plan), Some(closed)) = (plan, closed) else { return (trip, found) };
        let stopped = (plan.charge + plan.overhead).get() + 2.0 * LATER;
        let hopeless = |site: &Site, reached: f64| begins.closed_throughout(site, reached, reached + stopped);
        let pace = plan.drive.get() / trip.route.length().get();
        trip.sites.retain(|site| site.id != closed.site.id && !hopeless(site, soonest(site, pace)));
        found.push(closed);
    }
}

/// The soonest that a trip at a pace in minutes per km may be at a site.
fn soonest(site: &Site, pace: f64) -> f64 {
    (pace * site.at.get() - LATER).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::profile::Profile;
    use spare_hour_core::driving::route::{Route, Segment};
    use spare_hour_core::quantity::{Consumption, Distance, Energy, Power, Soc, Speed};
    use spare_hour_core::trip::opening_hours::OpeningHours;
    use spare_hour_core::trip::site_details::SiteDetails;
    use spare_hour_core::trip::{Goal, Price, Vehicle};

    fn site(id: &str, km: f64, kw: f64, hours: Option<&str>) -> Site {
        Site {
            id: id.into(),
            name: id.into(),
            at: Distance::km(km),
            off_route: Distance::km(0.0),
            off_route_speed: Speed::kmh(50.0),
            max_power: Power::kw(kw),
            max_current: None,
            overhead: Minutes::new(5.0),
            price: Price { per_kwh: 0.5, per_min: 0.0, per_session: 0.0 },
            details: SiteDetails {
                hours: hours.map(|text| text.parse::<OpeningHours>().unwrap()),
                ..SiteDetails::default()
            },
        }
    }

    /// 300 km at 100 km/h and 20 kWh/100 km with 50 kWh: one stop, at 120 or at 140 km, 72 or 84 min on the way.
    fn trip(hours: Option<&str>) -> Trip {
        let segment = Segment {
            length: Distance::km(300.0),
            speed: Speed::kmh(100.0),
            consumption: Consumption::kwh_per_100km(20.0),
        };
        Trip {
            name: "t".into(),
            vehicle: Vehicle {
                usable: Energy::kwh(50.0),
                charge_loss_percent: 0.0,
                charge_curve: Profile::new(vec![(0.0, 100.0), (100.0, 100.0)]).unwrap(),
                pack_voltage: None,
                boost: None,
            },
            route: Route::new(vec![segment]),
            sites: vec![site("slow", 120.0, 50.0, None), site("fast", 140.0, 100.0, hours)],
            goal: Goal {
                start: Soc::percent(90.0),
                floor: Soc::percent(10.0),
                arrival: Soc::percent(10.0),
                ceiling: Soc::percent(100.0),
                value_of_time_per_hour: None,
            },
        }
    }

    fn left_out(hours: &str, weekday: usize, minute: f64) -> Vec<Closed> {
        let (open, closed) = without_closed(trip(Some(hours)), Beginning { weekday, minute });
        assert_eq!(open.sites.len() + closed.len(), 2);
        closed
    }

    #[test]
    fn a_closed_site_is_passed_for_one_that_is_open() {
        // Monday 8:00 and 84 min are 9:24.
        assert_eq!(left_out("24/7", 0, 480.0), []);
        assert_eq!(left_out("Mo 09:00-10:00", 0, 480.0), []);
        let closed = left_out("Mo 10:00-12:00", 0, 480.0);
        assert_eq!(closed[0].site.id, "fast");
        assert!((closed[0].reached.get() - 84.0).abs() < 1e-6);
        assert_eq!(closed[0].opens_after, Some(Minutes::new(36.0)));
        // It closes at 9:30, during the charge; on Tuesday it is closed.
        assert_eq!(left_out("Mo 09:00-09:30", 0, 480.0)[0].opens_after, Some(Minutes::new(0.0)));
        assert_eq!(left_out("Mo 09:00-12:00", 1, 480.0).len(), 1);
        // Sunday 23:00 and 84 min are Monday 0:24.
        assert_eq!(left_out("Mo 00:00-01:00", 6, 1380.0), []);
    }

    #[test]
    fn a_trip_with_nothing_open_keeps_none() {
        let mut closed = trip(Some("Sa 01:00-02:00"));
        closed.sites[0].details.hours = Some("Sa 01:00-02:00".parse().unwrap());
        let (open, found) = without_closed(closed, Beginning { weekday: 0, minute: 480.0 });
        assert!(open.sites.is_empty() && Planner::new(&open).is_err());
        // The second was closed all the day, as the first, and was not looked at.
        assert_eq!(found.len(), 1);
    }

    #[test]
    fn a_night_of_many_closed_sites_takes_few_rounds() {
        let mut night = trip(Some("10:00-12:00"));
        night.sites.extend(
            (0..200)
                .map(|index| site(&format!("c{index}"), 121.0 + f64::from(index) / 10.0, 90.0, Some("10:00-12:00"))),
        );
        let (open, found) = without_closed(night, Beginning { weekday: 0, minute: 1320.0 });
        assert_eq!((open.sites.len(), open.sites[0].id.as_str(), found.len()), (1, "slow", 1));
    }
}
