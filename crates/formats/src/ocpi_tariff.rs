//! OCPI 2.2.1 tariff objects (tariffs module; field names recalled from memory), one or a list. What is not known here is
//! refused by name, so that no price is lost in silence.

use jiff::civil::{Date, Time, Weekday};
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};
use spare_hour_core::money::tariff::{Component, Element, Kind, Restrictions, Tariff};
use spare_hour_core::money::tariff_check::MOST_PRICE;
use spare_hour_core::quantity::{Current, Energy, Minutes, Power};

use crate::{FormatError, text_of};

#[derive(Deserialize, Serialize)]
struct TariffFile {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    country_code: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    party_id: Option<String>,
    id: String,
    currency: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    tariff_alt_text: Vec<Text>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_price: Option<Price>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max_price: Option<Price>,
    elements: Vec<ElementFile>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    last_updated: Option<String>,
}

#[derive(Deserialize, Serialize)]
struct Text {
    language: String,
    text: String,
}

#[derive(Deserialize, Serialize)]
struct Price {
    excl_vat: Number,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    incl_vat: Option<Number>,
}

#[derive(Deserialize, Serialize)]
struct ElementFile {
    price_components: Vec<ComponentFile>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    restrictions: Option<RestrictionsFile>,
}

#[derive(Deserialize, Serialize)]
struct ComponentFile {
    #[serde(rename = "type")]
    kind: String,
    price: Number,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    vat: Option<Number>,
    step_size: u32,
}

#[derive(Default, Deserialize, PartialEq, Serialize)]
#[serde(deny_unknown_fields)]
struct RestrictionsFile {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    start_time: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    end_time: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    start_date: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    end_date: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_kwh: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max_kwh: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_current: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max_current: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_power: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max_power: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_duration: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max_duration: Option<f64>,
    /// Our own: seconds since charging ended, a grace before an idle fee.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min_parking_duration: Option<f64>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    day_of_week: Vec<String>,
}

/// A price as it stands in the file, digit for digit.
type Number = serde_json::Number;

/// Reads tariffs from the bytes of a JSON file.
///
/// # Errors
/// The first place that is wrong, with what is expected there.
pub fn read_tariffs(bytes: &[u8]) -> Result<Vec<Tariff>, FormatError> {
    let text = text_of(bytes)?;
    let is_list = text.trim_start().starts_with('[');
    let reader = &mut serde_json::Deserializer::from_str(text);
    let wrong = |error: serde_path_to_error::Error<serde_json::Error>| {
        FormatError::path(error.path().to_string(), error.inner().to_string())
    };
    let files: Vec<TariffFile> = if is_list {
        serde_path_to_error::deserialize(reader).map_err(wrong)?
    } else {
        vec![serde_path_to_error::deserialize(reader).map_err(wrong)?]
    };
    let place = |index: usize| if is_list { format!("[{index}].") } else { String::new() };
    files.into_iter().enumerate().map(|(index, file)| tariff(file, &place(index))).collect()
}

fn tariff(file: TariffFile, place: &str) -> Result<Tariff, FormatError> {
    let elements: Result<Vec<Element>, FormatError> = file
        .elements
        .into_iter()
        .enumerate()
        .map(|(index, element)| self::element(element, &format!("{place}elements[{index}]")))
        .collect();
    let limit = |price: Option<Price>, name: &str| {
        price.map(|price| amount(&price.excl_vat, &format!("{place}{name}.excl_vat"))).transpose()
    };
    let tariff = Tariff {
        name: file.tariff_alt_text.into_iter().next().map_or(file.id, |text| text.text),
        currency: file.currency,
        elements: elements?,
        least: limit(file.min_price, "min_price")?,
        most: limit(file.max_price, "max_price")?,
    };
    tariff.check().map_err(|error| FormatError::refused(place, &error))?;
    Ok(tariff)
}

fn element(file: ElementFile, place: &str) -> Result<Element, FormatError> {
    let component =
        |(index, file): (usize, ComponentFile)| component(file, &format!("{place}.price_components[{index}]"));
    let components: Result<Vec<Component>, FormatError> =
        file.price_components.into_iter().enumerate().map(component).collect();
    let restrictions = restrictions(file.restrictions.unwrap_or_default(), &format!("{place}.restrictions"))?;
    Ok(Element { components: components?, restrictions })
}

fn component(file: ComponentFile, place: &str) -> Result<Component, FormatError> {
    let kind = match file.kind.as_str() {
        "FLAT" => Kind::Flat,
        "ENERGY" => Kind::Energy,
        "TIME" => Kind::Time,
        "PARKING_TIME" => Kind::Parking,
        other => {
            let problem = format!("is \"{other}\"; expected ENERGY, FLAT, PARKING_TIME or TIME");
            return Err(FormatError::path(format!("{place}.type"), problem));
        }
    };
    let vat = file.vat.map(|vat| amount(&vat, &format!("{place}.vat"))).transpose()?;
    Ok(Component { kind, price: amount(&file.price, &format!("{place}.price"))?, vat, step: file.step_size.max(1) })
}

fn amount(number: &Number, place: &str) -> Result<Decimal, FormatError> {
    let text = number.to_string();
    let parsed = text.parse::<Decimal>().or_else(|_| Decimal::from_scientific(&text)).ok();
    parsed
        .filter(|amount| !amount.is_sign_negative() && *amount <= Decimal::from(MOST_PRICE))
        .ok_or_else(|| FormatError::path(place, format!("is {text}; expected 0 to {MOST_PRICE}")))
}

fn restrictions(file: RestrictionsFile, place: &str) -> Result<Restrictions, FormatError> {
    let time = |text: Option<String>, name: &str| {
        let parse = |text: String| {
            text.parse::<Time>()
                .map_err(|_| FormatError::path(format!("{place}.{name}"), format!("is \"{text}\"; expected hh:mm")))
        };
        text.map(parse).transpose()
    };
    let date = |text: Option<String>, name: &str| {
        let parse = |text: String| {
            text.parse::<Date>().map_err(|_| {
                FormatError::path(format!("{place}.{name}"), format!("is \"{text}\"; expected yyyy-mm-dd"))
            })
        };
        text.map(parse).transpose()
    };
    let days: Result<Vec<Weekday>, FormatError> = file
        .day_of_week
        .iter()
        .map(|word| {
            weekday(word).ok_or_else(|| {
                FormatError::path(format!("{place}.day_of_week"), format!("is \"{word}\"; expected MONDAY to SUNDAY"))
            })
        })
        .collect();
    Ok(Restrictions {
        from_time: time(file.start_time, "start_time")?,
        to_time: time(file.end_time, "end_time")?,
        from_date: date(file.start_date, "start_date")?,
        to_date: date(file.end_date, "end_date")?,
        days: days?,
        least_energy: file.min_kwh.map(Energy::kwh),
        most_energy: file.max_kwh.map(Energy::kwh),
        least_power: file.min_power.map(Power::kw),
        most_power: file.max_power.map(Power::kw),
        least_current: file.min_current.map(Current::amps),
        most_current: file.max_current.map(Current::amps),
        least_duration: file.min_duration.map(Minutes::seconds),
        most_duration: file.max_duration.map(Minutes::seconds),
        least_parking: file.min_parking_duration.map(Minutes::seconds),
    })
}

const DAYS: [(&str, Weekday); 7] = [
    ("MONDAY", Weekday::Monday),
    ("TUESDAY", Weekday::Tuesday),
    ("WEDNESDAY", Weekday::Wednesday),
    ("THURSDAY", Weekday::Thursday),
    ("FRIDAY", Weekday::Friday),
    ("SATURDAY", Weekday::Saturday),
    ("SUNDAY", Weekday::Sunday),
];

fn weekday(word: &str) -> Option<Weekday> {
    DAYS.iter().find(|day| day.0 == word).map(|day| day.1)
}

/// Writes a tariff as an OCPI object with an id.
pub fn write_tariff(tariff: &Tariff, id: &str) -> String {
    let price = |amount: Decimal| Price { excl_vat: number(amount), incl_vat: None };
    let file = TariffFile {
        country_code: None,
        party_id: None,
        id: id.into(),
        currency: tariff.currency.clone(),
        tariff_alt_text: vec![Text { language: "en".into(), text: tariff.name.clone() }],
        min_price: tariff.least.map(price),
        max_price: tariff.most.map(price),
        elements: tariff.elements.iter().map(element_file).collect(),
        last_updated: None,
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

fn number(amount: Decimal) -> Number {
    // A decimal is written plainly, which is a number of JSON.
    amount.normalize().to_string().parse().unwrap_or_else(|_| Number::from(0))
}

fn element_file(element: &Element) -> ElementFile {
    let component = |component: &Component| ComponentFile {
        kind: match component.kind {
            Kind::Flat => "FLAT",
            Kind::Energy => "ENERGY",
            Kind::Time => "TIME",
            Kind::Parking => "PARKING_TIME",
        }
        .into(),
        price: number(component.price),
        vat: component.vat.map(number),
        step_size: component.step,
    };
    let rules = &element.restrictions;
    let clock = |time: Time| time.strftime("%H:%M").to_string();
    let seconds = |minutes: Minutes| (minutes.get() * 60.0).round();
    let day = |day: &Weekday| DAYS.iter().find(|each| each.1 == *day).map(|each| each.0.to_string());
    let restrictions = RestrictionsFile {
        start_time: rules.from_time.map(clock),
        end_time: rules.to_time.map(clock),
        start_date: rules.from_date.map(|date| date.to_string()),
        end_date: rules.to_date.map(|date| date.to_string()),
        min_kwh: rules.least_energy.map(Energy::get),
        max_kwh: rules.most_energy.map(Energy::get),
        min_current: rules.least_current.map(Current::get),
        max_current: rules.most_current.map(Current::get),
        min_power: rules.least_power.map(Power::get),
        max_power: rules.most_power.map(Power::get),
        min_duration: rules.least_duration.map(seconds),
        max_duration: rules.most_duration.map(seconds),
        min_parking_duration: rules.least_parking.map(seconds),
        day_of_week: rules.days.iter().filter_map(day).collect(),
    };
    let restricted = restrictions != RestrictionsFile::default();
    ElementFile {
        price_components: element.components.iter().map(component).collect(),
        restrictions: restricted.then_some(restrictions),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const TARIFF: &str = r#"{
        "country_code": "XX", "party_id": "OST", "id": "12", "currency": "EUR", "type": "REGULAR",
        "tariff_alt_text": [{"language": "en", "text": "Ostrel, by night cheaper"}],
        "max_price": {"excl_vat": 60.5},
        "elements": [
            {"price_components": [{"type": "ENERGY", "price": 0.295, "vat": 20.0, "step_size": 1}],
             "restrictions": {"start_time": "22:00", "end_time": "06:00", "day_of_week": ["FRIDAY", "SATURDAY"], "max_power": 50.0}},
            {"price_components": [{"type": "FLAT", "price": 1, "step_size": 1}, {"type": "ENERGY", "price": 0.59, "step_size": 100}]},
            {"price_components": [{"type": "PARKING_TIME", "price": 12.0, "step_size": 60}], "restrictions": {"min_duration": 3600}}
        ],
        "last_updated": "2026-05-01T00:00:00Z"
    }"#;

    #[test]
    fn a_tariff_is_read_and_written() {
        let tariff = read_tariffs(TARIFF.as_bytes()).unwrap().remove(0);
        assert_eq!((tariff.name.as_str(), tariff.elements.len()), ("Ostrel, by night cheaper", 3));
        let night = &tariff.elements[0];
        assert_eq!(night.components[0].price, Decimal::new(295, 3));
        assert_eq!(night.restrictions.days, [Weekday::Friday, Weekday::Saturday]);
        assert_eq!(tariff.elements[2].restrictions.least_duration, Some(Minutes::new(60.0)));
        assert_eq!(tariff.most, Some(Decimal::new(605, 1)));
        assert_eq!(read_tariffs(write_tariff(&tariff, "x").as_bytes()).unwrap(), std::slice::from_ref(&tariff));
        let list = format!("[{}, {}]", TARIFF, write_tariff(&tariff, "y"));
        assert_eq!(read_tariffs(list.as_bytes()).unwrap(), [tariff.clone(), tariff]);
    }

    #[test]
    fn names_the_place_and_what_is_expected() {
        for (from, to, part) in [
            ("\"FLAT\"", "\"TIP\"", "elements[1].price_components[0].type: is \"TIP\"; expected ENERGY"),
            ("0.59", "-1", "elements[1].price_components[1].price: is -1; expected 0 to"),
            ("22:00", "late", "elements[0].restrictions.start_time: is \"late\"; expected hh:mm"),
            ("FRIDAY", "FREITAG", "day_of_week: is \"FREITAG\""),
            ("min_duration", "min_patience", "unknown field `min_patience`"),
            ("\"currency\": \"EUR\",", "", "missing field `currency`"),
        ] {
            let error = read_tariffs(TARIFF.replace(from, to).as_bytes()).unwrap_err().to_string();
            assert!(error.contains(part), "{to}: {error}");
        }
        assert!(
            read_tariffs(b"{\"id\":\"a\",\"currency\":\"c\",\"elements\":[]}")
                .unwrap_err()
                .to_string()
                .contains("0 elements")
        );
    }

    proptest! {
        #[test]
        fn never_panics(text in "\\PC{0,60}") {
            let _ = read_tariffs(text.as_bytes());
        }
    }
}
