//! Sessions: measured charges, what can be read off each, and what a person changes of it.

mod bring;
mod bring_list;
mod change;
mod charts;
mod grid;
mod loaded;
mod money;
mod own_window;
mod shown_findings;
mod take_away;
mod view;

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use serde::Deserialize;
use spare_hour_core::quantity::Minutes;
use spare_hour_formats::clock;
use spare_hour_store::{SessionLine, StoredLiveCharge};

use crate::app::App;
use crate::forms::car_choice;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use crate::layout::months::{Month, by_month, has_words};
pub(crate) use bring::{import, lines, matched, new};
pub(crate) use change::{change, edit, join, keep_step, leave_out, remove, use_curve};
pub(crate) use grid::show as grid;
use loaded::Loaded;
use money::MoneyView;
use spare_hour_planning::combine_charges::agreed_with;
use spare_hour_wording::figures;
pub(crate) use take_away::{analysis, chart, csv, json, source, xlsx};
use view::SessionView;

#[derive(Template)]
#[template(path = "sessions/list.html")]
struct ListPage {
    frame: Frame,
    /// The sessions of each month, the newest first, and whether they are unfolded.
    months: Vec<Month<ListRow>>,
    /// How many are kept, and what is looked for among them.
    kept: usize,
    wanted: String,
    open: Vec<StoredLiveCharge>,
    /// What was removed just now.
    removed: bool,
}

/// A session with the name of its car and its length.
type ListRow = (SessionLine, String, String);

/// Whether a session has all words that are looked for, in its name, its car or its day.
fn is_wanted((session, car, _): &ListRow, wanted: &str) -> bool {
    has_words(&format!("{} {car} {}", session.name, session.day), wanted)
}

#[derive(Template)]
#[template(path = "sessions/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    notice: Option<(String, Option<i32>)>,
    view: Result<SessionView, String>,
    /// What it cost and would have cost.
    money: Option<MoneyView>,
    cars: Vec<(i32, String, bool)>,
    /// Whether it is known which car it was.
    has_car: bool,
    /// Sessions that this one could be joined with.
    others: Vec<(i32, String)>,
    source_name: String,
    source_text: String,
    /// The day of the charge, where it was noted.
    day: Option<String>,
    created_at: String,
    /// The address's window and base, for forms that keep them.
    base: Option<String>,
}

/// What an address asks of a session.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    /// A window of one's own.
    from: Option<String>,
    to: Option<String>,
    /// Minutes and kWh to look up from its start.
    after: Option<String>,
    /// When the charge began, and minutes that the car stood there afterwards.
    began: Option<String>,
    parked: Option<String>,
    store: Option<String>,
    /// A base of distances.
    base: Option<String>,
    /// Set when the curve was just taken for a car.
    used: Option<i32>,
}

impl Ask {
    fn window(&self) -> own_window::Asked<'_> {
        own_window::Asked {
            from: self.from.as_deref(),
            to: self.to.as_deref(),
            minutes: self.after.as_deref(),
            kwh: self.store.as_deref(),
        }
    }
}

/// What an address asks of the list.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct ListAsk {
    /// Words that are looked for.
    #[serde(default)]
    q: String,
    #[serde(default)]
    removed: bool,
}

/// The list of sessions.
pub(crate) async fn list(State(app): State<App>, Query(ask): Query<ListAsk>) -> Result<Response, WebError> {
    let (sessions, open) = app
        .run(|store| {
            let cars = store.cars()?;
            let name = |id: Option<i32>| cars.iter().find(|car| Some(car.id) == id).map(|car| car.about.name.clone());
            let line = |line: SessionLine| {
                let (car, minutes) = (name(line.car).unwrap_or_default(), clock(Minutes::new(line.minutes)));
                (line, car, minutes)
            };
            Ok((store.sessions()?.into_iter().map(line).collect::<Vec<ListRow>>(), store.open_charges()?))
        })
        .await?;
    let (frame, kept, wanted) = (Frame::new(&app, "sessions", "Sessions"), sessions.len(), ask.q.trim().to_string());
    let found: Vec<ListRow> = sessions.into_iter().filter(|row| is_wanted(row, &wanted)).collect();
    let months = by_month(found, !wanted.is_empty(), |row| &row.0.day);
    Ok(page(StatusCode::OK, &ListPage { frame, months, kept, wanted, open, removed: ask.removed }))
}

/// One session and what can be read off it.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (base, reports) = (ask.base.clone(), app.reports());
    let here = app.here.clone();
    let (loaded, view, money, notice, cars, others) = app
        .run(move |store| {
            let loaded = Loaded::new(store, id, reports.clone())?;
            let agreed = agreed_with(store, &loaded, &reports)?;
            let view = SessionView::new(&loaded, &ask.window(), &agreed, ask.base.as_deref());
            let money = match loaded.report(None) {
                Ok(report) => {
                    let stop = (ask.began.as_deref(), ask.parked.as_deref());
                    MoneyView::new(store, &loaded, &report.analysis, stop, &here)?
                }
                Err(_) => None,
            };
            let notice = match ask.used {
                Some(car) => {
                    let name = store.car(car)?.about.name;
                    let trip = store.trips()?.into_iter().find(|trip| trip.car == car).map(|trip| trip.id);
                    Some((name, trip))
                }
                None => None,
            };
            let others = store.sessions()?.into_iter().filter(|other| other.id != id);
            let others: Vec<(i32, String)> = others.map(|other| (other.id, other.name)).collect();
            Ok((loaded, view.map_err(|error| error.to_string()), money, notice, store.cars()?, others))
        })
        .await?;
    let created_at = figures::stamp(loaded.units, &loaded.stored.created_at);
    let about = loaded.charge.stored.about;
    let (has_car, cars) = (about.car.is_some(), car_choice::options(&cars, about.car));
    let shown = ShowPage {
        frame: Frame::new(&app, "sessions", about.name.clone()),
        id,
        name: about.name,
        notice,
        view,
        money,
        cars,
        has_car,
        others,
        source_name: about.source_name,
        source_text: about.source_text,
        day: about.session.conditions.day,
        created_at,
        base,
    };
    Ok(page(StatusCode::OK, &shown))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(id: i32, name: &str, day: &str) -> ListRow {
        let (created_at, name) = (String::new(), name.to_string());
        let line = SessionLine {
            id,
            name,
            car: None,
            created_at,
            day: day.into(),
            readings: 9,
            soc: (10.0, 80.0),
            minutes: 25.0,
        };
        (line, "Avel 74".into(), "25:00".into())
    }

    #[test]
    fn a_list_of_hundreds_is_found_in() {
        let days = (0..200)
            .map(|at| row(at, &format!("Stop {at}"), &format!("20{}-{:02}-03", 26 - at / 96, 12 - at / 8 % 12)));
        let rows: Vec<ListRow> = days.collect();
        // By hand: 17, 117 and 170 to 179.
        let found = |wanted: &str| rows.iter().filter(|row| is_wanted(row, wanted)).count();
        assert_eq!((found("stop 17"), found("AVEL 2026-12"), found("avel cold"), found("")), (12, 8, 0, 200));
    }
}
