//! A month of driving and charging: a calendar, energy in and out, the post at home, and how many fast charges the next month needs.

mod ahead;
mod home_form;
mod ready;
mod view;

use askama::Template;
use axum::extract::{Form, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use jiff::civil::Date;
use serde::Deserialize;
use spare_hour_planning::month::Month;
use spare_hour_store::{Car, Store};

use crate::app::App;
use crate::forms::car_choice;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use ahead::AheadForm;
pub(crate) use home_form::HomeFields;
use home_form::HomeForm;
use ready::ReadyForm;
use view::MonthView;

#[derive(Template)]
#[template(path = "month/show.html")]
struct ShowPage {
    frame: Frame,
    cars: Vec<(i32, String, bool)>,
    car: Option<i32>,
    month: String,
    home: HomeForm,
    ahead: AheadForm,
    ready: ReadyForm,
    view: Option<MonthView>,
}

/// What an address asks of a month.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct Ask {
    car: Option<i32>,
    /// Such as `2026-10`.
    month: Option<String>,
    start: Option<String>,
    floor: Option<String>,
    fast_to: Option<String>,
    every: Option<String>,
    home_price: Option<String>,
    fast_price: Option<String>,
    post_price: Option<String>,
    at: Option<String>,
    soc: Option<String>,
    amps: Option<String>,
}

/// A month of a car.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    show_page(&app, ask, None).await
}

async fn show_page(app: &App, ask: Ask, home: Option<HomeForm>) -> Result<Response, WebError> {
    let frame = Frame::new(app, "drives", "A month");
    let status = if home.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let today = app.here.today();
    let shown = app.run(move |store| ShowPage::new(store, (frame, today), &ask, home)).await?;
    Ok(page(status, &shown))
}

impl ShowPage {
    fn new(store: &Store, (frame, today): (Frame, Date), ask: &Ask, home: Option<HomeForm>) -> Result<Self, WebError> {
        let cars = store.cars()?;
        let chosen = car_choice::chosen(&cars, ask.car)?;
        let first = match &ask.month {
            Some(month) => parse_month(month).ok_or(WebError::NotFound)?,
            None => latest(store, chosen, today)?.first_of_month(),
        };
        let spare_hour_store::Settings { units, currency } = store.settings()?;
        let mut ready = ReadyForm::new(ask, chosen.and_then(|car| car.about.home), units);
        let mut ahead = AheadForm::new(ask, chosen, currency);
        let view = match chosen {
            Some(car) => {
                Some(MonthView::new(car, &Month::new(store, car, first)?, (&mut ahead, &mut ready), units, today))
            }
            None => None,
        };
        let car = chosen.map(|car| car.id);
        Ok(Self {
            frame,
            cars: car_choice::options(&cars, car),
            car,
            month: month_name(first),
            home: home.unwrap_or_else(|| HomeForm::of(chosen.and_then(|car| car.about.home))),
            ahead,
            ready,
            view,
        })
    }
}

/// The last day that something is known of a car; today where nothing is.
fn latest(store: &Store, car: Option<&Car>, today: Date) -> Result<Date, WebError> {
    let Some(car) = car else { return Ok(today) };
    let drives = store.drives_of(car.id)?.into_iter().filter_map(|kept| kept.drive.day);
    let last = drives.filter_map(|day| day.parse::<Date>().ok()).max();
    Ok(last.map_or(today, |last| last.min(today)))
}

fn parse_month(text: &str) -> Option<Date> {
    format!("{text}-01").parse().ok().filter(|first: &Date| (1990..=2200).contains(&first.year()))
}

/// Such as `2026-10`.
fn month_name(first: Date) -> String {
    format!("{:04}-{:02}", first.year(), first.month())
}

/// Keeps where a car charges at home.
pub(crate) async fn keep_home(
    State(app): State<App>,
    Path(car): Path<i32>,
    Form(fields): Form<HomeFields>,
) -> Result<Response, WebError> {
    let month = fields.month.clone();
    let mut form = HomeForm::new(fields);
    let home = form.home();
    if form.is_wrong() {
        let ask = Ask { car: Some(car), month: parse_month(&month).map(month_name), ..Ask::default() };
        return show_page(&app, ask, Some(form)).await;
    }
    app.change(move |store| Ok(store.change_home(car, home.as_ref())?)).await?;
    let month = parse_month(&month).map(|first| format!("&month={}", month_name(first))).unwrap_or_default();
    Ok(Redirect::to(&format!("/drives/month?car={car}{month}")).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn months_are_read_as_they_are_written() {
        assert_eq!(parse_month("2026-10").map(month_name).as_deref(), Some("2026-10"));
        assert_eq!(["2026-13", "26-10", "2026", "x", "9999-01"].map(parse_month), [None; 5]);
    }
}
