//! On the road: the trip under way. One question: what next? At a stall: leave now, or wait?

mod begin;
mod events;
mod panel;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_planning::on_the_road::OnTheRoad;
use spare_hour_store::TripLine;

use crate::app::App;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
pub(crate) use begin::{begin, forget};
pub(crate) use events::{from_form, from_page, lines};
use panel::Panel;

#[derive(Template)]
#[template(path = "road/show.html")]
struct RoadPage {
    frame: Frame,
    /// The trip under way.
    under_way: Option<UnderWay>,
    /// The trip under way that can no longer be planned: its number and name.
    lost: Option<(i32, String)>,
    /// Trips that may be begun.
    trips: Vec<TripLine>,
}

/// The trip under way, with all that its page's script needs.
struct UnderWay {
    id: i32,
    name: String,
    lines: String,
    panel: Panel,
}

/// What changes with every touch.
#[derive(Template)]
#[template(path = "road/panel_alone.html")]
struct PanelAlone {
    panel: Panel,
}

/// The page of the trip under way.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    let read = read(&app).await?;
    let (trips, outing) = app.run(|store| Ok((store.trips()?, store.under_way()?))).await?;
    let lost = outing.filter(|_| read.is_none()).map(|outing| (outing.id, outing.about.name));
    let units = app.units().await?;
    let under_way = match read {
        Some((on, lines)) => Some(UnderWay {
            id: on.outing.id,
            name: on.outing.about.name.clone(),
            lines: lines.join("\n"),
            panel: Panel::new(&on, &lines, units),
        }),
        None => None,
    };
    Ok(page(StatusCode::OK, &RoadPage { frame: Frame::new(&app, "road", "On the road"), under_way, lost, trips }))
}

/// The panel alone: what a touch asks for again.
pub(crate) async fn show_panel(State(app): State<App>) -> Result<Response, WebError> {
    let (on, lines) = read(&app).await?.ok_or(WebError::NotFound)?;
    let units = app.units().await?;
    Ok(page(StatusCode::OK, &PanelAlone { panel: Panel::new(&on, &lines, units) }))
}

/// The trip under way and the lines of its events.
async fn read(app: &App) -> Result<Option<(OnTheRoad, Vec<String>)>, WebError> {
    let here = app.here.clone();
    let on = app.run_while_waiting(move |store, stop| Ok(OnTheRoad::read(store, &here, stop)?)).await?;
    let Some(on) = on else { return Ok(None) };
    let id = on.outing.id;
    let lines = app.run(move |store| Ok(store.outing_lines(id)?)).await?;
    Ok(Some((on, lines)))
}
