//! The household: the door, who belongs to it, and what is one person's alone.

mod door;
mod links;
mod people;
mod private;

use axum::Router;
use axum::routing::{get, post};

use crate::app::App;

/// The addresses of the household, where the app is served to a network.
pub(crate) fn routes() -> Router<App> {
    Router::new()
        .route("/sign-in", get(door::show).post(door::sign_in))
        .route("/sign-out", post(door::sign_out))
        .route("/sign-out-everywhere", post(door::sign_out_everywhere))
        .route("/welcome", get(door::welcome).post(door::choose))
        .route("/household", get(people::show).post(people::add))
        .route("/household/{id}/role", post(people::set_role))
        .route("/household/{id}/code", post(people::new_code))
        .route("/household/{id}/remove", post(people::remove))
        .route("/cars/{id}/private", post(private::set_car))
        .route("/trips/{id}/private", post(private::set_trip))
        .route("/trips/{id}/shared", get(links::of_trip).post(links::make))
        .route("/trips/{id}/shared/{link}/remove", post(links::take_back))
        .route("/shared/{token}", get(links::open))
}
