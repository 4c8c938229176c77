//! The server under use for a long time: every request is answered, and the memory it holds stays flat.
//! `SPARE_HOUR_SOAK_MIN=60 cargo test -p spare-hour --release --test soak -- --nocapture` does so for an hour.

#![cfg(target_os = "linux")]
#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use support::{Server, agent};

/// How long unless told otherwise.
const SECONDS: u64 = 6;
/// Browsers that ask at once.
const BROWSERS: u64 = 4;
/// What each waits between two requests.
const PAUSE: Duration = Duration::from_millis(40);
/// Memory that may never be held, MB.
const MOST_MB: f64 = 400.0;
/// Growth from the second fifth of a soak of ten minutes or more to its last, of what was held.
const FLAT: f64 = 0.05;
/// Rooms that are looked into.
const PAGES: [&str; 16] = [
    "/",
    "/trips",
    "/trips/1",
    "/trips/2",
    "/trips/1/plan.json",
    "/sessions",
    "/sessions/1",
    "/sessions/1/grid",
    "/sessions/1/session.xlsx",
    "/sessions/1/charts/power.png",
    "/compare?session=1&session=2",
    "/cars/1",
    "/drives",
    "/ledger",
    "/tariffs/1",
    "/backup.json",
];

/// The number-th request of a browser; whether it was answered as it should be.
fn ask(url: &str, browser: u64, number: u64) -> bool {
    let at = 1_790_000_000_000 + BROWSERS * number + browser;
    match number % 8 {
        // Each drag is another plan.
        0 => found(url, &format!("/trips/1/plan?start={}", 60 + number % 40)),
        1 => found(url, &format!("/trips/2/plan?start={}&value={}", 70 + number % 30, 1 + number % 60)),
        2 => {
            sent(url, "/measure/1/events", &format!("{{\"id\":\"{at}\",\"at\":{at},\"what\":\"note\",\"text\":\"n\"}}"))
        }
        3 => !found(url, "/no-such-page"),
        _ => found(url, PAGES[(number as usize + 5 * browser as usize) % PAGES.len()]),
    }
}

fn found(url: &str, path: &str) -> bool {
    let mut answer = agent().get(format!("{url}{path}")).call().unwrap();
    answer.body_mut().with_config().limit(50_000_000).read_to_vec().unwrap();
    answer.status().is_success()
}

fn sent(url: &str, path: &str, line: &str) -> bool {
    let answer = agent().post(format!("{url}{path}")).send(line).unwrap();
    // A charge takes so many events and no more, which it says.
    answer.status().is_success() || answer.status().as_u16() == 422
}

/// Megabytes that a process holds.
fn resident(process: u32) -> f64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap();
    let line = status.lines().find(|line| line.starts_with("VmRSS:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<f64>().unwrap() / 1024.0
}

fn median(of: &[f64]) -> f64 {
    let mut of = of.to_vec();
    of.sort_by(f64::total_cmp);
    of[of.len() / 2]
}

#[test]
fn memory_stays_flat_and_everybody_is_answered() {
    let minutes = std::env::var("SPARE_HOUR_SOAK_MIN").ok().and_then(|minutes| minutes.parse::<u64>().ok());
    let (seconds, server) = (minutes.map_or(SECONDS, |minutes| 60 * minutes), Server::start("demo"));
    assert_eq!(server.post("/measure", &[]).0, 303);
    let (over, asked, failed) = (AtomicBool::new(false), AtomicU64::new(0), AtomicU64::new(0));
    let held: Vec<f64> = std::thread::scope(|scope| {
        for browser in 0..BROWSERS {
            let (over, asked, failed, url) = (&over, &asked, &failed, &server.url);
            scope.spawn(move || {
                for number in (0..).take_while(|_| !over.load(Ordering::Relaxed)) {
                    failed.fetch_add(u64::from(!ask(url, browser, number)), Ordering::Relaxed);
                    asked.fetch_add(1, Ordering::Relaxed);
                    std::thread::sleep(PAUSE);
                }
            });
        }
        let began = Instant::now();
        let mut held = Vec::new();
        while began.elapsed().as_secs() < seconds {
            std::thread::sleep(Duration::from_secs(1));
            held.push(resident(server.process()));
        }
        over.store(true, Ordering::Relaxed);
        held
    });
    let fifth = held.len() / 5;
    let (early, late) = (median(&held[fifth..2 * fifth]), median(&held[4 * fifth..]));
    let most = held.iter().copied().fold(0.0, f64::max);
    let asked = asked.load(Ordering::Relaxed);
    println!(
        "{asked} requests in {seconds} s; {early:.0} MB in the second fifth, {late:.0} in the last, at most {most:.0}"
    );
    assert_eq!(failed.load(Ordering::Relaxed), 0, "of {asked}");
    assert!(asked > 10 * seconds && most < MOST_MB, "{asked} requests, {most:.0} MB");
    if minutes.is_some_and(|minutes| minutes >= 10) {
        assert!(late < (1.0 + FLAT) * early, "{early:.0} MB in the second fifth, {late:.0} in the last");
    }
}
