//! The frame around every page.

pub(crate) mod months;

use spare_hour_store::{Done, Role, Step};

use crate::household::who;

/// What the frame shows.
#[derive(Clone, Debug)]
pub(crate) struct Frame {
    /// Title of the page.
    pub(crate) title: String,
    /// The room that the page is in, as in its address.
    pub(crate) room: &'static str,
    /// What is told about the data, as "demo data".
    pub(crate) notice: Option<String>,
    /// The rooms, as in their addresses and by name.
    pub(crate) rooms: &'static [(&'static str, &'static str)],
    /// The last change, which can be taken back: its number, and what it was.
    pub(crate) undo: Option<(u64, String)>,
    /// Who is signed in, where somebody has to be: their name, and whether they own the household.
    pub(crate) person: Option<(String, bool)>,
}

impl Frame {
    pub(crate) fn new(app: &crate::app::App, room: &'static str, title: impl Into<String>) -> Self {
        let person = who();
        let may_change = person.as_ref().map_or(!app.guarded, |person| person.role > Role::Guest);
        let undo = app.last_step().filter(|_| may_change).map(|step| (step.number, told(&step)));
        let rooms: &[_] = if app.guarded && person.is_none() { &[] } else { &ROOMS };
        let person = person.map(|person| (person.name, person.role == Role::Owner));
        Self { title: title.into(), room, notice: app.notice.as_deref().map(Into::into), rooms, undo, person }
    }
}

/// The rooms, in the order of the work: as in their addresses, and by name.
pub(crate) const ROOMS: [(&str, &str); 8] = [
    ("sessions", "Sessions"),
    ("compare", "Compare"),
    ("cars", "Cars"),
    ("drives", "Drives"),
    ("trips", "Trips"),
    ("road", "On the road"),
    ("ledger", "Ledger"),
    ("tariffs", "Tariffs"),
];

/// What a change was.
pub(crate) fn told(step: &Step) -> String {
    let done = match step.done {
        Done::Added => "added",
        Done::Changed => "changed",
        Done::Removed => "removed",
    };
    format!("{} {done}", step.what)
}
