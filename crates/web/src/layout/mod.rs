//! The frame around every page.

/// What the frame shows.
#[derive(Clone, Debug)]
pub(crate) struct Frame {
    /// Title of the page.
    pub(crate) title: String,
    /// The room that the page is in, as in its address.
    pub(crate) room: &'static str,
    /// What is told about the data, as "demo data".
    pub(crate) notice: Option<String>,
}

impl Frame {
    pub(crate) fn new(app: &crate::app::App, room: &'static str, title: impl Into<String>) -> Self {
        Self { title: title.into(), room, notice: app.notice.as_deref().map(Into::into) }
    }
}
