//! A month as its page shows it, and the one to come.

use jiff::ToSpan;
use jiff::civil::Date;
use spare_hour_core::charging::ac_charge::{added_an_hour, minutes_to};
use spare_hour_core::driving::coming_month::{DayAhead, Habits, HomePost, coming_month};
use spare_hour_core::driving::month_balance::MonthBalance;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_planning::month::{Day, DayCharge, Month};
use spare_hour_store::Car;

use super::{Ask, month_name};
use crate::forms::field::Field;
use spare_hour_wording::figures;

/// An evening's SoC, for which the hours to the limit are told.
const NIGHTFALL: Soc = Soc::percent(20.0);

/// How the coming month is lived, as filled in.
pub(super) struct AheadForm {
    start: Field,
    floor: Field,
    fast_to: Field,
}

impl AheadForm {
    pub(super) fn new(ask: &Ask, car: Option<&Car>) -> Self {
        let limit = car.and_then(|car| car.about.home).map_or(80.0, |home| home.limit.get());
        let field =
            |typed: &Option<String>, usual: f64| Field::new(typed.clone().unwrap_or_else(|| figures::field(usual)));
        Self { start: field(&ask.start, limit), floor: field(&ask.floor, 15.0), fast_to: field(&ask.fast_to, 80.0) }
    }

    /// The fields: name, label, what stands in it.
    pub(super) fn fields(&self) -> [(&'static str, &'static str, &Field); 3] {
        [
            ("start", "Begin with, %", &self.start),
            ("floor", "Never below, %", &self.floor),
            ("fast_to", "Fast charges end at, %", &self.fast_to),
        ]
    }

    /// Habits without charging at home.
    fn habits(&mut self, car: &Car) -> Option<Habits> {
        let soc = |field: &mut Field| field.required(0.0, 100.0, "%").map(Soc::percent);
        let (start, floor, fast_to) = (soc(&mut self.start), soc(&mut self.floor), soc(&mut self.fast_to));
        let (start, floor, fast_to) = (start?, floor?, fast_to?);
        if fast_to.get() < floor.get() + 1.0 {
            self.fast_to.fault = Some(format!("expected more than {}", figures::percent(floor)));
            return None;
        }
        let about = &car.about;
        let (usable, loss_percent) = (about.usable, about.charge_loss_percent);
        Some(Habits { usable, loss_percent, start, floor, fast_to, home: None })
    }
}

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
    /// What the coming month needs, in sentences.
    pub(super) ahead: Vec<String>,
    pub(super) is_empty: bool,
}

impl MonthView {
    pub(super) fn new(car: &Car, month: &Month, ahead: &mut AheadForm, units: Units, today: Date) -> Self {
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
            ahead: ahead.habits(car).map(|habits| ahead_told(month, car, habits, today)).unwrap_or_default(),
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
    let charging = home.charging(about.on_board.as_ref());
    let stored = charging.stored(about.stored_share());
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
        let night = figures::distance(units, range * (charging.stored_a_night(about.stored_share()) / about.usable));
        told.push(format!("That adds {added} an hour, {night} a night."));
    }
    if let Some(minutes) = minutes_to(NIGHTFALL, home.limit, stored, about.usable).filter(|minutes| minutes.get() > 0.0)
    {
        told.push(format!(
            "From {} to {} takes {}.",
            figures::percent(NIGHTFALL),
            figures::percent(home.limit),
            figures::duration(minutes)
        ));
    }
    told
}

/// The coming month, lived like the days of this one.
fn ahead_told(month: &Month, car: &Car, habits: Habits, today: Date) -> Vec<String> {
    let lived: Vec<Energy> = lived(month, today).iter().map(|day| day.driven).collect();
    if lived.iter().all(|energy| energy.get() <= 0.0) {
        return vec!["No energy of a drive is known in this month, so there is nothing to go by.".into()];
    }
    let home = car.about.home.map(|home| home.charging(car.about.on_board.as_ref()));
    let days = lived.len();
    let mut said = vec![];
    if let Some(home) = home {
        let with = coming_month(&lived, &Habits { home: Some(home), ..habits });
        said.push(format!("With the post at home, {} in {days} such days; {}.", fast(&with), at_home(&with)));
    }
    let without = coming_month(&lived, &habits);
    said.push(format!("Without charging at home, {} in {days} such days.", fast(&without)));
    said
}

/// The days of a month that have come.
fn lived(month: &Month, today: Date) -> Vec<&Day> {
    month.days.iter().filter(|day| day.date <= today).collect()
}

fn fast(days: &[DayAhead]) -> String {
    let count: usize = days.iter().map(|day| day.fast_charges).sum();
    let stored: f64 = days.iter().map(|day| day.fast_stored.get()).sum();
    match count {
        0 => "no fast charge is needed".into(),
        1 => format!("1 fast charge is needed, of {stored:.0} kWh"),
        _ => format!("{count} fast charges are needed, {stored:.0} kWh in all"),
    }
}

fn at_home(days: &[DayAhead]) -> String {
    let plug: f64 = days.iter().map(|day| day.home_plug.get()).sum();
    let hours: f64 = days.iter().map(|day| day.home_time.get() / 60.0).sum();
    let nights = days.iter().filter(|day| day.home_plug.get() > 0.05).count();
    format!("{plug:.0} kWh leave the plug at home in {hours:.0} hours of {nights} nights")
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use spare_hour_core::quantity::Minutes;

    fn ahead(fast_charges: usize, stored: f64, plug: f64) -> DayAhead {
        DayAhead {
            driven: Energy::kwh(10.0),
            fast_charges,
            fast_stored: Energy::kwh(stored),
            evening: Soc::percent(50.0),
            home_plug: Energy::kwh(plug),
            home_time: Minutes::new(60.0 * plug / 10.0),
        }
    }

    #[test]
    fn charges_are_counted_in_words() {
        assert_eq!(fast(&[ahead(0, 0.0, 5.0)]), "no fast charge is needed");
        assert_eq!(fast(&[ahead(1, 30.0, 0.0), ahead(0, 0.0, 0.0)]), "1 fast charge is needed, of 30 kWh");
        assert_eq!(fast(&[ahead(2, 60.0, 0.0), ahead(1, 30.0, 0.0)]), "3 fast charges are needed, 90 kWh in all");
        let nights = [ahead(0, 0.0, 20.0), ahead(0, 0.0, 0.0), ahead(0, 0.0, 10.0)];
        assert_eq!(at_home(&nights), "30 kWh leave the plug at home in 3 hours of 2 nights");
    }

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
