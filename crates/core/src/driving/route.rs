//! The road: how many minutes and how much energy it takes from one place to another.
//!
//! A route is a chain of segments, each with a length, a speed and a consumption at the battery. A segment may give
//! energy back (a descent: negative consumption), so besides the net energy a [`Leg`] knows the most that is drawn on
//! the way, which decides whether a summit is reached, and the most that comes back, which a full battery cannot take.

use crate::quantity::{Consumption, Distance, Energy, Minutes, Speed};

/// A stretch of road driven at one speed and one consumption.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Segment {
    /// Length; more than 0.
    pub length: Distance,
    /// Speed; more than 0.
    pub speed: Speed,
    /// Energy at the battery per distance; negative where the road gives energy back.
    pub consumption: Consumption,
}

/// What a drive takes.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Leg {
    /// Energy at the battery from start to end.
    pub net: Energy,
    /// The most energy drawn at any point on the way, never below 0.
    pub drawn: Energy,
    /// The most energy in excess of the start at any point on the way, never below 0.
    pub returned: Energy,
    /// The most energy drawn between any two points on the way, never below 0: what a battery that is full at the first of
    /// them must hold.
    pub longest_draw: Energy,
    /// Time on the road.
    pub time: Minutes,
}

impl Leg {
    /// A drive at one speed and consumption.
    pub fn straight(length: Distance, speed: Speed, consumption: Consumption) -> Self {
        let net = consumption * length;
        let time = if length.get() > 0.0 { length / speed } else { Minutes::new(0.0) };
        let drawn = Energy::kwh(net.get().max(0.0));
        Self { net, drawn, returned: Energy::kwh((-net.get()).max(0.0)), longest_draw: drawn, time }
    }

    /// This drive and then another.
    #[must_use]
    pub fn then(self, next: Self) -> Self {
        let across = self.net + self.returned + next.drawn;
        let draws = [self.longest_draw, next.longest_draw, across].map(Energy::get);
        Self {
            longest_draw: Energy::kwh(draws.into_iter().fold(0.0, f64::max)),
            net: self.net + next.net,
            drawn: Energy::kwh(self.drawn.get().max((self.net + next.drawn).get())),
            returned: Energy::kwh(self.returned.get().max((next.returned - self.net).get())),
            time: self.time + next.time,
        }
    }
}

/// A chain of segments, with running totals.
#[derive(Clone, Debug)]
pub struct Route {
    segments: Vec<Segment>,
    /// Kilometres, kilowatt-hours and minutes from the start to the start of each segment, and to the end.
    totals: Vec<(f64, f64, f64)>,
    gives_back: bool,
}

impl Route {
    /// A route of segments in driving order. An empty list is a route of no length.
    pub fn new(segments: Vec<Segment>) -> Self {
        let mut total = (0.0, 0.0, 0.0);
        let mut totals = vec![total];
        for segment in &segments {
            let leg = Leg::straight(segment.length, segment.speed, segment.consumption);
            total = (total.0 + segment.length.get(), total.1 + leg.net.get(), total.2 + leg.time.get());
            totals.push(total);
        }
        let gives_back = segments.iter().any(|segment| segment.consumption.get() < 0.0);
        Self { segments, totals, gives_back }
    }

    /// The segments in driving order.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// Where it begins.
    pub fn start(&self) -> Distance {
        Distance::km(0.0)
    }

    /// Whole length.
    pub fn length(&self) -> Distance {
        Distance::km(self.totals[self.totals.len() - 1].0)
    }

    /// Whole driving time, without any stop.
    pub fn time(&self) -> Minutes {
        Minutes::new(self.totals[self.totals.len() - 1].2)
    }

    /// The segment that a place lies in; at a boundary the one that begins there, at the end the last.
    pub fn segment_at(&self, place: Distance) -> Option<&Segment> {
        self.segments.get(self.index_at(place.get()))
    }

    /// Net energy between two places on the route, `from` not after `to`.
    pub fn net(&self, from: Distance, to: Distance) -> Energy {
        Energy::kwh(self.running_total(to.get()).0 - self.running_total(from.get()).0)
    }

    /// The drive between two places on the route, `from` not after `to`.
    pub fn between(&self, from: Distance, to: Distance) -> Leg {
        let (start, end) = (self.running_total(from.get()), self.running_total(to.get()));
        let net = Energy::kwh(end.0 - start.0);
        let time = Minutes::new(end.1 - start.1);
        if self.gives_back {
            return Leg { net, time, ..self.walk(from.get(), to.get()) };
        }
        Leg { net, drawn: net, returned: Energy::kwh(0.0), longest_draw: net, time }
    }

    /// The drive between two places, segment by segment.
    fn walk(&self, from: f64, to: f64) -> Leg {
        let mut leg = Leg::default();
        let mut at = from;
        let mut index = self.index_at(from);
        while at < to && index < self.segments.len() {
            let segment = &self.segments[index];
            let end = self.totals[index + 1].0.min(to);
            leg = leg.then(Leg::straight(Distance::km(end - at), segment.speed, segment.consumption));
            at = end;
            index += 1;
        }
        leg
    }

    fn index_at(&self, km: f64) -> usize {
        let begun = self.totals.partition_point(|total| total.0 <= km);
        begun.saturating_sub(1).min(self.segments.len().saturating_sub(1))
    }

    /// Kilowatt-hours and minutes from the start to a place.
    fn running_total(&self, km: f64) -> (f64, f64) {
        let index = self.index_at(km);
        let (start_km, energy, minutes) = self.totals[index];
        let Some(segment) = self.segments.get(index) else {
            return (energy, minutes);
        };
        let leg = Leg::straight(Distance::km(km - start_km), segment.speed, segment.consumption);
        (energy + leg.net.get(), minutes + leg.time.get())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn segment(km: f64, kmh: f64, use_: f64) -> Segment {
        Segment { length: Distance::km(km), speed: Speed::kmh(kmh), consumption: Consumption::kwh_per_100km(use_) }
    }

    #[test]
    fn sums_segments_by_hand() {
        // By hand: 50 km at 100 km/h and 20 kWh/100 km, then 30 km at 60 km/h and 15: 30 + 30 min, 10 + 4.5 kWh.
        let route = Route::new(vec![segment(100.0, 100.0, 20.0), segment(100.0, 60.0, 15.0)]);
        let leg = route.between(Distance::km(50.0), Distance::km(130.0));
        assert!((leg.net.get() - 14.5).abs() < 1e-9);
        assert!((leg.time.get() - 60.0).abs() < 1e-9);
        assert_eq!(route.segment_at(Distance::km(100.0)).unwrap().speed, Speed::kmh(60.0));
        assert_eq!(route.segment_at(Distance::km(200.0)).unwrap().speed, Speed::kmh(60.0));
    }

    #[test]
    fn a_pass_draws_more_than_its_net() {
        // By hand: 20 km up at 60 kWh/100 km draws 12, 20 km down at −20 gives back 4: net 8, drawn 12.
        let route = Route::new(vec![segment(20.0, 60.0, 60.0), segment(20.0, 60.0, -20.0)]);
        let leg = route.between(Distance::km(0.0), Distance::km(40.0));
        assert!((leg.net.get() - 8.0).abs() < 1e-9);
        assert!((leg.drawn.get() - 12.0).abs() < 1e-9);
        let down = route.between(Distance::km(20.0), Distance::km(40.0));
        assert!((down.returned.get() - 4.0).abs() < 1e-9);
        assert_eq!(down.drawn.get(), 0.0);
        // Down 4 and up 12: from the bottom on 12 are drawn, though only 8 more than at the start.
        let valley = Route::new(vec![segment(20.0, 60.0, -20.0), segment(20.0, 60.0, 60.0)]);
        let valley = valley.between(Distance::km(0.0), Distance::km(40.0));
        assert!((valley.drawn.get() - 8.0).abs() < 1e-9 && (valley.longest_draw.get() - 12.0).abs() < 1e-9);
    }

    #[test]
    fn an_empty_route_takes_nothing() {
        let route = Route::new(vec![]);
        assert_eq!(route.between(Distance::km(0.0), Distance::km(0.0)), Leg::default());
        assert!(route.segment_at(Distance::km(0.0)).is_none());
    }
}
