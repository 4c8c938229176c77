//! A sign that long work looks at now and then: whoever waited for it may have gone.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A sign; clones are the same sign.
#[derive(Clone, Debug, Default)]
pub struct StopSign(Arc<AtomicBool>);

impl StopSign {
    /// Tells the work to stop.
    pub fn raise(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it was told to.
    pub fn is_raised(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn clones_are_one_sign() {
        let sign = StopSign::default();
        let held = sign.clone();
        assert!(!held.is_raised());
        sign.raise();
        assert!(held.is_raised() && !StopSign::default().is_raised());
    }
}
