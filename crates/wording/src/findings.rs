//! What is odd about a session, and what it means for its curve: one plain sentence for each fact.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Minutes, Power, Soc};
use spare_hour_core::session::findings::across::Agreed;
use spare_hour_core::session::findings::{Certainty, DipCause, Fact};

use crate::figures::{stopwatch, temperature};

/// The sentence of a fact.
pub fn sentence(fact: &Fact, units: Units) -> String {
    match *fact {
        Fact::ClockBackwards { reading, says, after } => format!(
            "Reading {reading}: the clock says {} after {}; the reading is left out of all figures.",
            stopwatch(says),
            stopwatch(after)
        ),
        Fact::Duplicate { reading, says } => {
            format!("Reading {reading}: a second reading at {}; the first one counts.", stopwatch(says))
        }
        Fact::SocBackwards { .. }
        | Fact::PowerSlip { .. }
        | Fact::ClockSetBack { .. }
        | Fact::WholeMinutes {}
        | Fact::SocByRange {}
        | Fact::BeforeCurrent { .. }
        | Fact::ImpossiblePower { .. } => of_reading(fact),
        Fact::Gap { from, to, soc } => gap(from, to, soc),
        Fact::LeftOut { readings } => left_out(readings),
        Fact::SocLags { behind } => format!(
            "The SoC shown runs {:.1} points behind the energy counter; minutes between two SoCs are right, but each SoC was truly reached earlier than shown.",
            behind.get()
        ),
        Fact::StartAtZero {} => "Started at 0 %: some batteries begin slowly there to protect themselves, so the first minutes are no picture of real use.".into(),
        Fact::FailedAttempts { attempts } => format!(
            "{attempts} {} failed before current flowed; minutes count from current, so plan a longer stop at this site.",
            if attempts == 1 { "attempt" } else { "attempts" }
        ),
        Fact::TooFewReadings { readings, over } => format!(
            "{readings} readings over {:.0} points: minutes between them are sure, the curve's shape is not.",
            over.get()
        ),
        Fact::Balancing { took, over } => format!(
            "From {:.0} to {:.0} % it took {}: cells are balanced there. Leave before, unless the charge is overnight.",
            over.0.get(),
            over.1.get(),
            stopwatch(took)
        ),
        Fact::EndedByLimit { at, flowing } => format!(
            "The charge ended at {:.0} % while {:.0} kW still flowed: a limit set in the car or at the station ended it, so nothing is known of the curve above.",
            at.get(),
            flowing.get()
        ),
        _ => of_energy(fact).or_else(|| of_limit(fact)).unwrap_or_else(|| of_temperature(fact, units)),
    }
}

/// What was done about readings that cannot be as they were written.
fn of_reading(fact: &Fact) -> String {
    match *fact {
        Fact::SocBackwards { reading, shows, after, likely } => {
            let offer = likely.map_or(String::new(), |likely| format!(" {} would fit: a slip of one digit?", likely.get()));
            format!(
                "Reading {reading}: SoC {} after {} cannot be; the reading is left out of all figures.{offer}",
                shows.get(),
                after.get()
            )
        }
        Fact::PowerSlip { reading, shows, likely } => {
            let offer = likely.map_or(String::new(), |likely| format!(" {:.0} kW would fit: a slip?", likely.get()));
            format!(
                "Reading {reading}: {:.0} kW stands far above the readings beside it; that power does not count.{offer}",
                shows.get()
            )
        }
        Fact::ClockSetBack { reading, moved } => format!(
            "The clock was set back before reading {reading}; what follows was moved by {} so that it goes on. Minutes across that place are no surer than the pace around it.",
            stopwatch(moved)
        ),
        Fact::WholeMinutes {} => "The clock shows whole minutes, so each time may be up to a minute late; the ± of each window says what that leaves.".into(),
        Fact::SocByRange {} => "SoC follows from the range shown over the range at full; a car changes that figure with how it was driven, so it is less sure than a SoC.".into(),
        Fact::BeforeCurrent { readings } => format!(
            "{readings} {} without current at the start {} before the charge: minutes count from the first power.",
            if readings == 1 { "reading" } else { "readings" },
            if readings == 1 { "is" } else { "are" }
        ),
        Fact::ImpossiblePower { implied, c_rate } => format!(
            "These minutes and points are {:.0} kW on average, {c_rate:.0} times the capacity in an hour: no battery takes that. Is the clock in minutes, or the time of day?",
            implied.get()
        ),
        _ => String::new(),
    }
}

/// What several charges of a car agree on, in a sentence.
pub fn agreed(agreed: &Agreed) -> String {
    let of = |charges: &[String]| format!("{} charges ({})", charges.len(), charges.join(", "));
    match agreed {
        Agreed::CurveStep { soc, from, to, charges } => format!(
            "{} step from {:.0} to {:.0} kW at {:.0} %, whatever they began with: the step is the car’s curve.",
            of(charges),
            from.get(),
            to.get(),
            soc.get()
        ),
        Agreed::Dip { soc, charges } => {
            format!("{} dip around {:.0} %: the dip is the car’s, not a stall’s.", of(charges), soc.get())
        }
        Agreed::Boost { lasts, highest_start, from, to, charges } => format!(
            "{} step down at {}, at different SoC (from {:.0} to {:.0} kW in the first): a boost of about {:.0} min that ran out, seen for starts up to {:.0} %.",
            of(charges),
            stopwatch(*lasts),
            from.get(),
            to.get(),
            lasts.get(),
            highest_start.get()
        ),
    }
}

/// What would decide a fact that is not certain, in one sentence; `None` where nothing is open.
pub fn would_decide(fact: &Fact) -> Option<&'static str> {
    if fact.certainty() == Certainty::Certain {
        return None;
    }
    Some(match fact {
        Fact::BoostOver { .. } => {
            "A charge of the same car from another SoC would decide it: a boost ends at the same minute, a step of the curve at the same SoC."
        }
        Fact::Derated { .. } => "A charge of the same car at another stall would decide it.",
        Fact::ConstantCurrent { .. } => "The site's amperes, off its label, would decide it.",
        Fact::Dip { cause: DipCause::Unknown, .. } => {
            "The pack's temperature, or whether another car drew from the same cabinet, would decide it."
        }
        Fact::Dip { .. } | Fact::Overheated { .. } => {
            "A charge that begins cooler, or at another stall, would decide it."
        }
        Fact::EnergyAgainstSoc { .. } => {
            "Whose meter it was, and the usable capacity by the car's own meter, would decide it."
        }
        Fact::CounterLate { .. } | Fact::SocLags { .. } => {
            "The car's own counter beside the station's would decide it."
        }
        Fact::PowerSlip { .. } | Fact::ClockSetBack { .. } => "A photo or recording of that moment would decide it.",
        Fact::Balancing { .. } => "A second charge to the same SoC would decide it.",
        Fact::EndedByLimit { .. } => "The limit set in the car would decide it.",
        _ => "The car's and the post's phases, off their labels, would decide it.",
    })
}

fn gap(from: Minutes, to: Minutes, soc: (Soc, Soc)) -> String {
    format!(
        "No reading between {} and {} while SoC rose from {} to {}; steps and dips in between are not seen.",
        stopwatch(from),
        stopwatch(to),
        soc.0.get(),
        soc.1.get()
    )
}

fn left_out(readings: usize) -> String {
    let (noun, are) = if readings == 1 { ("reading", "is") } else { ("readings", "are") };
    format!("{readings} {noun} {are} left out by hand; the figures are those of the others.")
}

fn of_energy(fact: &Fact) -> Option<String> {
    match *fact {
        Fact::EnergyAgainstPower { integrated, counted } => Some(format!(
            "Power over time is {:.1} kWh and the counter says {:.1} kWh, {:+.0} %; one of the two meters is off, so kWh and losses are no surer than that.",
            integrated.get(),
            counted.get(),
            100.0 * (integrated / counted - 1.0)
        )),
        Fact::CounterLate { behind } => Some(format!(
            "The counter runs about {:.0} s behind the power; energy of a window is that of one a little earlier.",
            60.0 * behind.get()
        )),
        Fact::CounterStopped { at, counted } => Some(format!(
            "The counter stopped at {} with {:.1} kWh; energy after that is assumed from the loss until then.",
            stopwatch(at),
            counted.get()
        )),
        Fact::EnergyAgainstSoc { plug, gained, stored, loss_percent } => Some(format!(
            "The plug gave {:.1} kWh and {:.0} points are {:.1} kWh, a loss of {loss_percent:.0} % of the plug's energy; 2 to 12 % is usual, so the usable capacity or the meter's side may be wrong.",
            plug.get(),
            gained.get(),
            stored.get()
        )),
        _ => None,
    }
}

fn of_limit(fact: &Fact) -> Option<String> {
    let from_to = |over: (Soc, Soc)| format!("From {:.0} to {:.0} %", over.0.get(), over.1.get());
    match *fact {
        Fact::AtSitePower { site, over } => Some(format!(
            "{} the power sat at the site's {:.0} kW; there the curve is the charger's, and the car may take more.",
            from_to(over),
            site.get()
        )),
        Fact::AtSiteCurrent { site, over } => Some(format!(
            "{} the current sat at the site's {:.0} A; there the curve is the charger's, and the car may take more.",
            from_to(over),
            site.get()
        )),
        Fact::ConstantCurrent { current, over } => Some(format!(
            "{} the current stayed at {:.0} A; whether that is the car's limit or the cable's the readings do not tell, so note the site's amperes.",
            from_to(over),
            current.get()
        )),
        Fact::BoostOver { at, before, after, start, current } => {
            let cause = match current {
                Some((before, after)) => format!(
                    "its current limit went from {:.0} to {:.0} A, so a boost that ran out is likely",
                    before.get(),
                    after.get()
                ),
                None => "a boost that ran out, or a step of the curve; one charge cannot tell".to_string(),
            };
            Some(format!(
                "At {} the power stepped from {:.0} to {:.0} kW after it had held since the start: {cause}. If it was a boost, this curve is good for starts near {:.0} % only.",
                stopwatch(at),
                before.get(),
                after.get(),
                start.get()
            ))
        }
        Fact::Derated { flat, site, over, car_takes } => {
            let flat = format!(
                "{} the power was flat at {:.0} kW on a site of {:.0} kW",
                from_to(over),
                flat.get(),
                site.get()
            );
            Some(match car_takes {
                Some(takes) => format!(
                    "{flat}, where the car has taken {:.0} kW: a derated or shared stall is likely. There the curve is the stall's, a lower bound; another stall would be faster.",
                    takes.get()
                ),
                None => format!(
                    "{flat}: a derated or shared stall is possible, and so is a car that takes no more. If it is the stall, another one would be faster, and the curve is a lower bound there."
                ),
            })
        }
        Fact::OnePhase { taken, site } => Some(format!(
            "{:.1} kW of a post of {:.0} kW: the car takes one of three phases, a third of what the post could give. A post with more amperes on one phase would be faster.",
            taken.get(),
            site.get()
        )),
        _ => None,
    }
}

fn of_temperature(fact: &Fact, units: Units) -> String {
    match *fact {
        Fact::Dip { at, before, lowest, back, back_at, cause } => {
            let cause = match cause {
                DipCause::Interrupted => "the current was interrupted".into(),
                DipCause::Heat { battery } => {
                    format!("the pack was {}, so heat is likely", temperature(units, battery))
                }
                DipCause::NotHeat { battery } => {
                    format!("the pack was {}, so a shared cabinet is likelier than heat", temperature(units, battery))
                }
                DipCause::Unknown => "heat or a shared cabinet; the pack's temperature would tell".to_string(),
            };
            format!(
                "{} and came back to {:.0} kW by {}: {cause}. A cooler start or another stall would not show this dip.",
                fell(at, before, lowest),
                back.get(),
                stopwatch(back_at)
            )
        }
        Fact::Overheated { at, before, after, battery } => format!(
            "{} with the pack at {} and did not recover: heat, not SoC. A cooler pack would hold the power longer.",
            fell(at, before, after),
            temperature(units, battery)
        ),
        Fact::ColdBattery { battery } => format!(
            "The pack was {} at the start: this is a winter charge, and a warm pack takes about half as long from 10 to 80 %. Do not plan a warm day with it, nor a cold one with a warm curve.",
            temperature(units, battery)
        ),
        _ => fact.code().into(),
    }
}

fn fell(at: Minutes, before: Power, after: Power) -> String {
    format!("At {} the power fell from {:.0} to {:.0} kW", stopwatch(at), before.get(), after.get())
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::Temperature;
    use spare_hour_core::quantity::units::{DistanceUnit, TemperatureUnit};

    #[test]
    fn a_fact_is_told_in_the_persons_units() {
        let cold = Fact::ColdBattery { battery: Temperature::celsius(-10.0) };
        let miles =
            Units { distance: DistanceUnit::Miles, temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
        assert!(sentence(&cold, Units::default()).starts_with("The pack was −10 °C at the start"));
        assert!(sentence(&cold, miles).starts_with("The pack was 14 °F at the start"));
    }

    #[test]
    fn each_cause_of_a_dip_is_told_apart() {
        let dip = |cause| Fact::Dip {
            at: Minutes::new(9.5),
            before: Power::kw(150.0),
            lowest: Power::kw(100.0),
            back: Power::kw(140.0),
            back_at: Minutes::new(12.0),
            cause,
        };
        let battery = Temperature::celsius(48.0);
        for (cause, part) in [
            (DipCause::Interrupted, "kW by 12:00: the current was interrupted."),
            (DipCause::Heat { battery }, "the pack was 48 °C, so heat is likely"),
            (DipCause::NotHeat { battery }, "likelier than heat"),
            (DipCause::Unknown, "the pack's temperature would tell"),
        ] {
            let told = sentence(&dip(cause), Units::default());
            assert!(told.starts_with("At 9:30 the power fell from 150 to 100 kW") && told.contains(part), "{told}");
        }
    }
}
