//! Sessions: measured charges, what can be read off each, and what a person changes of it.

mod bring;
mod bring_list;
mod change;
mod charts;
mod grid;
mod loaded;
mod money;
mod own_window;
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
    sessions: Vec<(SessionLine, String, String)>,
    open: Vec<StoredLiveCharge>,
    /// What was removed just now.
    removed: bool,
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
            Ok((store.sessions()?.into_iter().map(line).collect(), store.open_charges()?))
        })
        .await?;
    let frame = Frame::new(&app, "sessions", "Sessions");
    Ok(page(StatusCode::OK, &ListPage { frame, sessions, open, removed: ask.removed }))
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
