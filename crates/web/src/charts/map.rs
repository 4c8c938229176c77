//! The map of a trip: its track's own points, north up, with its sites and stops, its climbs and the wind. Nothing is fetched.

use serde_json::json;
use spare_hour_core::driving::road::RoadConditions;
use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::SiteIndex;
use spare_hour_planning::shown_plan::ShownPlan;

/// Width of the drawing, its margin, and its least and most height.
const WIDTH: f64 = 600.0;
const MARGIN: f64 = 26.0;
const HEIGHTS: (f64, f64) = (180.0, 520.0);
/// Pieces that the track is drawn in.
const PIECES: usize = 240;
/// A piece that climbs by more than this is marked.
const STEEP: f64 = 0.025;

/// A place on the map.
#[derive(Clone, Debug)]
pub(crate) struct Place {
    pub(crate) x: f64,
    pub(crate) y: f64,
    /// Number of a stop; `None` for a site that is not used.
    pub(crate) number: Option<usize>,
    pub(crate) name: String,
    /// Whether its name stands on its left.
    pub(crate) left: bool,
}

/// The drawing.
#[derive(Clone, Debug)]
pub(crate) struct Map {
    pub(crate) height: f64,
    pub(crate) road: String,
    pub(crate) climbs: Vec<String>,
    pub(crate) places: Vec<Place>,
    pub(crate) start: (f64, f64),
    pub(crate) end: (f64, f64),
    /// Where the wind blows to, degrees from north, where there is any.
    pub(crate) wind: Option<f64>,
    /// A kilometre of the drawing's scale bar in its units, and how many it is long.
    pub(crate) bar: (f64, String),
    pub(crate) told: String,
    /// Distance and place along the road, for the script.
    pub(crate) along: String,
}

/// From degrees to the drawing.
struct Projection {
    west: f64,
    north: f64,
    /// Units of the drawing for a degree of longitude and of latitude.
    scale: (f64, f64),
    /// What centres it.
    shift: (f64, f64),
}

impl Projection {
    fn new(points: &[(f64, f64)]) -> (Self, f64) {
        let span = |of: fn(&(f64, f64)) -> f64| {
            let values = points.iter().map(of);
            values.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| (low.min(value), high.max(value)))
        };
        let ((south, north), (west, east)) = (span(|point| point.0), span(|point| point.1));
        // Degrees of longitude are shorter away from the equator.
        let shorter = f64::midpoint(south, north).to_radians().cos().max(0.01);
        let (wide, tall) = (((east - west) * shorter).max(1e-6), (north - south).max(1e-6));
        let room = (WIDTH - 2.0 * MARGIN, HEIGHTS.1 - 2.0 * MARGIN);
        let scale = (room.0 / wide).min(room.1 / tall);
        let height = (tall * scale + 2.0 * MARGIN).clamp(HEIGHTS.0, HEIGHTS.1);
        let shift = ((WIDTH - wide * scale) / 2.0, (height - tall * scale) / 2.0);
        (Self { west, north, scale: (scale * shorter, scale), shift }, height)
    }

    fn at(&self, (latitude, longitude): (f64, f64)) -> (f64, f64) {
        let tenth = |value: f64| (10.0 * value).round() / 10.0;
        (
            tenth(self.shift.0 + (longitude - self.west) * self.scale.0),
            tenth(self.shift.1 + (self.north - latitude) * self.scale.1),
        )
    }
}

impl Map {
    /// The map of a plan on a track, under the weather of its road.
    pub(crate) fn new(track: &Track, shown: &ShownPlan, weather: &RoadConditions, units: Units) -> Self {
        let length = track.length().get();
        let at = |piece: usize| length * piece as f64 / PIECES as f64;
        let points: Vec<(f64, f64)> = (0..=PIECES).map(|piece| track.position_at(at(piece))).collect();
        let (projection, height) = Projection::new(&points);
        let drawn: Vec<(f64, f64)> = points.iter().map(|&point| projection.at(point)).collect();
        let road = |points: &[(f64, f64)]| {
            format!("M{}", points.iter().map(|(x, y)| format!("{x} {y}")).collect::<Vec<_>>().join("L"))
        };
        let climbs = |piece: &usize| {
            let up = track.height_at(at(piece + 1)) - track.height_at(at(*piece));
            up / (1_000.0 * length / PIECES as f64) > STEEP
        };
        let distance = units.distance;
        let along: Vec<serde_json::Value> = (0..=PIECES)
            .map(|piece| {
                let place = distance.of(spare_hour_core::quantity::Distance::km(at(piece)));
                json!([(10.0 * place).round() / 10.0, drawn[piece].0, drawn[piece].1])
            })
            .collect();
        Self {
            height,
            road: road(&drawn),
            climbs: (0..PIECES).filter(climbs).map(|piece| road(&drawn[piece..=piece + 1])).collect(),
            places: places(track, shown, &projection),
            start: drawn[0],
            end: drawn[PIECES],
            wind: (weather.wind.get() >= 1.0).then_some((weather.wind_from + 180.0) % 360.0),
            bar: bar(&projection, units),
            told: format!("Map of the road, north up, with {} stops.", shown.plan.stops.len()),
            along: serde_json::Value::from(along).to_string(),
        }
    }
}

fn places(track: &Track, shown: &ShownPlan, projection: &Projection) -> Vec<Place> {
    let place = |(index, site): (SiteIndex, &spare_hour_core::trip::Site)| {
        let (x, y) = projection.at(track.position_at(site.at.get()));
        let stop = shown.plan.stops.iter().position(|stop| stop.site == index);
        Place { x, y, number: stop.map(|stop| stop + 1), name: site.name.clone(), left: x > 0.6 * WIDTH }
    };
    let mut places: Vec<Place> = shown.trip.indexed_sites().map(place).collect();
    // Stops lie above sites that are not used.
    places.sort_by_key(|place| place.number.is_some());
    places
}

/// A bar of a round length: its units, and what it says.
fn bar(projection: &Projection, units: Units) -> (f64, String) {
    // A degree of latitude is 111.2 km (IUGG mean radius 6,371.0 km).
    let per_km = projection.scale.1 / 111.195;
    let one = per_km
        * (spare_hour_core::quantity::Distance::km(1.0).get()
            / units.distance.of(spare_hour_core::quantity::Distance::km(1.0)));
    let lengths = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1_000.0];
    let fits = lengths.into_iter().rev().find(|length| length * one <= 0.3 * WIDTH).unwrap_or(1.0);
    ((10.0 * fits * one).round() / 10.0, format!("{fits:.0} {}", units.distance.name()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::driving::track::{TrackPoint, great_circle};

    fn track(points: &[(f64, f64)]) -> Track {
        let point = |&(latitude, longitude): &(f64, f64)| TrackPoint { latitude, longitude, height: None, time: None };
        Track::new(points.iter().map(point).collect()).unwrap()
    }

    #[test]
    fn north_is_up_and_a_kilometre_is_as_long_in_any_direction() {
        // Around Bern: a road north, then east; the same length by the great circle within 1 %.
        let corner = (46.9, 7.4);
        let (north, east) = ((47.3, 7.4), (46.9, 7.4 + 0.4 / 46.9_f64.to_radians().cos()));
        let along = great_circle(corner, north).get() / great_circle(corner, east).get();
        assert!((along - 1.0).abs() < 0.01, "{along}");
        let (projection, height) = Projection::new(&[corner, north, east]);
        let [at, up, right] = [corner, north, east].map(|point| projection.at(point));
        assert!(up.1 < at.1 && right.0 > at.0 && (up.0 - at.0).abs() < 0.2 && (right.1 - at.1).abs() < 0.2);
        assert!(((at.1 - up.1) / (right.0 - at.0) - 1.0).abs() < 0.01);
        for (x, y) in [at, up, right] {
            assert!((0.0..=WIDTH).contains(&x) && (0.0..=height).contains(&y));
        }
        let (long, told) = bar(&projection, Units::default());
        let kilometres: f64 = told.trim_end_matches(" km").parse().unwrap();
        let shown = (at.1 - up.1) / great_circle(corner, north).get();
        assert!((long / kilometres - shown).abs() < 0.01 * shown, "{long} for {told}");
        assert!(track(&[corner, north, east]).length().get() > 80.0);
    }
}
