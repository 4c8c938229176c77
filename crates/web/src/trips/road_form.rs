//! The road that a form brings: typed lines, a list, or a track.

use spare_hour_core::road::Stretch;
use spare_hour_core::track::Track;
use spare_hour_core::track_stretches::track_stretches;
use spare_hour_core::units::Units;
use spare_hour_formats::{read_road, read_road_lines, read_track};

use crate::sessions::upload::Upload;

/// A road, with the track that it came from.
pub(super) struct BroughtRoad {
    pub(super) stretches: Vec<Stretch>,
    pub(super) track: Option<Track>,
}

/// Reads the road of a form: its file if there is one, else its lines.
pub(super) fn brought(upload: &Upload, units: &Units) -> Result<BroughtRoad, Vec<String>> {
    if !upload.from_file {
        let stretches = read_road_lines(&upload.field("text"), units)?;
        return Ok(BroughtRoad { stretches, track: None });
    }
    match upload.bytes.trim_ascii_start().first() {
        Some(b'<' | b'{') => {
            let track = read_track(&upload.bytes).map_err(|error| vec![format!("The track: {error}.")])?;
            Ok(BroughtRoad { stretches: track_stretches(&track), track: Some(track) })
        }
        _ => {
            let stretches = read_road(&upload.bytes).map_err(|error| vec![format!("The road: {error}.")])?;
            Ok(BroughtRoad { stretches, track: None })
        }
    }
}
