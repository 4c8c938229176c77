//! The process ends at any moment, as by a power cut, while forms of all kinds and events come in: what was acknowledged is there
//! afterwards, once, and the database is whole. `SPARE_HOUR_KILLS=1000 cargo test -p spare-hour --test kills` ends it a thousand times.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::sync::mpsc::{Sender, channel};
use std::time::Duration;

use support::{Server, agent};

/// How often the process ends unless told otherwise.
const KILLS: u64 = 8;

/// What was acknowledged: where it is shown, and as what.
#[derive(Clone, Debug)]
struct Kept {
    page: String,
    mark: String,
}

/// Posts a form, and says whether that was acknowledged.
fn post(url: &str, path: &str, fields: &[(&str, &str)]) -> Option<u16> {
    let sent = agent().post(format!("{url}{path}")).send_form(fields.iter().copied());
    sent.ok().map(|answer| answer.status().as_u16())
}

fn post_line(url: &str, path: &str, line: &str) -> Option<u16> {
    agent().post(format!("{url}{path}")).send(line).ok().map(|answer| answer.status().as_u16())
}

/// Sends the form or event of a number; what is shown of it where it was taken; `Err` where nobody answered.
fn send(url: &str, number: u64) -> Result<Option<Kept>, ()> {
    let mark = format!("mark-{number}");
    let at = 1_790_000_000_000 + number;
    let here = format!("{{\"id\":\"{mark}\",\"at\":{at},\"what\":\"here\",\"km\":1,\"soc\":50}}");
    let reading = format!("{{\"id\":\"{mark}\",\"at\":{at},\"what\":\"reading\",\"soc\":50}}");
    let kilometre = (number % 800).to_string();
    let tariff = [("name", &*mark), ("currency", "cr"), ("kind-0", "energy"), ("price-0", "0.5")];
    let car = [("name", &*mark), ("usable", "60"), ("loss", "9"), ("base", "rated")];
    let site = [("name", &*mark), ("at", &*kilometre), ("max_kw", "150"), ("overhead", "4")];
    let membership = [("name", &*mark), ("monthly_fee", "5"), ("percent_off", "10")];
    let (page, status) = match number % 6 {
        0 => ("/tariffs", post(url, "/tariffs", &tariff)),
        1 => ("/cars", post(url, "/cars", &car)),
        2 => ("/trips/1/sites", post(url, "/trips/1/sites", &site)),
        3 => ("/road/1/events", post_line(url, "/road/1/events", &here)),
        4 => ("/measure/1/events", post_line(url, "/measure/1/events", &reading)),
        _ => ("/tariffs/1", post(url, "/tariffs/1/memberships", &membership)),
    };
    match status {
        None => Err(()),
        Some(200 | 303) => Ok(Some(Kept { page: page.into(), mark })),
        Some(_) => Ok(None),
    }
}

/// Sends forms and events until nobody answers any more.
fn write_on(url: &str, mut number: u64, acknowledged: &Sender<(u64, Option<Kept>)>) {
    while let Ok(kept) = send(url, number) {
        if acknowledged.send((number, kept)).is_err() {
            return;
        }
        number += 1;
    }
}

#[test]
fn what_was_acknowledged_is_there_however_often_the_process_ends() {
    let kills = std::env::var("SPARE_HOUR_KILLS").ok().and_then(|kills| kills.parse().ok()).unwrap_or(KILLS);
    let directory = tempfile::tempdir().unwrap();
    {
        let server = Server::start_on("demo", directory.path(), &[]);
        assert_eq!(server.post("/trips/1/keep", &[("begin", "1")]).0, 303);
        assert_eq!(server.post("/measure", &[]).0, 303);
    }
    let (mut kept, mut next) = (Vec::new(), 0);
    for round in 0..kills {
        let server = Server::start_on("demo", directory.path(), &[]);
        let (sender, receiver) = channel();
        let url = server.url.clone();
        let writer = std::thread::spawn(move || write_on(&url, next, &sender));
        std::thread::sleep(Duration::from_millis(20 + 37 * round % 211));
        server.kill();
        writer.join().unwrap();
        for (number, one) in receiver {
            next = number + 1;
            kept.extend(one);
        }
        // The one that nobody answered may be there or not; its mark is not used again.
        next += 1;
        let database = directory.path().join(spare_hour_store::FILE);
        assert_eq!(spare_hour_store::damage_of(&database).unwrap(), None, "round {round}");
    }
    assert!(kept.len() as u64 > 2 * kills, "only {} were acknowledged", kept.len());
    let server = Server::start_on("demo", directory.path(), &[]);
    let mut pages = std::collections::HashMap::new();
    let lost: Vec<&Kept> = kept
        .iter()
        .filter(|kept| {
            let page = pages.entry(kept.page.clone()).or_insert_with(|| server.get(&kept.page).1);
            !page.split(|one: char| !(one.is_alphanumeric() || one == '-')).any(|word| word == kept.mark)
        })
        .collect();
    assert!(lost.is_empty(), "{lost:?} of {}", kept.len());
}
