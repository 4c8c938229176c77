//! The charging sites of a trip: added, changed, removed, and brought from a list or a map.

use std::collections::HashMap;

use askama::Template;
use axum::extract::{Form, Multipart, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::{MOST_SITES, Site};
use spare_hour_formats::read_track;
use spare_hour_store::{Store, StoredTrip};

use super::new::NearForm;
use super::places::PlaceFile;
use super::site_form::SiteForm;
use crate::app::{App, off_thread};
use crate::forms::seen::must_be_as_seen;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::http::upload::{Upload, read_upload};
use crate::layout::Frame;
use spare_hour_wording::{figures, sites};

#[derive(Template)]
#[template(path = "trips/sites.html")]
struct SitesPage {
    frame: Frame,
    id: i32,
    name: String,
    /// Length of the road, in words.
    length: String,
    sites: Vec<SiteRow>,
    form: SiteForm,
    near: NearForm,
    /// Whether places on a map can be matched to the road.
    track: bool,
    faults: Vec<String>,
}

struct SiteRow {
    id: String,
    name: String,
    at: String,
    power: String,
    fixed: String,
    price: String,
    details: String,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct SitesAsk {
    edit: Option<String>,
}

#[derive(Debug, Deserialize)]
pub(crate) struct RemoveForm {
    site: String,
}

/// A trip as its sites' page needs it.
struct Known {
    stored: StoredTrip,
    track: Option<Track>,
    units: Units,
}

impl Known {
    fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        let track = store.track(id)?.and_then(|text| read_track(text.as_bytes()).ok());
        Ok(Self { stored: store.trip(id)?, track, units: store.settings()?.units })
    }

    fn page(&self, app: &App, form: SiteForm, near: NearForm, faults: Vec<String>) -> SitesPage {
        let about = &self.stored.about;
        let mut sites: Vec<&Site> = about.sites.iter().collect();
        sites.sort_by(|a, b| a.at.get().total_cmp(&b.at.get()));
        let row = |site: &&Site| SiteRow {
            id: site.id.clone(),
            name: site.name.clone(),
            at: figures::distance(self.units, site.at),
            power: format!("{:.0}", site.max_power.get()),
            fixed: figures::minutes(site.overhead.get()),
            price: sites::price_in_words(site, &about.currency),
            details: sites::in_words(site, self.units.clock).join(", "),
        };
        SitesPage {
            frame: Frame::new(app, "trips", format!("The sites of {}", about.name)),
            id: self.stored.id,
            name: about.name.clone(),
            length: figures::distance(self.units, about.road.length()),
            sites: sites.iter().map(row).collect(),
            form,
            near,
            track: self.track.is_some(),
            faults,
        }
    }

    /// The sites with others in the place of those with the same ids, or added.
    fn with(&self, others: Vec<Site>) -> Vec<Site> {
        let mut sites = self.stored.about.sites.clone();
        for other in others {
            match sites.iter_mut().find(|site| site.id == other.id) {
                Some(site) => *site = other,
                None => sites.push(other),
            }
        }
        sites
    }
}

/// The sites of a trip, one of them in the form if it is asked.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<SitesAsk>,
) -> Result<Response, WebError> {
    let known = app.run(move |store| Known::new(store, id)).await?;
    let form = match &ask.edit {
        Some(edited) => {
            let site = known.stored.about.sites.iter().find(|site| site.id == *edited);
            SiteForm::of(site.ok_or(WebError::NotFound)?, known.units)
        }
        None => SiteForm::empty(known.units),
    };
    let near = NearForm::new(&Upload::default(), known.units);
    Ok(page(StatusCode::OK, &known.page(&app, form, near, Vec::new())))
}

/// Keeps a site as it was filled in.
pub(crate) async fn change(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(sent): Form<HashMap<String, String>>,
) -> Result<Response, WebError> {
    let refused = app
        .change(move |store| {
            let known = Known::new(store, id)?;
            let mut form = SiteForm::sent(sent, known.units);
            let about = &known.stored.about;
            if let Some(now) = about.sites.iter().find(|site| site.id == form.id) {
                must_be_as_seen(&form.seen, now)?;
            }
            let ids: Vec<String> = about.sites.iter().map(|site| site.id.clone()).collect();
            let Some(site) = form.read(about.road.length(), known.track.as_ref(), &ids) else {
                return Ok(Some((known, form, Vec::new())));
            };
            let sites = known.with(vec![site]);
            if sites.len() > MOST_SITES {
                return Ok(Some((known, form, vec![format!("A trip has at most {MOST_SITES} sites.")])));
            }
            store.change_sites(id, &sites)?;
            Ok(None)
        })
        .await?;
    let Some((known, form, faults)) = refused else {
        return Ok(Redirect::to(&format!("/trips/{id}/sites")).into_response());
    };
    let near = NearForm::new(&Upload::default(), known.units);
    Ok(page(StatusCode::UNPROCESSABLE_ENTITY, &known.page(&app, form, near, faults)))
}

/// Removes a site.
pub(crate) async fn remove(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<RemoveForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| {
        let mut sites = store.trip(id)?.about.sites;
        sites.retain(|site| site.id != form.site);
        Ok(store.change_sites(id, &sites)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/trips/{id}/sites")))
}

/// Takes the sites of a file: those with ids that are here already take their places, others are added.
pub(crate) async fn import(State(app): State<App>, Path(id): Path<i32>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let (upload, file) = off_thread(move || {
        let file = PlaceFile::read(&upload.bytes);
        (upload, file)
    })
    .await?;
    let refused = app
        .change(move |store| {
            let known = Known::new(store, id)?;
            let near = NearForm::new(&upload, known.units);
            match file.and_then(|file| brought_sites(&known, file, &near)) {
                Ok(sites) if !near.is_wrong() => store.change_sites(id, &sites)?,
                other => return Ok(Some((known, near, other.err()))),
            }
            Ok(None)
        })
        .await?;
    let Some((known, near, fault)) = refused else {
        return Ok(Redirect::to(&format!("/trips/{id}/sites")).into_response());
    };
    let shown = known.page(&app, SiteForm::empty(known.units), near, fault.into_iter().collect());
    Ok(page(StatusCode::UNPROCESSABLE_ENTITY, &shown))
}

/// All sites of a trip with those of a file.
fn brought_sites(known: &Known, file: PlaceFile, near: &NearForm) -> Result<Vec<Site>, String> {
    let length = known.stored.about.road.length();
    let brought = file.along(known.track.as_ref(), length, near.wanted)?;
    let sites = known.with(brought);
    match sites.len() {
        0..=MOST_SITES => Ok(sites),
        count => Err(format!("That would make {count} sites; a trip has at most {MOST_SITES}.")),
    }
}
