//! A backup of any size goes out and comes in piece by piece: the server holds no more of it than its longest record.
//! `SPARE_HOUR_LARGE_MB=499 cargo test -p spare-hour --release --test large -- --nocapture` does so with the largest there may be.

#![cfg(target_os = "linux")]
#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::io::Write;

use support::{Server, agent};

/// How large it is unless told otherwise, MB.
const LARGE: usize = 12;
/// What the server may hold at most beside what it holds with nothing in it, MB.
const MOST_MORE: f64 = 35.0;
/// Readings of each charge.
const READINGS: usize = 2_000;

/// The most that a process has held, MB.
fn most_held(process: u32) -> f64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap();
    let line = status.lines().find(|line| line.starts_with("VmHWM:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<f64>().unwrap() / 1024.0
}

/// A backup of so many megabytes: charges with their files.
fn large_backup(megabytes: usize) -> Vec<u8> {
    let small = Server::start("serve");
    let rows: String = (0..READINGS).map(|at| format!("{},{:.2},{}\n", 2 * at, 5.0 + 0.04 * at as f64, 120)).collect();
    let csv = format!("elapsed,soc,power_kw\n{rows}");
    let parts = [("car", "new"), ("car_name", "Tern"), ("usable", "60"), ("range", ""), ("name", "one")];
    let (status, _, body) = small.upload("/sessions", &parts, Some(("one.csv", &csv)));
    assert_eq!(status, 303, "{body}");
    let one = small.get("/backup.json").1;
    // The one charge again and again, with numbers of its own.
    let (before, after) = one.split_once("\"sessions\":[\n").unwrap();
    let (session, after) = after.split_once("\n]").unwrap();
    let mut file = Vec::new();
    write!(file, "{before}\"sessions\":[\n{session}").unwrap();
    for number in 2.. {
        if file.len() > 1_000_000 * megabytes {
            break;
        }
        write!(file, ",\n{}", session.replacen("\"number\":1,", &format!("\"number\":{number},"), 1)).unwrap();
    }
    write!(file, "\n]{after}").unwrap();
    file
}

#[test]
fn a_large_backup_comes_in_and_goes_out_piece_by_piece() {
    let megabytes = std::env::var("SPARE_HOUR_LARGE_MB").ok().and_then(|text| text.parse().ok()).unwrap_or(LARGE);
    let file = large_backup(megabytes);
    let server = Server::start("serve");
    server.get("/sessions");
    let before = most_held(server.process());
    let (status, _, body) = server.upload_bytes("/backup", &[], Some(("backup.json", &file)));
    assert_eq!(status, 303, "{body}");
    let taken_in = most_held(server.process());
    let mut answer = agent().get(format!("{}/backup.json", server.url)).call().unwrap();
    let sent = std::io::copy(&mut answer.body_mut().as_reader(), &mut std::io::sink()).unwrap();
    let most = most_held(server.process());
    println!("{} bytes in, {sent} out; {before:.0} MB held before, {taken_in:.0} and {most:.0} at most", file.len());
    assert!(sent as usize >= file.len() / 2 && most < before + MOST_MORE, "{before:.0} MB before, {most:.0} at most");
}

/// Readings of the longest charge there may be.
const LONGEST: u32 = 200_000;
/// What the server may hold at most whatever file it is given, MB.
const MOST_HELD: f64 = 300.0;

#[test]
fn the_longest_charge_of_mere_noise_is_kept_shown_and_given_out_within_its_memory() {
    let mut random = fastrand::Rng::with_seed(11);
    let mut row = |at: u32| {
        let soc = 10.0 + 80.0 * f64::from(at) / f64::from(LONGEST) + 4.0 * (random.f64() - 0.5);
        format!("{:.3},{soc:.4},{:.2}\n", 0.018 * f64::from(at), 60.0 + 80.0 * random.f64())
    };
    let rows: String = (0..LONGEST).map(&mut row).collect();
    let csv = format!("elapsed,soc,power_kw\n{rows}");
    let server = Server::start("serve");
    let parts = [("car", "new"), ("car_name", "Tern"), ("usable", "60"), ("range", ""), ("name", "noise")];
    let (status, _, body) = server.upload("/sessions", &parts, Some(("noise.csv", &csv)));
    assert_eq!(status, 303, "{body}");
    // Most of its readings are slips; the page shows the first of them, and says how many more there are.
    let (status, page) = server.get("/sessions/1");
    let more = page.split("more of the kind").next().and_then(|before| before.rsplit("and ").next());
    let more: usize = more.and_then(|count| count.trim().parse().ok()).unwrap();
    assert!(status == 200 && more > 100_000 && page.len() < 2_000_000, "{more} more, {} bytes", page.len());
    for what in ["analysis.json", "session.json", "session.csv", "session.xlsx"] {
        let mut answer = agent().get(format!("{}/sessions/1/{what}", server.url)).call().unwrap();
        let sent = std::io::copy(&mut answer.body_mut().as_reader(), &mut std::io::sink()).unwrap();
        let held = most_held(server.process());
        println!("{what}: {sent} bytes, at most {held:.0} MB held");
        assert!(sent > 1_000_000 && held < MOST_HELD, "{what}: {sent} bytes, {held:.0} MB held");
    }
}
