//! What time it is, and where: the only place that asks.

use std::sync::Arc;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp, ZonedDateTime};

/// Tells the time.
pub trait Clock: Send + Sync {
    /// Now.
    fn now(&self) -> Timestamp;
}

/// The machine's clock.
#[derive(Clone, Copy, Debug)]
pub struct SystemClock;

impl Clock for SystemClock {
    fn now(&self) -> Timestamp {
        Timestamp::now()
    }
}

/// A clock that stands still, for tests.
#[derive(Clone, Copy, Debug)]
pub struct StoppedClock(pub Timestamp);

impl Clock for StoppedClock {
    fn now(&self) -> Timestamp {
        self.0
    }
}

/// A clock and the time zone in which a person reads it.
#[derive(Clone)]
pub struct Here {
    clock: Arc<dyn Clock>,
    zone: TimeZone,
}

impl Here {
    /// A clock somewhere.
    pub fn new(clock: impl Clock + 'static, zone: TimeZone) -> Self {
        Self { clock: Arc::new(clock), zone }
    }

    /// This machine's clock in its own time zone.
    pub fn of_this_machine() -> Self {
        Self::new(SystemClock, TimeZone::system())
    }

    /// Now.
    pub fn now(&self) -> Timestamp {
        self.clock.now()
    }

    /// The day here.
    pub fn today(&self) -> Date {
        self.day_of(self.now())
    }

    /// The day here at a moment.
    pub fn day_of(&self, moment: Timestamp) -> Date {
        moment.to_zoned_datetime(self.zone.clone()).date()
    }

    /// The same clock, read in another time zone where one of that IANA name is known.
    #[must_use]
    pub fn in_zone(&self, name: Option<&str>) -> Self {
        let zone = name.and_then(|name| TimeZone::get(name).ok());
        Self { clock: Arc::clone(&self.clock), zone: zone.unwrap_or_else(|| self.zone.clone()) }
    }

    /// The time zone.
    pub fn zone(&self) -> &TimeZone {
        &self.zone
    }

    /// The moment so many minutes after a day's midnight by the clock on the wall; where summer time begins or ends in
    /// between, the wall shows it all the same. `None` beyond the calendar.
    pub fn at(&self, day: Date, minutes: f64) -> Option<ZonedDateTime> {
        at(day, minutes, self.zone.clone())
    }
}

/// The moment so many minutes after a day's midnight by the clock on the wall in a zone.
pub(crate) fn at(day: Date, minutes: f64, zone: TimeZone) -> Option<ZonedDateTime> {
    let midnight = day.to_datetime(jiff::civil::Time::midnight());
    midnight.checked_add(seconds(minutes)).ok()?.to_zoned_datetime(zone).ok()
}

/// Minutes after a moment.
pub fn after(moment: &ZonedDateTime, minutes: f64) -> Option<ZonedDateTime> {
    moment.checked_add(seconds(minutes)).ok()
}

fn seconds(minutes: f64) -> SignedDuration {
    SignedDuration::from_secs((minutes * 60.0).round() as i64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_wall_clock_counts_across_summer_time() {
        // On 29 March 2026 clocks go forward at 02:00 in Central Europe (EU directive 2000/84/EC, from memory).
        let zone = TimeZone::get("Europe/Berlin").unwrap();
        let here = Here::new(StoppedClock("2026-03-29T22:30:00Z".parse().unwrap()), zone);
        assert_eq!(here.today(), jiff::civil::date(2026, 3, 30));
        let eight = here.at(jiff::civil::date(2026, 3, 29), 480.0).unwrap();
        assert_eq!(eight.to_string(), "2026-03-29T08:00:00+02:00[Europe/Berlin]");
        let later = after(&here.at(jiff::civil::date(2026, 3, 29), 60.0).unwrap(), 120.0).unwrap();
        assert_eq!(later.time().to_string(), "04:00:00");
    }
}
