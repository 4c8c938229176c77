//! The door: signing in and out, and choosing a password with a code.

use std::net::IpAddr;

use askama::Template;
use axum::extract::{Form, Query, Request, State};
use axum::http::StatusCode;
use axum::http::header::RETRY_AFTER;
use axum::response::{IntoResponse, Redirect, Response};
use axum::{Extension, RequestExt};
use serde::Deserialize;
use spare_hour_store::Person;
use tower_sessions::Session;

use crate::app::{App, off_thread};
use crate::forms::field::Field;
use crate::household::guard::{SIGNED_IN, SignedIn};
use crate::household::{Peer, hash_of, token_hash, verify, who};
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// Shortest and longest passwords, characters (NIST SP 800-63B asks for at least 8 and takes 64 and more; from memory).
const PASSWORD: std::ops::RangeInclusive<usize> = 10..=128;
/// Who guessed too often may try again after so many seconds.
const COME_AGAIN: &str = "60";

#[derive(Template)]
#[template(path = "household/sign_in.html")]
struct SignInPage {
    frame: Frame,
    name: String,
    to: String,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "household/welcome.html")]
struct WelcomePage {
    frame: Frame,
    code: String,
    /// Whose code it is; `None` while it is not known, or holds no more.
    name: Option<String>,
    fault: Option<String>,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct DoorForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    password: String,
    #[serde(default)]
    to: String,
    #[serde(default)]
    code: String,
}

/// The door.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<DoorForm>) -> Response {
    sign_in_page(&app, StatusCode::OK, ask, None)
}

fn sign_in_page(app: &App, status: StatusCode, form: DoorForm, fault: Option<&str>) -> Response {
    let frame = Frame::new(app, "", "Sign in");
    page(status, &SignInPage { frame, name: form.name, to: form.to, fault: fault.map(Into::into) })
}

/// Signs somebody in.
pub(crate) async fn sign_in(State(app): State<App>, session: Session, request: Request) -> Result<Response, WebError> {
    let peer = Peer::of(&request);
    let Ok(Form(form)) = request.extract::<Form<DoorForm>, _>().await else {
        return Err(WebError::Refused("Expected a name and a password.".into()));
    };
    if !app.guesses.may_guess(peer, &form.name) {
        tracing::warn!("passwords are guessed too often");
        return Ok(too_often(&app, form));
    }
    let name = form.name.trim().to_string();
    let found = app.run(move |store| Ok(store.person_named(&name)?)).await?;
    let (person, hash) = found.map_or((None, None), |(person, hash)| (Some(person), hash));
    let password = form.password.clone();
    let known = off_thread(move || verify(&password, hash.as_deref())).await?;
    let Some(person) = person.filter(|_| known) else {
        tracing::warn!("a name and a password were refused");
        let fault = "This name and this password do not belong together.";
        return Ok(sign_in_page(&app, StatusCode::UNPROCESSABLE_ENTITY, form, Some(fault)));
    };
    enter(&session, &person).await?;
    Ok(Redirect::to(own_address(&form.to)).into_response())
}

fn too_often(app: &App, form: DoorForm) -> Response {
    let fault = "That was tried too often. Wait a minute, then try again.";
    let mut told = sign_in_page(app, StatusCode::TOO_MANY_REQUESTS, form, Some(fault));
    told.headers_mut().insert(RETRY_AFTER, axum::http::HeaderValue::from_static(COME_AGAIN));
    told
}

/// A browser is a person's from now on, with a secret that it did not have before.
async fn enter(session: &Session, person: &Person) -> Result<(), WebError> {
    let failed = |error: tower_sessions::session::Error| {
        tracing::error!("a sign-in could not be kept: {error}");
        WebError::Failed
    };
    session.cycle_id().await.map_err(failed)?;
    let since = jiff::Timestamp::now().as_second();
    let signed_in = SignedIn { person: person.id, epoch: person.epoch, since };
    session.insert(SIGNED_IN, signed_in).await.map_err(failed)?;
    tracing::info!(person = person.id, "signed in");
    Ok(())
}

/// Where somebody wanted to go, where that is here.
fn own_address(to: &str) -> &str {
    let ours = to.starts_with('/') && !to.starts_with("//") && !to.contains('\\') && !to.contains(['\r', '\n']);
    if ours { to } else { "/" }
}

/// Signs a browser out.
pub(crate) async fn sign_out(session: Session) -> Result<Redirect, WebError> {
    session.flush().await.map_err(|_| WebError::Failed)?;
    tracing::info!("signed out");
    Ok(Redirect::to("/sign-in"))
}

/// Signs every browser of a person out.
pub(crate) async fn sign_out_everywhere(State(app): State<App>, session: Session) -> Result<Redirect, WebError> {
    if let Some(person) = who() {
        app.run(move |store| Ok(store.sign_out_everywhere(person.id)?)).await?;
    }
    sign_out(session).await
}

/// Where a code is used.
pub(crate) async fn welcome(
    State(app): State<App>,
    peer: Option<Extension<Peer>>,
    Query(ask): Query<DoorForm>,
) -> Result<Response, WebError> {
    let person = person_of(&app, peer, &ask.code).await?;
    let fault = (person.is_none() && !ask.code.is_empty()).then_some(NO_CODE);
    Ok(welcome_page(&app, StatusCode::OK, ask.code, person.as_ref(), fault))
}

const NO_CODE: &str = "This code is not known, or no longer holds. Ask an owner of the household for another.";

fn welcome_page(app: &App, status: StatusCode, code: String, person: Option<&Person>, fault: Option<&str>) -> Response {
    let frame = Frame::new(app, "", "Choose a password");
    let name = person.map(|person| person.name.clone());
    page(status, &WelcomePage { frame, code, name, fault: fault.map(Into::into) })
}

/// Whose code it is, unless an address has tried too many.
async fn person_of(app: &App, peer: Option<Extension<Peer>>, code: &str) -> Result<Option<Person>, WebError> {
    let peer = peer.map_or(IpAddr::V4(std::net::Ipv4Addr::LOCALHOST), |peer| peer.0.0);
    if code.is_empty() || !app.guesses.is_heard(peer) {
        return Ok(None);
    }
    let (hash, now) = (token_hash(code), app.here.now().as_second());
    let found = app.run(move |store| Ok(store.person_of_code(&hash, now)?)).await?;
    if found.is_none() {
        app.guesses.wrong_token(peer);
    }
    Ok(found)
}

/// A password is chosen with a code; the browser is signed in then.
pub(crate) async fn choose(
    State(app): State<App>,
    session: Session,
    peer: Option<Extension<Peer>>,
    Form(form): Form<DoorForm>,
) -> Result<Response, WebError> {
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    let Some(person) = person_of(&app, peer, &form.code).await? else {
        return Ok(welcome_page(&app, refused, form.code, None, Some(NO_CODE)));
    };
    let name = Field::new(form.name.clone()).words(60);
    let fault = match (&name, form.password.chars().count()) {
        (None, _) => Some("Expected a name of 1 to 60 characters."),
        (_, length) if !PASSWORD.contains(&length) => Some("Expected a password of 10 to 128 characters."),
        (Some(name), _) if form.password.to_lowercase().contains(&name.to_lowercase()) => {
            Some("Expected a password that does not hold the name.")
        }
        _ => None,
    };
    let (Some(name), None) = (name, fault) else {
        return Ok(welcome_page(&app, refused, form.code, Some(&person), fault));
    };
    let (password, id) = (form.password, person.id);
    let hash = off_thread(move || hash_of(&password)).await??;
    let person = app
        .run(move |store| {
            store.rename_person(id, &name)?;
            store.set_password(id, &hash)?;
            store.person(id)?.ok_or(WebError::NotFound)
        })
        .await?;
    enter(&session, &person).await?;
    Ok(Redirect::to("/").into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_is_led_on_within_this_server_only() {
        assert_eq!(own_address("/trips/1?start=60"), "/trips/1?start=60");
        for elsewhere in ["", "//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example", "/a\r\nb"] {
            assert_eq!(own_address(elsewhere), "/", "{elsewhere}");
        }
    }
}
