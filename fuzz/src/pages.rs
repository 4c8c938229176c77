//! The app's handlers, called in this process: addresses, forms, and the backup.

use std::io::Cursor;
use std::path::Path;
use std::sync::{LazyLock, Mutex, PoisonError};

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{Method, Request, header};
use spare_hour_store::Store;
use spare_hour_web::{Options, router};
use tempfile::TempDir;
use tokio::runtime::Runtime;
use tower::ServiceExt;

/// After so many forms the demo's data are laid anew, so that what is kept does not grow.
const FORMS: usize = 2_000;
/// Where forms are sent; the first byte of an input chooses.
const FORMS_AT: [&str; 40] = [
    "/sessions/lines",
    "/sessions/matched",
    "/sessions/1/noted",
    "/sessions/1/leave-out",
    "/sessions/1/join",
    "/sessions/1/curve",
    "/sessions/1/boost",
    "/measure",
    "/measure/1/event",
    "/measure/1/events",
    "/meter",
    "/road/1/event",
    "/road/1/events",
    "/ledger/1/charge",
    "/ledger/1/sites",
    "/cars",
    "/cars/1",
    "/cars/1/family",
    "/cars/1/curves/1",
    "/drives/lines",
    "/drives/1",
    "/drives/1/home",
    "/drives/1/leave-out",
    "/tariffs",
    "/tariffs/1",
    "/tariffs/receipt",
    "/tariffs/1/memberships",
    "/tariffs/1/trips/1",
    "/undo",
    "/start",
    "/settings",
    "/trips/new",
    "/trips/road-lines",
    "/trips/1/wishes",
    "/trips/1/touch",
    "/trips/1/keep",
    "/trips/1/name",
    "/trips/1/road",
    "/trips/1/sites",
    "/open",
];

/// The app over the demo's data.
struct Demo {
    router: Router,
    forms: usize,
    _directory: TempDir,
}

static RUNTIME: LazyLock<Runtime> = LazyLock::new(|| {
    tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build().expect("a runtime")
});
static DEMO: LazyLock<Mutex<Demo>> = LazyLock::new(|| Mutex::new(Demo::new()));

/// A directory in memory where the system has such: nothing here outlives the process.
fn directory() -> TempDir {
    let memory = Path::new("/dev/shm");
    if memory.is_dir() { tempfile::tempdir_in(memory) } else { tempfile::tempdir() }.expect("a directory")
}

impl Demo {
    fn new() -> Self {
        let directory = directory();
        let store = Store::open(directory.path()).expect("a store");
        spare_hour::demo_data::fill(&store).expect("the demo's data");
        Self { router: router(store, Options::default()), forms: 0, _directory: directory }
    }

    /// Asks; panics at what no request may be answered.
    fn ask(&self, request: Request<Body>) {
        let asked = format!("{} {}", request.method(), request.uri());
        let status = RUNTIME.block_on(async {
            let answer = self.router.clone().oneshot(request).await.expect("handlers do not fail");
            let status = answer.status();
            to_bytes(answer.into_body(), usize::MAX).await.expect("a body");
            status
        });
        assert_ne!(status.as_u16(), 500, "{asked}");
    }
}

/// Addresses with what stands behind the question mark, on the demo's data.
pub(crate) fn addresses(bytes: &[u8]) {
    let address = std::str::from_utf8(bytes).ok().filter(|address| address.starts_with('/'));
    let request = address
        .and_then(|address| Request::builder().uri(address).header(header::HOST, "localhost").body(Body::empty()).ok());
    if let Some(request) = request {
        DEMO.lock().unwrap_or_else(PoisonError::into_inner).ask(request);
    }
}

/// Forms: the first byte chooses the address, the others are sent.
pub(crate) fn forms(bytes: &[u8]) {
    let Some((&first, form)) = bytes.split_first() else { return };
    let address = FORMS_AT[usize::from(first) % FORMS_AT.len()];
    let request = Request::builder()
        .method(Method::POST)
        .uri(address)
        .header(header::HOST, "localhost")
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
        .body(Body::from(form.to_vec()))
        .expect("a request");
    let mut demo = DEMO.lock().unwrap_or_else(PoisonError::into_inner);
    demo.forms += 1;
    if demo.forms > FORMS {
        *demo = Demo::new();
    }
    demo.ask(request);
}

/// Backups, into a store that holds nothing; what was taken in is whole and can be backed up again.
pub(crate) fn backup(bytes: &[u8]) {
    static EMPTY: LazyLock<Mutex<Option<(Store, TempDir)>>> = LazyLock::new(|| Mutex::new(None));
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let mut empty = EMPTY.lock().unwrap_or_else(PoisonError::into_inner);
    let (store, directory) = empty.take().unwrap_or_else(|| {
        let directory = directory();
        (Store::open(directory.path()).expect("a store"), directory)
    });
    match store.restore(Cursor::new(text)) {
        Ok(()) => {
            store.backup(std::io::sink()).expect("what was taken in can be backed up");
        }
        // Nothing of it was taken in: the store is as good as new.
        Err(_) => *empty = Some((store, directory)),
    }
}
