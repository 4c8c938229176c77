//! A household behind its door: who comes in, what each may do and see, and links that are taken back.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use axum::body::Body;
use axum::http::{Method, header};
use support::{Answer, Pages, request};

const PASSWORD: &str = "four grey herons";

/// A browser that keeps its cookie.
struct Browser<'p> {
    pages: &'p Pages,
    cookie: String,
}

impl<'p> Browser<'p> {
    fn new(pages: &'p Pages) -> Self {
        Self { pages, cookie: String::new() }
    }

    fn ask(&mut self, method: Method, path: &str, fields: &[(&str, &str)]) -> Answer {
        let form = form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
        let asked = request(method, path)
            .header(header::COOKIE, &self.cookie)
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
        let answer = self.pages.ask(asked.body(Body::from(form)).unwrap());
        if let Some((cookie, _)) = answer.header("set-cookie").split_once(';') {
            self.cookie = cookie.to_string();
        }
        answer
    }

    fn get(&mut self, path: &str) -> (u16, String) {
        self.ask(Method::GET, path, &[]).told()
    }

    fn post(&mut self, path: &str, fields: &[(&str, &str)]) -> (u16, String) {
        self.ask(Method::POST, path, fields).told()
    }

    /// Comes in with a code, under a name.
    fn welcomed(pages: &'p Pages, code: &str, name: &str) -> Self {
        let mut browser = Self::new(pages);
        assert_eq!(browser.post("/welcome", &[("code", code), ("name", name), ("password", PASSWORD)]).0, 303);
        browser
    }

    /// Adds somebody, and comes in as them.
    fn adds(&mut self, name: &str, role: &str) -> Self {
        let (status, page) = self.post("/household", &[("name", name), ("role", role)]);
        assert_eq!(status, 200, "{page}");
        let code = page.split("/welcome?code=").nth(1).unwrap().split('"').next().unwrap().to_string();
        Self::welcomed(self.pages, &code, name)
    }
}

#[test]
fn nobody_comes_in_without_a_password_and_a_code_is_used_once() {
    let pages = Pages::household("the-code");
    let mut stranger = Browser::new(&pages);
    for path in ["/", "/trips/1", "/trips/1/trip.json", "/backup.json", "/lists/drives.csv", "/sessions/1/source"] {
        let answer = stranger.ask(Method::GET, path, &[]);
        assert!(answer.status == 303 && answer.header("location").starts_with("/sign-in?to="), "{path}");
    }
    assert_eq!(stranger.post("/trips/1/remove", &[]).0, 401);
    assert_eq!(stranger.post("/household", &[("name", "X"), ("role", "owner")]).0, 401);
    for path in ["/health", "/ready", "/sign-in", "/assets/app.css", "/worker.js"] {
        assert_eq!(stranger.get(path).0, 200, "{path}");
    }
    let choose = |code: &str, password: &str| {
        Browser::new(&pages).post("/welcome", &[("code", code), ("name", "Ada"), ("password", password)]).0
    };
    assert_eq!(
        (choose("another", PASSWORD), choose("the-code", "short"), choose("the-code", "ada ada ada ada")),
        (422, 422, 422)
    );
    let mut ada = Browser::new(&pages);
    let answer = ada.ask(Method::POST, "/welcome", &[("code", "the-code"), ("name", "Ada"), ("password", PASSWORD)]);
    let cookie = answer.header("set-cookie");
    assert!(answer.status == 303 && cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"), "{cookie}");
    assert!(ada.get("/").1.contains("Signed in as Ada"));
    assert_eq!(choose("the-code", PASSWORD), 422);
    // A name that there is not and a wrong password are told alike.
    let mut guess = |name: &str, password: &str| {
        stranger.post("/sign-in", &[("name", name), ("password", password), ("to", "/trips")])
    };
    let (wrong, unknown) = (guess("ada", "four grey heron"), guess("Eve", PASSWORD));
    assert_eq!((wrong.0, unknown.0), (422, 422));
    assert_eq!(wrong.1.replace("ada", ""), unknown.1.replace("Eve", ""));
    assert_eq!(guess("ADA", PASSWORD).0, 303);
    assert_eq!(stranger.get("/trips").0, 200);
    // Signing out everywhere ends the other browser, too.
    assert_eq!(ada.post("/sign-out-everywhere", &[]).0, 303);
    assert_eq!((ada.get("/trips").0, stranger.get("/trips").0), (303, 303));
    let tries: Vec<u16> = (0..20).map(|_| stranger.post("/sign-in", &[("name", "ada"), ("password", "x")]).0).collect();
    assert!(tries.contains(&422) && tries.last() == Some(&429), "{tries:?}");
}

#[test]
fn guests_look_members_change_owners_say_who_and_what_is_private_is() {
    let pages = Pages::household("the-code");
    let mut ada = Browser::welcomed(&pages, "the-code", "Ada");
    let (mut bo, mut guest) = (ada.adds("Bo", "member"), ada.adds("Cleo", "guest"));
    assert_eq!(ada.post("/household", &[("name", "BO"), ("role", "guest")]).0, 422);
    // A guest looks.
    assert_eq!((guest.get("/trips/1").0, guest.post("/trips/1/name", &[("name", "X")]).0), (200, 403));
    assert!(!guest.get("/trips").1.contains("aria-label=\"Undo"));
    // A member changes, but neither says who belongs here nor takes everything.
    assert_eq!(bo.post("/trips/1/name", &[("name", "North")]).0, 303);
    for path in ["/household", "/backup", "/backup.json", "/everything.json"] {
        assert_eq!(bo.get(path).0, 403, "{path}");
    }
    assert_eq!((bo.post("/household/1/remove", &[]).0, ada.get("/backup.json").0), (403, 200));
    // Units are each one's own.
    let miles = [
        ("distance", "mi"),
        ("consumption", "mi/kWh"),
        ("temperature", "°F"),
        ("clock", "12 hours, am and pm"),
        ("currency", "cr"),
    ];
    assert_eq!(bo.post("/settings", &miles).0, 303);
    assert!(bo.get("/drives").1.contains(" mi") && !ada.get("/drives").1.contains(" mi<"));
    // What is kept to oneself is not there for others: the car, its charges, its drives, and the trips that it drives.
    let trips = |browser: &mut Browser| browser.get("/trips").1.matches("href=\"/trips/").count();
    let before = trips(&mut ada);
    assert_eq!(bo.post("/cars/1/private", &[("private", "yes")]).0, 303);
    assert!(trips(&mut ada) < before && trips(&mut bo) == before);
    for path in [
        "/cars/1",
        "/trips/1",
        "/trips/1/trip.json",
        "/trips/1/plan",
        "/drives/1/drives.csv",
        "/sessions/1",
        "/sessions/1/source",
    ] {
        assert_eq!((ada.get(path).0, guest.get(path).0), (404, 404), "{path}");
        assert_eq!(bo.get(path).0, 200, "{path}");
    }
    assert_eq!(ada.post("/trips/1/remove", &[]).0, 404);
    assert!(
        !ada.get("/sessions").1.contains("href=\"/sessions/1\"")
            && bo.get("/sessions").1.contains("href=\"/sessions/1\"")
    );
    assert_eq!(bo.post("/cars/1/private", &[("private", "no")]).0, 303);
    assert_eq!(ada.get("/trips/1").0, 200);
    // The last owner stays; whoever is removed is out.
    assert_eq!(ada.post("/household/1/role", &[("role", "member")]).0, 409);
    assert_eq!((ada.post("/household/2/remove", &[]).0, bo.get("/trips").0), (303, 303));
}

#[test]
fn a_link_shows_one_trip_until_it_is_taken_back() {
    let pages = Pages::household("the-code");
    let mut ada = Browser::welcomed(&pages, "the-code", "Ada");
    let (status, page) = ada.post("/trips/1/shared", &[]);
    let token = page.split("/shared/").nth(1).map(|rest| rest.split('<').next().unwrap().to_string());
    let token = token.filter(|token| token.len() == 32).unwrap_or_else(|| panic!("{status} {page}"));
    let mut stranger = Browser::new(&pages);
    let (status, shown) = stranger.get(&format!("/shared/{token}"));
    assert!(status == 200 && shown.contains("Tamsby to Ferrow Quay") && shown.contains("Vessen Junction"), "{shown}");
    assert!(!shown.contains("href=\"/trips"));
    assert_eq!((stranger.get("/trips/1").0, stranger.get("/shared/0123").0), (303, 404));
    // The page does not show the link again, and takes it back.
    assert!(!ada.get("/trips/1/shared").1.contains(&token));
    assert_eq!(ada.post("/trips/1/shared/1/remove", &[]).0, 303);
    assert_eq!(stranger.get(&format!("/shared/{token}")).0, 404);
}

#[test]
fn alone_on_this_machine_nothing_is_asked() {
    let pages = Pages::demo();
    assert_eq!((pages.get("/trips").0, pages.get("/sign-in").0, pages.get("/household").0), (200, 404, 404));
}
