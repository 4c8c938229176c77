//! "Leave now, or wait?" in sentences.

use spare_hour_core::charging::charge_now::Shape;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Minutes, Soc};
use spare_hour_core::session::findings::Severity;
use spare_hour_planner::{Advice, Because, IdleFee};

use crate::{figures, findings};

/// What to do, in one line.
pub fn headline(advice: &Advice) -> String {
    if !advice.stay {
        return "Leave now".into();
    }
    let minutes = advice.leave_in.get().max(0.5);
    format!("Stay {} more, to {}: then leave", figures::duration(Minutes::new(minutes)), figures::percent(advice.leave))
}

/// Why, in one sentence with the two numbers that are compared.
pub fn why(advice: &Advice) -> String {
    capital(&because(advice))
}

fn because(advice: &Advice) -> String {
    let next = advice.next.as_ref().map_or("the destination", |(_, name)| name);
    let arrive = figures::percent(advice.next_arrive);
    let bare = |minutes: Option<Minutes>| minutes.map(|minutes| figures::minutes(minutes.get()));
    let compared = bare(advice.here_next).zip(bare(advice.there_next));
    let compared =
        compared.map(|(here, there)| format!("the next 5 % take {here} min here and {there} at the next stop"));
    match &advice.because {
        Because::NotEnoughYet => {
            let now = figures::percent(advice.charge.soc);
            let so_far = format!(
                "{next} is reached with {arrive} from {}; {now} is too little for that",
                figures::percent(advice.leave)
            );
            compared.map_or_else(|| format!("{so_far}."), |compared| format!("{so_far} ({compared})."))
        }
        Because::Pause(name) => format!("The {name} is stood here anyway, so the charge costs no time."),
        Because::CheaperHere => {
            compared.map_or_else(|| "A longer stop here saves more later.".into(), |compared| format!("{compared}."))
        }
        Because::CheaperThere => {
            let there = compared.map(|compared| format!("{compared}: ")).unwrap_or_default();
            format!("{there}{next} is reached with {arrive}.")
        }
        Because::Enough => format!("What is in the battery reaches {next} with {arrive}."),
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

/// That a fee of standing on is about to begin.
pub fn idle_is_near(idle: &IdleFee, currency: &str) -> String {
    format!("Full: standing on soon costs {:.2} {currency} an hour.", idle.per_hour)
}

/// Whether it charges as it should: this charge against what car and stall let expect.
pub fn pace(advice: &Advice) -> String {
    let expected = format!("{:.0} kW into the battery", advice.charge.expected.get());
    let Some(ratio) = advice.charge.ratio else {
        return format!("Expected now: {expected}. Nothing tells yet whether it is so.");
    };
    let percent = format!("{:.0} ± {:.0} %", 100.0 * ratio.value, 100.0 * ratio.error);
    let of = format!("It charges at {percent} of what car and stall let expect ({expected})");
    match advice.charge.shape {
        Shape::AsExpected => format!("As expected: {percent} of {expected}."),
        Shape::Scaled if ratio.value > 1.0 => format!("{of}: faster."),
        Shape::Scaled => format!("{of}, slower all along: possibly a cold or a hot battery."),
        Shape::Warming => format!("{of}, and comes nearer to it: possibly a cold battery that warms up."),
        Shape::Limited(power) => format!(
            "{of}, held at {:.0} kW: possibly a stall that is derated or shares its power. Another stall would tell.",
            power.get()
        ),
        Shape::Unclear => format!("{of}. Battery or stall: that cannot be told yet."),
    }
}

/// What the readings show that is odd about the charge, and that the car or the stall may be the cause of.
pub fn odd(advice: &Advice, units: Units) -> Vec<String> {
    let matters = advice.findings.iter().filter(|finding| finding.severity() == Severity::Warning);
    matters.map(|finding| findings::sentence(&finding.fact, units)).collect()
}

/// What else is worth to know at the stall: the time to each round ten, the distance won, the price ahead.
pub fn ahead(advice: &Advice, units: Units, currency: &str) -> Vec<String> {
    let mut lines = Vec::new();
    let time =
        |(soc, minutes): &(Soc, Minutes)| format!("{} in {}", figures::percent(*soc), figures::duration(*minutes));
    let times: Vec<String> = advice.tens.iter().map(time).collect();
    if !times.is_empty() {
        lines.push(format!("{}; {} won so far.", times.join(", "), figures::distance(units, advice.added)));
    }
    if let Some(now) = advice.total_now.filter(|_| advice.stay) {
        let more = figures::more_minutes(now.get() - advice.total_advised.get());
        let next = advice.next_now.as_deref().unwrap_or("the destination");
        lines.push(format!("Leaving now for {next}: {more} by the destination against the advice."));
    }
    if let Some(later) = advice.total_later {
        let more = later.get() - advice.total_advised.get();
        lines.push(format!("Leaving in 5 min: {} by the destination against the advice.", figures::more_minutes(more)));
    }
    if let Some(saved) = advice.other_stall {
        let saved = figures::minutes(saved.get());
        lines
            .push(format!("If it is this stall, moving to another one here saves {saved} min, fixed minutes counted."));
    }
    if let Some(step) = advice.next_price {
        let unit = if step.of_energy { "kWh" } else { "min" };
        let by = figures::more_money(step.by, currency);
        lines.push(format!("The price changes in {}: {by} for a {unit}.", figures::duration(step.after)));
    }
    if let Some(idle) = &advice.idle {
        let (cost, from) = (idle.per_hour, figures::duration(idle.after));
        lines.push(format!("Standing on when it is full costs {cost:.2} {currency} an hour, in {from} from now on."));
    }
    lines
}

/// How sure the shown percent makes a minute, and where the charge would end.
pub fn arrival(advice: &Advice, units: Units) -> String {
    let at = advice.leave_at.as_ref().map(|at| figures::day_and_time(units, at)).unwrap_or_default();
    let to: fn(Soc) -> String = figures::percent;
    format!(
        "Leave with {} at {at}; the destination is reached {} after now with {}.",
        to(advice.leave),
        figures::duration(advice.total_advised),
        to(advice.arrival)
    )
}
