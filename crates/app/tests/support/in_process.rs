//! The app's handlers, called in this process.

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{Method, Request, Response, header};
use spare_hour_planning::clock::Here;
use spare_hour_store::Store;
use spare_hour_web::{Options, router};
use tempfile::TempDir;
use tokio::runtime::Runtime;
use tower::ServiceExt;

use super::multipart;

/// The app's handlers over a store of their own.
pub struct Pages {
    router: Router,
    runtime: Runtime,
    _directory: TempDir,
}

impl Pages {
    /// An empty store.
    pub fn empty() -> Self {
        Self::new(Options::default(), |_| {})
    }

    /// The demo's data.
    pub fn demo() -> Self {
        let notice = Some(spare_hour::demo_data::NOTICE.to_string());
        Self::new(Options { notice, ..Options::default() }, |store| spare_hour::demo_data::fill(store).unwrap())
    }

    /// The demo's data at a time and place of the test's.
    pub fn demo_at(here: Here) -> Self {
        Self::new(Options { here, ..Options::default() }, |store| spare_hour::demo_data::fill(store).unwrap())
    }

    /// The demo's data, served to a network: an owner comes in with a code.
    pub fn household(code: &str) -> Self {
        let options = Options { guarded: true, ..Options::default() };
        Self::new(options, |store| {
            spare_hour::demo_data::fill(store).unwrap();
            let owner = store.add_person("Owner", spare_hour_store::Role::Owner).unwrap();
            let until = jiff::Timestamp::now().as_second() + 60;
            store.set_code(owner, &spare_hour_web::token_hash(code), until).unwrap();
        })
    }

    fn new(options: Options, fill: impl FnOnce(&Store)) -> Self {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        fill(&store);
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
        Self { router: router(store, options), runtime, _directory: directory }
    }

    /// What a request is answered.
    pub fn ask(&self, request: Request<Body>) -> Answer {
        self.runtime.block_on(async {
            let answer: Response<Body> = self.router.clone().oneshot(request).await.unwrap();
            let (head, body) = answer.into_parts();
            let body = to_bytes(body, usize::MAX).await.unwrap().to_vec();
            Answer { status: head.status.as_u16(), headers: head.headers, body }
        })
    }

    /// The status and body of a GET.
    pub fn get(&self, path: &str) -> (u16, String) {
        self.ask(request(Method::GET, path).body(Body::empty()).unwrap()).told()
    }

    /// The status, kind and bytes of a GET.
    pub fn get_bytes(&self, path: &str) -> (u16, String, Vec<u8>) {
        let answer = self.ask(request(Method::GET, path).body(Body::empty()).unwrap());
        (answer.status, answer.header("content-type"), answer.body)
    }

    /// The status and body of a POST of a form's fields.
    pub fn post(&self, path: &str, fields: &[(&str, &str)]) -> (u16, String) {
        self.post_form(path, fields).told()
    }

    /// What a POST of a form's fields is answered.
    pub fn post_form(&self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let form = form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
        let kind = "application/x-www-form-urlencoded";
        self.ask(request(Method::POST, path).header(header::CONTENT_TYPE, kind).body(form.into()).unwrap())
    }

    /// The status and body of a POST of lines.
    pub fn post_lines(&self, path: &str, lines: &str) -> (u16, String) {
        self.ask(request(Method::POST, path).body(lines.to_string().into()).unwrap()).told()
    }

    /// The status, `Location` and body of a POST of a form with files.
    pub fn upload(&self, path: &str, parts: &[(&str, &str)], file: Option<(&str, &str)>) -> (u16, String, String) {
        self.upload_bytes(path, parts, file.map(|(name, text)| (name, text.as_bytes())))
    }

    /// Like [`Pages::upload`], with a file that need not be text.
    pub fn upload_bytes(
        &self,
        path: &str,
        parts: &[(&str, &str)],
        file: Option<(&str, &[u8])>,
    ) -> (u16, String, String) {
        let kind = "multipart/form-data; boundary=x";
        let body = multipart(parts, file);
        let answer =
            self.ask(request(Method::POST, path).header(header::CONTENT_TYPE, kind).body(body.into()).unwrap());
        let location = answer.header("location");
        let (status, body) = answer.told();
        (status, location, body)
    }
}

/// A request of a browser on this machine.
pub fn request(method: Method, path: &str) -> axum::http::request::Builder {
    Request::builder().method(method).uri(path).header(header::HOST, "localhost")
}

/// What a handler answered.
pub struct Answer {
    pub status: u16,
    headers: axum::http::HeaderMap,
    pub body: Vec<u8>,
}

impl Answer {
    /// A header, empty where there is none.
    pub fn header(&self, name: &str) -> String {
        self.headers.get(name).map(|value| value.to_str().unwrap().to_string()).unwrap_or_default()
    }

    /// The status and the body as text.
    pub fn told(self) -> (u16, String) {
        (self.status, String::from_utf8(self.body).unwrap())
    }
}
