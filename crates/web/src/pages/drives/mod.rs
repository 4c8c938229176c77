//! Drives: the log, and what it says of a car's consumption.

mod charts;
mod from_track;
mod log;
mod view;

use askama::Template;
use axum::extract::{Form, Multipart, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Consumption, Speed, Temperature};
use spare_hour_formats::{read_drive_line, read_drives, read_track, write_drives};
use spare_hour_planning::clock::Here;
use spare_hour_store::Store;

use crate::app::{App, off_thread};
use crate::forms::car_choice;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::download::{list_file, list_format};
use crate::http::error::{WebError, page};
use crate::http::upload::{Upload, read_upload};
use crate::layout::Frame;
use log::Part;
use spare_hour_wording::figures;
use view::DrivesView;

/// The conditions that a consumption is told for unless others are asked.
pub(super) const SPEED: Speed = Speed::kmh(110.0);
pub(super) const OUTSIDE: Temperature = Temperature::celsius(15.0);

#[derive(Template)]
#[template(path = "drives/show.html")]
struct ShowPage {
    frame: Frame,
    cars: Vec<(i32, String, bool)>,
    car: Option<i32>,
    /// Lines that were typed and could not all be read.
    text: String,
    faults: Vec<String>,
    /// Where and when a consumption is asked for.
    at: AtForm,
    view: Option<DrivesView>,
    used: bool,
}

/// Drives typed so far as they are understood.
#[derive(Template)]
#[template(path = "drives/lines.html")]
struct LinesView {
    lines: Vec<(usize, Result<String, String>)>,
}

/// The conditions that a consumption is asked for, as they were filled in.
#[derive(Clone, Debug)]
pub(super) struct AtForm {
    pub(super) speed: Field,
    pub(super) outside: Field,
    pub(super) wind: Field,
    pub(super) load: Field,
    pub(super) units: Units,
}

/// What an address asks of the drives.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct Ask {
    car: Option<i32>,
    speed: Option<String>,
    outside: Option<String>,
    wind: Option<String>,
    load: Option<String>,
    /// How many newer drives of the log are passed over, and whether only those that do not count are shown.
    from: usize,
    flagged: bool,
    /// Words that a drive is looked for by.
    q: String,
    used: bool,
}

#[derive(Debug, Deserialize)]
pub(crate) struct LinesForm {
    #[serde(default)]
    text: String,
}

#[derive(Debug, Deserialize)]
pub(crate) struct LeaveOutForm {
    drive: i32,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    back: bool,
}

#[derive(Debug, Deserialize)]
pub(crate) struct DriveForm {
    drive: i32,
}

#[derive(Debug, Deserialize)]
pub(crate) struct OwnForm {
    kwh_per_100km: f64,
}

impl AtForm {
    fn new(ask: &Ask, units: Units) -> Self {
        let field = |typed: &Option<String>, usual: f64| {
            Field::new(typed.clone().unwrap_or_else(|| figures::field(usual.round())))
        };
        Self {
            speed: field(&ask.speed, units.distance.of_speed(SPEED)),
            outside: field(&ask.outside, units.temperature.of(OUTSIDE)),
            wind: field(&ask.wind, 0.0),
            load: field(&ask.load, 0.0),
            units,
        }
    }

    /// Drives as a person in these units would type them.
    fn examples(&self) -> [String; 2] {
        let (long, pace) = match self.units.distance {
            DistanceUnit::Kilometres => ("182 km", "108 km/h"),
            DistanceUnit::Miles => ("113 mi", "67 mph"),
        };
        let cool = self.units.temperature.of(Temperature::celsius(7.0)).round();
        let degrees = self.units.temperature.name();
        [
            format!("{long} 1:41 h 33.5 kWh {cool:.0} {degrees}"),
            format!("2026-05-01 {long} {pace} 88-52 % +640 m -310 m wind 15"),
        ]
    }

    /// The fields: name, label, what stands in it.
    pub(super) fn fields(&self) -> Vec<(&'static str, String, &Field)> {
        let (speed, degrees) = (self.units.distance.speed_name(), self.units.temperature.name());
        vec![
            ("speed", format!("Speed, {speed}"), &self.speed),
            ("outside", format!("Outside, {degrees}"), &self.outside),
            ("wind", format!("Headwind, {speed}"), &self.wind),
            ("load", "Load, kg".into(), &self.load),
        ]
    }
}

/// The log of a car and what it says.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    show_page(&app, ask, String::new(), Vec::new()).await
}

async fn show_page(app: &App, ask: Ask, text: String, faults: Vec<String>) -> Result<Response, WebError> {
    let frame = Frame::new(app, "drives", "Drives");
    let status = if faults.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let shown = app.run(move |store| ShowPage::new(store, frame, &ask, text, faults)).await?;
    Ok(page(status, &shown))
}

impl ShowPage {
    fn new(store: &Store, frame: Frame, ask: &Ask, text: String, faults: Vec<String>) -> Result<Self, WebError> {
        let cars = store.cars()?;
        let chosen = car_choice::chosen(&cars, ask.car)?;
        let mut at = AtForm::new(ask, store.settings()?.units);
        let part = Part { from: ask.from, flagged: ask.flagged, wanted: ask.q.trim().to_string() };
        let view = match chosen {
            Some(car) => Some(DrivesView::new(car, &store.drives_of(car.id)?, &mut at, part)),
            None => None,
        };
        let car = chosen.map(|car| car.id);
        Ok(Self { frame, cars: car_choice::options(&cars, car), car, text, faults, at, view, used: ask.used })
    }
}

/// Typed drives as they are understood, while they are typed.
pub(crate) async fn lines(State(app): State<App>, Form(form): Form<LinesForm>) -> Result<Response, WebError> {
    let units = app.units().await?;
    let lines = off_thread(move || {
        let told = |drive: Drive| view::in_words(&drive, units);
        typed(&form.text, units).map(|(number, drive)| (number, drive.map(told))).collect()
    });
    Ok(page(StatusCode::OK, &LinesView { lines: lines.await? }))
}

/// Lines that are not empty, with their numbers, as drives.
fn typed(text: &str, units: Units) -> impl Iterator<Item = (usize, Result<Drive, String>)> {
    let distance = units.distance;
    let lines = text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty());
    lines.map(move |(index, line)| (index + 1, read_drive_line(line, distance)))
}

/// Keeps typed drives or a file of them.
pub(crate) async fn add(State(app): State<App>, Path(car): Path<i32>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let units = app.units().await?;
    let typed = upload.field("text");
    let here = app.here.clone();
    match off_thread(move || drives_of(&upload, units, &here)).await? {
        Err(faults) => {
            let ask = Ask { car: Some(car), ..Ask::default() };
            show_page(&app, ask, typed, faults).await
        }
        Ok(drives) => {
            app.change(move |store| Ok(store.add_drives(store.car(car)?.id, &drives)?)).await?;
            Ok(Redirect::to(&format!("/drives?car={car}")).into_response())
        }
    }
}

/// The drives that a form brings: of a track, of a list, or typed.
fn drives_of(upload: &Upload, units: Units, here: &Here) -> Result<Vec<Drive>, Vec<String>> {
    let typed = upload.field("text");
    if upload.bytes.trim_ascii_start().starts_with(b"<") {
        of_track(&upload.bytes, &typed, units, here)
    } else if upload.from_file {
        read_drives(&upload.bytes).map_err(|error| vec![error.to_string()])
    } else {
        of_lines(&typed, units)
    }
}

fn of_track(bytes: &[u8], typed: &str, units: Units, here: &Here) -> Result<Vec<Drive>, Vec<String>> {
    let track = read_track(bytes).map_err(|error| vec![error.to_string()])?;
    let drive = from_track::drive_of_track(&track, typed, units.distance, here);
    drive.map(|drive| vec![drive]).map_err(|problem| vec![format!("the track and what is typed beside it: {problem}")])
}

fn of_lines(text: &str, units: Units) -> Result<Vec<Drive>, Vec<String>> {
    let (mut drives, mut faults) = (Vec::new(), Vec::new());
    for (number, drive) in typed(text, units) {
        match drive {
            Ok(drive) => drives.push(drive),
            Err(problem) => faults.push(format!("line {number}: {problem}")),
        }
    }
    if drives.is_empty() && faults.is_empty() {
        faults.push("Nothing was typed: expected a drive on each line.".into());
    }
    if faults.is_empty() { Ok(drives) } else { Err(faults) }
}

/// The drives of a car as a list.
pub(crate) async fn list(State(app): State<App>, Path((car, file)): Path<(i32, String)>) -> Result<Response, WebError> {
    let format = list_format(&file, "drives")?;
    let drives: Vec<Drive> = app
        .run(move |store| Ok(store.drives_of(store.car(car)?.id)?))
        .await?
        .into_iter()
        .map(|kept| kept.drive)
        .collect();
    Ok(list_file(&format!("drives-{car}"), format, write_drives(&drives, format)))
}

/// Leaves a drive out, or takes it back in.
pub(crate) async fn leave_out(
    State(app): State<App>,
    Path(car): Path<i32>,
    Form(form): Form<LeaveOutForm>,
) -> Result<Redirect, WebError> {
    let said: String = form.reason.trim().chars().take(200).collect();
    let reason = if said.is_empty() { "no reason given".to_string() } else { said };
    let reason = (!form.back).then_some(reason);
    app.change(move |store| Ok(store.leave_out_drive(form.drive, reason.as_deref())?)).await?;
    Ok(Redirect::to(&format!("/drives?car={car}")))
}

/// Removes a drive.
pub(crate) async fn remove(
    State(app): State<App>,
    Path(car): Path<i32>,
    Form(form): Form<DriveForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_drive(form.drive)?)).await?;
    Ok(Redirect::to(&format!("/drives?car={car}")))
}

/// Makes a consumption the car's own, which distances may be figured with.
pub(crate) async fn use_own(
    State(app): State<App>,
    Path(car): Path<i32>,
    Form(form): Form<OwnForm>,
) -> Result<Redirect, WebError> {
    if !(1.0..=200.0).contains(&form.kwh_per_100km) {
        return Err(WebError::Refused("The consumption does not work; expected 1 to 200 kWh/100 km.".into()));
    }
    app.change(move |store| {
        let about = store.car(car)?.about;
        let own = Some(Consumption::kwh_per_100km(form.kwh_per_100km));
        let distances = spare_hour_core::session::distance_base::Distances { own, ..about.distances };
        Ok(store.change_car(car, &KnownCar { distances, ..about })?)
    })
    .await?;
    Ok(Redirect::to(&format!("/drives?car={car}&used=true")))
}
