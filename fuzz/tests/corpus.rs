//! Every input of the corpus keeps its target's promise, those that once broke it among them; so do others like them, for half a
//! minute, which are others in every run. `fuzz/run` looks for more, by coverage.

#![allow(missing_docs, clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use spare_hour_fuzz::TARGETS;

/// How long others are tried unless told otherwise.
const SECONDS: f64 = 30.0;

/// The inputs of a target.
fn corpus(name: &str) -> Vec<(PathBuf, Vec<u8>)> {
    let directory = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(name);
    let files = std::fs::read_dir(directory).unwrap().map(|file| file.unwrap().path());
    files.map(|path| (path.clone(), std::fs::read(path).unwrap())).collect()
}

/// An input with some of its bytes changed, left out, or doubled.
fn changed(bytes: &[u8], random: &mut fastrand::Rng) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    for _ in 0..random.usize(1..5) {
        let (from, to) = (random.usize(..=bytes.len()), random.usize(..=bytes.len()));
        let (from, to) = (from.min(to), from.max(to));
        match random.u8(..4) {
            0 if from < bytes.len() => bytes[from] = random.u8(..),
            1 => drop(bytes.drain(from..to)),
            2 => drop(bytes.splice(from..from, bytes[from..to].to_vec())),
            _ => drop(bytes.splice(from..from, random.choice(["9999", "-1e9", "null", "\",\""]).unwrap().bytes())),
        }
    }
    bytes
}

#[test]
fn every_input_of_the_corpus_keeps_the_promise() {
    for target in TARGETS {
        let corpus = corpus(target.name);
        assert!(!corpus.is_empty(), "{} has no corpus", target.name);
        for (path, bytes) in corpus {
            println!("{}", path.display());
            (target.run)(&bytes);
        }
    }
}

#[test]
fn so_do_others_like_them() {
    let seconds = std::env::var("SPARE_HOUR_FUZZ_SECONDS").ok().and_then(|text| text.parse().ok()).unwrap_or(SECONDS);
    let share = Duration::from_secs_f64(seconds / TARGETS.len() as f64);
    let seed = fastrand::u64(..);
    println!("seed {seed}");
    let mut random = fastrand::Rng::with_seed(seed);
    for target in TARGETS {
        let (corpus, began, mut tried) = (corpus(target.name), Instant::now(), 0);
        while began.elapsed() < share {
            let (path, bytes) = &corpus[random.usize(..corpus.len())];
            let bytes = changed(bytes, &mut random);
            let kept = std::panic::catch_unwind(|| (target.run)(&bytes));
            assert!(kept.is_ok(), "{}, changed: {:?}", path.display(), String::from_utf8_lossy(&bytes));
            tried += 1;
        }
        println!("{}: {tried}", target.name);
        assert!(tried > 0, "{}", target.name);
    }
}
