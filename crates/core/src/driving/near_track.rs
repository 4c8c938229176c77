//! Where many places lie beside a track: an index of its legs on the globe, so that for each place few are looked at.

use rstar::RTree;
use rstar::primitives::{GeomWithData, Line};

use super::track::{Beside, Track};

/// Legs that are looked at for a place: chords through the globe are not quite the flat that is measured on.
const LOOKED_AT: usize = 8;

type Leg = GeomWithData<Line<[f64; 3]>, usize>;

/// A track with its index.
pub struct NearTrack<'t> {
    track: &'t Track,
    legs: RTree<Leg>,
}

impl<'t> NearTrack<'t> {
    /// The index of a track.
    pub fn new(track: &'t Track) -> Self {
        let ends = track.points().iter().map(|point| on_globe(point.latitude, point.longitude)).collect::<Vec<_>>();
        let leg = |(number, pair): (usize, &[[f64; 3]])| Leg::new(Line::new(pair[0], pair[1]), number);
        Self { track, legs: RTree::bulk_load(ends.windows(2).enumerate().map(leg).collect()) }
    }

    /// Where a place lies beside the track.
    pub fn beside(&self, latitude: f64, longitude: f64) -> Beside {
        let near = self.legs.nearest_neighbor_iter(on_globe(latitude, longitude));
        self.track.nearest_of(near.take(LOOKED_AT).map(|leg| leg.data), latitude, longitude)
    }
}

/// A place in degrees on a globe of radius one.
fn on_globe(latitude: f64, longitude: f64) -> [f64; 3] {
    let (latitude, longitude) = (latitude.to_radians(), longitude.to_radians());
    [latitude.cos() * longitude.cos(), latitude.cos() * longitude.sin(), latitude.sin()]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::driving::track::TrackPoint;
    use std::f64::consts::TAU;

    #[test]
    fn the_index_finds_what_looking_at_every_leg_does() {
        let mut random = fastrand::Rng::with_seed(11);
        for _ in 0..20 {
            // A road that winds, every hundred metres or every ten kilometres.
            let (step, mut heading) = (if random.bool() { 0.001 } else { 0.1 }, TAU * random.f64());
            let (mut latitude, mut longitude) = (-60.0 + 120.0 * random.f64(), -170.0 + 340.0 * random.f64());
            let mut points = Vec::new();
            for _ in 0..400 {
                points.push(TrackPoint { latitude, longitude, height: None, time: None });
                heading += 0.6 * (random.f64() - 0.5);
                latitude = (latitude + step * heading.cos()).clamp(-70.0, 70.0);
                longitude += step * heading.sin();
            }
            let track = Track::new(points.clone()).unwrap();
            let index = NearTrack::new(&track);
            for _ in 0..200 {
                let near = &points[random.usize(0..points.len())];
                let off = 3.0 * step * (random.f64() - 0.5);
                let (latitude, longitude) = (near.latitude + off, near.longitude + off * (random.f64() - 0.5));
                let (found, all) = (index.beside(latitude, longitude), track.beside(latitude, longitude));
                assert!(found.off.get() <= 1.001 * all.off.get() + 0.002, "{found:?} {all:?}");
            }
        }
    }
}
