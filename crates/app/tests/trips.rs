//! Trips as a client meets them: a first plan in words, what is taken along against the plan's own file, wishes with what each
//! costs, and proofs after the answer.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::collections::HashMap;

use serde_json::Value;
use support::Pages;

fn json(pages: &Pages, path: &str) -> Value {
    serde_json::from_str(&pages.get(path).1).unwrap()
}

/// The rows of a list by the names of its columns.
fn rows(text: &str) -> Vec<HashMap<String, String>> {
    csv::Reader::from_reader(text.as_bytes()).deserialize().collect::<Result<_, _>>().unwrap()
}

/// Where a stop's site lies along the road.
fn at_km(trip: &Value, stop: &Value) -> f64 {
    let site = trip["sites"].as_array().unwrap().iter().find(|site| site["id"] == stop["site"]).unwrap();
    site["at_km"].as_f64().unwrap()
}

fn posted(pages: &Pages, path: &str, fields: &[(&str, &str)]) -> (u16, String) {
    let answer = pages.post_form(path, fields);
    let location = answer.header("location");
    (answer.told().0, location)
}

#[test]
fn what_is_taken_along_is_the_plan_by_road_and_by_clock() {
    let pages = Pages::demo();
    for (trip, query) in [("/trips/1", ""), ("/trips/1", "start=70"), ("/trips/2", ""), ("/trips/3", "")] {
        let plan = json(&pages, &format!("{trip}/plan.json?{query}"));
        let (stops, file) = (plan["stops"].as_array().unwrap(), json(&pages, &format!("{trip}/trip.json")));
        let (status, list) = pages.get(&format!("{trip}/along/stops.csv?{query}"));
        assert_eq!(status, 200, "{list}");
        let listed = rows(&list);
        assert_eq!(listed.len(), stops.len() + 1, "{trip}");
        for (row, stop) in listed.iter().zip(stops) {
            let near = |column: &str, field: &str, by: f64| {
                let (ours, theirs) = (row[column].parse::<f64>().unwrap(), stop[field].as_f64().unwrap());
                assert!((ours - theirs).abs() <= by, "{trip} {column}: {ours} and {theirs}");
            };
            assert!((row["at_km"].parse::<f64>().unwrap() - at_km(&file, stop)).abs() < 0.006);
            near("arrive_soc", "arrive_soc", 0.06);
            near("depart_soc", "depart_soc", 0.06);
            near("charge_min", "charge_min", 0.06);
            near("cost", "cost", 0.006);
            // By hand: to the nearest minute.
            let seconds = |text: &str| {
                let part = |from: usize| text[from..from + 2].parse::<i32>().unwrap();
                3600 * part(11) + 60 * part(14) + if &text[16..17] == ":" { part(17) } else { 0 }
            };
            let apart = seconds(&row["arrive_at"]) - seconds(stop["arrive_at"].as_str().unwrap());
            assert!(apart.abs() <= 30, "{row:?} and {stop}");
        }
        let (status, calendar) = pages.get(&format!("{trip}/along/calendar.ics?{query}"));
        assert!(status == 200 && calendar.starts_with("BEGIN:VCALENDAR") && calendar.ends_with("END:VCALENDAR\r\n"));
        assert_eq!(calendar.matches("BEGIN:VEVENT").count(), listed.len(), "{trip}");
    }
    // A departure that the driver holds is taken along as it is shown.
    let first = json(&pages, "/trips/1/plan.json")["stops"][0].clone();
    let held = format!("/trips/1/along/stops.csv?leave={}:70", first["site"].as_str().unwrap());
    assert_eq!(rows(&pages.get(&held).1)[0]["depart_soc"], "70");
    assert_ne!(first["depart_soc"], 70.0);
    // Where no track tells, nobody makes places up.
    let (status, body) = pages.get("/trips/1/along/stops.gpx");
    assert!(status == 422 && body.contains("has no track"), "{status} {body}");
    assert_eq!(pages.get("/trips/1/along/stops.exe").0, 404);
    assert_eq!(pages.get("/trips/99/along/stops.csv").0, 404);
}

#[test]
fn places_of_a_trip_from_a_track_lie_on_it() {
    let pages = Pages::demo();
    let line: Vec<[f64; 2]> = (0..=400).map(|step| [8.0, 46.0 + f64::from(step) * 0.01]).collect();
    let track = serde_json::json!({"type": "LineString", "coordinates": line}).to_string();
    let places = "name,at_km,max_kw\nFirst Halt,150,150\nSecond Halt,300,150\n";
    let fields = [
        ("car", "1"),
        ("name", "Up the meridian"),
        ("places", places),
        ("speed", "110"),
        ("off", "3"),
        ("price", "0.5"),
    ];
    let (status, trip, body) = pages.upload("/trips/new", &fields, Some(("line.geojson", &track)));
    assert_eq!(status, 303, "{body}");
    let page = pages.get(&trip).1;
    assert!(page.contains("stops.gpx") && !pages.get("/trips/1").1.contains("stops.gpx"));
    let stops = json(&pages, &format!("{trip}/plan.json"))["stops"].clone();
    let file = json(&pages, &format!("{trip}/trip.json"));
    let geo = json(&pages, &format!("{trip}/along/stops.geojson"));
    let features = geo["features"].as_array().unwrap();
    assert!(!features.is_empty() && features.len() == stops.as_array().unwrap().len());
    for (feature, stop) in features.iter().zip(stops.as_array().unwrap()) {
        // By hand: a degree of the meridian is 111.19 km of a sphere of 6371 km.
        let latitude = 46.0 + at_km(&file, stop) / 111.19;
        let place = &feature["geometry"]["coordinates"];
        assert!((place[1].as_f64().unwrap() - latitude).abs() < 0.01 && place[0] == 8.0, "{feature} for {stop}");
    }
    let gpx = pages.get(&format!("{trip}/along/stops.gpx")).1;
    assert_eq!(gpx.matches("<wpt").count(), features.len(), "{gpx}");
}

#[test]
fn a_first_plan_is_previewed_kept_and_refused_field_by_field() {
    let pages = Pages::empty();
    let fields = [
        ("usable", "60"),
        ("most", "120"),
        ("takes", "18"),
        ("road", "Arlen to Torvik 500 km, 110"),
        ("chargers", "every 50 km, 100 kW"),
    ];
    let query: String = fields.iter().map(|(name, value)| format!("{name}={}&", value.replace(' ', "+"))).collect();
    let (status, preview) = pages.get(&format!("/start/preview?{query}"));
    assert!(status == 200 && preview.contains("up to 120 kW") && preview.contains("there at"), "{preview}");
    let (status, location) = posted(&pages, "/start", &fields);
    assert_eq!((status, location.as_str()), (303, "/trips/1"));
    let trip = json(&pages, "/trips/1/trip.json");
    assert_eq!(trip["name"], "Arlen to Torvik");
    assert_eq!((trip["sites"].as_array().unwrap().len(), &trip["vehicle"]["usable_kwh"]), (9, &Value::from(60.0)));
    assert_eq!(trip["route"]["segments"][0]["kwh_per_100km"], 18.0);
    let total = json(&pages, "/trips/1/plan.json")["total_min"].as_f64().unwrap();
    let told = format!("{} h {:02} min", (total.round() as u32) / 60, (total.round() as u32) % 60);
    assert!(preview.contains(&told), "{told} is not in {preview}");
    // Each fault by its label, all at once, and nothing is kept.
    let wrong = [("usable", "none"), ("most", "9999"), ("takes", ""), ("road", "far"), ("chargers", "somewhere")];
    let (status, body) = pages.post("/start", &wrong);
    assert_eq!(status, 422);
    for part in ["Usable battery: “none”", "Fastest charging: ", "Takes on this road: ", "“far”: no distance is said"]
    {
        assert!(body.contains(part), "{part} is not in {body}");
    }
    assert!(body.contains("value=\"far\"") && body.contains("somewhere</textarea>"));
    assert_eq!(pages.get("/trips/2").0, 404);
}

#[test]
fn each_wish_is_told_with_what_it_costs_and_taken_back_once() {
    let pages = Pages::demo();
    let why = pages.get("/trips/3/trade/why").1;
    assert!(why.contains("Pause: lunch") && why.contains("value=\"pause 1\""), "{why}");
    assert_eq!(
        why.matches("Without this site").count(),
        json(&pages, "/trips/3/plan.json")["stops"].as_array().unwrap().len()
    );
    let (status, location) = posted(&pages, "/trips/3/take-back", &[("wish", "pause 0")]);
    assert_eq!((status, location.as_str()), (303, "/trips/3?kept=1"));
    let left = json(&pages, "/trips/3/trip.json");
    let pauses: Vec<&Value> = left["goal"]["pauses"].as_array().unwrap().iter().map(|pause| &pause["name"]).collect();
    assert_eq!(pauses, ["night"]);
    for gone in ["pause 7", "visit nowhere", "", "most-cost"] {
        assert_eq!(pages.post("/trips/3/take-back", &[("wish", gone)]).0, 404, "{gone}");
    }
}

#[test]
fn proofs_follow_the_answer_and_hold_for_the_plan_that_is_shown() {
    let pages = Pages::demo();
    let page = pages.get("/trips/3").1;
    assert!(page.contains("data-load=\"/trips/3/trade/proof-of-best?"), "{page}");
    let told = pages.get("/trips/3/trade/proof-of-best").1;
    let plan = json(&pages, "/trips/3/plan.json");
    // The page and the file say the same gap.
    let gap = plan["proof"]["gap_min"].as_f64().unwrap();
    assert!(gap <= 0.1, "{gap}");
    assert!(told.contains(&format!("by more than {gap:.2} min")) || told.contains("0.10 min"), "{told} and {gap}");
    assert_eq!(pages.get("/trips/99/trade/proof").0, 404);
}

/// The number of the change that a page offers to take back, and what it was.
fn offered(page: &str) -> Option<(String, String)> {
    let (_, after) = page.split_once("action=\"/undo\"")?;
    let (_, number) = after.split_once("name=\"number\" value=\"")?;
    let (_, change) = after.split_once("title=\"Undo: ")?;
    Some((number.split('"').next()?.into(), change.split('"').next()?.into()))
}

#[test]
fn the_last_three_things_are_undone_one_after_another() {
    let pages = Pages::demo();
    assert_eq!(offered(&pages.get("/trips").1).map(|offer| offer.1), None, "the demo itself is nobody's change");
    let before = ["/trips/1/trip.json", "/trips/3/trip.json", "/lists/trips.csv"].map(|path| pages.get(path).1);
    assert_eq!(pages.post("/trips/3/touch", &[("site", "k7"), ("what", "avoid")]).0, 303);
    assert_eq!(pages.post("/trips/3/take-back", &[("wish", "pause 0")]).0, 303);
    assert_eq!(pages.post("/trips/1/remove", &[]).0, 303);
    assert_eq!(pages.get("/trips/1").0, 404);
    let mut told = Vec::new();
    for _ in 0..3 {
        let (number, change) = offered(&pages.get("/trips").1).unwrap();
        told.push(change);
        assert_eq!(pages.post("/undo", &[("number", &number)]).0, 303);
        // The same press twice undoes no more than one thing.
        let (status, body) = pages.post("/undo", &[("number", &number)]);
        assert!(status == 422 && body.contains("Nothing was undone"), "{status} {body}");
    }
    assert_eq!(told, ["a trip removed", "a trip changed", "a trip changed"]);
    let after = ["/trips/1/trip.json", "/trips/3/trip.json", "/lists/trips.csv"].map(|path| pages.get(path).1);
    assert_eq!(before, after);
    assert_eq!(offered(&pages.get("/trips").1), None);
}

#[test]
fn what_was_added_is_undone_to_its_list_and_a_car_with_all_it_had_comes_back() {
    let pages = Pages::empty();
    let fields = [
        ("usable", "60"),
        ("most", "120"),
        ("takes", "18"),
        ("road", "500 km, 110"),
        ("chargers", "every 50 km, 100 kW"),
    ];
    assert_eq!(posted(&pages, "/start", &fields).1, "/trips/1");
    // A first plan is one thing: its trip and its car go together.
    let (number, change) = offered(&pages.get("/trips/1").1).unwrap();
    assert_eq!(change, "a trip added");
    assert_eq!(posted(&pages, "/undo", &[("number", &number)]), (303, "/trips".into()));
    assert_eq!((pages.get("/trips/1").0, pages.get("/cars/1").0), (404, 404));
}

/// Minutes and money of the plan that a page shows.
fn answer(page: &str) -> (f64, f64) {
    let number = |name: &str| {
        let rest = &page[page.find(name).expect(page) + name.len()..];
        rest[..rest.find('"').unwrap()].parse().unwrap()
    };
    (number("data-minutes=\""), number("data-money=\""))
}

#[test]
fn a_departure_that_is_held_is_answered_like_one_that_is_wished() {
    let pages = Pages::demo();
    let plan = json(&pages, "/trips/3/plan.json");
    let stop = &plan["stops"][1];
    let (site, less) = (stop["site"].as_str().unwrap(), stop["depart_soc"].as_f64().unwrap().round() - 8.0);
    let held = pages.get(&format!("/trips/3/plan?leave={site}:{less}")).1;
    assert!(held.contains("Your own departures:") && held.contains(&format!("→ {less} %")), "{held}");
    let best = answer(&pages.get("/trips/3/plan").1);
    assert!(answer(&held).0 >= best.0, "{:?} and {best:?}", answer(&held));
    let file = json(&pages, &format!("/trips/3/plan.json?leave={site}:{less}"));
    assert!((file["total_min"].as_f64().unwrap() - answer(&held).0).abs() <= 0.5, "{file}");
    // The same, kept as wishes of the trip.
    for what in ["visit", &format!("leave:{less}")] {
        let (status, _) = posted(&pages, "/trips/3/touch", &[("site", site), ("what", what)]);
        assert_eq!(status, 303);
    }
    let wished = answer(&pages.get("/trips/3/plan").1);
    assert_eq!(answer(&held), wished);
    // What cannot be held is let go, and said.
    let none = pages.get(&format!("/trips/3/plan?leave={site}:1")).1;
    assert!(none.contains("could not be kept"), "{none}");
}

#[test]
fn a_trip_in_a_link_is_planned_as_where_it_came_from() {
    let pages = Pages::demo();
    for trip in ["/trips/1", "/trips/2", "/trips/3"] {
        let page = pages.get(&format!("{trip}/link")).1;
        assert!(page.contains("QR code of the link"), "{trip} does not fit into a code");
        let link = &page[page.find("/open?trip=").unwrap() + "/open?trip=".len()..];
        let link = &link[..link.find('<').unwrap()];
        let (status, opened) = pages.get(&format!("/open?trip={link}"));
        assert!(status == 200 && opened.contains("nothing is kept yet"), "{opened}");
        let (status, kept) = posted(&pages, "/open", &[("trip", link)]);
        assert_eq!(status, 303);
        let [ours, theirs] = [trip, &kept].map(|trip| json(&pages, &format!("{trip}/plan.json")));
        for (field, by) in [("total_min", 0.05), ("cost", 0.02), ("arrival_soc", 0.05)] {
            let (ours, theirs) = (ours[field].as_f64().unwrap(), theirs[field].as_f64().unwrap());
            assert!((ours - theirs).abs() <= by, "{trip} {field}: {ours} and {theirs}");
        }
    }
    for wrong in ["", "z", "12", "zzzz", &"9".repeat(17)] {
        assert_eq!(pages.get(&format!("/open?trip={wrong}")).0, 422, "{wrong}");
        assert_eq!(posted(&pages, "/open", &[("trip", wrong)]).0, 422, "{wrong}");
    }
}

#[test]
fn two_plans_are_held_against_each_other() {
    let pages = Pages::demo();
    let (usual, cold) =
        (answer(&pages.get("/trips/1/plan").1), pages.get("/trips/1/plan?usage=125&against=usage%3D100").1);
    let more = answer(&cold).0 - usual.0;
    // The two totals are whole minutes, each rounded.
    let told = [more - 1.0, more, more + 1.0].iter().any(|more| cold.contains(&format!("+{more:.0} min, +")));
    assert!(more > 20.0 && told, "{cold}");
    assert!(cold.contains("against the plan compared with") && cold.matches("class=\"other-plan\"").count() == 2);
    // Of what cannot be driven nothing is laid under.
    let none = pages.get("/trips/1/plan?against=start%3D1").1;
    assert!(!none.contains("other-plan") && none.contains("there at"), "{none}");
}

#[test]
fn a_plan_of_the_trade_is_taken_along_as_it_is_shown() {
    let pages = Pages::demo();
    let page = pages.get("/trips/3/plan?pick=40").1;
    assert!(page.contains("A plan of the trade:"), "{page}");
    let list = &page[page.find("/trips/3/along/stops.csv?").expect(&page)..];
    let address = list[..list.find('"').unwrap()].replace("&#38;", "&");
    let cost: f64 = rows(&pages.get(&address).1).iter().filter_map(|row| row["cost"].parse::<f64>().ok()).sum();
    let best: f64 =
        rows(&pages.get("/trips/3/along/stops.csv").1).iter().filter_map(|row| row["cost"].parse::<f64>().ok()).sum();
    assert!(
        (cost - answer(&page).1).abs() < 0.03 && (cost - best).abs() > 0.05,
        "{cost}, {best} and {:?}",
        answer(&page)
    );
}

#[test]
fn a_lunch_and_rests_are_one_press_and_taken_back_by_another() {
    let pages = Pages::demo();
    let pauses = || json(&pages, "/trips/1/trip.json")["goal"].clone();
    for (what, has) in [("lunch", "pauses"), ("rests", "most_drive_min")] {
        assert!(pauses().get(has).is_none_or(Value::is_null), "{what}");
        assert_eq!(posted(&pages, "/trips/1/touch", &[("what", what)]).0, 303);
        assert!(pauses().get(has).is_some_and(|value| !value.is_null()), "{what}");
        assert_eq!(posted(&pages, "/trips/1/touch", &[("what", what)]).0, 303);
        assert!(pauses().get(has).is_none_or(Value::is_null), "{what}");
    }
    assert_eq!(posted(&pages, "/trips/1/touch", &[("what", "dance")]).0, 422);
}
