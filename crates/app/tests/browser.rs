//! The real interface in headless Chromium, by Playwright (e2e/tests). `./test` installs what it needs.

#![allow(missing_docs, clippy::unwrap_used)]

use std::path::Path;
use std::process::Command;

#[test]
fn the_interface_works_as_a_person_would_use_it() {
    let directory = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../e2e");
    assert!(directory.join("node_modules").exists(), "Playwright is not installed: run ./test once, it installs it");
    assert!(Path::new("/usr/bin/chromium").exists(), "Chromium is not installed: run ./test once, it installs it");
    let output = tempfile::tempdir().unwrap();
    let status = Command::new("npx")
        .args(["playwright", "test", "--output"])
        .arg(output.path())
        .env("SPARE_HOUR_BIN", env!("CARGO_BIN_EXE_spare-hour"))
        .current_dir(directory)
        .status()
        .unwrap();
    assert!(status.success(), "the interface failed; what it saw is above");
}
