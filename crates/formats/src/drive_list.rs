//! Lists of drives, one a row; docs/formats/drives.md lists the columns.

use spare_hour_core::driving::drive::{Drive, MOST_DRIVES, Used};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Height, Mass, Minutes, Power, Soc, Speed, Temperature};

use crate::FormatError;
use crate::table::{Column, ListFormat, NewRow, Row, number, of_number, of_text, read_table, text};

const KM: Column = number("km", "km", 0.1, 1_000_000.0);
/// Columns that are read and written, in order.
const COLUMNS: [Column; 15] = [
    text("day"),
    KM,
    number("minutes", "min", 0.1, 10_000.0),
    number("kwh", "kWh", -50.0, 500_000.0),
    number("soc_before", "%", 0.0, 100.0),
    number("soc_after", "%", 0.0, 100.0),
    number("outside_c", "°C", -60.0, 60.0),
    number("load_kg", "kg", 0.0, 2_000.0),
    number("headwind_kmh", "km/h", -150.0, 150.0),
    number("climb_m", "m", 0.0, 20_000.0),
    number("descent_m", "m", 0.0, 20_000.0),
    number("guess_kwh_per_100km", "kWh/100 km", 1.0, 200.0),
    number("heating_kw", "kW", 0.0, 20.0),
    text("note"),
    text("left_out"),
];
/// The same with the speed, which is read in place of the minutes.
const READ: [Column; 16] = {
    let mut columns = [number("kmh", "km/h", 1.0, 300.0); 16];
    let mut index = 0;
    while index < COLUMNS.len() {
        columns[index] = COLUMNS[index];
        index += 1;
    }
    columns
};

/// Reads drives from the bytes of a CSV or JSON file.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_drives(bytes: &[u8]) -> Result<Vec<Drive>, FormatError> {
    let needed: [&[&str]; 2] = [&["km"], &["kwh", "soc_before"]];
    read_table(bytes, &READ, &needed, MOST_DRIVES)?.iter().map(drive).collect()
}

fn drive(row: &Row) -> Result<Drive, FormatError> {
    let km = row.needed(&KM)?;
    let minutes = row.number("minutes").or(row.number("kmh").map(|kmh| 60.0 * km / kmh));
    let used = match (row.number("kwh"), row.number("soc_before"), row.number("soc_after")) {
        (Some(kwh), ..) => Used::Energy(Energy::kwh(kwh)),
        (None, Some(before), Some(after)) => Used::Soc(Soc::percent(before), Soc::percent(after)),
        _ => return Err(row.wrong("kwh is empty, and so is soc_before or soc_after; expected energy or both")),
    };
    let valid = |day: String| match day.parse::<jiff::civil::Date>() {
        Ok(day) => Ok(day.to_string()),
        Err(_) => Err(row.wrong(format!("day is \"{day}\"; expected such as 2026-05-01"))),
    };
    Ok(Drive {
        day: row.text("day").map(valid).transpose()?,
        outside: row.number("outside_c").map(Temperature::celsius),
        load: row.number("load_kg").map(Mass::kg),
        headwind: row.number("headwind_kmh").map(Speed::kmh),
        climb: row.number("climb_m").map(Height::metres),
        descent: row.number("descent_m").map(Height::metres),
        guess: row.number("guess_kwh_per_100km").map(Consumption::kwh_per_100km),
        heating: row.number("heating_kw").map(Power::kw),
        note: row.text("note"),
        left_out: row.text("left_out"),
        ..Drive::new(Distance::km(km), minutes.map(Minutes::new), used)
    })
}

/// Writes drives as a list.
pub fn write_drives(drives: &[Drive], format: ListFormat) -> String {
    format.write(&COLUMNS, &drives.iter().map(row).collect::<Vec<_>>())
}

fn row(drive: &Drive) -> NewRow {
    let (kwh, before, after) = match drive.used {
        Used::Energy(energy) => (Some(energy.get()), None, None),
        Used::Soc(before, after) => (None, Some(before.get()), Some(after.get())),
    };
    vec![
        of_text(drive.day.clone()),
        of_number(Some(drive.distance.get())),
        of_number(drive.time.map(Minutes::get)),
        of_number(kwh),
        of_number(before),
        of_number(after),
        of_number(drive.outside.map(Temperature::get)),
        of_number(drive.load.map(Mass::get)),
        of_number(drive.headwind.map(Speed::get)),
        of_number(drive.climb.map(Height::get)),
        of_number(drive.descent.map(Height::get)),
        of_number(drive.guess.map(Consumption::get)),
        of_number(drive.heating.map(Power::get)),
        of_text(drive.note.clone()),
        of_text(drive.left_out.clone()),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_back() {
        let text = "day;KM;kmh;soc_before;soc_after;outside_c;climb_m;descent_m;note\n2026-05-01;182,5;109,5;88;52;-7;640;310;\"wet; windy\"\n;40;80;90;82;;;;\n";
        let drives = read_drives(text.as_bytes()).unwrap();
        assert_eq!((drives.len(), drives[0].time.unwrap().get()), (2, 100.0));
        assert_eq!(drives[0].note.as_deref(), Some("wet; windy"));
        assert_eq!(read_drives(write_drives(&drives, ListFormat::Json).as_bytes()).unwrap(), drives);
        let full = Drive {
            guess: Some(Consumption::kwh_per_100km(17.0)),
            heating: Some(Power::kw(1.5)),
            headwind: Some(Speed::kmh(-12.0)),
            load: Some(Mass::kg(200.0)),
            left_out: Some("trailer".into()),
            used: Used::Energy(Energy::kwh(8.2)),
            ..drives[0].clone()
        };
        assert_eq!(read_drives(write_drives(std::slice::from_ref(&full), ListFormat::Csv).as_bytes()).unwrap(), [full]);
    }

    #[test]
    fn names_the_line_and_what_is_expected() {
        for (text, part) in [
            ("", "the file is empty"),
            ("kmh,kwh\n", "no column km"),
            ("km,minutes,kwh\n", "has no rows"),
            ("km,minutes,kwh\n50,30,9\n50,x,9\n", "line 3: minutes is \"x\"; expected 0.1 to 10000 min"),
            ("km,minutes,kwh\n50,30,\n", "line 2: kwh is empty"),
            ("km,minutes,kwh,day\n50,30,9,May\n", "line 2: day is \"May\""),
            ("km,minutes,kwh\n,30,9\n", "line 2: km is empty"),
        ] {
            let error = read_drives(text.as_bytes()).unwrap_err().to_string();
            assert!(error.contains(part), "{text}: {error}");
        }
    }
}
