//! Everything read off one session at once: its figures, its curve with how sure it is, what is odd about it.

use crate::charging::curve_band::{BandPoint, Support, curve_band, support};
use crate::charging::curve_features::CurveFeatures;
use crate::charging::curve_fit::FittedCurve;
use crate::charging::profile::Profile;
use crate::session::Session;
use crate::session::analysis::{Analysis, Basis};
use crate::session::findings::{Finding, findings};
use crate::session::forecast_check::{CheckedForecast, check_forecasts};
use crate::session::soc_timeline::TooFewReadings;
use crate::session::usable_capacity::UsableCapacity;

/// Of a session with so many readings what does not depend on each other is worked out at once.
const LONG: usize = 20_000;

/// Everything read off one session.
#[derive(Clone, Debug)]
pub struct Report {
    /// Energies, windows, slices, ladder, levels.
    pub analysis: Analysis,
    /// The curve into the battery.
    pub curve: FittedCurve,
    /// How sure the curve is.
    pub band: Vec<BandPoint>,
    /// How well its parts are supported.
    pub support: Vec<Support>,
    /// Peak, flat part and steps.
    pub features: CurveFeatures,
    /// The usable capacity that the session implies.
    pub capacity: Option<UsableCapacity>,
    /// Forecasts against what happened.
    pub forecasts: Vec<CheckedForecast>,
    /// What is odd, and what it means.
    pub findings: Vec<Finding>,
}

impl Report {
    /// Reads a session. `expected` is what other sessions of the car have shown, where there are such: power into the
    /// battery over SoC, kW.
    ///
    /// # Errors
    /// When there are fewer than two readings with rising SoC.
    pub fn new(session: &Session, basis: Basis, expected: Option<&Profile>) -> Result<Self, TooFewReadings> {
        let analysis = Analysis::new(session, basis)?;
        let (curve, band, findings) = at_once(
            session.readings.len() >= LONG,
            || FittedCurve::of(&analysis.timeline, basis.usable),
            || curve_band(&analysis.timeline, basis.usable),
            || findings(session, &analysis, expected),
        );
        Ok(Self {
            curve,
            band,
            support: support(&analysis.timeline),
            features: CurveFeatures::new(&analysis.timeline),
            capacity: UsableCapacity::new(&analysis),
            forecasts: check_forecasts(session, &analysis.timeline),
            findings,
            analysis,
        })
    }
}

/// Does three things, each on a thread of its own where that pays.
fn at_once<A: Send, B: Send, C>(
    pays: bool,
    first: impl FnOnce() -> A + Send,
    second: impl FnOnce() -> B + Send,
    third: impl FnOnce() -> C,
) -> (A, B, C) {
    if !pays {
        return (first(), second(), third());
    }
    std::thread::scope(|scope| {
        let (first, second) = (scope.spawn(first), scope.spawn(second));
        let third = third();
        (joined(first), joined(second), third)
    })
}

fn joined<T>(thread: std::thread::ScopedJoinHandle<T>) -> T {
    thread.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))
}
