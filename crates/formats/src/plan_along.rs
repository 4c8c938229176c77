//! A plan as it is taken along: its stops by the clock, as a list, in a calendar, and as places on a track.

use ics::properties::{Description, DtEnd, DtStart, Summary};
use ics::{Event, ICalendar, escape_text};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp, ZonedDateTime};
use rust_xlsxwriter::{ExcelDateTime, Format, Workbook, XlsxError};
use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::{Distance, Energy, Minutes, Soc};

use crate::table::{Column, ListFormat, NewRow, number, of_number, of_text, text};

/// A stop as it is taken along.
#[derive(Clone, Debug)]
pub struct StopAlong {
    /// Its site's name.
    pub name: String,
    /// Along the road.
    pub at: Distance,
    /// When the stall is reached, and when it is left.
    pub times: (ZonedDateTime, ZonedDateTime),
    /// SoC on arriving and on leaving.
    pub socs: (Soc, Soc),
    /// Minutes of charging.
    pub charge: Minutes,
    /// Energy from the plug.
    pub plug: Energy,
    /// What it costs.
    pub cost: f64,
    /// The pause that is taken there.
    pub pause: Option<String>,
}

/// A plan as it is taken along.
#[derive(Clone, Debug)]
pub struct PlanAlong {
    /// The trip's name, and a number that is its own.
    pub name: String,
    /// The number.
    pub id: i32,
    /// When it leaves, and when it is there.
    pub times: (ZonedDateTime, ZonedDateTime),
    /// SoC at the end.
    pub arrival: Soc,
    /// The length of the road.
    pub length: Distance,
    /// The money it is counted in.
    pub currency: String,
    /// The stops.
    pub stops: Vec<StopAlong>,
}

const COLUMNS: [Column; 10] = [
    text("stop"),
    number("at_km", "km", 0.0, 1e6),
    text("arrive_at"),
    text("leave_at"),
    number("arrive_soc", "%", 0.0, 100.0),
    number("depart_soc", "%", 0.0, 100.0),
    number("charge_min", "min", 0.0, 1e5),
    number("plug_kwh", "kWh", 0.0, 1e4),
    number("cost", "", 0.0, 1e6),
    text("pause"),
];

/// The stops as a list, the destination last; times are civil, with their offset.
pub fn plan_list(plan: &PlanAlong, format: ListFormat) -> String {
    let civil = |at: &ZonedDateTime| Some(to_the_minute(at).strftime("%Y-%m-%dT%H:%M%:z").to_string());
    let two = |number: f64| Some((100.0 * number).round() / 100.0);
    let stop = |stop: &StopAlong| -> NewRow {
        vec![
            of_text(Some(stop.name.clone())),
            of_number(two(stop.at.get())),
            of_text(civil(&stop.times.0)),
            of_text(civil(&stop.times.1)),
            of_number(two(stop.socs.0.get())),
            of_number(two(stop.socs.1.get())),
            of_number(two(stop.charge.get())),
            of_number(two(stop.plug.get())),
            of_number(two(stop.cost)),
            of_text(stop.pause.clone()),
        ]
    };
    let end = vec![
        of_text(Some("destination".into())),
        of_number(two(plan.length.get())),
        of_text(civil(&plan.times.1)),
        None,
        of_number(two(plan.arrival.get())),
        None,
        None,
        None,
        None,
        None,
    ];
    let rows: Vec<NewRow> = plan.stops.iter().map(stop).chain([end]).collect();
    format.write(&COLUMNS, &rows)
}

/// The stops as a workbook: the columns of the list, with moments as the civil time of their place.
///
/// # Errors
/// What the writer refuses, such as a name too long for a cell.
pub fn plan_workbook(plan: &PlanAlong) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    let (bold, clock) = (Format::new().set_bold(), Format::new().set_num_format("yyyy-mm-dd hh:mm"));
    let sheet = book.add_worksheet().set_name("stops")?;
    for (column, named) in (0..).zip(&COLUMNS) {
        sheet.write_with_format(0, column, named.name, &bold)?;
    }
    sheet.set_freeze_panes(1, 0)?.set_column_width(0, 28)?.set_column_width(2, 17)?.set_column_width(3, 17)?;
    let moment = |at: &ZonedDateTime| {
        let at = to_the_minute(at);
        let day =
            ExcelDateTime::from_ymd(at.year().unsigned_abs(), at.month().unsigned_abs(), at.day().unsigned_abs())?;
        day.and_hms(at.hour().unsigned_abs().into(), at.minute().unsigned_abs(), 0)
    };
    let figures = |stop: &StopAlong| {
        let socs = [stop.socs.0.get(), stop.socs.1.get()];
        [socs[0], socs[1], stop.charge.get(), stop.plug.get(), stop.cost].map(|figure| (100.0 * figure).round() / 100.0)
    };
    for (row, stop) in (1..).zip(&plan.stops) {
        sheet.write(row, 0, stop.name.as_str())?.write(row, 1, stop.at.get())?;
        sheet.write_with_format(row, 2, &moment(&stop.times.0)?, &clock)?;
        sheet.write_with_format(row, 3, &moment(&stop.times.1)?, &clock)?;
        for (column, figure) in (4..).zip(figures(stop)) {
            sheet.write(row, column, figure)?;
        }
        if let Some(pause) = &stop.pause {
            sheet.write(row, 9, pause.as_str())?;
        }
    }
    let end = u32::try_from(plan.stops.len()).unwrap_or_default() + 1;
    sheet.write(end, 0, "destination")?.write(end, 1, plan.length.get())?;
    sheet.write_with_format(end, 2, &moment(&plan.times.1)?, &clock)?;
    sheet.write(end, 4, plan.arrival.get().round())?;
    book.save_to_buffer()
}

/// The plan as iCalendar (RFC 5545): an event for each stop, one for the arrival. Moments are in UTC, so that every calendar
/// shows them in its own zone. Made anew, an event takes the place of the one before: its identifier stays.
pub fn plan_calendar(plan: &PlanAlong, now: Timestamp) -> String {
    let utc = |at: &ZonedDateTime| at.with_time_zone(TimeZone::UTC).strftime("%Y%m%dT%H%M%SZ").to_string();
    let stamp = utc(&now.to_zoned_datetime(TimeZone::UTC));
    let mut calendar = ICalendar::new("2.0", "-//Spare Hour//plan//EN");
    let mut event = |part: String, (from, to): (&ZonedDateTime, &ZonedDateTime), [summary, told]: [String; 2]| {
        let mut event = Event::new(format!("trip-{}-{part}@spare-hour", plan.id), stamp.clone());
        event.push(DtStart::new(utc(from)));
        event.push(DtEnd::new(utc(to)));
        event.push(Summary::new(escape_text(summary)));
        event.push(Description::new(escape_text(told)));
        calendar.add_event(event);
    };
    for (index, stop) in plan.stops.iter().enumerate() {
        let (arrive, depart) = (stop.socs.0.get(), stop.socs.1.get());
        let summary = format!("{}: leave with {depart:.0} %", stop.name);
        let pause = stop.pause.as_ref().map(|pause| format!(", {pause}")).unwrap_or_default();
        let told = format!(
            "{arrive:.0} to {depart:.0} %, {:.0} min of charging, {:.1} kWh, {:.2} {}{pause}. {}, km {:.0}.",
            stop.charge.get(),
            stop.plug.get(),
            stop.cost,
            plan.currency,
            plan.name,
            stop.at.get()
        );
        event(format!("stop-{}", index + 1), (&stop.times.0, &stop.times.1), [summary, told]);
    }
    let there = &plan.times.1;
    let summary = format!("{}: there with {:.0} %", plan.name, plan.arrival.get());
    event("end".into(), (there, there), [summary, String::from("As planned; the way decides.")]);
    calendar.to_string()
}

/// The minute that is nearest to a moment, as a civil time cut at its minute shows it.
fn to_the_minute(at: &ZonedDateTime) -> ZonedDateTime {
    at.checked_add(SignedDuration::from_secs(30)).unwrap_or_else(|_| at.clone())
}

/// What is told of a stop beside its name.
fn told(stop: &StopAlong) -> String {
    let at = to_the_minute(&stop.times.0);
    let at = at.strftime("%H:%M");
    format!("{at}: {:.0} to {:.0} %, {:.0} min", stop.socs.0.get(), stop.socs.1.get(), stop.charge.get())
}

/// The stops as way-points of a GPX 1.1 file, with the route through them, where they lie on a track. A stall beside the road is
/// set where one turns off.
///
/// # Errors
/// When the file cannot be written.
pub fn plan_gpx(plan: &PlanAlong, track: &Track) -> Result<String, gpx::errors::GpxError> {
    let point = |stop: &StopAlong| {
        let (latitude, longitude) = track.position_at(stop.at.get());
        let mut point = gpx::Waypoint::new(geo_types::Point::new(longitude, latitude));
        point.name = Some(stop.name.clone());
        point.description = Some(told(stop));
        point
    };
    let waypoints: Vec<gpx::Waypoint> = plan.stops.iter().map(point).collect();
    let end = |km: f64, name: &str| {
        let (latitude, longitude) = track.position_at(km);
        let mut point = gpx::Waypoint::new(geo_types::Point::new(longitude, latitude));
        point.name = Some(name.into());
        point
    };
    let mut route = gpx::Route::new();
    route.name = Some(plan.name.clone());
    let start = end(0.0, "start");
    let finish = end(plan.length.get(), "destination");
    route.points = [start].into_iter().chain(waypoints.iter().cloned()).chain([finish]).collect();
    let file = gpx::Gpx {
        version: gpx::GpxVersion::Gpx11,
        creator: Some("Spare Hour".into()),
        waypoints,
        routes: vec![route],
        ..gpx::Gpx::default()
    };
    let mut bytes = Vec::new();
    gpx::write(&file, &mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// The stops as GeoJSON points (RFC 7946) with what is planned there.
pub fn plan_geojson(plan: &PlanAlong, track: &Track) -> String {
    let feature = |stop: &StopAlong| {
        let (latitude, longitude) = track.position_at(stop.at.get());
        serde_json::json!({
            "type": "Feature",
            "geometry": {"type": "Point", "coordinates": [longitude, latitude]},
            "properties": {
                "name": stop.name,
                "at_km": stop.at.get(),
                "arrive_at": to_the_minute(&stop.times.0).strftime("%Y-%m-%dT%H:%M%:z").to_string(),
                "leave_at": to_the_minute(&stop.times.1).strftime("%Y-%m-%dT%H:%M%:z").to_string(),
                "arrive_soc": stop.socs.0.get(),
                "depart_soc": stop.socs.1.get(),
            },
        })
    };
    let features: Vec<serde_json::Value> = plan.stops.iter().map(feature).collect();
    serde_json::json!({"type": "FeatureCollection", "features": features}).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read_track;
    use std::io::BufReader;

    fn plan() -> PlanAlong {
        let at = |text: &str| -> ZonedDateTime { format!("2026-12-18T{text}+01:00[Europe/Berlin]").parse().unwrap() };
        let stop = |name: &str, km: f64, from: &str, to: &str| StopAlong {
            name: name.into(),
            at: Distance::km(km),
            times: (at(from), at(to)),
            socs: (Soc::percent(10.0), Soc::percent(62.5)),
            charge: Minutes::new(21.4),
            plug: Energy::kwh(41.25),
            cost: 24.755,
            pause: (name == "Mire End").then(|| "lunch".to_string()),
        };
        PlanAlong {
            name: "North, then; east".into(),
            id: 7,
            times: (at("08:00:00"), at("13:17:00")),
            arrival: Soc::percent(14.6),
            length: Distance::km(333.6),
            currency: "cr".into(),
            stops: vec![
                stop("Mire End", 111.2, "09:30:00", "09:55:30"),
                stop("Sallow, Bridge", 222.4, "11:20:00", "11:44:00"),
            ],
        }
    }

    /// Three degrees of a meridian: 333.6 km of a sphere of 6371 km (111.19 km a degree).
    fn track() -> Track {
        let line = r#"{"type": "LineString", "coordinates": [[8.0, 46.0], [8.0, 47.0], [8.0, 49.0]]}"#;
        read_track(line.as_bytes()).unwrap()
    }

    #[test]
    fn another_reader_of_workbooks_finds_every_stop_with_its_numbers() {
        // ECMA-376 as the crate calamine reads it. By hand: day 46,374 is 18 December 2026 (day 1 is 1 January 1900, and 1900 counts
        // as a leap year), 9:30 is 9.5 / 24 of it.
        use calamine::{Data, Reader, Xlsx};
        let mut book: Xlsx<_> = Xlsx::new(std::io::Cursor::new(plan_workbook(&plan()).unwrap())).unwrap();
        let sheet = book.worksheet_range("stops").unwrap();
        let rows: Vec<&[Data]> = sheet.rows().collect();
        assert_eq!(rows.len(), 4);
        assert_eq!((rows[0][0].to_string(), rows[0][8].to_string()), ("stop".into(), "cost".into()));
        let moment = |cell: &Data| match cell {
            Data::DateTime(moment) => moment.as_f64(),
            other => panic!("{other:?}"),
        };
        assert_eq!(rows[1][0].to_string(), "Mire End");
        assert!((moment(&rows[1][2]) - (46_374.0 + 9.5 / 24.0)).abs() < 1e-6, "{}", moment(&rows[1][2]));
        // To the nearest minute: 9:55:30 is 9:56.
        assert!((moment(&rows[1][3]) - (46_374.0 + (9.0 + 56.0 / 60.0) / 24.0)).abs() < 1e-6);
        let number = |row: usize, column: usize| rows[row][column].to_string().parse::<f64>().unwrap();
        assert_eq!([number(1, 4), number(1, 5), number(1, 6), number(1, 7)], [10.0, 62.5, 21.4, 41.25]);
        assert_eq!((rows[1][9].to_string(), rows[2][9].to_string()), ("lunch".into(), String::new()));
        assert_eq!((rows[3][0].to_string(), number(3, 1)), ("destination".into(), 333.6));
    }

    #[test]
    fn another_reader_of_calendars_finds_every_stop_in_its_hour() {
        // RFC 5545 as the crate ical 0.11 reads it.
        let text = plan_calendar(&plan(), "2026-12-01T12:00:00Z".parse().unwrap());
        assert!(text.lines().all(|line| line.len() <= 75) && text.contains("\r\n"));
        let calendars: Vec<_> =
            ical::IcalParser::new(BufReader::new(text.as_bytes())).collect::<Result<_, _>>().unwrap();
        assert_eq!((calendars.len(), calendars[0].events.len()), (1, 3));
        let value = |event: usize, name: &str| {
            let properties = &calendars[0].events[event].properties;
            properties
                .iter()
                .find(|property| property.name == name)
                .and_then(|property| property.value.clone())
                .unwrap()
        };
        assert_eq!((value(0, "DTSTART"), value(0, "DTEND")), ("20261218T083000Z".into(), "20261218T085530Z".into()));
        assert_eq!(value(1, "SUMMARY"), "Sallow\\, Bridge: leave with 62 %");
        assert!(
            value(0, "DESCRIPTION").contains("21 min of charging\\, 41.2 kWh\\, 24.75 cr\\, lunch"),
            "{}",
            value(0, "DESCRIPTION")
        );
        assert_eq!((value(2, "UID"), value(2, "DTSTART")), ("trip-7-end@spare-hour".into(), "20261218T121700Z".into()));
        let stamps = ["UID", "DTSTAMP"].map(|name| (0..3).map(|event| value(event, name)).collect::<Vec<_>>());
        assert!(stamps[0][0] != stamps[0][1] && stamps[1].iter().all(|stamp| stamp == "20261201T120000Z"));
    }

    #[test]
    fn way_points_lie_on_the_track_where_the_stops_are() {
        let text = plan_gpx(&plan(), &track()).unwrap();
        let read = gpx::read(text.as_bytes()).unwrap();
        let near = |point: &gpx::Waypoint, latitude: f64| {
            (point.point().y() - latitude).abs() < 0.01 && point.point().x() == 8.0
        };
        // By hand: 111.2 km are one degree, 222.4 are two.
        assert!(near(&read.waypoints[0], 47.0) && near(&read.waypoints[1], 48.0), "{text}");
        assert_eq!(read.waypoints[1].name.as_deref(), Some("Sallow, Bridge"));
        let route = &read.routes[0];
        assert_eq!((route.points.len(), route.name.as_deref()), (4, Some("North, then; east")));
        assert!(near(&route.points[0], 46.0) && near(&route.points[3], 49.0));
        let geo: geojson::FeatureCollection = plan_geojson(&plan(), &track()).parse().unwrap();
        assert_eq!(geo.features.len(), 2);
        assert_eq!(geo.features[0].property("leave_at").unwrap(), "2026-12-18T09:56+01:00");
    }

    #[test]
    fn the_list_has_a_row_for_each_stop_and_the_destination() {
        let text = plan_list(&plan(), ListFormat::Csv);
        let mut reader = csv::Reader::from_reader(text.as_bytes());
        let rows: Vec<Vec<String>> =
            reader.records().map(|row| row.unwrap().iter().map(Into::into).collect()).collect();
        assert_eq!(rows.len(), 3);
        assert_eq!(rows[0][..4], ["Mire End", "111.2", "2026-12-18T09:30+01:00", "2026-12-18T09:56+01:00"]);
        assert_eq!(
            (rows[0][9].as_str(), rows[1][0].as_str(), rows[2][0].as_str()),
            ("lunch", "Sallow, Bridge", "destination")
        );
        assert_eq!((rows[2][2].as_str(), rows[2][4].as_str()), ("2026-12-18T13:17+01:00", "14.6"));
    }
}
