//! Tracks from GPX (tracks, else routes) and GeoJSON (a line, or the longest of several).

use geojson::{GeoJson, GeometryValue};
use quick_xml::events::Event;
use spare_hour_core::driving::track::{MOST_POINTS, Track, TrackPoint};
use spare_hour_core::quantity::{Height, Minutes};

use crate::{FormatError, text_of};

/// Most elements of a GPX file within one another; a track has six, its extensions a few more.
const MOST_NESTED: usize = 30;

/// Reads a track: GeoJSON where the file begins like JSON, else GPX.
///
/// # Errors
/// What cannot be read, and what is expected.
pub fn read_track(bytes: &[u8]) -> Result<Track, FormatError> {
    let text = text_of(bytes)?;
    let points = if text.trim_start().starts_with('{') { geojson_points(text)? } else { gpx_points(text)? };
    if points.len() > MOST_POINTS {
        return Err(FormatError::file(format!(
            "the track has {} points; expected at most {MOST_POINTS}",
            points.len()
        )));
    }
    let outside =
        |point: &TrackPoint| !(-90.0..=90.0).contains(&point.latitude) || !(-180.0..=180.0).contains(&point.longitude);
    if let Some(index) = points.iter().position(outside) {
        let point = points[index];
        return Err(FormatError::file(format!(
            "point {} lies at {}, {}; expected degrees north and east",
            index + 1,
            point.latitude,
            point.longitude
        )));
    }
    Track::new(points)
        .ok_or_else(|| FormatError::file("the track has no two different points; expected a track or route"))
}

fn gpx_points(text: &str) -> Result<Vec<TrackPoint>, FormatError> {
    check_nesting(text)?;
    let gpx =
        gpx::read(text.as_bytes()).map_err(|error| FormatError::file(format!("cannot be read as GPX: {error}")))?;
    let tracked: Vec<&gpx::Waypoint> =
        gpx.tracks.iter().flat_map(|track| &track.segments).flat_map(|segment| &segment.points).collect();
    let waypoints =
        if tracked.is_empty() { gpx.routes.iter().flat_map(|route| &route.points).collect() } else { tracked };
    Ok(waypoints.into_iter().map(gpx_point).collect())
}

/// Elements within elements cost the reader time by the square of their depth, so their number is bounded first.
fn check_nesting(text: &str) -> Result<(), FormatError> {
    let mut reader = quick_xml::Reader::from_str(text);
    let mut depth = 0;
    loop {
        match reader.read_event() {
            Ok(Event::Start(_)) => depth += 1,
            Ok(Event::End(_)) => depth -= 1,
            Ok(Event::Eof) => return Ok(()),
            Ok(_) => {}
            Err(error) => return Err(FormatError::file(format!("cannot be read as GPX: {error}"))),
        }
        if depth > MOST_NESTED {
            return Err(FormatError::file(format!(
                "has more than {MOST_NESTED} elements within one another; expected a GPX track"
            )));
        }
    }
}

fn gpx_point(waypoint: &gpx::Waypoint) -> TrackPoint {
    let time = waypoint.time.and_then(|time| time.format().ok());
    let time: Option<jiff::Timestamp> = time.and_then(|text| text.parse().ok());
    TrackPoint {
        latitude: waypoint.point().y(),
        longitude: waypoint.point().x(),
        height: waypoint.elevation.map(Height::metres),
        time: time.map(|time| Minutes::new(time.as_millisecond() as f64 / 60_000.0)),
    }
}

fn geojson_points(text: &str) -> Result<Vec<TrackPoint>, FormatError> {
    let file: GeoJson =
        text.parse().map_err(|error| FormatError::file(format!("cannot be read as GeoJSON: {error}")))?;
    let geometries: Vec<GeometryValue> = match file {
        GeoJson::Geometry(geometry) => vec![geometry.value],
        GeoJson::Feature(feature) => feature.geometry.into_iter().map(|geometry| geometry.value).collect(),
        GeoJson::FeatureCollection(collection) => collection
            .features
            .into_iter()
            .filter_map(|feature| feature.geometry)
            .map(|geometry| geometry.value)
            .collect(),
    };
    let lines = geometries.into_iter().flat_map(|geometry| match geometry {
        GeometryValue::LineString { coordinates } => vec![coordinates],
        GeometryValue::MultiLineString { coordinates } => vec![coordinates.into_iter().flatten().collect()],
        _ => Vec::new(),
    });
    let longest = lines.max_by_key(Vec::len);
    let longest = longest.ok_or_else(|| FormatError::file("has no line; expected a LineString or MultiLineString"))?;
    let point = |position: geojson::Position| {
        let position = position.as_slice().to_vec();
        match position[..] {
            [longitude, latitude, ..] => {
                Ok(TrackPoint { latitude, longitude, height: position.get(2).copied().map(Height::metres), time: None })
            }
            _ => Err(FormatError::file("a position has fewer than two numbers; expected longitude and latitude")),
        }
    };
    longest.into_iter().map(point).collect()
}

/// Writes a track as a GeoJSON line that [`read_track`] reads back; times are left out.
pub fn write_track(track: &Track) -> String {
    let position = |point: &TrackPoint| {
        let mut position = vec![point.longitude, point.latitude];
        position.extend(point.height.map(Height::get));
        position
    };
    let coordinates: Vec<Vec<f64>> = track.points().iter().map(position).collect();
    serde_json::json!({
        "type": "Feature",
        "properties": {},
        "geometry": { "type": "LineString", "coordinates": coordinates },
    })
    .to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const GPX: &str = r#"<?xml version="1.0"?>
<gpx version="1.1" creator="hand" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>
<trkpt lat="46.0" lon="8.0"><ele>500</ele><time>2026-05-01T10:00:00Z</time></trkpt>
<trkpt lat="46.01" lon="8.0"><ele>510</ele><time>2026-05-01T10:01:00Z</time></trkpt>
<trkpt lat="46.02" lon="8.0"><ele>520</ele><time>2026-05-01T10:02:00Z</time></trkpt>
</trkseg></trk></gpx>"#;

    #[test]
    fn gpx_has_distance_height_and_speed() {
        let track = read_track(GPX.as_bytes()).unwrap();
        // 0.02° of latitude are 2.224 km, in two minutes 66.7 km/h.
        assert!((track.length().get() - 2.224).abs() < 0.001 && track.has_heights());
        assert!((track.speed_between(0.0, 2.0).unwrap().get() - 66.7).abs() < 0.1);
    }

    #[test]
    fn geojson_lines_and_what_is_none() {
        let line = r#"{"type":"Feature","properties":{},"geometry":{"type":"LineString","coordinates":[[8.0,46.0,500.0],[8.0,46.1,600.0]]}}"#;
        let track = read_track(line.as_bytes()).unwrap();
        assert!((track.length().get() - 11.1195).abs() < 0.001 && track.has_heights());
        assert_eq!(read_track(write_track(&track).as_bytes()).unwrap(), track);
        for (text, part) in [
            (r#"{"type":"Point","coordinates":[8.0,46.0]}"#, "has no line"),
            (r#"{"type":"LineString","coordinates":[[8.0,146.0],[8.0,46.0]]}"#, "point 1 lies at 146"),
            (r#"{"type":"LineString","coordinates":[[8.0,46.0],[8.0,46.0]]}"#, "no two different points"),
            (r#"{"type":"Banana"}"#, "cannot be read as GeoJSON"),
            ("<gpx", "cannot be read as GPX"),
            (&format!("<gpx>{}", "<extensions>".repeat(100_000)), "more than 30 elements within one another"),
        ] {
            let error = read_track(text.as_bytes()).unwrap_err().to_string();
            assert!(error.contains(part), "{text}: {error}");
        }
    }

    proptest! {
        #[test]
        fn never_panics(text in "(<gpx>|\\{)?\\PC{0,60}") {
            let _ = read_track(text.as_bytes());
        }
    }
}
