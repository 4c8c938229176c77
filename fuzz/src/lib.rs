//! What is fuzzed: one target for every reader, for what is done with what was read, for forms, addresses, events and the backup.
//!
//! A target takes any bytes and panics where a promise is broken: nothing read panics, what is written can be read again, no
//! request is answered with an error of ours. `fuzz/run` drives them by coverage; `tests/corpus.rs` goes through the corpus.

mod pages;
mod readers;

/// Something that takes any bytes.
#[derive(Clone, Copy, Debug)]
pub struct Target {
    /// Its name, and that of its directory in the corpus.
    pub name: &'static str,
    /// Takes bytes; panics where a promise is broken.
    pub run: fn(&[u8]),
}

/// All targets.
pub const TARGETS: [Target; 13] = [
    Target { name: "sessions", run: readers::sessions },
    Target { name: "lines", run: readers::lines },
    Target { name: "trips", run: readers::trips },
    Target { name: "plans", run: readers::plans },
    Target { name: "tariffs", run: readers::tariffs },
    Target { name: "tracks", run: readers::tracks },
    Target { name: "places", run: readers::places },
    Target { name: "lists", run: readers::lists },
    Target { name: "workbooks", run: readers::workbooks },
    Target { name: "events", run: readers::events },
    Target { name: "backup", run: pages::backup },
    Target { name: "forms", run: pages::forms },
    Target { name: "addresses", run: pages::addresses },
];

/// The target of a name.
pub fn target(name: &str) -> Option<Target> {
    TARGETS.into_iter().find(|target| target.name == name)
}
