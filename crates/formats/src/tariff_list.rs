//! Tariffs as a table, a price component a row: the names of OCPI 2.2.1 are its columns (recalled from memory). Rows of one
//! tariff and one element number belong together, in the order they stand in.

use serde_json::{Map, Value, json};
use spare_hour_core::money::tariff::Tariff;

use crate::table::{Column, ListFormat, NewRow, Row, number, of_number, of_text, read_table, text, told_apart};
use crate::{FormatError, read_tariffs, write_tariff};

/// Most rows of a list.
const MOST_ROWS: usize = 20_000;
/// Restrictions that are numbers, in their order; durations in seconds.
const LIMITS: [&str; 9] = [
    "min_kwh",
    "max_kwh",
    "min_current",
    "max_current",
    "min_power",
    "max_power",
    "min_duration",
    "max_duration",
    "min_parking_duration",
];
/// Restrictions that are texts.
const TIMES: [&str; 4] = ["start_time", "end_time", "start_date", "end_date"];
const COLUMNS: [Column; 23] = {
    const fn limit(name: &'static str) -> Column {
        number(name, "", 0.0, 1e9)
    }
    [
        text("tariff"),
        text("currency"),
        text("min_price"),
        text("max_price"),
        number("element", "", 1.0, 10_000.0),
        text("type"),
        text("price"),
        text("vat"),
        number("step_size", "", 0.0, 1e9),
        text(TIMES[0]),
        text(TIMES[1]),
        text(TIMES[2]),
        text(TIMES[3]),
        limit(LIMITS[0]),
        limit(LIMITS[1]),
        limit(LIMITS[2]),
        limit(LIMITS[3]),
        limit(LIMITS[4]),
        limit(LIMITS[5]),
        limit(LIMITS[6]),
        limit(LIMITS[7]),
        limit(LIMITS[8]),
        text("day_of_week"),
    ]
};

/// Writes tariffs as a table.
pub fn write_tariff_table(tariffs: &[Tariff]) -> String {
    let names = told_apart(tariffs.iter().map(|tariff| tariff.name.as_str()));
    let named = names.into_iter().zip(tariffs).map(|(name, tariff)| Tariff { name, ..tariff.clone() });
    ListFormat::Csv.write(&COLUMNS, &named.flat_map(|tariff| rows(&tariff)).collect::<Vec<_>>())
}

fn rows(tariff: &Tariff) -> Vec<NewRow> {
    let file: Value = serde_json::from_str(&write_tariff(tariff, &tariff.name)).unwrap_or_default();
    let mut rows = Vec::new();
    for (index, element) in file["elements"].as_array().into_iter().flatten().enumerate() {
        for component in element["price_components"].as_array().into_iter().flatten() {
            rows.push(row(tariff, &file, (index + 1, element), component));
        }
    }
    rows
}

fn row(tariff: &Tariff, file: &Value, (number, element): (usize, &Value), component: &Value) -> NewRow {
    let digits = |value: &Value| value.is_number().then(|| value.to_string());
    let rules = &element["restrictions"];
    let days = rules["day_of_week"].as_array();
    let days = days.map(|days| days.iter().filter_map(Value::as_str).collect::<Vec<_>>().join(" "));
    let mut row = vec![
        of_text(Some(tariff.name.clone())),
        of_text(Some(tariff.currency.clone())),
        of_text(digits(&file["min_price"]["excl_vat"])),
        of_text(digits(&file["max_price"]["excl_vat"])),
        of_number(Some(number as f64)),
        of_text(component["type"].as_str().map(String::from)),
        of_text(digits(&component["price"])),
        of_text(digits(&component["vat"])),
        of_number(component["step_size"].as_f64()),
    ];
    row.extend(TIMES.map(|name| of_text(rules[name].as_str().map(String::from))));
    row.extend(LIMITS.map(|name| of_number(rules[name].as_f64())));
    row.push(of_text(days));
    row
}

/// Reads tariffs from the bytes of such a table.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_tariff_table(bytes: &[u8]) -> Result<Vec<Tariff>, FormatError> {
    let needed: [&[&str]; 4] = [&["tariff"], &["currency"], &["type"], &["price"]];
    let rows = read_table(bytes, &COLUMNS, &needed, MOST_ROWS)?;
    let mut tariffs: Vec<(String, Vec<&Row>)> = Vec::new();
    for row in &rows {
        let name = row.text("tariff").ok_or_else(|| row.wrong("tariff is empty; expected its name"))?;
        match tariffs.iter_mut().find(|known| known.0 == name) {
            Some(known) => known.1.push(row),
            None => tariffs.push((name, vec![row])),
        }
    }
    tariffs.iter().map(|(name, rows)| tariff(name, rows)).collect()
}

fn tariff(name: &str, rows: &[&Row]) -> Result<Tariff, FormatError> {
    let first = rows[0];
    let mut elements: Vec<(f64, Map<String, Value>, Vec<Value>)> = Vec::new();
    for row in rows {
        let number = row.number("element").unwrap_or(1.0);
        let component = component(row)?;
        match elements.iter_mut().find(|known| known.0.total_cmp(&number).is_eq()) {
            Some(known) => known.2.push(component),
            None => elements.push((number, restrictions(row), vec![component])),
        }
    }
    let element = |(_, rules, components)| json!({ "price_components": Value::Array(components), "restrictions": Value::Object(rules) });
    let elements: Vec<Value> = elements.into_iter().map(element).collect();
    let mut file = json!({
        "id": name,
        "currency": first.text("currency").ok_or_else(|| first.wrong("currency is empty; expected such as EUR"))?,
        "elements": elements,
    });
    for limit in ["min_price", "max_price"] {
        if let Some(amount) = amount(first, limit)? {
            file[limit] = json!({ "excl_vat": amount });
        }
    }
    let read = read_tariffs(file.to_string().as_bytes())
        .map_err(|error| first.wrong(format!("the tariff “{name}” that begins here: {error}")))?;
    read.into_iter().next().ok_or_else(|| first.wrong("holds no tariff"))
}

fn component(row: &Row) -> Result<Value, FormatError> {
    let price = amount(row, "price")?.ok_or_else(|| row.wrong("price is empty; expected a number"))?;
    let kind =
        row.text("type").ok_or_else(|| row.wrong("type is empty; expected ENERGY, FLAT, PARKING_TIME or TIME"))?;
    let step = row.number("step_size").unwrap_or(1.0) as u32;
    let mut component = json!({ "type": kind, "price": price, "step_size": step });
    if let Some(vat) = amount(row, "vat")? {
        component["vat"] = vat;
    }
    Ok(component)
}

/// A price, digit for digit.
fn amount(row: &Row, name: &str) -> Result<Option<Value>, FormatError> {
    let Some(text) = row.text(name) else { return Ok(None) };
    match text.replace(',', ".").parse::<serde_json::Number>() {
        Ok(number) => Ok(Some(Value::Number(number))),
        Err(_) => Err(row.wrong(format!("{name} is \"{text}\"; expected a number such as 0.59"))),
    }
}

fn restrictions(row: &Row) -> Map<String, Value> {
    let mut rules = Map::new();
    for name in TIMES {
        rules.extend(row.text(name).map(|text| (name.to_string(), Value::from(text))));
    }
    for name in LIMITS {
        rules.extend(row.number(name).map(|number| (name.to_string(), Value::from(number))));
    }
    let days = row.text("day_of_week").unwrap_or_default();
    let days: Vec<Value> = days.split_whitespace().map(Value::from).collect();
    if !days.is_empty() {
        rules.insert("day_of_week".into(), days.into());
    }
    rules
}

#[cfg(test)]
mod tests {
    use super::*;

    const TARIFFS: &str = r#"[{"id": "Ostrel, by night cheaper", "currency": "EUR", "max_price": {"excl_vat": 60.50}, "elements": [
        {"price_components": [{"type": "ENERGY", "price": 0.295, "vat": 20.0, "step_size": 1}, {"type": "FLAT", "price": 0.5, "step_size": 1}],
         "restrictions": {"start_time": "22:00", "end_time": "06:00", "start_date": "2026-11-01", "day_of_week": ["FRIDAY", "SATURDAY"], "min_kwh": 10, "max_duration": 3600, "min_parking_duration": 600}},
        {"price_components": [{"type": "TIME", "price": 19.8, "step_size": 60}], "restrictions": {"min_power": 50}}]},
        {"id": "Halm", "currency": "cr", "elements": [{"price_components": [{"type": "ENERGY", "price": 0.6, "step_size": 1}]}]}]"#;

    #[test]
    fn a_table_holds_what_the_objects_hold() {
        let tariffs = read_tariffs(TARIFFS.as_bytes()).unwrap();
        let table = write_tariff_table(&tariffs);
        assert_eq!(table.lines().count(), 5);
        assert_eq!(read_tariff_table(table.as_bytes()).unwrap(), tariffs);
        let twice = write_tariff_table(&[tariffs[0].clone(), tariffs[0].clone()]);
        assert_eq!(read_tariff_table(twice.as_bytes()).unwrap()[1].name, "Ostrel, by night cheaper (2)");
        let short = "tariff;currency;type;price\nx;EUR;ENERGY;0,59\n";
        assert_eq!(read_tariff_table(short.as_bytes()).unwrap()[0].elements[0].components[0].price.to_string(), "0.59");
    }

    #[test]
    fn names_the_place_and_what_is_expected() {
        for (row, part) in [
            (",EUR,ENERGY,1,", "line 2: tariff is empty"),
            ("x,,ENERGY,1,", "line 2: currency is empty"),
            ("x,EUR,ENERGY,much,", "line 2: price is \"much\""),
            ("x,EUR,SMILES,1,", "line 2: the tariff “x” that begins here: elements[0].price_components[0].type"),
            ("x,EUR,ENERGY,1,noon", "line 2: the tariff “x” that begins here: elements[0].restrictions.start_time"),
        ] {
            let error = read_tariff_table(format!("tariff,currency,type,price,start_time\n{row}\n").as_bytes());
            let error = error.unwrap_err().to_string();
            assert!(error.starts_with(part), "{error}");
        }
    }
}
