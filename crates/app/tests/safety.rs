//! What must not go wrong with a person's data and their server, as a client meets it.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::collections::HashSet;
use std::process::Command;
use std::time::{Duration, Instant};

use support::{Pages, Server, agent};

#[test]
fn a_demo_leaves_a_persons_data_alone() {
    let directory = tempfile::tempdir().unwrap();
    let server = Server::start_on("serve", directory.path(), &[]);
    assert_eq!(server.post("/cars", &[("name", "Mine"), ("usable", "60"), ("loss", "8")]).0, 303);
    server.kill();
    for arguments in [vec!["--fresh"], vec![]] {
        let mut demo = Command::new(env!("CARGO_BIN_EXE_spare-hour"));
        let output =
            demo.args(["demo", "--port", "0", "--data"]).arg(directory.path()).args(arguments).output().unwrap();
        let said = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(1), "{said}");
        assert!(said.contains("holds data that are no demo's"), "{said}");
    }
    let server = Server::start_on("serve", directory.path(), &[]);
    assert!(server.get("/cars").1.contains("Mine"));
    // Nor does a second process share it.
    let mut second = Command::new(env!("CARGO_BIN_EXE_spare-hour"));
    let output = second.args(["serve", "--port", "0", "--data"]).arg(directory.path()).output().unwrap();
    assert_eq!(output.status.code(), Some(1));
    assert!(String::from_utf8(output.stderr).unwrap().contains("in use by another Spare Hour"));
}

#[test]
fn eight_people_add_sites_at_once_and_all_stay() {
    let pages = Pages::demo();
    let kept: HashSet<String> = std::thread::scope(|scope| {
        let person = |person: u32| {
            let pages = &pages;
            scope.spawn(move || {
                let name = |index: u32| format!("Stop {person}-{index}");
                let add = |index: u32| {
                    let at = (10 * person + index).to_string();
                    let fields = [("name", &*name(index)), ("at", &at), ("max_kw", "150"), ("overhead", "4")];
                    let (status, body) = pages.post("/trips/1/sites", &fields);
                    assert_eq!(status, 303, "{body}");
                    name(index)
                };
                (0..5).map(add).collect::<Vec<String>>()
            })
        };
        let people: Vec<_> = (0..8).map(person).collect();
        people.into_iter().flat_map(|person| person.join().unwrap()).collect()
    });
    let page = pages.get("/trips/1/sites").1;
    let lost: Vec<&String> = kept.iter().filter(|name| !page.contains(name.as_str())).collect();
    assert!(kept.len() == 40 && lost.is_empty(), "{lost:?} of {}", kept.len());
}

/// Answers of a small page while `busy` runs elsewhere: the slowest.
fn slowest_health(server: &Server, busy: impl Fn() + Sync) -> Duration {
    std::thread::scope(|scope| {
        let work: Vec<_> = (0..6).map(|_| scope.spawn(&busy)).collect();
        let mut slowest = Duration::ZERO;
        while work.iter().any(|work| !work.is_finished()) {
            let asked = Instant::now();
            assert_eq!(server.get("/health").0, 200);
            slowest = slowest.max(asked.elapsed());
        }
        slowest
    })
}

#[test]
fn a_nested_track_is_refused_and_holds_nobody_up() {
    let server = Server::start("demo");
    let nested = format!("<gpx>{}", "<extensions>".repeat(20_000));
    // Not a measurement: parsed as before, one of these took the better part of a minute, six of them every thread.
    let slowest = slowest_health(&server, || {
        let (status, _, body) = server.upload("/trips/1/road", &[("text", "")], Some(("deep.gpx", &nested)));
        assert!(status == 422 && body.contains("elements within one another"), "{status}: {body}");
    });
    assert!(slowest < Duration::from_secs(5), "{slowest:?}");
}

#[test]
fn other_host_names_are_refused_on_any_address() {
    let directory = tempfile::tempdir().unwrap();
    let server = Server::start_on("serve", directory.path(), &["--host", "0.0.0.0", "--name", "wagon.lan"]);
    let port = server.url.rsplit(':').next().unwrap();
    let status = |host: &str| {
        let answer = agent().get(format!("http://127.0.0.1:{port}/sign-in")).header("host", host).call().unwrap();
        answer.status().as_u16()
    };
    for host in ["localhost", "wagon.lan", "192.168.7.20:7878", "[fe80::1]:7878"] {
        assert_eq!(status(host), 200, "{host}");
    }
    assert_eq!(status("rebound.example"), 403);
}

/// What a form showed, by the mark in its page.
fn seen(page: &str) -> String {
    page.split("name=\"seen\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_string()
}

#[test]
fn a_change_to_what_was_changed_meanwhile_says_so() {
    let pages = Pages::demo();
    let told = |answer: (u16, String)| {
        assert!(answer.0 == 409 && answer.1.contains("changed meanwhile"), "{} {}", answer.0, answer.1);
    };
    // Two pages of a car: the first that is sent counts.
    let mark = seen(&pages.get("/cars/2").1);
    let car = |name: &str| {
        pages.post("/cars/2", &[("seen", &mark), ("name", name), ("usable", "58"), ("loss", "9"), ("base", "rated")])
    };
    assert_eq!(car("First").0, 303);
    told(car("Second"));
    assert!(pages.get("/cars/2").1.contains("First"));
    // A site, and a road.
    let page = pages.get("/trips/1/sites?edit=vessen").1;
    let mark = seen(&page);
    let site = |name: &str| {
        let fields = [
            ("id", "vessen"),
            ("seen", &mark),
            ("name", name),
            ("at", "352"),
            ("max_kw", "150"),
            ("off", "0"),
            ("off_speed", "50"),
            ("overhead", "4"),
        ];
        pages.post("/trips/1/sites", &fields)
    };
    assert_eq!(site("First").0, 303);
    told(site("Second"));
    let mark = seen(&pages.get("/trips/1/road").1);
    let road = |km: &str| {
        let (status, _, body) = pages.upload(
            "/trips/1/road",
            &[("seen", &mark), ("text", &format!("{km} km 110 km/h 19 kWh/100 km"))],
            None,
        );
        (status, body)
    };
    assert_eq!(road("900").0, 303);
    told(road("901"));
    let mark = seen(&pages.get("/tariffs/1").1);
    let tariff = |price: &str| {
        pages.post(
            "/tariffs/1",
            &[("seen", &mark), ("name", "T"), ("currency", "cr"), ("kind-0", "energy"), ("price-0", price)],
        )
    };
    assert_eq!(tariff("0.5").0, 303);
    told(tariff("0.6"));
    // Who sends no mark has not looked, as a program: it counts.
    assert_eq!(pages.post("/cars/2", &[("name", "Third"), ("usable", "58"), ("loss", "9"), ("base", "rated")]).0, 303);
}
