//! What is odd about a logged drive, and what that means for the consumption read off it.
//!
//! The limits are common practice, no published source.

use crate::driving::drive::{Drive, Used};
use crate::quantity::Energy;
use crate::session::findings::Severity;

/// Mean speeds outside of these are no road trip, km/h.
const SPEEDS: std::ops::RangeInclusive<f64> = 3.0..=220.0;
/// Consumption outside of these is no car's on a level road, kWh/100 km.
const CONSUMPTIONS: std::ops::RangeInclusive<f64> = 5.0..=80.0;
/// Fewest points of SoC that a consumption can be claimed of.
const FEWEST_POINTS: f64 = 10.0;
/// From this distance on a missing climb is worth a word, km.
const LONG: f64 = 50.0;

/// One finding about a drive.
#[derive(Clone, Debug, PartialEq)]
pub struct DriveFinding {
    /// A stable name.
    pub code: &'static str,
    /// How much it matters.
    pub severity: Severity,
    /// One plain sentence: what is odd, and what it means.
    pub message: String,
}

/// All findings of a drive of a car with a usable capacity.
pub fn drive_findings(drive: &Drive, usable: Energy) -> Vec<DriveFinding> {
    let mut found = Vec::new();
    let mut say = |code, severity, message| found.push(DriveFinding { code, severity, message });
    let (speed, energy) = (drive.speed().get(), drive.energy(usable).get());
    if !SPEEDS.contains(&speed) {
        say(
            "impossible-speed",
            Severity::Fault,
            format!("{speed:.0} km/h on average: distance or minutes are wrong, so the drive does not count."),
        );
    }
    let consumption = drive.consumption(usable).get();
    let downhill = drive.net_climb().is_some_and(|climb| climb.get() < -100.0);
    if energy <= 0.0 && !downhill {
        say(
            "energy-from-nothing",
            Severity::Fault,
            "The battery gained on the way without a known descent: energy or SoC is wrong, so the drive does not count.".into(),
        );
    } else if !CONSUMPTIONS.contains(&consumption) && drive.net_climb().is_none_or(|climb| climb.get().abs() < 100.0) {
        say(
            "odd-consumption",
            Severity::Warning,
            format!("{consumption:.1} kWh/100 km is unusual for a car; look at distance and energy again."),
        );
    }
    if let Used::Soc(before, after) = drive.used
        && (before - after).get() < FEWEST_POINTS
        && energy > 0.0
    {
        let points = (before - after).get();
        say(
            "few-points",
            Severity::Note,
            format!(
                "{points:.0} points of SoC, each ±0.5: the consumption may be {:.0} % off.",
                100.0 / points.max(1.0)
            ),
        );
    }
    if drive.climb.is_none() && drive.distance.get() >= LONG {
        say(
            "climb-missing",
            Severity::Note,
            "Climb and descent are not noted; the road is taken as level, so hills go into the residual.".into(),
        );
    }
    found
}

/// Whether a drive counts: nobody left it out, and nothing about it is impossible.
pub fn counts(drive: &Drive, usable: Energy) -> bool {
    drive.left_out.is_none() && drive_findings(drive, usable).iter().all(|finding| finding.severity < Severity::Fault)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Distance, Height, Minutes, Soc};

    fn codes(drive: &Drive) -> Vec<&'static str> {
        drive_findings(drive, Energy::kwh(60.0)).into_iter().map(|finding| finding.code).collect()
    }

    fn drive(km: f64, minutes: f64, kwh: f64) -> Drive {
        Drive::new(Distance::km(km), Minutes::new(minutes), Used::Energy(Energy::kwh(kwh)))
    }

    #[test]
    fn each_fault_has_its_name() {
        assert!(codes(&drive(40.0, 30.0, 7.0)).is_empty());
        assert_eq!(codes(&drive(40.0, 3.0, 7.0)), ["impossible-speed"]);
        assert_eq!(codes(&drive(40.0, 30.0, -1.0)), ["energy-from-nothing"]);
        assert_eq!(codes(&drive(40.0, 30.0, 70.0)), ["odd-consumption"]);
        assert_eq!(codes(&drive(80.0, 60.0, 14.0)), ["climb-missing"]);
        let few = Drive { used: Used::Soc(Soc::percent(60.0), Soc::percent(54.0)), ..drive(20.0, 15.0, 0.0) };
        assert_eq!(codes(&few), ["few-points"]);
        let down =
            Drive { climb: Some(Height::metres(0.0)), descent: Some(Height::metres(900.0)), ..drive(15.0, 15.0, -1.0) };
        assert!(codes(&down).is_empty());
        assert!(counts(&down, Energy::kwh(60.0)) && !counts(&drive(40.0, 3.0, 7.0), Energy::kwh(60.0)));
    }
}
