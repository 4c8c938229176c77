//! A drive from a track with times and heights: how far, how long without its stops, how high up and down. What it took from the
//! battery no track knows; that is typed beside it.

use jiff::Timestamp;
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::units::DistanceUnit;
use spare_hour_formats::read_drive_line;
use spare_hour_planning::clock::Here;

use spare_hour_wording::figures;

/// The drive of a track, for the rest of a line as it was typed.
pub(super) fn drive_of_track(track: &Track, typed: &str, distance: DistanceUnit, here: &Here) -> Result<Drive, String> {
    let km = track.length().get();
    let mut line = format!("{} km", figures::field(km));
    if let Some(speed) = track.speed_between(0.0, km) {
        line.push_str(&format!(" {} min", figures::field(60.0 * km / speed.get())));
    }
    if track.has_heights() {
        let (climb, descent) = track.climb_and_descent();
        line.push_str(&format!(" +{:.0} m -{:.0} m", climb.get(), descent.get()));
    }
    let typed: Vec<&str> = typed.split_whitespace().collect();
    let drive = read_drive_line(&format!("{line} {}", typed.join(" ")), distance)?;
    Ok(Drive { day: drive.day.clone().or_else(|| day(track, here)), ..drive })
}

/// The day that a track began on, here.
fn day(track: &Track, here: &Here) -> Option<String> {
    let minutes = track.points().first()?.time?;
    let began = Timestamp::from_second((60.0 * minutes.get()).round() as i64).ok()?;
    Some(here.day_of(began).to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::tz::TimeZone;
    use spare_hour_core::driving::drive::Used;
    use spare_hour_core::quantity::Soc;
    use spare_hour_formats::read_track;
    use spare_hour_planning::clock::SystemClock;

    /// A kilometre of latitude a minute, 20 km long, 200 m up, with ten minutes at a barrier; it begins at noon.
    fn track() -> Track {
        let point = |index: u32| {
            let minute = 12 * 60 + index + if index > 10 { 10 } else { 0 };
            format!(
                "<trkpt lat=\"{}\" lon=\"8\"><ele>{}</ele><time>2026-05-01T{:02}:{:02}:00Z</time></trkpt>",
                46.0 + f64::from(index) / 111.195,
                500 + 10 * index,
                minute / 60,
                minute % 60,
            )
        };
        let points: String = (0..=20).map(point).collect();
        let gpx = format!("<gpx version=\"1.1\" creator=\"hand\"><trk><trkseg>{points}</trkseg></trk></gpx>");
        read_track(gpx.as_bytes()).unwrap()
    }

    /// A zone in which it is the next day already.
    fn here() -> Here {
        Here::new(SystemClock, TimeZone::get("Pacific/Kiritimati").unwrap())
    }

    #[test]
    fn a_track_tells_all_but_what_it_took() {
        let drive = drive_of_track(&track(), "88-83 %\n7 °C", DistanceUnit::Kilometres, &here()).unwrap();
        // The step of eleven minutes for a kilometre is under 6 km/h; it drives 19 min and a little of it.
        assert!((drive.distance.get() - 20.0).abs() < 0.01, "{drive:?}");
        assert!((19.0..32.0).contains(&drive.time.unwrap().get()), "{drive:?}");
        assert_eq!((drive.climb.unwrap().get().round(), drive.descent.unwrap().get()), (200.0, 0.0));
        assert_eq!(drive.used, Used::Soc(Soc::percent(88.0), Soc::percent(83.0)));
        // Noon UTC is 02:00 on the next day at UTC+14 (IANA time zone database).
        assert_eq!(drive.day.as_deref(), Some("2026-05-02"));
        let noted = drive_of_track(&track(), "2026-04-30 3 kWh", DistanceUnit::Kilometres, &here()).unwrap();
        assert_eq!(noted.day.as_deref(), Some("2026-04-30"));
        let nothing = drive_of_track(&track(), "", DistanceUnit::Kilometres, &here()).unwrap_err();
        assert!(nothing.starts_with("energy or SoC is missing"), "{nothing}");
    }
}
