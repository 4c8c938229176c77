//! From a track to the segments of a trip: cut where slope or speed change, each with the consumption of its own conditions.
//!
//! A segment's consumption is the car's road load at its speed, in its wind, on its slope; downhill it may be below nought.
//! Cut finely enough, the battery is followed over every pass.

use crate::consumption_fit::ConsumptionFit;
use crate::quantity::{Consumption, Distance, Height, Mass, Speed, Temperature};
use crate::road_load::climb_energy;
use crate::route::Segment;
use crate::track::Track;

/// Shortest and longest segment, km.
const SHORTEST: f64 = 1.0;
const LONGEST: f64 = 12.0;
/// A change of slope that begins a new segment: metres of height off the straight line.
const OFF_LINE: f64 = 15.0;
/// A change of speed that begins a new segment, share.
const SPEED_CHANGE: f64 = 0.2;
/// Rolling on a wet road takes so much more.
const WET: f64 = 0.12;

/// The conditions of a whole trip.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TripConditions {
    /// Speed where the track has no times.
    pub speed: Speed,
    /// Temperature outside.
    pub outside: Temperature,
    /// Strength of the wind.
    pub wind: Speed,
    /// Where it comes from, degrees clockwise from north.
    pub wind_from: f64,
    /// Whether the road is wet.
    pub wet: bool,
    /// Load beside the driver.
    pub load: Mass,
}

/// Segments of a track for a car under conditions.
pub fn track_segments(track: &Track, car: &ConsumptionFit, conditions: &TripConditions) -> Vec<Segment> {
    let cuts = cuts(track);
    cuts.windows(2).map(|cut| segment(track, car, conditions, cut[0], cut[1])).collect()
}

/// Where the track is cut, km.
fn cuts(track: &Track) -> Vec<f64> {
    let length = track.length().get();
    let mut cuts = vec![0.0];
    let mut end = SHORTEST;
    while end < length - SHORTEST / 2.0 {
        let start = cuts[cuts.len() - 1];
        let next = end + SHORTEST / 2.0;
        if next - start > LONGEST || !straight(track, start, next) || !steady(track, start, end, next) {
            cuts.push(end);
            end += SHORTEST;
        } else {
            end = next;
        }
    }
    cuts.push(length);
    cuts
}

/// Whether heights between two distances stay near a straight line.
fn straight(track: &Track, from: f64, to: f64) -> bool {
    let (a, b) = (track.height_at(from), track.height_at(to));
    (1..8).all(|step| {
        let share = f64::from(step) / 8.0;
        (track.height_at(from + share * (to - from)) - (a + share * (b - a))).abs() <= OFF_LINE
    })
}

/// Whether the speed after a distance is like that before.
fn steady(track: &Track, from: f64, to: f64, next: f64) -> bool {
    match (track.speed_between(from, to), track.speed_between(to, next)) {
        (Some(before), Some(after)) => (after.get() / before.get() - 1.0).abs() <= SPEED_CHANGE,
        _ => true,
    }
}

fn segment(track: &Track, car: &ConsumptionFit, conditions: &TripConditions, from: f64, to: f64) -> Segment {
    let length = Distance::km(to - from);
    let speed = track.speed_between(from, to).unwrap_or(conditions.speed);
    let headwind = Speed::kmh(conditions.wind.get() * mean_cosine(track, conditions.wind_from, from, to));
    let parts = car.parts(speed, conditions.outside, headwind, conditions.load);
    let [drag, rolling, base, heating] = parts;
    let level = drag + rolling * if conditions.wet { 1.0 + WET } else { 1.0 } + base + heating;
    let rise = track.height_at(to) - track.height_at(from);
    let (climb, descent) = (Height::metres(rise.max(0.0)), Height::metres((-rise).max(0.0)));
    let (drawn, returned) = climb_energy(car.moved_mass(conditions.load), climb, descent);
    let slope = 100.0 * (drawn.get() - returned.get()) / length.get();
    Segment { length, speed, consumption: Consumption::kwh_per_100km(level + slope) }
}

/// How much of the wind is against the road, weighed by length: 1 is all of it, −1 is from behind.
fn mean_cosine(track: &Track, wind_from: f64, from: f64, to: f64) -> f64 {
    let mut sum = 0.0;
    for pair in track.between(from, to).windows(2) {
        let length = (pair[1].km.min(to) - pair[0].km.max(from)).max(0.0);
        sum += length * (wind_from - pair[0].bearing).to_radians().cos();
    }
    sum / (to - from)
}
