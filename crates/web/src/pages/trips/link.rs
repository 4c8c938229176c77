//! A whole trip in a link and a QR code: made here, opened on any Spare Hour, without what the other one keeps.

use askama::Template;
use axum::Form;
use axum::extract::{Query, State};
use axum::http::header::HOST;
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use qrcodegen::{QrCode, QrCodeEcc, QrSegment};
use serde::Deserialize;
use spare_hour_formats::{TripOfFile, read_trip_link, read_trips, trip_digits, trip_link};
use spare_hour_planning::plan_trip::{Outcome, TripToPlan};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_wording::trips::Headline;

use super::AskedTrip;
use super::files::keep_new;
use crate::app::App;
use crate::charts::day_line::DayLine;
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// Empty modules around a QR code (ISO/IEC 18004).
const QUIET: i32 = 4;

#[derive(Template)]
#[template(path = "trips/link.html")]
struct LinkPage {
    frame: Frame,
    id: i32,
    name: String,
    query: String,
    link: String,
    /// Width of the code with its quiet zone, and its dark modules as a path; `None` where the trip does not fit.
    code: Option<(i32, String)>,
}

/// The link of a trip as it is asked, and its code.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
    headers: HeaderMap,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let kept = &asked.solved().kept;
    let mut to_plan = kept
        .to_plan
        .clone()
        .ok_or_else(|| WebError::Refused("The car of this trip has no charge curve yet.".into()))?;
    for (site, soc) in asked.controls.held() {
        to_plan.wishes.hold(&site, soc);
    }
    let file = to_plan.to_file();
    let host = headers.get(HOST).and_then(|host| host.to_str().ok()).unwrap_or("localhost");
    let shown = LinkPage {
        frame: Frame::new(&app, "trips", format!("{}: link", kept.stored.about.name)),
        id,
        name: kept.stored.about.name.clone(),
        query: ask.without_all(&["kept"]),
        link: format!("http://{host}/open?trip={}", trip_link(&file)),
        code: code(&format!("http://{host}/open?trip="), &trip_digits(&file)),
    };
    Ok(page(StatusCode::OK, &shown))
}

/// A QR code of an address and digits behind it, as large as need be; `None` where none is large enough.
fn code(address: &str, digits: &str) -> Option<(i32, String)> {
    let segments = [QrSegment::make_bytes(address.as_bytes()), QrSegment::make_numeric(digits)];
    let code = QrCode::encode_segments(&segments, QrCodeEcc::Low).ok()?;
    let size = code.size();
    let dark = (0..size).flat_map(|y| (0..size).map(move |x| (x, y))).filter(|&(x, y)| code.get_module(x, y));
    let path = dark.map(|(x, y)| format!("M{} {}h1v1h-1z", x + QUIET, y + QUIET)).collect();
    Some((size + 2 * QUIET, path))
}

#[derive(Template)]
#[template(path = "trips/open.html")]
struct OpenPage {
    frame: Frame,
    trip: String,
    name: String,
    /// Its plan as it would be here: a headline, what it costs, and its day.
    plan: Option<(Headline, String, Box<DayLine>)>,
}

/// A trip in a link.
#[derive(Debug, Deserialize)]
pub(crate) struct Opened {
    #[serde(default)]
    trip: String,
}

impl Opened {
    fn trips(&self) -> Result<Vec<TripOfFile>, WebError> {
        let refused = |error: spare_hour_formats::FormatError| WebError::Refused(format!("This link: {error}."));
        let file = read_trip_link(self.trip.trim()).map_err(refused)?;
        read_trips(file.as_bytes()).map_err(refused)
    }
}

/// Shows the trip of a link, which is kept by a press.
pub(crate) async fn open(State(app): State<App>, Query(opened): Query<Opened>) -> Result<Response, WebError> {
    let here = app.here.clone();
    let (name, plan, trip) = app
        .run_while_waiting(move |store, stop| {
            let units = store.settings()?.units;
            let file = opened.trips()?.into_iter().next().ok_or(WebError::NotFound)?;
            let name = file.trip.name.clone();
            let to_plan = TripToPlan::of_file(file, &here).map_err(|error| {
                WebError::Refused(format!("This link: {}.", spare_hour_wording::refused::sentence(&error)))
            })?;
            let plan = match to_plan.plan(stop) {
                Outcome::Planned(planned) => {
                    let shown = ShownPlan::by_road(&planned, &[]);
                    let headline = Headline::new(&shown.plan, &shown.departure, units);
                    let cost = format!("{:.2}", shown.plan.cost);
                    Some((headline, cost, Box::new(DayLine::new(&shown, units, None, None))))
                }
                _ => None,
            };
            Ok((name, plan, opened.trip))
        })
        .await?;
    Ok(page(StatusCode::OK, &OpenPage { frame: Frame::new(&app, "trips", name.clone()), trip, name, plan }))
}

/// Keeps the trip of a link.
pub(crate) async fn keep(State(app): State<App>, Form(opened): Form<Opened>) -> Result<Response, WebError> {
    let trips = opened.trips()?;
    keep_new(&app, trips).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_says_what_it_is_given_to_another_reader() {
        let (address, digits) = ("http://192.168.1.20:4600/open?trip=", "0123456789".repeat(40));
        let (size, path) = code(address, &digits).unwrap();
        let dark: std::collections::HashSet<(usize, usize)> = path
            .split('M')
            .filter(|part| !part.is_empty())
            .map(|part| {
                let (x, y) = part.trim_end_matches("h1v1h-1z").split_once(' ').unwrap();
                (x.parse().unwrap(), y.parse().unwrap())
            })
            .collect();
        let (scale, size) = (4, usize::try_from(size).unwrap());
        let shade = |x: usize, y: usize| if dark.contains(&(x / scale, y / scale)) { 0 } else { 255 };
        let mut image = rqrr::PreparedImage::prepare_from_greyscale(scale * size, scale * size, shade);
        let (_, read) = image.detect_grids()[0].decode().unwrap();
        assert_eq!(read, format!("{address}{digits}"));
        assert!(code(address, &"7".repeat(9_000)).is_none());
    }
}
