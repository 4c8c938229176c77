//! A trip's road, one stretch a row; docs/formats/lists.md lists the columns.

use spare_hour_core::driving::road::{Heading, OwnConditions, Stretch};
use spare_hour_core::quantity::{Consumption, Distance, Height, Mass, Power, Speed, Temperature};
use spare_hour_core::trip::MOST_SEGMENTS;

use crate::FormatError;
use crate::table::{Cell, Column, ListFormat, NewRow, Row, number, of_number, read_table, yes_no};

const KM: Column = number("km", "km", 0.001, 50_000.0);
const COLUMNS: [Column; 14] = [
    KM,
    number("kmh", "km/h", 1.0, 400.0),
    number("kwh_per_100km", "kWh/100 km", -200.0, 500.0),
    number("climb_m", "m", 0.0, 20_000.0),
    number("descent_m", "m", 0.0, 20_000.0),
    number("height_m", "m", -500.0, 9_000.0),
    number("toward_deg", "degrees", 0.0, 360.0),
    number("straight", "", 0.0, 1.0),
    number("outside_c", "°C", -60.0, 60.0),
    number("wind_kmh", "km/h", 0.0, 150.0),
    number("wind_from_deg", "degrees", 0.0, 360.0),
    yes_no("wet"),
    number("load_kg", "kg", 0.0, 2_000.0),
    number("heating_kw", "kW", 0.0, 20.0),
];

/// Reads a road from the bytes of a CSV or JSON file.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_road(bytes: &[u8]) -> Result<Vec<Stretch>, FormatError> {
    read_table(bytes, &COLUMNS, &[&["km"]], MOST_SEGMENTS)?.iter().map(stretch).collect()
}

fn stretch(row: &Row) -> Result<Stretch, FormatError> {
    let metres = |name| Height::metres(row.number(name).unwrap_or(0.0));
    let heading = |toward| Heading { toward, straight: row.number("straight").unwrap_or(1.0) };
    Ok(Stretch {
        length: Distance::km(row.needed(&KM)?),
        climb: metres("climb_m"),
        descent: metres("descent_m"),
        height: metres("height_m"),
        heading: row.number("toward_deg").map(heading),
        own: OwnConditions {
            speed: row.number("kmh").map(Speed::kmh),
            outside: row.number("outside_c").map(Temperature::celsius),
            wind: row.number("wind_kmh").map(Speed::kmh),
            wind_from: row.number("wind_from_deg"),
            wet: row.yes_no("wet"),
            load: row.number("load_kg").map(Mass::kg),
            heating: row.number("heating_kw").map(Power::kw),
        },
        typed: row.number("kwh_per_100km").map(Consumption::kwh_per_100km),
    })
}

/// Writes a road as a list. What a stretch takes from the trip's conditions stays empty.
pub fn write_road(road: &[Stretch], format: ListFormat) -> String {
    format.write(&COLUMNS, &road.iter().map(row).collect::<Vec<_>>())
}

fn row(stretch: &Stretch) -> NewRow {
    let own = &stretch.own;
    vec![
        of_number(Some(stretch.length.get())),
        of_number(own.speed.map(Speed::get)),
        of_number(stretch.typed.map(Consumption::get)),
        of_number(Some(stretch.climb.get())),
        of_number(Some(stretch.descent.get())),
        of_number(Some(stretch.height.get())),
        of_number(stretch.heading.map(|heading| heading.toward)),
        of_number(stretch.heading.map(|heading| heading.straight)),
        of_number(own.outside.map(Temperature::get)),
        of_number(own.wind.map(Speed::get)),
        of_number(own.wind_from),
        own.wet.map(Cell::YesNo),
        of_number(own.load.map(Mass::get)),
        of_number(own.heating.map(Power::get)),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_read_is_written_back() {
        let list = "km;kmh;kwh_per_100km;climb_m;descent_m;height_m;toward_deg;straight;outside_c;wind_kmh;wind_from_deg;wet;load_kg;heating_kw\n\
            12,5;110;;640;20;900;45;0,9;-4;30;270;yes;120;2,5\n80;;17,5;;;;;;;;;;;\n";
        let road = read_road(list.as_bytes()).unwrap();
        assert_eq!(road[0].heading, Some(Heading { toward: 45.0, straight: 0.9 }));
        assert_eq!((road[0].typed, road[1].typed), (None, Some(Consumption::kwh_per_100km(17.5))));
        assert_eq!(road[1].own, OwnConditions::default());
        for format in [ListFormat::Csv, ListFormat::Json] {
            assert_eq!(read_road(write_road(&road, format).as_bytes()).unwrap(), road);
        }
        let error = read_road(b"km,wet\n5,perhaps\n").unwrap_err().to_string();
        assert_eq!(error, "line 2: wet is \"perhaps\"; expected yes or no");
    }
}
