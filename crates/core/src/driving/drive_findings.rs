//! What is odd about a logged drive, and what that means for the consumption read off it.
//!
//! The limits are common practice, no published source.

use crate::driving::drive::{Drive, Used};
use crate::quantity::{Consumption, Energy, SocSpan, Speed};
use crate::session::findings::Severity;

/// Mean speeds outside of these are no road trip, km/h.
const SPEEDS: std::ops::RangeInclusive<f64> = 3.0..=220.0;
/// Consumption outside of these is no car's on a level road, kWh/100 km.
const CONSUMPTIONS: std::ops::RangeInclusive<f64> = 5.0..=80.0;
/// Fewest points of SoC that a consumption can be claimed of.
const FEWEST_POINTS: f64 = 10.0;
/// From this distance on a missing climb is worth a word, km.
const LONG: f64 = 50.0;

/// What is odd about a drive.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum DriveFinding {
    /// A mean speed that no road trip has.
    ImpossibleSpeed(Speed),
    /// The battery gained without a known descent.
    EnergyFromNothing,
    /// A consumption that is unusual for a car.
    OddConsumption(Consumption),
    /// So few points of SoC that their ±0.5 matter.
    FewPoints(SocSpan),
    /// Climb and descent of a long drive are not noted.
    ClimbMissing,
}

impl DriveFinding {
    /// A stable name.
    pub fn code(self) -> &'static str {
        match self {
            Self::ImpossibleSpeed(_) => "impossible-speed",
            Self::EnergyFromNothing => "energy-from-nothing",
            Self::OddConsumption(_) => "odd-consumption",
            Self::FewPoints(_) => "few-points",
            Self::ClimbMissing => "climb-missing",
        }
    }

    /// How much it matters.
    pub fn severity(self) -> Severity {
        match self {
            Self::ImpossibleSpeed(_) | Self::EnergyFromNothing => Severity::Fault,
            Self::OddConsumption(_) => Severity::Warning,
            Self::FewPoints(_) | Self::ClimbMissing => Severity::Note,
        }
    }
}

/// All findings of a drive of a car with a usable capacity.
pub fn drive_findings(drive: &Drive, usable: Energy) -> Vec<DriveFinding> {
    let mut found = Vec::new();
    let (speed, energy, consumption) = (drive.speed(), drive.energy(usable).get(), drive.consumption(usable));
    if let Some(speed) = speed.filter(|speed| !SPEEDS.contains(&speed.get())) {
        found.push(DriveFinding::ImpossibleSpeed(speed));
    }
    let downhill = drive.net_climb().is_some_and(|climb| climb.get() < -100.0);
    let level = drive.net_climb().is_none_or(|climb| climb.get().abs() < 100.0);
    if energy <= 0.0 && !downhill {
        found.push(DriveFinding::EnergyFromNothing);
    } else if !CONSUMPTIONS.contains(&consumption.get()) && level {
        found.push(DriveFinding::OddConsumption(consumption));
    }
    if let Used::Soc(before, after) = drive.used
        && (before - after).get() < FEWEST_POINTS
        && energy > 0.0
    {
        found.push(DriveFinding::FewPoints(before - after));
    }
    if drive.climb.is_none() && drive.distance.get() >= LONG && speed.is_some() {
        found.push(DriveFinding::ClimbMissing);
    }
    found
}

/// Whether a drive counts: nobody left it out, and nothing about it is impossible.
pub fn counts(drive: &Drive, usable: Energy) -> bool {
    drive.left_out.is_none() && drive_findings(drive, usable).iter().all(|finding| finding.severity() < Severity::Fault)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Distance, Height, Minutes, Soc};

    fn codes(drive: &Drive) -> Vec<&'static str> {
        drive_findings(drive, Energy::kwh(60.0)).into_iter().map(super::DriveFinding::code).collect()
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
