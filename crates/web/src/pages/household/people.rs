//! Who belongs to the household, for its owners.

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_store::{Person, Role};

use crate::app::App;
use crate::forms::field::Field;
use crate::household::{new_token, token_hash};
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// A code holds for so many seconds: two days.
const CODE_HOLDS: i64 = 172_800;

#[derive(Template)]
#[template(path = "household/people.html")]
struct PeoplePage {
    frame: Frame,
    people: Vec<PersonRow>,
    roles: [&'static str; 3],
    /// Somebody's new code: their name, and it.
    code: Option<(String, String)>,
}

struct PersonRow {
    id: i32,
    name: String,
    roles: Vec<(&'static str, bool)>,
    has_password: bool,
}

impl PersonRow {
    fn new(person: &Person) -> Self {
        let roles = Role::ALL.map(|role| (role.name(), role == person.role)).to_vec();
        Self { id: person.id, name: person.name.clone(), roles, has_password: person.has_password }
    }
}

#[derive(Debug, Deserialize)]
pub(crate) struct PersonForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    role: String,
}

impl PersonForm {
    fn role(&self) -> Result<Role, WebError> {
        Role::named(&self.role).ok_or_else(|| WebError::Refused("Expected guest, member or owner.".into()))
    }
}

/// Everybody.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    people_page(&app, None).await
}

async fn people_page(app: &App, code: Option<(String, String)>) -> Result<Response, WebError> {
    let people = app.run(|store| Ok(store.people()?)).await?;
    let frame = Frame::new(app, "", "Household");
    let roles = Role::ALL.map(Role::name);
    Ok(page(StatusCode::OK, &PeoplePage { frame, people: people.iter().map(PersonRow::new).collect(), roles, code }))
}

/// Adds somebody, and shows the code with which they choose a password.
pub(crate) async fn add(State(app): State<App>, Form(form): Form<PersonForm>) -> Result<Response, WebError> {
    let role = form.role()?;
    let name = Field::new(form.name).words(60);
    let name = name.ok_or_else(|| WebError::Refused("Expected a name of 1 to 60 characters.".into()))?;
    let given = name.clone();
    let id = app.run(move |store| Ok(store.add_person(&given, role)?)).await?;
    let code = give_code(&app, id).await?;
    people_page(&app, Some((name, code))).await
}

/// A new code for somebody.
pub(crate) async fn new_code(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let person = app.run(move |store| store.person(id)?.ok_or(WebError::NotFound)).await?;
    let code = give_code(&app, id).await?;
    people_page(&app, Some((person.name, code))).await
}

async fn give_code(app: &App, id: i32) -> Result<String, WebError> {
    let (code, until) = (new_token(), app.here.now().as_second() + CODE_HOLDS);
    let hash = token_hash(&code);
    app.run(move |store| Ok(store.set_code(id, &hash, until)?)).await?;
    Ok(code)
}

/// Lets somebody do more or less.
pub(crate) async fn set_role(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<PersonForm>,
) -> Result<Response, WebError> {
    let role = form.role()?;
    app.run(move |store| Ok(store.set_role(id, role)?)).await?;
    Ok(Redirect::to("/household").into_response())
}

/// Removes somebody.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    app.change(move |store| Ok(store.remove_person(id)?)).await?;
    Ok(Redirect::to("/household").into_response())
}
