//! What a charger's operator asks for: the elements of a tariff as OCPI 2.2.1 defines them (tariffs module; recalled from
//! memory, not read here).
//!
//! A tariff is a list of elements; each has price components and, perhaps, restrictions. At any moment and for each kind of
//! component, the first element counts whose restrictions hold and that has such a component. Free first minutes are a
//! time element that begins later; a price that depends on power is an element with a least power.
//! Prices are without VAT unless a component says how much there is.

use jiff::civil::{Date, Time, Weekday};
use rust_decimal::Decimal;

use crate::quantity::{Current, Energy, Minutes, Power};

/// Most elements of a tariff.
pub const MOST_ELEMENTS: usize = 100;

/// What a price is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Kind {
    /// Once.
    Flat,
    /// A kWh out of the plug.
    Energy,
    /// An hour of charging.
    Time,
    /// An hour at the stall without charging.
    Parking,
}

/// A price.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Component {
    /// What for.
    pub kind: Kind,
    /// Without VAT: once, for a kWh or for an hour.
    pub price: Decimal,
    /// VAT in %.
    pub vat: Option<Decimal>,
    /// Billed in blocks of so many Wh or seconds; 1 bills exactly.
    pub step: u32,
}

/// When an element counts; what is `None` does not restrict.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Restrictions {
    /// From this time of day on, the stall's own.
    pub from_time: Option<Time>,
    /// Until before this time of day; at or before `from_time` it is the next day's.
    pub to_time: Option<Time>,
    /// From this day on.
    pub from_date: Option<Date>,
    /// Until before this day.
    pub to_date: Option<Date>,
    /// On these days only; empty is every day.
    pub days: Vec<Weekday>,
    /// From so much energy of the charge on.
    pub least_energy: Option<Energy>,
    /// Until before so much energy of the charge.
    pub most_energy: Option<Energy>,
    /// From so much power on.
    pub least_power: Option<Power>,
    /// Below so much power.
    pub most_power: Option<Power>,
    /// From so much current on.
    pub least_current: Option<Current>,
    /// Below so much current.
    pub most_current: Option<Current>,
    /// From so long after the charge began on.
    pub least_duration: Option<Minutes>,
    /// Until before so long after the charge began.
    pub most_duration: Option<Minutes>,
    /// From so long after charging ended on: a grace before an idle fee. OCPI 2.2.1 has no such restriction; this one is our own.
    pub least_parking: Option<Minutes>,
}

/// Prices and when they count.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Element {
    /// Its prices.
    pub components: Vec<Component>,
    /// When they count.
    pub restrictions: Restrictions,
}

/// A tariff.
#[derive(Clone, Debug, PartialEq)]
pub struct Tariff {
    /// Name for people.
    pub name: String,
    /// ISO 4217, or any short word.
    pub currency: String,
    /// Elements, the first that fits first.
    pub elements: Vec<Element>,
    /// A charge costs at least this, without VAT.
    pub least: Option<Decimal>,
    /// A charge costs at most this, without VAT.
    pub most: Option<Decimal>,
}

/// A moment of a charge, as restrictions see it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moment {
    /// The stall's own day.
    pub date: Date,
    /// The stall's own time of day.
    pub time: Time,
    /// Energy out of the plug since the charge began.
    pub energy: Energy,
    /// Power out of the plug.
    pub power: Power,
    /// Current, where it is known.
    pub current: Option<Current>,
    /// Since the charge began.
    pub duration: Minutes,
    /// Since charging ended; none while it goes on.
    pub parked: Minutes,
}

impl Restrictions {
    /// Whether they hold at a moment.
    pub fn hold(&self, moment: &Moment) -> bool {
        self.hold_by_clock(moment.date, moment.time)
            && within(moment.energy.get(), self.least_energy.map(Energy::get), self.most_energy.map(Energy::get))
            && within(moment.power.get(), self.least_power.map(Power::get), self.most_power.map(Power::get))
            && within(
                moment.duration.get(),
                self.least_duration.map(Minutes::get),
                self.most_duration.map(Minutes::get),
            )
            && within(moment.parked.get(), self.least_parking.map(Minutes::get), None)
            && match moment.current {
                Some(amps) => {
                    within(amps.get(), self.least_current.map(Current::get), self.most_current.map(Current::get))
                }
                None => self.least_current.is_none(),
            }
    }

    /// Whether the restrictions by hour, day and date hold.
    pub fn hold_by_clock(&self, date: Date, time: Time) -> bool {
        let after_midnight = self.runs_past_midnight() && self.to_time.is_some_and(|to| time < to);
        // The part of a night after midnight belongs to the day that it began on.
        let day = if after_midnight { date.yesterday().unwrap_or(date) } else { date };
        let in_time = match (self.from_time, self.to_time) {
            (Some(from), Some(to)) if from < to => time >= from && time < to,
            (Some(from), Some(_)) => time >= from || after_midnight,
            (Some(from), None) => time >= from,
            (None, Some(to)) => time < to,
            (None, None) => true,
        };
        in_time
            && self.from_date.is_none_or(|from| day >= from)
            && self.to_date.is_none_or(|to| day < to)
            && (self.days.is_empty() || self.days.contains(&day.weekday()))
    }

    fn runs_past_midnight(&self) -> bool {
        self.from_time.zip(self.to_time).is_some_and(|(from, to)| to <= from)
    }
}

/// Whether a number is at or above the least, and below the most. A hair is forgiven: boundaries are walked up to.
fn within(number: f64, least: Option<f64>, most: Option<f64>) -> bool {
    const HAIR: f64 = 1e-9;
    least.is_none_or(|least| number >= least - HAIR) && most.is_none_or(|most| number < most - HAIR)
}

impl Tariff {
    /// A tariff with one price a kWh, one a minute of charging and one a charge, without restrictions or VAT.
    pub fn simple(name: &str, currency: &str, per_kwh: Decimal, per_minute: Decimal, flat: Decimal) -> Self {
        let component = |kind, price| Component { kind, price, vat: None, step: 1 };
        let all = [
            component(Kind::Flat, flat),
            component(Kind::Energy, per_kwh),
            component(Kind::Time, per_minute * Decimal::from(60)),
        ];
        let components = all.into_iter().filter(|component| !component.price.is_zero()).collect();
        let elements = vec![Element { components, restrictions: Restrictions::default() }];
        Self { name: name.into(), currency: currency.into(), elements, least: None, most: None }
    }

    /// The component of a kind that counts at a moment, with the number of its element.
    pub fn component(&self, kind: Kind, moment: &Moment) -> Option<(usize, Component)> {
        self.elements.iter().enumerate().find_map(|(index, element)| {
            let component = element.components.iter().find(|component| component.kind == kind)?;
            element.restrictions.hold(moment).then_some((index, *component))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::{date, time};

    fn at(day: i8, hour: i8, minute: i8) -> (Date, Time) {
        (date(2026, 11, day), time(hour, minute, 0, 0))
    }

    #[test]
    fn nights_run_past_midnight_and_belong_to_the_day_they_began() {
        // 2026-11-20 is a Friday.
        let night = Restrictions {
            from_time: Some(time(22, 0, 0, 0)),
            to_time: Some(time(6, 0, 0, 0)),
            days: vec![Weekday::Friday],
            ..Restrictions::default()
        };
        let holds = |(day, time)| night.hold_by_clock(day, time);
        assert!(holds(at(20, 22, 0)) && holds(at(21, 5, 59)));
        assert!(!holds(at(21, 6, 0)) && !holds(at(21, 22, 0)) && !holds(at(20, 5, 0)) && !holds(at(20, 21, 59)));
        let from_saturday = Restrictions { from_date: Some(date(2026, 11, 21)), ..night };
        assert!(!from_saturday.hold_by_clock(at(21, 3, 0).0, at(21, 3, 0).1));
    }

    #[test]
    fn the_first_element_that_fits_counts_for_each_kind() {
        let component = |kind, price| Component { kind, price: Decimal::from(price), vat: None, step: 1 };
        let fast = Restrictions { least_power: Some(Power::kw(50.0)), ..Restrictions::default() };
        let tariff = Tariff {
            elements: vec![
                Element { components: vec![component(Kind::Time, 9)], restrictions: fast },
                Element {
                    components: vec![component(Kind::Time, 3), component(Kind::Energy, 1)],
                    ..Element::default()
                },
            ],
            ..Tariff::simple("t", "cr", Decimal::ZERO, Decimal::ZERO, Decimal::ZERO)
        };
        let moment = |kw: f64| Moment {
            date: date(2026, 11, 20),
            time: time(12, 0, 0, 0),
            energy: Energy::kwh(0.0),
            power: Power::kw(kw),
            current: None,
            parked: Minutes::new(0.0),
            duration: Minutes::new(0.0),
        };
        let price = |kind, kw| tariff.component(kind, &moment(kw)).map(|found| found.1.price);
        assert_eq!(
            (price(Kind::Time, 50.0), price(Kind::Time, 49.9)),
            (Some(Decimal::from(9)), Some(Decimal::from(3)))
        );
        assert_eq!((price(Kind::Energy, 90.0), price(Kind::Parking, 90.0)), (Some(Decimal::from(1)), None));
    }
}
