//! The form of a tariff: rows of prices with when they count, and a typical stop, as they were typed.

use jiff::ZonedDateTime;
use jiff::civil::{DateTime, Time, Weekday};
use jiff::tz::TimeZone;
use rust_decimal::Decimal;
use spare_hour_core::money::receipt::Period;
use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
use spare_hour_core::quantity::units::{ClockFace, parse_time};
use spare_hour_core::quantity::{Current, Energy, Minutes, Power};

use super::Fields;
use crate::forms::field::Field;

/// Rows of a form at most.
const MOST_ROWS: usize = 40;
/// Empty rows below the others.
const BLANK_ROWS: usize = 2;
/// Most of any price.
const MOST_PRICE: u32 = 1_000_000;

/// The columns of a row that are typed: key, label.
const COLUMNS: [(&str, &str); 15] = [
    ("price", "Price"),
    ("step", "block, Wh/s"),
    ("vat", "VAT, %"),
    ("from", "from (time)"),
    ("to", "to (time)"),
    ("from_min", "from minute"),
    ("to_min", "to minute"),
    ("from_kwh", "from kWh"),
    ("to_kwh", "to kWh"),
    ("from_kw", "from kW"),
    ("to_kw", "below kW"),
    ("from_a", "from A"),
    ("to_a", "below A"),
    ("from_date", "from day"),
    ("to_date", "before day"),
];
const KINDS: [(&str, &str, Kind); 4] = [
    ("energy", "a kWh", Kind::Energy),
    ("time", "an hour of charging", Kind::Time),
    ("parking", "an hour of standing", Kind::Parking),
    ("flat", "once", Kind::Flat),
];
const DAYS: [(&str, &[Weekday]); 10] = [
    ("every day", &[]),
    ("Monday to Friday", &[Weekday::Monday, Weekday::Tuesday, Weekday::Wednesday, Weekday::Thursday, Weekday::Friday]),
    ("Saturday and Sunday", &[Weekday::Saturday, Weekday::Sunday]),
    ("Monday", &[Weekday::Monday]),
    ("Tuesday", &[Weekday::Tuesday]),
    ("Wednesday", &[Weekday::Wednesday]),
    ("Thursday", &[Weekday::Thursday]),
    ("Friday", &[Weekday::Friday]),
    ("Saturday", &[Weekday::Saturday]),
    ("Sunday", &[Weekday::Sunday]),
];

/// A row, as it was typed.
#[derive(Clone, Debug)]
pub(super) struct Row {
    pub(super) index: usize,
    kind: String,
    days: String,
    /// The texts of the columns, in their order.
    texts: Vec<String>,
}

/// The form, as it was typed.
#[derive(Clone, Debug)]
pub(super) struct TariffForm {
    pub(super) name: Field,
    pub(super) currency: Field,
    pub(super) least: Field,
    pub(super) most: Field,
    pub(super) rows: Vec<Row>,
    /// The typical stop.
    pub(super) kwh: Field,
    pub(super) minutes: Field,
    pub(super) parked: Field,
    pub(super) began: Field,
}

/// A decimal number within limits.
pub(super) fn decimal(text: &str, low: u32, high: u32) -> Option<Decimal> {
    let number: Decimal = text.trim().replace(',', ".").parse().ok()?;
    (number >= Decimal::from(low) && number <= Decimal::from(high)).then_some(number)
}

/// A time of day on either clock face.
fn clock_time(text: &str) -> Option<Time> {
    let minutes = parse_time(text)?;
    Time::new((minutes / 60) as i8, (minutes % 60) as i8, 0, 0).ok()
}

impl Row {
    fn blank(index: usize) -> Self {
        Self { index, kind: "energy".into(), days: DAYS[0].0.into(), texts: vec![String::new(); COLUMNS.len()] }
    }

    fn text(&self, key: &str) -> &str {
        COLUMNS.iter().position(|column| column.0 == key).map_or("", |index| self.texts[index].trim())
    }

    /// The typed columns: key with the row's number, label, text.
    pub(super) fn columns(&self) -> Vec<(String, &'static str, &str)> {
        let typed = COLUMNS.iter().zip(&self.texts);
        typed.map(|((key, label), text)| (format!("{key}-{}", self.index), *label, text.as_str())).collect()
    }

    /// Whether more than a price is typed.
    pub(super) fn is_limited(&self) -> bool {
        self.texts.iter().skip(1).any(|text| !text.trim().is_empty())
    }

    pub(super) fn kinds(&self) -> Vec<(&'static str, &'static str, bool)> {
        KINDS.iter().map(|(word, name, _)| (*word, *name, *word == self.kind)).collect()
    }

    pub(super) fn days(&self) -> Vec<(&'static str, bool)> {
        DAYS.iter().map(|(name, _)| (*name, *name == self.days)).collect()
    }

    /// The element of a row; nothing of a row without a price.
    fn element(&self) -> Result<Option<Element>, String> {
        if self.text("price").is_empty() {
            return Ok(None);
        }
        let number = self.index + 1;
        let wrong = |key: &str, expected: &str| {
            let label = COLUMNS.iter().find(|column| column.0 == key).map_or(key, |column| column.1);
            format!("Row {number}, {label}: “{}” does not work; expected {expected}.", self.text(key))
        };
        let optional = |key: &str, high: f64| match self.text(key) {
            "" => Ok(None),
            text => match text.replace(',', ".").parse::<f64>() {
                Ok(amount) if (0.0..=high).contains(&amount) => Ok(Some(amount)),
                _ => Err(wrong(key, &format!("0 to {high}"))),
            },
        };
        let time = |key: &str| match self.text(key) {
            "" => Ok(None),
            text => clock_time(text).map(Some).ok_or_else(|| wrong(key, "a time such as 22:00 or 10 pm")),
        };
        let date = |key: &str| match self.text(key) {
            "" => Ok(None),
            text => text.parse().map(Some).map_err(|_| wrong(key, "a day such as 2026-05-01")),
        };
        let price = decimal(self.text("price"), 0, MOST_PRICE).ok_or_else(|| wrong("price", "0 or more"))?;
        let vat = match self.text("vat") {
            "" => None,
            text => Some(decimal(text, 0, 100).ok_or_else(|| wrong("vat", "0 to 100 %"))?),
        };
        let step = optional("step", 1e6)?.map_or(1, |step| step.round().max(1.0) as u32);
        let kind = KINDS.iter().find(|kind| kind.0 == self.kind).map_or(Kind::Energy, |kind| kind.2);
        let days = DAYS.iter().find(|days| days.0 == self.days).map(|days| days.1.to_vec()).unwrap_or_default();
        Ok(Some(Element {
            components: vec![Component { kind, price, vat, step }],
            restrictions: Restrictions {
                from_time: time("from")?,
                to_time: time("to")?,
                from_date: date("from_date")?,
                to_date: date("to_date")?,
                days,
                least_energy: optional("from_kwh", 1e5)?.map(Energy::kwh),
                most_energy: optional("to_kwh", 1e5)?.map(Energy::kwh),
                least_power: optional("from_kw", 1e4)?.map(Power::kw),
                most_power: optional("to_kw", 1e4)?.map(Power::kw),
                least_current: optional("from_a", 1e4)?.map(Current::amps),
                most_current: optional("to_a", 1e4)?.map(Current::amps),
                least_duration: optional("from_min", 1e5)?.map(Minutes::new),
                most_duration: optional("to_min", 1e5)?.map(Minutes::new),
            },
        }))
    }

    /// One price of an element as a row.
    fn of(index: usize, component: &Component, rules: &Restrictions, face: ClockFace) -> Self {
        let number = |number: Option<f64>| number.map(spare_hour_wording::figures::field).unwrap_or_default();
        let clock = |time: Option<Time>| {
            time.map(|time| {
                face.time(60 * u32::from(time.hour().unsigned_abs()) + u32::from(time.minute().unsigned_abs()))
            })
            .unwrap_or_default()
        };
        let day = |date: Option<jiff::civil::Date>| date.map(|date| date.to_string()).unwrap_or_default();
        let step = if component.step > 1 { component.step.to_string() } else { String::new() };
        let kind = KINDS.iter().find(|kind| kind.2 == component.kind).map_or("energy", |kind| kind.0);
        let days = DAYS.iter().find(|days| days.1 == rules.days).map_or(DAYS[0].0, |days| days.0);
        let texts = vec![
            component.price.normalize().to_string(),
            step,
            component.vat.map(|vat| vat.normalize().to_string()).unwrap_or_default(),
            clock(rules.from_time),
            clock(rules.to_time),
            number(rules.least_duration.map(Minutes::get)),
            number(rules.most_duration.map(Minutes::get)),
            number(rules.least_energy.map(Energy::get)),
            number(rules.most_energy.map(Energy::get)),
            number(rules.least_power.map(Power::get)),
            number(rules.most_power.map(Power::get)),
            number(rules.least_current.map(Current::get)),
            number(rules.most_current.map(Current::get)),
            day(rules.from_date),
            day(rules.to_date),
        ];
        Self { index, kind: kind.into(), days: days.into(), texts }
    }
}

impl TariffForm {
    pub(super) fn empty(currency: &str) -> Self {
        Self::with("", currency, Vec::new())
    }

    fn with(name: &str, currency: &str, mut rows: Vec<Row>) -> Self {
        let next = rows.len();
        rows.extend((next..next + BLANK_ROWS).map(Row::blank));
        let field = |text: &str| Field::new(text);
        Self {
            name: field(name),
            currency: field(currency),
            least: field(""),
            most: field(""),
            rows,
            kwh: field("40"),
            minutes: field("25"),
            parked: field("0"),
            began: field("2026-11-27T17:30"),
        }
    }

    /// A kept tariff: every price of it a row. Days that the form has no word for become a row for each.
    pub(super) fn of(tariff: &Tariff, face: ClockFace) -> Self {
        let mut rows = Vec::new();
        for element in &tariff.elements {
            let known = DAYS.iter().any(|days| days.1 == element.restrictions.days);
            let days: Vec<Vec<Weekday>> = if known {
                vec![element.restrictions.days.clone()]
            } else {
                element.restrictions.days.iter().map(|day| vec![*day]).collect()
            };
            for component in &element.components {
                for days in &days {
                    let rules = Restrictions { days: days.clone(), ..element.restrictions.clone() };
                    rows.push(Row::of(rows.len(), component, &rules, face));
                }
            }
        }
        let price =
            |price: Option<Decimal>| Field::new(price.map(|price| price.normalize().to_string()).unwrap_or_default());
        Self {
            least: price(tariff.least),
            most: price(tariff.most),
            ..Self::with(&tariff.name, &tariff.currency, rows)
        }
    }

    pub(super) fn new(fields: &Fields) -> Self {
        let text = |key: &str| fields.get(key).cloned().unwrap_or_default();
        let row = |index: usize| {
            let key = |name: &str| format!("{name}-{index}");
            fields.contains_key(&key("price")).then(|| Row {
                index,
                kind: text(&key("kind")),
                days: text(&key("days")),
                texts: COLUMNS.iter().map(|column| text(&key(column.0))).collect(),
            })
        };
        Self {
            name: Field::new(text("name")),
            currency: Field::new(text("currency")),
            least: Field::new(text("least")),
            most: Field::new(text("most")),
            rows: (0..MOST_ROWS).map_while(row).collect(),
            kwh: Field::new(text("kwh")),
            minutes: Field::new(text("minutes")),
            parked: Field::new(text("parked")),
            began: Field::new(text("began")),
        }
    }

    /// What is wrong with the form, in sentences.
    pub(super) fn faults(&self) -> Vec<String> {
        let mut faults: Vec<String> = self.rows.iter().filter_map(|row| row.element().err()).collect();
        if self.elements().is_some_and(|elements| elements.is_empty()) {
            faults.push("No row has a price yet.".into());
        }
        if self.name.clone().words(80).is_none() {
            faults.push("Name: expected 1 to 80 characters.".into());
        }
        if self.currency.clone().words(8).is_none() {
            faults.push("Currency: expected 1 to 8 characters.".into());
        }
        for (name, field) in [("At least", &self.least), ("At most", &self.most)] {
            if !field.text.trim().is_empty() && decimal(&field.text, 0, MOST_PRICE).is_none() {
                faults.push(format!("{name}: “{}” does not work; expected 0 or more.", field.text));
            }
        }
        if self.stop(&TimeZone::UTC).is_none() {
            faults.push(
                "The typical stop: expected 0 to 500 kWh, 1 to 1440 min, 0 to 1440 min standing, and a time.".into(),
            );
        }
        faults
    }

    fn elements(&self) -> Option<Vec<Element>> {
        let elements: Result<Vec<Option<Element>>, String> = self.rows.iter().map(Row::element).collect();
        Some(elements.ok()?.into_iter().flatten().collect())
    }

    /// The tariff, when everything about it works.
    pub(super) fn tariff(&self) -> Option<Tariff> {
        let limit = |field: &Field| match field.text.trim() {
            "" => Some(None),
            text => decimal(text, 0, MOST_PRICE).map(Some),
        };
        Some(Tariff {
            name: self.name.clone().words(80)?,
            currency: self.currency.clone().words(8)?,
            elements: self.elements().filter(|elements| !elements.is_empty())?,
            least: limit(&self.least)?,
            most: limit(&self.most)?,
        })
    }

    /// The typical stop: when it began, by a zone's clock, and its periods.
    pub(super) fn stop(&self, zone: &TimeZone) -> Option<(ZonedDateTime, Vec<Period>)> {
        let number = |field: &Field, low: f64, high: f64| field.clone().number(low, high, "");
        let (kwh, minutes) = (number(&self.kwh, 0.0, 500.0)?, number(&self.minutes, 1.0, 1440.0)?);
        let parked = number(&self.parked, 0.0, 1440.0)?;
        let local: DateTime = self.began.text.trim().parse().ok()?;
        let began = local.to_zoned_datetime(zone.clone()).ok()?;
        let period = |minutes: f64, kwh: f64, parking| Period {
            time: Minutes::new(minutes),
            energy: Energy::kwh(kwh),
            current: None,
            parking,
        };
        Some((began, vec![period(minutes, kwh, false), period(parked, 0.0, true)]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(pairs: &[(&str, &str)]) -> Fields {
        let usual = [
            ("name", "Night"),
            ("currency", "cr"),
            ("kwh", "30"),
            ("minutes", "20"),
            ("parked", "0"),
            ("began", "2026-11-20T23:00"),
        ];
        usual.iter().chain(pairs).map(|(key, value)| ((*key).to_string(), (*value).to_string())).collect()
    }

    #[test]
    fn rows_become_elements_and_rows_again() {
        let typed = fields(&[
            ("price-0", "0,30"),
            ("kind-0", "energy"),
            ("from-0", "22:00"),
            ("to-0", "06:00"),
            ("days-0", "Monday to Friday"),
            ("price-1", "0.5"),
            ("kind-1", "energy"),
            ("price-2", ""),
        ]);
        let tariff = TariffForm::new(&typed).tariff().unwrap();
        assert_eq!(tariff.elements.len(), 2);
        assert_eq!(tariff.elements[0].components[0].price, Decimal::new(30, 2));
        assert_eq!(tariff.elements[0].restrictions.days.len(), 5);
        let again = TariffForm::of(&tariff, ClockFace::Twelve);
        assert_eq!((again.rows.len(), again.tariff().unwrap()), (4, tariff));
    }

    #[test]
    fn what_does_not_work_is_named_by_its_row() {
        let wrong = TariffForm::new(&fields(&[("price-0", "0.3"), ("from-0", "late"), ("price-1", "x")]));
        assert!(wrong.tariff().is_none());
        let faults = wrong.faults();
        assert!(faults[0].starts_with("Row 1, from (time): “late” does not work; expected a time"), "{faults:?}");
        assert!(faults[1].starts_with("Row 2, Price: “x”"), "{faults:?}");
        let empty = TariffForm::new(&fields(&[("price-0", ""), ("minutes", "0")]));
        assert_eq!(empty.faults()[0], "No row has a price yet.");
        assert!(empty.faults()[1].starts_with("The typical stop"));
    }

    #[test]
    fn odd_days_become_a_row_each() {
        let mut tariff = Tariff::simple("t", "cr", Decimal::ONE, Decimal::ZERO, Decimal::ZERO);
        tariff.elements[0].restrictions.days = vec![Weekday::Monday, Weekday::Thursday];
        let form = TariffForm::of(&tariff, ClockFace::Twelve);
        assert_eq!(form.rows.len(), 2 + BLANK_ROWS);
        assert_eq!(form.tariff().unwrap().elements[1].restrictions.days, [Weekday::Thursday]);
    }
}
