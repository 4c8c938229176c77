//! A month as its page shows it, and the one to come.

use jiff::ToSpan;
use jiff::civil::Date;
use spare_hour_core::charging::ac_charge::added_an_hour;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::driving::month_balance::MonthBalance;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Energy};
use spare_hour_planning::month::{Day, DayCharge, Month};
use spare_hour_store::Car;

use super::ahead::AheadForm;
use super::month_name;
use super::ready::ReadyForm;
use spare_hour_wording::figures;

/// A day of the calendar.
pub(super) struct DayCell {
    pub(super) number: i8,
    pub(super) weekday: String,
    pub(super) drives: String,
    pub(super) driven: String,
    /// Charges: session, name, energy.
    pub(super) charges: Vec<(i32, String, String)>,
    /// Widths of the bars of energy out and in, 0 to 100.
    pub(super) out: f64,
    pub(super) stored: f64,
}

/// The month.
pub(super) struct MonthView {
    /// Such as “October 2026”.
    pub(super) title: String,
    pub(super) before: String,
    pub(super) after: String,
    pub(super) weeks: Vec<Vec<Option<DayCell>>>,
    pub(super) told: String,
    pub(super) balance: String,
    pub(super) home: Vec<String>,
    /// When a night's charge is ready.
    pub(super) ready: String,
    /// What the coming month needs, in sentences.
    pub(super) ahead: Vec<String>,
    pub(super) is_empty: bool,
}

impl MonthView {
    pub(super) fn new(
        car: &Car,
        month: &Month,
        (ahead, ready): (&mut AheadForm, &mut ReadyForm),
        units: Units,
        today: Date,
    ) -> Self {
        let most = month.days.iter().map(|day| day.driven.get().max(day.stored().get())).fold(1.0, f64::max);
        let weeks = month.weeks();
        let cell = |day: Option<&Day>| day.map(|day| day_cell(day, most, units));
        Self {
            title: month.first.strftime("%B %Y").to_string(),
            before: month_name(month.first.saturating_sub(1.month())),
            after: month_name(month.first.saturating_add(1.month())),
            weeks: weeks.iter().map(|week| week.iter().copied().map(cell).collect()).collect(),
            told: told(month, units),
            balance: balance(month, car),
            home: car.about.home.map(|home| home_told(car, &home, units)).unwrap_or_default(),
            ready: car.about.home.map(|home| ready.told(car, &home, units)).unwrap_or_default(),
            ahead: ahead.told(&lived(month, today), car),
            is_empty: month.days.iter().all(|day| day.drives == 0 && day.charges.is_empty()),
        }
    }
}

fn kwh(energy: Energy) -> String {
    format!("{:.1} kWh", energy.get())
}

fn day_cell(day: &Day, most: f64, units: Units) -> DayCell {
    let charge = |charge: &DayCharge| (charge.session, charge.name.clone(), kwh(charge.stored));
    DayCell {
        number: day.date.day(),
        weekday: day.date.strftime("%a").to_string(),
        drives: if day.drives == 0 { String::new() } else { figures::distance(units, day.distance) },
        driven: if day.driven.get() > 0.0 { kwh(day.driven) } else { String::new() },
        charges: day.charges.iter().map(charge).collect(),
        out: (100.0 * day.driven.get() / most).clamp(0.0, 100.0),
        stored: (100.0 * day.stored().get() / most).clamp(0.0, 100.0),
    }
}

fn told(month: &Month, units: Units) -> String {
    let drives: usize = month.days.iter().map(|day| day.drives).sum();
    let distance = Distance::km(month.days.iter().map(|day| day.distance.get()).sum());
    let charges: usize = month.days.iter().map(|day| day.charges.len()).sum();
    let MonthBalance { driven, stored } = month.balance();
    format!(
        "{drives} drives, {}, {} out of the battery; {charges} measured charges, {} into it.",
        figures::distance(units, distance),
        kwh(driven),
        kwh(stored),
    )
}

/// What is missing between in and out.
fn balance(month: &Month, car: &Car) -> String {
    let balance = month.balance();
    let missing = balance.unmeasured().get();
    if missing > 1.0 {
        let plug = balance.unmeasured_at_plug(car.about.stored_share()).get();
        format!("The other {missing:.1} kWh came from charges that were not measured: {plug:.1} kWh at the plug.")
    } else if missing < -1.0 {
        format!("{:.1} kWh more went in than the logged drives took.", -missing)
    } else {
        String::new()
    }
}

/// What the post at home does for the car.
fn home_told(car: &Car, home: &HomePost, units: Units) -> Vec<String> {
    let about = &car.about;
    let charging = home.charging(about.on_board.as_ref(), about.charge_loss_percent);
    let stored = charging.stored();
    let post = &home.post;
    let mut told = vec![format!(
        "{} × {:.0} V × {:.0} A are {:.1} kW; the car takes {:.1} kW of it and stores {:.1} kW.",
        post.phases,
        post.voltage.get(),
        post.current.get(),
        post.power().get(),
        charging.power.get(),
        stored.get(),
    )];
    let range = about.distances.or_first_known(about.distance_base, about.usable).1;
    if let Some(range) = range {
        let added = figures::distance(units, added_an_hour(stored, about.usable, range));
        let night = figures::distance(units, range * (charging.stored_a_night() / about.usable));
        told.push(format!("That adds {added} an hour, {night} a night."));
    }
    told
}

/// The days of a month that have come.
fn lived(month: &Month, today: Date) -> Vec<&Day> {
    month.days.iter().filter(|day| day.date <= today).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn only_days_that_have_come_are_lived() {
        let day = |day| Day {
            date: date(2026, 10, day),
            drives: 0,
            distance: Distance::km(0.0),
            driven: Energy::kwh(0.0),
            charges: Vec::new(),
        };
        let month = Month { first: date(2026, 10, 1), days: (1..=31).map(day).collect() };
        assert_eq!(lived(&month, date(2026, 10, 12)).len(), 12);
        assert_eq!(lived(&month, date(2027, 1, 1)).len(), 31);
    }
}
