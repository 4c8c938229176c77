//! Readers of files and lines, and what is done with what they read.

use std::io::{Cursor, Write};

use jiff::tz::TimeZone;
use jiff::{Timestamp, civil};
use spare_hour_core::money::receipt::{Period, receipt};
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes};
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::report::Report;
use spare_hour_formats as formats;
use spare_hour_formats::ListFormat;
use spare_hour_planner::StopSign;
use spare_hour_planning::clock::{Here, StoppedClock};
use spare_hour_planning::plan_trip::TripToPlan;
use spare_hour_planning::trade_trip::TradedTrip;

/// A time of day for everything: 2026-11-28.
const NOW_MS: i64 = 1_795_860_000_000;
/// Trips of more sites than this are read but not planned: each plan would take too long for thousands a minute.
const MOST_PLANNED: usize = 6;

fn written<T, E: std::fmt::Debug>(what: &str, read_again: Result<T, E>) -> T {
    read_again.unwrap_or_else(|error| panic!("{what} as written is refused: {error:?}"))
}

fn here() -> Here {
    let now = Timestamp::from_millisecond(NOW_MS).expect("a time in range");
    Here::new(StoppedClock(now), TimeZone::UTC)
}

/// Sessions in every format, and all that is read off them.
pub(crate) fn sessions(bytes: &[u8]) {
    if let Ok(text) = std::str::from_utf8(bytes)
        && let Ok(session) = formats::read_session(text)
    {
        analysed(&session);
        written("a session", formats::read_session_json(formats::write_session_json(&session).as_bytes()));
        written("a session", formats::read_session_csv(formats::write_session_csv(&session).as_bytes()));
    }
    let _ = formats::read_session_list(bytes);
    if let Ok(sheet) = formats::Sheet::read_text(bytes)
        && let Ok(session) = sheet.session(&sheet.guess())
    {
        analysed(&session);
    }
}

fn analysed(session: &Session) {
    let usable = session.conditions.usable.unwrap_or(Energy::kwh(60.0));
    let basis = Basis { usable, range: Some(Distance::km(400.0)), base: DistanceBase::Rated, loss_percent: None };
    let Ok(report) = Report::new(session, basis, None) else { return };
    formats::analysis_json(session, &report);
}

/// Lines as typed at the stall, along the road, of drives, and on the first page.
pub(crate) fn lines(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let _ = formats::read_session_lines(text);
    let _ = formats::read_road_lines(text, Units::default());
    let _ = formats::read_plain_road(text, Units::default());
    let _ = formats::read_plain_chargers(text, Units::default(), Distance::km(800.0));
    let _ = formats::parse_clock(text);
    for line in text.lines() {
        let _ = formats::read_drive_line(line, DistanceUnit::default());
        if let Ok(stretch) = formats::read_road_line(line, Units::default()) {
            let again = formats::write_road_line(&stretch, Units::default());
            written(&again, formats::read_road_line(&again, Units::default()));
        }
    }
}

/// Trips, their links and wishes.
pub(crate) fn trips(bytes: &[u8]) {
    if let Ok(file) = formats::read_trip_file(bytes) {
        let beside = formats::Beside { departure: file.departure.as_ref(), tariffs: &[], wishes: Some(&file.wishes) };
        let again = formats::write_trip(&file.trip, beside);
        written("a trip", formats::read_trip_with_wishes(again.as_bytes()));
        written("a link", formats::read_trip_link(&formats::trip_link(&again)));
        written("a link in digits", formats::read_trip_link(&formats::trip_digits(&again)));
    }
    let _ = formats::read_trips(bytes);
    if let Ok(text) = std::str::from_utf8(bytes) {
        if let Ok(file) = formats::read_trip_link(text) {
            let _ = formats::read_trip_file(file.as_bytes());
        }
        if let Ok(wishes) = formats::read_wishes(text) {
            written("wishes", formats::read_wishes(&formats::write_wishes(&wishes)));
        }
    }
}

/// Trips, planned: small ones.
pub(crate) fn plans(bytes: &[u8]) {
    let Ok(file) = formats::read_trip_with_wishes(bytes) else { return };
    if file.trip.sites.len() > MOST_PLANNED || file.trip.route.segments().len() > 20 {
        return;
    }
    let stop = StopSign::default();
    let _ = TradedTrip::of_file(&file, &here(), false, &stop);
    if let Ok(trip) = TripToPlan::of_file(file, &here()) {
        trip.plan(&stop);
    }
}

/// Tariffs, and what a charge costs under each.
pub(crate) fn tariffs(bytes: &[u8]) {
    if let Ok(tariffs) = formats::read_tariffs(bytes) {
        for tariff in &tariffs {
            priced(tariff);
            written("a tariff", formats::read_tariffs(formats::write_tariff(tariff, "one").as_bytes()));
        }
        if !tariffs.is_empty() {
            written("tariffs", formats::read_tariff_table(formats::write_tariff_table(&tariffs).as_bytes()));
        }
    }
    for tariff in formats::read_tariff_table(bytes).into_iter().flatten() {
        priced(&tariff);
    }
}

fn priced(tariff: &Tariff) {
    let began = civil::date(2026, 3, 29).at(1, 47, 0, 0).to_zoned_datetime(TimeZone::UTC).expect("a time in range");
    let period = |minutes: f64, parking: bool| Period {
        time: Minutes::new(minutes),
        energy: Energy::kwh(if parking { 0.0 } else { minutes }),
        current: Some(Current::amps(120.0)),
        parking,
    };
    let receipt = receipt(tariff, &began, &[period(31.7, false), period(200.0, true)]);
    let sum: f64 = receipt.lines.iter().map(|line| line.amount.to_string().parse::<f64>().unwrap_or(f64::NAN)).sum();
    let total: f64 = (receipt.total - receipt.adjustment).to_string().parse().unwrap_or(f64::NAN);
    assert!((sum - total).abs() < 1e-6 * sum.abs().max(1.0), "lines of {sum}, {total} together");
}

/// Tracks, and the road along them.
pub(crate) fn tracks(bytes: &[u8]) {
    let Ok(track) = formats::read_track(bytes) else { return };
    written("a track", formats::read_track(formats::write_track(&track).as_bytes()));
}

/// Places, beside a track.
pub(crate) fn places(bytes: &[u8]) {
    let _ = formats::read_places(bytes);
    let _ = formats::read_sites(bytes);
}

/// Lists of all kinds, out and in again.
pub(crate) fn lists(bytes: &[u8]) {
    for format in [ListFormat::Csv, ListFormat::Json] {
        if let Ok(drives) = formats::read_drives(bytes) {
            written("drives", formats::read_drives(formats::write_drives(&drives, format).as_bytes()));
        }
        if let Ok(cars) = formats::read_cars(bytes) {
            let cars: Vec<_> = cars.iter().collect();
            written("cars", formats::read_cars(formats::write_cars(&cars, format).as_bytes()));
        }
        if let Ok(curves) = formats::read_curves(bytes) {
            written("curves", formats::read_curves(formats::write_curves(&curves, format).as_bytes()));
        }
        if let Ok(road) = formats::read_road(bytes) {
            written("a road", formats::read_road(formats::write_road(&road, format).as_bytes()));
        }
        if let Ok(sites) = formats::read_sites(bytes) {
            written("sites", formats::read_sites(formats::write_sites(&sites, format).as_bytes()));
        }
    }
}

/// Workbooks: the bytes as a file, and as the sheet within a sound one, as no change at random would keep a ZIP's sums right.
pub(crate) fn workbooks(bytes: &[u8]) {
    let _ = formats::Sheet::read_xlsx(bytes);
    if let Ok(sheet) = formats::Sheet::read_xlsx(&workbook_around(bytes))
        && let Ok(session) = sheet.session(&sheet.guess())
    {
        analysed(&session);
    }
}

/// A workbook whose one sheet is made of these bytes up to a 0, and its texts of those after.
fn workbook_around(bytes: &[u8]) -> Vec<u8> {
    let cut = bytes.iter().position(|&byte| byte == 0).unwrap_or(bytes.len());
    let (sheet, texts) = (&bytes[..cut], bytes.get(cut + 1..).unwrap_or_default());
    let mut file = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let parts: [(&str, &[u8]); 5] = [
        ("[Content_Types].xml", br#"<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>"#),
        ("xl/workbook.xml", br#"<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>"#),
        ("xl/_rels/workbook.xml.rels", br#"<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>"#),
        ("xl/worksheets/sheet1.xml", sheet),
        ("xl/sharedStrings.xml", texts),
    ];
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, part) in parts {
        file.start_file(name, stored).expect("a part of a ZIP in memory");
        file.write_all(part).expect("bytes in memory");
    }
    file.finish().expect("a ZIP in memory").into_inner()
}

/// Events of a charge and of a trip under way, and the plan that a trip began with.
pub(crate) fn events(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let id = || "new".to_string();
    for line in text.lines() {
        if let Ok(event) = formats::read_event_line(line, NOW_MS, id) {
            written("an event", formats::read_event_line(&formats::write_event_line(&event), NOW_MS, id));
        }
        if let Ok(event) = formats::read_road_event(line, NOW_MS, id) {
            written("an event of the road", formats::read_road_event(&formats::write_road_event(&event), NOW_MS, id));
        }
    }
    let _ = formats::BegunPlan::read(text);
}
