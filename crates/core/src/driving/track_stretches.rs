//! From a track to the stretches of a trip's road: cut where slope or speed change, finely enough that the battery is followed
//! over every pass.

use crate::driving::road::{Heading, OwnConditions, Stretch};
use crate::driving::track::Track;
use crate::quantity::{Distance, Height};

/// Shortest and longest stretch, km.
const SHORTEST: f64 = 1.0;
const LONGEST: f64 = 12.0;
/// A change of slope that begins a new stretch: metres of height off the straight line.
const OFF_LINE: f64 = 15.0;
/// A change of speed that begins a new stretch, share.
const SPEED_CHANGE: f64 = 0.2;
/// The stretches of a track.
pub fn track_stretches(track: &Track) -> Vec<Stretch> {
    cuts(track).windows(2).map(|cut| stretch(track, cut[0], cut[1])).collect()
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

fn stretch(track: &Track, from: f64, to: f64) -> Stretch {
    let (start, end) = (track.height_at(from), track.height_at(to));
    Stretch {
        length: Distance::km(to - from),
        climb: Height::metres((end - start).max(0.0)),
        descent: Height::metres((start - end).max(0.0)),
        height: Height::metres(f64::midpoint(start, end)),
        heading: Some(heading(track, from, to)),
        own: OwnConditions { speed: track.speed_between(from, to), ..OwnConditions::default() },
        typed: None,
    }
}

/// Where a part of the track leads: the mean of its directions, weighed by length.
fn heading(track: &Track, from: f64, to: f64) -> Heading {
    let (mut north, mut east) = (0.0, 0.0);
    for pair in track.between(from, to).windows(2) {
        let length = (pair[1].km.min(to) - pair[0].km.max(from)).max(0.0);
        let (sin, cos) = pair[0].bearing.to_radians().sin_cos();
        (north, east) = (north + length * cos, east + length * sin);
    }
    Heading { toward: east.atan2(north).to_degrees().rem_euclid(360.0), straight: north.hypot(east) / (to - from) }
}
