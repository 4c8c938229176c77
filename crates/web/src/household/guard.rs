//! At every request that a network may send: is somebody signed in, may they do this, and is what they ask for theirs to see.

use std::net::IpAddr;

use axum::extract::{Request, State};
use axum::http::{HeaderName, Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Redirect, Response};
use serde::{Deserialize, Serialize};
use spare_hour_store::{Person, Role, Thing};
use tower_sessions::Session;

use super::{Peer, WHO};
use crate::app::App;
use crate::http::address::query;
use crate::http::error::WebError;

/// Addresses that nobody has to sign in for: the door itself, what pages are made of, links that were given away, and meters, which
/// have tokens of their own.
const OPEN: [&str; 8] = ["/sign-in", "/welcome", "/health", "/ready", "/worker.js", "/assets/", "/shared/", "/meter"];
/// Forms that change nothing that is kept, so that guests may send them, too.
const LOOKS: [&str; 6] =
    ["/sign-out", "/sessions/lines", "/trips/road-lines", "/drives/lines", "/tariffs/receipt", "/settings"];
/// Addresses for owners: who belongs to the household, and everything at once, another's own included.
const OWNERS: [&str; 5] = ["/household", "/backup", "/backup.json", "/everything", "/everything.json"];

/// What a signed-in browser's record holds.
#[derive(Clone, Copy, Debug, Deserialize, Serialize)]
pub(crate) struct SignedIn {
    pub(crate) person: i32,
    pub(crate) epoch: i32,
    /// When, in seconds since 1970.
    #[serde(default)]
    pub(crate) since: i64,
}

/// However much a browser is used, its person signs in again after so many seconds: half a year.
const AT_LONGEST: i64 = 180 * 86_400;

/// Its name there.
pub(crate) const SIGNED_IN: &str = "who";

/// Lets a request on as whoever is signed in, or says why not.
pub(crate) async fn guard(State(app): State<App>, session: Session, request: Request, next: Next) -> Response {
    let path = request.uri().path();
    if OPEN.iter().any(|open| path == *open || (path.starts_with(open) && (open.ends_with('/') || *open == "/meter"))) {
        return next.run(request).await;
    }
    let person = match signed_in(&app, &session).await {
        Ok(Some(person)) => person,
        Ok(None) => return to_the_door(&request),
        Err(error) => return error.into_response(),
    };
    if let Some(refused) = may_not(&person, request.method(), path) {
        tracing::warn!(person = person.id, "refused to somebody of that role");
        return refused.into_response();
    }
    if let Some(thing) = thing_at(path) {
        let store = app.store.seen_by(person.id);
        match app.run(move |_| Ok(store.is_hidden(thing)?)).await {
            Ok(false) => {}
            Ok(true) => return WebError::NotFound.into_response(),
            Err(error) => return error.into_response(),
        }
    }
    WHO.scope(person, next.run(request)).await
}

/// Who is signed in with a browser.
async fn signed_in(app: &App, session: &Session) -> Result<Option<Person>, WebError> {
    let held: Option<SignedIn> = session.get(SIGNED_IN).await.map_err(|error| {
        tracing::error!("a sign-in could not be read: {error}");
        WebError::Failed
    })?;
    let now = app.here.now().as_second();
    let Some(held) = held.filter(|held| now - held.since < AT_LONGEST) else { return Ok(None) };
    let person = app.run(move |store| Ok(store.person(held.person)?)).await?;
    Ok(person.filter(|person| person.epoch == held.epoch))
}

/// Who is not signed in is asked to be; a form, or a program, is told so.
fn to_the_door(request: &Request) -> Response {
    if request.method() == Method::GET && !request.headers().contains_key(HeaderName::from_static("x-part")) {
        let wanted = request.uri().path_and_query().map_or("/", |wanted| wanted.as_str()).to_string();
        return Redirect::to(&format!("/sign-in?{}", query([("to", wanted)]))).into_response();
    }
    StatusCode::UNAUTHORIZED.into_response()
}

/// Why somebody may not ask for this.
fn may_not(person: &Person, method: &Method, path: &str) -> Option<WebError> {
    let reads = matches!(*method, Method::GET | Method::HEAD);
    let within = |list: &[&str]| list.iter().any(|one| path == *one || path.starts_with(&format!("{one}/")));
    if within(&OWNERS) && person.role < Role::Owner {
        return Some(WebError::Forbidden("This is for an owner of the household. Ask one.".into()));
    }
    if person.role == Role::Guest && !reads && !within(&LOOKS) {
        let why = "As a guest you may look at everything, but change nothing. An owner of the household can let you.";
        return Some(WebError::Forbidden(why.into()));
    }
    None
}

/// What an address is about, where that may be somebody's alone.
fn thing_at(path: &str) -> Option<Thing> {
    let parts: Vec<&str> = path.trim_start_matches('/').split('/').collect();
    let number = |text: &str| text.parse::<i32>().ok();
    match parts[..] {
        ["trips", id, ..] | ["tariffs", _, "trips", id] => number(id).map(Thing::Trip),
        ["cars" | "drives", id, ..] => number(id).map(Thing::Car),
        ["sessions", id, ..] => number(id).map(Thing::Session),
        ["measure", id, ..] => number(id).map(Thing::LiveCharge),
        ["ledger" | "road", id, ..] => number(id).map(Thing::Outing),
        _ => None,
    }
}

/// Notes where a request comes from: from whoever sent it, or, where that is the proxy that was named, from whom it sent it for.
pub(crate) async fn note_peer(State(proxy): State<Option<IpAddr>>, mut request: Request, next: Next) -> Response {
    let sender = Peer::of(&request);
    if proxy == Some(sender) {
        let forwarded = request.headers().get("x-forwarded-for").and_then(|value| value.to_str().ok());
        // The proxy adds whom it heard last at the end; what stands before anybody may have written.
        let last = forwarded.and_then(|list| list.rsplit(',').next()?.trim().parse().ok());
        request.extensions_mut().insert(Peer(last.unwrap_or(sender)));
    }
    next.run(request).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_about_what_they_name() {
        assert_eq!(thing_at("/trips/7/sites"), Some(Thing::Trip(7)));
        assert_eq!(thing_at("/tariffs/3/trips/9"), Some(Thing::Trip(9)));
        assert_eq!(thing_at("/drives/2/month.csv"), Some(Thing::Car(2)));
        assert_eq!(thing_at("/road/4/events"), Some(Thing::Outing(4)));
        assert_eq!([thing_at("/trips/new"), thing_at("/trips"), thing_at("/"), thing_at("/road/panel")], [None; 4]);
    }

    #[test]
    fn roles_may_what_they_may() {
        let person = |role| Person { id: 1, name: "A".into(), role, epoch: 0, has_password: true };
        let refused = |role, method: &Method, path: &str| may_not(&person(role), method, path).is_some();
        assert!(
            !refused(Role::Guest, &Method::GET, "/trips/1") && refused(Role::Guest, &Method::POST, "/trips/1/name")
        );
        assert!(!refused(Role::Guest, &Method::POST, "/sign-out") && refused(Role::Guest, &Method::POST, "/settingsx"));
        assert!(!refused(Role::Member, &Method::POST, "/trips/1/name"));
        for path in ["/household", "/household/3/remove", "/backup", "/backup.json", "/everything", "/everything.json"]
        {
            assert!(refused(Role::Member, &Method::GET, path) && !refused(Role::Owner, &Method::POST, path), "{path}");
        }
    }
}
