//! What is odd about a logged drive.

use spare_hour_core::driving::drive_findings::DriveFinding;
use spare_hour_core::quantity::units::Units;

use crate::figures;

/// The sentence of a finding.
pub fn sentence(finding: DriveFinding, units: Units) -> String {
    match finding {
        DriveFinding::ImpossibleSpeed(speed) => format!(
            "{} on average: distance or minutes are wrong, so the drive does not count.",
            figures::speed(units, speed)
        ),
        DriveFinding::EnergyFromNothing => {
            "The battery gained on the way without a known descent: energy or SoC is wrong, so the drive does not count."
                .into()
        }
        DriveFinding::OddConsumption(consumption) => format!(
            "{} is unusual for a car; look at distance and energy again.",
            figures::consumption(units, consumption)
        ),
        DriveFinding::FewPoints(points) => format!(
            "{:.0} points of SoC, each ±0.5: the consumption may be {:.0} % off.",
            points.get(),
            100.0 / points.get().max(1.0)
        ),
        DriveFinding::ClimbMissing => {
            "Climb and descent are not noted; the road is taken as level, so hills go into the residual.".into()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::DistanceUnit;
    use spare_hour_core::quantity::{SocSpan, Speed};

    #[test]
    fn speeds_are_told_in_the_persons_unit() {
        let miles = Units { distance: DistanceUnit::Miles, ..Units::default() };
        let told = sentence(DriveFinding::ImpossibleSpeed(Speed::kmh(800.0)), miles);
        assert!(told.starts_with("497 mph on average"), "{told}");
        // By hand: half a percent at both ends of six points is a sixth.
        assert!(sentence(DriveFinding::FewPoints(SocSpan::points(6.0)), miles).contains("may be 17 % off"));
    }
}
