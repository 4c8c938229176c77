//! What every handler may use: the store, the time, and threads for work that takes a while.

use std::any::Any;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use spare_hour_core::quantity::units::Units;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::certificate::Proving;
use spare_hour_planning::clock::Here;
use spare_hour_planning::drive_trip::SolvedTrip;
use spare_hour_planning::kept::Kept;
use spare_hour_planning::read_charge::Reports;
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::{Settings, Step, Store};

use crate::household::{Guesses, who};
use crate::http::error::WebError;
use crate::http::lanes::{self, Lane};
use crate::pages::measure::StandIn;

/// Proofs that go on are kept for so many trips: each holds up to 100 MB.
const PROOFS_KEPT: usize = 2;

/// What every handler may use.
#[derive(Clone)]
pub(crate) struct App {
    pub(crate) store: Store,
    /// What time it is, and where.
    pub(crate) here: Here,
    /// What is told about the data on every page, as "demo data".
    pub(crate) notice: Option<Arc<str>>,
    /// A simulated charger, where whoever runs the server lends one.
    pub(crate) stand_in: Option<StandIn>,
    /// Whether people have to sign in.
    pub(crate) guarded: bool,
    /// Whether browsers reach the app over TLS.
    pub(crate) secure: bool,
    /// How often passwords, codes and tokens were guessed of late.
    pub(crate) guesses: Arc<Guesses>,
    /// Trips solved a while ago.
    pub(crate) solved: Arc<Kept<Arc<SolvedTrip>>>,
    /// Trips weighed a while ago, minutes against money.
    pub(crate) traded: Arc<Kept<Arc<TradedTrip>>>,
    /// Proofs of whole trades that go on while somebody looks.
    pub(crate) proving: Arc<Kept<Arc<Mutex<Proving>>>>,
    /// What each person had set, as of so many changes: every page asks.
    set: Arc<Mutex<SetBy>>,
    /// What was read off charges a while ago.
    read: Reports,
    /// How often what is kept has changed: what was solved before a change is not asked again.
    changes: Arc<AtomicU64>,
}

/// What was set by a person, or by everybody, as of so many changes.
type SetBy = HashMap<Option<i32>, (u64, Settings)>;

/// How the app is run.
#[derive(Clone)]
pub struct Options {
    /// What is told about the data on every page.
    pub notice: Option<String>,
    /// Names under which browsers may reach the app, beside localhost and addresses in digits. Requests that name another
    /// host are refused: a page elsewhere could make a browser send them.
    pub names: Vec<String>,
    /// A simulated charger for practice.
    pub stand_in: Option<StandIn>,
    /// Whether people have to sign in: where more than this machine reaches the app.
    pub guarded: bool,
    /// Whether browsers reach it over TLS: cookies then go over nothing else.
    pub secure: bool,
    /// The proxy that requests come from, where one stands before the app: it is believed whom it forwards them for.
    pub proxy: Option<IpAddr>,
    /// What time it is, and where.
    pub here: Here,
}

impl Default for Options {
    fn default() -> Self {
        Self {
            notice: None,
            names: Vec::new(),
            stand_in: None,
            guarded: false,
            secure: false,
            proxy: None,
            here: Here::of_this_machine(),
        }
    }
}

/// Runs work that takes a while (reading a file, solving) off the async threads, so that it stops nobody else's page.
pub(crate) async fn off_thread<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, WebError> {
    in_lane(&lanes::FILES, work).await
}

/// Runs work off the async threads once there is a place for it in a lane, which it keeps until it is done, whether or not
/// somebody waits for it still.
async fn in_lane<T: Send + 'static>(
    lane: &'static Lane,
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, WebError> {
    let place = lane.enter().await?;
    let done = task(Box::new(move || {
        let done: Done = Box::new(work());
        drop(place);
        done
    }));
    done.await?.downcast().map(|done| *done).map_err(|_| WebError::Failed)
}

type Done = Box<dyn Any + Send>;

/// One kind of task for all work: a runtime's machinery is compiled for each kind, and there are a hundred closures.
async fn task(work: Box<dyn FnOnce() -> Done + Send>) -> Result<Done, WebError> {
    tokio::task::spawn_blocking(work).await.map_err(|_| WebError::Failed)
}

/// Raises a sign when whoever waits goes away: a browser that asks anew closes its earlier question.
struct Waiting(StopSign);

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.raise();
    }
}

impl App {
    pub(crate) fn new(store: Store, options: &Options) -> Self {
        Self {
            store,
            here: options.here.clone(),
            notice: options.notice.as_deref().map(Arc::from),
            stand_in: options.stand_in.clone(),
            guarded: options.guarded,
            secure: options.secure,
            guesses: Arc::default(),
            solved: Arc::default(),
            traded: Arc::default(),
            proving: Arc::new(Kept::at_most(PROOFS_KEPT)),
            set: Arc::default(),
            read: Reports::default(),
            changes: Arc::default(),
        }
    }

    /// The store as whoever asks sees it.
    fn seen(&self) -> Store {
        who().map_or_else(|| self.store.clone(), |person| self.store.seen_by(person.id))
    }

    /// Runs blocking work (the database, the planner) off the async threads.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let store = self.seen();
        in_lane(&lanes::SHORT, move || work(&store)).await?
    }

    /// Like [`App::run`], for work that looks at a sign now and then: it is raised once nobody waits for the answer.
    pub(crate) async fn run_while_waiting<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store, &StopSign) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        self.run_while_waiting_in(&lanes::PLANNING, work).await
    }

    /// The same in another lane.
    pub(crate) async fn run_while_waiting_in<T: Send + 'static>(
        &self,
        lane: &'static Lane,
        work: impl FnOnce(&Store, &StopSign) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let waiting = Waiting(StopSign::default());
        let (stop, store) = (waiting.0.clone(), self.seen());
        in_lane(lane, move || work(&store, &stop)).await?
    }

    /// Runs work that changes what is kept: what it reads stays so until it has written, and it is kept whole or not at
    /// all. So of two people who change one list at once neither loses what the other did.
    pub(crate) async fn change<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let changed = self.run(move |store| store.transaction(work)).await;
        self.changes.fetch_add(1, Ordering::SeqCst);
        changed
    }

    /// The last change, where whoever asks made it and may take it back.
    pub(crate) fn last_step(&self) -> Option<Step> {
        self.seen().last_step()
    }

    /// Takes the last change back; `false` where it is another, or what it changed has been changed since.
    pub(crate) async fn take_back(&self, number: u64) -> Result<bool, WebError> {
        let taken = self.run(move |store| Ok(store.take_back(number)?)).await;
        self.changes.fetch_add(1, Ordering::SeqCst);
        taken
    }

    /// How often what is kept has changed.
    pub(crate) fn changes(&self) -> u64 {
        self.changes.load(Ordering::SeqCst)
    }

    /// What was read off charges since the last change.
    pub(crate) fn reports(&self) -> Reports {
        self.read.as_of(self.changes())
    }

    /// What the person at the screen has set.
    pub(crate) async fn settings(&self) -> Result<Settings, WebError> {
        let (changes, person) = (self.changes(), who().map(|person| person.id));
        let kept = || self.set.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((as_of, settings)) = kept().get(&person)
            && *as_of == changes
        {
            return Ok(settings.clone());
        }
        let settings = self.run(|store| Ok(store.settings()?)).await?;
        kept().insert(person, (changes, settings.clone()));
        Ok(settings)
    }

    /// The units that they read and write in.
    pub(crate) async fn units(&self) -> Result<Units, WebError> {
        Ok(self.settings().await?.units)
    }
}
