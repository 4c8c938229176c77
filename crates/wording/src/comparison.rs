//! What would mislead when sessions stand side by side.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::compare::{Caution, NotedOf};

use crate::figures::temperature;

/// The sentence of a caution.
pub fn sentence(caution: &Caution, units: Units) -> String {
    match caution {
        Caution::PacksDiffer(low, high) => format!(
            "The packs differ ({:.0} to {:.0} kWh): a percent is worth more in one than in another, so compare kWh and km a minute.",
            low.get(),
            high.get()
        ),
        Caution::ChargerLimited { name } => {
            format!("In “{name}” the charger was the limit for a part: it says little of the car there.")
        }
        Caution::StartsDiffer { low, high, boosted } => {
            let why = if *boosted {
                "and a boost counts from the start, so the same window took different powers"
            } else {
                "so only the common window is comparable"
            };
            format!("The start points differ ({:.0} to {:.0} %), {why}.", low.get(), high.get())
        }
        Caution::WarmthDiffers(low, high) => format!(
            "The packs began at {} to {}: this compares cold with warm, not car with car.",
            temperature(units, *low),
            temperature(units, *high)
        ),
        Caution::AcAndDc => "AC and DC charges are on one scale here.".into(),
        Caution::SoftwareDiffers(versions) => {
            format!("One car with different software ({}): an update may have changed its curve.", versions.join(", "))
        }
        Caution::CapacityDiffers(low, high) => format!(
            "One car was noted with {:.0} and {:.0} kWh: one of the two is wrong, or it is another pack.",
            low.get(),
            high.get()
        ),
        Caution::Differs(what) => match what {
            NotedOf::CarOn => "The car was on in some and off in others: its accessories take a part.",
            NotedOf::Cabinet => "Some shared a power cabinet with another car: their power may not be the car’s.",
            NotedOf::Preconditioning => "Some were preconditioned otherwise than others: a warmer pack takes more.",
            NotedOf::Meter => "Some powers are the station’s and some the car’s: they differ by the loss.",
        }
        .into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::TemperatureUnit;
    use spare_hour_core::quantity::{Soc, Temperature};

    #[test]
    fn temperatures_follow_the_person_and_a_boost_is_named() {
        let fahrenheit = Units { temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
        let warmth = Caution::WarmthDiffers(Temperature::celsius(-10.0), Temperature::celsius(20.0));
        assert!(sentence(&warmth, fahrenheit).starts_with("The packs began at 14 °F to 68 °F"));
        let starts = |boosted| Caution::StartsDiffer { low: Soc::percent(5.0), high: Soc::percent(40.0), boosted };
        assert!(sentence(&starts(true), fahrenheit).contains("a boost counts from the start"));
        assert!(sentence(&starts(false), fahrenheit).contains("(5 to 40 %), so only the common window"));
    }
}
