//! The days of a month with what was driven and charged on each.

use jiff::civil::Date;
use spare_hour_core::driving::month_balance::MonthBalance;
use spare_hour_core::quantity::{Distance, Energy};
use spare_hour_store::{Car, Store};

use crate::PlanningError;

/// A charge of a day.
#[derive(Clone, Debug)]
pub struct DayCharge {
    /// Its number.
    pub session: i32,
    /// Its name.
    pub name: String,
    /// What it stored, by its SoC.
    pub stored: Energy,
}

/// A day.
#[derive(Clone, Debug)]
pub struct Day {
    /// Which.
    pub date: Date,
    /// How many drives.
    pub drives: usize,
    /// How far they went.
    pub distance: Distance,
    /// What its drives took from the battery; those that are left out took nothing that is known.
    pub driven: Energy,
    /// What was charged.
    pub charges: Vec<DayCharge>,
}

impl Day {
    fn new(date: Date) -> Self {
        Self { date, drives: 0, distance: Distance::km(0.0), driven: Energy::kwh(0.0), charges: Vec::new() }
    }

    /// What its charges stored.
    pub fn stored(&self) -> Energy {
        Energy::kwh(self.charges.iter().map(|charge| charge.stored.get()).sum())
    }
}

/// A month.
#[derive(Clone, Debug)]
pub struct Month {
    /// Its first day.
    pub first: Date,
    /// All of its days.
    pub days: Vec<Day>,
}

impl Month {
    /// The month that begins on a day, of a car.
    ///
    /// # Errors
    /// When the store refuses.
    pub fn new(store: &Store, car: &Car, first: Date) -> Result<Self, PlanningError> {
        let mut days: Vec<Day> =
            first.series(jiff::Span::new().days(1)).take(first.days_in_month() as usize).map(Day::new).collect();
        let place = |day: &str| {
            let date: Date = day.get(..10)?.parse().ok()?;
            (date.first_of_month() == first).then(|| date.day() as usize - 1)
        };
        for kept in store.drives_of(car.id)? {
            let drive = kept.drive;
            let Some(at) = drive.day.as_deref().and_then(place) else { continue };
            days[at].drives += 1;
            days[at].distance += drive.distance;
            if drive.left_out.is_none() {
                days[at].driven += drive.energy(car.about.usable);
            }
        }
        for line in store.sessions()?.into_iter().filter(|line| line.car == Some(car.id)) {
            if let Some(at) = place(&line.day) {
                let stored = car.about.usable * ((line.soc.1 - line.soc.0).max(0.0) / 100.0);
                days[at].charges.push(DayCharge { session: line.id, name: line.name, stored });
            }
        }
        Ok(Self { first, days })
    }

    /// Energy out of the battery and into it.
    pub fn balance(&self) -> MonthBalance {
        MonthBalance {
            driven: Energy::kwh(self.days.iter().map(|day| day.driven.get()).sum()),
            stored: Energy::kwh(self.days.iter().map(|day| day.stored().get()).sum()),
        }
    }

    /// The days in weeks from Monday on; `None` beside the month.
    pub fn weeks(&self) -> Vec<Vec<Option<&Day>>> {
        let before = usize::from(self.first.weekday().to_monday_zero_offset().unsigned_abs());
        let mut cells: Vec<Option<&Day>> = vec![None; before];
        cells.extend(self.days.iter().map(Some));
        cells.resize(cells.len().div_ceil(7) * 7, None);
        cells.chunks(7).map(<[_]>::to_vec).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_formats::{read_drives, read_session};
    use spare_hour_store::NewSession;

    #[test]
    fn drives_and_charges_are_on_their_days() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let id = store.add_car(&KnownCar::new("Tern", Energy::kwh(50.0), 8.0)).unwrap();
        let drives = b"day,km,minutes,kwh,left_out\n2026-10-01,50,50,9,\n2026-10-01,20,20,4,\n2026-10-31,30,30,50,misread\n2026-11-01,9,9,2,\n";
        store.add_drives(id, &read_drives(drives).unwrap()).unwrap();
        let session = read_session("# date: 2026-10-04\nelapsed,soc\n0,20\n900,40\n1800,60\n").unwrap();
        let new = NewSession {
            car: Some(id),
            name: "s".into(),
            source_name: "s".into(),
            source_text: String::new(),
            session,
        };
        store.add_session(&new).unwrap();
        let month = Month::new(&store, &store.car(id).unwrap(), date(2026, 10, 1)).unwrap();
        assert_eq!((month.days.len(), month.days[0].drives), (31, 2));
        assert_eq!((month.days[0].driven, month.days[30].driven), (Energy::kwh(13.0), Energy::kwh(0.0)));
        assert_eq!(month.days[30].distance, Distance::km(30.0));
        assert!((month.days[3].stored().get() - 20.0).abs() < 1e-9);
        // 1 October 2026 is a Thursday.
        let weeks = month.weeks();
        assert_eq!((weeks.len(), weeks[0].iter().position(Option::is_some)), (5, Some(3)));
        assert_eq!(weeks[4].iter().flatten().count(), 6);
    }
}
