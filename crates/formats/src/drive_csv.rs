//! Drive CSV: one drive a row, with a header; docs/formats/drives.md lists the columns.

use std::collections::HashMap;

use csv::{ReaderBuilder, StringRecord, Writer};
use spare_hour_core::drive::{Drive, MOST_DRIVES, Used};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature};

use crate::number::parse_number;
use crate::session_csv::separator;
use crate::{FormatError, text_of};

/// Columns that hold numbers: name, unit, lowest, highest.
const COLUMNS: [(&str, &str, f64, f64); 13] = [
    ("km", "km", 0.1, 5_000.0),
    ("minutes", "min", 0.1, 10_000.0),
    ("kmh", "km/h", 1.0, 300.0),
    ("kwh", "kWh", -50.0, 500.0),
    ("soc_before", "%", 0.0, 100.0),
    ("soc_after", "%", 0.0, 100.0),
    ("outside_c", "°C", -60.0, 60.0),
    ("load_kg", "kg", 0.0, 2_000.0),
    ("headwind_kmh", "km/h", -150.0, 150.0),
    ("climb_m", "m", 0.0, 20_000.0),
    ("descent_m", "m", 0.0, 20_000.0),
    ("guess_kwh_per_100km", "kWh/100 km", 1.0, 200.0),
    ("heating_kw", "kW", 0.0, 20.0),
];
const TEXTS: [&str; 3] = ["day", "note", "left_out"];

/// Reads drives from the bytes of a CSV file.
///
/// # Errors
/// The first line that cannot be read, with what is expected there.
pub fn read_drives_csv(bytes: &[u8]) -> Result<Vec<Drive>, FormatError> {
    let text = text_of(bytes)?;
    let mut reader =
        ReaderBuilder::new().delimiter(separator(text)).flexible(true).has_headers(false).from_reader(text.as_bytes());
    let mut rows = reader.records();
    let Some(Ok(header)) = rows.next() else {
        return Err(FormatError::file("the file is empty; expected a header row with km, minutes and kwh"));
    };
    let at: HashMap<String, usize> =
        header.iter().enumerate().map(|(index, name)| (name.trim().to_lowercase(), index)).collect();
    for needed in [&["km"][..], &["minutes", "kmh"], &["kwh", "soc_before"]] {
        if !needed.iter().any(|name| at.contains_key(*name)) {
            let problem = format!(
                "has no column {}; expected km, minutes or kmh, kwh or soc_before and soc_after",
                needed.join(" or ")
            );
            return Err(FormatError::line(1, problem));
        }
    }
    let mut drives = Vec::new();
    for row in rows {
        let row = row.map_err(|error| FormatError::file(format!("cannot be read as CSV: {error}")))?;
        let line = row.position().map_or(0, |at| at.line() as usize);
        if row.iter().all(|field| field.trim().is_empty()) {
            continue;
        }
        if drives.len() == MOST_DRIVES {
            return Err(FormatError::line(line, format!("is one drive too many; expected at most {MOST_DRIVES}")));
        }
        drives.push(drive(&row, &at).map_err(|problem| FormatError::line(line, problem))?);
    }
    if drives.is_empty() {
        return Err(FormatError::line(1, "no drives after the header; expected one on each line"));
    }
    Ok(drives)
}

fn drive(row: &StringRecord, at: &HashMap<String, usize>) -> Result<Drive, String> {
    let field = |name: &str| at.get(name).and_then(|&index| row.get(index)).unwrap_or_default().trim();
    let mut numbers: [Option<f64>; 13] = [None; 13];
    for (number, (name, unit, low, high)) in numbers.iter_mut().zip(COLUMNS) {
        let text = field(name);
        if text.is_empty() {
            continue;
        }
        *number = parse_number(text, unit).filter(|number| (low..=high).contains(number));
        if number.is_none() {
            return Err(format!("{name} is \"{text}\"; expected {low} to {high} {unit}"));
        }
    }
    let [km, minutes, kmh, kwh, before, after, outside, load, wind, climb, descent, guess, heating] = numbers;
    let km = km.ok_or("km is empty; expected 0.1 to 5000 km")?;
    let minutes =
        minutes.or(kmh.map(|kmh| 60.0 * km / kmh)).ok_or("minutes and kmh are empty; expected one of them")?;
    let used = match (kwh, before, after) {
        (Some(kwh), ..) => Used::Energy(Energy::kwh(kwh)),
        (None, Some(before), Some(after)) => Used::Soc(Soc::percent(before), Soc::percent(after)),
        _ => return Err("kwh is empty, and so is soc_before or soc_after; expected energy or both".into()),
    };
    let [day, note, left_out] = TEXTS.map(|name| Some(field(name).to_string()).filter(|text| !text.is_empty()));
    Ok(Drive {
        day: day.map(|day| valid_day(&day)).transpose()?,
        outside: outside.map(Temperature::celsius),
        load: load.map(Mass::kg),
        headwind: wind.map(Speed::kmh),
        climb: climb.map(Height::metres),
        descent: descent.map(Height::metres),
        guess: guess.map(Consumption::kwh_per_100km),
        heating: heating.map(Power::kw),
        note,
        left_out,
        ..Drive::new(Distance::km(km), Minutes::new(minutes), used)
    })
}

fn valid_day(text: &str) -> Result<String, String> {
    let day: Result<jiff::civil::Date, _> = text.parse();
    day.map(|day| day.to_string()).map_err(|_| format!("day is \"{text}\"; expected such as 2026-05-01"))
}

/// Writes drives as CSV.
pub fn write_drives_csv(drives: &[Drive]) -> String {
    let mut writer = Writer::from_writer(Vec::new());
    // Writing to memory cannot fail; a row that did would be missing, not wrong.
    let columns = COLUMNS.iter().map(|column| column.0).filter(|name| *name != "kmh");
    let _ = writer.write_record(["day"].into_iter().chain(columns).chain(["note", "left_out"]));
    for drive in drives {
        let (kwh, before, after) = match drive.used {
            Used::Energy(energy) => (Some(energy.get()), None, None),
            Used::Soc(before, after) => (None, Some(before.get()), Some(after.get())),
        };
        let numbers = [
            Some(drive.distance.get()),
            Some(drive.time.get()),
            kwh,
            before,
            after,
            drive.outside.map(Temperature::get),
            drive.load.map(Mass::get),
            drive.headwind.map(Speed::get),
            drive.climb.map(Height::get),
            drive.descent.map(Height::get),
            drive.guess.map(Consumption::get),
            drive.heating.map(Power::get),
        ];
        let numbers = numbers.map(|number| number.map_or_else(String::new, |number| number.to_string()));
        let text = |text: &Option<String>| text.clone().unwrap_or_default();
        let _ = writer.write_record(
            [text(&drive.day)].into_iter().chain(numbers).chain([text(&drive.note), text(&drive.left_out)]),
        );
    }
    String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_back() {
        let text = "day;KM;kmh;soc_before;soc_after;outside_c;climb_m;descent_m;note\n2026-05-01;182,5;109,5;88;52;-7;640;310;\"wet; windy\"\n;40;80;90;82;;;;\n";
        let drives = read_drives_csv(text.as_bytes()).unwrap();
        assert_eq!((drives.len(), drives[0].time.get()), (2, 100.0));
        assert_eq!(drives[0].note.as_deref(), Some("wet; windy"));
        assert_eq!(read_drives_csv(write_drives_csv(&drives).as_bytes()).unwrap(), drives);
        let full = Drive {
            guess: Some(Consumption::kwh_per_100km(17.0)),
            heating: Some(Power::kw(1.5)),
            headwind: Some(Speed::kmh(-12.0)),
            load: Some(Mass::kg(200.0)),
            left_out: Some("trailer".into()),
            used: Used::Energy(Energy::kwh(8.2)),
            ..drives[0].clone()
        };
        assert_eq!(read_drives_csv(write_drives_csv(std::slice::from_ref(&full)).as_bytes()).unwrap(), [full]);
    }

    #[test]
    fn names_the_line_and_what_is_expected() {
        for (text, part) in [
            ("", "the file is empty"),
            ("km,kwh\n", "no column minutes or kmh"),
            ("km,minutes,kwh\n", "no drives after the header"),
            ("km,minutes,kwh\n50,30,9\n50,x,9\n", "line 3: minutes is \"x\"; expected 0.1 to 10000 min"),
            ("km,minutes,kwh\n50,30,\n", "line 2: kwh is empty"),
            ("km,minutes,kwh,day\n50,30,9,May\n", "line 2: day is \"May\""),
            ("km,minutes,kwh\n,30,9\n", "line 2: km is empty"),
        ] {
            let error = read_drives_csv(text.as_bytes()).unwrap_err().to_string();
            assert!(error.contains(part), "{text}: {error}");
        }
    }
}
