//! Work off the async threads goes in lanes: short work (the database, pages), files, planning, and proofs. Each lane takes so much at
//! once, and so many wait for it; whoever comes later is told that the server is busy. Who goes away while waiting leaves the lane.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use tokio::sync::{Semaphore, SemaphorePermit};

use crate::http::error::WebError;

/// Whoever waited so long for a place is told that the server is busy.
const PATIENCE: Duration = Duration::from_secs(20);

/// A lane.
pub(crate) struct Lane {
    places: Semaphore,
    waiting: AtomicUsize,
    most_waiting: usize,
}

/// The database and what is short.
pub(crate) static SHORT: Lane = Lane::new(32, 1_000);
/// Files that are read and written.
pub(crate) static FILES: Lane = Lane::new(4, 100);
/// Planning: a few at once, so that pages have their share of the machine.
pub(crate) static PLANNING: Lane = Lane::new(3, 200);
/// Proofs of whole trades, one at a time: nobody's plan waits for them.
pub(crate) static PROVING: Lane = Lane::new(1, 50);

/// A place in a lane, which is free again when this is dropped.
pub(crate) struct Place(#[expect(dead_code, reason = "held for its drop")] SemaphorePermit<'static>);

/// One that waits, as long as it does.
struct Waiting<'a>(&'a AtomicUsize);

impl Drop for Waiting<'_> {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

impl Lane {
    const fn new(places: usize, most_waiting: usize) -> Self {
        Self { places: Semaphore::const_new(places), waiting: AtomicUsize::new(0), most_waiting }
    }

    /// A place in the lane.
    ///
    /// # Errors
    /// [`WebError::Busy`] when too many wait already, or it takes too long.
    pub(crate) async fn enter(&'static self) -> Result<Place, WebError> {
        if let Ok(place) = self.places.try_acquire() {
            return Ok(Place(place));
        }
        let waiting = Waiting(&self.waiting);
        if self.waiting.fetch_add(1, Ordering::Relaxed) >= self.most_waiting {
            return Err(WebError::Busy);
        }
        let place = tokio::time::timeout(PATIENCE, self.places.acquire()).await;
        drop(waiting);
        place.ok().and_then(Result::ok).map(Place).ok_or(WebError::Busy)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    static NARROW: Lane = Lane::new(1, 2);

    #[tokio::test]
    async fn who_comes_when_too_many_wait_is_told_and_who_goes_away_leaves() {
        let first = NARROW.enter().await.unwrap();
        let second = tokio::spawn(NARROW.enter());
        let third = tokio::spawn(NARROW.enter());
        while NARROW.waiting.load(Ordering::Relaxed) < 2 {
            tokio::task::yield_now().await;
        }
        assert!(matches!(NARROW.enter().await, Err(WebError::Busy)));
        // One of those that wait goes away: there is room again.
        third.abort();
        let _ = third.await;
        assert_eq!(NARROW.waiting.load(Ordering::Relaxed), 1);
        drop(first);
        drop(second.await.unwrap().unwrap());
        assert!(NARROW.enter().await.is_ok() && NARROW.waiting.load(Ordering::Relaxed) == 0);
    }
}
