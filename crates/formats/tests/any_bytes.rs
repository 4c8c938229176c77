//! No reader panics, whatever bytes a file holds: noise, or a good file with some of its bytes changed.

#![allow(missing_docs, clippy::unwrap_used)]

use proptest::prelude::*;
use spare_hour_formats::{
    Sheet, read_cars, read_curves, read_drives, read_places, read_road, read_session, read_session_json,
    read_session_list, read_sites, read_tariff_table, read_tariffs, read_track, read_trips,
};

const GOOD: [&str; 13] = [
    "<gpx version=\"1.1\" creator=\"t\" xmlns=\"http://www.topografix.com/GPX/1/1\"><trk><trkseg><trkpt lat=\"46\" lon=\"8\"><ele>5</ele><time>2026-05-01T10:00:00Z</time></trkpt><trkpt lat=\"46.1\" lon=\"8\"/></trkseg></trk></gpx>",
    "{\"type\":\"LineString\",\"coordinates\":[[8.0,46.0,500.0],[8.0,46.1]]}",
    "[{\"id\":\"1\",\"coordinates\":{\"latitude\":\"46\",\"longitude\":\"8\"},\"evses\":[{\"status\":\"AVAILABLE\",\"connectors\":[{\"max_voltage\":400}]}]}]",
    "{\"id\":\"a\",\"currency\":\"c\",\"elements\":[{\"price_components\":[{\"type\":\"ENERGY\",\"price\":0.5,\"step_size\":1}],\"restrictions\":{\"start_time\":\"22:00\",\"day_of_week\":[\"MONDAY\"]}}]}",
    "km,minutes,kwh,day\n50,30,9,2026-05-01\n",
    "{\"format\":\"spare-hour/session\",\"version\":1,\"conditions\":{\"meter\":\"car\"},\"readings\":[{\"elapsed_s\":0,\"soc\":10},{\"elapsed_s\":60,\"soc\":12}]}",
    "[{\"name\":\"s\",\"car\":\"c\",\"format\":\"spare-hour/session\",\"version\":1,\"readings\":[{\"elapsed_s\":0,\"soc\":10}]}]",
    "name,usable_kwh,loss_percent,mass_kg\nTern,60,8,1900\n",
    "curve,soc,kw\nwarm,0,90\nwarm,100,5\n",
    "km,kmh,climb_m,toward_deg,wet\n50,110,200,90,yes\n",
    "[{\"at_km\":50,\"max_kw\":150,\"opening_hours\":\"Mo-Fr 06:00-22:00\",\"connectors\":\"4 x CHADEMO 50 kW\"}]",
    include_str!("../../../docs/formats/trip.example.json"),
    "tariff,currency,element,type,price\nNight,cr,1,ENERGY,0.5\nNight,cr,2,TIME,3\n",
];

fn read_all(bytes: &[u8]) {
    let _ = read_track(bytes);
    let _ = read_places(bytes);
    let _ = read_tariffs(bytes);
    let _ = read_drives(bytes);
    let _ = read_session_json(bytes);
    let _ = read_trips(bytes);
    let _ = read_cars(bytes);
    let _ = read_curves(bytes);
    let _ = read_road(bytes);
    let _ = read_sites(bytes);
    let _ = read_tariff_table(bytes);
    let _ = read_session_list(bytes);
    let _ = Sheet::read_text(bytes).map(|sheet| sheet.session(&sheet.guess()));
    let _ = Sheet::read_xlsx(bytes);
    if let Ok(text) = std::str::from_utf8(bytes) {
        let _ = read_session(text);
    }
}

#[test]
fn the_good_files_are_good() {
    assert!(read_track(GOOD[0].as_bytes()).is_ok() && read_track(GOOD[1].as_bytes()).is_ok());
    assert!(read_places(GOOD[2].as_bytes()).is_ok() && read_tariffs(GOOD[3].as_bytes()).is_ok());
    assert!(read_drives(GOOD[4].as_bytes()).is_ok() && read_session_json(GOOD[5].as_bytes()).is_ok());
    assert!(read_session_list(GOOD[6].as_bytes()).is_ok() && read_cars(GOOD[7].as_bytes()).is_ok());
    assert!(read_curves(GOOD[8].as_bytes()).is_ok() && read_road(GOOD[9].as_bytes()).is_ok());
    assert!(read_sites(GOOD[10].as_bytes()).is_ok() && read_trips(GOOD[11].as_bytes()).is_ok());
    assert!(read_tariff_table(GOOD[12].as_bytes()).is_ok());
}

proptest! {
    #[test]
    fn noise(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        read_all(&bytes);
    }

    #[test]
    fn good_files_with_bytes_changed(
        file in prop::sample::select(GOOD.to_vec()),
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6),
    ) {
        let mut bytes = file.as_bytes().to_vec();
        for (at, byte) in changes {
            *at.get_mut(&mut bytes) = byte;
        }
        read_all(&bytes);
    }
}
