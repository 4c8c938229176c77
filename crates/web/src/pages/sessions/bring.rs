//! Bringing a charge: a file, a table of somebody else's making, or lines typed off a recording.

use askama::Template;
use axum::Form;
use axum::extract::{Multipart, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Energy, Power};
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::{Analysis, Basis};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::Fact;
use spare_hour_core::session::kept_readings::KeptReadings;
use spare_hour_core::session::soc_timeline::SocTimeline;
use spare_hour_formats::{
    Hints, Matching, ReadTimes, Sheet, TARGETS, TimeUnit, TimesAs, TypedLine, TypedText, clock, is_json_list,
    read_session_with, typed_text,
};
use spare_hour_store::{NewSession, Store, StoredMatching};

use super::bring_list::keep_list;
use crate::app::{App, off_thread};
use crate::forms::field::Field;
use crate::http::error::{WebError, page};
use crate::http::upload::{Upload, read_upload};
use crate::layout::Frame;
use spare_hour_wording::{figures, findings};

/// Loss of a car that is made for a session, % of the plug's energy: between the usual 2–4 and 10–12.
const USUAL_LOSS: f64 = 8.0;
/// The choice that makes a new car in the form.
const NEW_CAR: &str = "new";
/// Lines shown as they are understood.
const LINES_SHOWN: usize = 400;
/// Rows of a table shown for matching.
const ROWS_SHOWN: usize = 4;
/// Slips told while lines are typed.
const SLIPS_SHOWN: usize = 6;

#[derive(Template)]
#[template(path = "sessions/new.html")]
struct NewPage {
    frame: Frame,
    cars: Vec<(i32, String)>,
    form: NewForm,
    faults: Vec<String>,
    lines: LinesView,
    /// The unit of distances.
    unit: &'static str,
}

/// The form that brings a session, as it was filled in.
#[derive(Clone, Debug, Default)]
struct NewForm {
    name: Field,
    text: String,
    car: String,
    car_name: Field,
    usable: Field,
    range: Field,
    /// How times are read, where it was said.
    times: String,
    /// Whether it is kept although no battery takes it.
    anyway: bool,
    /// Whether that is the only thing that is wrong.
    may_keep_anyway: bool,
}

impl NewForm {
    fn hints(&self) -> Hints {
        let usable = self.usable.text.replace(',', ".").parse().ok().filter(|kwh| (0.1..=2_000.0).contains(kwh));
        Hints { times: TimesAs::of_name(&self.times), usable: usable.map(Energy::kwh) }
    }
}

/// Typed lines as they are understood.
#[derive(Template)]
#[template(path = "sessions/lines.html")]
struct LinesView {
    rows: Vec<LineRow>,
    good: usize,
    bad: usize,
    more: usize,
    times: Option<TimesView>,
    /// Readings that cannot be as they stand.
    slips: Vec<SlipView>,
}

/// A reading that cannot be as it stands, and its line as it may have been meant.
struct SlipView {
    told: String,
    line: usize,
    mended: Option<String>,
}

/// How the times of lines are read, and how else they could be.
struct TimesView {
    sentence: String,
    /// Whether a person has to say which it is.
    asks: bool,
    ways: Vec<WayView>,
}

struct WayView {
    name: &'static str,
    chosen: bool,
}

struct LineRow {
    number: usize,
    reading: String,
    fault: String,
}

#[derive(Template)]
#[template(path = "sessions/match.html")]
struct MatchPage {
    frame: Frame,
    form: NewForm,
    source_name: String,
    text: String,
    columns: Vec<ColumnRow>,
    targets: [&'static str; 11],
    unit: &'static str,
    faults: Vec<String>,
}

/// A column to match: its name, what its first cells hold, and what it is taken for.
struct ColumnRow {
    index: usize,
    name: String,
    cells: String,
    target: &'static str,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct NewAsk {
    car: Option<String>,
}

#[derive(Debug, Deserialize)]
pub(crate) struct LinesForm {
    #[serde(default)]
    text: String,
    #[serde(default)]
    times: String,
    #[serde(default)]
    usable: String,
}

/// The form that brings a session.
pub(crate) async fn new(State(app): State<App>, Query(ask): Query<NewAsk>) -> Result<Response, WebError> {
    new_page(&app, NewForm { car: ask.car.unwrap_or_default(), ..NewForm::default() }, Vec::new()).await
}

async fn new_page(app: &App, form: NewForm, faults: Vec<String>) -> Result<Response, WebError> {
    let (cars, unit) = app.run(|store| Ok((store.cars()?, store.settings()?.units.distance.name()))).await?;
    let wrong =
        !faults.is_empty() || [&form.name, &form.car_name, &form.usable, &form.range].iter().any(|f| f.fault.is_some());
    let status = if wrong { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let cars = cars.into_iter().map(|car| (car.id, car.about.name)).collect();
    let (text, hints) = (form.text.clone(), form.hints());
    let lines = off_thread(move || LinesView::new(&text, hints)).await?;
    Ok(page(
        status,
        &NewPage { frame: Frame::new(app, "sessions", "Import a charge"), cars, form, faults, lines, unit },
    ))
}

/// Typed lines as they are understood, while they are typed.
pub(crate) async fn lines(Form(form): Form<LinesForm>) -> Result<Response, WebError> {
    let asked = NewForm { times: form.times, usable: Field::new(form.usable), ..NewForm::default() };
    let lines = off_thread(move || LinesView::new(&form.text, asked.hints())).await?;
    Ok(page(StatusCode::OK, &lines))
}

impl LinesView {
    /// Nothing for a table or a file, which are read as a whole.
    fn new(text: &str, hints: Hints) -> Self {
        let first = text.lines().find(|line| !line.trim().is_empty() && !line.trim_start().starts_with('#'));
        let is_table = first.is_some_and(|line| line.to_lowercase().contains("soc") || line.trim().starts_with('{'));
        let typed = if is_table { TypedText::default() } else { typed_text(text, hints) };
        let lines = &typed.lines;
        let good = lines.iter().filter(|line| line.reading.is_ok()).count();
        Self {
            good,
            bad: lines.len() - good,
            more: lines.len().saturating_sub(LINES_SHOWN),
            rows: lines.iter().rev().take(LINES_SHOWN).rev().map(LineRow::new).collect(),
            times: typed.times.as_ref().map(TimesView::new),
            slips: slips(&typed, text),
        }
    }
}

impl TimesView {
    fn new(times: &ReadTimes) -> Self {
        let ways = if times.can_be_changed { TimesAs::ALL.to_vec() } else { Vec::new() };
        let way = |way: TimesAs| WayView { name: way.name(), chosen: times.or.is_none() && way == times.way };
        Self { sentence: times.to_string(), asks: times.or.is_some(), ways: ways.into_iter().map(way).collect() }
    }
}

/// What is said of readings that cannot be as they stand, each with its line.
fn slips(typed: &TypedText, text: &str) -> Vec<SlipView> {
    let good: Vec<&TypedLine> = typed.lines.iter().filter(|line| line.reading.is_ok()).collect();
    let readings = good.iter().filter_map(|line| line.reading.clone().ok()).collect();
    let session = Session { readings, ..Session::default() };
    let kept = KeptReadings::new(&session);
    let said = kept.slips.iter().take(SLIPS_SHOWN).map(|(index, slip)| {
        let finding = Fact::of_slip(&session, *index, *slip);
        let sentence = findings::sentence(&finding, Units::default());
        let bare = sentence.strip_prefix(&format!("Reading {}: ", index + 1)).unwrap_or(&sentence);
        let line = good[*index].number;
        let likely = finding.shown_and_likely();
        let written = text.lines().nth(line - 1);
        let mended = written.zip(likely).and_then(|(written, likely)| mended(written, likely));
        SlipView { told: format!("Line {line}: {bare}"), line, mended }
    });
    said.collect()
}

/// A line with the number that was shown replaced by the likely one; `None` unless it stands there once.
fn mended(line: &str, (shown, likely): (f64, f64)) -> Option<String> {
    let is_digit = |c: char| c.is_ascii_digit() || c == '.' || c == ',';
    let mut found = None;
    let mut at = 0;
    for word in line.split_inclusive(|c: char| !is_digit(c)) {
        let number = word.trim_end_matches(|c: char| !c.is_ascii_digit());
        // What a colon follows or goes before is a time.
        let in_time = line[..at].ends_with(':') || line[at + number.len()..].starts_with(':');
        if !in_time && number.replace(',', ".").parse() == Ok(shown) && found.replace((at, number.len())).is_some() {
            return None;
        }
        at += word.len();
    }
    let (at, length) = found?;
    Some(format!("{}{likely}{}", &line[..at], &line[at + length..]))
}

impl LineRow {
    fn new(line: &TypedLine) -> Self {
        let (reading, fault) = match &line.reading {
            Err(fault) => (String::new(), fault.clone()),
            Ok(reading) => {
                let kw = reading.power.map(|power| format!(" · {} kW", figures::field(Power::get(power))));
                let kwh = reading.energy.map(|energy| format!(" · {} kWh", figures::field(energy.get())));
                let soc = reading.soc.map(|soc| format!(" · {} %", figures::field(soc.get())));
                let more = [
                    reading.voltage.map(|volts| format!(" · {} V", figures::field(volts.get()))),
                    reading.current.map(|amps| format!(" · {} A", figures::field(amps.get()))),
                    reading.battery.map(|pack| format!(" · {} °C", figures::field(pack.get()))),
                    reading.range.map(|range| format!(" · {} km", figures::field(range.get()))),
                ];
                let parts = [soc, kw, kwh].into_iter().chain(more).flatten();
                (clock(reading.elapsed) + &parts.collect::<String>(), String::new())
            }
        };
        Self { number: line.number, reading, fault }
    }
}

fn form_of(upload: &Upload) -> NewForm {
    NewForm {
        name: Field::new(upload.field("name")),
        text: upload.field("text"),
        car: upload.field("car"),
        car_name: Field::new(upload.field("car_name")),
        usable: Field::new(upload.field("usable")),
        range: Field::new(upload.field("range")),
        times: upload.field("times"),
        anyway: upload.field("anyway") == "yes",
        may_keep_anyway: false,
    }
}

/// What came, as far as it could be read.
enum Brought {
    Session(Box<Session>),
    /// A table whose columns have to be matched first.
    Table(Sheet),
    Faults(Vec<String>),
}

/// Takes a session: a file or pasted lines.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let mut form = form_of(&upload);
    if is_json_list(&upload.bytes) {
        return import_list(&app, form, upload).await;
    }
    let hints = form.hints();
    let (brought, upload) = app
        .run(move |store| {
            let mut upload = upload;
            let brought = brought(store, &mut upload, hints)?;
            Ok((brought, upload))
        })
        .await?;
    let (session, mut faults) = match brought {
        Brought::Session(session) => (Some(*session), Vec::new()),
        Brought::Faults(faults) => (None, faults),
        Brought::Table(sheet) => {
            let matching = sheet.guess();
            return Ok(match_page(&app, form, &upload, &sheet, &matching, Vec::new()));
        }
    };
    let car = chosen_car(&mut form, session.as_ref(), app.units().await?);
    if form.car.is_empty() {
        faults.push("Say which car it was, or name a new one.".into());
    }
    let car = app.run(move |store| CheckedCar::new(store, car)).await?.car(&mut form);
    if let (Some((_, usable)), Some(session), true) = (&car, &session, faults.is_empty() && !form.anyway)
        && let Some(fault) = impossible(session, *usable)
    {
        faults.push(fault);
        form.may_keep_anyway = true;
    }
    let car = car.map(|(car, _)| car);
    let (Some(session), Some(car), true) = (session, car, faults.is_empty()) else {
        return new_page(&app, form, faults).await;
    };
    let id = app.change(move |store| keep(store, car, &form, upload, session)).await?;
    Ok(Redirect::to(&format!("/sessions/{id}")).into_response())
}

/// Takes a list of sessions at once.
async fn import_list(app: &App, form: NewForm, upload: Upload) -> Result<Response, WebError> {
    let chosen: Option<i32> = form.car.parse().ok();
    match app.change(move |store| keep_list(store, &upload, chosen)).await? {
        Ok(()) => Ok(Redirect::to("/sessions").into_response()),
        Err(fault) => new_page(app, form, vec![fault]).await,
    }
}

/// Reads what came. A table with names of its own is read by the matching remembered for them, if there is one.
fn brought(store: &Store, upload: &mut Upload, hints: Hints) -> Result<Brought, WebError> {
    let sheet = if upload.is_workbook() {
        Sheet::read_xlsx(&upload.bytes)
    } else {
        match read_session_with(&upload.text, hints) {
            Ok(session) => return Ok(usable_session(session)),
            Err(errors) => match Sheet::read_text(upload.text.as_bytes()) {
                // A table with our own names is read by them; what is wrong with it was said.
                Ok(sheet) if !sheet.names.iter().any(|name| name.trim().eq_ignore_ascii_case("soc")) => Ok(sheet),
                _ => return Ok(Brought::Faults(errors.iter().map(ToString::to_string).collect())),
            },
        }
    };
    let sheet = match sheet {
        Ok(sheet) => sheet,
        Err(error) => return Ok(Brought::Faults(vec![error.to_string()])),
    };
    if upload.is_workbook() {
        upload.text = sheet.to_csv();
    }
    let own_names = |name: &&str| sheet.names.iter().any(|column| column.trim().eq_ignore_ascii_case(name));
    let matching = match store.matching(&sheet.signature())? {
        Some(stored) => recalled(&stored),
        None if ["elapsed", "soc"].iter().all(own_names) => sheet.guess(),
        None => return Ok(Brought::Table(sheet)),
    };
    Ok(match sheet.session(&matching) {
        Ok(session) => usable_session(session),
        Err(_) => Brought::Table(sheet),
    })
}

/// A charge that no battery takes, in words.
fn impossible(session: &Session, usable: Energy) -> Option<String> {
    let basis = Basis { usable, range: None, base: DistanceBase::default(), loss_percent: None };
    let analysis = Analysis::new(session, basis).ok()?;
    Some(findings::sentence(&analysis.impossible()?, Units::default()))
}

/// What became of the choice of a car.
enum CheckedCar {
    /// Nobody said which.
    None,
    /// The car, with its capacity.
    Car(ChosenCar, Energy),
    /// A new one has the name of another.
    NameTaken,
}

impl CheckedCar {
    fn new(store: &Store, chosen: Option<ChosenCar>) -> Result<Self, WebError> {
        Ok(match chosen {
            None => Self::None,
            Some(ChosenCar::Kept(id)) => Self::Car(ChosenCar::Kept(id), store.car(id)?.about.usable),
            Some(ChosenCar::New(car)) => {
                let same = |other: spare_hour_store::Car| other.about.name.trim().eq_ignore_ascii_case(car.name.trim());
                if store.cars()?.into_iter().any(same) {
                    return Ok(Self::NameTaken);
                }
                let usable = car.usable;
                Self::Car(ChosenCar::New(car), usable)
            }
        })
    }

    /// The car, with the fault beside its name where that is taken.
    fn car(self, form: &mut NewForm) -> Option<(ChosenCar, Energy)> {
        match self {
            Self::None => None,
            Self::Car(car, usable) => Some((car, usable)),
            Self::NameTaken => {
                let fault = "there is a car of this name: choose it above, or name this one differently";
                form.car_name.fault = Some(fault.into());
                None
            }
        }
    }
}

fn usable_session(session: Session) -> Brought {
    match SocTimeline::new(&session) {
        Ok(_) => Brought::Session(Box::new(session)),
        Err(error) => Brought::Faults(vec![error.to_string()]),
    }
}

fn match_page(
    app: &App,
    form: NewForm,
    upload: &Upload,
    sheet: &Sheet,
    matching: &Matching,
    faults: Vec<String>,
) -> Response {
    let cells = |index: usize| -> Vec<&str> {
        sheet.rows.iter().take(ROWS_SHOWN).filter_map(|row| row.get(index)).map(String::as_str).collect()
    };
    let column = |(index, name): (usize, &String)| ColumnRow {
        index,
        name: name.clone(),
        cells: cells(index).join(", "),
        target: matching.columns.get(index).copied().flatten().unwrap_or_default(),
    };
    let shown = MatchPage {
        frame: Frame::new(app, "sessions", "Which column is what"),
        columns: sheet.names.iter().enumerate().map(column).collect(),
        targets: TARGETS,
        unit: unit_word(matching.time_unit),
        source_name: upload.file_name.clone(),
        text: sheet.to_csv(),
        form,
        faults,
    };
    let status = if shown.faults.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    page(status, &shown)
}

/// Takes a table whose columns were matched by hand, and remembers how.
pub(crate) async fn matched(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let mut form = form_of(&upload);
    let (mut upload, sheet) = off_thread(move || {
        let sheet = Sheet::read_text(upload.text.as_bytes());
        (upload, sheet)
    })
    .await?;
    let sheet = match sheet {
        Ok(sheet) => sheet,
        Err(error) => return new_page(&app, form, vec![error.to_string()]).await,
    };
    let matching = Matching {
        columns: (0..sheet.names.len()).map(|index| target(&upload.field(&format!("column-{index}")))).collect(),
        time_unit: unit(&upload.field("unit")),
    };
    upload.file_name = upload.field("source_name");
    upload.from_file = !upload.file_name.is_empty();
    let session = match sheet.session(&matching) {
        Ok(session) => session,
        Err(error) => {
            let faults = vec![error.to_string()];
            return Ok(match_page(&app, form, &upload, &sheet, &matching, faults));
        }
    };
    let faults = SocTimeline::new(&session).err().map(|error| error.to_string());
    let car = chosen_car(&mut form, Some(&session), app.units().await?);
    let car = app.run(move |store| CheckedCar::new(store, car)).await?.car(&mut form);
    let (Some((car, _)), None) = (car, &faults) else {
        let faults = faults.unwrap_or_else(|| "Say which car it was: its name and usable capacity are needed.".into());
        return Ok(match_page(&app, form, &upload, &sheet, &matching, vec![faults]));
    };
    let id = app
        .change(move |store| {
            store.remember_matching(&sheet.signature(), &remembered(&matching))?;
            keep(store, car, &form, upload, session)
        })
        .await?;
    Ok(Redirect::to(&format!("/sessions/{id}")).into_response())
}

fn target(word: &str) -> Option<&'static str> {
    TARGETS.into_iter().find(|target| *target == word)
}

fn unit_word(unit: TimeUnit) -> &'static str {
    match unit {
        TimeUnit::Seconds => "seconds",
        TimeUnit::Minutes => "minutes",
        TimeUnit::Hours => "hours",
    }
}

fn unit(word: &str) -> TimeUnit {
    [TimeUnit::Minutes, TimeUnit::Hours].into_iter().find(|unit| unit_word(*unit) == word).unwrap_or_default()
}

fn remembered(matching: &Matching) -> StoredMatching {
    StoredMatching {
        targets: matching.columns.iter().map(|target| target.map(Into::into)).collect(),
        time_unit: unit_word(matching.time_unit).into(),
    }
}

fn recalled(stored: &StoredMatching) -> Matching {
    Matching {
        columns: stored.targets.iter().map(|word| word.as_deref().and_then(target)).collect(),
        time_unit: unit(&stored.time_unit),
    }
}

/// The car of a new session.
enum ChosenCar {
    Kept(i32),
    New(Box<KnownCar>),
}

fn chosen_car(form: &mut NewForm, session: Option<&Session>, units: Units) -> Option<ChosenCar> {
    if form.car != NEW_CAR {
        return form.car.parse().ok().map(ChosenCar::Kept);
    }
    let conditions = session.map(|session| &session.conditions);
    if let (true, Some(usable)) = (form.usable.text.is_empty(), conditions.and_then(|conditions| conditions.usable)) {
        form.usable.text = usable.get().to_string();
    }
    if let (true, Some(car)) = (form.car_name.text.is_empty(), conditions.and_then(|conditions| conditions.car.clone()))
    {
        form.car_name.text = car;
    }
    let name = form.car_name.words(80);
    let usable = form.usable.required(0.1, 2_000.0, "kWh");
    let range = form.range.distance(units, 1.0, 10_000.0);
    if form.range.fault.is_some() {
        return None;
    }
    let mut car = KnownCar::new(name?, Energy::kwh(usable?), USUAL_LOSS);
    car.distances.rated = range.or(conditions.and_then(|conditions| conditions.rated_range));
    Some(ChosenCar::New(Box::new(car)))
}

fn keep(store: &Store, car: ChosenCar, form: &NewForm, upload: Upload, session: Session) -> Result<i32, WebError> {
    let car = match car {
        ChosenCar::Kept(id) => store.car(id)?.id,
        ChosenCar::New(car) => store.add_car(&car)?,
    };
    let source_name = if upload.from_file { upload.file_name } else { "pasted lines".into() };
    let stem = [".csv", ".xlsx", ".json", ".txt"].iter().find_map(|end| source_name.strip_suffix(end));
    let name = match form.name.text.trim() {
        "" => stem.unwrap_or(&source_name).chars().take(80).collect(),
        name => name.chars().take(80).collect(),
    };
    let new = NewSession { car: Some(car), name, source_name, source_text: upload.text, session };
    Ok(store.add_session(&new)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_shown_as_they_are_understood() {
        let understood = |text: &str| LinesView::new(text, Hints::default());
        let view = understood("4:30 20 207 35\n:45, 21 %, 206,5 kW\n4:7x 22\n# rain\n5:00 23\n");
        assert_eq!((view.good, view.bad, view.more), (3, 1, 0));
        let told: Vec<&str> = view.rows.iter().map(|row| row.reading.as_str()).collect();
        assert_eq!(told, ["4:30 · 20 % · 207 kW · 35 kWh", "4:45 · 21 % · 206.5 kW", "", "5:00 · 23 %"]);
        assert!(view.rows[2].fault.contains("\"4:7x\" is no time"));
        let tables = ["elapsed,soc\n0,10\n", "{\"format\": \"spare-hour/session\"}", ""];
        assert!(tables.map(understood).iter().all(|view| view.rows.is_empty()));
        let long: String = (0..1000).map(|second| format!("{second} 50\n")).collect();
        let view = understood(&long);
        assert_eq!((view.rows.len(), view.more, view.rows.last().unwrap().number), (LINES_SHOWN, 600, 1000));
    }

    #[test]
    fn a_slip_is_mended_in_its_line() {
        let view = LinesView::new("0:00 60 150\n3:00 70 140\n6:00 44 120\n8:00 87 90\n", Hints::default());
        let slip = &view.slips[0];
        assert_eq!((slip.line, slip.mended.as_deref()), (3, Some("6:00 84 120")), "{}", slip.told);
        assert_eq!(mended("44:10 44 %, 120 kW", (44.0, 84.0)).as_deref(), Some("44:10 84 %, 120 kW"));
        assert_eq!(mended("5:00 120 120", (120.0, 20.0)), None);
    }

    #[test]
    fn a_matching_is_recalled_as_it_was_remembered() {
        let matching = Matching { columns: vec![Some("elapsed"), None, Some("soc")], time_unit: TimeUnit::Hours };
        assert_eq!(recalled(&remembered(&matching)), matching);
        assert_eq!(target("speed"), None);
    }
}
