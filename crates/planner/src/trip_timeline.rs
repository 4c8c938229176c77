//! A plan over time: SoC and place at every minute from door to door.

use crate::trade::{ClockPlan, ClockStop};
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::driving::route::{Leg, Segment};
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::{Site, SiteIndex, Trip};

/// Steps of a charge that are kept, %.
const CHARGE_STEP: f64 = 1.0;
/// Minutes that are too few to be drawn.
const SOON: f64 = 1e-6;

/// What is done during a span of time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Doing {
    /// Driving, ways off the route included.
    Driving,
    /// The fixed minutes of a stop at one of the trip's sites, before current flows.
    Waiting(SiteIndex),
    /// Charging at one of the trip's sites.
    Charging(SiteIndex),
    /// Standing at one of them without charging: for an opening, a cheaper hour, a pause or a rest.
    Standing(SiteIndex),
    /// Paused at the roadside: drawn at the end of the drive on which it is taken.
    Paused,
}

/// A span of time in which one thing is done.
#[derive(Clone, Debug, PartialEq)]
pub struct Span {
    /// What is done.
    pub doing: Doing,
    /// Minutes since departure and SoC, at the ends and wherever the slope changes.
    pub points: Vec<(f64, f64)>,
    /// Kilometre on the route at the start and at the end.
    pub km: (f64, f64),
}

impl Span {
    /// Minute at which it begins.
    pub fn start(&self) -> f64 {
        self.points[0].0
    }

    /// Minute at which it ends.
    pub fn end(&self) -> f64 {
        self.points[self.points.len() - 1].0
    }
}

/// A plan over time.
#[derive(Clone, Debug)]
pub struct TripTimeline {
    /// The spans, from departure to arrival, each beginning where the one before ends.
    pub spans: Vec<Span>,
    /// The lowest SoC of the whole road, and the kilometre on it.
    pub lowest: (Soc, Distance),
    /// Minute and kilometre wherever the speed changes.
    passing: Vec<(f64, f64)>,
}

impl TripTimeline {
    /// The plan of a trip over time.
    pub fn new(trip: &Trip, plan: &ClockPlan) -> Self {
        let start = trip.goal.start.get();
        let mut walk = Walk {
            trip,
            minute: 0.0,
            soc: start,
            km: 0.0,
            lowest: (start, 0.0),
            spans: Vec::new(),
            passing: Vec::new(),
        };
        let mut from: Option<&Site> = None;
        for stop in &plan.stops {
            let site = &trip.site(stop.site);
            walk.drive(from, Some(site));
            walk.flat(Doing::Paused, stop.reached);
            walk.stop(site, stop);
            from = Some(site);
        }
        walk.drive(from, None);
        walk.flat(Doing::Paused, plan.total);
        let lowest = (Soc::percent(walk.lowest.0), Distance::km(walk.lowest.1));
        Self { spans: walk.spans, lowest, passing: walk.passing }
    }

    /// Whole length in minutes.
    pub fn end(&self) -> f64 {
        self.spans.last().map_or(0.0, Span::end)
    }

    /// The minute at which a kilometre of the route is passed.
    pub fn minute_at(&self, place: Distance) -> f64 {
        let km = place.get();
        let after = self.passing.partition_point(|point| point.1 < km);
        let (Some(&(m1, k1)), Some(&(m0, k0))) = (self.passing.get(after), self.passing.get(after.saturating_sub(1)))
        else {
            return self.end();
        };
        if k1 > k0 { m0 + (m1 - m0) * (km - k0) / (k1 - k0) } else { m0 }
    }
}

/// The state of a car on its way through a plan.
struct Walk<'a> {
    trip: &'a Trip,
    minute: f64,
    soc: f64,
    km: f64,
    /// The lowest SoC so far, and its kilometre.
    lowest: (f64, f64),
    spans: Vec<Span>,
    passing: Vec<(f64, f64)>,
}

impl Walk<'_> {
    /// Drives from where the car is to a site or the destination.
    fn drive(&mut self, from: Option<&Site>, to: Option<&Site>) {
        let start_km = self.km;
        let mut points = vec![(self.minute, self.soc)];
        self.way_off(from, &mut points);
        let end_km = to.map_or(self.trip.route.length(), |site| site.at).get();
        self.passing.push((self.minute, self.km));
        let mut begun = 0.0_f64;
        for segment in self.trip.route.segments() {
            let (low, high) = (begun.max(start_km), (begun + segment.length.get()).min(end_km));
            if high > low {
                self.km = high;
                self.advance(stretch(segment, high - low), &mut points);
                self.passing.push((self.minute, self.km));
            }
            begun += segment.length.get();
        }
        self.way_off(to, &mut points);
        self.spans.push(Span { doing: Doing::Driving, points, km: (start_km, end_km) });
    }

    /// Drives the way between the route and a stall.
    fn way_off(&mut self, site: Option<&Site>, points: &mut Vec<(f64, f64)>) {
        let Some(site) = site.filter(|site| site.off_route.get() > 0.0) else {
            return;
        };
        if let Some(segment) = self.trip.route.segment_at(site.at) {
            self.advance(Leg::straight(site.off_route, site.off_route_speed, segment.consumption), points);
        }
    }

    /// Drives at one consumption. What a full battery cannot take is lost in the brakes.
    fn advance(&mut self, leg: Leg, points: &mut Vec<(f64, f64)>) {
        let (minutes, gained) = (leg.time.get(), -100.0 * (leg.net / self.trip.vehicle.usable));
        if self.soc + gained > 100.0 {
            points.push((self.minute + minutes * ((100.0 - self.soc) / gained).max(0.0), 100.0));
        }
        self.minute += minutes;
        self.soc = (self.soc + gained).min(100.0);
        points.push((self.minute, self.soc));
        if self.soc < self.lowest.0 {
            self.lowest = (self.soc, self.km);
        }
    }

    /// Stands until a minute, where that is still to come.
    fn flat(&mut self, doing: Doing, until: Minutes) {
        if until.get() > self.minute + SOON {
            let points = vec![(self.minute, self.soc), (until.get(), self.soc)];
            self.spans.push(Span { doing, points, km: (self.km, self.km) });
            self.minute = until.get();
        }
    }

    /// The fixed minutes, the waiting, the charge and what one stands on for.
    fn stop(&mut self, site: &Site, stop: &ClockStop) {
        let plugged = stop.reached + stop.overhead;
        self.flat(Doing::Waiting(stop.site), plugged);
        self.flat(Doing::Standing(stop.site), plugged + stop.wait);
        let (arrive, depart) = (stop.arrive.get(), stop.depart.get());
        let stall = Stall::new(&self.trip.vehicle, site);
        // A post may give less than the site's own power would: the plan knows its minutes.
        let all = stall.minutes(stop.arrive, stop.depart).get();
        let scale = if all > 0.0 { stop.charge.get() / all } else { 1.0 };
        let steps = ((depart - arrive) / CHARGE_STEP).ceil().max(1.0) as usize;
        let begun = self.minute;
        let point = |step: usize| {
            let soc = arrive + (depart - arrive) * step as f64 / steps as f64;
            (begun + scale * stall.minutes(stop.arrive, Soc::percent(soc)).get(), soc)
        };
        if stop.charge.get() > 0.0 {
            let points = (0..=steps).map(point).collect();
            self.spans.push(Span { doing: Doing::Charging(stop.site), points, km: (self.km, self.km) });
        }
        (self.minute, self.soc) = (begun + stop.charge.get(), depart);
        self.flat(Doing::Standing(stop.site), stop.leaves);
    }
}

fn stretch(segment: &Segment, km: f64) -> Leg {
    Leg::straight(Distance::km(km), segment.speed, segment.consumption)
}
