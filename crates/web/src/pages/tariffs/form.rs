//! The form of a tariff: rows of prices with when they count, and a typical stop, as they were typed.

use jiff::ZonedDateTime;
use jiff::civil::{DateTime, Time, Weekday};
use jiff::tz::TimeZone;
use rust_decimal::Decimal;
use spare_hour_core::money::receipt::Period;
use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
use spare_hour_core::money::tariff_check::{CURRENT, DURATION, ENERGY, MOST_PRICE, POWER};
use spare_hour_core::quantity::units::ClockFace;
use spare_hour_core::quantity::{Current, Energy, Minutes, Power};

use super::Fields;
use crate::forms::field::Field;
use crate::forms::seen::mark;

/// Rows of a form at most.
const MOST_ROWS: usize = 40;
/// Empty rows below the others.
const BLANK_ROWS: usize = 2;

/// The columns of a row that are typed: key, label.
const COLUMNS: [(&str, &str); 16] = [
    ("price", "Price"),
    ("step", "block, Wh/s"),
    ("vat", "VAT, %"),
    ("from", "from (time)"),
    ("to", "to (time)"),
    ("from_min", "from minute"),
    ("to_min", "to minute"),
    ("idle_min", "idle from, min"),
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
    /// The columns, in their order.
    cells: Vec<Field>,
}

/// A typed column of a row: the name of its field, its label, what stands in it.
pub(super) struct Cell<'a> {
    pub(super) key: String,
    pub(super) label: &'static str,
    pub(super) field: &'a Field,
}

/// The form, as it was typed.
#[derive(Clone, Debug)]
pub(super) struct TariffForm {
    /// How the tariff was when the form was shown; empty for a new one.
    pub(super) seen: String,
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
    /// What they say, where all of them work.
    tariff: Option<Tariff>,
    stop: Option<(DateTime, Vec<Period>)>,
}

/// Minutes after midnight as a time of day.
fn time_of_day(minutes: u32) -> Option<Time> {
    Time::new((minutes / 60) as i8, (minutes % 60) as i8, 0, 0).ok()
}

impl Row {
    fn new(index: usize, kind: &str, days: &str, texts: Vec<String>) -> Self {
        let cells = texts.into_iter().map(Field::new).collect();
        Self { index, kind: kind.into(), days: days.into(), cells }
    }

    fn blank(index: usize) -> Self {
        Self::new(index, "energy", DAYS[0].0, vec![String::new(); COLUMNS.len()])
    }

    fn cell(&mut self, key: &str) -> &mut Field {
        let index = COLUMNS.iter().position(|column| column.0 == key).unwrap_or_default();
        &mut self.cells[index]
    }

    /// The typed columns.
    pub(super) fn columns(&self) -> Vec<Cell<'_>> {
        let cell = |(&(key, label), field)| Cell { key: format!("{key}-{}", self.index), label, field };
        COLUMNS.iter().zip(&self.cells).map(cell).collect()
    }

    /// Whether more than a price is typed.
    pub(super) fn is_limited(&self) -> bool {
        self.cells.iter().skip(1).any(|cell| !cell.text.trim().is_empty())
    }

    pub(super) fn kinds(&self) -> Vec<(&'static str, &'static str, bool)> {
        KINDS.iter().map(|(word, name, _)| (*word, *name, *word == self.kind)).collect()
    }

    pub(super) fn days(&self) -> Vec<(&'static str, bool)> {
        DAYS.iter().map(|(name, _)| (*name, *name == self.days)).collect()
    }

    /// The element of a row; nothing of a row without a price, or with a fault, which its field then says.
    fn element(&mut self) -> Option<Element> {
        if self.cell("price").text.trim().is_empty() {
            return None;
        }
        let price = self.cell("price").decimal(0, MOST_PRICE, "0 or more");
        let vat = self.cell("vat").decimal(0, 100, "0 to 100 %");
        let step = self.cell("step").number(0.0, 1e6, "Wh or s").map_or(1, |step| step.round().max(1.0) as u32);
        let kind = KINDS.iter().find(|kind| kind.0 == self.kind).map_or(Kind::Energy, |kind| kind.2);
        let days = DAYS.iter().find(|days| days.0 == self.days).map(|days| days.1.to_vec()).unwrap_or_default();
        let restrictions = Restrictions {
            from_time: self.cell("from").time().and_then(time_of_day),
            to_time: self.cell("to").time().and_then(time_of_day),
            from_date: self.cell("from_date").day(),
            to_date: self.cell("to_date").day(),
            days,
            least_energy: self.cell("from_kwh").number_in(ENERGY).map(Energy::kwh),
            most_energy: self.cell("to_kwh").number_in(ENERGY).map(Energy::kwh),
            least_power: self.cell("from_kw").number_in(POWER).map(Power::kw),
            most_power: self.cell("to_kw").number_in(POWER).map(Power::kw),
            least_current: self.cell("from_a").number_in(CURRENT).map(Current::amps),
            most_current: self.cell("to_a").number_in(CURRENT).map(Current::amps),
            least_duration: self.cell("from_min").number_in(DURATION).map(Minutes::new),
            most_duration: self.cell("to_min").number_in(DURATION).map(Minutes::new),
            least_parking: self.cell("idle_min").number_in(DURATION).map(Minutes::new),
        };
        let components = vec![Component { kind, price: price?, vat, step }];
        self.cells.iter().all(|cell| cell.fault.is_none()).then_some(Element { components, restrictions })
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
            number(rules.least_parking.map(Minutes::get)),
            number(rules.least_energy.map(Energy::get)),
            number(rules.most_energy.map(Energy::get)),
            number(rules.least_power.map(Power::get)),
            number(rules.most_power.map(Power::get)),
            number(rules.least_current.map(Current::get)),
            number(rules.most_current.map(Current::get)),
            day(rules.from_date),
            day(rules.to_date),
        ];
        Self::new(index, kind, days, texts)
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
            seen: String::new(),
            name: field(name),
            currency: field(currency),
            least: field(""),
            most: field(""),
            rows,
            kwh: field("40"),
            minutes: field("25"),
            parked: field("0"),
            began: field("2026-11-27 17:30"),
            tariff: None,
            stop: None,
        }
    }

    /// The form with what its fields say.
    fn understood(mut self) -> Self {
        self.tariff = self.read();
        self.stop = self.read_stop();
        self
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
            seen: mark(tariff),
            least: price(tariff.least),
            most: price(tariff.most),
            ..Self::with(&tariff.name, &tariff.currency, rows)
        }
        .understood()
    }

    pub(super) fn new(fields: &Fields) -> Self {
        let text = |key: &str| fields.get(key).cloned().unwrap_or_default();
        let row = |index: usize| {
            let key = |name: &str| format!("{name}-{index}");
            let texts = || COLUMNS.iter().map(|column| text(&key(column.0))).collect();
            let typed = fields.contains_key(&key("price"));
            typed.then(|| Row::new(index, &text(&key("kind")), &text(&key("days")), texts()))
        };
        Self {
            seen: text("seen"),
            name: Field::new(text("name")),
            currency: Field::new(text("currency")),
            least: Field::new(text("least")),
            most: Field::new(text("most")),
            rows: (0..MOST_ROWS).map_while(row).collect(),
            kwh: Field::new(text("kwh")),
            minutes: Field::new(text("minutes")),
            parked: Field::new(text("parked")),
            began: Field::new(text("began")),
            tariff: None,
            stop: None,
        }
        .understood()
    }

    /// Reads the tariff out of the fields; each that does not work says so, and then there is none.
    fn read(&mut self) -> Option<Tariff> {
        let elements: Vec<Element> = self.rows.iter_mut().filter_map(Row::element).collect();
        let faulty = self.rows.iter().flat_map(|row| &row.cells).any(|cell| cell.fault.is_some());
        if let (true, Some(first)) = (elements.is_empty() && !faulty, self.rows.first_mut()) {
            first.cell("price").fault = Some("needed: no row has a price yet".into());
        }
        let (name, currency) = (self.name.words(80), self.currency.words(8));
        let least = self.least.decimal(0, MOST_PRICE, "0 or more");
        let most = self.most.decimal(0, MOST_PRICE, "0 or more");
        let works = !faulty && self.least.fault.is_none() && self.most.fault.is_none() && !elements.is_empty();
        let (name, currency) = (name?, currency?);
        let tariff = Tariff { name, currency, elements, least, most };
        (works && tariff.check().is_ok()).then_some(tariff)
    }

    /// The tariff, when everything about it works.
    pub(super) fn tariff(&self) -> Option<&Tariff> {
        self.tariff.as_ref()
    }

    /// The fields that do not work: name and what is wrong.
    pub(super) fn faults(&self) -> Vec<(String, String)> {
        let own = [("name", &self.name), ("currency", &self.currency), ("least", &self.least), ("most", &self.most)];
        let stop = [("kwh", &self.kwh), ("minutes", &self.minutes), ("parked", &self.parked), ("began", &self.began)];
        let own = own.into_iter().chain(stop).map(|(key, field)| (key.to_string(), field));
        let rows = self.rows.iter().flat_map(Row::columns).map(|cell| (cell.key, cell.field));
        own.chain(rows).filter_map(|(key, field)| Some((key, field.fault.clone()?))).collect()
    }

    /// The typical stop: when it began, by the clock on the wall, and its periods. Fields that do not work say so.
    fn read_stop(&mut self) -> Option<(DateTime, Vec<Period>)> {
        let kwh = self.kwh.required(0.0, 500.0, "kWh");
        let minutes = self.minutes.required(1.0, 1440.0, "minutes");
        let parked = self.parked.required(0.0, 1440.0, "minutes");
        let began = self.began.day_and_time();
        let period = |minutes: f64, kwh: f64, parking| Period {
            time: Minutes::new(minutes),
            energy: Energy::kwh(kwh),
            current: None,
            parking,
        };
        Some((began?, vec![period(minutes?, kwh?, false), period(parked?, 0.0, true)]))
    }

    /// The typical stop by a zone's clock, when everything about it works.
    pub(super) fn stop(&self, zone: &TimeZone) -> Option<(ZonedDateTime, &[Period])> {
        let (began, periods) = self.stop.as_ref()?;
        Some((began.to_zoned_datetime(zone.clone()).ok()?, periods))
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
        let tariff = TariffForm::new(&typed).tariff().unwrap().clone();
        assert_eq!(tariff.elements.len(), 2);
        assert_eq!(tariff.elements[0].components[0].price, Decimal::new(30, 2));
        assert_eq!(tariff.elements[0].restrictions.days.len(), 5);
        let again = TariffForm::of(&tariff, ClockFace::Twelve);
        assert_eq!((again.rows.len(), again.tariff().unwrap()), (4, &tariff));
    }

    #[test]
    fn what_does_not_work_is_said_beside_its_field() {
        let faults = |pairs: &[(&str, &str)]| {
            let form = TariffForm::new(&fields(pairs));
            assert!(form.tariff().is_none() || form.stop(&TimeZone::UTC).is_none());
            form.faults()
        };
        let wrong = faults(&[("price-0", "0.3"), ("from-0", "late"), ("price-1", "x")]);
        assert_eq!(wrong[0].0, "from-0");
        assert!(wrong[0].1.starts_with("“late” does not work; expected a time"), "{wrong:?}");
        assert_eq!(wrong[1], ("price-1".into(), "“x” does not work; expected 0 or more".into()));
        let empty = faults(&[("price-0", ""), ("minutes", "0")]);
        assert_eq!(empty[0].0, "minutes");
        assert_eq!(empty[1], ("price-0".into(), "needed: no row has a price yet".into()));
        assert_eq!(faults(&[("price-0", "1"), ("currency", "")])[0].0, "currency");
        // A row in which nothing was typed is no fault.
        assert!(TariffForm::new(&fields(&[("price-0", "1"), ("price-1", "")])).faults().is_empty());
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
