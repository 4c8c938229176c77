//! One target, driven by the fuzzer: `fuzz/run` builds it with counters of coverage and says which.

#![no_main]

use std::sync::LazyLock;

use spare_hour_fuzz::{Target, target};

/// The target that the environment names.
static TARGET: LazyLock<Target> = LazyLock::new(|| {
    let name = std::env::var("SPARE_HOUR_FUZZ").expect("SPARE_HOUR_FUZZ names a target");
    target(&name).expect("SPARE_HOUR_FUZZ names one of the targets")
});

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| (TARGET.run)(bytes));
