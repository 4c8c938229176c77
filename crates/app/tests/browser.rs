//! The real interface in headless Chromium: each test starts a server with fresh demo data and runs one Playwright file.
//! `./test` installs what they need.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

mod support;

use std::path::Path;
use std::process::Command;

use support::Server;

fn run(spec: &str) {
    let directory = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../e2e");
    assert!(directory.join("node_modules").exists(), "Playwright is not installed: run ./test once, it installs it");
    assert!(Path::new("/usr/bin/chromium").exists(), "Chromium is not installed: run ./test once, it installs it");
    let server = Server::start("demo");
    let output = tempfile::tempdir().unwrap();
    let status = Command::new("npx")
        .args(["playwright", "test", spec, "--output"])
        .arg(output.path())
        .env("SPARE_HOUR_URL", &server.url)
        .env("SPARE_HOUR_BIN", env!("CARGO_BIN_EXE_spare-hour"))
        .current_dir(directory)
        .status()
        .unwrap();
    assert!(status.success(), "{spec} failed; what it saw is above");
}

#[test]
fn trips_are_planned_as_a_person_would() {
    run("trip.spec.mjs");
}

#[test]
fn charges_are_brought_as_a_person_would() {
    run("session.spec.mjs");
}

#[test]
fn charges_are_measured_as_a_person_would() {
    run("measure.spec.mjs");
}

#[test]
fn drives_are_logged_as_a_person_would() {
    run("drive.spec.mjs");
}

#[test]
fn roads_are_typed_as_a_person_would() {
    run("road.spec.mjs");
}

#[test]
fn every_page_is_accessible() {
    run("access.spec.mjs");
}
