//! Measuring over the wire: events from phones and meters, what survives a power cut, and what a person changes afterwards.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

mod support;

use std::process::Command;
use std::time::Duration;

use support::{Pages, Server, agent};

/// Begins a charge and returns its address and its meter's.
fn begun(pages: &Pages) -> (String, String) {
    let answer = pages.post_form("/measure", &[("car", "1")]);
    assert_eq!(answer.status, 303);
    let address = answer.header("location");
    let meter = meter_of(&pages.get(&address).1);
    (address, meter)
}

/// The same on a running server.
fn begun_on(server: &Server) -> (String, String) {
    let answer = agent().post(format!("{}/measure", server.url)).send_form([("car", "1")]).unwrap();
    assert_eq!(answer.status().as_u16(), 303);
    let address = answer.headers().get("location").unwrap().to_str().unwrap().to_string();
    let meter = meter_of(&server.get(&address).1);
    (address, meter)
}

/// The address for a meter that a live page shows.
fn meter_of(page: &str) -> String {
    let at = page.find("/meter/").unwrap();
    page[at..].chars().take_while(|c| c.is_ascii_alphanumeric() || "/-".contains(*c)).collect()
}

fn ids(lines: &str) -> Vec<String> {
    let id = |line: &str| serde_json::from_str::<serde_json::Value>(line).unwrap()["id"].as_str().unwrap().to_string();
    lines.lines().map(id).collect()
}

#[test]
fn fifty_power_cuts_lose_nothing_that_was_shown_as_saved() {
    let directory = tempfile::tempdir().unwrap();
    let address = {
        let server = Server::start_on("demo", directory.path(), &[]);
        begun_on(&server).0
    };
    let (mut shown, mut next) = (Vec::new(), 0);
    for round in 0..50_u64 {
        let server = Server::start_on("demo", directory.path(), &[]);
        let url = format!("{}{address}/events", server.url);
        // As the page does: one after the other, each again until it is acknowledged.
        let writer = std::thread::spawn(move || {
            let mut acknowledged = Vec::new();
            for number in next.. {
                let line = format!(
                    "{{\"id\":\"e{number}\",\"at\":{},\"what\":\"reading\",\"soc\":50}}",
                    1_790_000_000_000_i64 + number
                );
                match agent().post(&url).send(&line[..]) {
                    Ok(answer) if answer.status().as_u16() == 200 => acknowledged.push(format!("e{number}")),
                    _ => return (acknowledged, number),
                }
            }
            unreachable!("the server is killed")
        });
        std::thread::sleep(Duration::from_millis(3 + 11 * round % 83));
        server.kill();
        let (acknowledged, unanswered) = writer.join().unwrap();
        shown.extend(acknowledged);
        next = unanswered;
    }
    let server = Server::start_on("demo", directory.path(), &[]);
    let kept = ids(&server.get(&format!("{address}/events")).1);
    assert!(shown.len() > 50, "only {} were acknowledged", shown.len());
    // One that was written but never acknowledged may be there too, as the last.
    assert_eq!(kept[..shown.len()], shown[..]);
    assert!(kept.len() <= shown.len() + 1);
}

#[test]
fn a_meter_feeds_lines_and_is_told_what_was_garbage() {
    let pages = Pages::demo();
    let (address, meter) = begun(&pages);
    let lines = "{\"id\":\"a\",\"what\":\"current\"}\nnoise\n{\"id\":\"b\",\"what\":\"reading\",\"soc\":141}\n{\"id\":\"c\",\"what\":\"reading\",\"soc\":14}\n";
    let (status, body) = pages.post_lines(&meter, lines);
    let answer: serde_json::Value = serde_json::from_str(&body).unwrap();
    assert_eq!((status, &answer["saved"]), (200, &serde_json::json!(["a", "c"])));
    assert_eq!((answer["refused"][0]["line"].as_u64(), answer["refused"][1]["id"].as_str()), (Some(2), Some("b")));
    assert!(answer["refused"][1]["problem"].as_str().unwrap().contains("expected 0 to 100 %"));
    pages.post_lines(&meter, lines);
    assert_eq!(ids(&pages.get(&format!("{address}/events")).1), ["a", "c"]);
    assert_eq!(ids(&pages.get(&format!("{address}/events?from=1")).1), ["c"]);
    assert_eq!(pages.post_lines("/meter/nobody", lines).0, 404);
    let many = "{\"what\":\"pause\"}\n".repeat(10_001);
    assert_eq!(pages.post_lines(&meter, &many).0, 422);
    // One reading is no session yet; the charge goes on.
    let (status, body) = pages.post(&format!("{address}/end"), &[]);
    assert!(status == 422 && body.contains("no session to make of this yet"), "{status}");
}

#[test]
fn the_stand_in_command_plays_a_session_that_is_then_read() {
    let server = Server::start("demo");
    let (address, meter) = begun_on(&server);
    let file = server.directory.join("played.csv");
    std::fs::write(&file, server.get("/sessions/3/session.csv").1).unwrap();
    let play = |to: &str| {
        Command::new(env!("CARGO_BIN_EXE_spare-hour"))
            .args(["stand-in", to, "--speed", "9000", "--session"])
            .arg(&file)
            .output()
            .unwrap()
    };
    let output = play(&format!("{}{meter}", server.url));
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let (status, body) = server.post(&format!("{address}/end"), &[]);
    assert_eq!(status, 303, "{body}");
    let analysis = |id: u32| -> serde_json::Value {
        serde_json::from_str(&server.get(&format!("/sessions/{id}/analysis.json")).1).unwrap()
    };
    assert_eq!(analysis(5)["windows"], analysis(3)["windows"]);
    assert!(server.get("/sessions/5/source").1.contains("\"what\":\"current\""));
    // The charge is over: it takes no more, and its page leads to the session.
    assert_eq!(server.post_lines(&meter, "{\"what\":\"pause\"}").0, 404);
    assert_eq!(server.get(&address).0, 303);
    let refused = play(&format!("{}{meter}", server.url));
    assert_eq!(refused.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("answered 404"));
}

#[test]
fn who_has_no_script_measures_by_the_servers_clock() {
    let pages = Pages::demo();
    let (address, _) = begun(&pages);
    let event = |fields: &[(&str, &str)]| pages.post(&format!("{address}/event"), fields);
    assert_eq!(event(&[("what", "current")]).0, 303);
    assert_eq!(event(&[("what", "reading"), ("soc", "10"), ("power_kw", "150,5")]).0, 303);
    assert_eq!(event(&[("what", "reading"), ("soc", "")]).0, 422);
    assert_eq!(event(&[("what", "reading"), ("soc", "300")]).0, 422);
    let page = pages.get(&address).1;
    assert!(page.contains("State: <strong>charging</strong>") && page.contains("10 % · 150 kW"), "{page}");
    assert_eq!(pages.post(&format!("{address}/forget"), &[]).0, 303);
    assert_eq!(pages.get(&address).0, 404);
}

#[test]
fn a_table_with_its_own_names_is_matched_once() {
    let pages = Pages::demo();
    let table = "Minuten;Ladestand;Leistung\n0;10;120\n2,5;20;150\n5;30;155\n";
    let parts = [("text", table), ("car", "1")];
    let (status, _, page) = pages.upload("/sessions", &parts, None);
    assert!(status == 200 && page.contains("Which column is what"), "{status}");
    let matched = |soc: &str| {
        let columns = [("column-0", "elapsed"), ("column-1", soc), ("column-2", "power_kw"), ("unit", "minutes")];
        pages.upload("/sessions/matched", &[&parts[..], &columns[..]].concat(), None)
    };
    assert!(matched("note").2.contains("has no column soc"));
    assert_eq!(matched("soc").0, 303);
    let again = "Minuten;Ladestand;Leistung\n0;12;120\n3;22;150\n";
    let (status, location, _) = pages.upload("/sessions", &[("text", again), ("car", "1")], None);
    assert_eq!(status, 303);
    assert!(pages.get(&location).1.contains("12 % to 22 % in 3:00 min"));
}

#[test]
fn a_workbook_goes_out_and_comes_back() {
    let pages = Pages::demo();
    let (status, kind, book) = pages.get_bytes("/sessions/1/session.xlsx");
    assert!(status == 200 && kind.contains("spreadsheetml"), "{kind}");
    let (status, location, page) = pages.upload_bytes("/sessions", &[("car", "1")], Some(("mine.xlsx", &book)));
    assert_eq!(status, 303, "{page}");
    let readings = |path: &str| {
        let text = pages.get(path).1;
        text.lines().filter(|line| !line.starts_with('#')).map(String::from).collect::<Vec<_>>()
    };
    assert_eq!(readings(&format!("{location}/session.csv")), readings("/sessions/1/session.csv"));
    assert!(pages.get(&location).1.contains("<h1>mine</h1>"));
    let json = pages.get("/sessions/1/session.json").1;
    let (_, location, _) = pages.upload("/sessions", &[("car", "1")], Some(("mine.json", &json)));
    assert_eq!(pages.get(&format!("{location}/session.csv")).1, pages.get("/sessions/1/session.csv").1);
}

#[test]
fn charts_are_taken_away() {
    let pages = Pages::demo();
    for chart in ["power", "soc", "bricks"] {
        let (status, kind, svg) = pages.get_bytes(&format!("/sessions/1/charts/{chart}.svg"));
        assert_eq!((status, kind.as_str()), (200, "image/svg+xml"));
        assert!(String::from_utf8(svg).unwrap().contains("<style>"));
        let (_, kind, png) = pages.get_bytes(&format!("/sessions/1/charts/{chart}.png"));
        assert!(kind == "image/png" && png.starts_with(b"\x89PNG") && png.len() > 4_000, "{chart}: {}", png.len());
        assert!(pages.get(&format!("/sessions/1/charts/{chart}.csv")).1.lines().count() > 10);
    }
    assert_eq!(pages.get("/sessions/1/charts/power.exe").0, 404);
    assert_eq!(pages.get("/sessions/1/charts/none.svg").0, 404);
    let energy = pages.get("/compare/charts/energy.csv?s1=1&s2=1").1;
    assert!(energy.contains("\"Avel 74, cold, −7 °C\","), "{energy}");
    assert!(pages.get_bytes("/compare/charts/power.png?s1=1&c4=1").2.starts_with(b"\x89PNG"));
}

#[test]
fn what_a_person_changes_of_a_session() {
    let pages = Pages::demo();
    assert_eq!(pages.post("/sessions/1/leave-out", &[("position", "3"), ("reason", "misread")]).0, 303);
    let page = pages.get("/sessions/1").1;
    assert!(page.contains("1 reading is left out by hand") && page.contains("left out: misread"));
    assert_eq!(pages.post("/sessions/1/leave-out", &[("position", "3"), ("back", "true")]).0, 303);
    assert!(!pages.get("/sessions/1").1.contains("left out by hand"));
    assert_eq!(pages.post("/sessions/1/leave-out", &[("position", "3000")]).0, 404);
    let (status, page) = pages.post("/sessions/1/noted", &[("name", "Warm"), ("site_kw", "much")]);
    assert!(status == 422 && page.contains("expected 0.1 to 10000 kW") && page.contains("value=\"much\""));
    let noted = [("name", "Warm"), ("battery_c", "31"), ("other", "forecast: 5:00 station 20 min to 80 %")];
    assert_eq!(pages.post("/sessions/1/noted", &noted).0, 303);
    let page = pages.get("/sessions/1").1;
    assert!(page.contains("the station said 20 min to 80 %"), "{page}");
    assert_eq!(pages.post("/sessions/2/remove", &[]).0, 303);
    assert_eq!(pages.get("/sessions/2").0, 404);
    assert!(pages.get("/cars/1").1.contains("cold, −7 °C"), "its curve stays");
}

#[test]
fn two_parts_become_one_session() {
    let pages = Pages::demo();
    let part = |from: u32, to: u32| {
        let lines: String =
            (from..=to).map(|soc| format!("{}:{:02} {soc} 60\n", (soc - from) / 2, (soc - from) % 2 * 30)).collect();
        pages.upload("/sessions", &[("text", lines.as_str()), ("car", "1")], None).1
    };
    let (first, second, apart) = (part(10, 60), part(50, 90), part(95, 99));
    let number = |location: &str| location.rsplit('/').next().unwrap().to_string();
    assert_eq!(pages.post(&format!("{first}/join"), &[("other", &number(&second))]).0, 303);
    let page = pages.get("/sessions/8").1;
    assert!(page.contains("10 % to 80 % in 35:00 min"), "{page}");
    assert!(page.contains("joined at 60 %; from 50 to 60 % the first part took 5.0 min, the second 5.0 min"));
    let (status, body) = pages.post(&format!("{first}/join"), &[("other", &number(&apart))]);
    assert!(status == 422 && body.contains("do not overlap"), "{body}");
}

#[test]
fn comparing_names_ties_and_what_misleads() {
    let pages = Pages::demo();
    let page = pages.get("/compare?s1=1&s2=1&s3=1").1;
    assert!(page.contains("a tie (") && page.contains("compares cold with warm"), "{page}");
    let page = pages.get("/compare?s1=1&c4=1&from=10&to=80").1;
    assert!(page.contains("The packs differ (58 to 74 kWh)") && page.contains("Where the time was won"));
    assert!(pages.get("/compare?s1=1&s2=1&from=70&to=20").1.contains("expected more than 70"));
    assert_eq!(pages.get("/compare?s99=1").0, 404);
    assert_eq!(pages.get("/compare").0, 200);
}

#[test]
fn sessions_become_versions_of_a_curve() {
    let pages = Pages::demo();
    assert!(pages.get("/cars/1").1.contains("warm, from a low start"));
    assert_eq!(pages.post("/cars/1/family", &[("index", "0"), ("use_it", "true")]).0, 303);
    assert_eq!(pages.post("/cars/1/family", &[("index", "9")]).0, 404);
    let page = pages.get("/cars/1").1;
    assert!(page.contains("Combined, warm, from a low start") && page.contains("minutes per percent averaged"));
    assert!(pages.get("/trips/1").1.contains("Combined, warm, from a low start"));
    let points = [("name", "Mine"), ("at-30", "190"), ("at-35", "x")];
    let (status, page) = pages.post("/cars/1/curves/1", &points);
    assert!(status == 422 && page.contains("expected 0.1 to 2000 kW"));
    assert_eq!(pages.post("/cars/1/curves/1", &points[..2]).0, 303);
    assert!(pages.get("/cars/1").1.contains("(1 by hand)"));
    assert!(pages.get("/cars/1/curves/6").1.contains("moved by hand"));
    assert_eq!(pages.post("/cars/1/curves/1", &[("name", "Same")]).0, 422);
    assert_eq!(pages.post("/cars/1/curve/remove", &[("curve", "6")]).0, 303);
    let (status, body) = pages.post("/cars/1/remove", &[]);
    assert!(status == 409 && body.contains("is driven with it"), "{status} {body}");
}
