//! Sites that a plan passes over, and why: closed when it would come to them, or with no stall in order.
//!
//! The exact solver does not know the clock. So the best plan is made, the first of its stops that would find its site closed
//! at some minute from plugging in to leaving is left out, and the rest is planned anew, until every stop is open. Sites that
//! stay closed however the day goes are left out with the first, so that a night with many closed sites is planned in a few
//! rounds. Where a site reopens soon, waiting for it might be better than passing it; that is not weighed, and a plan says so.

use std::sync::Arc;

use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::{Site, Trip};

use crate::model::plan::{Plan, Stop};

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

/// A site that a plan passes over.
#[derive(Clone, Debug, PartialEq)]
pub enum LeftOut {
    /// It would be closed.
    Closed(Closed),
    /// All of its stalls were out of order when last seen.
    OutOfOrder(Site),
}

impl LeftOut {
    /// The site.
    pub fn site(&self) -> &Site {
        match self {
            Self::Closed(closed) => &closed.site,
            Self::OutOfOrder(site) => site,
        }
    }
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
        let minute = (self.weekday as f64 * 1440.0 + self.minute + reached).rem_euclid(WEEK);
        let (day, minute) = ((minute / 1440.0) as usize, minute % 1440.0);
        let opens_after = hours.wait(day, minute);
        let open = opens_after.is_some_and(|wait| wait.get() <= 0.0)
            && hours.open_for(day, minute).is_none_or(|open| open.get() >= left - reached);
        (!open).then(|| Closed { site: site.clone(), reached: Minutes::new(reached), opens_after })
    }

    /// The first stop of a plan that would find its site closed.
    pub fn first_closed(&self, trip: &Trip, plan: &Plan) -> Option<Closed> {
        let mut minute = 0.0;
        let closed = |stop: &Stop| {
            let reached = minute + stop.drive.get();
            minute = reached + stop.overhead.get() + stop.charge.get();
            self.closed(trip.site(stop.site), reached, minute)
        };
        plan.stops.iter().find_map(closed)
    }

    /// Whether a site is closed from one minute of the trip to another.
    fn closed_throughout(&self, site: &Site, from: f64, to: f64) -> bool {
        let wait = self.closed(site, from, from).map(|closed| closed.opens_after);
        wait.is_some_and(|opens_after| opens_after.is_none_or(|wait| wait.get() > to - from))
    }

    /// The trip without a site that a plan would find closed, and without those that are closed all the while.
    fn without(self, trip: &Trip, plan: &Plan, closed: &Closed) -> Trip {
        let stopped = (plan.charge + plan.overhead).get() + 2.0 * LATER;
        let hopeless = |site: &Site| {
            let soonest = (trip.route.between(trip.route.start(), site.at).time.get() - LATER).max(0.0);
            self.closed_throughout(site, soonest, soonest + stopped)
        };
        trip.clone().without_sites(|site| site.id == closed.site.id || hopeless(site))
    }

    /// Makes a plan that comes to open sites only: `plan` makes the best one of a trip, as often as need be. Returns what
    /// it made last, and the sites that its plans found closed.
    pub fn open_plan<T, E>(
        self,
        mut trip: Arc<Trip>,
        mut make: impl FnMut(&Arc<Trip>) -> Result<T, E>,
        plan: impl Fn(&T) -> Option<&Plan>,
    ) -> (Result<T, E>, Vec<LeftOut>) {
        let mut left_out = Vec::new();
        loop {
            let made = make(&trip);
            let stops = made.as_ref().ok().and_then(&plan);
            let closed = stops.and_then(|plan| Some((plan, self.first_closed(&trip, plan)?)));
            let Some((plan, closed)) = closed else { return (made, left_out) };
            trip = Arc::new(self.without(&trip, plan, &closed));
            left_out.push(LeftOut::Closed(closed));
        }
    }
}

/// A trip without the sites of which all stalls were out of order when last seen, and those.
pub fn in_order(trip: Trip) -> (Trip, Vec<LeftOut>) {
    let broken: Vec<Site> = trip.sites.iter().filter(|site| site.details.is_out_of_order()).cloned().collect();
    let left_out = broken.into_iter().map(LeftOut::OutOfOrder).collect();
    (trip.without_sites(|site| site.details.is_out_of_order()), left_out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Planner;
    use spare_hour_core::charging::profile::Profile;
    use spare_hour_core::driving::route::{Route, Segment};
    use spare_hour_core::quantity::{Consumption, Distance, Energy, Power, Soc, Speed};
    use spare_hour_core::trip::opening_hours::OpeningHours;
    use spare_hour_core::trip::site_details::SiteDetails;
    use spare_hour_core::trip::{Goal, Price, TripDraft, Vehicle};

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
    fn trip(hours: Option<&str>) -> TripDraft {
        let segment = Segment {
            length: Distance::km(300.0),
            speed: Speed::kmh(100.0),
            consumption: Consumption::kwh_per_100km(20.0),
        };
        TripDraft {
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
                on_way: None,
                value_of_time_per_hour: None,
            },
        }
    }

    /// The sites that are left in, and those that were found closed.
    fn planned(draft: TripDraft, weekday: usize, minute: f64) -> (Vec<String>, Vec<Closed>) {
        let mut sites = Vec::new();
        let solve = |trip: &Arc<Trip>| {
            sites = trip.sites.iter().map(|site| site.id.clone()).collect();
            Planner::new(Arc::clone(trip))
        };
        let begins = Beginning { weekday, minute };
        let (_, left_out) = begins.open_plan(Trip::new(draft).unwrap().into(), solve, |made| Some(&made.best().plan));
        let closed = left_out.into_iter().filter_map(|one| match one {
            LeftOut::Closed(closed) => Some(closed),
            LeftOut::OutOfOrder(_) => None,
        });
        (sites, closed.collect())
    }

    fn found(hours: &str, weekday: usize, minute: f64) -> Vec<Closed> {
        planned(trip(Some(hours)), weekday, minute).1
    }

    #[test]
    fn a_closed_site_is_passed_for_one_that_is_open() {
        // Monday 8:00 and 84 min are 9:24.
        assert_eq!(found("24/7", 0, 480.0), []);
        assert_eq!(found("Mo 09:00-10:00", 0, 480.0), []);
        let closed = found("Mo 10:00-12:00", 0, 480.0);
        assert_eq!(closed[0].site.id, "fast");
        assert!((closed[0].reached.get() - 84.0).abs() < 1e-6);
        assert_eq!(closed[0].opens_after, Some(Minutes::new(36.0)));
        // It closes at 9:30, during the charge; on Tuesday it is closed.
        assert_eq!(found("Mo 09:00-09:30", 0, 480.0)[0].opens_after, Some(Minutes::new(0.0)));
        assert_eq!(found("Mo 09:00-12:00", 1, 480.0).len(), 1);
        // Sunday 23:00 and 84 min are Monday 0:24.
        assert_eq!(found("Mo 00:00-01:00", 6, 1380.0), []);
    }

    #[test]
    fn a_closure_within_the_charge_is_seen_though_both_ends_are_open() {
        // By hand: 140 km leave 34 %, 300 km need 84 in all, so 20 % are charged in 6 min after 5 fixed: 9:24 to 9:35.
        assert_eq!(found("Mo 09:00-09:28,09:31-12:00", 0, 480.0).len(), 1);
        assert_eq!(found("Mo 09:00-09:28,09:28-12:00", 0, 480.0), []);
    }

    #[test]
    fn a_trip_with_nothing_open_keeps_none() {
        let mut closed = trip(Some("Sa 01:00-02:00"));
        closed.sites[0].details.hours = Some("Sa 01:00-02:00".parse().unwrap());
        let (sites, found) = planned(closed, 0, 480.0);
        // The second was closed all the day, as the first, and was not looked at.
        assert_eq!((sites.len(), found.len()), (0, 1));
    }

    #[test]
    fn a_night_of_many_closed_sites_takes_few_rounds() {
        let mut night = trip(Some("10:00-12:00"));
        night.sites.extend(
            (0..200)
                .map(|index| site(&format!("c{index}"), 121.0 + f64::from(index) / 10.0, 90.0, Some("10:00-12:00"))),
        );
        let (sites, found) = planned(night, 0, 1320.0);
        assert_eq!((sites, found.len()), (vec!["slow".to_string()], 1));
    }

    #[test]
    fn a_site_without_a_stall_in_order_is_none() {
        let with = |stalls, out_of_order| {
            let mut draft = trip(None);
            draft.sites[1].details = SiteDetails { stalls, out_of_order, ..SiteDetails::default() };
            let (trip, left_out) = in_order(Trip::new(draft).unwrap());
            assert_eq!(trip.sites.len() + left_out.len(), 2);
            left_out.iter().map(|one| one.site().id.clone()).collect::<Vec<_>>()
        };
        assert_eq!(with(Some(2), Some(2)), ["fast"]);
        assert!(with(Some(2), Some(1)).is_empty() && with(Some(2), None).is_empty() && with(None, Some(3)).is_empty());
    }
}
