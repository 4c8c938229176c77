//! A track on the ground: points with heights and perhaps times, their distances, heights smoothed honestly, bearings.
//!
//! Distances are great circles on a sphere of the mean Earth radius, 6,371.0088 km (IUGG 1980; recalled from memory), by the
//! haversine formula. Heights off a receiver are noisy, and noise adds up to a climb that nobody drove. So heights are
//! averaged over 300 m of road, and a rise or fall counts only once it is more than 6 m from the last turn.

use crate::quantity::{Distance, Height, Minutes, Speed};

/// Most points of a track.
pub const MOST_POINTS: usize = 200_000;
/// Mean radius of the Earth, km.
const EARTH: f64 = 6_371.008_8;
/// Heights are averaged over so much road, km.
const SMOOTHED_OVER: f64 = 0.3;
/// A turn in height that is less is noise, m.
const NOISE: f64 = 6.0;
/// Speeds slower than this are stops, km/h.
const STANDING: f64 = 5.0;

/// A point of a track.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TrackPoint {
    /// Degrees north, −90 to 90.
    pub latitude: f64,
    /// Degrees east, −180 to 180.
    pub longitude: f64,
    /// Above the sea.
    pub height: Option<Height>,
    /// Since any moment.
    pub time: Option<Minutes>,
}

/// A point on the way, with what is known there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WayPoint {
    /// From the start along the track, km.
    pub km: f64,
    /// Smoothed height, m; 0 where the track has none.
    pub height: f64,
    /// Direction to the next point, degrees clockwise from north.
    pub bearing: f64,
    /// Since the start, minutes, where the track has times.
    pub minute: Option<f64>,
}

/// A track with distances.
#[derive(Clone, Debug, PartialEq)]
pub struct Track {
    points: Vec<TrackPoint>,
    way: Vec<WayPoint>,
    has_heights: bool,
}

/// Where a place lies beside a track.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Beside {
    /// From the start along the track.
    pub at: Distance,
    /// As the crow flies from the track.
    pub off: Distance,
}

/// Great-circle distance between two places in degrees, km.
pub fn great_circle((lat1, lon1): (f64, f64), (lat2, lon2): (f64, f64)) -> Distance {
    let (a, b) = (lat1.to_radians(), lat2.to_radians());
    let (dlat, dlon) = (b - a, (lon2 - lon1).to_radians());
    let haversine = (dlat / 2.0).sin().powi(2) + a.cos() * b.cos() * (dlon / 2.0).sin().powi(2);
    Distance::km(2.0 * EARTH * haversine.sqrt().min(1.0).asin())
}

/// Initial bearing from one place to another, degrees clockwise from north, 0 to 360.
pub fn bearing((lat1, lon1): (f64, f64), (lat2, lon2): (f64, f64)) -> f64 {
    let (a, b, dlon) = (lat1.to_radians(), lat2.to_radians(), (lon2 - lon1).to_radians());
    let y = dlon.sin() * b.cos();
    let x = a.cos() * b.sin() - a.sin() * b.cos() * dlon.cos();
    y.atan2(x).to_degrees().rem_euclid(360.0)
}

impl Track {
    /// A track through points. `None` with fewer than two different places.
    pub fn new(points: Vec<TrackPoint>) -> Option<Self> {
        let mut kept: Vec<TrackPoint> = Vec::with_capacity(points.len());
        let mut km: Vec<f64> = Vec::with_capacity(points.len());
        for point in points {
            let step = kept.last().map(|last| great_circle(place(last), place(&point)).get());
            match step {
                Some(step) if step < 1e-6 => {}
                Some(step) => {
                    km.push(km[km.len() - 1] + step);
                    kept.push(point);
                }
                None => {
                    km.push(0.0);
                    kept.push(point);
                }
            }
        }
        if kept.len() < 2 {
            return None;
        }
        let has_heights = kept.iter().filter(|point| point.height.is_some()).count() * 10 >= kept.len() * 9;
        let heights = if has_heights { smoothed(&km, &filled(&kept)) } else { vec![0.0; kept.len()] };
        let start = kept[0].time;
        let way = (0..kept.len()).map(|index| {
            let (from, to) = if index + 1 < kept.len() { (index, index + 1) } else { (index - 1, index) };
            WayPoint {
                km: km[index],
                height: heights[index],
                bearing: bearing(place(&kept[from]), place(&kept[to])),
                minute: kept[index].time.zip(start).map(|(time, start)| (time - start).get()),
            }
        });
        let way = way.collect();
        Some(Self { points: kept, way, has_heights })
    }

    /// Its points with what is known of each.
    pub fn way(&self) -> &[WayPoint] {
        &self.way
    }

    /// Its points as they were given, those that stand still left out.
    pub fn points(&self) -> &[TrackPoint] {
        &self.points
    }

    /// Whether it has heights.
    pub fn has_heights(&self) -> bool {
        self.has_heights
    }

    /// Its length.
    pub fn length(&self) -> Distance {
        Distance::km(self.way[self.way.len() - 1].km)
    }

    /// All that it climbs and falls, noise left out.
    pub fn climb_and_descent(&self) -> (Height, Height) {
        let (mut up, mut down) = (0.0, 0.0);
        for pair in turns(&self.way.iter().map(|point| point.height).collect::<Vec<f64>>()).windows(2) {
            let rise = pair[1] - pair[0];
            up += rise.max(0.0);
            down += (-rise).max(0.0);
        }
        (Height::metres(up), Height::metres(down))
    }

    /// Mean speed between two distances, stops left out; `None` where times are missing or stand still.
    pub fn speed_between(&self, from: f64, to: f64) -> Option<Speed> {
        let (mut minutes, mut km) = (0.0, 0.0);
        for pair in self.between(from, to).windows(2) {
            let (start, end) = (pair[0].km.max(from), pair[1].km.min(to));
            if end <= start {
                continue;
            }
            let (step, time) = (pair[1].km - pair[0].km, pair[1].minute? - pair[0].minute?);
            if time > 0.0 && 60.0 * step / time >= STANDING {
                minutes += time * (end - start) / step;
                km += end - start;
            }
        }
        (minutes > 0.0).then(|| Speed::kmh(60.0 * km / minutes))
    }

    /// The points around a part of the way, with one more at either end.
    pub fn between(&self, from: f64, to: f64) -> &[WayPoint] {
        let first = self.way.partition_point(|point| point.km <= from).saturating_sub(1);
        let last = (self.way.partition_point(|point| point.km < to) + 1).min(self.way.len());
        &self.way[first..last]
    }

    /// Smoothed height at a distance, m.
    pub fn height_at(&self, km: f64) -> f64 {
        let after = self.way.partition_point(|point| point.km <= km).clamp(1, self.way.len() - 1);
        let (a, b) = (&self.way[after - 1], &self.way[after]);
        let share = ((km - a.km) / (b.km - a.km)).clamp(0.0, 1.0);
        a.height + share * (b.height - a.height)
    }

    /// Latitude and longitude at a distance along the track, °; the ends beyond them.
    pub fn position_at(&self, km: f64) -> (f64, f64) {
        let after = self.way.partition_point(|point| point.km <= km).clamp(1, self.way.len() - 1);
        let (a, b) = (&self.way[after - 1], &self.way[after]);
        let (from, to) = (&self.points[after - 1], &self.points[after]);
        let share = ((km - a.km) / (b.km - a.km)).clamp(0.0, 1.0);
        let between = |from: f64, to: f64| from + share * (to - from);
        (between(from.latitude, to.latitude), between(from.longitude, to.longitude))
    }

    /// Where a place lies beside the track: the nearest point of it, on the flat between neighbours. For many places
    /// [`super::near_track::NearTrack`] looks at few of its points.
    pub fn beside(&self, latitude: f64, longitude: f64) -> Beside {
        self.nearest_of(0..self.points.len() - 1, latitude, longitude)
    }

    /// The same of the legs between a point and the next, each by the number of the first.
    pub(crate) fn nearest_of(&self, legs: impl Iterator<Item = usize>, latitude: f64, longitude: f64) -> Beside {
        let narrow = latitude.to_radians().cos();
        let degree = EARTH.to_radians();
        let flat = |point: &TrackPoint| {
            ((point.longitude - longitude) * narrow * degree, (point.latitude - latitude) * degree)
        };
        let mut nearest = (f64::INFINITY, 0.0);
        for leg in legs {
            let (a, b) = (flat(&self.points[leg]), flat(&self.points[leg + 1]));
            let (dx, dy) = (b.0 - a.0, b.1 - a.1);
            let share = (-(a.0 * dx + a.1 * dy) / (dx * dx + dy * dy).max(1e-12)).clamp(0.0, 1.0);
            let off = (a.0 + share * dx).hypot(a.1 + share * dy);
            if off < nearest.0 {
                let (from, to) = (self.way[leg].km, self.way[leg + 1].km);
                nearest = (off, from + share * (to - from));
            }
        }
        Beside { at: Distance::km(nearest.1), off: Distance::km(nearest.0) }
    }
}

fn place(point: &TrackPoint) -> (f64, f64) {
    (point.latitude, point.longitude)
}

/// Heights, the missing ones taken from the nearest before, else after.
fn filled(points: &[TrackPoint]) -> Vec<f64> {
    let first = points.iter().find_map(|point| point.height).map_or(0.0, Height::get);
    let mut last = first;
    points
        .iter()
        .map(|point| {
            last = point.height.map_or(last, Height::get);
            last
        })
        .collect()
}

/// Heights averaged over the road around each point.
fn smoothed(km: &[f64], heights: &[f64]) -> Vec<f64> {
    let mut sums = vec![0.0];
    for height in heights {
        sums.push(sums[sums.len() - 1] + height);
    }
    let around = |index: usize| {
        let from = km.partition_point(|&at| at < km[index] - SMOOTHED_OVER / 2.0);
        let to = km.partition_point(|&at| at <= km[index] + SMOOTHED_OVER / 2.0);
        (sums[to] - sums[from]) / (to - from) as f64
    };
    (0..km.len()).map(around).collect()
}

/// The heights at which the way turns from up to down or back, turns within the noise left out; with both ends.
fn turns(heights: &[f64]) -> Vec<f64> {
    let mut turns = vec![heights[0]];
    let (mut low, mut high) = (heights[0], heights[0]);
    let mut rising: Option<bool> = None;
    for &height in heights {
        (low, high) = (low.min(height), high.max(height));
        match rising {
            None if high - turns[0] > NOISE => rising = Some(true),
            None if turns[0] - low > NOISE => rising = Some(false),
            Some(true) if high - height > NOISE => {
                turns.push(high);
                (rising, low, high) = (Some(false), height, height);
            }
            Some(false) if height - low > NOISE => {
                turns.push(low);
                (rising, low, high) = (Some(true), height, height);
            }
            _ => {}
        }
    }
    let last = match rising {
        Some(true) => high,
        Some(false) => low,
        None => turns[0],
    };
    turns.push(last);
    turns
}

#[cfg(test)]
mod tests {
    use super::*;

    fn straight(count: usize, height: impl Fn(usize) -> f64) -> Track {
        let point = |index: usize| TrackPoint {
            latitude: 47.0 + 0.000_45 * index as f64,
            longitude: 8.0,
            height: Some(Height::metres(height(index))),
            time: Some(Minutes::new(index as f64 * 0.05)),
        };
        Track::new((0..count).map(point).collect()).unwrap()
    }

    /// Noise of ±4 m that is the same in every run.
    fn noise(index: usize) -> f64 {
        8.0 * ((index * 7919 % 104_729) as f64 / 104_729.0 - 0.5)
    }

    #[test]
    fn distances_and_bearings_by_hand() {
        // A degree of latitude is 6371.0088·π/180 = 111.195 km; a quarter of the equator is 10,007.6 km.
        assert!((great_circle((46.0, 7.0), (47.0, 7.0)).get() - 111.195).abs() < 0.001);
        assert!((great_circle((0.0, 0.0), (0.0, 90.0)).get() - 10_007.557).abs() < 0.01);
        assert!((bearing((0.0, 0.0), (0.0, 1.0)) - 90.0).abs() < 1e-9);
        assert!((bearing((10.0, 5.0), (9.0, 5.0)) - 180.0).abs() < 1e-9);
    }

    #[test]
    fn a_noisy_flat_road_does_not_climb() {
        let (up, down) = straight(2_000, noise).climb_and_descent();
        assert!(up.get() < 15.0 && down.get() < 15.0, "{up} {down} on 100 km");
    }

    #[test]
    fn a_noisy_pass_climbs_what_it_is_high() {
        let pass = straight(1_000, |index| 1_000.0 * (1.0 - (index as f64 / 500.0 - 1.0).abs()) + noise(index));
        let (up, down) = pass.climb_and_descent();
        assert!((up.get() - 1_000.0).abs() < 15.0 && (down.get() - 1_000.0).abs() < 15.0, "{up} {down}");
        assert!((pass.height_at(pass.length().get() / 2.0) - 1_000.0).abs() < 12.0);
        // 50 m in three seconds are 60 km/h.
        assert!((pass.speed_between(3.0, 9.0).unwrap().get() - 60.0).abs() < 0.2);
    }

    #[test]
    fn places_are_found_beside_the_road() {
        let road = straight(1_000, |_| 400.0);
        let beside = road.beside(47.1, 8.02);
        // By hand: 0.02° east at 47.1° north are 0.02·111.195·cos 47.1° = 1.514 km off; 0.1° north are 11.12 km along.
        assert!((beside.off.get() - 1.514).abs() < 0.005 && (beside.at.get() - 11.119).abs() < 0.02, "{beside:?}");
        assert!(Track::new(vec![]).is_none());
        let here = TrackPoint { latitude: 1.0, longitude: 1.0, height: None, time: None };
        assert!(Track::new(vec![here, here]).is_none());
    }

    #[test]
    fn a_distance_is_a_place_on_the_track_and_the_place_lies_there() {
        let road = straight(1_000, |_| 400.0);
        for km in [0.0, 0.013, 11.119, 25.0, 49.9] {
            let (latitude, longitude) = road.position_at(km);
            let beside = road.beside(latitude, longitude);
            assert!((beside.at.get() - km).abs() < 1e-3 && beside.off.get() < 1e-3, "{km}: {beside:?}");
        }
        // By hand: a tenth of a degree north is 11.1195 km.
        assert!((road.position_at(11.1195).0 - 47.1).abs() < 1e-4);
        // Beyond its ends is its end.
        assert_eq!((road.position_at(-5.0).0, road.position_at(1e4).0), (47.0, 47.0 + 0.000_45 * 999.0));
    }
}
