//! Lists of the charging sites along a trip's road, one a row; docs/formats/lists.md lists the columns. Places on the map, which
//! have degrees in place of kilometres, are another list: [`read_places`](crate::read_places).

use spare_hour_core::quantity::{Current, Distance, Minutes, Power, Speed};
use spare_hour_core::trip::opening_hours::OpeningHours;
use spare_hour_core::trip::site_details::{Connector, MOST_CONNECTORS, MOST_TEXT, SiteDetails};
use spare_hour_core::trip::{MOST_SITES, Price, Site};

use crate::FormatError;
use crate::table::{Column, ListFormat, NewRow, Row, number, of_number, of_text, read_table, text};
use crate::trip_json::OFF_ROUTE_KMH;

const AT: Column = number("at_km", "km", 0.0, 100_000.0);
const POWER: Column = number("max_kw", "kW", 0.1, 10_000.0);
const COLUMNS: [Column; 19] = [
    text("id"),
    text("name"),
    AT,
    number("off_route_km", "km", 0.0, 1_000.0),
    number("off_route_kmh", "km/h", 1.0, 400.0),
    POWER,
    number("max_a", "A", 0.1, 10_000.0),
    number("overhead_min", "min", 0.0, 10_000.0),
    number("wait_min", "min", 0.0, 10_000.0),
    number("per_kwh", "", 0.0, 1e9),
    number("per_min", "", 0.0, 1e9),
    number("per_session", "", 0.0, 1e9),
    number("stalls", "stalls", 0.0, 10_000.0),
    number("out_of_order", "stalls", 0.0, 10_000.0),
    number("cabinet_stalls", "stalls", 0.0, 1_000.0),
    text("opening_hours"),
    text("connectors"),
    text("facilities"),
    text("note"),
];

/// Whether a text is a list of sites along a road, and not of places on the map.
pub fn is_site_list(text: &str) -> bool {
    if text.trim_start().starts_with('[') {
        text.contains("\"at_km\"")
    } else {
        text.lines().next().is_some_and(|header| header.to_lowercase().contains("at_km"))
    }
}

/// Reads sites from the bytes of a CSV or JSON file.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_sites(bytes: &[u8]) -> Result<Vec<Site>, FormatError> {
    let rows = read_table(bytes, &COLUMNS, &[&["at_km"], &["max_kw"]], MOST_SITES)?;
    rows.iter().enumerate().map(|(index, row)| site(index, row)).collect()
}

fn site(index: usize, row: &Row) -> Result<Site, FormatError> {
    let id = row.text("id").unwrap_or_else(|| format!("s{}", index + 1));
    let price = |name| row.number(name).unwrap_or(0.0);
    Ok(Site {
        name: row.text("name").unwrap_or_else(|| id.clone()),
        id,
        at: Distance::km(row.needed(&AT)?),
        off_route: Distance::km(row.number("off_route_km").unwrap_or(0.0)),
        off_route_speed: Speed::kmh(row.number("off_route_kmh").unwrap_or(OFF_ROUTE_KMH)),
        max_power: Power::kw(row.needed(&POWER)?),
        max_current: row.number("max_a").map(Current::amps),
        overhead: Minutes::new(row.number("overhead_min").unwrap_or(0.0)),
        price: Price { per_kwh: price("per_kwh"), per_min: price("per_min"), per_session: price("per_session") },
        details: details(row)?,
    })
}

/// Details out of columns that lists of sites and of places have alike.
pub(crate) fn details(row: &Row) -> Result<SiteDetails, FormatError> {
    let count = |name| row.number(name).map(|number| number.round() as u32);
    let short = |name: &str| match row.text(name) {
        Some(text) if text.chars().count() > MOST_TEXT => {
            Err(row.wrong(format!("{name} is longer than {MOST_TEXT} characters; expected a shorter text")))
        }
        text => Ok(text),
    };
    let hours = row.text("opening_hours").map(|text| text.parse::<OpeningHours>());
    Ok(SiteDetails {
        stalls: count("stalls"),
        out_of_order: count("out_of_order"),
        wait: Minutes::new(row.number("wait_min").unwrap_or(0.0)),
        cabinet: count("cabinet_stalls"),
        hours: hours.transpose().map_err(|problem| row.wrong(format!("opening_hours: {problem}")))?,
        connectors: connectors(&row.text("connectors").unwrap_or_default())
            .map_err(|problem| row.wrong(format!("connectors: {problem}")))?,
        facilities: short("facilities")?,
        note: short("note")?,
        charging: None,
    })
}

/// Connectors, one on a line or between semicolons.
///
/// # Errors
/// The first that cannot be read, or too many of them.
pub fn connectors(text: &str) -> Result<Vec<Connector>, String> {
    let lines = text.split(['\n', ';']).filter(|line| !line.trim().is_empty());
    let read: Vec<Connector> = lines.map(str::parse).collect::<Result<_, _>>()?;
    if read.len() > MOST_CONNECTORS {
        return Err(format!("{} kinds of connectors; expected at most {MOST_CONNECTORS}", read.len()));
    }
    Ok(read)
}

/// Writes sites as a list.
pub fn write_sites(sites: &[Site], format: ListFormat) -> String {
    format.write(&COLUMNS, &sites.iter().map(row).collect::<Vec<_>>())
}

fn row(site: &Site) -> NewRow {
    let details = &site.details;
    let connectors: Vec<String> = details.connectors.iter().map(ToString::to_string).collect();
    vec![
        of_text(Some(site.id.clone())),
        of_text(Some(site.name.clone())),
        of_number(Some(site.at.get())),
        of_number(Some(site.off_route.get())),
        of_number(Some(site.off_route_speed.get())),
        of_number(Some(site.max_power.get())),
        of_number(site.max_current.map(Current::get)),
        of_number(Some(site.overhead.get())),
        of_number(Some(details.wait.get())),
        of_number(Some(site.price.per_kwh)),
        of_number(Some(site.price.per_min)),
        of_number(Some(site.price.per_session)),
        of_number(details.stalls.map(f64::from)),
        of_number(details.out_of_order.map(f64::from)),
        of_number(details.cabinet.map(f64::from)),
        of_text(details.hours.as_ref().map(ToString::to_string)),
        of_text((!connectors.is_empty()).then(|| connectors.join("; "))),
        of_text(details.facilities.clone()),
        of_text(details.note.clone()),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    const LIST: &str = "id,name,at_km,max_kw,max_a,overhead_min,wait_min,per_kwh,stalls,out_of_order,cabinet_stalls,opening_hours,connectors,facilities,note\n\
        m1,Mossgate,95.5,150,400,9,5,0.62,6,1,2,Mo-Fr 06:00-22:00,\"4 x IEC_62196_T2_COMBO 150 kW; 2 x CHADEMO 50 kW\",\"eat, rest\",\"behind the barn\"\n\
        ,,120,50,,,,,,,,,,,\n";

    #[test]
    fn what_is_read_is_written_back() {
        let sites = read_sites(LIST.as_bytes()).unwrap();
        assert_eq!((sites[0].details.connectors.len(), sites[0].details.wait), (2, Minutes::new(5.0)));
        assert_eq!((sites[1].id.as_str(), sites[1].name.as_str(), sites[1].off_route_speed.get()), ("s2", "s2", 50.0));
        for format in [ListFormat::Csv, ListFormat::Json] {
            let written = write_sites(&sites, format);
            assert!(is_site_list(&written));
            assert_eq!(read_sites(written.as_bytes()).unwrap(), sites);
        }
        assert!(!is_site_list("name,latitude,longitude\n") && !is_site_list("[{\"id\": \"L1\"}]"));
    }

    #[test]
    fn names_the_place_and_what_is_expected() {
        for (from, to, part) in [
            ("at_km", "at", "line 1: has no column at_km"),
            ("95.5,150", ",150", "line 2: at_km is empty"),
            ("Mo-Fr 06:00-22:00", "sometimes", "line 2: opening_hours: “sometimes” are no opening hours"),
            ("CHADEMO 50 kW", "CHADEMO 50", "line 2: connectors: “2 x CHADEMO 50”: has a number without kW"),
        ] {
            let error = read_sites(LIST.replacen(from, to, 1).as_bytes()).unwrap_err().to_string();
            assert!(error.starts_with(part), "{error}");
        }
    }
}
