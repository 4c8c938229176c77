//! What charging came to, month by month, and whether a car's figures drift, by its measured charges.

use std::collections::BTreeMap;

use jiff::civil::Date;
use spare_hour_core::charging::drift::{Drift, Measured};
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::session::Conditions;
use spare_hour_store::{Car, Store};

use crate::PlanningError;
use crate::read_charge::{ReadCharge, Reports};

/// Days of a year.
const YEAR: f64 = 365.25;
/// Kilometres that a drift by distance is told for.
const FAR: f64 = 10_000.0;

/// A month of charges.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct MonthOfCharges {
    /// Charges with direct current,
    pub fast: Sum,
    /// with alternating current elsewhere,
    pub ac: Sum,
    /// and at home.
    pub home: Sum,
}

impl MonthOfCharges {
    /// The sum that a charge belongs to.
    fn of(&mut self, conditions: &Conditions) -> &mut Sum {
        match conditions.phases {
            None => &mut self.fast,
            Some(_) if is_home(conditions) => &mut self.home,
            Some(_) => &mut self.ac,
        }
    }
}

/// Whether it is noted of a charge that it was at home.
fn is_home(conditions: &Conditions) -> bool {
    conditions.other.iter().any(|(key, place)| key == "place" && place.trim().eq_ignore_ascii_case("home"))
}

/// What some charges came to.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Sum {
    /// How many.
    pub charges: u32,
    /// Of how many it is known what was paid.
    pub paid_known: u32,
    /// Energy into the battery, kWh, of all of them,
    pub kwh: f64,
    /// and of those whose price is known.
    pub kwh_paid: f64,
    /// What was paid.
    pub paid: f64,
    /// How far those go whose price is known, km, where the car's range is known.
    pub km_paid: f64,
}

impl Sum {
    fn add(&mut self, kwh: f64, paid: Option<f64>, km: Option<f64>) {
        self.charges += 1;
        self.kwh += kwh;
        if let Some(paid) = paid {
            self.paid_known += 1;
            self.paid += paid;
            self.kwh_paid += kwh;
            self.km_paid += km.unwrap_or_default();
        }
    }

    /// The sum of two.
    #[must_use]
    pub fn with(self, other: Self) -> Self {
        Self {
            charges: self.charges + other.charges,
            paid_known: self.paid_known + other.paid_known,
            kwh: self.kwh + other.kwh,
            kwh_paid: self.kwh_paid + other.kwh_paid,
            paid: self.paid + other.paid,
            km_paid: self.km_paid + other.km_paid,
        }
    }

    /// What was paid for 100 km, where that can be told.
    pub fn per_100_km(&self) -> Option<f64> {
        (self.km_paid > 0.0).then(|| 100.0 * self.paid / self.km_paid)
    }
}

/// Charges by month, such as `2026-05`, the newest last.
///
/// # Errors
/// When the store refuses.
pub fn by_month(store: &Store) -> Result<BTreeMap<String, MonthOfCharges>, PlanningError> {
    let mut months: BTreeMap<String, MonthOfCharges> = BTreeMap::new();
    for line in store.sessions()? {
        let charge = ReadCharge::new(store, line.id)?;
        let points = line.soc.1 - line.soc.0;
        let kwh = charge.usable().get() * points / 100.0;
        let range = charge.basis(None).range;
        let km = range.map(|range| range.get() * points / 100.0);
        let conditions = &charge.session().conditions;
        let month = months.entry(line.day.get(..7).unwrap_or("no day").to_string()).or_default();
        month.of(conditions).add(kwh, conditions.paid, km);
    }
    Ok(months)
}

/// A figure of a car over time.
#[derive(Clone, Debug)]
pub struct CarDrift {
    /// What it is.
    pub figure: Figure,
    /// The charges: name, software, day, value and ± 19 times in 20.
    pub points: Vec<DriftPoint>,
    /// The line through them for each year, where there are enough.
    pub line: Option<Drift>,
    /// The line through them for each 10,000 km of the drive log, where there are enough.
    pub by_distance: Option<Drift>,
    /// What each update of the software changed, where both sides were measured.
    pub updates: Vec<Update>,
}

/// A figure before and after an update of the software.
#[derive(Clone, Debug, PartialEq)]
pub struct Update {
    /// The software before and after.
    pub software: (String, String),
    /// How much more the figure is after it,
    pub more: f64,
    /// right within ± this, 19 times in 20.
    pub error: f64,
}

/// What is watched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Figure {
    /// Usable capacity, kWh.
    Capacity,
    /// Minutes from 20 to 60 % where no charger limited it.
    TwentyToSixty,
}

/// A measured value.
#[derive(Clone, Debug, PartialEq)]
pub struct DriftPoint {
    /// The charge, and its name.
    pub session: (i32, String),
    /// The car's software, where it was noted.
    pub software: Option<String>,
    /// The day.
    pub day: Date,
    /// How far the car had come by then, by its drive log.
    pub driven: Distance,
    /// The value.
    pub value: f64,
    /// It lies within ± this, 19 times in 20.
    pub error: f64,
}

/// Whether a car's capacity and pace drift, by its fast charges.
///
/// # Errors
/// When the store refuses.
pub fn drifts(store: &Store, car: &Car, reports: &Reports) -> Result<Vec<CarDrift>, PlanningError> {
    let (mut capacity, mut pace) = (Vec::new(), Vec::new());
    let drives = store.drives_of(car.id)?;
    let driven_by = |day: &str| {
        let before = drives.iter().filter(|kept| kept.drive.day.as_deref().is_some_and(|driven| driven <= day));
        Distance::km(before.map(|kept| kept.drive.distance.get()).sum())
    };
    for line in store.sessions()?.into_iter().filter(|line| line.car == Some(car.id)) {
        let charge = ReadCharge::new(store, line.id)?;
        let (Ok(report), Ok(day)) = (charge.report(reports, None), line.day.parse::<Date>()) else { continue };
        let conditions = &charge.session().conditions;
        if conditions.phases.is_some() {
            continue;
        }
        let point = |value: f64, error: f64| DriftPoint {
            session: (line.id, line.name.clone()),
            software: conditions.software.clone(),
            day,
            driven: driven_by(&line.day),
            value,
            error,
        };
        capacity.extend(report.capacity.map(|found| point(found.energy.get(), found.plus_minus.get())));
        let (from, to) = (Soc::percent(20.0), Soc::percent(60.0));
        let window = report.analysis.window(from, to);
        let error = report.analysis.window_error(from, to).map(Minutes::get);
        pace.extend(window.zip(error).map(|(window, error)| point(window.minutes.get(), error)));
    }
    let drift = |figure, mut points: Vec<DriftPoint>| {
        points.sort_by_key(|point| point.day);
        let first = points.first().map(|point| point.day);
        let by_day: Vec<Measured> = points.iter().filter_map(|point| point.after_days(first?)).collect();
        let by_distance: Vec<Measured> = points.iter().map(DriftPoint::after_distance).collect();
        let (line, by_distance) = (Drift::new(&by_day), Drift::new(&by_distance));
        CarDrift { figure, line, by_distance, updates: updates(&points), points }
    };
    Ok(vec![drift(Figure::Capacity, capacity), drift(Figure::TwentyToSixty, pace)])
}

/// What each update changed: the means of the values under one software and the next, each weighed by its error.
fn updates(points: &[DriftPoint]) -> Vec<Update> {
    let mut versions: Vec<(&str, f64, f64)> = Vec::new();
    for point in points {
        let Some(software) = point.software.as_deref() else { continue };
        let weight = 1.0 / point.error.max(1e-3).powi(2);
        match versions.iter_mut().find(|version| version.0 == software) {
            Some(version) => {
                version.1 += weight * point.value;
                version.2 += weight;
            }
            None => versions.push((software, weight * point.value, weight)),
        }
    }
    let change = |pair: &[(&str, f64, f64)]| Update {
        software: (pair[0].0.into(), pair[1].0.into()),
        more: pair[1].1 / pair[1].2 - pair[0].1 / pair[0].2,
        error: (1.0 / pair[0].2 + 1.0 / pair[1].2).sqrt(),
    };
    versions.windows(2).map(change).collect()
}

impl DriftPoint {
    fn measured(&self, at: f64) -> Measured {
        Measured { at, value: self.value, error: (self.error / 1.96).max(1e-3) }
    }

    /// By the years since a first day.
    fn after_days(&self, first: Date) -> Option<Measured> {
        Some(self.measured(f64::from(self.day.since(first).ok()?.get_days()) / YEAR))
    }

    fn after_distance(&self) -> Measured {
        self.measured(self.driven.get() / FAR)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_update_is_held_against_what_was_before() {
        let point = |software: &str, value: f64, error: f64| DriftPoint {
            session: (1, "S".into()),
            software: Some(software.into()),
            day: "2026-05-01".parse().unwrap(),
            driven: Distance::km(0.0),
            value,
            error,
        };
        let points = [point("4.1", 20.0, 1.0), point("4.1", 22.0, 1.0), point("4.2", 18.0, 1.0)];
        // By hand: means of 21 ± 0.71 and 18 ± 1; the difference is −3 ± 1.22.
        let found = updates(&points);
        assert_eq!(found.len(), 1);
        assert!((found[0].more + 3.0).abs() < 1e-9 && (found[0].error - 1.5f64.sqrt()).abs() < 1e-9);
        assert!(updates(&points[..2]).is_empty());
    }

    #[test]
    fn a_charge_with_alternating_current_is_at_home_where_that_is_noted() {
        let noted = |phases: Option<u32>, place: &str| Conditions {
            phases,
            other: vec![("place".into(), place.into())],
            ..Conditions::default()
        };
        let mut month = MonthOfCharges::default();
        for conditions in [noted(Some(3), " Home"), noted(Some(1), "the inn"), noted(None, "home")] {
            month.of(&conditions).add(10.0, None, None);
        }
        assert_eq!((month.home.charges, month.ac.charges, month.fast.charges), (1, 1, 1));
    }

    #[test]
    fn sums_add_up_and_tell_what_is_unknown() {
        let mut sum = Sum::default();
        sum.add(30.0, Some(18.0), Some(150.0));
        sum.add(20.0, None, Some(100.0));
        sum.add(10.0, Some(5.0), None);
        // By hand: 23 of 2 of 3 charges, 60 kWh of which 40 with a price; 23 for 150 km.
        assert_eq!((sum.charges, sum.paid_known, sum.kwh, sum.kwh_paid, sum.paid), (3, 2, 60.0, 40.0, 23.0));
        assert!((sum.per_100_km().unwrap() - 15.333).abs() < 1e-3);
        let twice = sum.with(sum);
        assert_eq!((twice.charges, twice.paid), (6, 46.0));
        assert_eq!(Sum::default().per_100_km(), None);
    }
}
