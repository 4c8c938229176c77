//! Tariffs: what operators ask, the receipt of a typical stop while one types, memberships, and which sites ask which.

mod form;

use std::collections::HashMap;

use askama::Template;
use axum::extract::{Form, Multipart, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use jiff::Span;
use jiff::civil::Date;
use rust_decimal::Decimal;
use serde::Deserialize;
use spare_hour_core::money::membership::{Benefit, Membership};
use spare_hour_core::money::receipt::receipt;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::units::ClockFace;
use spare_hour_formats::{read_tariff_table, read_tariffs, write_tariff};
use spare_hour_planning::clock::Here;
use spare_hour_planning::tariffs::{memberships, read};
use spare_hour_store::{NewTariff, Store, StoredMembership, StoredTariff};
use spare_hour_wording::receipts::ReceiptWords;

use crate::app::{App, off_thread};
use crate::charts::price_day::{PriceDay, price_days};
use crate::forms::field::Field;
use crate::forms::seen::must_be_as_seen;
use crate::http::address::Path;
use crate::http::download::download;
use crate::http::error::{WebError, page};
use crate::http::upload::read_upload;
use crate::layout::Frame;
use form::TariffForm;

/// The form as it comes: by key.
pub(crate) type Fields = HashMap<String, String>;

#[derive(Template)]
#[template(path = "tariffs/list.html")]
struct ListPage {
    frame: Frame,
    tariffs: Vec<(i32, String, String)>,
    faults: Vec<String>,
}

#[derive(Template)]
#[template(path = "tariffs/show.html")]
struct ShowPage {
    frame: Frame,
    id: Option<i32>,
    form: TariffForm,
    part: ReceiptPart,
    memberships: Vec<(i32, String)>,
    others: Vec<(i32, String)>,
    member_fault: Option<String>,
    trips: Vec<TripSites>,
}

/// The receipt of a typical stop, and what memberships make of it.
#[derive(Template)]
#[template(path = "tariffs/receipt_part.html")]
struct ReceiptPart {
    /// Fields that do not work: name and what is wrong.
    faults: Vec<(String, String)>,
    receipt: Option<ReceiptWords>,
    members: Vec<String>,
    /// The days of a week that differ.
    days: Vec<PriceDay>,
}

/// The sites of a trip, and which of them ask this tariff.
struct TripSites {
    id: i32,
    name: String,
    sites: Vec<(String, String, bool)>,
}

/// The list of tariffs.
pub(crate) async fn list(State(app): State<App>) -> Result<Response, WebError> {
    list_page(&app, Vec::new()).await
}

async fn list_page(app: &App, faults: Vec<String>) -> Result<Response, WebError> {
    let tariffs = app.run(|store| Ok(store.tariffs()?)).await?;
    let line = |kept: StoredTariff| (kept.id, kept.about.name, kept.about.currency);
    let status = if faults.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let frame = Frame::new(app, "tariffs", "Tariffs");
    Ok(page(status, &ListPage { frame, tariffs: tariffs.into_iter().map(line).collect(), faults }))
}

/// Takes tariffs from an OCPI file.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let read = move || {
        let is_json = upload.text.trim_start().starts_with(['{', '[']);
        let bytes = upload.text.as_bytes();
        if is_json { read_tariffs(bytes) } else { read_tariff_table(bytes) }
    };
    let tariffs = match off_thread(read).await? {
        Ok(tariffs) => tariffs,
        Err(error) => return list_page(&app, vec![error.to_string()]).await,
    };
    app.change(move |store| {
        for tariff in &tariffs {
            store.add_tariff(&kept(tariff))?;
        }
        Ok(())
    })
    .await?;
    Ok(Redirect::to("/tariffs").into_response())
}

fn kept(tariff: &Tariff) -> NewTariff {
    NewTariff { name: tariff.name.clone(), currency: tariff.currency.clone(), ocpi: write_tariff(tariff, &tariff.name) }
}

/// The form of a new tariff.
pub(crate) async fn new(State(app): State<App>) -> Result<Response, WebError> {
    let form = TariffForm::empty(&app.settings().await?.currency);
    show_page(&app, None, form, None, StatusCode::OK).await
}

/// The form of a kept tariff.
pub(crate) async fn show(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let form = kept_form(&app, id).await?;
    show_page(&app, Some(id), form, None, StatusCode::OK).await
}

/// A kept tariff in the form, times as the person reads them.
async fn kept_form(app: &App, id: i32) -> Result<TariffForm, WebError> {
    let (stored, settings) = app.run(move |store| Ok((store.tariff(id)?, store.settings()?))).await?;
    Ok(TariffForm::of(&read(&stored)?, settings.units.clock))
}

async fn show_page(
    app: &App,
    id: Option<i32>,
    form: TariffForm,
    member_fault: Option<String>,
    status: StatusCode,
) -> Result<Response, WebError> {
    let frame = Frame::new(app, "tariffs", if id.is_some() { "Tariff" } else { "New tariff" });
    let here = app.here.clone();
    let shown = app
        .run(move |store| {
            let memberships = match id {
                Some(id) => memberships(store, id)?,
                None => Vec::new(),
            };
            let others = store.tariffs()?.into_iter().filter(|other| Some(other.id) != id);
            Ok(ShowPage {
                frame,
                id,
                part: part(&form, &memberships, &here, store.settings()?.units.clock),
                memberships: memberships.iter().map(|(id, membership)| (*id, in_words(membership))).collect(),
                others: others.map(|other| (other.id, other.about.name)).collect(),
                member_fault,
                trips: trips(store, id)?,
                form,
            })
        })
        .await?;
    Ok(page(status, &shown))
}

fn in_words(membership: &Membership) -> String {
    let benefit = match &membership.benefit {
        Benefit::Own(tariff) => format!("members pay “{}”", tariff.name),
        Benefit::PercentOff { percent, .. } => format!("{percent} % off"),
    };
    format!("{}: {:.2} a month, {benefit}", membership.name, membership.monthly_fee)
}

/// The receipt of the typical stop under a form's tariff.
fn part(form: &TariffForm, memberships: &[(i32, Membership)], here: &Here, face: ClockFace) -> ReceiptPart {
    let days = form.tariff().map(|tariff| price_days(tariff, this_monday(here), face)).unwrap_or_default();
    let (Some(tariff), Some((began, periods))) = (form.tariff(), form.stop(here.zone())) else {
        return ReceiptPart { faults: form.faults(), receipt: None, members: Vec::new(), days };
    };
    let usual = receipt(tariff, &began, periods);
    let kwh: f64 = periods.iter().map(|period| period.energy.get()).sum();
    let member = |(_, membership): &(i32, Membership)| {
        let paid = receipt(&membership.tariff(tariff), &began, periods);
        let saved = usual.total_with_vat - paid.total_with_vat;
        let per_kwh = Decimal::try_from(kwh).ok().filter(|kwh| !kwh.is_zero()).map(|kwh| saved / kwh);
        let pays = per_kwh.and_then(|per_kwh| membership.pays_from(per_kwh));
        let pays = pays.map_or_else(
            || "it saves nothing at such a stop".into(),
            |kwh| format!("it pays from {:.0} kWh a month of such stops on", kwh.ceil()),
        );
        format!("{}: such a stop costs {:.2}, {saved:.2} less; {pays}.", membership.name, paid.total_with_vat)
    };
    ReceiptPart {
        faults: Vec::new(),
        receipt: Some(ReceiptWords::new(&usual, tariff)),
        members: memberships.iter().map(member).collect(),
        days,
    }
}

/// The Monday of this week: tariffs may have dates.
fn this_monday(here: &Here) -> Date {
    let today = here.today();
    today.saturating_sub(Span::new().days(i64::from(today.weekday().to_monday_zero_offset())))
}

fn trips(store: &Store, id: Option<i32>) -> Result<Vec<TripSites>, WebError> {
    let Some(id) = id else { return Ok(Vec::new()) };
    let trip = |line: spare_hour_store::TripLine| {
        let asked = store.tariffs_of_sites(line.id)?;
        let sites = store.trip(line.id)?.about.sites.into_iter();
        let site = |site: spare_hour_core::trip::Site| {
            let asks = asked.get(&site.id) == Some(&id);
            (site.id, site.name, asks)
        };
        Ok(TripSites { id: line.id, name: line.name, sites: sites.map(site).collect() })
    };
    store.trips()?.into_iter().map(trip).collect()
}

/// The receipt while a tariff is typed. The tariff's number, if it has one, comes with the form.
pub(crate) async fn preview(State(app): State<App>, Form(fields): Form<Fields>) -> Result<Response, WebError> {
    let id = fields.get("id").and_then(|id| id.parse::<i32>().ok());
    let form = TariffForm::new(&fields);
    let memberships = app.run(move |store| Ok(id.map_or(Ok(Vec::new()), |id| memberships(store, id))?)).await?;
    let face = app.settings().await?.units.clock;
    Ok(page(StatusCode::OK, &part(&form, &memberships, &app.here, face)))
}

/// Keeps a new tariff.
pub(crate) async fn add(State(app): State<App>, Form(fields): Form<Fields>) -> Result<Response, WebError> {
    let form = TariffForm::new(&fields);
    let Some(tariff) = form.tariff().cloned() else {
        return show_page(&app, None, form, None, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let id = app.change(move |store| Ok(store.add_tariff(&kept(&tariff))?)).await?;
    Ok(Redirect::to(&format!("/tariffs/{id}")).into_response())
}

/// Keeps a changed tariff.
pub(crate) async fn change(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(fields): Form<Fields>,
) -> Result<Response, WebError> {
    let form = TariffForm::new(&fields);
    let Some(tariff) = form.tariff().cloned() else {
        return show_page(&app, Some(id), form, None, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    app.change(move |store| {
        must_be_as_seen(&form.seen, &read(&store.tariff(id)?)?)?;
        Ok(store.change_tariff(id, &kept(&tariff))?)
    })
    .await?;
    Ok(Redirect::to(&format!("/tariffs/{id}")).into_response())
}

/// A tariff as an OCPI object.
pub(crate) async fn json(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let stored = app.run(move |store| Ok(store.tariff(id)?)).await?;
    Ok(download(&format!("tariff-{id}.json"), "application/json", stored.about.ocpi))
}

/// Removes a tariff.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_tariff(id)?)).await?;
    Ok(Redirect::to("/tariffs"))
}

#[derive(Debug, Deserialize)]
pub(crate) struct MemberForm {
    name: String,
    monthly_fee: String,
    #[serde(default)]
    percent_off: String,
    #[serde(default)]
    own_tariff: String,
}

/// Adds a membership.
pub(crate) async fn add_membership(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<MemberForm>,
) -> Result<Response, WebError> {
    let fee = Field::new(form.monthly_fee).decimal(0, 10_000, "");
    let percent = Field::new(form.percent_off).decimal(0, 100, "");
    let own: Option<i32> = form.own_tariff.parse().ok();
    let name: String = form.name.trim().chars().take(80).collect();
    let (Some(fee), true, true) = (fee, !name.is_empty(), percent.is_some() != own.is_some()) else {
        let fault = "A membership needs a name, a monthly fee, and either percent off or a tariff of its own.";
        let form = kept_form(&app, id).await?;
        return show_page(&app, Some(id), form, Some(fault.into()), StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let new = StoredMembership {
        id: 0,
        name,
        monthly_fee: fee.to_string(),
        percent_off: percent.map(|percent| percent.to_string()),
        own_tariff: own,
    };
    app.change(move |store| Ok(store.add_membership(store.tariff(id)?.id, &new)?)).await?;
    Ok(Redirect::to(&format!("/tariffs/{id}")).into_response())
}

#[derive(Debug, Deserialize)]
pub(crate) struct RemoveMemberForm {
    membership: i32,
}

/// Removes a membership.
pub(crate) async fn remove_membership(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<RemoveMemberForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_membership(form.membership)?)).await?;
    Ok(Redirect::to(&format!("/tariffs/{id}")))
}

/// Says which sites of a trip ask a tariff: `site-…` of those that do.
pub(crate) async fn ask(
    State(app): State<App>,
    Path((id, trip)): Path<(i32, i32)>,
    Form(fields): Form<Fields>,
) -> Result<Redirect, WebError> {
    let sites: Vec<String> = fields.keys().filter_map(|key| key.strip_prefix("site-")).map(Into::into).collect();
    app.change(move |store| Ok(store.ask_tariff(trip, &sites, store.tariff(id)?.id)?)).await?;
    Ok(Redirect::to(&format!("/tariffs/{id}")))
}
