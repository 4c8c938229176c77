//! Roads, sites, months, units and lists, as a client meets them.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

mod support;

use support::Pages;

/// North for 220 km over a summit of 900 m in the middle, a point every 200 m, driven at 72 km/h.
fn gpx() -> String {
    let point = |index: i32| {
        let share = f64::from(index) / 1100.0;
        let height = 300.0 + 900.0 * (1.0 - (2.0 * share - 1.0).abs());
        let seconds = index * 10;
        let clock = format!("{:02}:{:02}:{:02}", 8 + seconds / 3600, seconds / 60 % 60, seconds % 60);
        format!(
            "<trkpt lat=\"{:.6}\" lon=\"8.0\"><ele>{height:.1}</ele><time>2026-05-01T{clock}Z</time></trkpt>",
            46.0 + share * 220.0 / 111.195
        )
    };
    let points: String = (0..=1100).map(point).collect();
    format!(
        "<gpx version=\"1.1\" creator=\"t\" xmlns=\"http://www.topografix.com/GPX/1/1\"><trk><trkseg>{points}</trkseg></trk></gpx>"
    )
}

#[test]
fn a_trip_is_made_from_a_track_and_places_beside_it() {
    let pages = Pages::demo();
    let places = r#"[{"id": "near", "name": "Ridge Inn", "coordinates": {"latitude": "46.9", "longitude": "8.01"},
        "evses": [{"status": "AVAILABLE", "connectors": [{"power_type": "DC", "max_voltage": 920, "max_amperage": 400, "max_electric_power": 150000}]},
                  {"status": "OUTOFORDER", "connectors": []}]},
        {"id": "far", "name": "Elsewhere", "coordinates": {"latitude": "46.9", "longitude": "8.4"}, "evses": []}]"#;
    let with = |places: &'static str, speed: &'static str| {
        vec![
            ("car", "1"),
            ("name", "Over the ridge"),
            ("places", places),
            ("speed", speed),
            ("outside", "5"),
            ("wind", "20"),
            ("wind_from", "0"),
            ("load", "150"),
            ("off", "3"),
            ("price", "0.6"),
        ]
    };
    let (status, location, body) = pages.upload("/trips/new", &with(places, "100"), Some(("ridge.gpx", &gpx())));
    assert_eq!(status, 303, "{body}");
    let page = pages.get(&format!("{location}?start=60")).1;
    assert!(page.contains("Over the ridge") && page.contains("2 stalls, 1 out of order when last seen"), "{page}");
    assert!(!page.contains("Elsewhere"), "{page}");
    let trip: serde_json::Value = serde_json::from_str(&pages.get(&format!("{location}/trip.json")).1).unwrap();
    let segments = trip["route"]["segments"].as_array().unwrap();
    let km: f64 = segments.iter().map(|segment| segment["km"].as_f64().unwrap()).sum();
    let minutes: f64 =
        segments.iter().map(|segment| 60.0 * segment["km"].as_f64().unwrap() / segment["kmh"].as_f64().unwrap()).sum();
    // 1,100 steps of 10 s.
    assert!((minutes - 183.33).abs() < 0.2, "{minutes}");
    let use_of = |index: usize| segments[index]["kwh_per_100km"].as_f64().unwrap();
    assert!((km - 220.0).abs() < 0.1 && use_of(1) > use_of(segments.len() - 2) + 4.0, "{km}");
    let (status, _, body) = pages.upload("/trips/new", &with("name,latitude\n", "fast"), Some(("ridge.gpx", "<gpx")));
    assert_eq!(status, 422);
    for part in
        ["The track: cannot be read as GPX", "The places: line 1: has no column longitude", "expected 10 to 250 km/h"]
    {
        assert!(body.contains(part), "{part}: {body}");
    }
}

/// The segments of a trip's file: km, km/h and kWh/100 km.
fn segments(pages: &Pages, trip: &str) -> Vec<[f64; 3]> {
    let file: serde_json::Value = serde_json::from_str(&pages.get(&format!("{trip}/trip.json")).1).unwrap();
    let number = |segment: &serde_json::Value, name: &str| segment[name].as_f64().unwrap();
    let segments = file["route"]["segments"].as_array().unwrap();
    segments.iter().map(|one| ["km", "kmh", "kwh_per_100km"].map(|name| number(one, name))).collect()
}

#[test]
fn a_road_is_typed_changed_and_driven_in_other_weather() {
    let pages = Pages::demo();
    let road = "120 km 100 km/h toward 0\n60 km 100 km/h toward 0 17 kWh/100 km\n20 km 60 km/h +300 m heating 0";
    let form = [("car", "1"), ("name", "North"), ("text", road), ("outside", "16"), ("wind", "0")];
    let (status, trip, body) = pages.upload("/trips/new", &form, None);
    assert_eq!(status, 303, "{body}");
    let calm = segments(&pages, &trip);
    assert_eq!(calm.iter().map(|segment| segment[0]).collect::<Vec<_>>(), [120.0, 60.0, 20.0]);
    assert_eq!(calm[1][2], 17.0);
    // A headwind of 36 km/h from the north and 20 kelvin less: what was typed rises by as much as what the car itself says, and
    // falls again with the weather.
    assert_eq!(pages.post(&format!("{trip}/keep"), &[("wind", "36"), ("wind_from", "N"), ("outside", "-4")]).0, 303);
    let storm = segments(&pages, &trip);
    let added = |index: usize| storm[index][2] - calm[index][2];
    assert!(added(0) > 5.0 && (added(1) - added(0)).abs() < 1e-6, "{calm:?} {storm:?}");
    assert_eq!(pages.post(&format!("{trip}/keep"), &[("wind", "0"), ("outside", "16")]).0, 303);
    let again = segments(&pages, &trip);
    assert!(again.iter().flatten().zip(calm.iter().flatten()).all(|(a, b)| (a - b).abs() < 1e-6), "{calm:?} {again:?}");
    assert_eq!(pages.post(&format!("{trip}/keep"), &[("wind", "36"), ("wind_from", "N"), ("outside", "-4")]).0, 303);
    let storm = segments(&pages, &trip);
    let asked = pages.get(&format!("{trip}/plan?outside=cold")).1;
    assert!(asked.contains("data-fault=\"outside\"") && asked.contains("expected -50 to 55 °C"), "{asked}");
    // The road's page types it back, and a wrong line changes nothing.
    let page = pages.get(&format!("{trip}/road")).1;
    assert!(page.contains("20 km 60 km/h +300 m heating 0") && page.contains("200 km in 3 stretches"), "{page}");
    let (status, _, body) = pages.upload(&format!("{trip}/road"), &[("text", "80 km 90 km/h\n12 parsecs")], None);
    assert!(status == 422 && body.contains("line 2: “12”") && body.contains("12 parsecs"), "{body}");
    assert_eq!(segments(&pages, &trip), storm);
    let told = pages.post("/trips/road-lines", &[("text", "80 km 90 km/h\n12 parsecs")]).1;
    assert!(told.contains("80 km 90 km/h") && told.contains("class=\"fault\""), "{told}");
    // Out as CSV and in again: the same road.
    let list = pages.get(&format!("{trip}/road.csv")).1;
    assert_eq!(pages.upload(&format!("{trip}/road"), &[], Some(("road.csv", &list))).0, 303);
    assert_eq!(segments(&pages, &trip), storm);
    assert_eq!(pages.post(&format!("{trip}/name"), &[("name", "Far north"), ("currency", "kr")]).0, 303);
    assert!(pages.get("/trips").1.contains("Far north"));
    assert_eq!(pages.post(&format!("{trip}/name"), &[("name", ""), ("currency", "kr")]).0, 422);
    assert_eq!(pages.post(&format!("{trip}/remove"), &[]).0, 303);
    assert_eq!((pages.get(&trip).0, pages.get("/trips/1").0), (404, 200));
}

#[test]
fn sites_are_added_changed_and_brought() {
    let pages = Pages::demo();
    let form = [("car", "1"), ("text", "200 km 100 km/h")];
    let (status, trip, body) = pages.upload("/trips/new", &form, None);
    assert_eq!(status, 303, "{body}");
    let sites = format!("{trip}/sites");
    assert!(pages.get(&sites).1.contains("There is none yet"));
    let mill =
        [("name", "Mill"), ("at", "90"), ("max_kw", "150"), ("overhead", "5"), ("cabinet", "2"), ("hours", "24/7")];
    assert_eq!(pages.post(&sites, &mill).0, 303);
    let (status, body) = pages.post(&sites, &[("name", "Moor"), ("at", "900"), ("hours", "late")]);
    assert_eq!(status, 422);
    for part in ["expected 0 to 201 km", "needed; expected 0.1 to 10000 kW", "are no opening hours", "value=\"Moor\""] {
        assert!(body.contains(part), "{part}: {body}");
    }
    // The road may not end before its site.
    let (status, _, body) = pages.upload(&format!("{trip}/road"), &[("text", "80 km 100 km/h")], None);
    assert!(status == 422 && body.contains("Mill lies at 90 km, and this road ends at 80 km"), "{body}");
    // From 60 % it cannot be driven without the site; a neighbour at the cabinet takes time.
    let plan = pages.get(&format!("{trip}/plan?start=40")).1;
    assert!(plan.contains("Mill") && plan.contains("min if a neighbour at the same cabinet charges"), "{plan}");
    assert!(pages.get(&format!("{sites}?edit=mill")).1.contains("Change Mill"));
    let list = "id,name,at_km,max_kw,opening_hours,facilities\nmill,Old Mill,90,75,,\nmoor,Moor,120,50,Mo-Fr 09:00-10:00,tea\n";
    assert_eq!(pages.upload(&format!("{sites}/import"), &[], Some(("sites.csv", list))).0, 303);
    let page = pages.get(&sites).1;
    assert!(page.contains("Old Mill") && page.contains("Moor") && page.contains("tea"), "{page}");
    let (status, _, body) =
        pages.upload(&format!("{sites}/import"), &[], Some(("p.csv", "name,latitude,longitude\nA,1,1\n")));
    assert!(status == 422 && body.contains("Places on a map need a road that came from a track"), "{body}");
    let (status, _, body) = pages.upload(&format!("{sites}/import"), &[], Some(("s.csv", "at_km,max_kw\n900,50\n")));
    assert!(status == 422 && body.contains("lies at 900.0 km; the road ends at 200.0 km"), "{body}");
    let written = pages.get(&format!("{sites}.json")).1;
    assert_eq!(pages.post(&format!("{sites}/remove"), &[("site", "mill")]).0, 303);
    assert!(!pages.get(&sites).1.contains("Old Mill"));
    assert_eq!(pages.upload(&format!("{sites}/import"), &[], Some(("sites.json", &written))).0, 303);
    let again: serde_json::Value = serde_json::from_str(&pages.get(&format!("{sites}.json")).1).unwrap();
    assert_eq!(again.as_array().unwrap().len(), 2);
}

#[test]
fn a_site_that_is_closed_then_is_left_out_and_said() {
    let pages = Pages::demo();
    let sites = "id,name,at_km,max_kw,opening_hours\nfast,Fast,120,300,10:00-18:00\nslow,Slow,125,50,\n";
    let form = [("car", "1"), ("text", "300 km 100 km/h 20 kWh/100 km"), ("places", sites)];
    let (_, trip, body) = pages.upload("/trips/new", &form, None);
    let day = pages.get(&format!("{trip}/plan?start=60&depart=09:30")).1;
    assert!(day.contains("1 Fast") && !day.contains("is left out"), "{body} {day}");
    let night = pages.get(&format!("{trip}/plan?start=60&depart=9%20pm&day=2026-05-04")).1;
    // 120 km at 100 km/h are 1 h 12 min.
    assert!(night.contains("Fast is closed at 22:12 and opens at 10:00 +1 d: it is left out of this plan"), "{night}");
    assert!(night.contains("1 Slow"), "{night}");
    // The trip's file still has it.
    let file = pages.get(&format!("{trip}/trip.json?depart=9%20pm")).1;
    assert!(file.contains("\"opening_hours\": \"10:00-18:00\""), "{file}");
}

#[test]
fn a_trip_from_a_track_matches_places_later() {
    let pages = Pages::demo();
    let (_, trip, body) = pages.upload("/trips/new", &[("car", "1")], Some(("ridge.gpx", &gpx())));
    let places = "name,latitude,longitude,max_kw\nRidge Inn,46.9,8.01,150\n";
    assert_eq!(body, "");
    let (status, _, body) = pages.upload(&format!("{trip}/sites/import"), &[], Some(("p.csv", places)));
    assert_eq!(status, 303, "{body}");
    assert_eq!(
        pages.post(&format!("{trip}/sites"), &[("name", "Spot"), ("place", "47.5, 8.002"), ("max_kw", "50")]).0,
        303
    );
    let sites: serde_json::Value = serde_json::from_str(&pages.get(&format!("{trip}/sites.json")).1).unwrap();
    let at: Vec<f64> = sites.as_array().unwrap().iter().map(|site| site["at_km"].as_f64().unwrap()).collect();
    // A degree of latitude is 111.195 km on the mean sphere.
    assert!((at[0] - 0.9 * 111.195).abs() < 0.2 && (at[1] - 1.5 * 111.195).abs() < 0.2, "{at:?}");
    let page = pages.get(&format!("{trip}/road")).1;
    // 900 m, less what smoothing takes off the tip.
    let up: f64 = page.split(" m up and").next().unwrap().rsplit(' ').next().unwrap().parse().unwrap();
    assert!((880.0..=900.0).contains(&up) && page.contains("This road came from a track"), "{up}: {page}");
    // The same road at another speed still lies on its track; another road does not.
    for (road, on_track) in [("220 km 90 km/h", true), ("250 km 90 km/h", false)] {
        assert_eq!(pages.upload(&format!("{trip}/road"), &[("text", road)], None).0, 303);
        assert_eq!(pages.get(&format!("{trip}/road")).1.contains("This road came from a track"), on_track, "{road}");
    }
}

#[test]
fn a_month_adds_up_and_tells_the_next() {
    let pages = Pages::demo();
    let page = pages.get("/drives/month?car=1&month=2026-10").1;
    assert!(page.contains("October 2026") && page.contains("2 measured charges, 108.0 kWh into it"), "{page}");
    assert!(page.contains("1 × 230 V × 16 A are 3.7 kW") && page.contains("no fast charge is needed"), "{page}");
    let empty = pages.get("/drives/month?car=1&month=2024-02").1;
    assert!(empty.contains("February 2024") && empty.contains("Nothing with a day is logged in this month"));
    assert_eq!(pages.get("/drives/month?car=1&month=2024-13").0, 404);
    let wrong =
        [("phases", "4"), ("volts", "230"), ("amps", "16"), ("hours", "8"), ("limit", "80"), ("month", "2026-10")];
    let (status, body) = pages.post("/drives/1/home", &wrong);
    assert!(status == 422 && body.contains("expected 1 to 3 phases") && body.contains("October 2026"), "{body}");
    let none = [("phases", ""), ("volts", ""), ("amps", ""), ("hours", ""), ("limit", ""), ("month", "2026-10")];
    assert_eq!(pages.post("/drives/1/home", &none).0, 303);
    let page = pages.get("/drives/month?car=1&month=2026-10&start=50").1;
    assert!(page.contains("No post or socket at home is known") && page.contains("fast charges are needed"), "{page}");
    assert!(pages.get("/drives/month?car=1&floor=90").1.contains("expected more than 90 %"));
}

#[test]
fn pages_follow_the_persons_units() {
    let pages = Pages::demo();
    let american = [
        ("distance", "mi"),
        ("consumption", "mi/kWh"),
        ("temperature", "°F"),
        ("clock", "12 hours, am and pm"),
        ("currency", "dollars"),
    ];
    assert_eq!(pages.post("/settings", &american).0, 303);
    for path in [
        "/",
        "/trips",
        "/trips/1",
        "/trips/2",
        "/trips/2/road",
        "/trips/2/sites",
        "/drives",
        "/drives/month",
        "/cars/1",
        "/compare?s1=1&s2=1",
        "/sessions/1",
        "/sessions/4",
        "/measure",
    ] {
        let page = pages.get(path).1;
        // The ladder of a session is shown for both.
        let page = page.replace("each 50 km", "");
        // Words between tags: no metric distance, speed, consumption or temperature is told.
        let text: String =
            page.split('<').filter_map(|part| Some(part.split_once('>')?.1)).collect::<Vec<_>>().join(" ");
        let is_number = |word: &str| word.trim_end_matches(['.', ',', ';']).parse::<f64>().is_ok();
        let words: Vec<&str> = text.split_whitespace().collect();
        let metric = words.windows(2).find(|pair| {
            is_number(pair[0]) && ["km", "km/h", "kWh/100", "°C"].contains(&pair[1].trim_matches([',', '.', ';', ':']))
        });
        assert_eq!(metric, None, "{path}");
    }
    let page = pages.get("/trips/2").1;
    assert!(page.contains("8:00 am") && page.contains("25 °F"), "{page}");
    // Typed in them too: 70 mph are 112.65 km/h, 14 °F are −10 °C.
    let (_, trip, _) = pages.upload("/trips/new", &[("car", "1"), ("text", "100 mi 70 mph"), ("outside", "14")], None);
    let kept = &segments(&pages, &trip)[0];
    assert!((kept[0] - 160.934).abs() < 0.001 && (kept[1] - 112.654).abs() < 0.001, "{kept:?}");
    assert!(pages.get(&trip).1.contains("dollars"));
    let (status, body) = pages.post("/settings", &[&american[..4], &[("currency", "")]].concat());
    assert!(status == 422 && body.contains("expected 1 to 8 characters"), "{body}");
    assert_eq!(pages.post("/settings", &[&[("distance", "leagues")], &american[1..]].concat()).0, 422);
}

#[test]
fn every_list_goes_out_and_comes_back() {
    let (pages, other) = (Pages::demo(), Pages::empty());
    for format in ["csv", "json"] {
        let cars = pages.get(&format!("/lists/cars.{format}")).1;
        assert_eq!(other.upload("/cars/import", &[], Some((&format!("cars.{format}"), &cars))).0, 303);
        let curves = pages.get(&format!("/cars/1/curves.{format}")).1;
        assert_eq!(other.upload("/cars/1/curves/import", &[], Some((&format!("c.{format}"), &curves))).0, 303);
        let drives = pages.get(&format!("/drives/1/drives.{format}")).1;
        assert_eq!(other.upload("/drives/1", &[], Some((&format!("d.{format}"), &drives))).0, 303);
        let tariffs = pages.get(&format!("/lists/tariffs.{format}")).1;
        assert_eq!(other.upload("/tariffs/import", &[], Some((&format!("t.{format}"), &tariffs))).0, 303);
    }
    let sessions = pages.get("/lists/sessions.json").1;
    assert_eq!(other.upload("/sessions", &[], Some(("sessions.json", &sessions))).0, 303);
    assert_eq!(other.get("/lists/sessions.json").1, sessions);
    let trips = pages.get("/lists/trips.json").1;
    assert_eq!(other.upload("/trips", &[], Some(("trips.json", &trips))).0, 303);
    // Each list came twice, but for sessions and trips.
    let count = |path: &str| serde_json::from_str::<Vec<serde_json::Value>>(&other.get(path).1).unwrap().len();
    assert_eq!([count("/lists/cars.json"), count("/lists/tariffs.json"), count("/lists/trips.json")], [7, 8, 3]);
    assert_eq!((count("/drives/1/drives.json"), count("/lists/sessions.json")), (120, 4));
    // What is wrong is said, and nothing of it is kept.
    let wrong = sessions.replacen("\"soc\": 4", "\"soc\": 444", 1);
    let (status, _, body) = other.upload("/sessions", &[], Some(("sessions.json", &wrong)));
    assert!(status == 422 && body.contains("readings[") && count("/lists/sessions.json") == 4, "{body}");
    let (status, _, body) = other.upload("/cars/import", &[], Some(("cars.csv", "name,usable_kwh\nTern,much\n")));
    assert!(status == 422 && body.contains("cars.csv: line 2: usable_kwh"), "{body}");
    let (status, _, body) =
        other.upload("/sessions", &[], Some(("s.json", &sessions.replace("Avel 74\"", "Avel 99\""))));
    assert!(status == 422 && body.contains("is of “Avel 99”, which is not known here"), "{body}");
}
