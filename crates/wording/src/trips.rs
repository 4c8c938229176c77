//! What a plan says: why each stop is left when it is, what was left out, what is proven, and why there is no plan.

use jiff::{SignedDuration, ZonedDateTime};
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Minutes, Soc, Temperature};
use spare_hour_core::trip::{Site, Trip};
use spare_hour_planner::left_out::{Closed, LeftOut};
use spare_hour_planner::trade::{ClockPlan, ClockStop};
use spare_hour_planner::{Infeasible, Place, Proof, Reason, Strategy, Why};

use crate::figures;

/// Why a trip cannot be driven.
pub fn infeasible(trip: &Trip, leg: &Infeasible, units: Units) -> String {
    let [from, to] = [&leg.from, &leg.to].map(|place| place_name(trip, place, units));
    format!(
        "From {from} to {to} is {}. That takes leaving with {:.1} % to keep {:.0} % on arrival, and at most {:.0} % is \
         possible: {:.1} points too little, about {}.",
        figures::distance(units, leg.length),
        leg.needed.get(),
        leg.floor.get(),
        leg.available.get(),
        leg.short.get(),
        figures::distance(units, leg.short_distance),
    )
}

/// Why a trip cannot be driven, to the tenth of a kilometre, and what would close the leg: for those who read no page.
pub fn infeasible_in_full(trip: &Trip, leg: &Infeasible) -> String {
    let [from, to] = [&leg.from, &leg.to].map(|place| place_in_full(trip, place));
    format!(
        "the trip cannot be driven: from {from} to {to} is {:.1} km and needs {:.1} % on leaving, with {:.1} % left on \
         arrival; at most {:.1} % is possible. It is {:.1} points short, about {:.0} km. A charging site on the way, \
         {:.1} points less on arrival, or less consumption would close it",
        leg.length.get(),
        leg.needed.get(),
        leg.floor.get(),
        leg.available.get(),
        leg.short.get(),
        leg.short_distance.get(),
        leg.short.get(),
    )
}

/// A place of a trip, with its kilometre.
pub fn place_in_full(trip: &Trip, place: &Place) -> String {
    match place {
        Place::Start => "the start".into(),
        Place::End => format!("the destination (km {:.1})", trip.route.length().get()),
        Place::Site(index) => {
            let site = trip.site(*index);
            format!("{} (km {:.1})", site.name, site.at.get())
        }
    }
}

/// A place of a trip, with where it is.
fn place_name(trip: &Trip, place: &Place, units: Units) -> String {
    match place {
        Place::Start => "the start".into(),
        Place::End => "the end".into(),
        Place::Site(index) => {
            let site = trip.site(*index);
            format!("{} (at {})", site.name, figures::distance(units, site.at))
        }
    }
}

/// That a site was left out of a plan that begins some minutes after midnight, and why.
pub fn left_out(left_out: &LeftOut, departure: f64, units: Units) -> String {
    match left_out {
        LeftOut::Closed(found) => closed(found, departure, units, "it is left out of this plan"),
        LeftOut::OutOfOrder(site) => {
            let stalls = site.details.stalls.unwrap_or_default();
            let all = if stalls == 1 { "its only stall was".into() } else { format!("all {stalls} stalls were") };
            format!("{}: {all} out of order when last seen; it is left out of this plan.", site.name)
        }
    }
}

/// That a site would be closed, when, and what of it.
pub fn closed(closed: &Closed, departure: f64, units: Units, so: &str) -> String {
    let at = |minutes: f64| figures::time_of_day(units, departure, minutes);
    let reached = closed.reached.get();
    let when = match closed.opens_after.map(Minutes::get) {
        Some(wait) if wait > 0.0 => format!("is closed at {} and opens at {}", at(reached), at(reached + wait)),
        Some(_) => format!("closes during a charge from {}", at(reached)),
        None => format!("is closed at {}", at(reached)),
    };
    format!("{} {when}: {so}.{}", closed.site.name, hours(&closed.site, units))
}

fn hours(site: &Site, units: Units) -> String {
    let hours = site.details.hours.as_ref();
    hours.map(|hours| format!(" Its hours: {}.", hours.told(units.clock))).unwrap_or_default()
}

/// What a plan is proven of, and what it is not.
pub fn proof(proof: &Proof, money: bool) -> String {
    let counted = if money { ", money counted as time" } else { "" };
    let seconds = (proof.gap.get() * 60.0).ceil().max(1.0);
    let most = if seconds <= 90.0 { format!("{seconds:.0} s") } else { format!("{:.1} min", proof.gap.get()) };
    let bound = format!("no plan is better by more than {most}{counted}");
    let limits = limits(proof);
    if limits.is_empty() {
        format!("Proven: for this trip {bound}.")
    } else {
        let what = if proof.sites_left_out > 0 { "with the sites that are left in, " } else { "" };
        format!("Proven of a simpler trip: {what}{bound}. Not weighed: {}.", limits.join("; "))
    }
}

/// What the model that was solved leaves out of the trip that is shown.
pub fn limits(proof: &Proof) -> Vec<String> {
    let mut limits = Vec::new();
    match proof.sites_left_out {
        0 => {}
        1 => limits.push("waiting at the site that was left out, or coming to it at another time".into()),
        count => {
            limits.push(format!("waiting at the {count} sites that were left out, or coming to them at another time"));
        }
    }
    if proof.one_price_a_day {
        limits.push(
            "prices that change with the hour, the power or the length of a stop: one price stood for each site".into(),
        );
    }
    limits
}

/// That a departure which the driver had fixed could not be kept.
pub fn not_kept(site: &str, depart: Soc) -> String {
    format!(
        "Leaving {site} with {} could not be kept: the plan does not stop there any more, or nothing is in reach then.",
        figures::percent(depart)
    )
}

/// Why a stop is left when it is, in one sentence with the two numbers it compares.
pub fn reason(trip: &Trip, reason: &Reason, fixed: bool) -> String {
    let why = match reason.why {
        _ if fixed => "Your choice",
        Why::Balanced => "Leave: from here on it charges faster there",
        Why::NextNeedsIt => "Leave as soon as the next stop is in reach with the floor",
        Why::EndNeedsIt => "Leave as soon as the end is in reach with what you want there",
        Why::Ceiling => "Your ceiling",
        Why::Chosen => "More than is needed",
    };
    let points = format!("{:.0} %", reason.points.get());
    let here = reason.next_here.map(|minutes| figures::minutes(minutes.get()));
    let compared = match (here, reason.next_there) {
        (Some(here), Some(there)) => {
            let (step, name) = (figures::minutes(there.step.get()), &trip.site(there.site).name);
            format!("the next {points} cost {here} min here, the same {points} cost {step} min at {name}")
        }
        (Some(here), None) => format!("the next {points} would cost {here} min"),
        (None, _) => "the battery is full".into(),
    };
    format!("{why}: {compared}.")
}

/// What the best plan loses without a site; `None` where the trip cannot be driven without it.
pub fn worth(minutes: Option<Minutes>) -> String {
    match minutes {
        Some(minutes) if minutes.get() < 0.05 => "Without this site the plan is as good.".into(),
        Some(minutes) => {
            format!("Without this site the best plan takes {} min more.", figures::minutes(minutes.get()))
        }
        None => "Without this site the trip cannot be driven.".into(),
    }
}

/// A strategy's rule in one sentence.
pub fn rule(strategy: Strategy) -> String {
    match strategy {
        Strategy::TenTo(soc) => format!("Arrive with 10 % or more and leave at {soc:.0} %, every time."),
        Strategy::JustEnough => "Leave with just what reaches the next stop with the floor.".into(),
        Strategy::HalfAndGo(soc) => format!("Leave near {soc:.0} %, or with what the next leg needs."),
        Strategy::PowerFloor(kw) => {
            format!("Leave when the power falls below {kw:.0} kW, or with what the next leg needs.")
        }
        Strategy::FillUp => "Leave at the ceiling.".into(),
    }
}

/// The strategy whose minutes are nearest to a plan of so many.
pub fn nearest_strategy(best: Minutes, totals: impl Iterator<Item = (Strategy, Minutes)>) -> String {
    let nearest = totals.min_by(|a, b| a.1.get().total_cmp(&b.1.get()));
    let Some((strategy, total)) = nearest else { return "None of the rules of thumb gets there.".into() };
    let (name, more) = (strategy.name(), total.get() - best.get());
    if more < -0.05 {
        format!("“{name}” is faster but dearer: {}.", figures::more_minutes(more))
    } else if more < 0.05 {
        format!("“{name}” does as well as the plan here.")
    } else {
        format!("The nearest rule of thumb, “{name}”, takes {} min longer.", figures::minutes(more))
    }
}

/// A plan in one line.
pub struct Headline {
    /// Door to door.
    pub total: String,
    /// The same in whole minutes, for programs.
    pub minutes: u32,
    /// When it arrives, by the clock.
    pub arrives: String,
    /// With how much.
    pub arrival: String,
    /// What it adds up from.
    pub sum: String,
}

impl Headline {
    /// A plan that leaves at a moment.
    pub fn new(plan: &ClockPlan, departure: &ZonedDateTime, units: Units) -> Self {
        let stops = match plan.stops.len() {
            0 => "no stop".to_string(),
            1 => "1 stop".to_string(),
            count => format!("{count} stops"),
        };
        let sum = |part: fn(&ClockStop) -> Minutes| plan.stops.iter().map(|stop| part(stop).get()).sum::<f64>();
        let (charge, fixed) = (sum(|stop| stop.charge), sum(|stop| stop.overhead));
        let stood = plan.total.get() - plan.drive().get();
        let rest = stood - charge - fixed;
        let duration = |minutes: f64| figures::duration(Minutes::new(minutes));
        let standing =
            if rest >= 0.5 { format!(", {} waiting and standing on", duration(rest)) } else { String::new() };
        Self {
            total: figures::duration(plan.total),
            minutes: plan.total.get().round() as u32,
            arrives: arrives(departure, plan.total, units),
            arrival: figures::percent(plan.arrival),
            sum: format!(
                "{} driving, {stops} of {} in all: {} charging and {} fixed{standing}",
                figures::duration(plan.drive()),
                duration(stood),
                duration(charge),
                duration(fixed),
            ),
        }
    }
}

/// The time so many minutes after a departure, with the day where it is another.
fn arrives(departure: &ZonedDateTime, total: Minutes, units: Units) -> String {
    let after = SignedDuration::from_secs((60.0 * total.get()).round() as i64);
    departure.checked_add(after).map(|there| figures::time_since(units, departure, &there)).unwrap_or_default()
}

/// How near the plans of trips that are over came: nine of ten within so many minutes and points.
pub fn near(minutes: f64, points: f64, trips: usize) -> String {
    format!(
        "9 of 10 of your trips were within {} and {:.0} % of their plans ({trips} trips).",
        figures::duration(Minutes::new(minutes.ceil())),
        points.ceil()
    )
}

/// Why a stop is left when it is: the minutes of the next five points here, and of the first five at the next stop.
pub fn compared((here, there): (Minutes, Minutes)) -> String {
    format!(
        "The next 5 % would take {} min here, the first 5 % at the next stop take {}.",
        figures::minutes(here.get()),
        figures::minutes(there.get())
    )
}

/// The lowest point of the road.
pub fn lowest((soc, at): (Soc, Distance), units: Units) -> String {
    format!("Lowest on the road: {:.1} % at {}.", soc.get(), figures::distance(units, at))
}

/// That a day is cold, and the plan's curve was measured with a cold pack.
pub fn cold_curve(outside: Temperature, curve: &str, pack: Option<Temperature>, units: Units) -> String {
    let measured = pack.map(|pack| format!(", measured with a pack of {}", figures::temperature(units, pack)));
    format!(
        "It is {} out: planned with “{curve}”{}.",
        figures::temperature(units, outside),
        measured.unwrap_or_default()
    )
}

/// That a day is cold, and no cold charge of the car is measured; or that a warmer curve was chosen.
pub fn warm_curve_in_the_cold(outside: Temperature, curve: &str, chosen: bool, units: Units) -> String {
    let outside = figures::temperature(units, outside);
    if chosen {
        return format!(
            "It is {outside} out, and “{curve}” was measured with a warmer pack: it charges slower than planned here."
        );
    }
    format!(
        "It is {outside} out, and no cold charge of this car is measured: the plan rests on “{curve}”. A cold pack charges slower, \
         by how much is not known; measure one, or let it warm before it charges."
    )
}

/// That a plan leaves the measured part of its curve.
pub fn outside_measured((from, to): (Soc, Soc)) -> String {
    format!(
        "This curve was measured from {} to {}; outside it the plan rests on an assumption.",
        figures::percent(from),
        figures::percent(to),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn proof_of(sites_left_out: usize, one_price_a_day: bool) -> Proof {
        Proof { gap: Minutes::new(0.01), sites_left_out, one_price_a_day }
    }

    #[test]
    fn proven_is_said_of_the_trip_that_is_shown_only() {
        assert_eq!(proof(&proof_of(0, false), false), "Proven: for this trip no plan is better by more than 1 s.");
        let closed = proof(&proof_of(2, false), true);
        assert!(closed.starts_with("Proven of a simpler trip: with the sites that are left in"), "{closed}");
        assert!(
            closed.contains("money counted as time") && closed.contains("the 2 sites that were left out"),
            "{closed}"
        );
        let priced = proof(&proof_of(0, true), false);
        assert!(priced.contains("one price stood for each site") && !priced.contains("left in"), "{priced}");
    }

    #[test]
    fn what_a_site_is_worth() {
        assert_eq!(worth(Some(Minutes::new(0.01))), "Without this site the plan is as good.");
        assert_eq!(worth(Some(Minutes::new(3.2))), "Without this site the best plan takes 3.2 min more.");
        assert_eq!(worth(None), "Without this site the trip cannot be driven.");
    }
}
